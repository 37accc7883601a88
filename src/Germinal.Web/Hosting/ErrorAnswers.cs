using Microsoft.AspNetCore.Diagnostics;
using Microsoft.EntityFrameworkCore;
using Npgsql;

namespace Germinal.Web.Hosting;

/// <summary>Something that was sent cannot be read; the message says what is wrong and what would be right.</summary>
/// <param name="message">In a sentence.</param>
internal sealed class NotReadableException(string message) : Exception(message);

/// <summary>
/// What goes wrong because two come at once, or because of what was sent, said as such: 409 and 400. Everything else is a
/// mistake of ours, 500, and is logged.
/// </summary>
internal sealed class ErrorAnswers : IExceptionHandler
{
    /// <summary>True of a mistake that is known to have kept everything as it was; of any other nobody can say.</summary>
    public static bool NothingWasDone(Exception exception) => exception is BadHttpRequestException || Of(exception) is not null;

    public async ValueTask<bool> TryHandleAsync(HttpContext httpContext, Exception exception, CancellationToken cancellationToken)
    {
        var answer =
            exception is OperationCanceledException && httpContext.RequestAborted.IsCancellationRequested
                ? TypedResults.Problem(statusCode: StatusCodes.Status499ClientClosedRequest)
                : Of(exception);
        if (answer is null)
        {
            return false;
        }

        await answer.ExecuteAsync(httpContext);
        return true;
    }

    /// <summary>What is answered where it is the caller's to put right; null for a mistake of ours.</summary>
    private static Microsoft.AspNetCore.Http.HttpResults.ProblemHttpResult? Of(Exception exception) =>
        exception switch
        {
            DbUpdateConcurrencyException => Problems.Conflict(Said("Somebody else has changed this at the same moment. Load it again and repeat what you did.")),
            NotReadableException asked => Problems.PutRight(asked.Message),
            _ when (exception as PostgresException ?? exception.InnerException as PostgresException) is { } refused => Of(refused),
            _ => null,
        };

    private static Microsoft.AspNetCore.Http.HttpResults.ProblemHttpResult? Of(PostgresException refused) =>
        refused.SqlState switch
        {
            PostgresErrorCodes.UniqueViolation
            or PostgresErrorCodes.SerializationFailure
            or PostgresErrorCodes.DeadlockDetected
            or PostgresErrorCodes.ForeignKeyViolation => Problems.Conflict(
                Said("Somebody else has done this, or changed it, at the same moment. Load the page again and look before you repeat it.")
            ),
            PostgresErrorCodes.CharacterNotInRepertoire
            or PostgresErrorCodes.UntranslatableCharacter
            or PostgresErrorCodes.NumericValueOutOfRange
            or PostgresErrorCodes.DatetimeFieldOverflow
            or PostgresErrorCodes.ProgramLimitExceeded => Problems.PutRight(Said("Something in it is too long, too large, or no text.")),
            _ => null,
        };
}
