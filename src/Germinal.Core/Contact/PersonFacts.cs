using System.Collections.Frozen;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;

namespace Germinal.Core.Contact;

/// <summary>A named date of a person. A yearly one comes back each year; a single one is that day only.</summary>
public sealed record KeyDate(string Name, YearlyDate Date, bool Yearly);

/// <summary>
/// The facts of a person that the rules read. A snapshot: the engine gives back effects, it never changes facts.
/// </summary>
public sealed record PersonFacts
{
    private readonly string? handle;
    private readonly string? owner;

    public required Guid Id { get; init; }

    /// <summary>The id that files use; the id as text where none was given. People rank by it where all else is equal (rule 9.3).</summary>
    public string Handle
    {
        get => handle ?? Id.ToString();
        init => handle = value;
    }

    public string? FirstName { get; init; }

    public string? LastName { get; init; }

    public string? Email { get; init; }

    /// <summary>Mobile in E.164, or null.</summary>
    public string? Mobile { get; init; }

    /// <summary>Any other number in E.164; a call can use it, a text cannot.</summary>
    public string? OtherPhone { get; init; }

    /// <summary>Postal address, lines parted by line feeds.</summary>
    public string? Address { get; init; }

    /// <summary>Where they live, as far as the address says it.</summary>
    public PostalPlace Place => PostalPlace.Of(Address);

    /// <summary>The person's own zone; null means the practice's (rule 1.1).</summary>
    public DateTimeZone? Zone { get; init; }

    /// <summary>The language they are written to in; null means the practice's.</summary>
    public Tongue? Tongue { get; init; }

    /// <summary>The member who looks after the person.</summary>
    public Guid? OwnerId { get; init; }

    /// <summary>The owner as files name them; the owner's id as text where none was given.</summary>
    public string? Owner
    {
        get => owner ?? OwnerId?.ToString();
        init => owner = value;
    }

    /// <summary><c>Pipeline/Stage</c>, or null.</summary>
    public string? Stage { get; init; }

    public Instant? StageSince { get; init; }

    public string? Source { get; init; }

    public Instant Added { get; init; }

    public FrozenSet<string> Tags { get; init; } = NoTags;

    public FrozenSet<string> Lists { get; init; } = NoTags;

    /// <summary>Fields of the practice's own, by name, compared without regard to case.</summary>
    public FrozenDictionary<string, string> Custom { get; init; } = NoCustom;

    /// <summary>Why the last opportunity was lost, or null.</summary>
    public string? LostReason { get; init; }

    public IReadOnlyList<KeyDate> KeyDates { get; init; } = [];

    /// <summary>The household they belong to, or null.</summary>
    public Household? Household { get; init; }

    /// <summary>How others stand to them.</summary>
    public IReadOnlyList<RelationTo> Relations { get; init; } = [];

    /// <summary>What they did and when last, each by its name once; loaded only where a rule asks for such.</summary>
    public IReadOnlyList<Deed> Deeds { get; init; } = [];

    public IReadOnlyList<ConsentEntry> Consent { get; init; } = [];

    public bool DoNotContact { get; init; }

    /// <summary>
    /// The date at whose beginning, on the practice's clock, they may be contacted again (rule 6.2); null for good, and of no weight
    /// where <see cref="DoNotContact"/> is not set.
    /// </summary>
    public LocalDate? DoNotContactUntil { get; init; }

    public bool Died { get; init; }

    public bool Archived { get; init; }

    /// <summary>Addresses and numbers that bounced hard, complained or are invalid, in lower case.</summary>
    public FrozenSet<string> Suppressed { get; init; } = FrozenSet<string>.Empty;

    /// <summary>Words that single messages to them have in the place of their step's, by touch.</summary>
    public FrozenDictionary<Guid, OwnWords> OwnWords { get; init; } = FrozenDictionary<Guid, OwnWords>.Empty;

    /// <summary>No fields of the practice's own.</summary>
    public static FrozenDictionary<string, string> NoCustom { get; } =
        FrozenDictionary.ToFrozenDictionary<string, string>([], StringComparer.OrdinalIgnoreCase);

    /// <summary>An empty set of tags that compares without regard to case.</summary>
    public static FrozenSet<string> NoTags { get; } = FrozenSet.ToFrozenSet<string>([], StringComparer.OrdinalIgnoreCase);

    /// <summary>“Leila Okafor”, or what there is of it, or “Somebody without a name”.</summary>
    public string Name => PersonName.Of(FirstName, LastName, Email, Mobile);

    /// <summary>The same person, who did something (again).</summary>
    public PersonFacts Having(DeedKind kind, string name, Instant at) =>
        this with
        {
            Deeds = [.. Deeds.Where(d => d.Kind != kind || !string.Equals(d.Name, name, StringComparison.OrdinalIgnoreCase)), new Deed(kind, name, at)],
        };

    /// <summary>The address of a channel, or null: email, mobile in E.164, any number, postal address.</summary>
    public string? AddressOf(Channel channel) =>
        channel switch
        {
            Channel.Email => Email,
            Channel.Text => Mobile,
            Channel.Call => Mobile ?? OtherPhone,
            _ => Address,
        };
}
