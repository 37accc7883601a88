using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;

namespace Germinal.Core.Practices;

/// <summary>A member of the practice, as far as the rules know them.</summary>
public sealed record Member(Guid Id, string Name, string Email)
{
    private readonly string? handle;

    /// <summary>The id that files use, such as <c>ada</c>; the id as text where none was given.</summary>
    public string Handle
    {
        get => handle ?? Id.ToString();
        init => handle = value;
    }

    /// <summary>How many calls the member can make on each week day; a day not named: none. Null: as many as there are (rule 9.4).</summary>
    public FrozenDictionary<IsoDayOfWeek, int>? Capacity { get; init; }

    /// <summary>How many emails a day the account they send from takes; null where it is the practice's, or nobody has said (rule 9.3).</summary>
    public int? MostEmails { get; init; }

    /// <summary>When they are away: then they make no calls, and their deputy stands in for them.</summary>
    public IReadOnlyList<Absence> Absences { get; init; } = [];

    /// <summary>Who stands in for them while they are away; null for nobody.</summary>
    public Guid? DeputyId { get; init; }

    /// <summary>Whether they are away on a date.</summary>
    public bool IsAway(LocalDate date)
    {
        foreach (var absence in Absences)
        {
            if (absence.Has(date))
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>What their own calendars leave of the practice's hours, on days on which they take some; a day that is not in it is all theirs.</summary>
    public IReadOnlyDictionary<LocalDate, FreeShare> Busy { get; init; } = FrozenDictionary<LocalDate, FreeShare>.Empty;

    /// <summary>
    /// How many calls they can make on a date (rule 9.4): none on a free day, while they are away, and where their own calendars leave no
    /// minute; where those leave some of the day, that share. Null for as many as there are.
    /// </summary>
    public int? RoomOn(LocalDate date, WorkCalendar calendar)
    {
        var left = Busy.TryGetValue(date, out var share) ? share : (FreeShare?)null;
        return IsAway(date) || left is { Free: <= 0 } ? 0
            : Capacity is not { } capacity ? null
            : calendar.IsFree(date) ? 0
            : left is { } free ? free.OfRoom(capacity.GetValueOrDefault(date.DayOfWeek))
            : capacity.GetValueOrDefault(date.DayOfWeek);
    }

    /// <summary>How they sign letters, as HTML; empty: by their name.</summary>
    public string SignOff { get; init; } = "";

    /// <summary>Where their photograph is, for the sign-off; null for none.</summary>
    public string? Photograph { get; init; }
}

/// <summary>Days on which a member is away, on the practice's clock; the last one included.</summary>
public sealed record Absence(LocalDate From, LocalDate Until)
{
    /// <summary>Whether a date is one of them.</summary>
    public bool Has(LocalDate date) => date >= From && date <= Until;
}

/// <summary>At most so many commercial touches in so many local dates of the person's clock (rule 9.1).</summary>
/// <param name="Max">The most that may be sent.</param>
/// <param name="Days">The number of dates, the date in question the last.</param>
/// <param name="Channels">The channels it counts over and holds.</param>
public sealed record PaceRule(int Max, int Days, FrozenSet<Channel> Channels);

/// <summary>A pipeline with its stages in order.</summary>
public sealed record Pipeline(string Name, IReadOnlyList<string> Stages);

/// <summary>The practice's settings that the engine reads.</summary>
public sealed record Practice
{
    public required string Name { get; init; }

    public required DateTimeZone Zone { get; init; }

    public LeapDay LeapDay { get; init; }

    public WorkCalendar Calendar { get; init; } = WorkCalendar.MondayToFriday;

    public QuietHours QuietHours { get; init; } = QuietHours.Widest;

    public ConsentRules Consent { get; init; } = new(FrozenDictionary<Channel, ConsentPolicy>.Empty);

    /// <summary>Policies a program can pick in the place of <see cref="Consent"/>, by name, compared without regard to case.</summary>
    public FrozenDictionary<string, SendingPolicy> Policies { get; init; } = FrozenDictionary<string, SendingPolicy>.Empty;

    /// <summary>Plain words under every commercial letter; empty for none.</summary>
    public string Footer { get; init; } = "";

    public IReadOnlyList<PaceRule> Pace { get; init; } = [];

    /// <summary>The most touches of a channel on one date of the practice (rule 9.3).</summary>
    public FrozenDictionary<Channel, int> DailyLimits { get; init; } = FrozenDictionary<Channel, int>.Empty;

    public IReadOnlyList<Pipeline> Pipelines { get; init; } = [];

    /// <summary>How its letters speak where a program does not say (rule 11.4).</summary>
    public Voice Voice { get; init; }

    /// <summary>Saved segments by name, compared without regard to case (rule 16.1).</summary>
    public FrozenDictionary<string, Rule> Segments { get; init; } = FrozenDictionary<string, Rule>.Empty;

    /// <summary>Postal address that every commercial email carries (rule 11.2).</summary>
    /// <summary>Whether a day's messages are limited: those of a channel, or those a member's account takes (rule 9.3).</summary>
    public bool LimitsDays => DailyLimits.Count > 0 || Members.Any(m => m.MostEmails is not null);

    public string PostalAddress { get; init; } = "";

    public IReadOnlyList<Member> Members { get; init; } = [];

    /// <summary>The member who stands in where a person has no owner (rule 11.2).</summary>
    public Guid? FallbackSender { get; init; }

    /// <summary>The practice itself as who signs, under <see cref="ItselfHandle"/>; null where it has no address of its own.</summary>
    public Member? Itself { get; init; }

    /// <summary>Offers, figures and files that letters take from; null where nobody has said what is kept, as in rehearsals of files.</summary>
    public KeptThings? Kept { get; init; }

    /// <summary>The policy a program picked; null for the practice's default, and for one that is not there (any more).</summary>
    public SendingPolicy? PolicyOf(ProgramDefinition program) => program.Policy is { } name ? Policies.GetValueOrDefault(name) : null;

    /// <summary>What consent is read by for a program: its policy's rules, else the practice's.</summary>
    public ConsentRules ConsentOf(ProgramDefinition program) => PolicyOf(program)?.Consent ?? Consent;

    /// <summary>The practice as it is for a program: speaking as that does (rule 11.4), under the policy it picked.</summary>
    public Practice AsFor(ProgramDefinition program)
    {
        var policy = PolicyOf(program);
        var voice = program.Voice ?? Voice;
        return policy is null && voice == Voice
            ? this
            : this with
            {
                Voice = voice,
                Consent = policy?.Consent ?? Consent,
                Footer = policy?.Footer ?? Footer,
            };
    }

    /// <summary>Rules as they are judged at a moment of this practice.</summary>
    /// <param name="now">The moment.</param>
    /// <param name="memory">What the engine remembers of the person they are judged over; null: nothing.</param>
    public RuleMoment RulesAt(Instant now, Func<RuleMemory>? memory = null) => new(now, Zone, LeapDay, memory, Segments);

    /// <summary>The language of the practice: of its pages and letters, and of members who chose none.</summary>
    public Tongue Tongue { get; init; } = Tongue.British;

    /// <summary>The language a person is written to in: their own, else the practice's.</summary>
    public Tongue TongueOf(PersonFacts person) => person.Tongue ?? Tongue;

    /// <summary>The person's zone: their own, else the practice's (rule 1.1).</summary>
    public DateTimeZone ZoneOf(PersonFacts person) => person.Zone ?? Zone;

    /// <summary>The clock a program reads for a person: the practice's or their own (rule 1.1).</summary>
    public DateTimeZone ClockOf(ProgramDefinition program, PersonFacts person) => program.OnPracticeClock ? Zone : ZoneOf(person);

    /// <summary>Who signs for a person: their owner, else the fallback; null when neither is a member.</summary>
    public Member? SenderFor(PersonFacts person) => SenderFor(person.OwnerId);

    /// <summary>The same for somebody of whom only the owner is known; null for one who has none.</summary>
    public Member? SenderFor(Guid? owner) => MemberOf(owner) ?? MemberOf(FallbackSender);

    /// <summary>What a step writes for the practice itself in the place of a member's id.</summary>
    public const string ItselfHandle = "practice";

    /// <summary>Who signs a step: the member it names, or the practice itself, else as <see cref="SenderFor(PersonFacts)"/>; null when there is none.</summary>
    public Member? SenderFor(PersonFacts person, Step step) => step.Sender is { } named ? Named(named) : SenderFor(person);

    /// <summary>The member of an id as files and steps have it, or the practice itself; null for none such.</summary>
    public Member? Named(string handle) => Members.FirstOrDefault(m => m.Handle == handle) ?? (handle == ItselfHandle ? Itself : null);

    /// <summary>The practice itself as who signs.</summary>
    /// <param name="id">Its id.</param>
    /// <param name="name">Its name.</param>
    /// <param name="email">Its own address; empty for none.</param>
    public static Member? AsSender(Guid id, string name, string email) => email.Length > 0 ? new Member(id, name, email) { Handle = ItselfHandle } : null;

    /// <summary>The owner of a person as whoever reads a message (rule 3.6), in the practice's zone; null where there is none.</summary>
    public PersonFacts? OwnerAsReader(PersonFacts person)
    {
        if (SenderFor(person) is not { } owner)
        {
            return null;
        }

        var parts = owner.Name.Split(' ', 2);
        return new PersonFacts
        {
            Id = owner.Id,
            Handle = owner.Handle,
            FirstName = parts[0],
            LastName = parts.Length > 1 ? parts[1] : null,
            Email = owner.Email,
        };
    }

    private Member? MemberOf(Guid? id)
    {
        foreach (var member in Members)
        {
            if (member.Id == id)
            {
                return member;
            }
        }

        return null;
    }
}
