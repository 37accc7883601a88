using System.Buffers.Text;
using System.Text.Json;
using Germinal.Channels.Post;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Keys;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A language the application speaks.</summary>
/// <param name="Tag">Its tag (BCP 47).</param>
/// <param name="Name">As its own speakers call it.</param>
public sealed record TongueDto(string Tag, string Name);

/// <summary>A passkey of a member's.</summary>
/// <param name="Id">Base64url.</param>
/// <param name="Name">What they call it.</param>
/// <param name="MadeAt">By the machine's clock.</param>
public sealed record PasskeyDto(string Id, string Name, string MadeAt);

/// <summary>Where a member is signed in. Moments are the machine's clock.</summary>
/// <param name="Id">The session.</param>
/// <param name="Device">In words, as the browser says itself.</param>
/// <param name="Address">The address they signed in from.</param>
/// <param name="Since">When.</param>
/// <param name="SeenAt">When it was used last, to some minutes.</param>
/// <param name="IsThis">Whether it is the one that asks.</param>
public sealed record OwnSessionDto(string Id, string Device, string Address, string Since, string SeenAt, bool IsThis);

/// <summary>What a member sees of their own sign-in.</summary>
/// <param name="Tongue">The language they work in, by its tag; empty for the practice's.</param>
/// <param name="Tongues">Those there are.</param>
/// <param name="FactorSince">Since when a second factor is asked for; null where it is not.</param>
/// <param name="RecoveryLeft">Recovery codes that were not used yet.</param>
/// <param name="FactorAsked">Whether the practice asks for one, or a passkey.</param>
public sealed record MeDto(
    string Name,
    string Email,
    string Role,
    string Tongue,
    IReadOnlyList<TongueDto> Tongues,
    string? FactorSince,
    int RecoveryLeft,
    bool FactorAsked,
    IReadOnlyList<PasskeyDto> Passkeys,
    IReadOnlyList<OwnSessionDto> Sessions
);

/// <summary>A second factor that is being set up: its secret to be typed, its address, and that as a picture (SVG).</summary>
public sealed record FactorDto(string Secret, string Address, string Picture);

/// <summary>Recovery codes; they are shown this once.</summary>
public sealed record RecoveryDto(IReadOnlyList<string> Codes);

/// <summary>What a member does about their own sign-in.</summary>
public static class MeEndpoints
{
    public sealed record NameBody([AtMost(Lengths.Name)] string Name = "");

    /// <param name="Tongue">The language to work in, by its tag; empty for the practice's.</param>
    public sealed record TongueBody([AtMost(10)] string Tongue = "");

    public sealed record PasswordBody([AtMost(PasswordRules.Longest)] string Old = "", [AtMost(PasswordRules.Longest)] string New = "");

    /// <param name="Password">One's own, to show that it is really oneself.</param>
    public sealed record ConfirmBody([AtMost(PasswordRules.Longest)] string Password = "");

    public sealed record FactorBody([AtMost(20)] string Code = "");

    /// <param name="Credential">What the browser answered, as JSON.</param>
    /// <param name="Name">What to call it.</param>
    public sealed record NewPasskeyBody([AtMost(20_000)] string Credential = "", [AtMost(Lengths.Name)] string Name = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var me = app.MapGroup("/api/me").WithTags("me").RequireAuthorization(Rights.OwnSignIn).OpenBeforeSecondFactor().ForMembersOnly();
        me.MapGet("", ReadAsync);
        me.MapPut("/name", NameAsync);
        me.MapPut("/tongue", TongueAsync);
        me.MapPut("/password", PasswordAsync);
        me.MapPost("/factor", BeginFactorAsync);
        me.MapPut("/factor", TakeFactorAsync);
        me.MapPost("/factor/end", EndFactorAsync);
        me.MapPost("/factor/recovery", RecoveryAsync);
        me.MapPost("/passkeys/ask", AskPasskeyAsync);
        me.MapPost("/passkeys", AddPasskeyAsync);
        me.MapDelete("/passkeys/{id}", RemovePasskeyAsync);
        me.MapDelete("/sessions", EndOthersAsync);
        me.MapDelete("/sessions/{id}", EndSessionAsync);
    }

    internal static Task<MemberUser> MeAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        db.Users.SingleAsync(u => u.Id == caller.Id && u.PracticeId == caller.PracticeId, stop);

