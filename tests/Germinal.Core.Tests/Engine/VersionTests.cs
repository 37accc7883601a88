using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 13: changing a live program.</summary>
public sealed class VersionTests
{
    private static readonly ProgramDefinition Old = Program(
        "P",
        "",
        Email("a", AtOnce) + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P10D\"") + "," + Email("c", Daily)
    );

    private static (TouchEngine Engine, PersonState State) Moved(ProgramDefinition newer, string at)
    {
        var versions = new[] { new ProgramVersion(IdOf(Old), 1, Old), new ProgramVersion(IdOf(Old), 2, newer) };
        var engine = new TouchEngine(Practice(), new ProgramShelf(versions, [new ProgramOn(versions[1], Instant.MinValue)]), new FillsEverything());
        var first = new TouchEngine(Practice(), new ProgramShelf(versions, [new ProgramOn(versions[0], Instant.MinValue)]), new FillsEverything());
        var state = first.React(Person(), PersonState.Empty, Start(Old, "2027-03-01T10:00")).State;
        state = first.Judge(Person(), state, At("2027-03-01T10:00")).State;
        state = first.Settle(Person(), state, state.Runs[0].TouchId, At("2027-03-01T10:00"), null).State;
        return (engine, engine.React(Person(), state, new MovedToVersion(At(at), IdOf(Old), 2)).State);
    }

    [Fact]
    public void Rule_13_1_those_on_their_way_move_to_the_new_version_at_the_same_step()
    {
        var newer = Program(
            "P",
            "",
            Email("a", AtOnce) + "," + Email("x", Daily) + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P20D\"") + "," + Email("c", Daily)
        );
        var (engine, state) = Moved(newer, "2027-03-05T10:00");
        Assert.Equal((2, "b", At("2027-03-21T09:00")), (state.Runs[0].Version, state.Runs[0].Touch.StepId, state.Runs[0].Touch.Due));
        Assert.Equal(
            ["b sent 2027-03-21T09:00", "c sent 2027-03-22T09:00"],
            Rehearsal.Of(engine, Person(), state, At("2027-03-05T10:00"), At("2027-05-01T00:00")).Select(t => Line(engine, Person(), t))
        );
    }

    [Fact]
    public void Rule_13_1_where_the_step_was_taken_out_the_next_one_that_is_still_there()
    {
        var (_, state) = Moved(Program("P", "", Email("a", AtOnce) + "," + Email("c", Daily)), "2027-03-05T10:00");
        Assert.Equal("c", state.Runs[0].Touch.StepId);
        Assert.Empty(Moved(Program("P", "", Email("a", AtOnce)), "2027-03-05T10:00").State.Runs);
    }

    [Fact]
    public void Rule_13_2_a_paused_run_is_frozen_and_what_fell_due_is_judged_when_it_goes_on_late_limits_counting()
    {
        var program = Program("P", "", Email("a", Daily) + "," + Email("b", Daily, "\"lateLimit\":\"P2D\"") + "," + Email("c", Daily));
        var engine = EngineWith(Practice(), program);
        Happening[] events =
        [
            Start(program, "2027-03-01T10:00"),
            new ProgramPaused(At("2027-03-01T11:00"), IdOf(program)),
            new ProgramResumed(At("2027-03-10T15:00"), IdOf(program)),
        ];
        Assert.Equal(
            ["a sent 2027-03-10T15:00", "b sent 2027-03-11T09:00", "c sent 2027-03-12T09:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", events)
        );
        events[1] = new ProgramPaused(At("2027-03-02T11:00"), IdOf(program));
        Assert.Equal(
            ["a sent 2027-03-02T09:00", "b skipped late 2027-03-10T15:00", "c sent 2027-03-11T09:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", events)
        );
    }

    [Fact]
    public void Rule_6_5_a_stop_that_comes_while_a_run_is_paused_stops_it()
    {
        var program = Program("P", "\"stopsWhen\":[{\"kind\":\"replied\"}]", Email("a", Daily));
        Assert.Equal(
            ["a cancelled replied 2027-03-05T10:00"],
            Lived(
                EngineWith(Practice(), program),
                Person(),
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00"),
                new ProgramPaused(At("2027-03-01T11:00"), IdOf(program)),
                new Replied(At("2027-03-05T10:00"), Channel.Email)
            )
        );
    }
}
