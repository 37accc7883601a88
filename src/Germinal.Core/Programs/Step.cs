using Germinal.Core.Contact;
using Germinal.Core.Rules;
using Germinal.Core.Time;

namespace Germinal.Core.Programs;

/// <summary>One line of a program. Closed: the sealed kinds below are all there are.</summary>
public abstract record Step
{
    public required string Id { get; init; }

    public When When { get; init; } = FromPrevious.AtOnce;

    public Rule? OnlyIf { get; init; }

    /// <summary>How long after its first due moment the touch still makes sense (rule 3.3); null: the rule's default.</summary>
    public Distance? LateLimit { get; init; }

    public Purpose? Purpose { get; init; }

    public string? Topic { get; init; }

    /// <summary>The member who sends, by id; null is the person's owner with a fallback (rule 11.2).</summary>
    public string? Sender { get; init; }

    /// <summary>Who reads it, where that is not the person (rule 3.6); only for emails, texts and notes.</summary>
    public SendTo? To { get; init; }

    /// <summary>True where it goes once to each household and date (rule 3.7); only for what reaches people over a channel.</summary>
    public bool OnePerHousehold { get; init; }

    /// <summary>
    /// What goes in its place where this one cannot reach its reader: no address, one that takes nothing, or no consent (rule 15.2). Null
    /// where nothing does. Only for emails, texts and notes, and one of those.
    /// </summary>
    public Step? Otherwise { get; init; }

    /// <summary>The word of the program file for the kind.</summary>
    public abstract string Kind { get; }

    /// <summary>The channel that reaches the person, or null.</summary>
    public virtual Channel? Channel => null;

    /// <summary>Whether it is a message that goes out by itself to somebody: what a proof reads.</summary>
    public bool IsMessage => this is EmailStep or TextStep && To is not ToOwner;

    /// <summary>The templates of the step with their keys in the program file, in the order they are read.</summary>
    public virtual IReadOnlyList<(string Key, string Text)> Templates => [];
}

/// <summary>A step that a member carries out, from the day sheet (rule 3.1).</summary>
public abstract record TaskStep : Step
{
    /// <summary>Whether the next step waits until the task is done or dropped.</summary>
    public bool Holds { get; init; }

    /// <summary>How long it may stand on the day sheet before it is closed as missed (rule 3.8); null: it stays.</summary>
    public Distance? MissedAfter { get; init; }

    /// <summary>The kinds of such steps, as files and tables name them.</summary>
    public static IReadOnlyList<string> Kinds { get; } = ["call", "note", "task", "post"];
}

/// <summary>An email.</summary>
public sealed record EmailStep : Step
{
    public required string Subject { get; init; }

    /// <summary>HTML with Liquid fields; a body without any tag is paragraphs parted by blank lines.</summary>
    public required string Body { get; init; }

    /// <summary>The letter of the practice it follows, by name; null where it has words of its own. Its subject and body are that letter's once they are known.</summary>
    public string? Letter { get; init; }

    /// <summary>The rules of passages that stand only for some, as the body has them; kept here for what has to be known of people.</summary>
    public IReadOnlyList<Rule> Passages { get; init; } = [];

    /// <summary>Files of the practice that it carries, by name.</summary>
    public IReadOnlyList<string> Attachments { get; init; } = [];

    /// <summary>Who is told of answers beside whoever looks after the person, a member's id or the practice itself; null for nobody else.</summary>
    public string? ReplyTo { get; init; }

    /// <inheritdoc/>
    public override string Kind => "email";

    /// <inheritdoc/>
    public override Channel? Channel => Contact.Channel.Email;

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("subject", Subject), ("body", Body)];
}

/// <summary>A text message.</summary>
public sealed record TextStep : Step
{
    /// <summary>Plain text with Liquid fields.</summary>
    public required string Body { get; init; }

    /// <inheritdoc/>
    public override string Kind => "text";

    /// <inheritdoc/>
    public override Channel? Channel => Contact.Channel.Text;

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("body", Body)];
}

/// <summary>A call task.</summary>
public sealed record CallStep : TaskStep
{
    /// <summary>The slack of a call that names none (rule 9.4).</summary>
    public static Distance DefaultSlack { get; } = Distance.Parse("P2D");

    /// <summary>What to say on the call, plain text with Liquid fields.</summary>
    public required string Script { get; init; }

    /// <summary>Working days by which the call may move (rule 9.4).</summary>
    public Distance Slack { get; init; } = DefaultSlack;

    /// <inheritdoc/>
    public override string Kind => "call";

    /// <inheritdoc/>
    public override Channel? Channel => Contact.Channel.Call;

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("script", Script)];
}

/// <summary>A note, handwritten or posted.</summary>
public sealed record NoteStep : TaskStep
{
    /// <summary>Plain text with Liquid fields.</summary>
    public required string Body { get; init; }

    /// <inheritdoc/>
    public override string Kind => "note";

    /// <inheritdoc/>
    public override Channel? Channel => Contact.Channel.Post;

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("body", Body)];
}

