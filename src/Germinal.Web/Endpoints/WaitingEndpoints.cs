using Germinal.Core.Engine;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>What waits for a member, and seeing to it.</summary>
public static class WaitingEndpoints
{
    public sealed record BelongsBody(Guid Person);

    public static void Map(IEndpointRouteBuilder app)
    {
        var waiting = app.MapGroup("/api/today/waiting/{id}").WithTags("today").RequireAuthorization(Rights.Work);
        waiting.MapPost("/seen", Seen);
        waiting.MapPost("/unseen", Unseen);
        waiting.MapPost("/belongs", Belongs);
        app.MapGet("/api/received/{id:long}/whole", Whole).WithTags("today").RequireAuthorization(Rights.Work).ExcludeFromDescription();
        app.MapPost(
                "/api/today/set-aside/{id:guid}/again",
                async Task<Results<NoContent, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                    await db
                        .States.Where(s => s.PersonId == id && s.SetAside != null)
                        .ExecuteUpdateAsync(u => u.SetProperty(s => s.SetAside, (string?)null), stop) == 1
                        ? TypedResults.NoContent()
                        : TypedResults.NotFound()
            )
            .WithTags("today")
            .RequireAuthorization(Rights.Work);
    }

    /// <summary>What came in as a whole, as a file to keep: it is never shown as a page of ours.</summary>
    private static async Task<IResult> Whole(long id, GerminalDb db, CancellationToken stop) =>
        await db.ReceivedFiles.AsNoTracking().FirstOrDefaultAsync(f => f.ReceivedId == id, stop) is { } file
            ? Results.File(file.Content, "application/octet-stream", $"message-{id}.eml")
            : Results.NotFound();

    private static async Task<Results<NoContent, NotFound>> Seen(string id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var rest = id.Length > 1 ? id[1..] : "";
        var number = long.TryParse(rest, System.Globalization.CultureInfo.InvariantCulture, out var parsed) ? parsed : -1;
        var changed = id.FirstOrDefault() switch
        {
            'r' => await db
                .Refusals.Where(r => r.Id == number && r.DismissedAt == null)
                .ExecuteUpdateAsync(u => u.SetProperty(r => r.DismissedAt, now), stop),
            'm' => await db.Received.Where(r => r.Id == number && r.SeenAt == null).ExecuteUpdateAsync(u => u.SetProperty(r => r.SeenAt, now), stop),
            'n' => await db.Notices.Where(n => n.Id == number && n.SeenAt == null).ExecuteUpdateAsync(u => u.SetProperty(n => n.SeenAt, now), stop),
            'o' when Guid.TryParse(rest, out var mail) => await db
                .OwnMails.Where(m => m.Id == mail && m.MemberId == caller.Id && m.ReadAt == null)
                .ExecuteUpdateAsync(u => u.SetProperty(m => m.ReadAt, now), stop),
            'i'
                when Guid.TryParse(rest, out var inquiry)
                    && await db.Inquiries.Where(i => i.Id == inquiry && i.AnsweredAt == null).Select(i => (Guid?)i.PersonId).FirstOrDefaultAsync(stop)
                        is { } person => await (await DealingsEndpoints.DeskAsync(db, caller, stop)).AnswerAsync(person, caller.Name, InquiryOutcomes.Marked, stop),
            _ => 0,
        };
        await transaction.CommitAsync(stop);
        return changed > 0 ? TypedResults.NoContent() : TypedResults.NotFound();
    }

    /// <summary>It waits again after all: somebody pressed too soon. An inquiry that was answered is taken back with what its answer stopped.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Unseen(
        string id,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        var rest = id.Length > 1 ? id[1..] : "";
        var number = long.TryParse(rest, System.Globalization.CultureInfo.InvariantCulture, out var parsed) ? parsed : -1;
        if (id.FirstOrDefault() == 'i')
        {
            if (
                !Guid.TryParse(rest, out var inquiry)
                || await db.Inquiries.AsNoTracking().FirstOrDefaultAsync(i => i.Id == inquiry && i.AnsweredAt != null, stop) is not { } answered
                || await db
                    .Events.Where(e => e.PersonId == answered.PersonId && e.Kind == EventKinds.InquiryAnswered && e.At == answered.AnsweredAt)
                    .OrderByDescending(e => e.Id)
                    .Select(e => (long?)e.Id)
                    .FirstOrDefaultAsync(stop)
                    is not { } happened
            )
            {
                return TypedResults.NotFound();
            }

            return await new EventUndo(db, engines, caller.Name).TakeBackAsync(answered.PersonId, happened, Said("their inquiry was answered"), stop) is { } why
                ? Problems.Conflict(why)
                : TypedResults.NoContent();
        }

        var changed = id.FirstOrDefault() switch
        {
            'r' => await db
                .Refusals.Where(r => r.Id == number && r.DismissedAt != null)
                .ExecuteUpdateAsync(u => u.SetProperty(r => r.DismissedAt, (NodaTime.Instant?)null), stop),
            'm' => await db
                .Received.Where(r => r.Id == number && r.SeenAt != null)
                .ExecuteUpdateAsync(u => u.SetProperty(r => r.SeenAt, (NodaTime.Instant?)null), stop),
            'o' when Guid.TryParse(rest, out var mail) => await db
                .OwnMails.Where(m => m.Id == mail && m.MemberId == caller.Id && m.ReadAt != null)
                .ExecuteUpdateAsync(u => u.SetProperty(m => m.ReadAt, (NodaTime.Instant?)null), stop),
            'n' => await db
                .Notices.Where(n => n.Id == number && n.SeenAt != null)
                .ExecuteUpdateAsync(u => u.SetProperty(n => n.SeenAt, (NodaTime.Instant?)null), stop),
            _ => 0,
        };
        return changed > 0 ? TypedResults.NoContent() : TypedResults.NotFound();
    }

    /// <summary>Says whose a message of somebody unknown is: it counts as their answer from now on.</summary>
    private static async Task<Results<NoContent, NotFound>> Belongs(string id, BelongsBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (
            id is not ['m', ..]
            || !long.TryParse(id[1..], System.Globalization.CultureInfo.InvariantCulture, out var number)
            || await db.Received.FirstOrDefaultAsync(r => r.Id == number && r.PersonId == null, stop) is not { } row
            || !await db.People.AnyAsync(p => p.Id == body.Person, stop)
        )
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (
            await db
                .Received.Where(r => r.Id == number && r.PersonId == null)
                .ExecuteUpdateAsync(u => u.SetProperty(r => r.PersonId, body.Person).SetProperty(r => r.SeenAt, now), stop) == 0
        )
        {
            return TypedResults.NotFound();
        }

        await new PeopleDesk(db, caller.Name, now).RecordAsync(
            body.Person,
            new Replied(now, Words.ChannelOf(row.Channel)),
            stop,
            ("text", row.Text),
            ("quoted", row.Quoted)
        );
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
