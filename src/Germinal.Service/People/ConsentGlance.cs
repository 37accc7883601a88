using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>How things stand with people for one channel and one subject.</summary>
public enum Reachable
{
    /// <summary>They may be reached.</summary>
    May,

    /// <summary>Nobody has said that they may.</summary>
    Unsaid,

    /// <summary>They said no.</summary>
    No,

    /// <summary>There is no address, or what was sent there came back.</summary>
    NoWay,

    /// <summary>They are marked “do not contact”.</summary>
    NotAtAll,
}

/// <summary>How many stand how, for one subject: commercial messages of any topic, one topic, or transactional ones.</summary>
/// <param name="Subject"><c>commercial</c>, <c>transactional</c>, or the name of a topic.</param>
/// <param name="Counts">How many people stand how.</param>
public sealed record SubjectCounts(string Subject, IReadOnlyDictionary<Reachable, int> Counts);

/// <summary>One channel, by subject.</summary>
public sealed record ChannelCounts(Channel Channel, ConsentPolicy Policy, IReadOnlyList<SubjectCounts> Subjects);

/// <summary>Somebody who can no longer be reached once a basis has run out.</summary>
/// <param name="Person">Who.</param>
/// <param name="Channel">On which channel.</param>
/// <param name="Until">When the basis runs out.</param>
/// <param name="Basis">What it stands on.</param>
public sealed record LostSoon(PersonRef Person, Channel Channel, Instant Until, ConsentBasis Basis);

/// <summary>What may be sent to whom at a moment, and who is lost soon.</summary>
/// <param name="People">How many people it is about.</param>
/// <param name="Channels">By channel.</param>
/// <param name="Lost">Who is lost for commercial messages within <see cref="ConsentGlance.Soon"/>, the next first; not all where there are many.</param>
/// <param name="LostInAll">How many such losses there are.</param>
public sealed record GlanceNumbers(int People, IReadOnlyList<ChannelCounts> Channels, IReadOnlyList<LostSoon> Lost, int LostInAll);

/// <summary>
/// Consent at a glance: the ledger read for everybody (rules 10.2 to 10.4) by the core, beside whether there is a way to reach them at all.
/// One pass over the practice; nothing of it is kept.
/// </summary>
public static class ConsentGlance
{
    private const int MostShown = 200;

    /// <summary>How far it looks ahead for what runs out.</summary>
    public static readonly Duration Soon = Duration.FromDays(30);

    /// <summary>The subject that stands for commercial messages of any topic.</summary>
    public static string Commercial { get; } = ContactWords.Of(Purpose.Commercial);

    /// <summary>The subject that stands for transactional messages.</summary>
    public static string Transactional { get; } = ContactWords.Of(Purpose.Transactional);

    /// <summary>The numbers.</summary>
    public static async Task<GlanceNumbers> NumbersAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var subjects = await SubjectsAsync(db, stop);
        var channels = Enum.GetValues<Channel>();
        var counts = channels.ToDictionary(c => c, _ => subjects.ToDictionary(s => s, _ => new Dictionary<Reachable, int>(), StringComparer.OrdinalIgnoreCase));
        var lost = new List<(Guid Person, string Name, Channel Channel, Instant Until, ConsentBasis Basis)>();
        var people = 0;
        await foreach (var person in EverybodyAsync(db, stop))
        {
            people++;
            foreach (var channel in channels)
            {
                foreach (var subject in subjects)
                {
                    var stands = Stands(person, practice, channel, subject, now);
                    counts[channel][subject][stands] = counts[channel][subject].GetValueOrDefault(stands) + 1;
                }

                if (RunsOut(person, practice, channel, now) is { } end)
                {
                    lost.Add((person.Id, person.Name, channel, end.Until, end.Basis));
                }
            }
        }

