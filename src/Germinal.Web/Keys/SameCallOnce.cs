using System.Security.Claims;
using System.Security.Cryptography;
using System.Text;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Keys;

/// <summary>
/// A call by a key that has a name of its own (<c>Idempotency-Key</c>, draft-ietf-httpapi-idempotency-key-header) is done once: the same again within a
/// day is answered as it was. Two at once, and one that broke off so that nobody knows whether it was done, are refused.
/// </summary>
/// <param name="next">What comes after.</param>
internal sealed class SameCallOnce(RequestDelegate next)
{
    private const string Header = "Idempotency-Key";
    private const int LongestName = 200;

    /// <summary>Answers longer than this are done, and not kept.</summary>
    private const int MostKept = 1024 * 1024;

    /// <summary>What is noted is noted to its end, when the line to the caller drops too.</summary>
    private static CancellationToken Ends => CancellationToken.None;

    private static readonly Duration KeptFor = Duration.FromDays(1);

    public async Task InvokeAsync(HttpContext http, IDbContextFactory<GerminalDb> databases)
    {
        if (
            http.User.FindFirstValue(Caller.KeyIdClaim) is not { } key
            || HttpMethods.IsGet(http.Request.Method)
            || HttpMethods.IsHead(http.Request.Method)
            || !http.Request.Headers.TryGetValue(Header, out var said)
        )
        {
            await next(http);
            return;
        }

        var name = said.ToString().Trim();
        if (name.Length is 0 or > LongestName)
        {
            await Refuse(http, StatusCodes.Status400BadRequest, Say($"{Header} is a name of 1 to {LongestName} letters, a new one for each call; a UUID would be."));
            return;
        }

        var row = new KeptAnswerRow
        {
            PracticeId = Guid.Parse(http.User.FindFirstValue(Caller.PracticeClaim)!),
            KeyId = Guid.Parse(key),
            Name = name,
            Print = await PrintAsync(http),
            At = SystemClock.Instance.GetCurrentInstant(),
        };
        if (await BegunBeforeAsync(databases, row) is { } before)
        {
            await AnswerAsync(http, before, row);
            return;
        }

        var answer = http.Response.Body;
        using var kept = new MemoryStream();
        http.Response.Body = kept;
        try
        {
            await next(http);
        }
        catch (Exception e) when (ErrorAnswers.NothingWasDone(e))
        {
            // The same call may be made again; of any other error nobody knows how far it had come.
            await ForgetAsync(databases, row);
            throw;
        }
        finally
        {
            http.Response.Body = answer;
        }

        if (http.Response.StatusCode >= StatusCodes.Status500InternalServerError || kept.Length > MostKept)
        {
            await ForgetAsync(databases, row);
        }
        else
        {
            await KeepAsync(databases, row, http.Response.StatusCode, http.Response.ContentType ?? "", kept.ToArray());
        }

        kept.Position = 0;
        await kept.CopyToAsync(answer, http.RequestAborted);
    }

    private static async Task<string> PrintAsync(HttpContext http)
    {
        http.Request.EnableBuffering();
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        hash.AppendData(Encoding.UTF8.GetBytes($"{http.Request.Method} {http.Request.Path}{http.Request.QueryString}\n"));
        var piece = new byte[16 * 1024];
        int count;
        while ((count = await http.Request.Body.ReadAsync(piece, http.RequestAborted)) > 0)
        {
            hash.AppendData(piece, 0, count);
        }

        http.Request.Body.Position = 0;
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    /// <summary>Notes that a call begins; what was noted of the same name before, where there is something.</summary>
    private static async Task<KeptAnswerRow?> BegunBeforeAsync(IDbContextFactory<GerminalDb> databases, KeptAnswerRow row)
    {
        await using var db = await databases.CreateDbContextAsync(Ends);
        db.PracticeId = row.PracticeId;
        var old = row.At - KeptFor;
        await db.KeptAnswers.Where(a => a.KeyId == row.KeyId && a.At < old).ExecuteDeleteAsync(Ends);
        var begun = await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO kept_answers (practice_id, key_id, name, print, at, content_type, body)
            VALUES ({row.PracticeId}, {row.KeyId}, {row.Name}, {row.Print}, {row.At}, '', ''::bytea) ON CONFLICT DO NOTHING
            """,
            Ends
        );
        return begun > 0 ? null : await db.KeptAnswers.AsNoTracking().FirstOrDefaultAsync(a => a.KeyId == row.KeyId && a.Name == row.Name, Ends);
    }

    private static async Task AnswerAsync(HttpContext http, KeptAnswerRow before, KeptAnswerRow now)
    {
        if (before.Print != now.Print)
        {
            await Refuse(http, StatusCodes.Status422UnprocessableEntity, Say($"“{now.Name}” was the name of another call; each has a name of its own."));
        }
        else if (before.Status is not { } status)
        {
            await Refuse(http, StatusCodes.Status409Conflict, Said("This call is under way, or broke off before it was answered. Look whether it was done; if it was not, make it under another name."));
        }
        else
        {
            http.Response.StatusCode = status;
            http.Response.Headers["Idempotency-Replayed"] = "true";
            if (before.ContentType.Length > 0)
            {
                http.Response.ContentType = before.ContentType;
            }

            await http.Response.Body.WriteAsync(before.Body, http.RequestAborted);
        }
    }

    private static async Task KeepAsync(IDbContextFactory<GerminalDb> databases, KeptAnswerRow row, int status, string type, byte[] body)
    {
        await using var db = await databases.CreateDbContextAsync(Ends);
        db.PracticeId = row.PracticeId;
        await db
            .KeptAnswers.Where(a => a.KeyId == row.KeyId && a.Name == row.Name)
            .ExecuteUpdateAsync(u => u.SetProperty(a => a.Status, status).SetProperty(a => a.ContentType, type).SetProperty(a => a.Body, body), Ends);
    }

    private static async Task ForgetAsync(IDbContextFactory<GerminalDb> databases, KeptAnswerRow row)
    {
        await using var db = await databases.CreateDbContextAsync(Ends);
        db.PracticeId = row.PracticeId;
        await db.KeptAnswers.Where(a => a.KeyId == row.KeyId && a.Name == row.Name).ExecuteDeleteAsync(Ends);
    }

    private static Task Refuse(HttpContext http, int status, string words) =>
        TypedResults.Problem(words, statusCode: status, title: Said("Something has to be put right")).ExecuteAsync(http);
}
