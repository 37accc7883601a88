using CsCheck;
using Germinal.Core.Appointments;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests.Appointments;

/// <summary>The times that can be chosen.</summary>
public sealed class FreeTimesTests
{
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];

    // Monday, a quarter past eight.
    private static readonly Instant Now = Instant.FromUtc(2027, 3, 1, 13, 15);

    private static FreeHours Hours(int minutes = 60, int gap = 0, int notice = 24, int? most = null, int ahead = 7, params (IsoDayOfWeek Day, int From, int To)[] spans) =>
        new(
            spans.GroupBy(s => s.Day).ToDictionary(g => g.Key, g => (IReadOnlyList<(LocalTime, LocalTime)>)[.. g.Select(s => (new LocalTime(s.From, 0), new LocalTime(s.To, 0)))]),
            minutes,
            gap,
            Duration.FromHours(notice),
            most,
            ahead
        );

    private static string[] Said(IEnumerable<Instant> times) => [.. times.Select(t => t.InZone(Zone).ToString("ddd HH:mm", System.Globalization.CultureInfo.InvariantCulture))];

    private static IReadOnlyList<Instant> Of(FreeHours free, params Taken[] taken) => FreeTimes.Of(free, WorkCalendar.MondayToFriday, [], taken, Zone, Now);

    private static Taken Meeting(int day, int hour, int minute = 0, int minutes = 60)
    {
        var at = LocalClock.At(new LocalDate(2027, 3, day) + new LocalTime(hour, minute), Zone);
        return new Taken(at, at + Duration.FromMinutes(minutes));
    }

    [Fact]
    public void Are_those_within_the_hours_after_the_notice()
    {
        var free = Hours(spans: [(IsoDayOfWeek.Monday, 9, 12), (IsoDayOfWeek.Tuesday, 8, 10), (IsoDayOfWeek.Tuesday, 14, 15)]);
        Assert.Equal(["Tue 09:00", "Tue 14:00", "Mon 09:00", "Mon 10:00", "Mon 11:00"], Said(Of(free)));
    }

    [Fact]
    public void Leave_out_what_is_taken_with_the_gap_around_it()
    {
        var free = Hours(minutes: 30, gap: 15, notice: 0, ahead: 1, spans: [(IsoDayOfWeek.Tuesday, 9, 12)]);
        Assert.Equal(["Tue 09:00", "Tue 09:45", "Tue 10:30", "Tue 11:15"], Said(Of(free)));

        // Ten to half past: a quarter of an hour before and after it stays free too.
        Assert.Equal(["Tue 09:00", "Tue 11:15"], Said(Of(free, Meeting(2, 10, 0, 30))));
    }

    [Fact]
    public void End_where_a_day_has_as_many_as_they_take()
    {
        var free = Hours(most: 1, ahead: 8, notice: 0, spans: [(IsoDayOfWeek.Tuesday, 9, 12)]);
        Assert.Equal(["Tue 09:00", "Tue 10:00", "Tue 11:00"], Said(Of(free, Meeting(2, 16))));
    }

    [Fact]
    public void Are_none_on_holidays_closing_days_and_while_away()
    {
        var free = Hours(notice: 0, ahead: 28, spans: [(IsoDayOfWeek.Tuesday, 9, 10)]);
        var calendar = WorkCalendar.MondayToFriday with { Closed = System.Collections.Frozen.FrozenSet.Create(new LocalDate(2027, 3, 2)) };
        (LocalDate, LocalDate)[] away = [(new LocalDate(2027, 3, 8), new LocalDate(2027, 3, 9))];
        Assert.Equal([16, 23], FreeTimes.Of(free, calendar, away, [], Zone, Now).Select(t => t.InZone(Zone).Day));
    }

    [Fact]
    public void Are_as_long_as_ever_where_the_clock_is_put_forward()
    {
        // Sunday 14 March 2027: two o'clock is three.
        var free = Hours(minutes: 60, notice: 0, ahead: 14, spans: [(IsoDayOfWeek.Sunday, 1, 4)]);
        Assert.Equal(["Sun 01:00", "Sun 02:00", "Sun 03:00", "Sun 01:00", "Sun 03:00"], Said(Of(free)));
    }

    private static readonly Gen<(FreeHours Free, Taken[] Taken)> Any = Gen.Select(
        Gen.Int[5, 120],
        Gen.Int[0, 30],
        Gen.Int[0, 72],
        Gen.Int[1, 4],
        Gen.Select(Gen.Int[1, 7], Gen.Int[0, 22], Gen.Int[1, 23]).Where(s => s.Item3 > s.Item2).List[0, 6],
        Gen.Select(Gen.Int[1, 20], Gen.Int[0, 23], Gen.Int[0, 59], Gen.Int[5, 180]).List[0, 12],
        (minutes, gap, notice, most, spans, taken) =>
            (
                Hours(minutes, gap, notice, most, 20, [.. spans.Select(s => ((IsoDayOfWeek)s.Item1, s.Item2, s.Item3))]),
                taken.Select(t => Meeting(t.Item1, t.Item2, t.Item3, t.Item4)).ToArray()
            )
    );

    [Fact]
    public void Never_meet_anything_and_keep_notice_hours_and_order() =>
        Any.Sample(given =>
        {
            var (free, taken) = given;
            var times = Of(free, taken);
            var (length, gap) = (Duration.FromMinutes(free.Minutes), Duration.FromMinutes(free.GapMinutes));
            foreach (var at in times)
            {
                var local = at.InZone(Zone);
                Assert.True(at >= Now + free.Notice);

                // By moments: hours that end at two on the night when two is three end at that moment, whatever it is called.
                Assert.Contains(free.Hours[local.DayOfWeek], s => local.TimeOfDay >= s.From && at + length <= (local.Date + s.To).InZoneLeniently(Zone).ToInstant());
                Assert.DoesNotContain(taken, t => t.Start < at + length + gap && t.End > at - gap);
                Assert.True(taken.Count(t => t.Start.InZone(Zone).Date == local.Date) < free.MostADay);
            }

            Assert.Equal(times.Order().Distinct(), times);
        });

    [Fact]
    public void Whoever_takes_one_after_the_other_never_takes_two_that_meet_nor_too_many_a_day() =>
        Any.Sample(given =>
        {
            var (free, taken) = (given.Free, given.Taken.ToList());
            var length = Duration.FromMinutes(free.Minutes);
            var made = new List<Taken>();
            for (var i = 0; i < 12 && Of(free, [.. taken]) is { Count: > 0 } times; i++)
            {
                var at = times[i * 7 % times.Count];
                Assert.True(FreeTimes.Is(free, WorkCalendar.MondayToFriday, [], taken, Zone, Now, at));
                Assert.DoesNotContain(made, m => m.Start < at + length && m.End > at);
                made.Add(new Taken(at, at + length));
                taken.Add(made[^1]);
                Assert.False(FreeTimes.Is(free, WorkCalendar.MondayToFriday, [], taken, Zone, Now, at));
            }

            Assert.All(made.GroupBy(m => m.Start.InZone(Zone).Date), g => Assert.True(g.Count() <= free.MostADay));
        });
}
