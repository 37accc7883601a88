using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Import;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A member of the practice, as its page of members shows them.</summary>
/// <param name="State">here, invited, blocked or left.</param>
/// <param name="InvitedUntil">Of an invited one: until when the invitation is good, by the machine's clock; null where it is good no more.</param>
/// <param name="SeesOwn">Whether they see only the people they look after, nobody's, and those of their office.</param>
/// <param name="Office">The office whose members share their people; empty for none.</param>
/// <param name="SendsFrom">The address their letters come from; empty: the one they sign in with.</param>
/// <param name="Capacity">Calls they can make by week day (mon, tue …); empty: as many as there are.</param>
/// <param name="Deputy">Who stands in for them.</param>
/// <param name="Absences">Today's and those to come.</param>
/// <param name="HasFactor">Whether a second factor or a passkey is set up.</param>
/// <param name="People">How many people they look after.</param>
public sealed record TeamMemberDto(
    Guid Id,
    string Name,
    string Email,
    string Role,
    string State,
    string? InvitedUntil,
    bool SeesOwn,
    string Office,
    string SendsFrom,
    IReadOnlyDictionary<string, int> Capacity,
    Guid? Deputy,
    IReadOnlyList<AbsenceDto> Absences,
    bool HasFactor,
    int People
);

/// <summary>The members of the practice.</summary>
/// <param name="Roles">What each role may do, in words.</param>
/// <param name="FactorAsked">Whether each is asked for a second factor or a passkey.</param>
public sealed record TeamDto(IReadOnlyList<TeamMemberDto> Members, IReadOnlyList<RoleDto> Roles, bool FactorAsked);

/// <summary>A role, and what it may do that not every role may.</summary>
public sealed record RoleDto(string Role, IReadOnlyList<string> May);

/// <summary>An invitation. Where mail does not go out yet, its address is handed over by hand.</summary>
public sealed record InvitedDto(Guid Id, string Address);

/// <summary>The act by which people were given; null where there were none.</summary>
public sealed record HandedOverDto(Guid? Act);

/// <summary>Who belongs to the practice, and what they may.</summary>
public static class MemberEndpoints
{
    private static readonly string[] Roles = ["principal", "adviser", "assistant"];

    public sealed record InviteBody([AtMost(Lengths.Name)] string Name = "", [AtMost(Lengths.Name)] string Email = "", [AtMost(20)] string Role = "");

    /// <param name="Capacity">Calls by week day; a day that is not named has none; empty: as many as there are. Null: as it is.</param>
    /// <param name="SeesOwn">Whether they see only their own people, nobody's, and those of their office. Null: as it is.</param>
    /// <param name="Office">Whose members share their people; empty for none. Null: as it is.</param>
    /// <param name="SendsFrom">The address letters come from; empty: the one they sign in with. Null: as it is.</param>
    public sealed record MemberBody(
        [AtMost(20)] string Role = "",
        [AtMost(10, Items = 7)] IReadOnlyDictionary<string, int>? Capacity = null,
        Guid? Deputy = null,
        [AtMost(Lengths.Name)] string? SendsFrom = null,
        bool? SeesOwn = null,
        [AtMost(Lengths.Name)] string? Office = null
    );

    /// <param name="To">Who gets it.</param>
    /// <param name="TakeOut">Whether the member leaves the practice with it.</param>
    public sealed record HandOverBody(Guid? To = null, bool TakeOut = false);

    public sealed record FactorsBody(bool Asked = false);

