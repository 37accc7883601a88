using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Tests.Engine;

/// <summary>A walk is the rehearsal with what they do as events, and what they do changes nothing that came before.</summary>
public sealed class WalkTests
{
    private static readonly Gen<(int Step, int Act, int Hours)[]> Moves = Gen.Select(Gen.Int[0, 30], Gen.Int[0, 5], Gen.Int[0, 96]).Array[0, 5];

    private sealed record Row(string Program, int Run, string Step, int Nth, Instant Due, Instant? Settled, Outcome? Outcome, string? Reason);

    private static Row RowOf(RehearsedTouch t) => new(t.Program.Definition.Name, t.Run, t.Step.Id, t.Nth, t.Due, t.SettledAt, t.Outcome, t.Reason);

    private static (ProgramOn Program, StartedByHand First, IReadOnlyList<WalkMove> Moves) Chosen(World world, (int Step, int Act, int Hours)[] picks)
    {
        var on = world.Engine.Shelf.On.First(p => p.Current.Definition.Name == "P0");
        var steps = on.Current.Definition.AllSteps.ToList();
        return (
            on,
            new StartedByHand(Worlds.Begin, on.Current.ProgramId, ""),
            [.. picks.Select(p => new WalkMove(steps[p.Step % steps.Count].Id, (ReaderAct)p.Act, "https://example.com/book", Duration.FromHours(p.Hours)))]
        );
    }

    /// <summary>What a move is to the engine, said here once more, by hand.</summary>
    private static Happening EventOf((WalkMove Move, Instant? At) played, Guid program, Step step)
    {
        var (at, channel) = (played.At!.Value, step.Channel ?? Channel.Email);
        return played.Move.Act switch
        {
            ReaderAct.Open => new Opened(at, program, step.Id),
            ReaderAct.Follow => new FollowedLink(at, program, step.Id, "https://example.com/book"),
            ReaderAct.Answer => new Replied(at, channel, program, step.Id),
            ReaderAct.Bounce => new Bounced(at, program, step.Id, true, channel),
            ReaderAct.OptOut => new ConsentGiven(at, channel, false),
            _ => new StepTaskEnded(at, program, step.Id, "https://example.com/book"),
        };
    }

    // Rule 12.1: the same engine, whatever clock it runs on.
    [Fact]
    public void A_walk_is_the_rehearsal_with_the_same_events() =>
        Gen.Select(Worlds.Any, Moves)
            .Where((world, _) => !world.Engine.SharesCounts && world.Programs[0].AllSteps.Any())
            .Sample(
                (world, picks) =>
                {
                    var (on, first, moves) = Chosen(world, picks);
                    var person = world.People[0].Person;
                    var walked = Walk.Live(world.Engine, on.Current.ProgramId, person, PersonState.Empty, first, Worlds.Begin, Worlds.End, moves);
                    Assert.Equal(moves, walked.Played.Select(p => p.Move));
                    var events = walked
                        .Played.Where(p => p.At is not null)
                        .Select(p => EventOf(p, on.Current.ProgramId, on.Current.Definition.StepOf(p.Move.StepId)!))
                        .Prepend(first)
                        .OrderBy(e => e.At)
                        .ToList();
                    IReadOnlyList<Row> rehearsed = [];
                    Rehearsal.OfMany(
                        world.Engine,
                        [new Actor(person, PersonState.Empty, events)],
                        Worlds.Begin,
                        Worlds.End,
                        (_, _, touches) => rehearsed = [.. touches.Select(RowOf)],
                        null,
                        CancellationToken.None
                    );
                    Assert.Equal(rehearsed.OrderBy(r => r.Settled ?? r.Due).ThenBy(r => r.ToString(), StringComparer.Ordinal), walked.Touches.Select(RowOf).OrderBy(r => r.Settled ?? r.Due).ThenBy(r => r.ToString(), StringComparer.Ordinal));
                },
                iter: 600
            );

    [Fact]
    public void What_they_do_changes_nothing_that_came_before_it() =>
        Gen.Select(Worlds.Any, Moves)
            .Where((world, picks) => picks.Length > 0 && !world.Engine.SharesCounts && world.Programs[0].AllSteps.Any())
            .Sample(
                (world, picks) =>
                {
                    var (on, first, moves) = Chosen(world, picks);
                    var person = world.People[0].Person;
                    Walked Live(int count) => Walk.Live(world.Engine, on.Current.ProgramId, person, PersonState.Empty, first, Worlds.Begin, Worlds.End, [.. moves.Take(count)]);
                    var (before, after) = (Live(moves.Count - 1), Live(moves.Count));
                    if (after.Played[^1].At is not { } at)
                    {
                        Assert.Equal(before.Touches.Select(RowOf), after.Touches.Select(RowOf));
                        return;
                    }

                    // A task of which a later event says how it ended has waited for that event all along.
                    static IEnumerable<Row> Until(Walked walked, Instant end) =>
                        walked.Touches.Where(t => t.SettledAt < end && t.Step is not TaskStep).Select(RowOf).OrderBy(r => r.Settled).ThenBy(r => r.ToString(), StringComparer.Ordinal);
                    if (after.Played[^1].Move.Act != ReaderAct.Done)
                    {
                        Assert.Equal(Until(before, at), Until(after, at));
                    }
                },
                iter: 600
            );

    [Fact]
    public void A_move_that_answers_what_does_not_come_is_passed_over_and_told() =>
        Worlds
            .Any.Where(world => !world.Engine.SharesCounts)
            .Sample(
                world =>
                {
                    var (on, first, _) = (world.Engine.Shelf.On[0], new StartedByHand(Worlds.Begin, world.Engine.Shelf.On[0].Current.ProgramId, ""), 0);
                    var walked = Walk.Live(
                        world.Engine,
                        on.Current.ProgramId,
                        world.People[0].Person,
                        PersonState.Empty,
                        first,
                        Worlds.Begin,
                        Worlds.End,
                        [new WalkMove("no such step", ReaderAct.Open, null, Duration.Zero)]
                    );
                    Assert.Null(Assert.Single(walked.Played).At);
                },
                iter: 20
            );
}
