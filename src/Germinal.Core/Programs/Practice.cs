using System.Collections.Frozen;
using Germinal.Core.People;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Programs;

/// <summary>A member of the practice, as far as the rules know them.</summary>
public sealed record Member(Guid Id, string Name, string Email);

/// <summary>The practice's settings that the engine reads.</summary>
public sealed record Practice
{
    public required string Name { get; init; }

    public required DateTimeZone Zone { get; init; }

    public LeapDay LeapDay { get; init; }

    public WorkCalendar Calendar { get; init; } = WorkCalendar.MondayToFriday;

    public QuietHours QuietHours { get; init; } = QuietHours.Widest;

    public ConsentRules Consent { get; init; } = new(FrozenDictionary<Channel, ConsentPolicy>.Empty);

    /// <summary>Postal address that every commercial email carries (rule 11.2).</summary>
    public string PostalAddress { get; init; } = "";

    public IReadOnlyList<Member> Members { get; init; } = [];

    /// <summary>The member who stands in where a person has no owner (rule 11.2).</summary>
    public Guid? FallbackSender { get; init; }

    /// <summary>The person's zone: their own, else the practice's (rule 1.1).</summary>
    public DateTimeZone ZoneOf(PersonFacts person) => person.Zone ?? Zone;

    /// <summary>Who signs for a person: their owner, else the fallback; null when neither is a member.</summary>
    public Member? SenderFor(PersonFacts person) =>
        Members.FirstOrDefault(m => m.Id == person.OwnerId) ?? Members.FirstOrDefault(m => m.Id == FallbackSender);
}
