using Germinal.Core.Contact;
using Germinal.Core.Engine;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 6.2: two people that are one.</summary>
public sealed class MergingTests
{
    private const string Later = "\"from\":\"start\",\"offset\":\"P3D\"";
    private const string AtOnce = "\"from\":\"start\",\"offset\":\"P0D\"";

    [Fact]
    public void A_run_of_the_same_program_stops_with_its_touch_and_others_go_on()
    {
        var (both, alone) = (Program("Both", "", Email("a", Later)), Program("Alone", "", Email("a", Later)));
        var engine = EngineWith(Practice(), both, alone);
        PersonState Started(string name, params Happening[] starts) =>
            starts.Aggregate(PersonState.Empty, (state, start) => engine.React(Person(name), state, start).State);
        var kept = Started("Ida", Start(both, "2027-03-01T10:00"));
        var merged = Started("Bo", Start(both, "2027-03-01T11:00"), Start(alone, "2027-03-01T11:00"));
        var joined = Merging.Join(kept, merged, At("2027-03-02T10:00"));
        Assert.Equal(["Both", "Alone"], joined.Kept.Runs.Select(r => engine.Shelf.Find(r.ProgramId, r.Version).Definition.Name));
        Assert.Equal(kept.Runs[0], joined.Kept.Runs[0]);
        var stopped = Assert.Single(joined.Stopped);
        Assert.Equal(merged.Runs[0], stopped);
        Assert.Collection(
            joined.Effects,
            e => Assert.Equal((stopped.TouchId, Outcome.Cancelled, "merged"), e is TouchSettled t ? (t.TouchId, t.Outcome, t.Reason) : default),
            e => Assert.Equal((stopped.Id, "merged"), e is RunEnded r ? (r.RunId, r.StopReason) : default)
        );
        Assert.Equal(new PastRuns(2, null), joined.Kept.Been[IdOf(both)]);
        Assert.Equal(stopped, Assert.IsType<RunGoesOn>(Assert.Single(Merging.Part(joined.Stopped))).Run);
    }

    /// <summary>A letter that is on its way when two people are merged is not forgotten: its outcome is taken in, and then the run ends.</summary>
    [Fact]
    public void A_letter_on_its_way_is_recorded_before_its_run_ends()
    {
        var program = Program("P", "", $"{Email("a", AtOnce)},{Email("b", Later)}");
        var engine = EngineWith(Practice(), program);
        var kept = engine.React(Person("Ida"), PersonState.Empty, Start(program, "2027-03-01T09:00")).State;
        var started = engine.React(Person("Bo"), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var handed = engine.Judge(Person("Bo"), started, At("2027-03-01T10:00"));
        var letter = Assert.Single(handed.Effects.OfType<TouchHanded>());
        var joined = Merging.Join(kept, handed.State, At("2027-03-01T10:01"));
        Assert.Empty(joined.Stopped);
        var settled = engine.Settle(Person("Ida"), joined.Kept, letter.TouchId, letter.At, null);
        Assert.Contains(settled.Effects, e => e is TouchSettled { Outcome: Outcome.Sent } t && t.TouchId == letter.TouchId);
        Assert.Contains(settled.Effects, e => e is RunEnded { StopReason: "merged" });
        Assert.Equal(kept.Runs[0].Id, Assert.Single(settled.State.Runs).Id);
    }
}
