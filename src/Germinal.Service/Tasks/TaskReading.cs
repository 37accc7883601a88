using Germinal.Core.Almanac;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tasks;

/// <summary>A task of a member's own.</summary>
/// <param name="Kind">call or task.</param>
/// <param name="Due">Its day, <c>YYYY-MM-DD</c>.</param>
/// <param name="Source">Where it came from, in words.</param>
/// <param name="Person">Whom it is about; null for nobody.</param>
/// <param name="MemberId">On whose sheet it stands; null for nobody's.</param>
/// <param name="Rule">When it comes again (RFC 5545); empty for once.</param>
/// <param name="Again">The same in words; null for once.</param>
/// <param name="DoneAt">When it was done; null while it is open.</param>
/// <param name="Outcome">How it ended.</param>
public sealed record OwnTaskDto(
    Guid Id,
    string Kind,
    string Title,
    string Due,
    string Source,
    PersonRef? Person,
    Guid? MemberId,
    string Rule,
    string? Again,
    string? DoneAt,
    string? Outcome
);

/// <summary>One task of a set.</summary>
/// <param name="Kind">call or task.</param>
/// <param name="Title">What is to be done.</param>
/// <param name="Days">Working days after the set is made.</param>
public sealed record TaskLineDto([AtMost(10)] string Kind, [AtMost(Lengths.Title)] string Title, int Days);

/// <summary>Tasks that are made together.</summary>
public sealed record TaskSetDto([AtMost(Lengths.Name)] string Name, [AtMost(Lengths.Title, Items = TaskReading.MostOfSet)] IReadOnlyList<TaskLineDto> Tasks);

/// <summary>Tasks as their page shows them.</summary>
/// <param name="InAll">How many there are; more than are here where there are very many.</param>
/// <param name="Tasks">Open ones by their day, or done ones, the last one first.</param>
/// <param name="Sets">What can be made together.</param>
public sealed record OwnTasksDto(string Now, string Zone, int InAll, IReadOnlyList<OwnTaskDto> Tasks, IReadOnlyList<TaskSetDto> Sets);

/// <summary>Reads members' own tasks.</summary>
public static class TaskReading
{
    /// <summary>As many as are shown at once.</summary>
    public const int Most = 300;

    /// <summary>As many tasks as a set holds.</summary>
    public const int MostOfSet = 40;

    /// <summary>As many sets as a practice keeps.</summary>
    public const int MostSets = 30;

    /// <summary>Reads them.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="member">Whose; null for everybody's.</param>
    /// <param name="done">Those that are done, else those that are open.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<OwnTasksDto> ReadAsync(GerminalDb db, Guid? member, bool done, Instant now, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var standsIn = CallDays.MemberOf(practice, null);
        // Posts are tasks too, and have a page of their own.
        var rows = db.Tasks.AsNoTracking().Where(t => t.DoneAt != null == done && t.Kind != "post");
        if (member is { } whose)
        {
            // One that is nobody's is the owner's of whom it is about, and else falls to whoever stands in for the practice.
            rows = rows.Where(t =>
                t.MemberId == whose
                || (t.MemberId == null && db.People.Any(p => p.Id == t.PersonId && p.OwnerId == whose))
                || (t.MemberId == null && whose == standsIn && !db.People.Any(p => p.Id == t.PersonId && p.OwnerId != null))
            );
        }

        var inAll = await rows.CountAsync(stop);
        var shown = await (done ? rows.OrderByDescending(t => t.DoneAt).ThenBy(t => t.Id) : rows.OrderBy(t => t.Due).ThenBy(t => t.Id)).Take(Most).ToListAsync(stop);
        var ids = shown.Select(t => t.PersonId).OfType<Guid>().Distinct().ToList();
        var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        return new OwnTasksDto(
            now.Iso(),
            practice.Zone.Id,
            inAll,
            [
                .. shown.Select(t => new OwnTaskDto(
                    t.Id,
                    t.Kind,
                    t.Title,
                    t.Due.Iso(),
                    t.Source,
                    t.PersonId is { } id ? new PersonRef(id, people[id]) : null,
                    t.MemberId,
                    t.Rule,
                    t.Rule.Length > 0 ? TaskRepeats.Words(t.Rule) : null,
                    t.DoneAt?.Iso(),
                    t.Outcome
                )),
            ],
            [.. settings.TaskSets.Select(s => new TaskSetDto(s.Name, [.. s.Tasks.Select(t => new TaskLineDto(t.Kind, t.Title, t.Days))]))]
        );
    }

    /// <summary>What is wrong with sets of tasks, by field; nothing where nothing is.</summary>
    public static IEnumerable<(string Field, string Message)> Wrong(IReadOnlyList<TaskSetDto> sets)
    {
        if (sets.Count > MostSets)
        {
            yield return ("sets", Say($"A practice keeps up to {MostSets} sets."));
        }

        foreach (var (set, i) in sets.Select((s, i) => (s, i)))
        {
            if (set.Name.Trim().Length == 0)
            {
                yield return ($"sets[{i}]", Said("Say what the set is for: a new client."));
            }
            else if (sets.Count(s => string.Equals(s.Name.Trim(), set.Name.Trim(), StringComparison.OrdinalIgnoreCase)) > 1)
            {
                yield return ($"sets[{i}]", Say($"“{set.Name}” stands there twice; each has a name of its own."));
            }

            foreach (var task in set.Tasks)
            {
                if (task.Kind is not ("call" or "task") || task.Title.Trim().Length == 0 || task.Days is < 0 or > 400)
                {
                    yield return ($"sets[{i}]", Said("Each line says what is to be done, a call or a task, and on which working day: 0 to 400 after the set is made."));
                    break;
                }
            }
        }
    }

    /// <summary>Sets as they are stored.</summary>
    public static List<TaskSetSettings> Stored(IReadOnlyList<TaskSetDto> sets) =>
        [
            .. sets.Select(s => new TaskSetSettings
            {
                Name = s.Name.Trim(),
                Tasks = [.. s.Tasks.Select(t => new TaskSetLine { Kind = t.Kind, Title = t.Title.Trim(), Days = t.Days })],
            }),
        ];
}
