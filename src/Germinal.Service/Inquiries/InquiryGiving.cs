using Germinal.Core.Forms;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Inquiries;

/// <summary>What is known of an inquiry as it arrives, beside who asks what.</summary>
/// <param name="FormId">The form it came by; null for another way.</param>
/// <param name="Topic">What it is about; null where nobody knows.</param>
/// <param name="SubmissionId">What was sent by the form.</param>
/// <param name="ReceivedId">The mail or text it is.</param>
/// <param name="TouchId">The message whose link led to the form.</param>
/// <param name="OfSomebodyNew">Whether it made its person.</param>
public sealed record Arrival(Guid? FormId = null, string? Topic = null, Guid? SubmissionId = null, long? ReceivedId = null, Guid? TouchId = null, bool OfSomebodyNew = false);

/// <summary>Gives inquiries to members: as they arrive by the practice's rules, and to the deputy where nobody has touched one for too long.</summary>
public static class InquiryGiving
{
    /// <summary>The words of whom a rule gives to, as they are stored.</summary>
    public static IReadOnlyList<(string Word, GivenTo To)> Ways { get; } = [("who-knows-them", GivenTo.WhoKnowsThem), ("first", GivenTo.TheFirst), ("in-turn", GivenTo.InTurn)];

    private sealed record Desk(PracticeRow Practice, Practice Read, IReadOnlyList<MemberAt> Members);

    private sealed record MemberAt(Guid Id, string Name, string Role, Guid? DeputyId, bool IsBlocked, bool IsAway);

    // Of those that are given together, all are given by what is known at their moment.
    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<GerminalDb, Desk> Desks = [];

    private static async Task<Desk> LoadAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        if (!db.SavesAtTheEnd)
        {
            return await ReadAsync(db, now, stop);
        }

        if (!Desks.TryGetValue(db, out var desk))
        {
            desk = await ReadAsync(db, now, stop);
            Desks.Add(db, desk);
        }

