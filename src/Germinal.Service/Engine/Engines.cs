using System.Collections.Concurrent;
using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>
/// The engine of each practice, kept until its settings or programs change: whoever changes them counts the practice's
/// edition up, in the same transaction.
/// </summary>
public sealed class Engines(LiquidLetters letters, ShelfReading shelves)
{
    private readonly ConcurrentDictionary<Guid, (int Edition, TouchEngine Engine, PracticeSettings Settings)> known = [];

    /// <summary>The engine of the context's practice and the settings it was made of.</summary>
    public async Task<(TouchEngine Engine, PracticeSettings Settings)> OfAsync(GerminalDb db, CancellationToken stop)
    {
        var practice = db.PracticeId!.Value;
        var edition = await db.Practices.Where(p => p.Id == practice).Select(p => p.Edition).SingleAsync(stop);
        if (known.TryGetValue(practice, out var kept) && kept.Edition == edition)
        {
            return (kept.Engine, kept.Settings);
        }

        var (settings, row) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var engine = new TouchEngine(settings, await shelves.LoadAsync(db, row.Brake.StoppedAt is not null, stop), letters);
        known[practice] = (edition, engine, row);
        return (engine, row);
    }
}