    public static void Map(IEndpointRouteBuilder app)
    {
        var members = app.MapGroup("/api/members").WithTags("members").RequireAuthorization(Rights.Work);
        members.MapGet("", ReadAsync);
        var keeping = app.MapGroup("/api/members").WithTags("members").RequireAuthorization(Rights.KeepMembers);
        keeping.MapPost("", InviteAsync);
        keeping.MapPost("/{id:guid}/invite", InviteAgainAsync);
        keeping.MapPut("/{id:guid}", ChangeAsync);
        keeping.MapPost("/{id:guid}/block", (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => BlockAsync(id, true, db, caller, stop));
        keeping.MapPost("/{id:guid}/unblock", (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => BlockAsync(id, false, db, caller, stop));
        keeping.MapPost("/{id:guid}/factor/end", EndFactorAsync);
        keeping.MapGet("/{id:guid}/holdings", HoldingsAsync);
        keeping.MapPost("/{id:guid}/hand-over", HandOverAsync);
        keeping.MapPut("/factors", AskFactorsAsync);
    }

    private static Task<MemberUser?> FindAsync(GerminalDb db, Guid id, CancellationToken stop) =>
        db.Users.FirstOrDefaultAsync(m => m.Id == id && m.PracticeId == db.PracticeId && m.LeftAt == null, stop);

    private static async Task<TeamDto> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var today = await PracticeClock.TodayAsync(db, stop);
        var now = SystemClock.Instance.GetCurrentInstant();
        var rows = await db.Users.AsNoTracking().Where(m => m.PracticeId == db.PracticeId && m.LeftAt == null).OrderBy(m => m.Name).ToListAsync(stop);
        var ids = rows.Select(r => r.Id).ToList();
        var people = await db.People.Where(p => p.OwnerId != null).GroupBy(p => p.OwnerId!.Value).Select(g => new { g.Key, Count = g.Count() }).ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        var absences = (await db.Absences.AsNoTracking().Where(a => a.Until >= today).OrderBy(a => a.From).ToListAsync(stop)).ToLookup(a => a.MemberId);
        var links = await db
            .MemberLinks.AsNoTracking()
            .Where(l => l.Kind == MemberLinks.Invitation && l.ExpiresAt > now)
            .ToDictionaryAsync(l => l.MemberId, l => l.ExpiresAt, stop);
        var passkeys = (await db.Set<IdentityUserPasskey<Guid>>().Where(k => ids.Contains(k.UserId)).Select(k => k.UserId).ToListAsync(stop)).ToHashSet();
        return new TeamDto(
            [
                .. rows.Select(m => new TeamMemberDto(
                    m.Id,
                    m.Name,
                    m.Email!,
                    m.Role,
                    m.BlockedAt is not null ? "blocked" : m.PasswordHash is null ? "invited" : "here",
                    links.TryGetValue(m.Id, out var until) ? until.Iso() : null,
                    m.SeesOwn && m.Role != "principal",
                    m.Office,
                    m.SendsFrom,
                    m.Capacity,
                    m.DeputyId,
                    [.. absences[m.Id].Select(a => new AbsenceDto(a.Id, a.MemberId, LocalDatePattern.Iso.Format(a.From), LocalDatePattern.Iso.Format(a.Until)))],
                    m.FactorSince is not null || passkeys.Contains(m.Id),
                    people.GetValueOrDefault(m.Id)
                )),
            ],
            [.. Roles.Select(r => new RoleDto(r, [.. Rights.All.Where(x => x.Roles.Count < Roles.Length && x.Roles.Contains(r, StringComparer.Ordinal)).Select(x => Said(x.What))]))],
            (await db.OwnPracticeAsync(stop)).Settings.TwoFactorsAsked
        );
    }

    private static async Task<Results<Ok<InvitedDto>, ValidationProblem>> InviteAsync(
        InviteBody body,
        GerminalDb db,
        UserManager<MemberUser> users,
        MemberMails mails,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        var (name, email) = (CellReading.Clean(body.Name), body.Email.Trim());
        var wrong = new List<(string Field, string Message)>();
        if (!Addresses.IsEmail(email))
        {
            wrong.Add(("email", Say($"“{email}” is not an email address; wren@example.com would be.")));
        }

        if (!Roles.Contains(body.Role, StringComparer.Ordinal))
        {
            wrong.Add(("role", Say($"“{body.Role}” is no role; {string.Join(", ", Roles)} are.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var member = await users.FindByEmailAsync(email);
        if (member is not null && (member.PracticeId != caller.PracticeId || member.LeftAt is null))
        {
            return Problems.Field("email", Said("Somebody signs in with this address already; each member has one of their own."));
        }

        name = NameOf(name, email);
        var now = SystemClock.Instance.GetCurrentInstant();
        if (member is null)
        {
            member = new MemberUser
            {
                Id = Guid.CreateVersion7(),
                PracticeId = caller.PracticeId,
                Name = name,
                Email = email,
                UserName = email,
                Role = body.Role,
                InvitedAt = now,
            };
            var made = await users.CreateAsync(member);
            if (!made.Succeeded)
            {
                return Problems.Field("email", string.Join(" ", made.Errors.Select(e => e.Description)));
            }
        }
        else
        {
            // Somebody who left comes back as who they were, and begins anew.
            (member.Name, member.Role, member.InvitedAt, member.LeftAt, member.BlockedAt, member.PasswordHash) = (name, body.Role, now, null, null, null);
            MeEndpoints.Forget(member);
            await users.UpdateSecurityStampAsync(member);
        }

        var key = await SendInvitationAsync(db, mails, member, caller, stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        note.Say($"{member.Name}, {member.Role}");
        return TypedResults.Ok(new InvitedDto(member.Id, mails.JoinAddress(key)));
    }

    /// <summary>What an invited one is called until they say it themselves.</summary>
    internal static string NameOf(string name, string email) => name.Length > 0 ? name : email[..email.IndexOf('@', StringComparison.Ordinal)];

    private static async Task<string> SendInvitationAsync(GerminalDb db, MemberMails mails, MemberUser member, Caller caller, CancellationToken stop)
    {
        var key = await MemberLinks.MakeAsync(db, member, MemberLinks.Invitation, stop);
        await mails.InviteAsync(db, member, (caller.Id, caller.Name), (await db.OwnPracticeAsync(stop)).Name, key, stop);
        return key;
    }

    /// <summary>Invites anew; the link before is good no more.</summary>
    private static async Task<Results<Ok<InvitedDto>, NotFound, ProblemHttpResult>> InviteAgainAsync(Guid id, GerminalDb db, MemberMails mails, Caller caller, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return TypedResults.NotFound();
        }

        if (member.PasswordHash is not null)
        {
            return Problems.PutRight(Say($"{member.Name} has joined already. Whoever has forgotten their password asks for a new one where they sign in."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var key = await SendInvitationAsync(db, mails, member, caller, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new InvitedDto(member.Id, mails.JoinAddress(key)));
    }

    /// <summary>The practice's members, locked, so that of two principals who let go of each other at once one stays.</summary>
    private static Task LockTeamAsync(GerminalDb db, CancellationToken stop) => SettingsChange.LockAsync(db, stop);

    private static async Task<bool> IsLastPrincipalAsync(GerminalDb db, MemberUser member, CancellationToken stop) =>
        member.Role == "principal"
        && !await db.Users.AnyAsync(m => m.PracticeId == db.PracticeId && m.Id != member.Id && m.Role == "principal" && m.BlockedAt == null && m.LeftAt == null && m.PasswordHash != null, stop);

    private static string LastPrincipal => Said("This is the only principal; a practice needs one who can sign in. Make somebody else a principal first.");

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> ChangeAsync(Guid id, MemberBody body, GerminalDb db, JournalNote note, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await LockTeamAsync(db, stop);
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return TypedResults.NotFound();
        }

        var wrong = new List<(string Field, string Message)>();
        if (!Roles.Contains(body.Role, StringComparer.Ordinal))
        {
            wrong.Add(("role", Say($"“{body.Role}” is no role; {string.Join(", ", Roles)} are.")));
        }
        else if (body.Role != "principal" && await IsLastPrincipalAsync(db, member, stop))
        {
            wrong.Add(("role", LastPrincipal));
        }

        if (body.Capacity?.FirstOrDefault(c => !PracticeReading.IsDay(c.Key) || c.Value is < 0 or > 500) is { Key: not null } odd)
        {
            wrong.Add(("capacity", Say($"“{odd.Key}: {odd.Value}” is no number of calls on a week day; mon: 6 would be, and 500 is the most.")));
        }

        if (body.Deputy is { } deputy && (deputy == id || !await db.Users.AnyAsync(m => m.Id == deputy && m.PracticeId == db.PracticeId && m.LeftAt == null, stop)))
        {
            wrong.Add(("deputy", Said("Somebody stands in for another member of the practice.")));
        }

        var from = body.SendsFrom?.Trim() ?? member.SendsFrom;
        if (from.Length > 0 && !Addresses.IsEmail(from))
        {
            wrong.Add(("sendsFrom", Say($"“{from}” is not an email address; wren@example.com would be. Nothing at all means the one they sign in with.")));
        }

        var seesOwn = body.SeesOwn ?? member.SeesOwn;
        if (body.SeesOwn == true && body.Role == "principal")
        {
            wrong.Add(("seesOwn", Said("A principal sees everybody.")));
        }
        else if (body.SeesOwn == true && !await Sight.IsPossibleAsync(db, stop))
        {
            wrong.Add(("seesOwn", Said("This installation’s database cannot keep people from members yet; whoever keeps it finds what to do by ./germinal doctor.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        var role = member.Role;
        (member.SeesOwn, member.Office) = (seesOwn && body.Role != "principal", CellReading.Clean(body.Office ?? member.Office));
        (member.Role, member.DeputyId, member.SendsFrom) = (body.Role, body.Deputy, string.Equals(from, member.Email, StringComparison.OrdinalIgnoreCase) ? "" : from);
        if (body.Capacity is not null)
        {
            member.Capacity = body.Capacity.ToDictionary();
            db.Entry(member).Property(m => m.Capacity).IsModified = true;
        }

        await db.SaveChangesAsync(stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        note.Say(role == body.Role ? "" : Say($"{body.Role}, before {role}"));
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> BlockAsync(Guid id, bool block, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await LockTeamAsync(db, stop);
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return TypedResults.NotFound();
        }

        if (block && (id == caller.Id || await IsLastPrincipalAsync(db, member, stop)))
        {
            return Problems.PutRight(id == caller.Id ? Said("One does not block oneself; another principal can.") : LastPrincipal);
        }

        member.BlockedAt = block ? member.BlockedAt ?? SystemClock.Instance.GetCurrentInstant() : null;
        await db.SaveChangesAsync(stop);
        if (block)
        {
            await db.Sessions.Where(s => s.MemberId == id).ExecuteDeleteAsync(stop);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>For whoever has lost the telephone and the recovery codes.</summary>
    private static async Task<Results<NoContent, NotFound>> EndFactorAsync(Guid id, GerminalDb db, UserManager<MemberUser> users, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return TypedResults.NotFound();
        }

        MeEndpoints.Forget(member);
        await users.UpdateSecurityStampAsync(member);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<Holdings>, NotFound>> HoldingsAsync(Guid id, GerminalDb db, CancellationToken stop) =>
        await FindAsync(db, id, stop) is null ? TypedResults.NotFound() : TypedResults.Ok(await HandOver.LookAsync(db, id, stop));

    private static async Task<Results<Ok<HandedOverDto>, NotFound, ValidationProblem, ProblemHttpResult>> HandOverAsync(
        Guid id,
        HandOverBody body,
        GerminalDb db,
        UserManager<MemberUser> users,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return TypedResults.NotFound();
        }

        if (body.To is not { } to || to == id || await FindAsync(db, to, stop) is not { BlockedAt: null } other)
        {
            return Problems.Field("to", Said("Choose another member of the practice, who is not blocked."));
        }

        if (body.TakeOut && id == caller.Id)
        {
            return Problems.PutRight(Said("One does not take oneself out; another principal can."));
        }

        var act = await HandOver.DoAsync(db, id, to, caller.Name, await PracticeClock.NowAsync(db, stop), stop);
        note.IsAct(act);
        note.Say($"to {other.Name}{(body.TakeOut ? Said(", and took them out") : "")}");
        if (body.TakeOut && await TakeOutAsync(db, users, id, stop) is { } problem)
        {
            return problem;
        }

        return TypedResults.Ok(new HandedOverDto(act));
    }

    /// <summary>The member belongs to the practice no more: they cannot sign in, and nothing is asked of them; what they did keeps their name.</summary>
    private static async Task<ProblemHttpResult?> TakeOutAsync(GerminalDb db, UserManager<MemberUser> users, Guid id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await LockTeamAsync(db, stop);
        if (await FindAsync(db, id, stop) is not { } member)
        {
            return null;
        }

        await db.Entry(member).ReloadAsync(stop);
        if (await IsLastPrincipalAsync(db, member, stop))
        {
            return Problems.PutRight(LastPrincipal);
        }

        member.LeftAt = SystemClock.Instance.GetCurrentInstant();
        (member.MorningAt, member.MorningDue, member.MonthlyDue, member.FeedKey, member.DeputyId) = ("", null, null, null, null);
        MeEndpoints.Forget(member);
        await users.UpdateSecurityStampAsync(member);
        await db.MailAccounts.Where(a => a.MemberId == id).ExecuteDeleteAsync(stop);
        await db.Sessions.Where(s => s.MemberId == id).ExecuteDeleteAsync(stop);
        await db.MemberLinks.Where(l => l.MemberId == id).ExecuteDeleteAsync(stop);
        await db.Devices.Where(d => d.MemberId == id).ExecuteDeleteAsync(stop);
        await db.Set<IdentityUserPasskey<Guid>>().Where(k => k.UserId == id).ExecuteDeleteAsync(stop);
        await db.MeetingPages.Where(m => m.MemberId == id).ExecuteDeleteAsync(stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> AskFactorsAsync(FactorsBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        // Whoever asks it of all has one themselves, and knows what they ask.
        var has =
            await db.Users.AnyAsync(m => m.Id == caller.Id && m.FactorSince != null, stop)
            || await db.Set<IdentityUserPasskey<Guid>>().AnyAsync(k => k.UserId == caller.Id, stop);
        if (body.Asked && !has)
        {
            return Problems.PutRight(Said("Set up a second factor or a passkey of your own first, on the page about yourself; then ask it of everybody."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        change.Settings.TwoFactorsAsked = body.Asked;
        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
