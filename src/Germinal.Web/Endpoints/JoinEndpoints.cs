using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service;
using Germinal.Service.Import;
using Germinal.Service.Members;
using Germinal.Service.Whole;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Whom a link by mail is for.</summary>
public sealed record MemberLinkDto(string Name, string Email, string Practice);

/// <summary>A country a practice can begin in, and what it presets.</summary>
/// <param name="Country">ISO 3166-1 alpha-2.</param>
/// <param name="Name">In English.</param>
/// <param name="QuietFrom">When texts and calls may begin.</param>
/// <param name="QuietTo">When they end.</param>
/// <param name="OpenChannels">Channels that need only that nobody said no.</param>
/// <param name="InquiryMonths">How long an inquiry carries a yes.</param>
/// <param name="ClientMonths">How long being a client does.</param>
/// <param name="Sources">Why, each with its law.</param>
public sealed record CountryDto(
    string Country,
    string Name,
    string QuietFrom,
    string QuietTo,
    IReadOnlyList<string> OpenChannels,
    int InquiryMonths,
    int ClientMonths,
    IReadOnlyList<PresetSource> Sources
)
{
    internal static CountryDto Of(CountryPreset p) =>
        new(
            p.Country,
            p.Name,
            Core.Time.TimesOfDay.Form.Format(p.QuietFrom),
            Core.Time.TimesOfDay.Form.Format(p.QuietTo),
            [.. p.OpenChannels.Select(c => c.ToString().ToLowerInvariant())],
            p.InquiryMonths,
            p.ClientMonths,
            p.Sources
        );
}

/// <summary>Coming in for the first time, or anew: the first practice of an installation, an invitation, a password that was forgotten.</summary>
public static class JoinEndpoints
{
    private static string NoLink => Said("This link is good no more: it works once, and not for long. Ask for a new one.");

    /// <param name="Key">Of the address that was told where the application was started.</param>
    /// <param name="Practice">What it is called.</param>
    /// <param name="Name">The principal's.</param>
    /// <param name="Email">Where they sign in with.</param>
    /// <param name="Password">As <see cref="PasswordRules"/> takes it.</param>
    /// <param name="Zone">IANA zone.</param>
    /// <param name="Country">ISO country; empty for none of those there is a preset for.</param>
    public sealed record BeginBody(
        [AtMost(100)] string Key = "",
        [AtMost(Lengths.Name)] string Practice = "",
        [AtMost(Lengths.Name)] string Name = "",
        [AtMost(Lengths.Name)] string Email = "",
        [AtMost(PasswordRules.Longest)] string Password = "",
        [AtMost(60)] string Zone = "",
        [AtMost(2)] string Country = ""
    );

    /// <param name="Key">Of the address that <c>./germinal keeper</c> told.</param>
    /// <param name="Name">What they are called.</param>
    /// <param name="Email">Where they sign in with.</param>
    /// <param name="Password">As <see cref="PasswordRules"/> takes it.</param>
    public sealed record KeepBody(
        [AtMost(100)] string Key = "",
        [AtMost(Lengths.Name)] string Name = "",
        [AtMost(Lengths.Name)] string Email = "",
        [AtMost(PasswordRules.Longest)] string Password = ""
    );

    /// <summary>The header with the key of the address that was told where the application was started.</summary>
    public const string BringKey = "X-Germinal-Key";

    private const long MostArchive = 4L * 1024 * 1024 * 1024;
    private static readonly FormOptions ArchiveForm = new() { MultipartBodyLengthLimit = MostArchive };

    /// <param name="Email">The address one signs in with.</param>
    public sealed record ForgottenBody([AtMost(Lengths.Name)] string Email = "");

    /// <param name="Key">Of the link.</param>
    /// <param name="Kind">invitation or forgotten.</param>
    public sealed record LinkBody([AtMost(100)] string Key = "", [AtMost(20)] string Kind = "");

    public sealed record NewPasswordBody([AtMost(100)] string Key = "", [AtMost(PasswordRules.Longest)] string Password = "");

