using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Whether a program's draft may be switched on.</summary>
/// <param name="Needed">Whether the practice asks a principal's yes for each program.</param>
/// <param name="By">Who said yes to the draft as it is; null where nobody has.</param>
/// <param name="AskedAt">Since when a yes is asked for; null where it is not.</param>
/// <param name="AskedBy">Who asks.</param>
public sealed record ApprovalDto(bool Needed, string? By, string? AskedAt, string? AskedBy);

/// <summary>A principal's yes to a program before it is switched on, where the practice asks for it. It holds for the draft as it was read; a change lapses it.</summary>
public static class ApprovalEndpoints
{
    /// <param name="DraftNumber">The draft that was read.</param>
    public sealed record ApprovalBody(int DraftNumber = 0);

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapPost("/api/programs/{id:guid}/approval/ask", Ask).WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        app.MapPost("/api/programs/{id:guid}/approval", Approve).WithTags("programs").RequireAuthorization(Rights.ApprovePrograms);
        app.MapDelete("/api/programs/{id:guid}/approval", SendBack).WithTags("programs").RequireAuthorization(Rights.ApprovePrograms);
    }

    /// <summary>How a program stands.</summary>
    public static async Task<ApprovalDto> OfAsync(GerminalDb db, ProgramRow program, CancellationToken stop) =>
        new(
            await NeededAsync(db, stop),
            program.ApprovedDraft == program.DraftNumber ? program.ApprovedBy : null,
            program.ApprovalAskedAt?.Iso(),
            program.ApprovalAskedBy
        );

    /// <summary>What whoever would switch a draft on that nobody has approved is told; null where it may be.</summary>
    public static async Task<ProblemHttpResult?> RefusalAsync(GerminalDb db, ProgramRow program, Caller caller, CancellationToken stop) =>
        Rights.Has(caller.Role, Rights.ApprovePrograms) || program.ApprovedDraft == program.DraftNumber || !await NeededAsync(db, stop)
            ? null
            : TypedResults.Problem(
                Say($"A principal has to say yes to “{program.Name}” as it is now, before it is switched on. Ask for it in its margin."),
                statusCode: StatusCodes.Status403Forbidden,
                title: Said("Not approved yet")
            );

    private static async Task<bool> NeededAsync(GerminalDb db, CancellationToken stop) =>
        (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings.ProgramsApproved;

    private static async Task<Results<Ok<ApprovalDto>, NotFound, ProblemHttpResult>> Ask(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.Programs.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        row.ApprovalAskedAt ??= await PracticeClock.NowAsync(db, stop);
        row.ApprovalAskedBy = caller.Name;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await OfAsync(db, row, stop));
    }

    private static async Task<Results<Ok<ApprovalDto>, NotFound, ProblemHttpResult>> Approve(Guid id, ApprovalBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        // The number in the condition: a yes to what was read, not to what somebody saved meanwhile.
        var said = await db
            .Programs.Where(p => p.Id == id && p.DraftNumber == body.DraftNumber)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(p => p.ApprovedDraft, body.DraftNumber)
                        .SetProperty(p => p.ApprovedBy, caller.Name)
                        .SetProperty(p => p.ApprovalAskedAt, (NodaTime.Instant?)null)
                        .SetProperty(p => p.ApprovalAskedBy, (string?)null),
                stop
            );
        return await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row ? TypedResults.NotFound()
            : said == 0 ? Problems.Conflict(Said("The program was changed since you read it. Load the page again and read what is new."))
            : TypedResults.Ok(await OfAsync(db, row, stop));
    }

    private static async Task<Results<Ok<ApprovalDto>, NotFound>> SendBack(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Programs.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        (row.ApprovalAskedAt, row.ApprovalAskedBy, row.ApprovedDraft, row.ApprovedBy) = (null, null, 0, null);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await OfAsync(db, row, stop));
    }
}
