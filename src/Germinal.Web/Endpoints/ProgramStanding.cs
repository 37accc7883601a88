using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Whose program it is, and whether the list shows it.</summary>
public static class ProgramStanding
{
    private const string Principal = "principal";

    /// <param name="OwnerId">Whose it is; null: everybody's who writes programs.</param>
    /// <param name="Hidden">Whether the list leaves it out until it is asked for.</param>
    /// <param name="Archived">Whether it is put away for good.</param>
    public sealed record StandingBody(Guid? OwnerId = null, bool Hidden = false, bool Archived = false);

    public static void Map(IEndpointRouteBuilder app) =>
        app.MapPut("/api/programs/{id:guid}/standing", Save).WithTags("programs").RequireAuthorization(Rights.WritePrograms);

    /// <summary>Whether somebody may change a program: its owner and a principal may, and everybody where it has none.</summary>
    public static bool MayChange(ProgramRow program, Caller caller) => program.OwnerId is null || program.OwnerId == caller.Id || caller.Role == Principal;

    /// <summary>What whoever may not change it is told; null for who may.</summary>
    public static async Task<ProblemHttpResult?> RefusalAsync(GerminalDb db, ProgramRow program, Caller caller, CancellationToken stop)
    {
        if (MayChange(program, caller))
        {
            return null;
        }

        var owner = await db.Users.AsNoTracking().Where(m => m.Id == program.OwnerId).Select(m => m.Name).FirstOrDefaultAsync(stop);
        return TypedResults.Problem(
            Say($"“{program.Name}” is {owner ?? Said("somebody else")}’s. They or a principal can change it; you can copy it and change the copy."),
            statusCode: StatusCodes.Status403Forbidden
        );
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        StandingBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Programs.FromSql($"SELECT * FROM programs WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (await RefusalAsync(db, row, caller, stop) is { } refused)
        {
            return refused;
        }

        if (body.OwnerId is { } owner && !await db.Users.AnyAsync(m => m.Id == owner && m.PracticeId == caller.PracticeId, stop))
        {
            return Problems.Field("ownerId", Said("This is no member of the practice. Choose one from the list."));
        }

        if (body.Archived && row.ArchivedAt is null)
        {
            var onIt = await db.Runs.CountAsync(r => r.ProgramId == id && r.EndedAt == null, stop);
            if (row.Status == "on" || onIt > 0)
            {
                return Problems.Conflict(
                    onIt > 0
                        ? Say($"{onIt} people are still on “{row.Name}”. Let them come to its end, or stop it for them, before you put it away.")
                        : Say($"“{row.Name}” is on. Pause it before you put it away.")
                );
            }
        }

        row.OwnerId = body.OwnerId;
        row.Hidden = body.Hidden;
        row.ArchivedAt = body.Archived ? row.ArchivedAt ?? await PracticeClock.NowAsync(db, stop) : null;
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
