using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>
/// Something that waits for a member. Kind: refused, confirm, reply, unknown (whose person is a guess), inquiry, tell-me or
/// forgery.
/// </summary>
/// <param name="Quoted">What an answer quotes; shown folded.</param>
/// <param name="Whole">Where the whole message lies as a file, if what is kept of it is not all; else null.</param>
public sealed record WaitingDto(string Id, string Kind, PersonRef? Person, string At, string Text, string? Quoted = null, string? Whole = null);

/// <summary>What waits for a member, and seeing to it.</summary>
public static class WaitingEndpoints
{
    private const int Shown = 60;

    /// <summary>Letters of a long message that stand in a list; the rest is in the thread, or in the file.</summary>
    private const int Excerpt = 4_000;

    public sealed record BelongsBody(Guid Person);

    public static void Map(IEndpointRouteBuilder app)
    {
        var waiting = app.MapGroup("/api/today/waiting/{id}").WithTags("today").RequireAuthorization(Rights.Work);
        waiting.MapPost("/seen", Seen);
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

    private static string Short(string text) => text.Length <= Excerpt ? text : Channels.IncomingText.Keep(text, Excerpt) + " …";

    /// <summary>Everything that waits for a member, oldest question first within its kind, and how much it is.</summary>
    internal static async Task<(IReadOnlyList<WaitingDto> Shown, int InAll)> ReadAsync(
        GerminalDb db,
        Caller caller,
        IReadOnlyDictionary<Guid, string> programs,
        CancellationToken stop
    )
    {
        var inquired = db.Inquiries.AsNoTracking().Where(i => i.AnsweredAt == null);
        var received = db.Received.AsNoTracking().Where(r => r.SeenAt == null);
        var notices = db
            .Notices.AsNoTracking()
            .Where(n => n.SeenAt == null && (n.MemberId == caller.Id || (n.MemberId == null && caller.Role == "principal")));
        var refused = db.Refusals.AsNoTracking().Where(r => r.DismissedAt == null);
        var confirm = db.People.AsNoTracking().Where(p => p.DoNotContactToConfirm);
        var inquiries = await inquired.OrderBy(i => i.ReceivedAt).Take(Shown).ToListAsync(stop);
        var messages = await received.OrderBy(r => r.At).Take(Shown).ToListAsync(stop);
        var written = messages.Select(m => m.Id).ToList();
        var files = (
            await db.ReceivedFiles.AsNoTracking().Where(f => written.Contains(f.ReceivedId)).Select(f => f.ReceivedId).ToListAsync(stop)
        ).ToHashSet();
        var told = await notices.OrderBy(n => n.At).Take(Shown).ToListAsync(stop);
        var refusals = await refused.OrderByDescending(r => r.At).Take(Shown).ToListAsync(stop);
        var toConfirm = await confirm.OrderBy(p => p.SortName).Take(Shown).ToListAsync(stop);
        var ids = inquiries
            .Select(i => i.PersonId)
            .Concat(messages.Select(m => m.PersonId ?? m.GuessId).OfType<Guid>())
            .Concat(told.Select(n => n.PersonId).OfType<Guid>())
            .Concat(refusals.Select(r => r.PersonId))
            .Distinct()
            .ToList();
        var names = await db.NamesAsync(ids, stop);
        PersonRef? Ref(Guid? id) => id is { } known && names.TryGetValue(known, out var name) ? new PersonRef(known, name) : null;
        List<WaitingDto> all =
        [
            .. inquiries.Select(i => new WaitingDto(
                $"i{i.Id:N}",
                "inquiry",
                Ref(i.PersonId),
                i.ReceivedAt.Iso(),
                $"asked{(i.Form is null ? "" : $" by “{i.Form}”")}: {Short(i.Text)}"
            )),
            .. messages.Select(m => Written(m, Ref(m.PersonId ?? m.GuessId), files.Contains(m.Id))),
            .. told.Select(n => new WaitingDto($"n{n.Id}", n.Kind, Ref(n.PersonId), n.At.Iso(), n.Text)),
            .. refusals.Select(r => new WaitingDto(
                $"r{r.Id}",
                "refused",
                Ref(r.PersonId),
                r.At.Iso(),
                $"“{programs.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}"
            )),
            .. toConfirm.Select(p => new WaitingDto(
                $"c{p.Id:N}",
                "confirm",
                new PersonRef(p.Id, p.Name),
                p.AddedAt.Iso(),
                $"the list said “{p.DoNotContactReason}”; nothing goes to them until you say otherwise"
            )),
        ];
        var inAll =
            await inquired.CountAsync(stop)
            + await received.CountAsync(stop)
            + await notices.CountAsync(stop)
            + await refused.CountAsync(stop)
            + await confirm.CountAsync(stop);
        return (all, inAll);
    }

    private static WaitingDto Written(ReceivedRow m, PersonRef? person, bool hasFile)
    {
        var (kind, text) = m.PersonId is null
            ? ("unknown", $"{m.FromAddress} wrote: {Short(m.Text)}")
            : ("reply", m.Text.Length > 0 ? Short(m.Text) : m.Subject);
        return new WaitingDto(
            $"m{m.Id}",
            kind,
            person,
            m.At.Iso(),
            text,
            m.Quoted.Length > 0 ? Short(m.Quoted) : null,
            hasFile ? $"/api/received/{m.Id}/whole" : null
        );
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
            'i'
                when Guid.TryParse(rest, out var inquiry)
                    && await db.Inquiries.Where(i => i.Id == inquiry && i.AnsweredAt == null).Select(i => (Guid?)i.PersonId).FirstOrDefaultAsync(stop)
                        is { } person => await (await DealingsEndpoints.DeskAsync(db, caller, stop)).AnswerAsync(person, caller.Name, stop),
            _ => 0,
        };
        await transaction.CommitAsync(stop);
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

        var desk = await PeopleEndpoints.DeskAsync(db, caller, stop);
        db.Events.Add(
            desk.NewEvent(
                body.Person,
                EventKinds.Replied,
                new()
                {
                    ["channel"] = row.Channel,
                    ["text"] = row.Text,
                    ["quoted"] = row.Quoted,
                }
            )
        );
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