    private static async Task<MeDto> ReadAsync(HttpContext http, GerminalDb db, UserManager<MemberUser> users, Caller caller, CancellationToken stop)
    {
        var me = await MeAsync(db, caller, stop);
        var asked = (await db.OwnPracticeAsync(stop)).Settings.TwoFactorsAsked;
        var own = SessionStore.OwnOf(http);
        var now = SystemClock.Instance.GetCurrentInstant();
        var sessions = await db
            .Sessions.AsNoTracking()
            .Where(s => s.MemberId == me.Id && s.Stamp == me.SecurityStamp && s.Role == me.Role && s.ExpiresAt > now)
            .OrderByDescending(s => s.SeenAt)
            .Take(100)
            .Select(s => new { s.Id, s.FromProgram, s.FromAddress, s.CreatedAt, s.SeenAt })
            .ToListAsync(stop);
        var passkeys = await users.GetPasskeysAsync(me);
        return new MeDto(
            me.Name,
            me.Email!,
            me.Role,
            me.Tongue,
            [.. Tongue.All.Select(t => new TongueDto(t.Tag, t.Name))],
            me.FactorSince?.Iso(),
            me.RecoveryMarks.Count,
            asked,
            [
                .. passkeys
                    .OrderBy(p => p.CreatedAt)
                    .Select(p => new PasskeyDto(Base64Url.EncodeToString(p.CredentialId), p.Name ?? Said("a passkey"), Instant.FromDateTimeOffset(p.CreatedAt).Iso())),
            ],
            [
                .. sessions.Select(s => new OwnSessionDto(s.Id, DeviceWords.Of(s.FromProgram), s.FromAddress, s.CreatedAt.Iso(), s.SeenAt.Iso(), s.Id == own)),
            ]
        );
    }

