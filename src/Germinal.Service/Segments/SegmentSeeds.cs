using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Segments;

/// <summary>
/// Who matches a segment before a program begins to wait for those who begin to (rule 5.1): found by the database as a whole, and noted in
/// the engine's memory of each of them.
/// </summary>
public static class SegmentSeeds
{
    /// <summary>Takes whoever matches the triggers of a program now for somebody who has matched before.</summary>
    /// <param name="db">A context of the practice, with a transaction.</param>
    /// <param name="practice">The practice, with its segments as they are from now on.</param>
    /// <param name="programId">The program.</param>
    /// <param name="triggers">The triggers that begin to wait, or whose segment has changed.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task NoteAsync(
        GerminalDb db,
        Practice practice,
        Guid programId,
        IEnumerable<SegmentJoined> triggers,
        Instant now,
        CancellationToken stop
    )
    {
        foreach (var trigger in triggers)
        {
            var key = WatchedSegment.KeyOf(programId, trigger);
            var matching = await db.InSegment(trigger.Asked, practice.RulesAt(now)).Select(p => p.Id).OrderBy(id => id).ToArrayAsync(stop);
            await Recorder.NoteMatchesAsync(db, key, matching, stop);
        }
    }

    /// <summary>
    /// A saved segment has changed: whoever matches now because of that has not begun to by anything of theirs, and starts nothing.
    /// </summary>
    public static async Task NoteChangeAsync(GerminalDb db, string segment, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var programs = await db
            .Programs.AsNoTracking()
            .Where(p => p.Status == "on" || p.Status == "paused")
            .Join(db.ProgramVersions, p => new { p.Id, Version = p.CurrentVersion }, v => new { Id = v.ProgramId, v.Version }, (p, v) => new { p.Id, v.Definition })
            .ToListAsync(stop);
        foreach (var program in programs)
        {
            var triggers = ShelfReading.Definition(program.Definition).StartsWhen.OfType<SegmentJoined>();
            await NoteAsync(db, practice, program.Id, triggers.Where(t => DependsOn(t.Asked, segment, practice)), now, stop);
        }
    }

    private static bool DependsOn(Core.Rules.Rule rule, string segment, Practice practice) =>
        Core.Rules.Segments.Circle(segment, rule, practice.Segments) is not null;
}
