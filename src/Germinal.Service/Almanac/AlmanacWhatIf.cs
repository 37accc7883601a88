using System.Collections.Concurrent;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Programs;
using Germinal.Store;

namespace Germinal.Service.Almanac;

/// <summary>
/// The almanac as it would be if a program that is being written were on: everybody is rehearsed with it, beside everything else, because
/// what it sends may move what others send. The last look of each practice is kept for as long as nothing has changed.
/// </summary>
/// <param name="room">What comes as it is; where that is worked out anew, so is this.</param>
/// <param name="rehearsal">Goes through everybody.</param>
public sealed class AlmanacWhatIf(AlmanacRoom room, ProgramRehearsal rehearsal)
{
    private const int MostPractices = 4;

    private readonly ConcurrentDictionary<Guid, Laid> kept = [];

    private sealed record Laid(Foreseen AsItIs, Guid Program, int Draft, Foreseen Found);

    /// <summary>What comes with the program on.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="number">Counts its saves.</param>
    /// <param name="draft">As it is being written, in order, its letters filled in.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<Foreseen> OfAsync(GerminalDb db, Guid program, int number, ProgramDefinition draft, CancellationToken stop)
    {
        var practice = db.PracticeId!.Value;
        var asItIs = await room.OfAsync(db, stop);
        if (kept.TryGetValue(practice, out var last) && ReferenceEquals(last.AsItIs, asItIs) && last.Program == program && last.Draft == number)
        {
            return last.Found;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var zone = asItIs.Engine.Practice.Zone;
        var (engine, all) = await rehearsal.ComingAsync(db, program, draft, now, AlmanacRoom.HorizonOf(now.InZone(zone).Date, zone), stop);
        var found = await Foreseen.OfAsync(db, engine, now, all, stop) with { WhatIf = program };
        kept[practice] = new Laid(asItIs, program, number, found);
        foreach (var other in kept.Keys.Where(k => k != practice).Skip(MostPractices - 1))
        {
            kept.TryRemove(other, out _);
        }

        return found;
    }
}
