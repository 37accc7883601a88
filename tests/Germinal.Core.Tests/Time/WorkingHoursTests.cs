using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests.Time;

/// <summary>Rule 17.6: waiting is counted in the hours in which the practice is reached.</summary>
public sealed class WorkingHoursTests
{
    private static readonly WorkingHours Usual = WorkingHours.Usual(
        WorkCalendar.MondayToFriday with
        {
            Holidays = new[] { new LocalDate(2027, 5, 31) }.ToFrozenSet(),
        },
        Given.NewYork
    );

    private static Instant At(string local) => LocalClock.At(NodaTime.Text.LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(local).Value, Given.NewYork);

    [Theory]
    [InlineData("2027-05-26T10:00", "2027-05-26T12:30", 2.5)]
    [InlineData("2027-05-26T07:00", "2027-05-26T09:30", 0.5)]
    [InlineData("2027-05-26T17:00", "2027-05-27T09:15", 0.75)]
    [InlineData("2027-05-28T17:00", "2027-06-01T10:00", 1.5)] // Over a weekend and a holiday.
    [InlineData("2027-05-29T03:00", "2027-05-30T23:00", 0)]
    [InlineData("2027-05-26T12:00", "2027-05-26T11:00", 0)]
    public void Only_the_hours_of_working_days_count(string from, string until, double hours) =>
        Assert.Equal(Duration.FromHours(hours), Usual.Between(At(from), At(until)));

    [Theory]
    [InlineData("2027-05-26T16:30", 2, "2027-05-27T10:00")]
    [InlineData("2027-05-28T17:00", 1, "2027-06-01T09:30")]
    [InlineData("2027-05-29T12:00", 0, "2027-06-01T09:00")]
    public void So_much_later_is_at_the_next_of_its_hours(string from, double hours, string then) =>
        Assert.Equal(At(then), Usual.After(At(from), Duration.FromHours(hours)));

    [Fact]
    public void A_practice_that_is_never_reached_lets_nobody_wait_and_never_comes_to_it()
    {
        var never = Usual with { Hours = FrozenDictionary<IsoDayOfWeek, (LocalTime From, LocalTime To)>.Empty };
        Assert.Equal(Duration.Zero, never.Between(At("2027-05-26T10:00"), At("2027-07-26T10:00")));
        Assert.Null(never.After(At("2027-05-26T10:00"), Duration.FromHours(1)));
        Assert.False(never.AreOpen(At("2027-05-26T10:00")));
    }

    [Fact]
    public void Counted_minute_by_minute_it_is_the_same_over_changes_of_clocks_too() =>
        Gen.Int[0, 20 * 1440]
            .Select(Gen.Int[0, 3 * 1440], Gen.Int[0, 22], Gen.Int[1, 23])
            .Sample(
                (begin, length, opens, lasts) =>
                {
                    // Around 14 March 2027, when New York's clocks go forward at two.
                    var from = At("2027-03-05T00:00") + Duration.FromMinutes(begin);
                    var until = from + Duration.FromMinutes(length);
                    var to = Math.Min(23, opens + lasts);
                    var hours = Usual with
                    {
                        Calendar = WorkCalendar.MondayToFriday with { WorkingDays = Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None && d != IsoDayOfWeek.Tuesday).ToFrozenSet() },
                        Hours = Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None).ToFrozenDictionary(d => d, _ => (new LocalTime(opens, 0), new LocalTime(to, 0))),
                    };
                    var counted = Enumerable.Range(0, length).Count(m => hours.AreOpen(from + Duration.FromMinutes(m)));
                    var waited = hours.Between(from, until);
                    var after = hours.After(from, waited);
                    return waited == Duration.FromMinutes(counted) && (waited == Duration.Zero || (after <= until && hours.Between(from, after!.Value) == waited));
                },
                iter: 300
            );
}
