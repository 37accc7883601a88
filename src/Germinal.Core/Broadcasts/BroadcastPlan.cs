using Germinal.Core.Files;

namespace Germinal.Core.Broadcasts;

/// <summary>
/// A broadcast as its page writes it (rule 15.1): to whom, what, by which ways, when. Dates and spans are kept as they are written, ISO 8601;
/// <see cref="BroadcastCheck"/> says what is wrong with them, <see cref="BroadcastProgram"/> makes the program of one sending of it.
/// </summary>
public sealed record BroadcastPlan
{
    /// <summary>Who it is for.</summary>
    public BroadcastTo To { get; init; } = new();

    /// <summary>People taken out by hand.</summary>
    public IReadOnlyList<Guid> Without { get; init; } = [];

    /// <summary>People put in by hand.</summary>
    public IReadOnlyList<Guid> With { get; init; } = [];

    /// <summary>The ways by which it goes, the preferred first (rule 15.2): each at most once.</summary>
    public IReadOnlyList<BroadcastWay> Ways { get; init; } = [];

    /// <summary>When it begins.</summary>
    public BroadcastWhen When { get; init; } = new();

    /// <summary>The member who signs it, by id, or <see cref="Practices.Practice.ItselfHandle"/>; null for whoever looks after each.</summary>
    public string? Sender { get; init; }

    /// <summary>Who is told of answers to its email beside whoever looks after each, as <see cref="Sender"/>; null for nobody else.</summary>
    public string? ReplyTo { get; init; }

    /// <summary>Whether it is <i>transactional</i>; else it is commercial.</summary>
    public bool Transactional { get; init; }

    /// <summary>The topic it is about; null for none.</summary>
    public string? Topic { get; init; }

    /// <summary>The policy it goes by, by name; null for the practice's default.</summary>
    public string? Policy { get; init; }

    /// <summary>The practice's own code for what it belongs to; it stands in tables and files.</summary>
    public string? Code { get; init; }

    /// <summary>How long after its moment it still makes sense (rule 15.1), ISO 8601; null for <see cref="BroadcastProgram.LateLimit"/>.</summary>
    public string? LateLimit { get; init; }

    /// <summary>Why pace does not hold it (rule 15.4); null: it does.</summary>
    public string? PaceLifted { get; init; }

    /// <summary>What is put behind the addresses of its links, by name.</summary>
    public IReadOnlyDictionary<string, string> Parameters { get; init; } = new Dictionary<string, string>(StringComparer.Ordinal);

    /// <summary>Versions that are compared (rule 15.3); null where there is one.</summary>
    public BroadcastTest? Test { get; init; }

    /// <summary>What is to come of it (rule 14.6); null for nothing in particular.</summary>
    public BroadcastGoal? Goal { get; init; }

    /// <summary>The program it is part of: whoever is held out of that (rule 7.3) does not get it either; null for none.</summary>
    public Guid? PartOf { get; init; }

    /// <summary>Those whose missing consent a member overruled for this one (rule 10.5).</summary>
    public IReadOnlyList<LetGo> LetGo { get; init; } = [];

    /// <summary>How it repeats; null for once.</summary>
    public BroadcastRepeat? Repeat { get; init; }

    /// <summary>The broadcast with stages under new names: in links of its emails, and in its goal.</summary>
    public BroadcastPlan Renamed(Renaming names) =>
        this with
        {
            Ways = [.. Ways.Select(w => w with { Body = names.InLetter(w.Body) })],
            Test = Test is { } test ? test with { Others = [.. test.Others.Select(o => o with { Body = names.InLetter(o.Body) })] } : null,
            Goal = Goal is { Kind: "stage" or "tag" } goal
                ? goal with { What = (goal.Kind == "tag" ? names.Tags : names.Stages).Where(s => string.Equals(s.Key, goal.What, StringComparison.OrdinalIgnoreCase)).Select(s => s.Value).FirstOrDefault(goal.What) }
                : Goal,
        };

    /// <summary>The first of its ways of a kind; null where it does not go so.</summary>
    public BroadcastWay? WayOf(string kind) => Ways.FirstOrDefault(w => w.Kind == kind);
}

/// <summary>Who a broadcast is for.</summary>
public sealed record BroadcastTo
{
    /// <summary>segment, list, people or recipients.</summary>
    public string Kind { get; init; } = Kinds[0];

    /// <summary>The segment's or list's name.</summary>
    public string Name { get; init; } = "";

    /// <summary>Picked people, for <c>people</c>.</summary>
    public IReadOnlyList<Guid> People { get; init; } = [];

    /// <summary>The broadcast whose recipients it is for, for <c>recipients</c>.</summary>
    public Guid? Broadcast { get; init; }

