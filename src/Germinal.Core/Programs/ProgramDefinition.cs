using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Programs;

/// <summary>Whether a program may start again for a person who has been through it (rule 5.3).</summary>
public enum AgainKind
{
    /// <summary>Once in a lifetime, the default.</summary>
    Never,

    /// <summary>When the run before has ended, and the gap since has passed.</summary>
    AfterFinished,

    /// <summary>Whenever its trigger comes and no run is unfinished.</summary>
    EachTime,
}

/// <summary>The <c>again</c> of a program and, for after-finished, the gap.</summary>
public sealed record Again(AgainKind Kind, Distance? Gap)
{
    /// <summary>The default.</summary>
    public static Again Never { get; } = new(AgainKind.Never, null);
}

/// <summary>Which of two wordings a letter uses (rule 11.4).</summary>
public enum Voice
{
    /// <summary>One person speaks.</summary>
    I,

    /// <summary>The practice speaks.</summary>
    We,
}

/// <summary>The long-running plan of touches, as a program file says it. Immutable; one published version of a program is one of these.</summary>
public sealed record ProgramDefinition
{
    /// <summary>The format's name and version.</summary>
    public const string Format = "germinal.program/1";

    public required string Name { get; init; }

    public string? Description { get; init; }

    public string? Group { get; init; }

    public Purpose Purpose { get; init; } = Purpose.Commercial;

    public string? Topic { get; init; }

    /// <summary>The practice's policy it goes by, by name; null for the practice's default.</summary>
    public string? Policy { get; init; }

    /// <summary>The wording of its letters; null leaves it to the practice.</summary>
    public Voice? Voice { get; init; }

    /// <summary>1 goes first; 50 is the default.</summary>
    public int Priority { get; init; } = 50;

    /// <summary>True when local times are the practice's, not the person's (rule 1.1).</summary>
    public bool OnPracticeClock { get; init; }

    public LocalTime? At { get; init; }

    public Window? Window { get; init; }

    public IReadOnlyList<Trigger> StartsWhen { get; init; } = [];

    public Rule? OnlyIf { get; init; }

    public Again Again { get; init; } = Again.Never;

    /// <summary>The most runs that start on one date of the practice (rule 5.5); null: no limit.</summary>
    public int? StartLimit { get; init; }

    /// <summary>The share of people held out, in percent (rule 7.3).</summary>
    public int HoldOut { get; init; }

    public IReadOnlyList<Stop> StopsWhen { get; init; } = [];

    /// <summary>Whether open tasks stay on the day sheet when the run stops (rule 6.4).</summary>
    public bool KeepTasks { get; init; }

    /// <summary>Whether a message that nobody has read by its time waits for a yes; else it goes as it was set (ours; see the proof).</summary>
    public bool WaitsToBeRead { get; init; }

    /// <summary>Why pace does not hold its messages (rule 15.4), in a member's words; null: it does.</summary>
    public string? PaceLifted { get; init; }

    /// <summary>What is put behind the addresses of its letters' links beside what the practice puts there, by name.</summary>
    public IReadOnlyDictionary<string, string> LinkParameters { get; init; } = FrozenDictionary<string, string>.Empty;

    public IReadOnlyList<Step> Steps { get; init; } = [];

    /// <summary>What is asked of whoever takes it as a ready program; a program that is in use asks nothing.</summary>
    public IReadOnlyList<ProgramQuestion> Questions { get; init; } = [];

    /// <summary>Segments it needs, by name, with the rule each is made with where the practice has none of that name.</summary>
    public IReadOnlyDictionary<string, Rule> Segments { get; init; } = FrozenDictionary<string, Rule>.Empty;

    /// <summary>Every step in the written order, those of passages and those that go in another's place included.</summary>
    public IEnumerable<Step> AllSteps => Walk(Steps);

    /// <summary>Every rule the program asks: its own, its steps', its forks', those it starts by.</summary>
    public IEnumerable<Rule> Rules =>
        AllSteps
            .SelectMany(s => new[] { s.OnlyIf, (s as ForkStep)?.If is AskRule ask ? ask.Rule : null })
            .Prepend(OnlyIf)
            .Concat(AllSteps.OfType<EmailStep>().SelectMany(s => s.Passages))
            .Concat(StartsWhen.OfType<SegmentJoined>().Select(t => t.Asked))
            .OfType<Rule>();

    /// <summary>The program with each of its steps changed, those of passages too; a fork or split is changed itself first.</summary>
    public ProgramDefinition WithSteps(Func<Step, Step> change) => this with { Steps = Changed(Steps, change) };

    private static IReadOnlyList<Step> Changed(IReadOnlyList<Step> steps, Func<Step, Step> change) =>
        [
            .. steps
                .Select(change)
                .Select(step => step.Otherwise is { } other ? step with { Otherwise = Changed([other], change)[0] } : step)
                .Select(step =>
                    step switch
                    {
                        ForkStep fork => fork with { Then = Changed(fork.Then, change), Else = Changed(fork.Else, change) },
                        SplitStep split => split with { Passages = [.. split.Passages.Select(p => p with { Steps = Changed(p.Steps, change) })] },
                        _ => step,
                    }
                ),
        ];

    /// <summary>The step of an id; null when there is none.</summary>
    public Step? StepOf(string id) => AllSteps.FirstOrDefault(s => s.Id == id);

    /// <summary>The purpose of a step: its own, else the program's.</summary>
    public Purpose PurposeOf(Step step) => step.Purpose ?? Purpose;

    /// <summary>True of a letter the practice sends of its own accord: what stands still while its commercial mail has stopped. What members read is no such mail.</summary>
    public bool IsCommercialMail(Step step) => step is EmailStep { To: not ToOwner } && PurposeOf(step) == Purpose.Commercial;

    /// <summary>The topic of a step: its own, else the program's, else null.</summary>
    public string? TopicOf(Step step) => step.Topic ?? Topic;

    /// <summary>The time of day a date-placed step falls at (rule 1.4).</summary>
    public LocalTime TimeFor(LocalTime? own) => own ?? At ?? Window?.From ?? new LocalTime(9, 0);

    private static IEnumerable<Step> Walk(IEnumerable<Step> steps)
    {
        foreach (var step in steps)
        {
            yield return step;
            var inner = step switch
            {
                ForkStep f => f.Then.Concat(f.Else),
                SplitStep s => s.Passages.SelectMany(p => p.Steps),
                { Otherwise: { } other } => [other],
                _ => [],
            };
            foreach (var one in Walk(inner))
            {
                yield return one;
            }
        }
    }
}
