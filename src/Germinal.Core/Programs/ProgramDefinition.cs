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
public sealed record Again(AgainKind Kind, Offset? Gap)
{
    /// <summary>The default.</summary>
    public static Again Never { get; } = new(AgainKind.Never, null);
}

/// <summary>What starts a program (rule 5.1).</summary>
public abstract record Trigger;

/// <summary>Only a member starts it.</summary>
public sealed record ByHand : Trigger;

/// <summary>A tag is put on that was not on.</summary>
public sealed record TagAdded(string Tag) : Trigger;

/// <summary>A stage is entered, written <c>Pipeline/Stage</c>.</summary>
public sealed record StageEntered(string Stage) : Trigger;

/// <summary>
/// A yearly key date comes round (rules 4.2, 4.3).
/// </summary>
/// <param name="Date">The key date's name, such as <c>birthday</c>.</param>
/// <param name="Offset">Applied to the observed date; <c>-P1D</c> starts the day before.</param>
/// <param name="Years">Ages or anniversaries that count; empty means every year, the year may then be unknown.</param>
/// <param name="GraceDays">How many days late a missed start still happens.</param>
public sealed record OccasionTrigger(string Date, Offset Offset, IReadOnlyList<int> Years, int GraceDays = 2) : Trigger;

/// <summary>What stops a run (rule 6.1).</summary>
public abstract record Stop;

/// <summary>They reply, on any channel or on one.</summary>
public sealed record StopOnReply(Channel? Channel) : Stop;

/// <summary>They enter a stage.</summary>
public sealed record StopOnStage(string Stage) : Stop;

/// <summary>A tag is put on.</summary>
public sealed record StopOnTag(string Tag) : Stop;

/// <summary>Where a step falls (rule 3.2). <see cref="At"/> is a time of day of its own, or null.</summary>
public abstract record When(LocalTime? At);

/// <summary>So long after the run started.</summary>
public sealed record FromStart(Offset Offset, LocalTime? At) : When(At);

/// <summary>So long after the step before settled.</summary>
public sealed record FromPrevious(Offset Offset, LocalTime? At) : When(At);

/// <summary>So long before or after the occasion that started the run.</summary>
public sealed record FromOccasion(Offset Offset, LocalTime? At) : When(At);

/// <summary>On one date.</summary>
public sealed record OnDate(LocalDate Date, LocalTime? At) : When(At);

/// <summary>On the next such day of the year.</summary>
public sealed record OnYearly(YearlyDate Date, LocalTime? At) : When(At);

/// <summary>So long before or after a key date of the person.</summary>
public sealed record FromKeyDate(string Date, Offset Offset, LocalTime? At) : When(At);

/// <summary>One line of a program.</summary>
public abstract record Step
{
    public required string Id { get; init; }

    public When When { get; init; } = new FromPrevious(Offset.Zero, null);

    public Rule? OnlyIf { get; init; }

    /// <summary>How long after its first due moment the touch still makes sense (rule 3.3); null: the rule's default.</summary>
    public Offset? LateLimit { get; init; }

    public Purpose? Purpose { get; init; }

    public string? Topic { get; init; }

    /// <summary>The word of the program file for the kind.</summary>
    public abstract string Kind { get; }

    /// <summary>The channel that reaches the person, or null.</summary>
    public abstract Channel? Channel { get; }
}

/// <summary>An email from the person's owner.</summary>
public sealed record EmailStep : Step
{
    public required string Subject { get; init; }

    /// <summary>HTML with Liquid fields; a body without any tag is paragraphs parted by blank lines.</summary>
    public required string Body { get; init; }

    /// <inheritdoc/>
    public override string Kind => "email";

    /// <inheritdoc/>
    public override Channel? Channel => Programs.Channel.Email;
}

/// <summary>A call task on the day sheet.</summary>
public sealed record CallStep : Step
{
    /// <summary>What to say on the call, plain text with Liquid fields.</summary>
    public required string Script { get; init; }

    /// <summary>Working days by which the call may move (rule 9.4).</summary>
    public Offset Slack { get; init; } = Offset.Parse("P2D");

    /// <summary>Whether the next step waits until the call is done or dropped (rule 3.1).</summary>
    public bool Holds { get; init; }

    /// <inheritdoc/>
    public override string Kind => "call";

    /// <inheritdoc/>
    public override Channel? Channel => Programs.Channel.Call;
}

/// <summary>Starts another program; the run goes on (rule 3.5).</summary>
public sealed record HandOverStep : Step
{
    /// <summary>The other program's name; the own name is a loop.</summary>
    public required string Program { get; init; }

    /// <inheritdoc/>
    public override string Kind => "hand-over";

    /// <inheritdoc/>
    public override Channel? Channel => null;
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

    /// <summary>1 goes first; 50 is the default.</summary>
    public int Priority { get; init; } = 50;

    /// <summary>True when local times are the practice's, not the person's (rule 1.1).</summary>
    public bool OnPracticeClock { get; init; }

    public LocalTime? At { get; init; }

    public Window? Window { get; init; }

    public IReadOnlyList<Trigger> StartsWhen { get; init; } = [];

    public Rule? OnlyIf { get; init; }

    public Again Again { get; init; } = Again.Never;

    public IReadOnlyList<Stop> StopsWhen { get; init; } = [];

    /// <summary>Whether open tasks stay on the day sheet when the run stops (rule 6.4).</summary>
    public bool KeepTasks { get; init; }

    public IReadOnlyList<Step> Steps { get; init; } = [];

    /// <summary>The purpose of a step: its own, else the program's.</summary>
    public Purpose PurposeOf(Step step) => step.Purpose ?? Purpose;

    /// <summary>The topic of a step: its own, else the program's, else null.</summary>
    public string? TopicOf(Step step) => step.Topic ?? Topic;

    /// <summary>The time of day a date-placed step falls at (rule 1.4).</summary>
    public LocalTime TimeFor(LocalTime? own) => own ?? At ?? Window?.From ?? new LocalTime(9, 0);
}
