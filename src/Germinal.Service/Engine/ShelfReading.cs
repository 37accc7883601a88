using System.Collections.Concurrent;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Service.Letters;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Loads a practice's programs. Published versions never change, so each is read from JSON once.</summary>
public sealed class ShelfReading
{
    private readonly ConcurrentDictionary<(Guid Program, int Version), ProgramVersion> parsed = new();

    /// <summary>The shelf of the context's practice.</summary>
    public async Task<ProgramShelf> LoadAsync(GerminalDb db, CancellationToken stop)
    {
        var programs = await db
            .Programs.AsNoTracking()
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
        var keys = await db.ProgramVersions.AsNoTracking().Select(v => new { v.ProgramId, v.Version }).ToListAsync(stop);
        if (keys.Any(k => !parsed.ContainsKey((k.ProgramId, k.Version))))
        {
            foreach (var row in await db.ProgramVersions.AsNoTracking().ToListAsync(stop))
            {
                parsed.GetOrAdd((row.ProgramId, row.Version), _ => new ProgramVersion(row.ProgramId, row.Version, Definition(row.Definition)));
            }
        }

        // A letter that is changed is changed for all who are still to get it; whoever changes one counts the edition up.
        var letters = await LetterShelf.LoadAsync(db, stop);
        var versions = keys.Select(k => parsed[(k.ProgramId, k.Version)])
            .Select(v => v.Definition.WithLetters(letters) is var filled && ReferenceEquals(filled, v.Definition) ? v : new ProgramVersion(v.ProgramId, v.Version, filled))
            .ToDictionary(v => (v.ProgramId, v.Version));
        return new ProgramShelf(
            versions.Values,
            programs.Where(p => p.Status == "on").Select(p => new ProgramOn(versions[(p.Id, p.CurrentVersion)], p.OnSince ?? Instant.MinValue)),
            programs.Where(p => p.Status == "paused").Select(p => new PausedProgram(versions[(p.Id, p.CurrentVersion)], p.PausedUntil))
        );
    }

    /// <summary>A stored definition. Only programs that read without error are ever published.</summary>
    public static ProgramDefinition Definition(string json)
    {
        var reading = ProgramFile.Read(json);
        return reading.Program
            ?? throw new InvalidOperationException($"A stored program does not read: {reading.Errors[0].Pointer} {reading.Errors[0].Message}");
    }
}
