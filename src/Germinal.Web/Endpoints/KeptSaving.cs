using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Saving what letters take from: whoever waits for it is looked at again.</summary>
internal static class KeptSaving
{
    /// <summary>What is said of a name that is taken.</summary>
    public static string Taken(string what, string name) => Say($"There is {what} “{name}” already. Give this one another name.");

    /// <summary>Saves what the context tracks; of two of one name at one moment one is refused.</summary>
    public static async Task<ValidationProblem?> SaveAsync(GerminalDb db, Func<string> taken, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateException e) when (e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation })
        {
            return Problems.Field("name", taken());
        }

        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    /// <summary>Removes rows.</summary>
    public static async Task<NoContent> RemoveAsync<T>(GerminalDb db, IQueryable<T> rows, CancellationToken stop)
        where T : class
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await rows.ExecuteDeleteAsync(stop);
        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
