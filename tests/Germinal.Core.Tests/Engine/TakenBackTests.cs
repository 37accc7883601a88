using Germinal.Core.Engine;

namespace Germinal.Core.Tests.Engine;

/// <summary>Ours: a start that is taken back before anything of it was noticed never was.</summary>
public sealed class TakenBackTests
{
    [Theory]
    [InlineData("never")]
    [InlineData("each-time")]
    public void Again_does_not_count_it(string again)
    {
        var program = Given.Program("Letters", $"\"again\":\"{again}\"", Given.Email("a", "\"from\":\"start\",\"offset\":\"P7D\""));
        var engine = Given.EngineWith(Given.Practice(), program);
        var person = Given.Person();
        var at = Given.At("2027-03-01T10:00");
        var id = Given.IdOf(program);
        var started = engine.React(person, PersonState.Empty, new StartedByHand(at, id, "Ada"));
        var run = started.Effects.OfType<RunStarted>().Single().RunId;
        var back = engine.React(person, started.State, new StartTakenBack(at, run, "Ada"));
        Assert.Empty(back.State.Runs);
        Assert.Equal(Reason.TakenBack.Word(), back.Effects.OfType<RunEnded>().Single().StopReason);
        Assert.Equal(0, back.State.Been[id].Counted);
        var again2 = engine.React(person, PersonStateJson.Read(PersonStateJson.Write(back.State)), new StartedByHand(at, id, "Ada"));
        var second = again2.Effects.OfType<RunStarted>().Single();
        Assert.Equal(2, second.Number);
        Assert.NotEqual(run, second.RunId);

        // One that only stopped counts.
        var stopped = engine.React(person, started.State, new RunStoppedByHand(at, run, "Ada"));
        var third = engine.React(person, stopped.State, new StartedByHand(at, id, "Ada"));
        Assert.Equal(again == "never" ? 0 : 1, third.Effects.OfType<RunStarted>().Count());
    }
}
