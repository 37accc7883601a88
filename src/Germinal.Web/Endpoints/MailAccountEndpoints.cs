using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Germinal.Channels.Mail;
using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Journal;
using Germinal.Service.MailAccounts;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Keys;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A server of a member's own account, without its password.</summary>
public sealed record AccountServerDto(string Host, int Port, string Security, string User);

/// <summary>A member's own mail account.</summary>
/// <param name="Address">Where their letters come from.</param>
/// <param name="Out">Where mail goes out.</param>
/// <param name="In">Where mailboxes are; an empty host for nowhere.</param>
/// <param name="Issuer">Who gives tokens out; empty where a password signs in.</param>
/// <param name="ClientId">What the issuer knows this installation as.</param>
/// <param name="PerDay">How many emails a day it takes; null where nobody has said.</param>
/// <param name="TakesIn">Whether answers, and what is written from one's own mail program, come into threads.</param>
/// <param name="Private">What never comes in: addresses, domains (<c>@example.com</c>), words of a subject.</param>
/// <param name="WorkedAt">By the machine's clock.</param>
/// <param name="Trouble">What a server said last when it did not work; empty while all is well.</param>
/// <param name="Waiting">Letters that went and are not placed in the folder of sent mail yet.</param>
public sealed record MailAccountDto(
    string Address,
    AccountServerDto Out,
    AccountServerDto In,
    string Issuer,
    string ClientId,
    int? PerDay,
    bool TakesIn,
    IReadOnlyList<string> Private,
    string WorkedAt,
    string Trouble,
    int Waiting
);

/// <summary>One's own mail account, where there is one.</summary>
/// <param name="Back">The address a provider is told to lead back to (OAuth 2's redirect URI).</param>
/// <param name="Suggested">The address one signs in with.</param>
/// <param name="Said">What came of the way to a provider one has just come back from; null where one has not. It is told once.</param>
public sealed record OwnMailAccountDto(MailAccountDto? Account, string Back, string Suggested, string? Said = null);

/// <summary>Where somebody says yes at their provider.</summary>
public sealed record ProviderWayDto(string Address);

/// <summary>Members' own mail accounts: what they sign goes out by them, what is answered there comes in.</summary>
public static class MailAccountEndpoints
{
    private const string Cookie = "germinal-mail";
    private const string SaidCookie = "germinal-mail-said";
    private const string OwnPath = "/api/me/mail";
    private const string BackPath = "/mail-account/back";
    private const int MostPrivate = 50;
    private static readonly TimeSpan WayLife = TimeSpan.FromMinutes(15);

    /// <param name="Out">With the password that signs in.</param>
    /// <param name="In">The same; null or without a host for nowhere.</param>
    public sealed record AccountBody([AtMost(Lengths.Name)] string Address = "", ServerBody? Out = null, ServerBody? In = null);

    /// <param name="Out">Without a password: a token signs in.</param>
    /// <param name="Issuer">The provider's own address.</param>
    /// <param name="ClientId">What it knows this installation as.</param>
    /// <param name="ClientSecret">Empty where it gave none.</param>
    /// <param name="Scope">What its mail servers ask for, beside the usual.</param>
    public sealed record ByProviderBody(
        [AtMost(Lengths.Name)] string Address = "",
        ServerBody? Out = null,
        ServerBody? In = null,
        [AtMost(500)] string Issuer = "",
        [AtMost(300)] string ClientId = "",
        [AtMost(1000)] string ClientSecret = "",
        [AtMost(500)] string Scope = ""
    );

    public sealed record AccountAddressBody([AtMost(Lengths.Name)] string Address = "");

    /// <param name="PerDay">Null for no limit.</param>
    public sealed record AccountRulesBody(int? PerDay = null, bool TakesIn = false, [AtMost(200, Items = MostPrivate)] IReadOnlyList<string>? Private = null);

    /// <summary>What is known of somebody on their way to a provider and back; it stands sealed in a cookie of that browser only.</summary>
    private sealed record Way(Guid Practice, Guid Member, string State, string Verifier, string Address, MailServerSettings Out, MailServerSettings In, string Issuer, string ClientId, string Secret, DateTimeOffset Until);

