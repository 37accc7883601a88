using System.Security.Cryptography;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Members;
using Germinal.Service.Whole;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;

namespace Germinal.Web.Endpoints;

/// <summary>A backup of the installation. The moment is the machine's clock.</summary>
public sealed record BackupDto(string At, long Bytes);

/// <summary>The practice as a whole.</summary>
/// <param name="EndsAt">By the machine's clock: when it goes with all it has; null: it stays.</param>
/// <param name="Backups">The installation's, newest first; null where it makes none.</param>
public sealed record WholeDto(string? EndsAt, IReadOnlyList<BackupDto>? Backups);

/// <summary>Where the archive is fetched, for a few minutes.</summary>
public sealed record ArchiveDto(string Address);

/// <summary>When the practice goes, by the machine's clock.</summary>
public sealed record PracticeEndDto(string EndsAt);

/// <summary>The practice as a whole: taken out, and let go.</summary>
public static class WholeEndpoints
{
    private static readonly TimeSpan ArchiveLife = TimeSpan.FromMinutes(10);

    /// <param name="Password">One's own, to show that it is really oneself.</param>
    public sealed record ArchiveBody([AtMost(PasswordRules.Longest)] string Password = "");

    /// <param name="Name">What the practice is called, so that nobody does it by mistake.</param>
    /// <param name="Password">One's own.</param>
    public sealed record EndBody([AtMost(Lengths.Name)] string Name = "", [AtMost(PasswordRules.Longest)] string Password = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var whole = app.MapGroup("/api/whole").WithTags("whole").RequireAuthorization(Rights.TakeWhole);
        whole.MapGet("", ReadAsync);
        whole.MapPost("/archive", AskArchiveAsync);
        whole.MapGet("/archive", ArchiveAsync).ExcludeFromDescription();
        whole.MapPost("/end", EndAsync);
        whole.MapPost("/keep", KeepAsync);
    }

    private static async Task<WholeDto> ReadAsync(GerminalDb db, Settings settings, CancellationToken stop) =>
        new((await db.OwnPracticeAsync(stop)).EndsAt?.Iso(), settings.Backups is { } backups ? [.. backups.All().Select(b => new BackupDto(b.At.Iso(), b.Bytes))] : null);

    private static ITimeLimitedDataProtector Tickets(IDataProtectionProvider protection) => protection.CreateProtector("germinal.archive").ToTimeLimitedDataProtector();

    /// <summary>Whoever wants everything shows that it is them; what they get is an address for a few minutes, so that a file of any size is fetched as files are.</summary>
    private static async Task<Results<Ok<ArchiveDto>, ProblemHttpResult>> AskArchiveAsync(
        ArchiveBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        SignInBrake brake,
        IDataProtectionProvider protection,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeEndpoints.MeAsync(db, caller, stop);
        return MeEndpoints.Unsure(http, users, me, body.Password, brake) is { } trouble
            ? trouble
            : TypedResults.Ok(new ArchiveDto($"/api/whole/archive?key={Uri.EscapeDataString(Tickets(protection).Protect(caller.Id.ToString(), ArchiveLife))}"));
    }

    /// <summary>Made whole before it is handed out: one that cannot be made is no file that looks like one.</summary>
    private static async Task<IResult> ArchiveAsync(string? key, GerminalDb db, IDataProtectionProvider protection, Caller caller, CancellationToken stop)
    {
        try
        {
            if (Tickets(protection).Unprotect(key ?? "") != caller.Id.ToString())
            {
                return Results.NotFound();
            }
        }
        catch (CryptographicException)
        {
            return TypedResults.Problem(Said("This address was good for a few minutes. Ask for everything once more, on the page “All data”."), statusCode: StatusCodes.Status410Gone, title: Said("Good no more"));
        }

        var practice = await db.OwnPracticeAsync(stop);
        var file = new FileStream(
            Path.Combine(Path.GetTempPath(), $"germinal-{Guid.NewGuid():N}.zip"),
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.ReadWrite,
                Options = FileOptions.Asynchronous | FileOptions.DeleteOnClose,
                UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
            }
        );
        try
        {
            await ArchiveOut.WriteAsync(db, file, stop);
        }
        catch
        {
            await file.DisposeAsync();
            throw;
        }

        file.Position = 0;
        return Results.File(file, "application/zip", $"{FileNames.Of(practice.Name, "practice")}.germinal.zip");
    }

    private static async Task<Results<Ok<PracticeEndDto>, ValidationProblem, ProblemHttpResult>> EndAsync(
        EndBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        MemberMails mails,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var name = (await db.OwnPracticeAsync(stop)).Name;
        if (!string.Equals(body.Name.Trim(), name, StringComparison.OrdinalIgnoreCase))
        {
            return Problems.Field("name", Say($"Write “{name}” to let it go."));
        }

        var me = await MeEndpoints.MeAsync(db, caller, stop);
        if (MeEndpoints.Unsure(http, users, me, body.Password, brake) is { } trouble)
        {
            return trouble;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var ends = await PracticeEnd.AskAsync(db, mails, me, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new PracticeEndDto(ends.Iso()));
    }

    private static async Task<NoContent> KeepAsync(GerminalDb db, CancellationToken stop)
    {
        await PracticeEnd.KeepAsync(db, stop);
        return TypedResults.NoContent();
    }
}
