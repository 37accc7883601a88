using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>What somebody does with what a program brings them.</summary>
public enum ReaderAct
{
    /// <summary>Opens the message.</summary>
    Open,

    /// <summary>Follows one of its links.</summary>
    Follow,

    /// <summary>Answers it.</summary>
    Answer,

    /// <summary>It comes back: nobody is there.</summary>
    Bounce,

    /// <summary>Wants no more of its channel.</summary>
    OptOut,

    /// <summary>A member does the task, with an outcome.</summary>
    Done,
}

/// <summary>Something somebody does on a walk, told from what it answers, so that it means the same when the program's days change.</summary>
/// <param name="StepId">The step whose touch they do it with.</param>
/// <param name="Act">What they do.</param>
/// <param name="Word">The link that is followed, or the outcome a task is done with; null where there is none.</param>
/// <param name="After">How long after the touch has settled.</param>
public sealed record WalkMove(string StepId, ReaderAct Act, string? Word, Duration After);

/// <summary>A program lived through.</summary>
/// <param name="Touches">What came, in the order of time; what is still planned last.</param>
/// <param name="Person">The person as they are at the end: what the program changed is changed.</param>
/// <param name="Played">The moves with the moments they were made at; null for one whose step did not come.</param>
public sealed record Walked(IReadOnlyList<RehearsedTouch> Touches, PersonFacts Person, IReadOnlyList<(WalkMove Move, Instant? At)> Played);

/// <summary>
/// A program lived through with one person on a clock of its own: the engine itself, with what they do as events. With the same
/// events a walk is the rehearsal (rule 12.1).
/// </summary>
public static class Walk
{
    /// <summary>The most moves of a walk.</summary>
    public const int MostMoves = 60;

    private const int MostTouches = 400;

    /// <summary>Lives through it.</summary>
    /// <param name="engine">The engine with the program on.</param>
    /// <param name="program">The program, for what is done with its touches.</param>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state.</param>
    /// <param name="first">What starts it.</param>
    /// <param name="from">The moment to begin at.</param>
    /// <param name="until">The horizon, itself excluded.</param>
    /// <param name="moves">What they do, in any order; one that answers a step which does not come is passed over.</param>
    public static Walked Live(
        TouchEngine engine,
        Guid program,
        PersonFacts person,
        PersonState state,
        Happening first,
        Instant from,
        Instant until,
        IReadOnlyList<WalkMove> moves
    )
    {
        var played = new List<(WalkMove Move, Instant? At)>();
        var events = new List<Happening> { first };
        var lived = Run(engine, person, state, from, until, events);
        foreach (var move in moves.Take(MostMoves))
        {
            // What a move does may change what comes after it, so each is placed in what the moves before it led to.
            var touch = lived.Touches.LastOrDefault(t =>
                t.Program.ProgramId == program && t.Step.Id == move.StepId && t.SettledAt is not null && t.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done
            );
            if (touch?.SettledAt is not { } settled || EventOf(move, program, touch, settled + move.After) is not { } happening || happening.At >= until)
            {
                played.Add((move, null));
                continue;
            }

            played.Add((move, happening.At));
            events.Insert(events.FindLastIndex(e => e.At <= happening.At) + 1, happening);
            lived = Run(engine, person, state, from, until, events);
        }

        return new Walked(lived.Touches, lived.Person, played);
    }

    private static Happening? EventOf(WalkMove move, Guid program, RehearsedTouch touch, Instant at) =>
        move.Act switch
        {
            ReaderAct.Open => new Opened(at, program, move.StepId),
            ReaderAct.Follow when move.Word is { } link => new FollowedLink(at, program, move.StepId, link),
            ReaderAct.Answer => new Replied(at, touch.Step.Channel ?? Channel.Email, program, move.StepId),
            ReaderAct.Bounce => new Bounced(at, program, move.StepId, true, touch.Step.Channel ?? Channel.Email),
            ReaderAct.OptOut => new ConsentGiven(at, touch.Step.Channel ?? Channel.Email, false),
            ReaderAct.Done => new StepTaskEnded(at, program, move.StepId, move.Word ?? "done"),
            _ => null,
        };

    private static (IReadOnlyList<RehearsedTouch> Touches, PersonFacts Person) Run(
        TouchEngine engine,
        PersonFacts person,
        PersonState state,
        Instant from,
        Instant until,
        IReadOnlyList<Happening> events
    )
    {
        var one = new PersonRehearsal(engine, new Actor(person, state, events), from, until, null);
        while (one.Touches.Count < MostTouches && one.Next() is { } moment)
        {
            one.AdvanceTo(moment);
        }

        return ([.. one.Touches.OrderBy(t => t.At), .. one.Pending().OrderBy(t => t.Due)], one.Person);
    }
}
