using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 9.4, calls over days. Unit jobs with release dates and deadlines: Jackson 1955, Horn 1974; against brute force on small cases.</summary>
public sealed class CallSheetTests
{
    private static readonly LocalDate Monday = new(2027, 3, 1);

    private static FrozenDictionary<IsoDayOfWeek, int> Capacity(params int[] perDay) =>
        perDay.Select((n, i) => (Day: (IsoDayOfWeek)(i + 1), n)).ToFrozenDictionary(d => d.Day, d => d.n);

    private static Member Ada(FrozenDictionary<IsoDayOfWeek, int>? capacity, params Absence[] away) =>
        new(StableId.Of(Guid.Empty, "ada"), "Ada Quill", "ada@example.com") { Capacity = capacity, Absences = away };

    private static CallToPlace Call(int i, int day, int slack) => new(StableId.Of(Guid.Empty, $"call {i}"), Monday.PlusDays(day), slack);

    [Fact]
    public void Rule_9_4_a_call_stays_on_its_day_where_there_is_room_and_moves_by_working_days_where_there_is_none()
    {
        var calls = Enumerable.Range(0, 3).Select(i => Call(i, 4, 2)).ToList();
        var placed = CallSheet.Place(calls, Ada(Capacity(1, 1, 1, 1, 1)), WorkCalendar.MondayToFriday);
        // Friday, then Monday and Tuesday: a weekend is no slack used up.
        Assert.Equal([Monday.PlusDays(4), Monday.PlusDays(7), Monday.PlusDays(8)], placed.Select(p => p.Day).Order());
        Assert.All(placed, p => Assert.False(p.OverCapacity));
    }

    [Fact]
    public void Rule_9_4_what_cannot_fit_stays_on_its_last_day_marked()
    {
        var placed = CallSheet.Place(Enumerable.Range(0, 5).Select(i => Call(i, 0, 1)), Ada(Capacity(2, 1, 9, 9, 9)), WorkCalendar.MondayToFriday);
        Assert.Equal(2, placed.Count(p => p.Day == Monday && !p.OverCapacity));
        Assert.Equal(1, placed.Count(p => p.Day == Monday.PlusDays(1) && !p.OverCapacity));
        Assert.Equal(2, placed.Count(p => p.Day == Monday.PlusDays(1) && p.OverCapacity));
    }

    [Fact]
    public void Rule_9_4_a_member_without_a_capacity_calls_when_it_is_due() =>
        Assert.Equal([Monday, Monday], CallSheet.Place([Call(0, 0, 2), Call(1, 0, 2)], null, WorkCalendar.MondayToFriday).Select(p => p.Day));

    [Fact]
    public void Whoever_is_away_makes_no_calls_then()
    {
        // Away on Monday and Tuesday.
        var away = new Absence(Monday, Monday.PlusDays(1));
        LocalDate DayOf(Member member, int slack) => CallSheet.Place([Call(0, 0, slack)], member, WorkCalendar.MondayToFriday)[0].Day;
        Assert.Equal(Monday.PlusDays(2), DayOf(Ada(Capacity(5, 5, 5, 5, 5), away), 2));
        Assert.Equal(Monday.PlusDays(2), DayOf(Ada(null, away), 3));
        Assert.True(CallSheet.Place([Call(0, 0, 1)], Ada(null, away), WorkCalendar.MondayToFriday)[0].OverCapacity);
        Assert.True(CallSheet.Place([Call(0, 0, 1)], Ada(Capacity(5, 5, 5, 5, 5), away), WorkCalendar.MondayToFriday)[0].OverCapacity);

        // A weekend is no day to call on, however many she can make: from Friday to Monday.
        Assert.Equal(Monday.PlusDays(7), CallSheet.Place([Call(0, 4, 2)], Ada(null, new Absence(Monday.PlusDays(4), Monday.PlusDays(4))), WorkCalendar.MondayToFriday)[0].Day);
    }

    private static readonly Gen<(CallToPlace[] Calls, FrozenDictionary<IsoDayOfWeek, int> Capacity, WorkCalendar Calendar, Absence Away)> Cases = Gen.Select(
        Gen.Select(Gen.Int[0, 9], Gen.Int[0, 3]).Array[1, 8].Select(c => c.Select((x, i) => Call(i, x.Item1, x.Item2)).ToArray()),
        Gen.Int[0, 2].Array[7].Select(c => Capacity(c)),
        Gen.Int[0, 12].Select(d => WorkCalendar.MondayToFriday with { Holidays = new[] { Monday.PlusDays(d) }.ToFrozenSet() }),
        Gen.Select(Gen.Int[0, 12], Gen.Int[-1, 3]).Select(a => new Absence(Monday.PlusDays(a.Item1), Monday.PlusDays(a.Item1 + a.Item2)))
    );

    [Fact]
    public void Rule_9_4_no_day_is_over_capacity_wherever_any_assignment_exists() =>
        Cases.Sample(
            c =>
            {
                var ada = Ada(c.Capacity, c.Away);
                var placed = CallSheet.Place(c.Calls, ada, c.Calendar);
                Assert.Equal(c.Calls.Select(x => x.TouchId).Order(), placed.Select(p => p.TouchId).Order());
                var room = new Dictionary<LocalDate, int>();
                int RoomOn(LocalDate day) =>
                    room.TryGetValue(day, out var n) ? n
                    : c.Calendar.IsFree(day) || (day >= c.Away.From && day <= c.Away.Until) ? 0
                    : c.Capacity.GetValueOrDefault(day.DayOfWeek);
                LocalDate Last(CallToPlace call) => c.Calendar.WorkingDayAfter(call.Due, call.Slack)!.Value;
                Assert.All(
                    placed,
                    p => Assert.InRange(p.Day, c.Calls.Single(x => x.TouchId == p.TouchId).Due, Last(c.Calls.Single(x => x.TouchId == p.TouchId)))
                );
                foreach (var day in placed.Where(p => !p.OverCapacity).GroupBy(p => p.Day))
                {
                    Assert.True(day.Count() <= RoomOn(day.Key));
                }

                // By trying everything: the most calls that find a place.
                int Most(int i)
                {
                    if (i == c.Calls.Length)
                    {
                        return 0;
                    }

                    var best = Most(i + 1);
                    for (var day = c.Calls[i].Due; day <= Last(c.Calls[i]); day = day.PlusDays(1))
                    {
                        if (RoomOn(day) is var left and > 0)
                        {
                            room[day] = left - 1;
                            best = Math.Max(best, 1 + Most(i + 1));
                            room[day] = left;
                        }
                    }

                    return best;
                }

                var most = Most(0);
                var found = placed.Count(p => !p.OverCapacity);
                Assert.True(found <= most);
                Assert.Equal(most == c.Calls.Length, found == c.Calls.Length);
                // The order the calls come in does not matter.
                Assert.Equal(placed.ToHashSet(), CallSheet.Place(c.Calls.Reverse(), ada, c.Calendar).ToHashSet());
            },
            iter: 1500
        );

    [Fact]
    public void Rule_9_4_ten_thousand_calls_keep_every_capacity()
    {
        var random = new Random(7);
        var calls = Enumerable.Range(0, 10_000).Select(i => Call(i, random.Next(0, 365), random.Next(0, 5))).ToList();
        var capacity = Capacity(45, 45, 45, 45, 45);
        var placed = CallSheet.Place(calls, Ada(capacity), WorkCalendar.MondayToFriday);
        Assert.Equal(10_000, placed.Count);
        Assert.All(placed.Where(p => !p.OverCapacity).GroupBy(p => p.Day), d => Assert.True(d.Count() <= 45));
    }
}
