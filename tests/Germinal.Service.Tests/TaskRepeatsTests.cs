using Germinal.Service.Tasks;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>When a task comes again.</summary>
public sealed class TaskRepeatsTests
{
    private static LocalDate D(int year, int month, int day) => new(year, month, day);

    /// <summary>The dates of a rule one after the other, from its first one.</summary>
    private static List<LocalDate> Dates(string rule, LocalDate from, int many)
    {
        var dates = new List<LocalDate> { from };
        while (dates.Count < many && TaskRepeats.Next(rule, from, dates[^1]) is { } next)
        {
            dates.Add(next);
        }

        return dates;
    }

    [Fact]
    public void The_examples_of_the_standard()
    {
        // RFC 5545, 3.8.5.3, with its DTSTART of 2 September 1997 and its lists of dates.
        var from = D(1997, 9, 2);
        Assert.Equal([D(1997, 9, 2), D(1997, 9, 16), D(1997, 9, 30), D(1997, 10, 14), D(1997, 10, 28)], Dates("FREQ=WEEKLY;INTERVAL=2;WKST=SU", from, 5));
        Assert.Equal([D(1997, 9, 2), D(1997, 9, 4), D(1997, 9, 9), D(1997, 9, 11), D(1997, 9, 16)], Dates("FREQ=WEEKLY;BYDAY=TU,TH;WKST=SU", from, 5));
        Assert.Equal([D(1997, 9, 5), D(1997, 10, 3), D(1997, 11, 7), D(1997, 12, 5)], Dates("FREQ=MONTHLY;BYDAY=1FR;UNTIL=19971224", D(1997, 9, 5), 9));
        Assert.Equal([D(1997, 9, 28), D(1997, 10, 29), D(1997, 11, 28), D(1997, 12, 29)], Dates("FREQ=MONTHLY;BYMONTHDAY=-3", D(1997, 9, 28), 4));
        Assert.Equal([D(1996, 11, 5), D(2000, 11, 7), D(2004, 11, 2)], Dates("FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", D(1996, 11, 5), 3));
    }

    [Fact]
    public void The_thirty_first_comes_in_months_that_have_one()
    {
        // RFC 5545, 3.3.10: dates that do not exist are ignored, not moved.
        Assert.Equal([D(2027, 1, 31), D(2027, 3, 31), D(2027, 5, 31)], Dates("FREQ=MONTHLY", D(2027, 1, 31), 3));
        Assert.Equal([D(2028, 2, 29), D(2032, 2, 29)], Dates("FREQ=YEARLY", D(2028, 2, 29), 2));
    }

    [Fact]
    public void After_a_long_while_it_comes_on_its_own_day_again()
    {
        // Done three weeks late, a fortnightly task keeps to its fortnights.
        Assert.Equal(D(2027, 3, 29), TaskRepeats.Next("FREQ=WEEKLY;INTERVAL=2", D(2027, 3, 1), D(2027, 3, 24)));
        Assert.Equal(D(2027, 4, 12), TaskRepeats.Next("FREQ=WEEKLY;INTERVAL=2", D(2027, 3, 1), D(2027, 3, 29)));
        Assert.Null(TaskRepeats.Next("FREQ=DAILY;UNTIL=20270310", D(2027, 3, 1), D(2027, 3, 10)));
    }

    [Theory]
    [InlineData("FREQ=HOURLY")]
    [InlineData("FREQ=SECONDLY")]
    [InlineData("FREQ=DAILY;BYHOUR=9")]
    [InlineData("FREQ=DAILY;INTERVAL=0")]
    [InlineData("FREQ=DAILY;INTERVAL=100000")]
    [InlineData("FREQ=DAILY;COUNT=5")]
    [InlineData("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")]
    [InlineData("FREQ=SOMETIMES")]
    [InlineData("every week")]
    [InlineData("FREQ=WEEKLY;BYDAY=XX")]
    [InlineData("FREQ=DAILY;UNTIL=yesterday")]
    [InlineData("\0")]
    public void What_is_no_rule_for_days_is_said_to_be_none(string rule) => Assert.NotNull(TaskRepeats.Problem(rule, D(2027, 3, 1)));

    [Theory]
    [InlineData("FREQ=DAILY", "every day")]
    [InlineData("FREQ=WEEKLY;INTERVAL=2", "every 2 weeks")]
    [InlineData("FREQ=WEEKLY;BYDAY=MO,FR", "every week on Monday, Friday")]
    [InlineData("FREQ=MONTHLY;BYDAY=1FR", "again by a rule")]
    public void Rules_are_said_in_words(string rule, string words)
    {
        Assert.Null(TaskRepeats.Problem(rule, D(2027, 3, 1)));
        Assert.Equal(words, TaskRepeats.Words(rule));
    }
}
