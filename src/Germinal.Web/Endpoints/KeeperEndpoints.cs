using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.Installation;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Doctor;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Germinal.Web.Keys;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A practice as the installation's keepers see it. Moments are the machine's clock.</summary>
/// <param name="Zone">IANA zone.</param>
/// <param name="StoppedAt">Since when it is stopped; null: it goes on.</param>
/// <param name="StoppedWhy">Why, as its members read it.</param>
/// <param name="EndsAt">When it goes with all it has, as a principal said; null: it stays.</param>
/// <param name="HasPrincipal">Whether a principal has joined; until then one can be invited again.</param>
/// <param name="MessagesLately">Gone in the last thirty days.</param>
/// <param name="Bytes">About what it takes: rows, files, pictures, films.</param>
/// <param name="SeenAt">When a member who is signed in was last seen.</param>
/// <param name="WaitsSince">Since when the oldest touch waits that should have been looked at, by the clock practices go by; null where none does.</param>
/// <param name="SetAside">On how many people work is set aside because of an error.</param>
/// <param name="Away">How many of its servers do not take what is handed to them.</param>
public sealed record KeptPracticeDto(
    Guid Id,
    string Name,
    string Zone,
    string? StoppedAt,
    string StoppedWhy,
    string? EndsAt,
    bool HasPrincipal,
    int Members,
    long People,
    int ProgramsOn,
    long Messages,
    long MessagesLately,
    long Bytes,
    string? SeenAt,
    string? WaitsSince,
    int SetAside,
    int Away
);

/// <summary>Whoever keeps the installation.</summary>
public sealed record KeeperDto(Guid Id, string Name, string Email);

/// <summary>The installation.</summary>
/// <param name="DatabaseBytes">What the whole database takes.</param>
/// <param name="BackedUpAt">When the newest backup was made; null where there is none, or they are not made here.</param>
public sealed record InstallationDto(IReadOnlyList<KeptPracticeDto> Practices, IReadOnlyList<KeeperDto> Keepers, long DatabaseBytes, string? BackedUpAt);

/// <summary>Something that was looked at.</summary>
/// <param name="Is">well, doubtful or wrong.</param>
/// <param name="Then">What is to be done; empty where nothing is.</param>
public sealed record LookedAtDto(string Is, string What, string Then);

/// <summary>A practice that was made, or whose principal was invited again. Where mail does not go out yet, the address is handed over by hand.</summary>
public sealed record MadePracticeDto(Guid Id, string Address);

/// <summary>What the installation's keepers do. Nothing of any practice's people stands in what they are answered.</summary>
public static class KeeperEndpoints
{
    /// <param name="Practice">What it is called.</param>
    /// <param name="Zone">IANA zone.</param>
    /// <param name="Country">ISO country; empty for none of those there is a preset for.</param>
    /// <param name="Name">The first principal's; empty where they say it themselves.</param>
    /// <param name="Email">Where they sign in with, and are invited.</param>
    public sealed record MakePracticeBody(
        [AtMost(Lengths.Name)] string Practice = "",
        [AtMost(60)] string Zone = "",
        [AtMost(2)] string Country = "",
        [AtMost(Lengths.Name)] string Name = "",
        [AtMost(Lengths.Name)] string Email = ""
    );

    /// <param name="Email">Where they sign in with, and are invited.</param>
    public sealed record FirstPrincipalBody([AtMost(Lengths.Name)] string Name = "", [AtMost(Lengths.Name)] string Email = "");

    /// <param name="Why">As the practice's members read it.</param>
    public sealed record StopPracticeBody([AtMost(300)] string Why = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var keeper = app.MapGroup("/api/keeper").WithTags("keeper").RequireAuthorization(Rights.KeepInstallation).ForMembersOnly();
        keeper.MapGet("", ReadAsync);
        keeper.MapGet("/health", HealthAsync);
        keeper.MapPost("/practices", MakeAsync);
        keeper.MapPost("/practices/{id:guid}/principal", InviteAsync);
        keeper.MapPost("/practices/{id:guid}/stop", StopAsync);
        keeper.MapPost("/practices/{id:guid}/start", StartAsync);
        keeper.MapDelete("/keepers/{id:guid}", TakeOutAsync);
    }