        return desk;
    }

    private static async Task<Desk> ReadAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var row = await db.OwnPracticeAsync(stop);
        var read = PracticeReading.Read(row);
        var today = now.InZone(read.Zone).Date;
        var members = await db
            .Users.AsNoTracking()
            .Where(m => m.PracticeId == db.PracticeId)
            .OrderBy(m => m.Name)
            .Select(m => new MemberAt(m.Id, m.Name, m.Role, m.DeputyId, m.BlockedAt != null, db.Absences.Any(a => a.MemberId == m.Id && a.Until >= today && a.From <= today)))
            .ToListAsync(stop);
        return new Desk(row, read, members);
    }

    private static bool IsThere(Desk desk, Guid member) => desk.Members.Any(m => m.Id == member && !m.IsBlocked && !m.IsAway);

    /// <summary>Who gets it where no rule says anybody who is there: whoever stands in for the practice, else a principal.</summary>
    private static Guid? Otherwise(Desk desk) =>
        desk.Practice.Settings.FallbackSender is { } stands && desk.Members.Any(m => m.Id == stands && !m.IsBlocked)
            ? stands
            : (desk.Members.FirstOrDefault(m => m.Role == "principal" && !m.IsBlocked) ?? desk.Members.FirstOrDefault(m => !m.IsBlocked))?.Id;

    /// <summary>Says who gets an inquiry, and when it goes to the deputy. The caller saves.</summary>
    /// <param name="db">A context of the practice, in a transaction.</param>
    /// <param name="row">The inquiry, not saved yet.</param>
    /// <param name="person">Who asks.</param>
    /// <param name="formId">The form it came by; null for another way.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task GiveAsync(GerminalDb db, InquiryRow row, PersonRow person, Guid? formId, Instant now, CancellationToken stop)
    {
        var desk = await LoadAsync(db, now, stop);
        if (await RouteAsync(db, desk, person, formId, row.Topic, stop) is not { } given)
        {
            return;
        }

        row.OwnerId = given.Routed.Member;
        row.GivenWhy = Why(desk, given.Routed, given.Rule, row.Form);
        row.DeputyAt = DeputyAt(desk, now);
    }

    /// <summary>Who would look after somebody new who signs up by a form: whom the same rules name; null where there is nobody.</summary>
    public static async Task<Guid?> OwnerOfAsync(GerminalDb db, PersonRow person, Guid? formId, string? topic, Instant now, CancellationToken stop) =>
        (await RouteAsync(db, await LoadAsync(db, now, stop), person, formId, topic, stop))?.Routed.Member;

    private static async Task<(Routed Routed, RoutingRule? Rule)?> RouteAsync(GerminalDb db, Desk desk, PersonRow person, Guid? formId, string? topic, CancellationToken stop)
    {
        if (Otherwise(desk) is not { } otherwise)
        {
            return null;
        }

        var settings = desk.Practice.Settings;
        var rules = settings
            .InquiryRules.Select(r => new RoutingRule(r.Form?.ToString(), r.Topic, r.Area, Ways.First(w => w.Word == r.To).To, r.Members))
            // Where no rule says anybody who is there, whoever looks after them already.
            .Append(new RoutingRule(null, null, null, GivenTo.WhoKnowsThem, []))
            .ToList();
        var facts = new InquiryFacts(formId?.ToString(), topic, [.. new[] { person.City, person.State, person.PostalCode }.OfType<string>()], person.OwnerId);

        // Only those who may get a turn wait for each other.
        var last = rules.Any(r => r.To == GivenTo.InTurn && InquiryRouting.Fits(r, facts)) ? await LastGivenAsync(db, desk, stop) : [];
        var routed = InquiryRouting.Of(
            rules,
            facts,
            new InquiryDesk(m => IsThere(desk, m), m => desk.Members.FirstOrDefault(x => x.Id == m)?.DeputyId, last),
            otherwise
        );
        return (routed, routed.Rule is { } place ? rules[place] : null);
    }

    /// <summary>When members were given one last. Those who are given one at the same moment have their turns one after the other.</summary>
    private static async Task<Dictionary<Guid, Instant>> LastGivenAsync(GerminalDb db, Desk desk, CancellationToken stop)
    {
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({"inquiries/" + desk.Practice.Id}, 0))", stop);
        await db.SaveChangesAsync(stop);
        var ids = desk.Members.Select(m => m.Id).ToArray();
        var found = await db
            .Database.SqlQuery<Given>(
                $"""SELECT m.id, (SELECT max(i.received_at) FROM inquiries i WHERE i.owner_id = m.id) AS at FROM unnest({ids}) AS m(id)"""
            )
            .ToListAsync(stop);
        return found.Where(g => g.At is not null).ToDictionary(g => g.Id, g => g.At!.Value);
    }

    private sealed record Given(Guid Id, Instant? At);

    private static Instant? DeputyAt(Desk desk, Instant from) =>
        desk.Practice.Settings.DeputyAfterHours is > 0 and var hours ? ReachedHours.Of(desk.Practice.Settings, desk.Read).After(from, Duration.FromHours(hours)) : null;

    private static string Why(Desk desk, Routed routed, RoutingRule? rule, string? form)
    {
        string Name(Guid id) => desk.Members.FirstOrDefault(m => m.Id == id)?.Name ?? Said("nobody");
        if (rule is null)
        {
            return Said("no rule says who, so whoever stands in for the practice");
        }

        var because = new[]
        {
            rule.Form is null ? null : Say($"by “{form}”"),
            rule.Topic is null ? null : Say($"about {rule.Topic}"),
            rule.Area is null ? null : Say($"from {rule.Area}"),
            rule.To switch
            {
                GivenTo.WhoKnowsThem => Said("looks after them"),
                GivenTo.InTurn => Said("it was their turn"),
                _ => null,
            },
            routed.InFor is { } away ? Say($"in for {Name(away)}, who is away") : null,
        };
        return string.Join(", ", because.OfType<string>());
    }

    /// <summary>A member gives it into other hands; from then on it is theirs to touch.</summary>
    /// <returns>False where it was answered already.</returns>
    public static async Task<bool> GiveToAsync(GerminalDb db, Guid inquiry, Guid member, string by, Instant now, CancellationToken stop)
    {
        var desk = await LoadAsync(db, now, stop);
        var (why, deputyAt) = (Say($"given by {by}"), DeputyAt(desk, now));
        if (
            await db
                .Inquiries.Where(i => i.Id == inquiry && i.AnsweredAt == null)
                .ExecuteUpdateAsync(
                    u =>
                        u.SetProperty(i => i.OwnerId, member)
                            .SetProperty(i => i.GivenWhy, why)
                            .SetProperty(i => i.TouchedAt, (Instant?)null)
                            .SetProperty(i => i.DeputyAt, deputyAt),
                    stop
                ) == 0
        )
        {
            return false;
        }

        var person = await db.Inquiries.Where(i => i.Id == inquiry).Select(i => i.PersonId).SingleAsync(stop);
        await Notices.TellAsync(db, "inquiry", member, person, Say($"{by} gave you an inquiry."), $"inquiry-given/{inquiry}/{member}/{now}", now, stop);
        return true;
    }

    /// <summary>Gives inquiries of a practice that nobody has touched in time to the deputy, and tells both. Where there is no deputy who is there, whoever stands in for the practice gets it; where that is the same member, they are told that it waits.</summary>
    /// <returns>False where there was none.</returns>
    public static async Task<bool> DeputiesAsync(IDbContextFactory<GerminalDb> databases, Guid practiceId, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var overdue = await db
            .Database.SqlQuery<Guid>(
                $"""
                UPDATE inquiries i SET deputy_at = NULL FROM (
                  SELECT id FROM inquiries WHERE answered_at IS NULL AND deputy_at <= {now} AND practice_id = {practiceId} ORDER BY deputy_at LIMIT 100 FOR UPDATE SKIP LOCKED) o
                WHERE i.id = o.id RETURNING i.id AS "Value"
                """
            )
            .ToListAsync(stop);
        if (overdue.Count == 0)
        {
            return false;
        }

        var desk = await LoadAsync(db, now, stop);
        foreach (var id in overdue)
        {
            await ToDeputyAsync(db, desk, id, now, stop);
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    private static async Task ToDeputyAsync(GerminalDb db, Desk desk, Guid id, Instant now, CancellationToken stop)
    {
        var row = await db.Inquiries.SingleAsync(i => i.Id == id, stop);
        if (row.TouchedAt is not null)
        {
            return;
        }

        var before = desk.Members.FirstOrDefault(m => m.Id == row.OwnerId);
        var deputy = new[] { before?.DeputyId, Otherwise(desk) }.OfType<Guid>().FirstOrDefault(d => d != row.OwnerId && IsThere(desk, d));
        var who = await db.People.AsNoTracking().SingleAsync(p => p.Id == row.PersonId, stop);
        var hours = desk.Practice.Settings.DeputyAfterHours;
        var waited = Say($"{who.Name} has waited for {hours} working {hours:hour|hours}, and nobody has touched it");
        if (deputy == Guid.Empty)
        {
            await Notices.TellAsync(db, "inquiry", row.OwnerId, row.PersonId, Say($"{waited}. There is no deputy to give it to."), $"deputy/{id}", now, stop);
            return;
        }

        row.OwnerId = deputy;
        row.GivenWhy = Say($"{before?.Name ?? Said("nobody")} had not touched it in {hours} working {hours:hour|hours}");
        await Notices.TellAsync(db, "inquiry", deputy, row.PersonId, Say($"{waited}. It is yours now, in for {before?.Name ?? Said("nobody")}."), $"deputy/{id}/to", now, stop);
        if (before is not null)
        {
            var name = desk.Members.First(m => m.Id == deputy).Name;
            await Notices.TellAsync(db, "inquiry", before.Id, row.PersonId, Say($"{waited}. {name} has it now."), $"deputy/{id}/from", now, stop);
        }
    }
}