    public static void Map(IEndpointRouteBuilder app)
    {
        var own = app.MapGroup(OwnPath).WithTags("me").RequireAuthorization(Rights.Work).ForMembersOnly();
        own.MapGet("", ReadAsync);
        own.MapPost("/find", FindAsync);
        own.MapPut("", KeepAsync);
        own.MapPost("/provider", BeginAsync);
        own.MapPut("/rules", RulesAsync);
        own.MapDelete("", EndAsync);
    }

    /// <summary>Where a provider leads back to: the session's cookie does not come along from there, so that the way's own cookie says whose it is.</summary>
    public static void MapBack(IEndpointRouteBuilder app) => app.MapGet(BackPath, BackAsync).ExcludeFromDescription();

    private static string BackOf(Settings settings) => settings.Service.PublicUrl.TrimEnd('/') + BackPath;

    private static async Task<OwnMailAccountDto> ReadAsync(HttpContext http, GerminalDb db, Settings settings, IDataProtectionProvider protection, Caller caller, CancellationToken stop)
    {
        var said = Unsealed(http, SaidCookie, protection);
        if (said is not null)
        {
            http.Response.Cookies.Delete(SaidCookie, new CookieOptions { Path = OwnPath });
        }

        var row = await db.MailAccounts.AsNoTracking().SingleOrDefaultAsync(a => a.MemberId == caller.Id, stop);
        var address = await db.Users.Where(u => u.Id == caller.Id).Select(u => u.SendsFrom != "" ? u.SendsFrom : u.Email!).SingleAsync(stop);
        return new OwnMailAccountDto(row is null ? null : Dto(row, await db.SentCopies.CountAsync(c => c.MemberId == caller.Id, stop)), BackOf(settings), row?.Address ?? address, said);
    }

    private static MailAccountDto Dto(MailAccountRow row, int waiting) =>
        new(row.Address, Dto(row.Out), Dto(row.In), row.Issuer, row.ClientId, row.PerDay, row.TakesIn, row.Private, row.WorkedAt.Iso(), row.Trouble, waiting);

    private static AccountServerDto Dto(MailServerSettings server) => new(server.Host, server.Port, server.Security, server.User);

    private static async Task<Results<Ok<FoundServersDto>, ValidationProblem>> FindAsync(AccountAddressBody body, MailServerSearch search, CancellationToken stop) =>
        Addresses.IsEmail(body.Address.Trim()) ? TypedResults.Ok(new FoundServersDto(await search.FindAsync(body.Address.Trim().Split('@')[1], stop))) : NoAddress(body.Address);

    private static ValidationProblem NoAddress(string said) => Problems.Field("address", Say($"“{said.Trim()}” is not an email address; ada@example.com would be."));

    /// <summary>An account with the servers as they stand on the page; what is wrong with them instead.</summary>
    private static (MailAccountRow Row, ValidationProblem? Problem) OnThePage(Caller caller, string address, ServerBody? going, ServerBody? coming, MailAccountRow? before, Secrets secrets)
    {
        var row = new MailAccountRow
        {
            MemberId = caller.Id,
            PracticeId = caller.PracticeId,
            Address = address.Trim(),
            Out = PracticeMail.Server(going, before?.Out, secrets) ?? new MailServerSettings(),
            In = PracticeMail.Server(coming, before?.In, secrets) ?? new MailServerSettings(),
        };
        var problem =
            !Addresses.IsEmail(row.Address) ? NoAddress(address)
            : row.Out.Host.Length == 0 ? Problems.Field("out", Said("Name the server that mail goes out by, and its port."))
            : PracticeMail.ServerProblem(going) is { } noOut ? Problems.Field("out", noOut)
            : PracticeMail.ServerProblem(coming) is { } noIn ? Problems.Field("in", noIn)
            : null;
        return (row, problem);
    }

