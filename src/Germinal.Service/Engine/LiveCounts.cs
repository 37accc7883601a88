using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// The counts many people share (rules 3.7, 5.5, 9.3), held by one worker at a time: whoever asks first in a transaction gets the
/// practice's lock, and the others wait for its end.
/// </summary>
public sealed class LiveCounts : ICounters
{
    private readonly GerminalDb db;
    private readonly Dictionary<(string What, LocalDate Date), CountRow> known;
    private readonly LocalDate since;
    private readonly Dictionary<(Guid Household, Guid Program, string Step, LocalDate Date), Guid> claims = [];

    private LiveCounts(GerminalDb db, Dictionary<(string, LocalDate), CountRow> known, LocalDate since) =>
        (this.db, this.known, this.since) = (db, known, since);

    /// <summary>The counts of the context's practice from yesterday on, locked; null where nothing limits many people together.</summary>
    /// <param name="db">A context inside a transaction.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<LiveCounts?> LockAsync(GerminalDb db, TouchEngine engine, Instant now, CancellationToken stop)
    {
        if (!engine.SharesCounts)
        {
            return null;
        }

        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({db.PracticeId!.Value.ToString()}, 5))", stop);
        var yesterday = now.InZone(engine.Practice.Zone).Date.PlusDays(-1);
        var rows = await db.Counts.Where(c => c.Date >= yesterday).ToListAsync(stop);
        return new LiveCounts(db, rows.ToDictionary(r => (r.What, r.Date)), yesterday);
    }

    /// <summary>Reads what the households of people who are to be judged have had already; nothing where no step asks.</summary>
    /// <param name="batch">The people.</param>
    /// <param name="stop">Gives up.</param>
    public async Task ReadClaimsAsync(EngineBatch batch, CancellationToken stop)
    {
        if (!batch.Engine.AsksHouseholds)
        {
            return;
        }

        var households = batch.Facts.Values.Select(f => f.Household?.Id).OfType<Guid>().Distinct().ToArray();
        await foreach (
            var claim in db.HouseholdClaims.AsNoTracking().Where(c => households.Contains(c.HouseholdId) && c.Date >= since).AsAsyncEnumerable().WithCancellation(stop)
        )
        {
            claims[(claim.HouseholdId, claim.ProgramId, claim.StepId, claim.Date)] = claim.TouchId;
        }
    }

    /// <inheritdoc/>
    public bool Ask(Counter counter, AskOrder order, bool takes)
    {
        if (counter.HouseholdId is { } household)
        {
            return Claim(household, counter, order.Touch);
        }

        var row = RowOf(counter.Channel is { } channel ? WhatOf(ContactWords.Of(channel), counter.MemberId) : counter.ProgramId.ToString(), counter.Date);
        if (row.Taken >= counter.Limit)
        {
            return false;
        }

        row.Taken += takes ? 1 : 0;
        return true;
    }

    /// <summary>Gives a place back that a message took and did not use.</summary>
    /// <param name="channel">Its channel.</param>
    /// <param name="member">Whose account it was to go from, where that is limited; null for the channel's own place.</param>
    /// <param name="date">The practice's date.</param>
    public void GiveBack(string channel, Guid? member, LocalDate date)
    {
        var row = RowOf(WhatOf(channel, member), date);
        row.Taken = Math.Max(0, row.Taken - 1);
    }

    private static string WhatOf(string channel, Guid? member) => member is null ? channel : $"{channel}/{member}";

    private bool Claim(Guid household, Counter counter, Guid touch)
    {
        var key = (household, counter.ProgramId, counter.StepId!, counter.Date);
        if (claims.TryGetValue(key, out var holder))
        {
            return holder == touch;
        }

        claims[key] = touch;
        db.HouseholdClaims.Add(
            new HouseholdClaimRow
            {
                PracticeId = db.PracticeId!.Value,
                HouseholdId = household,
                ProgramId = counter.ProgramId,
                StepId = counter.StepId!,
                Date = counter.Date,
                TouchId = touch,
            }
        );
        return true;
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
