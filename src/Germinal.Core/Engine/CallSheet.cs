using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>A call to be put on a day of one member's sheets.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="Due">The date it is due.</param>
/// <param name="Slack">Working days by which it may move.</param>
public sealed record CallToPlace(Guid TouchId, LocalDate Due, int Slack);

/// <summary>A call's day.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="Day">The date.</param>
/// <param name="OverCapacity">True when it fits nowhere and stays on its last day.</param>
public sealed record PlacedCall(Guid TouchId, LocalDate Day, bool OverCapacity);

/// <summary>
/// Rule 9.4: calls over days. Unit jobs with release dates and deadlines: taking the day's calls by the earliest last day is
/// optimal (Jackson 1955; Horn 1974), so no day exceeds capacity wherever any such assignment exists.
/// </summary>
public static class CallSheet
{
    /// <summary>Places one member's calls.</summary>
    /// <param name="calls">The calls in any order; of equal ones the smaller id goes first, so that the order does not matter.</param>
    /// <param name="member">Whose they are: what they can make on each week day, and when they are away. Null, or a member without a capacity: as many as there are.</param>
    /// <param name="calendar">The practice's working days. A call can be made on its due date and on working days after it.</param>
    public static IReadOnlyList<PlacedCall> Place(IEnumerable<CallToPlace> calls, Member? member, WorkCalendar calendar)
    {
        var jobs = calls
            .Select(c => (Call: c, Last: calendar.WorkingDayAfter(c.Due, c.Slack) ?? c.Due))
            .OrderBy(j => j.Call.Due)
            .ThenBy(j => j.Call.TouchId)
            .ToList();
        var placed = new List<PlacedCall>(jobs.Count);
        if (member?.Capacity is null)
        {
            return [.. jobs.Select(j => FirstThere(j.Call, member, calendar) is { } there ? new PlacedCall(j.Call.TouchId, there, false) : new PlacedCall(j.Call.TouchId, j.Last, true))];
        }

        var waiting = new PriorityQueue<(CallToPlace Call, LocalDate Last), (LocalDate Last, LocalDate Due, Guid Id)>();
        var next = 0;
        var day = jobs.Count > 0 ? jobs[0].Call.Due : default;
        while (next < jobs.Count || waiting.Count > 0)
        {
            if (waiting.Count == 0)
            {
                day = LocalDate.Max(day, jobs[next].Call.Due);
            }

            for (; next < jobs.Count && jobs[next].Call.Due <= day; next++)
            {
                waiting.Enqueue(jobs[next], (jobs[next].Last, jobs[next].Call.Due, jobs[next].Call.TouchId));
            }

            PlaceDay(waiting, day, member.RoomOn(day, calendar)!.Value, placed);
            day = day.PlusDays(1);
        }

        return placed;
    }

    private static void PlaceDay(
        PriorityQueue<(CallToPlace Call, LocalDate Last), (LocalDate Last, LocalDate Due, Guid Id)> waiting,
        LocalDate day,
        int room,
        List<PlacedCall> placed
    )
    {
        while (waiting.TryPeek(out var job, out _))
        {
            if (job.Last < day || (room == 0 && job.Last == day))
            {
                // It fits nowhere: it stays on its last day.
                waiting.Dequeue();
                placed.Add(new PlacedCall(job.Call.TouchId, job.Last, true));
            }
            else if (room > 0)
            {
                waiting.Dequeue();
                placed.Add(new PlacedCall(job.Call.TouchId, day, false));
                room--;
            }
            else
            {
                break;
            }
        }
    }

    /// <summary>The first day on which a call can be made and its member is there; null where they are away on all of them.</summary>
    internal static LocalDate? FirstThere(CallToPlace call, Member? member, WorkCalendar calendar)
    {
        for (var n = 0; n <= call.Slack; n++)
        {
            if (calendar.WorkingDayAfter(call.Due, n) is { } day && member?.IsAway(day) != true)
            {
                return day;
            }
        }

        return null;
    }
}
