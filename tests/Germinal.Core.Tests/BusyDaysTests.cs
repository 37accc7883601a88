using System.Collections.Frozen;
using Germinal.Core.Practices;
using Germinal.Core.Results;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests;

public sealed class BusyDaysTests
{
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private static readonly LocalDate Monday = new(2027, 3, 8);

    private static readonly WorkCalendar Calendar = new([IsoDayOfWeek.Monday, IsoDayOfWeek.Tuesday, IsoDayOfWeek.Wednesday, IsoDayOfWeek.Thursday, IsoDayOfWeek.Friday], [], []);

    private static readonly WorkingHours Hours = WorkingHours.Usual(Calendar, Zone);

    private static Interval Busy(LocalDate day, int from, int until) => new((day + new LocalTime(from, 0)).InZoneStrictly(Zone).ToInstant(), (day + new LocalTime(until, 0)).InZoneStrictly(Zone).ToInstant());

    [Fact]
    public void What_is_taken_counts_once_and_only_within_the_hours()
    {
        // Nine to half past five: 510 minutes. Two that overlap take 10 to 13; what lies before nine takes nothing.
        var left = BusyDays.Of(Hours, [Busy(Monday, 10, 12), Busy(Monday, 11, 13), Busy(Monday, 6, 8)]);
        Assert.Equal(new FreeShare(330, 510), Assert.Single(left).Value);
    }

    [Fact]
    public void A_stretch_of_several_days_takes_each_of_them_but_no_free_day()
    {
        var friday = Monday.PlusDays(4);
        var left = BusyDays.Of(Hours, [new Interval((friday + new LocalTime(12, 0)).InZoneStrictly(Zone).ToInstant(), (Monday.PlusDays(7) + new LocalTime(11, 0)).InZoneStrictly(Zone).ToInstant())]);
        Assert.Equal([friday, Monday.PlusDays(7)], left.Keys.Order());
        Assert.Equal(180, left[friday].Free);
        Assert.Equal(390, left[Monday.PlusDays(7)].Free);
    }

    [Theory]
    [InlineData(10, 17, 1)]
    [InlineData(10, 13, 5)]
    [InlineData(9, 18, 0)]
    [InlineData(7, 8, 8)]
    public void There_is_room_for_the_share_that_is_left(int from, int until, int room)
    {
        var member = new Member(Guid.NewGuid(), "M", "m@example.com")
        {
            Capacity = new Dictionary<IsoDayOfWeek, int> { [IsoDayOfWeek.Monday] = 8 }.ToFrozenDictionary(),
            Busy = BusyDays.Of(Hours, [Busy(Monday, from, until)]),
        };
        Assert.Equal(room, member.RoomOn(Monday, Calendar));
        Assert.Equal(8, member.RoomOn(Monday.PlusDays(7), Calendar));
    }

    [Fact]
    public void Whoever_makes_as_many_as_there_are_makes_none_on_a_day_that_is_full()
    {
        var member = new Member(Guid.NewGuid(), "M", "m@example.com") { Busy = BusyDays.Of(Hours, [Busy(Monday, 8, 18), Busy(Monday.PlusDays(1), 9, 10)]) };
        Assert.Equal(0, member.RoomOn(Monday, Calendar));
        Assert.Null(member.RoomOn(Monday.PlusDays(1), Calendar));
    }

    /// <summary>Whatever is taken in whatever order, what is left is what a count minute by minute finds.</summary>
    [Fact]
    public void It_is_what_a_count_minute_by_minute_finds()
    {
        var random = new Random(14);
        for (var run = 0; run < 200; run++)
        {
            var start = Monday.AtStartOfDayInZone(Zone).ToInstant();
            var busy = Enumerable.Range(0, random.Next(1, 8)).Select(_ => start + Duration.FromMinutes(random.Next(0, 14 * 1440))).Select(s => new Interval(s, s + Duration.FromMinutes(random.Next(1, 2000)))).ToList();
            var left = BusyDays.Of(Hours, busy);
            for (var day = Monday; day < Monday.PlusDays(16); day = day.PlusDays(1))
            {
                if (Hours.On(day) is not { } open)
                {
                    Assert.False(left.ContainsKey(day));
                    continue;
                }

                var taken = 0;
                for (var minute = open.Start; minute < open.End; minute += Duration.FromMinutes(1))
                {
                    taken += busy.Any(b => b.Start <= minute && b.End > minute) ? 1 : 0;
                }

                Assert.Equal(taken, left.TryGetValue(day, out var share) ? share.Of - share.Free : 0);
            }
        }
    }
}

public sealed class StretchesTests
{
    [Fact]
    public void What_touches_or_overlaps_becomes_one_and_what_lies_outside_is_cut_off()
    {
        Assert.Equal([0, 12, 20, 60], Stretches.Join([0, 10, 20, 30], [10, 12, 25, 90], 60, 20));
        Assert.Equal([], Stretches.Join([], [5, 5, 9, 3, -4, -1, 70, 80], 60, 20));
        Assert.Equal("0:00 to 0:42, 1:10 to 1:20", Stretches.Words([0, 42, 70, 80]));
        Assert.Equal(52, Stretches.Length([0, 42, 70, 80]));
    }

    [Fact]
    public void More_than_are_kept_are_joined_where_they_are_nearest() => Assert.Equal([0, 1, 10, 14, 40, 41], Stretches.Join([0, 1, 10, 11], [13, 14, 40, 41], 60, 3));

    /// <summary>Whatever is put together in whatever order, each second that was seen is seen once.</summary>
    [Fact]
    public void Each_second_that_was_seen_is_seen()
    {
        var random = new Random(7);
        for (var run = 0; run < 300; run++)
        {
            var (some, others) = (Some(random), Some(random));
            var seconds = Enumerable.Range(0, 60).Where(s => In(some, s) || In(others, s)).ToList();
            var joined = Stretches.Join(some, others, 60, 100);
            Assert.Equal(seconds, Enumerable.Range(0, 60).Where(s => In(joined, s)));
            Assert.Equal(seconds.Count, Stretches.Length(joined));
            Assert.Equal(joined, Stretches.Join(others, some, 60, 100));
        }
    }

    private static int[] Some(Random random) => [.. Enumerable.Range(0, 2 * random.Next(6)).Select(_ => random.Next(-5, 70))];

    private static bool In(IReadOnlyList<int> stretches, int second) => Enumerable.Range(0, stretches.Count / 2).Any(i => stretches[2 * i] <= second && second < stretches[(2 * i) + 1]);
}
