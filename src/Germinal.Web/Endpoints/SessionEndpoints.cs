using System.Security.Claims;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service;
using Germinal.Service.Members;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A member of the practice, for choosing an owner.</summary>
public sealed record MemberDto(Guid Id, string Name);

/// <summary>Who is signed in, what the practice offers to choose from, its currency (ISO 4217), and the guard for writing calls.</summary>
/// <param name="NoPractice">Whether the installation has no practice yet, and nobody who keeps it.</param>
/// <param name="Begins">Whether the way a new practice begins is still shown.</param>
/// <param name="Unfinished">Whether the member has to set up a second factor before anything else.</param>
/// <param name="IsDemo">Whether all of it is invented.</param>
/// <param name="EndsAt">By the machine's clock: when the practice goes with all it has; null: it stays.</param>
public sealed record SessionDto(
    string Guard,
    MemberDto? Member,
    string? Role,
    IReadOnlyList<string> May,
    string? Practice,
    IReadOnlyList<MemberDto> Members,
    IReadOnlyList<string> Stages,
    IReadOnlyList<string> Tags,
    IReadOnlyList<OwnFieldDto> OwnFields,
    IReadOnlyList<string> KeyDates,
    string? Currency,
    bool StandIns,
    bool NoPractice = false,
    bool Begins = false,
    bool Unfinished = false,
    bool IsDemo = false,
    string? EndsAt = null,
    string? Tongue = null
);

/// <summary>What is asked for next: <c>code</c>, six digits or a recovery code.</summary>
public sealed record SignInNextDto(string Needs);

/// <summary>What the browser is asked about passkeys (WebAuthn), as JSON.</summary>
public sealed record PasskeyAskDto(string Options);

/// <summary>Signing in and out.</summary>
public static class SessionEndpoints
{
    private static string NotTogether => Said("The address and the password do not go together. Check both; capitals count in the password.");

    public sealed record SignInBody([AtMost(500)] string Email, [AtMost(PasswordRules.Longest)] string Password);

    public sealed record CodeBody([AtMost(100)] string Code = "");

    /// <param name="Credential">What the browser answered, as JSON.</param>
    public sealed record PasskeyBody([AtMost(20_000)] string Credential = "");

    private static readonly MemberUser Nobody = new();

    // Made once; what it is a hash of nobody knows.
    private static readonly Lazy<string> NobodysHash = new(() => new PasswordHasher<MemberUser>().HashPassword(Nobody, Guid.NewGuid().ToString()));

    public static void Map(IEndpointRouteBuilder app)
    {
        var session = app.MapGroup("/api/session").WithTags("session");
        session.MapGet("", ReadAsync).OpenBeforeSecondFactor();
        session.MapPost("", SignInAsync).OpenBeforeSecondFactor();
        session.MapPost("/code", CodeAsync).OpenBeforeSecondFactor();
        session.MapPost("/passkey/ask", AskPasskeyAsync).OpenBeforeSecondFactor();
        session.MapPost("/passkey", PasskeyAsync).OpenBeforeSecondFactor();
        session.MapDelete("", SignOutAsync).OpenBeforeSecondFactor();
    }

