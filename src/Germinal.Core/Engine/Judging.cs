using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// A touch while it is being judged: who, what and when, and what the checks have found so far. A turn has one and uses it
/// for one touch after the other; what is kept of it is a <see cref="Trail"/>.
/// </summary>
internal sealed class Judging
{
    /// <summary>Rule 3.3: what a run that an occasion started keeps to where the step names nothing.</summary>
    private static readonly Distance OccasionLateLimit = Distance.Parse("P1D");

    // The last few midnights that were asked for: those of one date are asked for again and again.
    private readonly (LocalDate Date, DateTimeZone? Zone, Instant At)[] midnights = new (LocalDate, DateTimeZone?, Instant)[16];
    private bool looked;

    public Practice Practice { get; private set; } = null!;

    public PersonFacts Person { get; private set; } = null!;

    /// <summary>Who reads it: the person, or whom the step writes to (rule 3.6); null where nobody is there.</summary>
    public PersonFacts? Reader { get; private set; }

    public Going Run { get; private set; } = null!;

    public ProgramDefinition Program { get; private set; } = null!;

    public Step Step { get; private set; } = null!;

    public Instant Now { get; private set; }

    /// <summary>The checks that were made, one bit each.</summary>
    public ushort Made { get; private set; }

    /// <summary>Those of them that failed.</summary>
    public ushort Failed { get; private set; }

    public ConsentReading Consent { get; set; }

    /// <summary>Who let it go in spite of missing consent, and why (rule 10.5).</summary>
    public string? Overruled { get; set; }

    public HeldByPace? HeldBack { get; set; }

    /// <summary>What is lacking to fill it, once <see cref="Looked"/> at.</summary>
    public Lack? Lacking { get; private set; }

    /// <summary>Rule 3.3: the step's own limit; for runs started by an occasion a day; else none.</summary>
    public Distance? LateLimit => Step.LateLimit ?? (Run.Occasion is null ? null : OccasionLateLimit);

    /// <summary>Begins with another touch.</summary>
    public Judging Begin(Practice practice, PersonFacts person, Going run, Instant now)
    {
        (Practice, Person, Run, Now) = (practice, person, run, now);
        (Program, Step) = (run.Definition, run.Step);
        Reader = Readers.Next(practice, person, run);
        (Made, Failed) = (0, 0);
        (Consent, Overruled, HeldBack) = (default, null, null);
        (looked, Lacking) = (false, null);
        return this;
    }

    /// <summary>Notes a check; gives back whether it passed.</summary>
    public bool Note(CheckKind kind, bool passed)
    {
        Made |= Trail.Bit(kind);
        if (!passed)
        {
            Failed |= Trail.Bit(kind);
        }

        return passed;
    }

    /// <summary>What is lacking to fill it; looked for once.</summary>
    public Lack? Looked(TouchEngine engine)
    {
        if (!looked)
        {
            Lacking = engine.LackOf(Person.Worded(Run.TouchId, Step), new Addressed(Person, Reader ?? Person), Program, Now);
            looked = true;
        }

        return Lacking;
    }

    /// <summary>The beginning of a date on the person's clock.</summary>
    public Instant BeginningOf(LocalDate date)
    {
        var zone = Practice.ZoneOf(Person);
        ref var known = ref midnights[date.DayOfYear & 15];
        if (known.Date != date || !ReferenceEquals(known.Zone, zone))
        {
            known = (date, zone, LocalClock.At(date.AtMidnight(), zone));
        }

        return known.At;
    }

    /// <summary>What to keep of the decision.</summary>
    public Trail ToTrail() => new(this);

    /// <summary>Why nobody may reach the person any more (rule 6.2), or null.</summary>
    public static Reason? GoneBy(PersonFacts person) =>
        person.Died ? Reason.Died
        : person.Archived ? Reason.Archived
        : person.DoNotContact ? Reason.DoNotContact
        : null;
}