    public sealed record JoinBody([AtMost(100)] string Key = "", [AtMost(Lengths.Name)] string Name = "", [AtMost(PasswordRules.Longest)] string Password = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var session = app.MapGroup("/api/session").WithTags("session");
        session.MapGet("/countries", () => CountryPreset.All.Select(CountryDto.Of).ToList()).OpenBeforeSecondFactor();
        session.MapPost("/begin", BeginAsync).OpenBeforeSecondFactor();
        session
            .MapPost("/bring", BringAsync)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(MostArchive))
            .ExcludeFromDescription()
            .OpenBeforeSecondFactor();
        session.MapPost("/keep", KeepAsync).OpenBeforeSecondFactor();
        session.MapPost("/forgotten", ForgottenAsync).OpenBeforeSecondFactor();
        session.MapPost("/link", LookAsync).OpenBeforeSecondFactor();
        session.MapPost("/password", ChoosePasswordAsync).OpenBeforeSecondFactor();
        session.MapPost("/join", JoinAsync).OpenBeforeSecondFactor();
    }

    /// <summary>The first practice of an installation. Of several who come at once one makes it.</summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> BeginAsync(
        BeginBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        BeginningKey key,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await NotYetAsync(body.Key, http, db, key, brake, stop) is { } problem)
        {
            return problem;
        }

        var (practice, name, email) = (CellReading.Clean(body.Practice), CellReading.Clean(body.Name), body.Email.Trim());
        List<(string Field, string Message)> wrong = [.. WrongWithPractice(practice, body.Zone, body.Country), .. WrongWith(name, email, body.Password, practice)];
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        var principal = await NewPractice.MakeAsync(db, users, practice, body.Zone, CountryPreset.Of(body.Country), (name, email), PasswordRules.Normal(body.Password), stop);
        await transaction.CommitAsync(stop);
        key.End();
        await letIn.AsAsync(http, principal, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>A keeper of the installation, made by whoever has set up the machine. Each key makes one.</summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> KeepAsync(
        KeepBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        KeeperKey key,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (brake.Try(Client.Of(http), "keep") is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        if (LetIn.Already(http) is { } already)
        {
            return already;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended('keeper', 0))", stop);
        if (!key.Fits(body.Key))
        {
            brake.Wrong(Client.Of(http), "keep");
            return Problems.PutRight(Said("The address of this page is not whole, or was used already. On the machine, ./germinal keeper tells a new one."));
        }

        var (name, email) = (CellReading.Clean(body.Name), body.Email.Trim());
        var wrong = WrongWith(name, email, body.Password).ToList();
        if (wrong.Count == 0 && await users.FindByEmailAsync(email) is not null)
        {
            wrong.Add(("email", Said("Somebody signs in with this address already. Who keeps the installation sees nobody's people, so it takes an address of its own, also of whoever belongs to a practice.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        var keeper = await Keepers.AddAsync(db, users, name, email, PasswordRules.Normal(body.Password), stop);

        // While it is still whoever holds the lock: the next one finds no key.
        key.End();
        await transaction.CommitAsync(stop);
        await letIn.AsAsync(http, keeper, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>What is wrong with how a new practice is called and where it is.</summary>
    internal static IEnumerable<(string Field, string Message)> WrongWithPractice(string name, string zone, string country)
    {
        if (SettingsTaking.NameProblem(name) is { } noName)
        {
            yield return ("practice", noName);
        }

        if (SettingsTaking.ZoneProblem(zone) is { } noZone)
        {
            yield return ("zone", noZone);
        }

        if (country.Length > 0 && CountryPreset.Of(country) is null)
        {
            yield return ("country", Said("There is nothing preset for this country; choose another, or none."));
        }
    }

    /// <summary>What is wrong with how somebody who comes first names themselves, and with their password.</summary>
    private static IEnumerable<(string Field, string Message)> WrongWith(string name, string email, string password, params string[] notAsPassword)
    {
        if (name.Length == 0)
        {
            yield return ("name", Said("Say what you are called, as it is to stand under letters."));
        }

        if (!Addresses.IsEmail(email))
        {
            yield return ("email", Say($"“{email}” is not an email address; ada@example.com would be."));
        }

        if (PasswordRules.Problem(password, [name, email, .. notAsPassword]) is { } weak)
        {
            yield return ("password", weak);
        }
    }

    /// <summary>Why nobody can begin here: there is a practice, or they do not have the key. Held until the caller's transaction ends.</summary>
    private static async Task<ProblemHttpResult?> NotYetAsync(string said, HttpContext http, GerminalDb db, BeginningKey key, SignInBrake brake, CancellationToken stop)
    {
        if (brake.Try(Client.Of(http), "begin") is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended('first-practice', 0))", stop);
        if (await db.Practices.AnyAsync(stop))
        {
            return Problems.Conflict(Said("There is a practice here already. Sign in, or ask its principal to invite you."));
        }

        if (!key.Fits(said))
        {
            brake.Wrong(Client.Of(http), "begin");
            return Problems.PutRight(Said("The address of this page is not whole. Open the one that was told where Germinal was started; it stands in the file beginning-key too."));
        }

        return null;
    }

    /// <summary>
    /// A practice that was taken out elsewhere becomes the first of this installation. All of it, or nothing. The form (<c>file</c>; <c>name</c>, <c>email</c> and <c>password</c> of whoever brings it in and is
    /// a principal of it; <c>goesOn</c>: whether its programs go on at once) is as large as the archive: it is read only once the header has shown the key.
    /// </summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> BringAsync(
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        BeginningKey key,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await NotYetAsync(http.Request.Headers[BringKey].ToString(), http, db, key, brake, stop) is { } problem)
        {
            return problem;
        }

        if (await FormOfAsync(http, stop) is not { } form || form.Files.GetFile("file") is not { } file)
        {
            return Problems.Field("file", Said("Send the archive as the file of a form."));
        }

        string Field(string field) => form[field].ToString() is { Length: <= PasswordRules.Longest } said ? said : "";
        var (name, email, password) = (CellReading.Clean(Field("name")), Field("email").Trim(), Field("password"));
        var wrong = WrongWith(name, email, password).ToList();
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        MemberUser principal;
        try
        {
            await using var archive = file.OpenReadStream();
            var practice = await ArchiveIn.ReadAsync(db, archive, Field("goesOn") == "true", stop);
            principal = await TakeOverAsync(db, users, practice, name, email, PasswordRules.Normal(password), stop);
        }
        catch (ArchiveException e)
        {
            return Problems.Field("file", e.Message);
        }

        await transaction.CommitAsync(stop);
        key.End();
        await letIn.AsAsync(http, principal, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>The form that was sent; null where it is none, or breaks off.</summary>
    private static async Task<IFormCollection?> FormOfAsync(HttpContext http, CancellationToken stop)
    {
        try
        {
            return http.Request.HasFormContentType ? await new FormFeature(http.Request, ArchiveForm).ReadFormAsync(stop) : null;
        }
        catch (Exception e) when (e is InvalidDataException or BadHttpRequestException or IOException)
        {
            return null;
        }
    }

    /// <summary>Whoever brings a practice in is a principal of it: the member with their address, or a new one.</summary>
    private static async Task<MemberUser> TakeOverAsync(GerminalDb db, UserManager<MemberUser> users, Guid practice, string name, string email, string password, CancellationToken stop)
    {
        var member = await users.FindByEmailAsync(email);
        if (member is null)
        {
            member = new MemberUser
            {
                Id = Guid.CreateVersion7(),
                PracticeId = practice,
                Name = name,
                Email = email,
                UserName = email,
                Role = "principal",
            };
            var made = await users.CreateAsync(member);
            if (!made.Succeeded)
            {
                throw new ArchiveException(Say($"{email} could not be made a member: {string.Join(" ", made.Errors.Select(e => e.Description))}"));
            }
        }

        (member.Name, member.Role, member.LeftAt, member.BlockedAt) = (name, "principal", null, null);
        await GiveAsync(users, member, password);
        await db.SaveChangesAsync(stop);
        return member;
    }

    /// <summary>Mails a link for a new password. The answer and the time it takes say nothing about whether there is such a member.</summary>
    private static Results<Accepted, ValidationProblem, ProblemHttpResult> ForgottenAsync(ForgottenBody body, HttpContext http, SignInBrake brake, IServiceScopeFactory scopes)
    {
        var email = body.Email.Trim();
        if (!Addresses.IsEmail(email))
        {
            return Problems.Field("email", Say($"“{email}” is not an email address; ada@example.com would be."));
        }

        if (brake.Try(Client.Of(http), email) is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        brake.Wrong(Client.Of(http), email);
        http.Response.OnCompleted(async () =>
        {
            await using var scope = scopes.CreateAsyncScope();
            var users = scope.ServiceProvider.GetRequiredService<UserManager<MemberUser>>();
            if (await users.FindByEmailAsync(email) is not { BlockedAt: null, LeftAt: null, PasswordHash: not null } member)
            {
                return;
            }

            var db = scope.ServiceProvider.GetRequiredService<GerminalDb>();
            db.PracticeId = member.PracticeId;
            await using var transaction = await db.Database.BeginTransactionAsync(CancellationToken.None);
            var key = await MemberLinks.MakeAsync(db, member, MemberLinks.Forgotten, CancellationToken.None);
            await scope.ServiceProvider.GetRequiredService<MemberMails>().ForgottenAsync(db, member, key, CancellationToken.None);
            await transaction.CommitAsync(CancellationToken.None);
        });
        return TypedResults.Accepted((string?)null);
    }

    private static async Task<Results<Ok<MemberLinkDto>, ProblemHttpResult>> LookAsync(LinkBody body, HttpContext http, GerminalDb db, SignInBrake brake, CancellationToken stop)
    {
        if (brake.Try(Client.Of(http), "link") is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        if (await MemberLinks.FindAsync(db, body.Key, body.Kind, stop) is not { } member)
        {
            return Gone();
        }

        var practice = await db.Practices.IgnoreQueryFilters().AsNoTracking().Where(p => p.Id == member.PracticeId).Select(p => p.Name).SingleAsync(stop);
        return TypedResults.Ok(new MemberLinkDto(member.Name, member.Email!, practice));
    }

    /// <summary>A new password by a link. Every session of the member ends; they sign in with it, second factor and all.</summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> ChoosePasswordAsync(
        NewPasswordBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (brake.Try(Client.Of(http), "link") is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        if (await MemberLinks.FindAsync(db, body.Key, MemberLinks.Forgotten, stop) is not { } member)
        {
            return Gone();
        }

        if (await ProblemOfAsync(db, member, body.Password, stop) is { } problem)
        {
            return Problems.Field("password", problem);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await MemberLinks.UseAsync(db, body.Key, MemberLinks.Forgotten, stop))
        {
            return Gone();
        }

        await GiveAsync(users, member, body.Password);
        await transaction.CommitAsync(stop);
        note.IsBy(Caller.Of(member));
        return TypedResults.NoContent();
    }

    /// <summary>An invited member says what they are called, chooses a password, and is in.</summary>
    private static async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> JoinAsync(
        JoinBody body,
        HttpContext http,
        GerminalDb db,
        UserManager<MemberUser> users,
        LetIn letIn,
        SignInBrake brake,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (brake.Try(Client.Of(http), "link") is { } wait)
        {
            return SessionEndpoints.TooManyTries(http, wait);
        }

        if (LetIn.Already(http) is { } already)
        {
            return already;
        }

        if (await MemberLinks.FindAsync(db, body.Key, MemberLinks.Invitation, stop) is not { } member)
        {
            return Gone();
        }

        var name = CellReading.Clean(body.Name);
        if (name.Length == 0)
        {
            return Problems.Field("name", Said("Say what you are called, as it is to stand under letters."));
        }

        member.Name = name;
        if (await ProblemOfAsync(db, member, body.Password, stop) is { } problem)
        {
            return Problems.Field("password", problem);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await MemberLinks.UseAsync(db, body.Key, MemberLinks.Invitation, stop))
        {
            return Gone();
        }

        await GiveAsync(users, member, body.Password);
        db.PracticeId = member.PracticeId;
        await Service.Clock.PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        await letIn.AsAsync(http, member, note, stop);
        return TypedResults.NoContent();
    }

    /// <summary>What is wrong with a password for a member; null where it is taken.</summary>
    internal static async Task<string?> ProblemOfAsync(GerminalDb db, MemberUser member, string password, CancellationToken stop)
    {
        var practice = await db.Practices.IgnoreQueryFilters().AsNoTracking().Where(p => p.Id == member.PracticeId).Select(p => p.Name).SingleAsync(stop);
        return PasswordRules.Problem(password, [member.Name, member.Email ?? "", practice]);
    }

    /// <summary>Gives a member a password that is known to be taken; all their sessions end.</summary>
    internal static async Task GiveAsync(UserManager<MemberUser> users, MemberUser member, string password)
    {
        if (member.PasswordHash is not null)
        {
            await users.RemovePasswordAsync(member);
        }

        var given = await users.AddPasswordAsync(member, PasswordRules.Normal(password));
        if (!given.Succeeded)
        {
            throw new InvalidOperationException(string.Join(" ", given.Errors.Select(e => e.Description)));
        }

        member.EmailConfirmed = true;
        await users.UpdateAsync(member);
    }

    private static ProblemHttpResult Gone() => TypedResults.Problem(NoLink, statusCode: StatusCodes.Status410Gone, title: Said("Good no more"));
}
