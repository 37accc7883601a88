using System.Collections.Concurrent;
using System.Collections.Immutable;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// The engine: a pure function of the practice, its programs, one person's facts and state, and one event or one moment.
/// It gives back the new state and the effects; nothing else decides anything. The live service, the rehearsal and the
/// margin of a screen differ only in who supplies the events and who carries out the effects.
/// </summary>
public sealed class TouchEngine(Practice practice, ProgramShelf shelf, ITemplates templates)
{
    // What a step's templates need never changes, so it is asked once for each step.
    private readonly ConcurrentDictionary<Step, IReadOnlyList<string>> fields = new(ReferenceEqualityComparer.Instance);

    private readonly ImmutableArray<DueCheck>[] checks = DueChecks.AskedBy(practice);

    private readonly int? longestPace = practice.Pace.Count == 0 ? null : practice.Pace.Max(r => r.Days);

    /// <summary>The practice whose rules apply.</summary>
    public Practice Practice => practice;

    /// <summary>The practice's programs.</summary>
    public ProgramShelf Shelf => shelf;

    /// <summary>Fills in messages; the edge to the templating.</summary>
    public ITemplates Templates => templates;

    /// <summary>Takes in one event: first stops, then starts by priority and name (rule 5.1).</summary>
    /// <param name="person">The facts, the event's own change already in them.</param>
    /// <param name="state">The person's state.</param>
    /// <param name="happening">What happened.</param>
    /// <param name="counters">What concerns many people; null where one person is looked at alone.</param>
    public Advance React(PersonFacts person, PersonState state, Happening happening, ICounters? counters = null)
    {
        var turn = new PersonTurn(this, person, state, happening.At, counters);
        turn.React(happening);
        return turn.Result();
    }

    /// <summary>
    /// Judges everything that is due at or before <paramref name="now"/>, in the order of first due moment, priority, program
    /// name and step (rule 9.3). A message that passes is handed over, not settled: its outcome comes back through <see cref="Settle"/>.
    /// </summary>
    public Advance Judge(PersonFacts person, PersonState state, Instant now, ICounters? counters = null)
    {
        var turn = new PersonTurn(this, person, state, now, counters);
        turn.JudgeDue();
        return turn.Result();
    }

    /// <summary>
    /// Judges only the first touch that is due, where people share a limit and everybody's touches go in one order (rule 9.3).
    /// </summary>
    public Advance JudgeFirst(PersonFacts person, PersonState state, Instant now, ICounters? counters)
    {
        var turn = new PersonTurn(this, person, state, now, counters);
        turn.JudgeFirst();
        return turn.Result();
    }

    /// <summary>What rules can ask of what the engine remembers of a person: the programs they are on and have been on, last and next touch.</summary>
    public RuleMemory Remember(PersonFacts person, PersonState state) => new PersonTurn(this, person, state, Instant.MinValue, null).Remembered();

    /// <summary>Whether a step may reach a person by their ledger alone (rule 10.2), and the entry that decides it.</summary>
    public static ConsentReading ConsentFor(Practice practice, PersonFacts person, ProgramDefinition definition, Step step, Channel channel, Instant now) =>
        ConsentLedger.Read(person.Consent, practice.ConsentOf(definition), channel, definition.PurposeOf(step), definition.TopicOf(step), now, practice.Zone);

    /// <summary>Where the person's first due touch stands in the order of everybody; null when nothing is due.</summary>
    public AskOrder? FirstInOrder(PersonFacts person, PersonState state, Instant now) => new PersonTurn(this, person, state, now, null).FirstInOrder();

    /// <summary>
    /// A touch that was handed over did not go and may be tried again: it is taken back and judged anew at
    /// <paramref name="now"/>, with its late limit, its window and whatever the person has said meanwhile.
    /// </summary>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state.</param>
    /// <param name="touchId">The touch.</param>
    /// <param name="handedAt">The moment of the decision that handed it over.</param>
    /// <param name="now">This moment.</param>
    /// <param name="counters">What concerns many people.</param>
    public Advance TryAgain(PersonFacts person, PersonState state, Guid touchId, Instant handedAt, Instant now, ICounters? counters)
    {
        var turn = new PersonTurn(this, person, state, now, counters);
        turn.TakeBack(touchId, handedAt);
        turn.JudgeDue();
        return turn.Result();
    }

