using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Incoming;

/// <summary>
/// Letters opened and links followed, and what a followed link sets off (rule 11.5). Machines that look at everything are
/// written down and set nothing off (rule 14.2).
/// </summary>
public sealed class LinkVisits(IDbContextFactory<GerminalDb> databases)
{
    /// <summary>Nobody reads this fast: what looks within this time after a message went is a machine.</summary>
    private static readonly Duration TooFast = Duration.FromSeconds(10);

    // Words by which machines that look at mail name themselves. Common practice, no source.
    private static readonly string[] MachineWords = ["bot", "crawler", "spider", "preview", "scanner", "proxy", "prefetch", "headless", "curl/", "python-"];

    /// <summary>A letter was opened.</summary>
    public async Task OpenedAsync(Guid touchId, string agent, bool prefetch, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        if (await TouchOf.FindAsync(db, touchId, stop) is not { } touch)
        {
            return;
        }

        db.PracticeId = touch.PracticeId;
        var now = await PracticeClock.NowAsync(db, stop);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!(await NoteAsync(db, touch, null, agent, prefetch, now, stop)).ByMachine)
        {
            await OpenAsync(db, new PeopleDesk(db, Said("the recipient"), now), touch, now, stop);
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>A link was followed.</summary>
    /// <returns>Where it leads; null where the letter has no such link.</returns>
    public async Task<string?> FollowedAsync(Guid touchId, int place, string agent, bool prefetch, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        if (await TouchOf.FindAsync(db, touchId, stop) is not { } touch || touch.Message.Links.ElementAtOrDefault(place) is not { } link)
        {
            return null;
        }

        db.PracticeId = touch.PracticeId;
        var now = await PracticeClock.NowAsync(db, stop);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var visit = await NoteAsync(db, touch, place, agent, prefetch, now, stop);
        if (visit is { ByMachine: false, IsNews: true })
        {
            // Who follows a link has opened the letter, whether or not its picture was fetched.
            var desk = new PeopleDesk(db, Said("the recipient"), now);
            await OpenAsync(db, desk, touch, now, stop);
            db.Events.Add(desk.NewEvent(touch.PersonId, new FollowedLink(now, touch.ProgramId, touch.StepId, link.Name), touch.Word, ("address", link.Address)));
            if (visit.Count == 1)
            {
                await SetOffAsync(db, desk, touch, link, now, stop);
            }
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return link.Address;
    }

    /// <summary>A person has opened the letter; only the first time is news.</summary>
    private static async Task OpenAsync(GerminalDb db, PeopleDesk desk, TouchOf touch, Instant now, CancellationToken stop)
    {
        if (
            await db.Messages.Where(m => m.TouchId == touch.TouchId && m.OpenedAt == null).ExecuteUpdateAsync(u => u.SetProperty(m => m.OpenedAt, now), stop)
            == 1
        )
        {
            db.Events.Add(desk.NewEvent(touch.PersonId, new Opened(now, touch.ProgramId, touch.StepId), touch.Word));
        }
    }

    /// <summary>Whether a program says of itself that no person looks through it. A guess.</summary>
    public static bool IsMachine(string agent) => MachineWords.Any(w => agent.Contains(w, StringComparison.OrdinalIgnoreCase));

    private sealed record Visit(int Count, bool IsNews, bool ByMachine);

    private sealed record Counted(int Count, bool IsNews);

    /// <summary>
    /// Counts a visit; of several at one moment exactly one is the first. Further ones within the hour are no news: a program
    /// that starts by a link is not started by a double click.
    /// </summary>
    private static async Task<Visit> NoteAsync(GerminalDb db, TouchOf touch, int? link, string agent, bool prefetch, Instant now, CancellationToken stop)
    {
        var machine = prefetch || now - touch.Message.SentAt < TooFast || IsMachine(agent);
        var program = Channels.IncomingText.KeepLine(agent, 200);
        var hourAgo = now - Duration.FromHours(1);
        var inserted = await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO visits (practice_id, person_id, touch_id, at, last_at, count, link, by_machine, agent)
            VALUES ({touch.PracticeId}, {touch.PersonId}, {touch.TouchId}, {now}, {now}, 1, {link}, {machine}, {program}) ON CONFLICT (touch_id, link, by_machine) DO NOTHING
            """,
            stop
        );
        if (inserted == 1)
        {
            return new Visit(1, true, machine);
        }

        var counted = (
            await db
                .Database.SqlQuery<Counted>(
                    $"""
                    UPDATE visits v SET count = v.count + 1, last_at = CASE WHEN o.last_at < {hourAgo} THEN {now} ELSE o.last_at END
                    FROM (SELECT id, last_at FROM visits WHERE touch_id = {touch.TouchId} AND link IS NOT DISTINCT FROM {link}::int AND by_machine = {machine} FOR UPDATE) o
                    WHERE v.id = o.id RETURNING v.count, o.last_at < {hourAgo} AS is_news
                    """
                )
                .ToListAsync(stop)
        ).Single();
        return new Visit(counted.Count, counted.IsNews, machine);
    }

    /// <summary>What is part of the letter's link, once for each person and letter.</summary>
    private static async Task SetOffAsync(GerminalDb db, PeopleDesk desk, TouchOf touch, LetterLink link, Instant now, CancellationToken stop)
    {
        string? Effect(string word) => link.Effects.GetValueOrDefault(word);
        foreach (var tag in new[] { Effect("tag"), Effect("topic") }.OfType<string>())
        {
            // An interest is no consent; it is kept as a tag of the topic's name.
            await desk.PutTagAsync([touch.PersonId], tag, stop);
        }

        if (Effect("call") is { } words)
        {
            var practice = await PracticeReading.LoadAsync(db, stop);
            var owner = await db.People.Where(p => p.Id == touch.PersonId).Select(p => p.OwnerId).SingleAsync(stop) ?? practice.FallbackSender;
            var deputy =
                Effect("call-to") == "deputy"
                    ? await db.Users.Where(u => u.Id == owner && u.PracticeId == db.PracticeId).Select(u => u.DeputyId).FirstOrDefaultAsync(stop)
                    : null;
            var days = Distance.TryParse(Effect("call-in") ?? "P0D")?.WholeDays ?? 0;
            var today = now.InZone(practice.Zone).Date;
            db.Tasks.Add(
                new TaskRow
                {
                    Id = Guid.CreateVersion7(),
                    PracticeId = touch.PracticeId,
                    PersonId = touch.PersonId,
                    MemberId = deputy ?? owner,
                    Kind = "call",
                    Title = words,
                    Due = practice.Calendar.WorkingDayAfter(today, days) ?? today,
                    Source = Say($"followed “{link.Name}” in “{touch.Message.Subject}”"),
                    CreatedAt = now,
                }
            );
        }

        if (Effect("opportunity") is { } stage)
        {
            await new DealingsDesk(db, desk, now).OpenOpportunityAsync(
                touch.PersonId,
                Say($"After “{touch.Message.Subject}”"),
                stage,
                null,
                stop
            );
        }

        if (Effect("program") is { } name && await db.Programs.Where(p => p.Name == name).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop) is { } program)
        {
            await desk.StartProgramAsync([touch.PersonId], program, false, stop);
        }
    }
}
