using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Programs;

namespace Germinal.Core.Engine;

/// <summary>An event's own change to the facts, which comes before anything else it sets off (rule 5.1).</summary>
public static class FactUpdates
{
    /// <summary>
    /// The facts after an event; null when it is none: a tag put on that is on already, a stage entered that one stands in.
    /// </summary>
    public static PersonFacts? Apply(PersonFacts person, Happening happening) =>
        happening switch
        {
            TagPutOn t => person.Tags.Contains(t.Tag) ? null : person with { Tags = With(person.Tags, t.Tag) },
            TagTakenOff t => person.Tags.Contains(t.Tag) ? person with { Tags = Without(person.Tags, t.Tag) } : null,
            JoinedList l => person.Lists.Contains(l.List) ? null : person with { Lists = With(person.Lists, l.List) },
            LeftList l => person.Lists.Contains(l.List) ? person with { Lists = Without(person.Lists, l.List) } : null,
            EnteredStage s => Same(person.Stage, s.Stage) ? null : person with { Stage = s.Stage, StageSince = s.At },
            FieldSet f => WithField(person, f),
            GivenToOwner o => person.OwnerId == o.OwnerId ? null : person with { OwnerId = o.OwnerId },
            Lost l => (person with { LostReason = l.Reason ?? person.LostReason }).Having(DeedKind.Lost, l.Reason ?? "", l.At),
            Won w => person.Having(DeedKind.Won, "", w.At),
            ConsentGiven c => person with { Consent = [.. person.Consent, EntryOf(c)] },
            Bounced { Hard: true } b => WithSuppressed(person, b.Channel),
            LeftForGood { Reason: "died" } => person.Died ? null : person with { Died = true },
            LeftForGood { Reason: "archived" } => person.Archived ? null : person with { Archived = true },
            LeftForGood l => person.DoNotContact && person.DoNotContactUntil == l.Until
                ? null
                : person with
                {
                    DoNotContact = true,
                    DoNotContactUntil = l.Until,
                },
            MayBeContacted => person with { DoNotContact = false, DoNotContactUntil = null },
            FollowedLink l => person.Having(DeedKind.Followed, l.Link, l.At),
            Replied r => person.Having(DeedKind.Answered, ContactWords.Of(r.Channel), r.At),
            Inquired i => person.Having(DeedKind.Inquired, i.Form ?? "", i.At),
            _ => person,
        };

    /// <summary>The event that a change of a program makes, with what it leaves behind.</summary>
    internal static Happening EventOf(FactChange change, PersonFacts person, NodaTime.Instant at) =>
        change switch
        {
            PutTagOn c => new TagPutOn(at, c.Tag),
            TakeTagOff c => new TagTakenOff(at, c.Tag),
            JoinList c => new JoinedList(at, c.List),
            LeaveList c => new LeftList(at, c.List),
            MoveToStage c => new EnteredStage(at, c.Stage, person.Stage),
            SetCustom c => new FieldSet(at, c.Name, c.Value),
            _ => throw new ArgumentOutOfRangeException(nameof(change)),
        };

    private static ConsentEntry EntryOf(ConsentGiven c) =>
        new(c.Channel, c.Everything ? null : Purpose.Commercial, null, c.In, ConsentBasis.Express, c.At, c.In ? Said("said yes") : Said("said no"));

    private static PersonFacts? WithField(PersonFacts person, FieldSet set)
    {
        if (person.Custom.GetValueOrDefault(set.Name, "") == set.Value)
        {
            return null;
        }

        var fields = person.Custom.Where(f => !Same(f.Key, set.Name));
        return person with
        {
            Custom = (set.Value.Length == 0 ? fields : fields.Append(new(set.Name, set.Value))).ToFrozenDictionary(StringComparer.OrdinalIgnoreCase),
        };
    }

    /// <summary>Nothing more is sent to an address that bounced hard (check 5 of section 8).</summary>
    private static PersonFacts WithSuppressed(PersonFacts person, Channel channel) =>
        person.AddressOf(channel) is { } address ? person with { Suppressed = person.Suppressed.Append(address.ToLowerInvariant()).ToFrozenSet() } : person;

    private static FrozenSet<string> With(FrozenSet<string> set, string one) => set.Append(one).ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    private static FrozenSet<string> Without(FrozenSet<string> set, string one) =>
        set.Where(x => !Same(x, one)).ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    private static bool Same(string? a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
