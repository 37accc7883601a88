using System.Buffers.Text;
using System.Security.Claims;
using System.Security.Cryptography;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Hosting;

/// <summary>
/// Sessions in PostgreSQL instead of in the cookie. One is good as long as it is there, has not run out, and its member has
/// the same security stamp and role as at signing in and is not blocked.
/// </summary>
public sealed class SessionStore(IDbContextFactory<GerminalDb> databases, IDataProtectionProvider protection) : ITicketStore
{
    private static readonly Duration DefaultLife = Duration.FromHours(10);
    /// <summary>The claim that carries the session's id while a request is answered.</summary>
    public const string IdClaim = "germinal:session";

    private static readonly Duration SeenEvery = Duration.FromMinutes(5);
    private readonly IDataProtector seal = protection.CreateProtector("germinal.sessions");

    private static Instant Now => NodaTime.SystemClock.Instance.GetCurrentInstant();

    /// <inheritdoc/>
    public Task<string> StoreAsync(AuthenticationTicket ticket) => KeepAsync(ticket, "", "", CancellationToken.None);

    /// <inheritdoc/>
    public Task<string> StoreAsync(AuthenticationTicket ticket, HttpContext httpContext, CancellationToken cancellationToken) =>
        KeepAsync(ticket, Client.AddressOf(httpContext), Client.ProgramOf(httpContext), CancellationToken.None);

    private async Task<string> KeepAsync(AuthenticationTicket ticket, string address, string program, CancellationToken stop)
    {
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(32));
        var caller = Caller.Of(ticket.Principal);
        await using var db = await databases.CreateDbContextAsync(stop);
        var stamp = await db.Users.Where(u => u.Id == caller.Id).Select(u => u.SecurityStamp).SingleAsync(stop);
        var now = Now;
        db.Sessions.Add(
            new SessionRow
            {
                Id = IdOf(key),
                MemberId = caller.Id,
                Ticket = Sealed(ticket),
                Stamp = stamp ?? "",
                Role = caller.Role,
                CreatedAt = now,
                SeenAt = now,
                ExpiresAt = EndOf(ticket),
                FromAddress = address,
                FromProgram = program,
            }
        );
        await db.SaveChangesAsync(stop);

        // Whoever signs in tidies up after those that ran out.
        await db.Sessions.Where(s => s.ExpiresAt < now).ExecuteDeleteAsync(stop);
        return key;
    }

    /// <inheritdoc/>
    public async Task RenewAsync(string key, AuthenticationTicket ticket)
    {
        await using var db = await databases.CreateDbContextAsync();
        var (id, sealedTicket, end) = (IdOf(key), Sealed(ticket), EndOf(ticket));
        await db.Sessions.Where(s => s.Id == id).ExecuteUpdateAsync(u => u.SetProperty(s => s.Ticket, sealedTicket).SetProperty(s => s.ExpiresAt, end));
    }

    /// <inheritdoc/>
    public async Task<AuthenticationTicket?> RetrieveAsync(string key)
    {
        await using var db = await databases.CreateDbContextAsync();
        var (id, now) = (IdOf(key), Now);
        var found = (
            await db
                .Database.SqlQuery<Found>(
                    $"""
                    SELECT s.ticket, s.seen_at, s.stamp = u.security_stamp AND s.role = u.role AND u.blocked_at IS NULL AND u.left_at IS NULL AND p.stopped_at IS NULL AS good,
                      coalesce((p.settings ->> 'twoFactorsAsked')::boolean, false) AND u.factor_since IS NULL AND NOT EXISTS (SELECT 1 FROM "AspNetUserPasskeys" k WHERE k.user_id = u.id) AS unfinished, sight_of(u.id) AS sees
                    FROM sessions s JOIN "AspNetUsers" u ON u.id = s.member_id JOIN practices p ON p.id = u.practice_id
                    WHERE s.id = {id} AND s.expires_at > {now}
                    """
                )
                .ToListAsync()
        ).FirstOrDefault();
        if (found is not { Good: true })
        {
            await RemoveAsync(key);
            return null;
        }

        if (now - found.SeenAt > SeenEvery)
        {
            await db.Sessions.Where(s => s.Id == id).ExecuteUpdateAsync(u => u.SetProperty(s => s.SeenAt, now));
        }

        var ticket = TicketSerializer.Default.Deserialize(seal.Unprotect(found.Ticket));
        if (ticket?.Principal.Identity is ClaimsIdentity identity)
        {
            identity.AddClaim(new Claim(IdClaim, id));
            if (found.Unfinished)
            {
                identity.AddClaim(new Claim(Caller.UnfinishedClaim, "1"));
            }

            if (found.Sees is { } sees)
            {
                identity.AddClaim(new Claim(Caller.SeesClaim, string.Join(',', sees)));
            }
        }

        return ticket;
    }

    private sealed record Found(byte[] Ticket, Instant SeenAt, bool Good, bool Unfinished, Guid[]? Sees);

    /// <inheritdoc/>
    public async Task RemoveAsync(string key)
    {
        await using var db = await databases.CreateDbContextAsync();
        var id = IdOf(key);
        await db.Sessions.Where(s => s.Id == id).ExecuteDeleteAsync();
    }

    private static Instant EndOf(AuthenticationTicket ticket) =>
        ticket.Properties.ExpiresUtc is { } end ? Instant.FromDateTimeOffset(end) : Now + DefaultLife;

    /// <summary>The session that a request is part of; null for none.</summary>
    public static string? OwnOf(HttpContext http) => http.User.FindFirst(IdClaim)?.Value;

    private static string IdOf(string key) => KeyMark.Of(key);

    // Which session it is, whether a second factor is lacking, and whom they see are looked up each time, and not kept.
    private byte[] Sealed(AuthenticationTicket ticket) =>
        seal.Protect(
            TicketSerializer.Default.Serialize(
                new AuthenticationTicket(
                    new ClaimsPrincipal(ticket.Principal.Identities.Select(AsKept)),
                    ticket.Properties,
                    ticket.AuthenticationScheme
                )
            )
        );

    private static ClaimsIdentity AsKept(ClaimsIdentity identity)
    {
        var copy = identity.Clone();
        foreach (var claim in copy.FindAll(c => c.Type is IdClaim or Caller.UnfinishedClaim or Caller.SeesClaim).ToList())
        {
            copy.TryRemoveClaim(claim);
        }

        return copy;
    }
}

/// <summary>Gives the cookie its store; the options are made before services are there.</summary>
public sealed class UseSessionStore(SessionStore store) : Microsoft.Extensions.Options.IPostConfigureOptions<CookieAuthenticationOptions>
{
    /// <inheritdoc/>
    public void PostConfigure(string? name, CookieAuthenticationOptions options)
    {
        if (name == IdentityConstants.ApplicationScheme)
        {
            options.SessionStore = store;
        }
    }
}