    private static async Task<Results<Ok<TestAnswer>, ValidationProblem>> KeepAsync(AccountBody body, GerminalDb db, MailAccountDesk desk, Secrets secrets, Caller caller, CancellationToken stop)
    {
        var before = await db.MailAccounts.AsNoTracking().SingleOrDefaultAsync(a => a.MemberId == caller.Id, stop);
        var (row, problem) = OnThePage(caller, body.Address, body.Out, body.In, before is { Issuer.Length: 0 } ? before : null, secrets);
        if (problem is not null)
        {
            return problem;
        }

        foreach (var (field, server) in new[] { ("out", row.Out), ("in", row.In) })
        {
            if (PracticeMail.MissingPassword(server) is { } missing)
            {
                return Problems.Field(field, missing);
            }
        }

        var tried = await desk.KeepAsync(db, row, await MeEndpoints.MeAsync(db, caller, stop), stop);
        return TypedResults.Ok(new TestAnswer(tried.Worked, tried.Words));
    }

    /// <summary>Leads to the provider, who asks whether it may be.</summary>
    private static async Task<Results<Ok<ProviderWayDto>, ValidationProblem, ProblemHttpResult>> BeginAsync(
        ByProviderBody body,
        HttpContext http,
        MailIssuer issuer,
        Secrets secrets,
        Settings settings,
        IDataProtectionProvider protection,
        Caller caller,
        CancellationToken stop
    )
    {
        var (row, problem) = OnThePage(caller, body.Address, body.Out, body.In, null, secrets);
        if (problem is not null)
        {
            return problem;
        }

        if (!Uri.TryCreate(body.Issuer.Trim(), UriKind.Absolute, out var where) || where.Scheme is not ("https" or "http"))
        {
            return Problems.Field("issuer", Say($"“{body.Issuer.Trim()}” is no address; https://accounts.example.com would be."));
        }

        if (string.IsNullOrWhiteSpace(body.ClientId))
        {
            return Problems.Field("clientId", Said("Say what the provider knows this installation as: it gives a client id to whoever registers there."));
        }

        // A token signs in, as whoever the address is.
        foreach (var server in new[] { row.Out, row.In }.Where(s => s.Host.Length > 0))
        {
            (server.User, server.SealedPassword) = (server.User.Length > 0 ? server.User : row.Address, "");
        }

        try
        {
            var state = Convert.ToHexString(RandomNumberGenerator.GetBytes(24));
            var way = await issuer.BeginAsync(where.ToString().TrimEnd('/'), body.ClientId.Trim(), row.Address, BackOf(settings), state, body.Scope.Trim(), stop);
            var kept = new Way(caller.PracticeId, caller.Id, state, way.Verifier, row.Address, row.Out, row.In, where.ToString().TrimEnd('/'), body.ClientId.Trim(), body.ClientSecret.Trim(), DateTimeOffset.UtcNow + WayLife);
            http.Response.Cookies.Append(
                Cookie,
                Protector(protection).Protect(JsonSerializer.Serialize(kept)),
                CookieFor(BackPath, settings)
            );
            return TypedResults.Ok(new ProviderWayDto(way.Address));
        }
        catch (IssuerException e)
        {
            return Problems.Field("issuer", e.Message);
        }
    }

    private static ITimeLimitedDataProtector Protector(IDataProtectionProvider protection) => protection.CreateProtector("germinal.mail-account-way").ToTimeLimitedDataProtector();