/// <summary>Anything else a member is to do. It reaches nobody by itself.</summary>
public sealed record DoStep : TaskStep
{
    /// <summary>Plain text with Liquid fields.</summary>
    public required string Title { get; init; }

    /// <inheritdoc/>
    public override string Kind => "task";

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("title", Title)];
}

/// <summary>Words and a picture for a public place, where a member puts them. It reaches nobody by itself.</summary>
public sealed record PostStep : TaskStep
{
    /// <summary>Plain text with Liquid fields.</summary>
    public required string Body { get; init; }

    /// <summary>Its picture, among the practice's; null for none.</summary>
    public Guid? Picture { get; init; }

    /// <summary>What the picture shows, for those who do not see it.</summary>
    public string PictureWords { get; init; } = "";

    /// <summary>Where it is to stand, in the practice's words; empty where that is plain.</summary>
    public string Place { get; init; } = "";

    /// <summary>Whether the practice's gateway puts it there; else a member does.</summary>
    public bool ByItself { get; init; }

    /// <inheritdoc/>
    public override string Kind => "post";

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("body", Body)];
}

/// <summary>A message to the owner.</summary>
public sealed record TellMeStep : Step
{
    /// <summary>Plain text with Liquid fields.</summary>
    public required string Body { get; init; }

    /// <inheritdoc/>
    public override string Kind => "tell-me";

    /// <inheritdoc/>
    public override IReadOnlyList<(string Key, string Text)> Templates => [("body", Body)];
}

/// <summary>Changes facts of the person; each change is an event like any other.</summary>
public sealed record ChangeStep : Step
{
    public required IReadOnlyList<FactChange> Set { get; init; }

    /// <inheritdoc/>
    public override string Kind => "change";
}

/// <summary>What a change step does. Closed.</summary>
public abstract record FactChange;

/// <summary>Puts a tag on.</summary>
public sealed record PutTagOn(string Tag) : FactChange;

/// <summary>Takes a tag off.</summary>
public sealed record TakeTagOff(string Tag) : FactChange;

/// <summary>Joins a list.</summary>
public sealed record JoinList(string List) : FactChange;

/// <summary>Leaves a list.</summary>
public sealed record LeaveList(string List) : FactChange;

/// <summary>Moves to a stage, <c>Pipeline/Stage</c>.</summary>
public sealed record MoveToStage(string Stage) : FactChange;

/// <summary>Sets a custom field; an empty value clears it.</summary>
/// <param name="Name">The field's name without <c>custom:</c>.</param>
/// <param name="Value">The value as text.</param>
public sealed record SetCustom(string Name, string Value) : FactChange;

/// <summary>A fork: one of two passages by the answer to a question (rule 7.1).</summary>
public sealed record ForkStep : Step
{
    public required Question If { get; init; }

    /// <summary>How long it waits for a yes from its due moment; null: it is judged then.</summary>
    public Distance? Within { get; init; }

    public IReadOnlyList<Step> Then { get; init; } = [];

    public IReadOnlyList<Step> Else { get; init; } = [];

    /// <inheritdoc/>
    public override string Kind => "fork";
}

/// <summary>What a fork asks. Closed.</summary>
/// <param name="Step">The earlier step it asks about, by id; null where it asks about no one step.</param>
public abstract record Question(string? Step);

/// <summary>Was the email opened?</summary>
public sealed record AskOpened(string Of) : Question(Of);

/// <summary>Was a link of the message followed, any or a given one?</summary>
public sealed record AskLinkFollowed(string Of, string? Link) : Question(Of);

/// <summary>Did they reply, after a step was sent or at all since the start?</summary>
public sealed record AskReplied(string? Of) : Question(Of);

/// <summary>Did the message bounce?</summary>
public sealed record AskBounced(string Of) : Question(Of);

/// <summary>Did the call end with this outcome?</summary>
public sealed record AskCallEnded(string Of, string Outcome) : Question(Of);

/// <summary>Did they send this form since the start?</summary>
public sealed record AskFormSent(string Form) : Question((string?)null);

/// <summary>Does a rule over the person hold?</summary>
public sealed record AskRule(Rule Rule) : Question((string?)null);

/// <summary>A split: shares of people go down passages by a stable hash (rule 7.2).</summary>
public sealed record SplitStep : Step
{
    public required IReadOnlyList<Passage> Passages { get; init; }

    /// <inheritdoc/>
    public override string Kind => "split";
}

/// <summary>One way of a split.</summary>
/// <param name="Share">Its weight against the other passages; whole, from 1.</param>
/// <param name="Steps">Its steps; they join again after the split.</param>
public sealed record Passage(int Share, IReadOnlyList<Step> Steps);

/// <summary>Starts another program; the run goes on (rule 3.5).</summary>
public sealed record HandOverStep : Step
{
    /// <summary>The other program's name; the own name is a loop.</summary>
    public required string Program { get; init; }

    /// <inheritdoc/>
    public override string Kind => "hand-over";
}

/// <summary>The run finishes here.</summary>
public sealed record EndStep : Step
{
    /// <inheritdoc/>
    public override string Kind => "end";
}