    private static async Task<SessionDto> ReadAsync(HttpContext http, IAntiforgery guard, GerminalDb db, Settings settings, CancellationToken stop)
    {
        var token = guard.GetAndStoreTokens(http).RequestToken!;
        if (http.User.Identity?.IsAuthenticated != true)
        {
            return new SessionDto(
                token,
                null,
                null,
                [],
                null,
                [],
                [],
                [],
                [],
                [],
                null,
                settings.StandIns is not null,
                NoPractice: !await db.Practices.IgnoreQueryFilters().AnyAsync(stop),
                IsDemo: settings.StandIns is not null
            );
        }

        var caller = Caller.Of(http.User);
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == caller.PracticeId, stop);
        var members = await db
            .Users.AsNoTracking()
            .Where(m => m.PracticeId == caller.PracticeId && m.LeftAt == null)
            .OrderBy(m => m.Name)
            .Select(m => new MemberDto(m.Id, m.Name))
            .ToListAsync(stop);
        var own = await db.Users.Where(m => m.Id == caller.Id).Select(m => m.Tongue).SingleAsync(stop);
        var tags = await db.Tags.AsNoTracking().Select(t => t.Name).OrderBy(n => n).ToListAsync(stop);
        var stages = practice.Settings.AllStages().ToList();
        return new SessionDto(
            token,
            new MemberDto(caller.Id, caller.Name),
            caller.Role,
            Rights.Of(caller.Role, caller.SeesAll),
            practice.Name,
            members,
            stages,
            tags,
            [.. OwnFields.Of(practice.Settings).Select(OwnFieldDto.Of)],
            practice.Settings.KeyDates,
            practice.Settings.Prices.Currency,
            settings.StandIns is not null,
            Begins: practice.Settings.Begins && caller.May(Rights.ChangeSettings),
            Unfinished: http.User.HasClaim(c => c.Type == Caller.UnfinishedClaim),
            IsDemo: settings.StandIns is not null,
            EndsAt: practice.EndsAt?.Iso(),
            Tongue: (Tongue.Named(own) ?? Tongue.NamedElseBritish(practice.Settings.Tongue)).Tag
        );
    }

    private static async Task<Results<NoContent, Ok<SignInNextDto>, ValidationProblem, ProblemHttpResult>> SignInAsync(
        SignInBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (LetIn.Already(http) is { } already)
        {
            return already;
        }

        if (string.IsNullOrWhiteSpace(body.Email) || string.IsNullOrEmpty(body.Password))
        {
            return Problems.Field(string.IsNullOrWhiteSpace(body.Email) ? "email" : "password", Said("Both the email address and the password are needed."));
        }

        if (brake.Try(Client.Of(http), body.Email) is { } wait)
        {
            return TooManyTries(http, wait);
        }

        // An address nobody has, and a member who is blocked, cost the same work and get the same answer as a wrong password.
        var member = await users.FindByEmailAsync(body.Email.Trim());
        var right = Matches(users, member, PasswordRules.Normal(body.Password)) && member is { BlockedAt: null, LeftAt: null };
        if (!right)
        {
            brake.Wrong(Client.Of(http), body.Email);
            if (member is not null)
            {
                // Once the answer is on its way: how long it took tells nobody whether there is such a member.
                http.Response.OnCompleted(() => JournalKeeping.RefusedAsync(http, Caller.Of(member)));
            }

            return Problems.Field("password", NotTogether);
        }

        if (await StoppedAsync(db, member!, stop) is { } stopped)
        {
            return stopped;
        }

        if (member!.FactorSince is not null)
        {
            // Who has shown the first half is remembered for five minutes, in a sealed cookie.
            var half = new ClaimsIdentity(IdentityConstants.TwoFactorUserIdScheme);
            half.AddClaim(new Claim(ClaimTypes.Name, member.Id.ToString()));
            half.AddClaim(new Claim(StampClaim, member.SecurityStamp ?? ""));
            await http.SignInAsync(IdentityConstants.TwoFactorUserIdScheme, new ClaimsPrincipal(half));
            return TypedResults.Ok(new SignInNextDto("code"));
        }

        await letIn.AsAsync(http, member, note, stop);
        return TypedResults.NoContent();
    }

    private const string StampClaim = "germinal:stamp";

    /// <summary>The second half: a code of now that was not used before, or a recovery code, each of which works once.</summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> CodeAsync(
        CodeBody body,
        HttpContext http,
        GerminalDb db,
        Factors factors,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (LetIn.Already(http) is { } already)
        {
            return already;
        }

        var half = (await http.AuthenticateAsync(IdentityConstants.TwoFactorUserIdScheme)).Principal;
        var member = Guid.TryParse(half?.FindFirstValue(ClaimTypes.Name), out var id) ? await db.Users.FirstOrDefaultAsync(u => u.Id == id, stop) : null;
        if (member is not { BlockedAt: null, LeftAt: null } || member.SecurityStamp != half?.FindFirstValue(StampClaim))
        {
            return Problems.PutRight(Said("That took too long. Sign in with your address and password again."));
        }

        if (brake.Try(Client.Of(http), member.Email!) is { } wait)
        {
            return TooManyTries(http, wait);
        }

        if (!await factors.TakeAsync(db, member, body.Code, stop))
        {
            brake.Wrong(Client.Of(http), member.Email!);
            http.Response.OnCompleted(() => JournalKeeping.RefusedAsync(http, Caller.Of(member)));
            return Problems.Field("code", Said("This is not the code of now. Wait for the next one, or give a recovery code that was not used yet."));
        }

        if (await StoppedAsync(db, member, stop) is { } stopped)
        {
            return stopped;
        }

        await http.SignOutAsync(IdentityConstants.TwoFactorUserIdScheme);
        await letIn.AsAsync(http, member, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>What the browser is asked, to sign in with a passkey (WebAuthn): whichever of them it has for this place.</summary>
    private static async Task<PasskeyAskDto> AskPasskeyAsync(SignInManager<MemberUser> signIn) => new(await signIn.MakePasskeyRequestOptionsAsync(null));

    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> PasskeyAsync(
        PasskeyBody body,
        HttpContext http,
        GerminalDb db,
        SignInManager<MemberUser> signIn,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (LetIn.Already(http) is { } already)
        {
            return already;
        }

        if (brake.Try(Client.Of(http), "passkey") is { } wait)
        {
            return TooManyTries(http, wait);
        }

        PasskeyAssertionResult<MemberUser> answer;
        try
        {
            answer = await signIn.PerformPasskeyAssertionAsync(body.Credential);
        }
        catch (Exception e) when (e is PasskeyException or InvalidOperationException or System.Text.Json.JsonException or FormatException or ArgumentException)
        {
            return Problems.PutRight(Said("This passkey could not be read. Try again, or sign in with your password."));
        }

        if (!answer.Succeeded || answer.User is not { BlockedAt: null, LeftAt: null })
        {
            return Problems.PutRight(Said("This passkey is none of anybody here any more. Sign in with your password."));
        }

        if (await StoppedAsync(db, answer.User, stop) is { } stopped)
        {
            return stopped;
        }

        await signIn.UserManager.AddOrUpdatePasskeyAsync(answer.User, answer.Passkey);
        await letIn.AsAsync(http, answer.User, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>Why a member who has shown who they are is not let in: the installation's keepers have their practice stopped. Null where they have not.</summary>
    private static async Task<ProblemHttpResult?> StoppedAsync(GerminalDb db, MemberUser member, CancellationToken stop) =>
        await db.Practices.AsNoTracking().FirstOrDefaultAsync(p => p.Id == member.PracticeId && p.StoppedAt != null, stop) is { } practice
            ? TypedResults.Problem(
                Say($"{practice.Name} is stopped by whoever keeps this installation: {practice.StoppedWhy} Nothing of it is lost, and nothing goes out until it is started again."),
                statusCode: StatusCodes.Status403Forbidden,
                title: "Stopped"
            )
            : null;

    private static async Task<NoContent> SignOutAsync(SignInManager<MemberUser> signIn)
    {
        await signIn.SignOutAsync();
        return TypedResults.NoContent();
    }

    /// <summary>Nobody may go on for a while.</summary>
    internal static ProblemHttpResult TooManyTries(HttpContext http, TimeSpan wait)
    {
        http.Response.Headers.RetryAfter = Math.Ceiling(wait.TotalSeconds).ToString(System.Globalization.CultureInfo.InvariantCulture);
        return TypedResults.Problem(
            Say($"There have been too many tries. Wait {(wait < TimeSpan.FromMinutes(2) ? Said("a minute") : Say($"{Math.Ceiling(wait.TotalMinutes)} minutes"))} and try again."),
            statusCode: StatusCodes.Status429TooManyRequests,
            title: Said("Too many tries")
        );
    }

    /// <summary>Whether it is a member's password; of nobody it takes as long to find out that it is not.</summary>
    internal static bool Matches(UserManager<MemberUser> users, MemberUser? member, string password) =>
        users.PasswordHasher.VerifyHashedPassword(member ?? Nobody, member?.PasswordHash ?? NobodysHash.Value, password) != PasswordVerificationResult.Failed
        && member is { PasswordHash: not null };
}
