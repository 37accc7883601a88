using System.Text.Json;
using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Broadcasts;

/// <summary>
/// The moments of broadcasts that come by themselves: one begins, it is decided which version the rest get, all of one has gone. Each is taken in one
/// transaction; of several workers one does it, and the others wait for it, so that nobody sends before it is done.
/// </summary>
/// <param name="databases">For contexts of its own.</param>
/// <param name="engines">For whom a program holds out.</param>
public sealed class BroadcastMoments(IDbContextFactory<GerminalDb> databases, Engines engines)
{
    /// <summary>Takes every moment of a practice's broadcasts that has come.</summary>
    /// <returns>False when there was none.</returns>
    public async Task<bool> TakeDueAsync(Guid practice, Instant now, CancellationToken stop)
    {
        var any = false;
        while (await BeginOneAsync(practice, now, stop) || await DecideOneAsync(practice, now, stop))
        {
            any = true;
        }

        return any;
    }

    /// <summary>Who it is for is fixed, and everybody starts (rule 15.1).</summary>
    private async Task<bool> BeginOneAsync(Guid practice, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practice;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var row = await db
            .Broadcasts.FromSql($"SELECT * FROM broadcasts WHERE practice_id = {practice} AND status = 'waiting' AND begins_at <= {now} ORDER BY begins_at, id LIMIT 1 FOR UPDATE")
            .AsTracking()
            .FirstOrDefaultAsync(stop);
        if (row is not { Status: BroadcastDesk.Waiting, ProgramId: { } program })
        {
            // Another worker has begun it meanwhile.
            return false;
        }

        var (engine, _) = await engines.OfAsync(db, stop);
        var people = await BroadcastAudience.IdsAsync(db, engine, row.Plan, now, stop);

        // It started at its own moment, also where nobody was there to begin it: what is too late by now is so by the late limit.
        var begins = row.BeginsAt ?? now;
        var among = people.ToHashSet();
        foreach (var letGo in row.Plan.LetGo.Where(l => among.Contains(l.Person)))
        {
            await StartAsync(db, [letGo.Person], BroadcastLook.Overruled(engine.Shelf.Find(program, 1), letGo, begins), letGo.By, stop);
        }

        await StartAsync(db, people, new StartedByHand(begins, program, row.SentBy ?? row.By, ByBroadcast: true), row.SentBy ?? row.By, stop);
        (row.Status, row.BeganAt, row.People) = (BroadcastDesk.Going, now, people.Count);
        row.DecideAt = row.Plan.Test is { Share: < 100 } test ? Distance.Parse(test.Span).AddTo(begins, engine.Practice.Zone) : null;
        await NextOfSeriesAsync(db, row, engine.Practice.Zone, now, stop);
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    private static Task StartAsync(GerminalDb db, IReadOnlyList<Guid> people, Happening happening, string by, CancellationToken stop)
    {
        var (kind, said) = EventKinds.Of(happening);
        var (at, data, ids) = (happening.At, JsonSerializer.Serialize(said), people.ToArray());
        return db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO events (practice_id, person_id, at, kind, data, by)
            SELECT p.practice_id, p.id, {at}::timestamptz, {kind}, {data}::jsonb, {by} FROM people p WHERE p.id = ANY({ids}) AND p.practice_id = {db.PracticeId} ORDER BY p.id
            """,
            stop
        );
    }

    /// <summary>The next of one that repeats: it waits for its own moment, or for somebody who reads it and lets it go.</summary>
    private static async Task NextOfSeriesAsync(GerminalDb db, BroadcastRow row, DateTimeZone zone, Instant now, CancellationToken stop)
    {
        if (row is not { Plan.Repeat: { } repeat, SeriesDate: { } date } || TaskRepeats.Next(repeat.Rule, date, LocalDate.Max(date, now.InZone(zone).Date)) is not { } next)
        {
            return;
        }

        var name = row.Name;
        var following = new BroadcastRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = row.PracticeId,
            Name = await BroadcastDesk.FreeTitleAsync(db, SeriesName(name, date, next), stop),
            Plan = row.Plan with { When = row.Plan.When with { Date = LocalDatePattern.Iso.Format(next) }, Without = row.Plan.Without, LetGo = [] },
            SeriesId = row.SeriesId,
            SeriesDate = next,
            MemberId = row.MemberId,
            By = row.By,
            CreatedAt = now,
        };
        db.Broadcasts.Add(following);
        await db.SaveChangesAsync(stop);
        if (repeat.ByItself)
        {
            await BroadcastDesk.SendAsync(db, following, row.SentBy ?? row.By, now, stop);
        }
    }

    /// <summary>The name with the date of the next behind it, in the place of the one before.</summary>
    private static string SeriesName(string name, LocalDate before, LocalDate next)
    {
        var end = " " + LocalDatePattern.Iso.Format(before);
        return (name.EndsWith(end, StringComparison.Ordinal) ? name[..^end.Length] : name) + " " + LocalDatePattern.Iso.Format(next);
    }

    /// <summary>Which version the rest get is decided by what has come in by now (rule 15.3).</summary>
    private async Task<bool> DecideOneAsync(Guid practice, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practice;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var row = await db
            .Broadcasts.FromSql($"SELECT * FROM broadcasts WHERE practice_id = {practice} AND decide_at <= {now} ORDER BY decide_at, id LIMIT 1 FOR UPDATE")
            .AsTracking()
            .FirstOrDefaultAsync(stop);
        if (row is not { DecideAt: not null, ProgramId: { } program, Plan.Test: { } test })
        {
            return false;
        }

        var versions = await BroadcastVersions.CountAsync(db, program, row.Plan, test.By, stop);
        var verdict = Verdict.Of(versions);
        (row.Decided, row.DecideAt) = (new VersionsDecided(now.Iso(), test.By, versions, verdict.Chosen, verdict), null);
        if (verdict.Chosen > 0)
        {
            var kept = await db.ProgramVersions.SingleAsync(v => v.ProgramId == program, stop);
            kept.Definition = ProgramFile.Write(BroadcastProgram.Decided(ShelfReading.Definition(kept.Definition), row.Plan, verdict.Chosen)).ToJsonString();
            (await db.ProgramsAndBroadcasts.SingleAsync(p => p.Id == program, stop)).Draft = kept.Definition;
        }

        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>Notes of every broadcast of which nothing is left that it is over, so that workers need not keep it in mind.</summary>
    public async Task FinishAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        foreach (var practice in await db.Broadcasts.IgnoreQueryFilters().Where(b => b.Status == BroadcastDesk.Going).Select(b => b.PracticeId).Distinct().ToListAsync(stop))
        {
            await using var own = await databases.CreateDbContextAsync(stop);
            own.PracticeId = practice;
            await FinishAsync(own, stop);
        }
    }

    /// <summary>The same for one practice.</summary>
    public static async Task FinishAsync(GerminalDb db, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var over = await db
            .Database.SqlQuery<Guid>(
                $"""
                UPDATE broadcasts b SET status = 'done', ended_at = coalesce((SELECT max(r.ended_at) FROM runs r WHERE r.program_id = b.program_id), b.began_at)
                WHERE b.practice_id = {db.PracticeId} AND b.status = 'going'
                  AND NOT EXISTS (SELECT 1 FROM runs r WHERE r.program_id = b.program_id AND r.ended_at IS NULL)
                  AND NOT EXISTS (SELECT 1 FROM events e WHERE e.handled_at IS NULL AND e.practice_id = b.practice_id AND e.kind = 'start' AND e.data ->> 'program' = b.program_id::text)
                RETURNING b.program_id AS "Value"
                """
            )
            .ToListAsync(stop);
        if (over.Count > 0)
        {
            await db.ProgramsAndBroadcasts.Where(p => over.Contains(p.Id)).ExecuteUpdateAsync(u => u.SetProperty(p => p.Status, BroadcastDesk.Over), stop);
            await PracticeClock.ReadAnewAsync(db, stop);
        }

        await transaction.CommitAsync(stop);
    }
}
