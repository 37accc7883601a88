using System.Collections.Concurrent;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Service.Letters;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Loads a practice's programs. Of a published version nothing changes but the names of stages and reasons, and what the rest of a broadcast gets, so
/// each is read from JSON once, and again where its mark is another.
/// </summary>
public sealed class ShelfReading
{
    private readonly ConcurrentDictionary<(Guid Program, int Version), (string Mark, ProgramVersion Read)> parsed = new();

    private sealed record Key(Guid ProgramId, int Version, string Mark);

    /// <summary>The shelf of the context's practice.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="mailStands">Whether its commercial mail has stopped.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<ProgramShelf> LoadAsync(GerminalDb db, bool mailStands, CancellationToken stop)
    {
        var programs = await db
            .ProgramsAndBroadcasts.AsNoTracking()
            .Where(p => p.CurrentVersion > 0)
            .Select(p => new
            {
                p.Id,
                p.CurrentVersion,
                p.Status,
                p.OnSince,
                p.PausedUntil,
            })
            .ToListAsync(stop);
        var keys = await db
            .Database.SqlQuery<Key>($"SELECT program_id, version, md5(definition) AS mark FROM program_versions WHERE practice_id = {db.PracticeId}")
            .ToListAsync(stop);
        var read = keys.ToDictionary(k => (k.ProgramId, k.Version), k => parsed.TryGetValue((k.ProgramId, k.Version), out var known) && known.Mark == k.Mark ? known.Read : null);
        foreach (var program in keys.Where(k => read[(k.ProgramId, k.Version)] is null).Select(k => k.ProgramId).Distinct())
        {
            var marks = keys.Where(k => k.ProgramId == program).ToDictionary(k => k.Version, k => k.Mark);
            foreach (var row in await db.ProgramVersions.AsNoTracking().Where(v => v.ProgramId == program && marks.Keys.Contains(v.Version)).ToListAsync(stop))
            {
                var version = new ProgramVersion(row.ProgramId, row.Version, Definition(row.Definition));
                (read[(row.ProgramId, row.Version)], parsed[(row.ProgramId, row.Version)]) = (version, (marks[row.Version], version));
            }
        }

        // A letter that is changed is changed for all who are still to get it; whoever changes one counts the edition up.
        var letters = await LetterShelf.LoadAsync(db, stop);
        var versions = read.Values.OfType<ProgramVersion>()
            .Select(v => v.Definition.WithLetters(letters) is var filled && ReferenceEquals(filled, v.Definition) ? v : new ProgramVersion(v.ProgramId, v.Version, filled))
            .ToDictionary(v => (v.ProgramId, v.Version));
        return new ProgramShelf(
            versions.Values,
            programs.Where(p => p.Status == "on").Select(p => new ProgramOn(versions[(p.Id, p.CurrentVersion)], p.OnSince ?? Instant.MinValue)),
            programs.Where(p => p.Status == "paused").Select(p => new PausedProgram(versions[(p.Id, p.CurrentVersion)], p.PausedUntil))
        )
        {
            CommercialMailStands = mailStands,
        };
    }

    /// <summary>A stored definition. Only programs that read without error are ever published.</summary>
    public static ProgramDefinition Definition(string json)
    {
        var reading = ProgramFile.Read(json);
        return reading.Program
            ?? throw new InvalidOperationException($"A stored program does not read: {reading.Errors[0].Pointer} {reading.Errors[0].Message}");
    }
}