    private static string? Unsealed(HttpContext http, string cookie, IDataProtectionProvider protection)
    {
        try
        {
            return http.Request.Cookies[cookie] is { Length: > 0 } kept ? Protector(protection).Unprotect(kept) : null;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    private static Way? WayOf(HttpContext http, IDataProtectionProvider protection) => Unsealed(http, Cookie, protection) is { } kept ? JsonSerializer.Deserialize<Way>(kept) : null;

    private static CookieOptions CookieFor(string path, Settings settings) =>
        new()
        {
            HttpOnly = true,
            IsEssential = true,
            MaxAge = WayLife,
            Path = path,

            // Lax, not strict: it has to come along from the provider's page.
            SameSite = SameSiteMode.Lax,
            Secure = settings.IsSecure,
        };

    /// <summary>Comes back from the provider: the yes becomes tokens, the account is tried, and the page says how it went.</summary>
    private static async Task<RedirectHttpResult> BackAsync(
        HttpContext http,
        GerminalDb db,
        MailAccountDesk desk,
        MailAccountServers servers,
        MailIssuer issuer,
        Secrets secrets,
        Settings settings,
        IDataProtectionProvider protection,
        CancellationToken stop
    )
    {
        // In a cookie, not in the address: whatever stands there, the page would say it.
        RedirectHttpResult Back(string words)
        {
            http.Response.Cookies.Append(SaidCookie, Protector(protection).Protect(Short(words)), CookieFor(OwnPath, settings));
            return TypedResults.Redirect("/you/mail");
        }

        var way = WayOf(http, protection);
        http.Response.Cookies.Delete(Cookie, new CookieOptions { Path = BackPath });
        var state = http.Request.Query["state"].ToString();
        if (way is null || way.Until < DateTimeOffset.UtcNow || !CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(state), Encoding.UTF8.GetBytes(way.State)))
        {
            return Back(Said("That took too long, or was begun in another browser. Begin again here."));
        }

        if (http.Request.Query["code"].ToString() is not { Length: > 0 and < 4000 } code)
        {
            return Back(Say($"The provider said no: {(http.Request.Query["error_description"].ToString() is { Length: > 0 } told ? told : http.Request.Query["error"].ToString())}"));
        }

        db.PracticeId = way.Practice;
        if (await db.Users.SingleOrDefaultAsync(u => u.Id == way.Member && u.PracticeId == way.Practice && u.BlockedAt == null && u.LeftAt == null && db.OpenPractices.Contains(u.PracticeId), stop) is not { } member)
        {
            return Back(Said("You are not a member here any more."));
        }

        try
        {
            var tokens = await issuer.TakeAsync(way.Issuer, way.ClientId, way.Secret.Length > 0 ? way.Secret : null, code, way.Verifier, BackOf(settings), stop);
            var row = new MailAccountRow
            {
                MemberId = way.Member,
                PracticeId = way.Practice,
                Address = way.Address,
                Out = way.Out,
                In = way.In,
                Issuer = way.Issuer,
                ClientId = way.ClientId,
                SealedClientSecret = way.Secret.Length > 0 ? secrets.Seal(way.Secret) : "",
            };
            servers.Take(row, tokens);
            var tried = await desk.KeepAsync(db, row, member, stop);
            if (tried.Worked)
            {
                await NoteAsync(db, http, member, stop);
            }

            return Back(tried.Words);
        }
        catch (IssuerException e)
        {
            return Back(e.Message);
        }
    }

    private static string Short(string words) => words.Length > 400 ? words[..400] : words;

    /// <summary>No session asks here, so that the journal is told by hand.</summary>
    private static async Task NoteAsync(GerminalDb db, HttpContext http, MemberUser member, CancellationToken stop)
    {
        db.Journal.Add(
            new JournalRow
            {
                PracticeId = member.PracticeId,
                At = await PracticeClock.NowAsync(db, stop),
                MemberId = member.Id,
                By = member.Name,
                Words = Said("set up their own mail account with their provider"),
                Ended = JournalReading.Done,
                FromAddress = Client.AddressOf(http),
                FromProgram = Client.ProgramOf(http),
            }
        );
        await db.SaveChangesAsync(stop);
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> RulesAsync(AccountRulesBody body, GerminalDb db, MailAccountDesk desk, Caller caller, CancellationToken stop)
    {
        if (body.PerDay is < 1 or > 100_000)
        {
            return Problems.Field("perDay", Said("Between 1 and 100,000 a day, or none."));
        }

        var privates = (body.Private ?? []).Select(p => p.Trim()).Where(p => p.Length > 0).Distinct(StringComparer.OrdinalIgnoreCase).ToList();
        if (privates.Find(p => p.Length < 3) is { } vague)
        {
            return Problems.Field("private", Say($"“{vague}” would keep nearly everything out. Give an address, a domain like @example.com, or a word of a subject of three letters or more."));
        }

        return await desk.RuleAsync(db, caller.Id, body.PerDay, body.TakesIn, privates, stop) ? TypedResults.NoContent() : TypedResults.NotFound();
    }

    private static async Task<Results<NoContent, NotFound>> EndAsync(GerminalDb db, MailAccountDesk desk, Caller caller, CancellationToken stop) =>
        await desk.EndAsync(db, caller.Id, stop) ? TypedResults.NoContent() : TypedResults.NotFound();
}
