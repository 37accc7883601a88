using Germinal.Core.Time;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using NodaTime;

namespace Germinal.Core.Tests.Time;

public sealed class CalendarTests
{
    [Theory]
    [InlineData(LeapDay.Feb28, 2027, "2027-02-28")]
    [InlineData(LeapDay.Mar1, 2027, "2027-03-01")]
    [InlineData(LeapDay.Feb28, 2028, "2028-02-29")]
    [InlineData(LeapDay.Mar1, 2028, "2028-02-29")]
    public void Rule_4_1_29_February_in_a_common_year(LeapDay leapDay, int year, string expected) =>
        Assert.Equal(expected, NodaTime.Text.LocalDatePattern.Iso.Format(YearlyDate.TryParse("--02-29")!.Value.In(year, leapDay)));

    [Theory]
    [InlineData("1990-02-28"), InlineData("--02-29"), InlineData("2024-02-29"), InlineData("--12-31")]
    public void Rule_4_1_both_forms_of_a_yearly_date_read_and_write_back(string text) => Assert.Equal(text, YearlyDate.TryParse(text).ToString());

    [Theory]
    [
        InlineData("2027-02-29"),
        InlineData("--02-30"),
        InlineData("2027-02-30"),
        InlineData("--13-01"),
        InlineData("--00-10"),
        InlineData("12-24"),
        InlineData("")
    ]
    public void Rule_4_1_a_day_there_is_not_is_refused(string text) => Assert.Null(YearlyDate.TryParse(text));

    /// <summary>RFC 5545 §3.8.5.3, yearly rules, with Ical.Net as the reference.</summary>
    [Theory]
    [InlineData(1997, 6, 10), InlineData(1997, 9, 2), InlineData(2000, 1, 31), InlineData(2004, 12, 31)]
    public void Rule_4_1_a_yearly_date_comes_back_as_RFC_5545_says(int year, int month, int day)
    {
        var calendarEvent = new CalendarEvent
        {
            Start = new CalDateTime(year, month, day),
            RecurrenceRule = new RecurrenceRule(Ical.Net.FrequencyType.Yearly, 1),
        };
        var reference = calendarEvent.GetOccurrences().Take(12).Select(o => LocalDate.FromDateTime(o.Period.StartTime.Value)).ToList();
        var date = new YearlyDate(month, day, year);
        Assert.Equal(reference, Enumerable.Range(year, 12).Select(y => date.In(y, LeapDay.Feb28)));
    }

    /// <summary>US federal holidays of 2027 (5 U.S.C. 6103, from memory), and PublicHoliday as the reference for the observed ones.</summary>
    [Fact]
    public void Rule_1_6_a_working_day_is_no_federal_holiday()
    {
        string[] expected = ["01-01", "01-18", "02-15", "05-31", "06-18", "07-05", "09-06", "10-11", "11-11", "11-25", "12-24"];
        var reference = new PublicHoliday.USAPublicHoliday()
            .PublicHolidays(2027)
            .Select(d => d.ToString("MM-dd", System.Globalization.CultureInfo.InvariantCulture))
            .Order()
            .ToList();
        Assert.Equal(expected, reference.Where(expected.Contains));
        var calendar = WorkCalendar.MondayToFriday with
        {
            Holidays = System.Collections.Frozen.FrozenSet.ToFrozenSet(expected.Select(d => NodaTime.Text.LocalDatePattern.Iso.Parse("2027-" + d).Value)),
        };
        Assert.All(calendar.Holidays, d => Assert.False(calendar.IsWorkingDay(d)));
        Assert.Equal(new LocalDate(2027, 7, 6), calendar.WorkingDayAfter(new LocalDate(2027, 7, 2), 1));
        Assert.Equal(new LocalDate(2027, 3, 8), calendar.WorkingDayAfter(new LocalDate(2027, 3, 3), 3));
    }
}
