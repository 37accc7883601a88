using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
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
    private readonly IDataProtector seal = protection.CreateProtector("germinal.sessions");

    private static Instant Now => NodaTime.SystemClock.Instance.GetCurrentInstant();

    /// <inheritdoc/>
    public async Task<string> StoreAsync(AuthenticationTicket ticket)
    {
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(32));
        var caller = Caller.Of(ticket.Principal);
        await using var db = await databases.CreateDbContextAsync();
        var stamp = await db.Users.Where(u => u.Id == caller.Id).Select(u => u.SecurityStamp).SingleAsync();
        db.Sessions.Add(
            new SessionRow
            {
                Id = IdOf(key),
                MemberId = caller.Id,
                Ticket = Sealed(ticket),
                Stamp = stamp ?? "",
                Role = caller.Role,
                CreatedAt = Now,
                ExpiresAt = EndOf(ticket),
            }
        );
        await db.SaveChangesAsync();

        // Whoever signs in tidies up after those that ran out.
        var now = Now;
        await db.Sessions.Where(s => s.ExpiresAt < now).ExecuteDeleteAsync();
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
        var found = await db
            .Sessions.AsNoTracking()
            .Where(s => s.Id == id && s.ExpiresAt > now)
            .Join(
                db.Users,
                s => s.MemberId,
                u => u.Id,
                (s, u) => new { s.Ticket, Good = s.Stamp == u.SecurityStamp && s.Role == u.Role && u.BlockedAt == null }
            )
            .FirstOrDefaultAsync();
        if (found is not { Good: true })
        {
            await RemoveAsync(key);
            return null;
        }

        return TicketSerializer.Default.Deserialize(seal.Unprotect(found.Ticket));
    }

    /// <inheritdoc/>
    public async Task RemoveAsync(string key)
    {
        await using var db = await databases.CreateDbContextAsync();
        var id = IdOf(key);
        await db.Sessions.Where(s => s.Id == id).ExecuteDeleteAsync();
    }

    private static Instant EndOf(AuthenticationTicket ticket) =>
        ticket.Properties.ExpiresUtc is { } end ? Instant.FromDateTimeOffset(end) : Now + DefaultLife;

    private static string IdOf(string key) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(key)));

    private byte[] Sealed(AuthenticationTicket ticket) => seal.Protect(TicketSerializer.Default.Serialize(ticket));
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
