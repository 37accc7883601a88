using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>The proof: messages that go only once somebody has read them, and words for one person only.</summary>
public sealed class ReadingFirstTests
{
    private const string TomorrowAndNext = "\"from\":\"start\",\"offset\":\"P1D\"";
    private const string Waits = "\"unread\":\"waits\"";

    private static readonly string Steps = Email("a", TomorrowAndNext, "\"lateLimit\":\"P3D\"") + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P1D\"");

    private static (TouchEngine Engine, PersonState State, Guid Touch) Started(string more, ITemplates? templates = null)
    {
        var program = Program("P", more, Steps);
        var engine = EngineWith(Practice(), templates ?? new FillsEverything(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        return (engine, state, state.Runs[0].TouchId);
    }

    [Fact]
    public void What_nobody_has_read_waits_and_goes_once_somebody_has()
    {
        var (engine, state, touch) = Started(Waits);
        Assert.Null(state.NextDue(engine.Shelf));
        Assert.Empty(engine.Judge(Person(), state, At("2027-03-03T10:00")).Effects);

        var read = engine.React(Person(), state, new TouchMarked(At("2027-03-03T10:00"), touch, TouchMark.Read)).State;
        Assert.NotNull(read.NextDue(engine.Shelf));
        Assert.Contains(engine.Judge(Person(), read, At("2027-03-03T10:00")).Effects, e => e is TouchHanded { StepId: "a" });

        // Read too late, it is late like anything else (rule 3.3), and the next one waits for its own reader.
        var late = engine.React(Person(), state, new TouchMarked(At("2027-03-09T10:00"), touch, TouchMark.Read)).State;
        var judged = engine.Judge(Person(), late, At("2027-03-09T10:00"));
        Assert.Contains(judged.Effects, e => e is TouchSettled { StepId: "a", Reason: "late" });
        Assert.Null(judged.State.NextDue(engine.Shelf));
        Assert.False(judged.State.HasBeenRead(touch));
    }

    [Fact]
    public void Where_the_program_does_not_wait_reading_changes_nothing_but_that_it_was_read()
    {
        var (engine, state, touch) = Started("");
        Assert.NotNull(state.NextDue(engine.Shelf));
        var read = engine.React(Person(), state, new TouchMarked(At("2027-03-01T11:00"), touch, TouchMark.Read)).State;
        Assert.Equal(state.NextDue(engine.Shelf), read.NextDue(engine.Shelf));
        Assert.True(read.HasBeenRead(touch));
    }

    [Fact]
    public void A_rehearsal_counts_on_everything_being_read_and_so_does_what_is_to_come()
    {
        var (waits, state, _) = Started(Waits);
        var (goes, other, _) = Started("");
        var (from, until) = (At("2027-03-01T10:00"), At("2027-04-01T00:00"));
        static IEnumerable<(string, Instant?)> Of(IEnumerable<RehearsedTouch> touches) => touches.Select(t => (t.Step.Id, t.SettledAt));
        Assert.Equal(Of(Rehearsal.Of(goes, Person(), other, from, until)), Of(Rehearsal.Of(waits, Person(), state, from, until)));
        Assert.Equal(other.NextTouch(goes.Shelf), state.NextTouch(waits.Shelf));
    }

    [Fact]
    public void Held_before_it_was_read_it_stays_held()
    {
        var (engine, state, touch) = Started(Waits);
        var held = engine.React(Person(), state, new TouchMarked(At("2027-03-01T11:00"), touch, TouchMark.Held)).State;
        Assert.Null(held.NextDue(engine.Shelf));
        Assert.False(held.HasBeenRead(touch));
    }

    [Fact]
    public void A_task_is_nothing_to_be_read()
    {
        var program = Program("P", Waits, Call("c", TomorrowAndNext));
        var engine = EngineWith(Practice(), program);
        Assert.NotNull(engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State.NextDue(engine.Shelf));
    }

    /// <summary>Fills what asks for nothing.</summary>
    private sealed class FillsPlainWords : ITemplates
    {
        public IReadOnlyList<string> FieldsOf(Step step) => step.Templates.Any(t => t.Text.Contains("{{", StringComparison.Ordinal)) ? ["person.first_name"] : [];

        public IReadOnlyList<string> Missing(Step step, Addressed to, Practice practice, Member? sender, Instant at) => FieldsOf(step);
    }

    [Fact]
    public void What_cannot_be_filled_goes_in_words_of_its_own()
    {
        var program = Program("P", "", $$$"""{"id":"a","kind":"email","when":{{{{TomorrowAndNext}}}},"subject":"s","body":"Dear {{ person.first_name }}"}""");
        var engine = EngineWith(Practice(), new FillsPlainWords(), program);
        var nameless = Person() with { FirstName = null };
        var state = engine.React(nameless, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var at = At("2027-03-02T10:00");
        Assert.Contains(engine.Judge(nameless, state, at).Effects, e => e is TouchBlocked);
        var worded = nameless with { OwnWords = FrozenDictionary.ToFrozenDictionary([KeyValuePair.Create(state.Runs[0].TouchId, new OwnWords("Hello", "To you, in the house by the quay"))]) };
        Assert.Contains(engine.Judge(worded, state, at).Effects, e => e is TouchHanded);
        Assert.Equal("Hello", ((EmailStep)worded.Worded(state.Runs[0].TouchId, program.Steps[0])).Subject);
        Assert.Same(program.Steps[0], worded.Worded(Guid.NewGuid(), program.Steps[0]));
    }
}