    private static async Task<InstallationDto> ReadAsync(GerminalDb db, Settings settings, CancellationToken stop)
    {
        var sizes = await PracticeSizes.AllAsync(db, await PracticeClock.NowAsync(db, stop), stop);
        var keepers = await db
            .Users.AsNoTracking()
            .Where(m => m.PracticeId == PracticeRow.House && m.LeftAt == null)
            .OrderBy(m => m.Name)
            .Select(m => new KeeperDto(m.Id, m.Name, m.Email!))
            .ToListAsync(stop);
        return new InstallationDto(
            [
                .. sizes.Select(p => new KeptPracticeDto(
                    p.Id,
                    p.Name,
                    p.ZoneId,
                    p.StoppedAt?.Iso(),
                    p.StoppedWhy,
                    p.EndsAt?.Iso(),
                    p.HasPrincipal,
                    p.Members,
                    p.People,
                    p.ProgramsOn,
                    p.Messages,
                    p.MessagesLately,
                    p.FileBytes + p.TableBytes,
                    p.SeenAt?.Iso(),
                    p.WaitsSince?.Iso(),
                    p.SetAside,
                    p.Away
                )),
            ],
            keepers,
            await PracticeSizes.OfDatabaseAsync(db, stop),
            settings.Backups?.All() is [var newest, ..] ? newest.At.Iso() : null
        );
    }

    /// <summary>What the doctor says, from within.</summary>
    private static async Task<IReadOnlyList<LookedAtDto>> HealthAsync(IConfiguration configuration, CancellationToken stop) =>
        [
            .. (await Doctor.Doctor.LookAsync(configuration, new Limits(SystemClock.Instance), stop))
                .OrderBy(f => f.Is switch { Health.Wrong => 0, Health.Doubtful => 1, _ => 2 })
                .Select(f => new LookedAtDto(f.Is.ToString().ToLowerInvariant(), f.What, f.Then)),
        ];

    private static async Task<Results<Ok<MadePracticeDto>, ValidationProblem>> MakeAsync(
        MakePracticeBody body,
        GerminalDb db,
        UserManager<MemberUser> users,
        MemberMails mails,
        BeginningKey beginning,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        var (practice, name, email) = (CellReading.Clean(body.Practice), CellReading.Clean(body.Name), body.Email.Trim());
        List<(string Field, string Message)> wrong = [.. JoinEndpoints.WrongWithPractice(practice, body.Zone, body.Country)];
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended('first-practice', 0))", stop);
#pragma warning disable CA1862, CA1304, CA1311, MA0011 // Translated to SQL's lower().
        if (await db.Practices.AnyAsync(p => p.Name.ToLower() == practice.ToLower(), stop))
#pragma warning restore CA1862, CA1304, CA1311, MA0011
        {
            wrong.Add(("practice", Say($"There is a practice “{practice}” already. Give this one another name.")));
        }

        if (await WrongWithAddressAsync(users, email) is { } wrongAddress)
        {
            wrong.Add(("email", wrongAddress));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        var principal = await NewPractice.MakeAsync(db, users, practice, body.Zone, CountryPreset.Of(body.Country), (MemberEndpoints.NameOf(name, email), email), null, stop);
        var address = await SendInvitationAsync(db, mails, principal, practice, caller, stop);
        await transaction.CommitAsync(stop);
        beginning.End();
        note.Say(practice);
        return TypedResults.Ok(new MadePracticeDto(principal.PracticeId, address));
    }

    /// <summary>Invites the first principal again, or another in their place. Once a principal has joined, it is theirs to say who belongs to the practice: no keeper makes themselves one of them.</summary>
    private static async Task<Results<Ok<MadePracticeDto>, NotFound, ValidationProblem, ProblemHttpResult>> InviteAsync(
        Guid id,
        FirstPrincipalBody body,
        GerminalDb db,
        UserManager<MemberUser> users,
        MemberMails mails,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Practices.FromSql($"SELECT * FROM practices WHERE id = {id} AND id <> {PracticeRow.House} FOR UPDATE").SingleOrDefaultAsync(stop) is not { } practice)
        {
            return TypedResults.NotFound();
        }

