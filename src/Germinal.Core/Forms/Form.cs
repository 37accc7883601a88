using NodaTime;

namespace Germinal.Core.Forms;

/// <summary>What becomes of what is known of a person already (rule 17.2). Closed.</summary>
public enum KnownValues
{
    /// <summary>Only blanks are filled.</summary>
    Fill,

    /// <summary>The newer value counts; the older stays in the thread.</summary>
    TakeOver,

    /// <summary>Nothing is changed until a member decides.</summary>
    Ask,
}

/// <summary>When an inquiry by a form is answered by itself (rule 17.5). Closed.</summary>
public enum AnswersItself
{
    Never,

    /// <summary>Outside the hours in which the practice is reached.</summary>
    OutsideHours,

    Always,
}

/// <summary>A public page with questions, and what comes of what is sent by it (rule 17).</summary>
public sealed record Form
{
    public required string Name { get; init; }

    /// <summary>What stands above its questions; empty where it says nothing of its own.</summary>
    public string Title { get; init; } = "";

    /// <summary>What it is called by those who fill it in: its title, else its name.</summary>
    public string Heading => Title.Length > 0 ? Title : Name;

    /// <summary>What stands below the title.</summary>
    public string Words { get; init; } = "";

    /// <summary>The questions, in the order they are asked.</summary>
    public required IReadOnlyList<FormQuestion> Questions { get; init; }

    /// <summary>Questions that make a submission an inquiry where all of them are answered; with none it is always a sign-up (rule 17.1).</summary>
    public IReadOnlyList<string> InquiryWhen { get; init; } = [];

    public KnownValues Known { get; init; }

    /// <summary>Whether nothing but the submission exists until the sender has confirmed it (rule 17.3).</summary>
    public bool DoubleOptIn { get; init; }

    /// <summary>Before this moment it is closed; null: since ever.</summary>
    public Instant? Opens { get; init; }

    /// <summary>From this moment on it is closed; null: never.</summary>
    public Instant? Closes { get; init; }

    /// <summary>How many submissions it takes; null: any number (rule 17.4).</summary>
    public int? Most { get; init; }

    /// <summary>Whether those who come too late for <see cref="Most"/> may wait for a place.</summary>
    public bool WaitingList { get; init; }

    /// <summary>What a closed form says.</summary>
    public string Closed { get; init; } = "";

    /// <summary>What is said when it was sent; where <see cref="GoOn"/> is named, that is where the sender goes instead.</summary>
    public string Thanks { get; init; } = "";

    /// <summary>An <c>https</c> address to go on to; null for the thanks.</summary>
    public string? GoOn { get; init; }

    /// <summary>Tags that are put on.</summary>
    public IReadOnlyList<string> Tags { get; init; } = [];

    /// <summary>A list that is joined; null for none.</summary>
    public string? List { get; init; }

    /// <summary>What an inquiry by it is about, among the practice's topics; null for nothing said.</summary>
    public string? Topic { get; init; }

    /// <summary>A program that is started; null for none.</summary>
    public string? Program { get; init; }

    /// <summary>The stage, <c>Pipeline/Stage</c>, in which an opportunity is opened by an inquiry; null for none.</summary>
    public string? Opportunity { get; init; }

    public AnswersItself AnswersItself { get; init; }

    /// <summary>The letter an inquiry is answered with by itself; null for none.</summary>
    public string? AnswerLetter { get; init; }

    /// <summary>Whether it takes submissions (rule 17.4).</summary>
    /// <param name="at">The moment.</param>
    /// <param name="sent">How many it has taken.</param>
    public bool IsOpen(Instant at, int sent) => (Opens is not { } from || at >= from) && (Closes is not { } until || at < until) && (Most is not { } most || sent < most);
}
