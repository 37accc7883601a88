using System.Collections.Concurrent;
using Germinal.Channels.Mail;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.MailAccounts;

/// <summary>A member's own account, ready for use.</summary>
/// <param name="MemberId">Whose.</param>
/// <param name="Out">Where mail goes out; null where it cannot be signed in to.</param>
/// <param name="In">Where mailboxes are; null for nowhere, or where they cannot be signed in to.</param>
/// <param name="TakesIn">Whether what is answered there comes into threads.</param>
/// <param name="Trouble">Why it cannot be signed in to; null where it can.</param>
public sealed record OpenAccount(Guid MemberId, MailServer? Out, MailServer? In, bool TakesIn, string? Trouble)
{
    /// <summary>In the place of a server that cannot be signed in to, where one is asked: it cannot say.</summary>
    public static readonly MailServer Unreachable = new("", 0, 1, null);
}

/// <summary>The servers of members' own accounts, with the password or token that signs in to them.</summary>
public sealed class MailAccountServers(IDbContextFactory<GerminalDb> databases, Secrets secrets, MailIssuer issuer)
{
    /// <summary>Few: what a member sends in a day goes over one line or two, and many providers allow no more.</summary>
    private const int Connections = 2;

    /// <summary>For so long what is known of a practice's accounts is taken as it is: a batch of letters asks once.</summary>
    private static readonly Duration Kept = Duration.FromSeconds(5);

    /// <summary>A token that ends sooner is not begun with.</summary>
    private static readonly Duration Spare = Duration.FromMinutes(2);

    // Each is opened when it is asked for: one whose issuer does not answer holds up nobody else's letters.
    private readonly ConcurrentDictionary<Guid, (Instant Until, IReadOnlyDictionary<Guid, Lazy<Task<OpenAccount>>> Accounts)> known = new();

    private static Instant Now => SystemClock.Instance.GetCurrentInstant();

    /// <summary>The account by which a member's letters go out; null where they have none.</summary>
    public async Task<OpenAccount?> OfAsync(Guid practice, Guid member, CancellationToken stop)
    {
        if (!known.TryGetValue(practice, out var read) || read.Until < Now)
        {
            await using var db = await databases.CreateDbContextAsync(stop);
            db.PracticeId = practice;
            var rows = await db.MailAccounts.AsNoTracking().ToListAsync(stop);
            known[practice] = read = (Now + Kept, rows.ToDictionary(r => r.MemberId, r => new Lazy<Task<OpenAccount>>(() => OpenAsync(r, CancellationToken.None))));
        }

        return read.Accounts.TryGetValue(member, out var account) ? await account.Value.WaitAsync(stop) : null;
    }

    /// <summary>An account as it stands in its row, with a token that is good for a while.</summary>
    public async Task<OpenAccount> OpenAsync(MailAccountRow row, CancellationToken stop)
    {
        try
        {
            var token = row.Issuer.Length > 0 ? await TokenAsync(row, stop) : null;
            return new OpenAccount(row.MemberId, ServerOf(row.Out, token), ServerOf(row.In, token), row.TakesIn, null);
        }
        catch (IssuerException e)
        {
            return new OpenAccount(row.MemberId, null, null, row.TakesIn, e.Message);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return new OpenAccount(row.MemberId, null, null, row.TakesIn, Said("Its password is not opened by the keys of this installation any more. Enter it again on the page about your mail account."));
        }
    }

    private MailServer? ServerOf(MailServerSettings settings, string? token) =>
        secrets.Open(settings) is not { } server ? null
        : token is null ? server with { Connections = Connections }
        : server with { Connections = Connections, Password = token, ByToken = true };

    /// <summary>The token of now. It is renewed under a lock, because an issuer may let each token that gets others be used once.</summary>
    private async Task<string> TokenAsync(MailAccountRow row, CancellationToken stop)
    {
        if (row.SealedAccess.Length > 0 && row.AccessUntil > Now + Spare && secrets.Unseal(row.SealedAccess) is { } good)
        {
            return good;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = row.PracticeId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var own = await db.MailAccounts.FromSql($"SELECT * FROM mail_accounts WHERE member_id = {row.MemberId} FOR UPDATE").AsTracking().SingleOrDefaultAsync(stop) ?? row;
        if (own.SealedAccess.Length > 0 && own.AccessUntil > Now + Spare && secrets.Unseal(own.SealedAccess) is { } others)
        {
            return others;
        }

        var refresh = secrets.Unseal(own.SealedRefresh) ?? throw new IssuerException(Said("What was agreed with the provider is not opened by the keys of this installation any more. Sign in with the provider again."));
        var secret = own.SealedClientSecret.Length > 0 ? secrets.Unseal(own.SealedClientSecret) : null;
        var tokens = await issuer.RenewAsync(own.Issuer, own.ClientId, secret, refresh, stop);
        Take(own, tokens);
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return tokens.Access;
    }

    /// <summary>Keeps tokens, sealed.</summary>
    public void Take(MailAccountRow row, MailTokens tokens)
    {
        row.SealedAccess = secrets.Seal(tokens.Access);
        row.AccessUntil = Now + tokens.GoodFor;
        row.SealedRefresh = tokens.Refresh is { } refresh ? secrets.Seal(refresh) : row.SealedRefresh;
    }

    /// <summary>What is known of a practice's accounts is asked anew.</summary>
    public void Forget(Guid practice) => known.TryRemove(practice, out _);
}
