using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// The counts many people share (rules 5.5, 9.3), held by one worker at a time: whoever asks first in a transaction gets the
/// practice's lock, and the others wait for its end.
/// </summary>
public sealed class LiveCounts : ICounters
{
    private readonly GerminalDb db;
    private readonly Dictionary<(string What, LocalDate Date), CountRow> known;

    private LiveCounts(GerminalDb db, Dictionary<(string, LocalDate), CountRow> known) => (this.db, this.known) = (db, known);

    /// <summary>The counts of the context's practice from yesterday on, locked; null where nothing limits many people together.</summary>
    /// <param name="db">A context inside a transaction.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<LiveCounts?> LockAsync(GerminalDb db, TouchEngine engine, Instant now, CancellationToken stop)
    {
        if (engine.Practice.DailyLimits.Count == 0 && engine.Shelf.On.All(p => p.Current.Definition.StartLimit is null))
        {
            return null;
        }

        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({db.PracticeId!.Value.ToString()}, 5))", stop);
        var yesterday = now.InZone(engine.Practice.Zone).Date.PlusDays(-1);
        var rows = await db.Counts.Where(c => c.Date >= yesterday).ToListAsync(stop);
        return new LiveCounts(db, rows.ToDictionary(r => (r.What, r.Date)));
    }

    /// <inheritdoc/>
    public bool Ask(Counter counter, AskOrder order, bool takes)
    {
        var row = RowOf(counter.Channel is { } channel ? ContactWords.Of(channel) : counter.ProgramId.ToString(), counter.Date);
        if (row.Taken >= counter.Limit)
        {
            return false;
        }

        row.Taken += takes ? 1 : 0;
        return true;
    }

    /// <summary>Gives a place back that a message took and did not use.</summary>
    public void GiveBack(string channel, LocalDate date)
    {
        var row = RowOf(channel, date);
        row.Taken = Math.Max(0, row.Taken - 1);
    }

    private CountRow RowOf(string what, LocalDate date)
    {
        if (!known.TryGetValue((what, date), out var row))
        {
            row = new CountRow
            {
                PracticeId = db.PracticeId!.Value,
                What = what,
                Date = date,
            };
            known[(what, date)] = db.Counts.Add(row).Entity;
        }

        return row;
    }
}
