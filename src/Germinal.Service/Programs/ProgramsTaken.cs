using System.Collections.Frozen;
using System.Globalization;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>What became of one program file.</summary>
/// <param name="File">The file's name, as it came.</param>
/// <param name="Id">The program it is now, being written; null where the file could not be read.</param>
/// <param name="Name">What that is called here; null where the file could not be read.</param>
/// <param name="Findings">What is wrong with the file, or what its program still needs here.</param>
public sealed record ProgramTaken(string File, Guid? Id, string? Name, IReadOnlyList<Finding> Findings);

/// <summary>
/// Programs that come in as files (<c>germinal.program/1</c>): each becomes a program being written. Files come one by one, so that a wrong
/// one keeps nobody else's out; a name that is taken gets a number, and programs of one lot that go on with each other still do.
/// </summary>
/// <param name="db">A context of the practice, with a transaction.</param>
/// <param name="desk">For what a program still needs here.</param>
/// <param name="by">Whose draft it is.</param>
/// <param name="owner">Whose program it becomes.</param>
/// <param name="now">The practice's moment.</param>
public sealed class ProgramsTaken(GerminalDb db, ProgramDesk desk, string by, Guid owner, Instant now)
{
    /// <summary>The most letters a program's name has.</summary>
    public const int LongestName = 80;

    /// <summary>What is said of a name that is none, or too long.</summary>
    public static string NameProblem { get; } = Say($"A program needs a name of up to {LongestName} letters.");

    /// <summary>Takes in files.</summary>
    /// <param name="files">Each by name and text.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<IReadOnlyList<ProgramTaken>> TakeAsync(IReadOnlyList<(string File, string Text)> files, CancellationToken stop)
    {
        var readings = files.Select(f => (f.File, Reading: Read(f.Text))).ToList();
        var taken = (await db.Programs.AsNoTracking().Select(p => p.Name).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var called = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var rows = new List<(string File, ProgramRow? Row, IReadOnlyList<Finding> Errors)>();
        foreach (var (file, reading) in readings)
        {
            if (reading.Program is not { } program)
            {
                rows.Add((file, null, reading.Errors));
                continue;
            }

            var name = FreeName(program.Name, taken);
            taken.Add(name);

            // Of two of one name in a lot the first keeps what the others call it.
            called.TryAdd(program.Name, name);
            var row = new ProgramRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = db.PracticeId!.Value,
                Name = name,
                Draft = ProgramFile.Write(program with { Name = name, Questions = [], Segments = FrozenDictionary<string, Core.Rules.Rule>.Empty }).ToJsonString(),
                DraftBy = by,
                OwnerId = owner,
                CreatedAt = now,
            };
            rows.Add((file, row, []));
            await MakeSegmentsAsync(program, stop);
        }

        foreach (var row in rows.Select(r => r.Row).OfType<ProgramRow>())
        {
            row.Draft = Renamed(row.Draft, called);
            db.Programs.Add(row);
        }

        await db.SaveChangesAsync(stop);
        var told = new List<ProgramTaken>();
        foreach (var (file, row, errors) in rows)
        {
            told.Add(
                row is null
                    ? new ProgramTaken(file, null, null, errors)
                    : new ProgramTaken(file, row.Id, row.Name, await desk.FindingsAsync(db, row.Id, ProgramFile.Read(row.Draft).Program!, stop))
            );
        }

        return told;
    }

    /// <summary>Makes the segments a file brings along, where the practice has none of their names.</summary>
    private async Task MakeSegmentsAsync(ProgramDefinition program, CancellationToken stop)
    {
        foreach (var (name, rule) in program.Segments)
        {
#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
            var lower = name.ToLowerInvariant();
            var known = await db.Segments.AnyAsync(s => s.MemberId == null && s.Name.ToLower() == lower, stop);
#pragma warning restore CA1862, CA1311, CA1304, MA0011
            if (!known && !db.Segments.Local.Any(s => string.Equals(s.Name, name, StringComparison.OrdinalIgnoreCase)))
            {
                db.Segments.Add(
                    new SegmentRow
                    {
                        Id = Guid.CreateVersion7(),
                        PracticeId = db.PracticeId!.Value,
                        Name = name,
                        Rule = RuleReader.Write(rule).ToJsonString(),
                        By = by,
                        CreatedAt = now,
                    }
                );
            }
        }
    }

    private static ProgramReading Read(string text)
    {
        // Files written on some machines begin with a mark of their encoding.
        var reading = ProgramFile.Read(text.TrimStart('\uFEFF'));
        if (reading.Program is { } program && program.Name.Length is 0 or > LongestName)
        {
            return new ProgramReading(null, [new Finding("/name", NameProblem)]);
        }

        return reading;
    }

    /// <summary>The name, or the first with a number that nobody has.</summary>
    public static string FreeName(string name, IReadOnlySet<string> taken)
    {
        for (var number = 2; ; number++)
        {
            var end = string.Create(CultureInfo.InvariantCulture, $" {number}");
            var tried = number == 2 && !taken.Contains(name) ? name : name[..Math.Min(name.Length, LongestName - end.Length)].TrimEnd() + end;
            if (!taken.Contains(tried))
            {
                return tried;
            }
        }
    }

    /// <summary>The same program, which goes on with and waits for others of its lot under what they are called here.</summary>
    private static string Renamed(string draft, Dictionary<string, string> called)
    {
        if (called.All(c => string.Equals(c.Key, c.Value, StringComparison.Ordinal)))
        {
            return draft;
        }

        var program = ShelfReading.Definition(draft);
        return ProgramFile
            .Write(
                program.WithSteps(s => s is HandOverStep on ? on with { Program = called.GetValueOrDefault(on.Program, on.Program) } : s) with
                {
                    StartsWhen =
                    [
                        .. program.StartsWhen.Select(t => t is ProgramFinished other ? other with { Program = called.GetValueOrDefault(other.Program, other.Program) } : t),
                    ],
                }
            )
            .ToJsonString();
    }
}
