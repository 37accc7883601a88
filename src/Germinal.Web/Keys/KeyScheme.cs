using System.Security.Claims;
using System.Text.Encodings.Web;
using Germinal.Service.OtherPrograms;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Authentication;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Options;

namespace Germinal.Web.Keys;

/// <summary>
/// Another program that shows a key (<c>Authorization: Bearer germinal_…</c>, RFC 6750): it works for the member who made the key, sees whom they see,
/// and may what both they and the key may.
/// </summary>
internal sealed class KeyScheme(IOptionsMonitor<AuthenticationSchemeOptions> options, ILoggerFactory log, UrlEncoder encoder, IDbContextFactory<GerminalDb> databases)
    : AuthenticationHandler<AuthenticationSchemeOptions>(options, log, encoder)
{
    /// <summary>The scheme's name.</summary>
    public const string Name = "key";

    private const string Bearer = "Bearer ";

    /// <summary>Whether a call shows a key, right or wrong; cookies then count for nothing.</summary>
    public static bool IsShown(HttpContext http) => Of(http) is not null;

    /// <summary>The scheme a call is looked at by.</summary>
    public static string? Select(HttpContext http) => IsShown(http) ? Name : null;

    private static string? Of(HttpContext http) =>
        http.Request.Headers.Authorization.ToString() is var shown && shown.StartsWith(Bearer, StringComparison.OrdinalIgnoreCase) ? shown[Bearer.Length..].Trim() : null;

    /// <inheritdoc/>
    protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
    {
        if (Of(Context) is not { } key)
        {
            return AuthenticateResult.NoResult();
        }

        await using var db = await databases.CreateDbContextAsync(Context.RequestAborted);
        if (await ApiKeys.FindAsync(db, key, NodaTime.SystemClock.Instance.GetCurrentInstant(), Context.RequestAborted) is not var (row, member))
        {
            return AuthenticateResult.Fail(Said("no such key"));
        }

        List<Claim> claims =
        [
            new(ClaimTypes.NameIdentifier, member.Id.ToString()),
            new(Caller.PracticeClaim, member.PracticeId.ToString()),
            new(Caller.NameClaim, Say($"“{row.Name}” for {member.Name}")),
            new(ClaimTypes.Role, member.Role),
            new(Caller.KeyClaim, string.Join(',', row.Rights)),
            new(Caller.KeyIdClaim, row.Id.ToString()),
        ];
        if (await Sight.OfAsync(db, member.Id, Context.RequestAborted) is { } sees)
        {
            claims.Add(new Claim(Caller.SeesClaim, string.Join(',', sees)));
        }

        return AuthenticateResult.Success(new AuthenticationTicket(new ClaimsPrincipal(new ClaimsIdentity(claims, Name)), Name));
    }

    /// <inheritdoc/>
    protected override Task HandleChallengeAsync(AuthenticationProperties properties)
    {
        Response.Headers.WWWAuthenticate = "Bearer error=\"invalid_token\"";
        Response.StatusCode = StatusCodes.Status401Unauthorized;
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override Task HandleForbiddenAsync(AuthenticationProperties properties)
    {
        Response.StatusCode = StatusCodes.Status403Forbidden;
        return Task.CompletedTask;
    }
}
