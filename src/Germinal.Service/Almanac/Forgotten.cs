using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Almanac;

/// <summary>Somebody who may be forgotten.</summary>
/// <param name="Person">Who.</param>
/// <param name="Owner">Who looks after them; null for nobody.</param>
/// <param name="Personal">When there was last anything personal between them and the practice: a call, a note, an answer, a mail of one's own, a meeting; null for never.</param>
/// <param name="Next">When something comes at last; null where nothing does.</param>
/// <param name="Why">Why what is planned cannot reach them; null where that is not the matter.</param>
public sealed record ForgottenLine(PersonRef Person, string? Owner, string? Personal, string? Next, string? Why);

/// <summary>How many of an owner's people.</summary>
public sealed record ForgottenOf(Guid? OwnerId, string Owner, int Count);

/// <summary>Those with nothing to come, or nothing that counts.</summary>
/// <param name="Nothing">How many have nothing planned in the year ahead.</param>
/// <param name="Far">How many have only something farther than asked.</param>
/// <param name="Cannot">How many have something planned that cannot reach them.</param>
/// <param name="Owners">Of the kind asked for, by owner.</param>
/// <param name="Rows">The first of the kind asked for, those without anything personal for longest first.</param>
public sealed record ForgottenDto(int Nothing, int Far, int Cannot, IReadOnlyList<ForgottenOf> Owners, IReadOnlyList<ForgottenLine> Rows);

/// <summary>Nobody forgotten: who has nothing coming from the practice at all, only far things, or only what cannot reach them.</summary>
public static class Forgotten
{
    /// <summary>The kinds, as they are asked for.</summary>
    public static IReadOnlyList<string> Kinds { get; } = ["nothing", "far", "cannot"];

    /// <summary>The most lines.</summary>
    public const int Most = 300;

    private sealed record Person(Guid Id, string? FirstName, string? LastName, string? Email, string? Mobile, Guid? OwnerId, Instant? Personal, bool Open);

    /// <summary>Finds them. Those who are not to be contacted, archived or dead are no matter of this.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="foreseen">What comes.</param>
    /// <param name="kind">One of <see cref="Kinds"/>.</param>
    /// <param name="owner">Only of this member; null for everybody's.</param>
    /// <param name="farDays">From how many days on something is far.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<ForgottenDto> ReadAsync(GerminalDb db, Foreseen foreseen, string kind, Guid? owner, int farDays, Instant now, CancellationToken stop)
    {
        var open = TouchStatus.Open.Word();
        var done = TouchStatus.Done.Word();
        var people = await db
            .Database.SqlQuery<Person>(
                $"""
                SELECT p.id, p.first_name, p.last_name, p.email, p.mobile, p.owner_id,
                  greatest(
                    (SELECT max(t.closed_at) FROM touches t WHERE t.person_id = p.id AND t.kind IN ('call', 'note', 'task') AND t.status = {done}),
                    s.last_reply_at,
                    (SELECT max(a.at) FROM appointments a WHERE a.person_id = p.id AND a.cancelled_at IS NULL AND a.at <= {now}),
                    (SELECT max(m.sent_at) FROM own_mails m WHERE m.person_id = p.id AND m.kind = 'written')
                  ) AS personal,
                  EXISTS (SELECT 1 FROM touches t WHERE t.person_id = p.id AND t.status = {open})
                    OR EXISTS (SELECT 1 FROM tasks k WHERE k.person_id = p.id AND k.done_at IS NULL)
                    OR EXISTS (SELECT 1 FROM appointments a WHERE a.person_id = p.id AND a.cancelled_at IS NULL AND a.at > {now}) AS open
                FROM people p JOIN person_states s ON s.person_id = p.id
                WHERE p.practice_id = {db.PracticeId} AND NOT p.archived AND NOT p.died AND NOT p.do_not_contact
                """
            )
            .ToListAsync(stop);
        IEnumerable<ComingTouch> ComingFor(Guid person) => (foreseen.ByPerson.GetValueOrDefault(person) ?? []).Where(t => t.At >= now);
        var far = now + Duration.FromDays(farDays);
        var found = people.Select(p => (Person: p, Kind: KindOf(ComingFor(p.Id), p.Open, far), Coming: ComingFor(p.Id))).Where(p => p.Kind is not null).ToList();
        var members = foreseen.Engine.Practice.Members.ToDictionary(m => m.Id, m => m.Name);
        var asked = found.Where(p => p.Kind == kind).ToList();
        string? NameOf(Guid? id) => id is { } member ? members.GetValueOrDefault(member) : null;
        return new ForgottenDto(
            found.Count(p => p.Kind == "nothing"),
            found.Count(p => p.Kind == "far"),
            found.Count(p => p.Kind == "cannot"),
            [
                .. asked
                    .GroupBy(p => p.Person.OwnerId)
                    .Select(g => new ForgottenOf(g.Key, NameOf(g.Key) ?? Said("nobody"), g.Count()))
                    .OrderByDescending(o => o.Count)
                    .ThenBy(o => o.Owner, StringComparer.Ordinal),
            ],
            [
                .. asked
                    .Where(p => owner is null || p.Person.OwnerId == owner)
                    .OrderBy(p => p.Person.Personal ?? Instant.MinValue)
                    .ThenBy(p => p.Person.Id)
                    .Take(Most)
                    .Select(p => new ForgottenLine(
                        new PersonRef(p.Person.Id, Core.Contact.PersonName.Of(p.Person.FirstName, p.Person.LastName, p.Person.Email, p.Person.Mobile)),
                        NameOf(p.Person.OwnerId),
                        p.Person.Personal?.Iso(),
                        p.Coming.FirstOrDefault(t => t.Standing != Standing.WillNot)?.At.Iso(),
                        p.Kind == "cannot" ? p.Coming.First().Why : null
                    )),
            ]
        );
    }

    private static string? KindOf(IEnumerable<ComingTouch> coming, bool open, Instant far)
    {
        if (open)
        {
            return null;
        }

        var (first, any) = ((ComingTouch?)null, false);
        foreach (var touch in coming)
        {
            any = true;
            if (touch.Standing != Standing.WillNot)
            {
                first = touch;
                break;
            }
        }

        return first is null ? (any ? "cannot" : "nothing")
            : first.At >= far ? "far"
            : null;
    }
}
