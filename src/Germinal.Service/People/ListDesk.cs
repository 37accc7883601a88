using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Service.Programs;
using Germinal.Service.Segments;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>A list and how it came to be.</summary>
/// <param name="Name">Its name.</param>
/// <param name="People">How many are on it, archived people left out as everywhere.</param>
/// <param name="From">What it was made from, in words; null for one kept by hand from the start.</param>
/// <param name="By">Who made it; null where nobody remembers.</param>
/// <param name="CreatedAt">When; null where nobody remembers.</param>
/// <param name="Uses">The programs and segments that ask for it, put people on it or start by it.</param>
public sealed record KeptList(string Name, int People, string? From, string? By, Instant? CreatedAt, IReadOnlyList<string> Uses);

/// <summary>Lists: people kept together by hand. Who is on one stands with each person.</summary>
public static class ListDesk
{
    /// <summary>Every list there is: those that were made, and those people are on.</summary>
    public static async Task<IReadOnlyList<KeptList>> AllAsync(GerminalDb db, CancellationToken stop)
    {
        var made = await db.Lists.AsNoTracking().ToListAsync(stop);
        var counts = await db
            .Database.SqlQuery<Counted>(
                $"""
                SELECT min(l) AS "Name", (count(*) FILTER (WHERE NOT p.archived))::int AS "People" FROM people p, unnest(p.lists) l
                WHERE p.practice_id = {db.PracticeId} GROUP BY lower(l)
                """
            )
            .ToListAsync(stop);
        var askers = await AskersAsync(db, stop);
        return
        [
            .. made.Select(m => m.Name)
                .Concat(counts.Select(c => c.Name))
                .Distinct(StringComparer.OrdinalIgnoreCase)
                .Order(StringComparer.OrdinalIgnoreCase)
                .Select(name =>
                {
                    var row = made.FirstOrDefault(m => Same(m.Name, name));
                    return new KeptList(name, counts.FirstOrDefault(c => Same(c.Name, name))?.People ?? 0, row?.From, row?.By, row?.CreatedAt, UsesOf(askers, name));
                }),
        ];
    }

    /// <summary>Who asks for lists by name: programs as they are written now or are on, and segments.</summary>
    /// <returns>By the list's name, regardless of case: the names of those who ask.</returns>
    public static async Task<ILookup<string, string>> AskersAsync(GerminalDb db, CancellationToken stop)
    {
        var programs = (await ProgramTexts.AllAsync(db, stop)).SelectMany(p =>
            ProgramFile.Read(p.Text).Program is { } program ? NamedIn(program).Select(list => (List: list, By: p.Name)) : []
        );
        var rows = await db.Segments.AsNoTracking().Select(s => new { s.Name, s.Rule }).ToListAsync(stop);
        var segments = rows.SelectMany(s => NamedIn(SegmentShelf.Read(s.Rule)).Select(list => (List: list, By: s.Name)));
        return programs.Concat(segments).ToLookup(a => a.List, a => a.By, StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>Those of them who ask for one list.</summary>
    public static IReadOnlyList<string> UsesOf(ILookup<string, string> askers, string name) => [.. askers[name].Distinct().Order(StringComparer.OrdinalIgnoreCase)];

    private static IEnumerable<string> NamedIn(ProgramDefinition program) =>
        program
            .Rules.SelectMany(NamedIn)
            .Concat(program.StartsWhen.OfType<ListJoined>().Select(t => t.List))
            .Concat(program.StopsWhen.OfType<StopOnListLeft>().Select(s => s.List))
            .Concat(
                program
                    .AllSteps.OfType<ChangeStep>()
                    .SelectMany(c => c.Set)
                    .Select(set =>
                        set switch
                        {
                            JoinList join => join.List,
                            LeaveList leave => leave.List,
                            _ => null,
                        }
                    )
                    .OfType<string>()
            );

    private static IEnumerable<string> NamedIn(Rule rule) => rule.Leaves.Where(l => l.Field == "lists").SelectMany(l => l.Values);

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);

    private sealed record Counted(string Name, int People);
}