    /// <summary>The channel's answer for a touch that was handed over: sent, or given up for a reason.</summary>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state.</param>
    /// <param name="touchId">The touch.</param>
    /// <param name="at">The moment of the decision that handed it over.</param>
    /// <param name="failure">Null when it was sent; else why the channel refused it for good.</param>
    public Advance Settle(PersonFacts person, PersonState state, Guid touchId, Instant at, string? failure)
    {
        var turn = new PersonTurn(this, person, state, at, null);
        turn.SettleHanded(touchId, failure);
        return turn.Result();
    }

    /// <summary>Over how many dates pace rules count where any rule holds a channel; null where none does.</summary>
    internal int? LongestPace(Channel channel)
    {
        foreach (var rule in practice.Pace)
        {
            if (rule.Channels.Contains(channel))
            {
                return longestPace;
            }
        }

        return null;
    }

    /// <summary>True where a rule of any program asks when the next touch is due.</summary>
    internal bool AsksNextTouch { get; } = Asked(practice, shelf).Any(l => l.Field == "next-touch");

    /// <summary>True where a rule of any program asks what people did: then their facts need their deeds.</summary>
    public bool AsksDeeds { get; } = Asked(practice, shelf).Any(l => l.Known?.Deed is not null);

    /// <summary>True where a rule of any program asks how others stand to a person: then their facts need their relations.</summary>
    public bool AsksRelations { get; } = Asked(practice, shelf).Any(l => l.Known?.Role is not null);

    /// <summary>
    /// The relations in which people stand to whom a step of any program writes (rule 3.6): then the facts of a person need those of
    /// the others.
    /// </summary>
    public IReadOnlySet<string> WritesTo { get; } =
        shelf.Versions.SelectMany(v => v.Flow.Steps).Select(s => s.Step.To).OfType<ToRelated>().Select(t => t.Role).ToHashSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>True where a step of any program goes once to each household (rule 3.7): then people are judged in one order.</summary>
    public bool AsksHouseholds { get; } = shelf.Versions.Any(v => v.Flow.Steps.Any(s => s.Step.OnePerHousehold));

    /// <summary>True where anything limits many people together: a day's messages, a day's starts, a household.</summary>
    public bool SharesCounts => practice.LimitsDays || AsksHouseholds || shelf.On.Any(p => p.Current.Definition.StartLimit is not null);

    /// <summary>Whom programs wait for to begin to match a segment.</summary>
    public SegmentWatch Watch { get; } = new(practice, shelf);

    /// <summary>What the rules of all programs ask; where one asks for a segment, what all segments ask.</summary>
    private static List<Leaf> Asked(Practice practice, ProgramShelf shelf)
    {
        var leaves = shelf.Versions.SelectMany(v => v.Definition.Rules).SelectMany(r => r.Leaves).ToList();
        return leaves.Exists(l => l.Field == RuleField.Segment) ? [.. leaves, .. practice.Segments.Values.SelectMany(r => r.Leaves)] : leaves;
    }

    /// <summary>The checks of section 8 that a step needs, in their order.</summary>
    internal ImmutableArray<DueCheck> ChecksOf(Step step) => checks[(int)DueChecks.NeedsOf(step)];

    /// <summary>Why a step's message cannot be filled for whom it is about and who reads it (rule 11.1); null when it can, or has nothing to fill.</summary>
    internal Lack? LackOf(Step step, Addressed to, ProgramDefinition program, Instant at)
    {
        if (!DueChecks.NeedsOf(step).HasFlag(Needs.Words))
        {
            return null;
        }

        if (practice.SenderFor(to.Person, step) is not { } sender)
        {
            return new Lack(Reason.NoSender, []);
        }

        var speaking = practice.AsFor(program);
        foreach (var field in fields.GetOrAdd(step, static (s, t) => t.FieldsOf(s), templates))
        {
            if (string.IsNullOrWhiteSpace(MergeFields.ValueOf(field, to, speaking, sender, at)))
            {
                return templates.Missing(step, to, speaking, sender, at) is { Count: > 0 } missing ? new Lack(Reason.CannotFill, missing) : null;
            }
        }

        return null;
    }
}
