using Germinal.Core.Engine;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Tests.Engine;

using static Given;

/// <summary>What a member has just done can be taken back: everything stands as before, and goes on as if it had never been.</summary>
public sealed class TakingBackTests
{
    private static readonly ProgramDefinition Two = Program(
        "Two",
        "",
        Call("c", "\"from\":\"start\",\"offset\":\"P0D\"", "\"holds\":false") + "," + Email("a", Daily) + "," + Email("b", Daily)
    );

    private static (TouchEngine Engine, PersonState State) Standing(params ProgramDefinition[] programs)
    {
        var engine = EngineWith(Practice(), programs);
        var state = engine.React(Person(), PersonState.Empty, Start(programs[0], "2027-03-01T08:00")).State;
        return (engine, engine.Judge(Person(), state, At("2027-03-01T10:00")).State);
    }

    public static TheoryData<string> Acts => ["stop", "drop", "pause", "do-not-contact"];

    private static Happening Act(string act, PersonState state, string at) =>
        act switch
        {
            "stop" => new RunStoppedByHand(At(at), state.Runs[0].Id, "Ada"),
            "drop" => new TouchMarked(At(at), state.Runs[0].TouchId, TouchMark.Dropped),
            "pause" => new ProgramPaused(At(at), state.Runs[0].ProgramId, new LocalDate(2027, 4, 1)),
            _ => new LeftForGood(At(at), "do-not-contact"),
        };

    [Theory]
    [MemberData(nameof(Acts))]
    public void What_is_stored_follows_the_memory_from_before(string act)
    {
        var (engine, before) = Standing(Two);
        var done = engine.React(Person(), before, Act(act, before, "2027-03-01T11:00"));
        Assert.True(TakingBack.IsPossible(done.Effects));
        Assert.True(TakingBack.NothingBuiltOn(done.State, done.State));
        Assert.False(TakingBack.NothingBuiltOn(before, done.State));
        var back = TakingBack.Effects(before, done.State, At("2027-03-01T12:00"));

        // Each thing the act did to a run, a touch or a task has its answer.
        foreach (var effect in done.Effects)
        {
            switch (effect)
            {
                case RunEnded e:
                    Assert.Contains(back, b => b is RunGoesOn r && r.Run.Id == e.RunId);
                    break;
                case TouchSettled e:
                    Assert.Contains(back, b => b is RunGoesOn r && r.Run.TouchId == e.TouchId);
                    break;
                case TouchPlanned e:
                    Assert.Contains(back, b => b is TouchUnplanned u && u.TouchId == e.TouchId);
                    break;
                case TaskClosed e:
                    Assert.Contains(back, b => b is TaskPutBack p && p.TouchId == e.TouchId);
                    break;
                case RunPaused e:
                    Assert.Contains(back, b => b is RunPaused p && p.RunId == e.RunId && !p.Paused);
                    break;
            }
        }
    }

    [Fact]
    public void A_drop_that_started_another_program_cannot_be_taken_back()
    {
        var next = Program("Next", "", Email("n", Daily));
        var first = Program("First", "", Email("a", Daily) + "," + HandOver("go", AtOnce, "Next"));
        var (engine, before) = Standing(first, next);
        var dropped = engine.React(Person(), before, Act("drop", before, "2027-03-01T11:00"));
        var handed = engine.Judge(Person(), dropped.State, At("2027-03-01T11:00"));
        Assert.False(TakingBack.IsPossible([.. dropped.Effects, .. handed.Effects]));
        Assert.False(TakingBack.NothingBuiltOn(handed.State, dropped.State));
    }
}