        if (await db.Users.AnyAsync(m => m.PracticeId == id && m.PasswordHash != null, stop))
        {
            return Problems.Conflict(Say($"Somebody of {practice.Name} has joined; whom they invite is theirs to say."));
        }

        var (name, email) = (CellReading.Clean(body.Name), body.Email.Trim());
        var invited = await db.Users.FirstOrDefaultAsync(m => m.PracticeId == id && m.LeftAt == null && m.NormalizedEmail == users.NormalizeEmail(email), stop);
        if (invited is null)
        {
            if (await WrongWithAddressAsync(users, email) is { } wrong)
            {
                return Problems.Field("email", wrong);
            }

            // Whoever was invited before, and never came, makes room.
            invited = await db.Users.FirstAsync(m => m.PracticeId == id && m.Role == "principal", stop);
            await users.SetEmailAsync(invited, email);
            await users.SetUserNameAsync(invited, email);
        }

        invited.Name = MemberEndpoints.NameOf(name, email);
        await users.UpdateAsync(invited);
        var address = await SendInvitationAsync(db, mails, invited, practice.Name, caller, stop);
        await transaction.CommitAsync(stop);
        note.Say(practice.Name);
        return TypedResults.Ok(new MadePracticeDto(id, address));
    }

    private static async Task<string?> WrongWithAddressAsync(UserManager<MemberUser> users, string email) =>
        !Addresses.IsEmail(email) ? Say($"“{email}” is not an email address; ada@example.com would be.")
        : await users.FindByEmailAsync(email) is not null ? Said("Somebody signs in with this address already; each member has one of their own.")
        : null;

    /// <summary>The mail is the house's: a new practice has no server of its own yet.</summary>
    private static async Task<string> SendInvitationAsync(GerminalDb db, MemberMails mails, MemberUser principal, string practice, Caller caller, CancellationToken stop)
    {
        db.PracticeId = caller.PracticeId;
        var key = await MemberLinks.MakeAsync(db, principal, MemberLinks.Invitation, stop);
        await mails.InviteAsync(db, principal, (caller.Id, caller.Name), practice, key, stop);
        return mails.JoinAddress(key);
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> StopAsync(Guid id, StopPracticeBody body, GerminalDb db, MemberMails mails, Caller caller, JournalNote note, CancellationToken stop)
    {
        var why = CellReading.Clean(body.Why);
        if (why.Length == 0)
        {
            return Problems.Field("why", Said("Say why, in a sentence: its members read it where they sign in."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await PracticeStop.StopAsync(db, mails, id, (caller.Id, caller.Name), Sentence(why), stop) is not { } name)
        {
            return TypedResults.NotFound();
        }

        await transaction.CommitAsync(stop);
        note.Say(name);
        return TypedResults.NoContent();
    }

    private static string Sentence(string words) => words[^1] is '.' or '!' or '?' ? words : words + ".";

    private static async Task<Results<NoContent, NotFound>> StartAsync(Guid id, GerminalDb db, MemberMails mails, Caller caller, JournalNote note, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await PracticeStop.StartAsync(db, mails, id, (caller.Id, caller.Name), stop) is not { } name)
        {
            return TypedResults.NotFound();
        }

        await transaction.CommitAsync(stop);
        note.Say(name);
        return TypedResults.NoContent();
    }

    /// <summary>Takes a keeper out. The installation keeps one; on the machine, <c>./germinal keeper</c> makes others.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> TakeOutAsync(Guid id, GerminalDb db, UserManager<MemberUser> users, JournalNote note, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended('keeper', 0))", stop);
        if (await db.Users.FirstOrDefaultAsync(m => m.Id == id && m.PracticeId == PracticeRow.House && m.LeftAt == null, stop) is not { } keeper)
        {
            return TypedResults.NotFound();
        }

        if (await db.Users.CountAsync(m => m.PracticeId == PracticeRow.House && m.LeftAt == null, stop) == 1)
        {
            return Problems.Conflict(Say($"{keeper.Name} is the only keeper. On the machine, ./germinal keeper makes another one first."));
        }

        await users.DeleteAsync(keeper);
        await transaction.CommitAsync(stop);
        note.Say(keeper.Name);
        return TypedResults.NoContent();
    }
}