    /// <summary>What they did with it: a word of <see cref="Deeds"/>.</summary>
    public string Did { get; init; } = Deeds[0];

    /// <summary>The kinds there are.</summary>
    public static IReadOnlyList<string> Kinds { get; } = ["segment", "list", "people", "recipients"];

    /// <summary>What recipients of an earlier one can have done.</summary>
    public static IReadOnlyList<string> Deeds { get; } = ["got", "opened", "not-opened", "followed", "not-followed", "answered"];
}

/// <summary>One way of a broadcast, with what it says by it.</summary>
public sealed record BroadcastWay
{
    /// <summary>email, text or note: a word of <see cref="Kinds"/>.</summary>
    public string Kind { get; init; } = "";

    /// <summary>An email's subject; empty for the others.</summary>
    public string Subject { get; init; } = "";

    /// <summary>What it says: of an email HTML, of the others plain text, each with merge fields.</summary>
    public string Body { get; init; } = "";

    /// <summary>The letter its words were taken from, by name; they are its own since. Empty for none.</summary>
    public string Letter { get; init; } = "";

    /// <summary>Files an email carries, by name.</summary>
    public IReadOnlyList<string> Attachments { get; init; } = [];

    /// <summary>The kinds there are, as steps are called.</summary>
    public static IReadOnlyList<string> Kinds { get; } = ["email", "text", "note"];
}

/// <summary>When a broadcast goes.</summary>
public sealed record BroadcastWhen
{
    /// <summary>now, moment (one for all, on the practice's clock) or own (one local time of each one's own day).</summary>
    public string Kind { get; init; } = Now;

    /// <summary><c>YYYY-MM-DD</c>; empty for now.</summary>
    public string Date { get; init; } = "";

    /// <summary><c>HH:MM</c>; empty for now.</summary>
    public string Time { get; init; } = "";

    /// <summary>As soon as it is sent.</summary>
    public const string Now = "now";

    /// <summary>At one moment for all.</summary>
    public const string Moment = "moment";

    /// <summary>At one local time of each one's own day.</summary>
    public const string Own = "own";
}

/// <summary>Versions of the email that are compared before the rest get the better one (rule 15.3).</summary>
public sealed record BroadcastTest
{
    /// <summary>The versions beside the first, which is the email itself: one to three.</summary>
    public IReadOnlyList<BroadcastVersion> Others { get; init; } = [];

    /// <summary>How many in a hundred get one of the versions first, all versions together.</summary>
    public int Share { get; init; } = 30;

    /// <summary>How long after that the rest get the better one, ISO 8601.</summary>
    public string Span { get; init; } = "PT4H";

    /// <summary>The rate that decides: opened, followed or answered.</summary>
    public string By { get; init; } = Rates[0];

    /// <summary>The rates that can decide.</summary>
    public static IReadOnlyList<string> Rates { get; } = ["opened", "followed", "answered"];
}

/// <summary>Another version of a broadcast's email.</summary>
/// <param name="Subject">Its subject.</param>
/// <param name="Body">Its words; empty for those of the first.</param>
/// <param name="Letter">The letter its words were taken from, by name; empty for none.</param>
public sealed record BroadcastVersion(string Subject = "", string Body = "", string Letter = "");

/// <summary>What is to come of a broadcast or a program (rule 14.6).</summary>
/// <param name="Kind">A word of <see cref="Kinds"/>.</param>
/// <param name="What">The form, the stage (<c>Pipeline/Stage</c>) or the tag; empty where none is asked for.</param>
/// <param name="Within">How long after its touch it still counts, ISO 8601.</param>
public sealed record BroadcastGoal(string Kind = "won", string What = "", string Within = BroadcastGoal.Span)
{
    /// <summary>The span where none is given.</summary>
    public const string Span = "P90D";

    /// <summary>What can be a goal.</summary>
    public static IReadOnlyList<string> Kinds { get; } = ["won", "appointment", "form", "stage", "tag"];
}

/// <summary>Somebody whose missing consent is overruled for one broadcast (rule 10.5).</summary>
/// <param name="Person">Who.</param>
/// <param name="Reason">Why, in the member's words.</param>
/// <param name="By">The member; set when it is saved.</param>
public sealed record LetGo(Guid Person, string Reason, string By = "");

/// <summary>How a broadcast repeats.</summary>
/// <param name="Rule">The rule (RFC 5545 RRULE) of its dates.</param>
/// <param name="ByItself">Whether each goes by itself; else each waits until somebody has read it and lets it go.</param>
public sealed record BroadcastRepeat(string Rule = "", bool ByItself = false);
