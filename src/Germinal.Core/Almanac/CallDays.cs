using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Almanac;

/// <summary>A call that stands on the day sheet already, or is foreseen.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="OwnerId">Who looks after the person; null for nobody.</param>
/// <param name="Due">The date it is due, on the practice's clock.</param>
/// <param name="Slack">Working days by which it may move (rule 9.4).</param>
public sealed record CallAhead(Guid TouchId, Guid? OwnerId, LocalDate Due, int Slack);

/// <summary>A call on the day that rule 9.4 gives it.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="MemberId">On whose sheet; null where the practice has nobody for it.</param>
/// <param name="Day">The day.</param>
/// <param name="OverCapacity">True where it fits on none of its days.</param>
public sealed record CallOnDay(Guid TouchId, Guid? MemberId, LocalDate Day, bool OverCapacity);

/// <summary>Rule 9.4 over the days ahead: everybody's calls on days, against what each can make.</summary>
public static class CallDays
{
    /// <summary>Gives each call its day on its member's sheet.</summary>
    /// <param name="practice">Members, their capacity, and the working days.</param>
    /// <param name="calls">The calls in any order.</param>
    public static IReadOnlyList<CallOnDay> Place(Practice practice, IEnumerable<CallAhead> calls) =>
        [
            .. calls
                .Select(c => OnSheetOf(practice, c))
                .GroupBy(c => c.Member?.Id)
                .SelectMany(g =>
                    CallSheet.Place(g.Select(c => c.Call), g.First().Member, practice.Calendar).Select(p => new CallOnDay(p.TouchId, g.Key, p.Day, p.OverCapacity))
                ),
        ];

    private static (CallToPlace Call, Member? Member) OnSheetOf(Practice practice, CallAhead ahead)
    {
        var call = new CallToPlace(ahead.TouchId, ahead.Due, ahead.Slack);
        return (call, SheetOf(practice, MemberNamed(practice, MemberOf(practice, ahead.OwnerId)), call));
    }

    private static Member? MemberNamed(Practice practice, Guid? id) => id is null ? null : practice.Members.FirstOrDefault(m => m.Id == id);

    /// <summary>
    /// On whose sheet a call is: its member's where they are there on one of the days it can be made, else on their deputy's, the deputy's deputy's
    /// where that one is away too; where nobody of them is there it stays with its member.
    /// </summary>
    private static Member? SheetOf(Practice practice, Member? member, CallToPlace call)
    {
        var asked = new HashSet<Guid>();
        for (var one = member; one is not null && asked.Add(one.Id); one = MemberNamed(practice, one.DeputyId))
        {
            if (one.Absences.Count == 0 || CallSheet.FirstThere(call, one, practice.Calendar) is not null)
            {
                return one;
            }
        }

        return member;
    }

    /// <summary>For whom a member stands in on a date: those who are away then, and whose first deputy who is there they are.</summary>
    public static IReadOnlyList<Guid> StandsInFor(Practice practice, Guid member, LocalDate date)
    {
        Guid? Deputy(Member away)
        {
            var asked = new HashSet<Guid>();
            for (var one = away; one is not null && asked.Add(one.Id); one = MemberNamed(practice, one.DeputyId))
            {
                if (!one.IsAway(date))
                {
                    return one.Id;
                }
            }

            return null;
        }

        return [.. practice.Members.Where(m => m.Id != member && m.IsAway(date) && Deputy(m) == member).Select(m => m.Id)];
    }

    /// <summary>Whose sheet somebody's call is on: that of whoever signs for them; null for nobody's.</summary>
    public static Guid? MemberOf(Practice practice, Guid? owner) => practice.SenderFor(owner)?.Id;

    /// <summary>By how many working days a call may move.</summary>
    public static int SlackOf(Step step) => (step as CallStep)?.Slack.WholeDays ?? 0;

    /// <summary>A call that stands on the day sheet, as it is placed: one that a member has moved stands on that day, another may move by its slack.</summary>
    /// <param name="practice">The practice, for its clock and calendar.</param>
    /// <param name="touchId">The touch.</param>
    /// <param name="owner">Who looks after the person; null for nobody.</param>
    /// <param name="step">Its step.</param>
    /// <param name="firstDue">When it was first due.</param>
    /// <param name="movedTo">The day to which a member has moved it; null where that is its own.</param>
    /// <param name="today">Today, on the practice's clock.</param>
    public static CallAhead OnSheet(Practice practice, Guid touchId, Guid? owner, Step step, Instant firstDue, LocalDate? movedTo, LocalDate today)
    {
        var (day, slack) = FromToday(movedTo ?? firstDue.InZone(practice.Zone).Date, movedTo is null ? SlackOf(step) : 0, today, practice.Calendar);
        return new CallAhead(touchId, owner, day, slack);
    }

    /// <summary>A call that is due already can be made from today on, up to the same last day.</summary>
    /// <param name="due">The date it is due.</param>
    /// <param name="slack">Working days by which it may move.</param>
    /// <param name="today">Today, on the practice's clock.</param>
    /// <param name="calendar">The practice's working days.</param>
    /// <returns>The first day it can be made, and by how many working days it may move from there.</returns>
    private static (LocalDate Day, int Slack) FromToday(LocalDate due, int slack, LocalDate today, WorkCalendar calendar)
    {
        if (due >= today)
        {
            return (due, slack);
        }

        var last = calendar.WorkingDayAfter(due, slack) ?? due;
        var left = 0;
        while (left < slack && calendar.WorkingDayAfter(today, left + 1) is { } next && next <= last)
        {
            left++;
        }

        return (today, left);
    }
}
