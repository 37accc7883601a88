using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Service;
using Germinal.Service.Almanac;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Service.Proof;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>The words of a message that is to come, as they are written.</summary>
/// <param name="Kind">email or text.</param>
/// <param name="Subject">An email's subject; empty for a text.</param>
/// <param name="Body">HTML with merge fields for an email, plain words with them for a text.</param>
/// <param name="By">Who gave it words of its own; null where it has its step's.</param>
public sealed record MessageWords(string Kind, string Subject, string Body, string? By);

/// <summary>Proof: reading messages before they go, and giving one words of its own.</summary>
public static class ProofEndpoints
{
    /// <param name="Subject">An email's subject; of no weight for a text.</param>
    /// <param name="Body">What it says.</param>
    public sealed record OwnWordsBody([AtMost(500)] string Subject = "", [AtMost(300_000)] string Body = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/api/proof", Read).WithTags("proof").RequireAuthorization(Rights.Work);
        var words = app.MapGroup("/api/touches/{id:guid}/words").WithTags("proof").RequireAuthorization(Rights.Work);
        words.MapGet("", ReadWords);
        words.MapPut("", Save);
        words.MapDelete("", TakeOut);
    }

    private static async Task<Results<Ok<ProofDto>, ProblemHttpResult>> Read(
        string? span,
        Guid? member,
        Guid? program,
        GerminalDb db,
        AlmanacRoom room,
        CancellationToken stop
    ) =>
        ProofReading.Spans.TryGetValue(span ?? "tomorrow", out var days)
            ? TypedResults.Ok(await ProofReading.ReadAsync(db, await room.OfAsync(db, stop), days, member, program, await PracticeClock.NowAsync(db, stop), stop))
            : Problems.PutRight(Say($"“{span}” is no span; {string.Join(", ", ProofReading.Spans.Keys)} are."));

    private static async Task<Results<Ok<MessageWords>, NotFound>> ReadWords(Guid id, Guid person, GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        if (await OwnWordsDesk.FindAsync(db, await programs.EngineAsync(db, stop), person, id, await PracticeClock.NowAsync(db, stop), stop) is not { } message)
        {
            return TypedResults.NotFound();
        }

        var by = await db.OwnWords.Where(w => w.TouchId == id).Select(w => w.By).FirstOrDefaultAsync(stop);
        return message.Facts.Worded(id, message.Step) switch
        {
            EmailStep email => TypedResults.Ok(new MessageWords(email.Kind, email.Subject, email.Body, by)),
            TextStep text => TypedResults.Ok(new MessageWords(text.Kind, "", text.Body, by)),
            _ => TypedResults.NotFound(),
        };
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Save(
        Guid id,
        Guid person,
        OwnWordsBody body,
        GerminalDb db,
        ProgramDesk programs,
        Caller caller,
        CancellationToken stop
    )
    {
        var engine = await programs.EngineAsync(db, stop);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        if (!await PersonLock.TakeAsync(db, person, stop) || await OwnWordsDesk.FindAsync(db, engine, person, id, now, stop) is not { } message)
        {
            return TypedResults.NotFound();
        }

        var words = new OwnWords(body.Subject.Trim(), body.Body);
        if (OwnWordsDesk.Wrong(engine, message, words) is { } wrong)
        {
            return Problems.Field(wrong.Field, wrong.Message);
        }

        await OwnWordsDesk.SetAsync(db, new PeopleDesk(db, caller.Name, now), person, id, words, caller.Name, stop);
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> TakeOut(Guid id, Guid person, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await PersonLock.TakeAsync(db, person, stop) || !await db.OwnWords.AnyAsync(w => w.TouchId == id && w.PersonId == person, stop))
        {
            return TypedResults.NotFound();
        }

        await OwnWordsDesk.SetAsync(db, new PeopleDesk(db, caller.Name, await PracticeClock.NowAsync(db, stop)), person, id, null, caller.Name, stop);
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