    private static async Task<Results<NoContent, ValidationProblem>> NameAsync(NameBody body, HttpContext http, GerminalDb db, LetIn letIn, Caller caller, CancellationToken stop)
    {
        var name = CellReading.Clean(body.Name);
        if (name.Length == 0)
        {
            return Problems.Field("name", Said("Say what you are called, as it is to stand under letters."));
        }

        var me = await MeAsync(db, caller, stop);
        me.Name = name;
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await letIn.AnewAsync(http, me, stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ValidationProblem>> TongueAsync(TongueBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (body.Tongue.Length > 0 && Tongue.ProblemOf(body.Tongue) is { } problem)
        {
            return Problems.Field("tongue", problem);
        }

        (await MeAsync(db, caller, stop)).Tongue = body.Tongue;
        await db.SaveChangesAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> PasswordAsync(
        PasswordBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        LetIn letIn,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeAsync(db, caller, stop);
        if (Unsure(http, users, me, body.Old, brake) is { } trouble)
        {
            return trouble;
        }

        if (await JoinEndpoints.ProblemOfAsync(db, me, body.New, stop) is { } problem)
        {
            return Problems.Field("new", problem);
        }

        await using (var transaction = await db.Database.BeginTransactionAsync(stop))
        {
            await JoinEndpoints.GiveAsync(users, me, body.New);
            await transaction.CommitAsync(stop);
        }

        await letIn.AnewAsync(http, me, stop);
        return TypedResults.NoContent();
    }

    /// <summary>Whether whoever asks has not shown that it is them; at most so often.</summary>
    internal static ProblemHttpResult? Unsure(HttpContext http, UserManager<MemberUser> users, MemberUser me, string password, SignInBrake brake)
    {
        if (brake.Try(Client.Of(http), me.Email!) is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        if (SessionEndpoints.Matches(users, me, PasswordRules.Normal(password)))
        {
            return null;
        }

        brake.Wrong(Client.Of(http), me.Email!);
        return Problems.PutRight(Said("This is not your password. Give the one you sign in with, to show that it is you."));
    }

    /// <summary>A secret for a telephone to keep; it is asked for once a code of it was given.</summary>
    private static async Task<Results<Ok<FactorDto>, ProblemHttpResult>> BeginFactorAsync(GerminalDb db, Factors factors, Caller caller, CancellationToken stop)
    {
        var me = await MeAsync(db, caller, stop);
        if (me.FactorSince is not null)
        {
            return Problems.PutRight(Said("A second factor is asked for already. End that one first."));
        }

        var secret = factors.Begin(me);
        await db.SaveChangesAsync(stop);
        var address = SecondFactor.AddressOf(secret, me.Email!, (await db.OwnPracticeAsync(stop)).Name);
        return TypedResults.Ok(new FactorDto(secret, address, SignUpSheet.CodeSvg(address)));
    }

    private static async Task<Results<Ok<RecoveryDto>, ValidationProblem, ProblemHttpResult>> TakeFactorAsync(
        FactorBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        Factors factors,
        LetIn letIn,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeAsync(db, caller, stop);
        if (me.FactorSince is not null || factors.SecretOf(me) is not { } secret)
        {
            return Problems.PutRight(Said("There is no second factor being set up. Begin it anew."));
        }

        if (brake.Try(Client.Of(http), me.Email!) is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        var now = SystemClock.Instance.GetCurrentInstant();
        if (SecondFactor.StepOf(secret, body.Code, now.ToDateTimeUtc(), me.FactorStep) is not { } step)
        {
            brake.Wrong(Client.Of(http), me.Email!);
            return Problems.Field("code", Said("This is not the code of now. Look whether the clock of the telephone is right, and give the next one."));
        }

        var (shown, kept) = SecondFactor.NewRecoveryCodes();
        (me.FactorSince, me.FactorStep, me.RecoveryMarks) = (now, step, kept);
        await users.UpdateSecurityStampAsync(me);
        await letIn.AnewAsync(http, me, stop);
        return TypedResults.Ok(new RecoveryDto(shown));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> EndFactorAsync(
        ConfirmBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        LetIn letIn,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeAsync(db, caller, stop);
        if (Unsure(http, users, me, body.Password, brake) is { } trouble)
        {
            return trouble;
        }

        Forget(me);
        await users.UpdateSecurityStampAsync(me);
        await letIn.AnewAsync(http, me, stop);
        return TypedResults.NoContent();
    }

    /// <summary>A member's second factor is asked for no more.</summary>
    internal static void Forget(MemberUser member) => (member.SealedFactor, member.FactorSince, member.FactorStep, member.RecoveryMarks) = ("", null, 0, []);

    /// <summary>New recovery codes; those there were work no more.</summary>
    private static async Task<Results<Ok<RecoveryDto>, ProblemHttpResult>> RecoveryAsync(
        ConfirmBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeAsync(db, caller, stop);
        if (Unsure(http, users, me, body.Password, brake) is { } trouble)
        {
            return trouble;
        }

        if (me.FactorSince is null)
        {
            return Problems.PutRight(Said("No second factor is asked for, so no recovery codes are needed."));
        }

        var (shown, kept) = SecondFactor.NewRecoveryCodes();
        me.RecoveryMarks = kept;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new RecoveryDto(shown));
    }

    /// <summary>
    /// What the browser is asked, to make a passkey (WebAuthn). Whoever sits down at a desk that was left open cannot make one that lets them in
    /// ever after: it asks for the password.
    /// </summary>
    private static async Task<Results<Ok<PasskeyAskDto>, ProblemHttpResult>> AskPasskeyAsync(
        ConfirmBody body,
        HttpContext http,
        GerminalDb db,
        SignInManager<MemberUser> signIn,
        SignInBrake brake,
        Caller caller,
        CancellationToken stop
    )
    {
        var me = await MeAsync(db, caller, stop);
        if (Unsure(http, signIn.UserManager, me, body.Password, brake) is { } trouble)
        {
            return trouble;
        }

        var options = await signIn.MakePasskeyCreationOptionsAsync(new PasskeyUserEntity { Id = me.Id.ToString(), Name = me.Email!, DisplayName = me.Name });
        return TypedResults.Ok(new PasskeyAskDto(options));
    }

    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> AddPasskeyAsync(
        NewPasskeyBody body,
        GerminalDb db,
        SignInManager<MemberUser> signIn,
        Caller caller,
        CancellationToken stop
    )
    {
        PasskeyAttestationResult answer;
        try
        {
            answer = await signIn.PerformPasskeyAttestationAsync(body.Credential);
        }
        catch (Exception e) when (e is PasskeyException or InvalidOperationException or JsonException or FormatException or ArgumentException)
        {
            return Problems.PutRight(Said("This passkey could not be read. Try again."));
        }

        if (!answer.Succeeded)
        {
            return Problems.PutRight(Say($"This passkey could not be taken: {answer.Failure.Message}"));
        }

        var me = await MeAsync(db, caller, stop);
        if ((await signIn.UserManager.GetPasskeysAsync(me)).Count >= MostPasskeys)
        {
            return Problems.PutRight(Say($"There are {MostPasskeys} passkeys already. Take one away first."));
        }

        answer.Passkey.Name = CellReading.Clean(body.Name) is { Length: > 0 } name ? name : Said("a passkey");
        var added = await signIn.UserManager.AddOrUpdatePasskeyAsync(me, answer.Passkey);
        return added.Succeeded ? TypedResults.NoContent() : Problems.PutRight(Said("This passkey could not be kept. Try again."));
    }

    private const int MostPasskeys = 20;

    private static async Task<Results<NoContent, NotFound>> RemovePasskeyAsync(string id, GerminalDb db, UserManager<MemberUser> users, Caller caller, CancellationToken stop)
    {
        var me = await MeAsync(db, caller, stop);
        if ((await users.GetPasskeysAsync(me)).FirstOrDefault(p => Base64Url.EncodeToString(p.CredentialId) == id) is not { } passkey)
        {
            return TypedResults.NotFound();
        }

        await users.RemovePasskeyAsync(me, passkey.CredentialId);
        return TypedResults.NoContent();
    }

    private static async Task<NoContent> EndOthersAsync(HttpContext http, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var own = SessionStore.OwnOf(http);
        await db.Sessions.Where(s => s.MemberId == caller.Id && s.Id != own).ExecuteDeleteAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> EndSessionAsync(string id, GerminalDb db, Caller caller, CancellationToken stop) =>
        await db.Sessions.Where(s => s.MemberId == caller.Id && s.Id == id).ExecuteDeleteAsync(stop) > 0 ? TypedResults.NoContent() : TypedResults.NotFound();
}