        return new GlanceNumbers(
            people,
            [.. channels.Select(c => new ChannelCounts(c, practice.Consent.For(c), [.. subjects.Select(s => new SubjectCounts(s, counts[c][s]))]))],
            [
                .. lost.OrderBy(l => l.Until)
                    .ThenBy(l => l.Name, StringComparer.OrdinalIgnoreCase)
                    .Take(MostShown)
                    .Select(l => new LostSoon(new PersonRef(l.Person, l.Name), l.Channel, l.Until, l.Basis)),
            ],
            lost.Count
        );
    }

    /// <summary>
    /// How many could be written to commercially at each of some moments, by channel: of those who were there by then, by the ledger as it stood. What
    /// was not kept (an address that was another then) is taken as it is now.
    /// </summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="moments">When.</param>
    /// <param name="member">Only of the people this member looks after; null for everybody.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyDictionary<Channel, int[]>> OverTimeAsync(GerminalDb db, IReadOnlyList<Instant> moments, Guid? member, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var counts = Enum.GetValues<Channel>().ToDictionary(c => c, _ => new int[moments.Count]);
        await foreach (var person in EverybodyAsync(db, stop))
        {
            if (member is not null && person.OwnerId != member)
            {
                continue;
            }

            foreach (var (channel, by) in counts)
            {
                for (var i = 0; i < moments.Count; i++)
                {
                    by[i] += person.AddedAt < moments[i] && Stands(person, practice, channel, Commercial, moments[i]) == Reachable.May ? 1 : 0;
                }
            }
        }

        return counts;
    }

    /// <summary>Who stands so, by name; not all where there are many.</summary>
    public static async Task<IReadOnlyList<PersonRef>> NamesAsync(GerminalDb db, Channel channel, string subject, Reachable stands, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        if (!(await SubjectsAsync(db, stop)).Contains(subject, StringComparer.OrdinalIgnoreCase))
        {
            return [];
        }

        var names = new List<PersonRef>();
        await foreach (var person in EverybodyAsync(db, stop))
        {
            if (Stands(person, practice, channel, subject, now) == stands)
            {
                names.Add(new PersonRef(person.Id, person.Name));
            }
        }

        return [.. names.OrderBy(n => n.Name, StringComparer.OrdinalIgnoreCase).Take(MostShown)];
    }

    private static async Task<IReadOnlyList<string>> SubjectsAsync(GerminalDb db, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        return [Commercial, .. settings.Topics, Transactional];
    }

    private static Reachable Stands(Known person, Practice practice, Channel channel, string subject, Instant at) =>
        person.DoNotContact ? Reachable.NotAtAll
        : !person.HasWay(channel) ? Reachable.NoWay
        : Reading(person, practice, channel, subject, at).Verdict switch
        {
            ConsentVerdict.Allowed => Reachable.May,
            ConsentVerdict.Missing => Reachable.Unsaid,
            _ => Reachable.No,
        };

    private static ConsentReading Reading(Known person, Practice practice, Channel channel, string subject, Instant at)
    {
        var purpose = subject == Transactional ? Purpose.Transactional : Purpose.Commercial;
        var topic = subject == Commercial || subject == Transactional ? null : subject;
        return ConsentLedger.Read(person.Consent, practice.Consent, channel, purpose, topic, at, practice.Zone);
    }

    /// <summary>When commercial messages to somebody end because a basis runs out soon; null where they do not.</summary>
    private static (Instant Until, ConsentBasis Basis)? RunsOut(Known person, Practice practice, Channel channel, Instant now)
    {
        if (person.DoNotContact || !person.HasWay(channel))
        {
            return null;
        }

        var today = Reading(person, practice, channel, Commercial, now);
        return
            today is { Verdict: ConsentVerdict.Allowed, Decided: { } entry }
            && Reading(person, practice, channel, Commercial, now + Soon).Verdict == ConsentVerdict.Missing
            && ConsentLedger.EndsAt(entry, practice.Consent, practice.Zone) is { } end
            ? (end, entry.Basis)
            : null;
    }

    /// <summary>Everybody who lives and is not archived, with their ledger.</summary>
    private static async IAsyncEnumerable<Known> EverybodyAsync(GerminalDb db, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop)
    {
        var suppressed = (await db.Suppressions.AsNoTracking().Select(s => s.Address).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var ledger = new Dictionary<Guid, List<ConsentEntry>>();
        await foreach (
            var c in db
                .Consent.AsNoTracking()
                .OrderBy(c => c.At)
                .ThenBy(c => c.Id)
                .Select(c => new
                {
                    c.PersonId,
                    c.Channel,
                    c.Purpose,
                    c.Topic,
                    c.IsIn,
                    c.Basis,
                    c.At,
                })
                .AsAsyncEnumerable()
                .WithCancellation(stop)
        )
        {
            if (!ledger.TryGetValue(c.PersonId, out var entries))
            {
                ledger[c.PersonId] = entries = [];
            }

            entries.Add(
                new ConsentEntry(Words.ChannelOf(c.Channel), c.Purpose is null ? null : Words.PurposeOf(c.Purpose), c.Topic, c.IsIn, Words.BasisOf(c.Basis), c.At, "")
            );
        }

        await foreach (
            var p in db
                .People.AsNoTracking()
                .Where(p => !p.Archived && !p.Died)
                .Select(p => new
                {
                    p.Id,
                    p.FirstName,
                    p.LastName,
                    p.Email,
                    p.Mobile,
                    p.OtherPhone,
                    HasAddress = p.Address != null && p.Address != "",
                    p.DoNotContact,
                    p.OwnerId,
                    p.AddedAt,
                })
                .AsAsyncEnumerable()
                .WithCancellation(stop)
        )
        {
            bool Works(Channel channel, string? address) => Addresses.IsWellFormed(channel, address) && !suppressed.Contains(address!);
            yield return new Known(
                p.Id,
                PersonName.Of(p.FirstName, p.LastName, p.Email, p.Mobile),
                p.DoNotContact,
                [
                    Works(Channel.Email, p.Email),
                    Works(Channel.Text, p.Mobile),
                    Works(Channel.Call, p.Mobile ?? p.OtherPhone),
                    p.HasAddress,
                ],
                ledger.GetValueOrDefault(p.Id) ?? [],
                p.OwnerId,
                p.AddedAt
            );
        }
    }

    /// <param name="Id">The person.</param>
    /// <param name="Name">What they are called.</param>
    /// <param name="DoNotContact">Whether nothing goes to them at all.</param>
    /// <param name="Ways">Whether a channel leads to them, by channel.</param>
    /// <param name="Consent">Their ledger.</param>
    /// <param name="OwnerId">Who looks after them.</param>
    /// <param name="AddedAt">Since when they are known.</param>
    private sealed record Known(Guid Id, string Name, bool DoNotContact, bool[] Ways, IReadOnlyList<ConsentEntry> Consent, Guid? OwnerId, Instant AddedAt)
    {
        public bool HasWay(Channel channel) => Ways[(int)channel];
    }
}
