using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 6: stopping.</summary>
public sealed class StoppingTests
{
    private const string Later = "\"from\":\"previous\",\"offset\":\"P5D\"";
    private static readonly NodaTime.Instant Tuesday = At("2027-03-02T10:00");

    private static (TouchEngine Engine, PersonState State) Running(string more, string steps, PersonFacts? person = null)
    {
        var program = Program("P", more, steps);
        var engine = EngineWith(Practice(), program);
        var state = engine.React(person ?? Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        return (engine, engine.Judge(person ?? Person(), state, At("2027-03-01T10:00")).State);
    }

    [Fact]
    public void Rule_6_1_a_reply_stops_and_only_on_the_channel_named()
    {
        var (any, state) = Running("\"stopsWhen\":[{\"kind\":\"replied\"}]", Email("a", Later));
        Assert.Contains(any.React(Person(), state, new Replied(Tuesday, Channel.Call)).Effects, e => e is RunEnded { StopReason: "replied" });
        var (mail, mailState) = Running("\"stopsWhen\":[{\"kind\":\"replied\",\"channel\":\"email\"}]", Email("a", Later));
        Assert.DoesNotContain(mail.React(Person(), mailState, new Replied(Tuesday, Channel.Call)).Effects, e => e is RunEnded);
        Assert.Contains(mail.React(Person(), mailState, new Replied(Tuesday, Channel.Email)).Effects, e => e is RunEnded);
    }

    [Fact]
    public void Rule_6_4_the_planned_touch_is_cancelled_and_open_calls_are_withdrawn_unless_kept()
    {
        var steps = Call("c", "\"from\":\"start\",\"offset\":\"P0D\"") + "," + Email("a", Later);
        var (engine, state) = Running("\"stopsWhen\":[{\"kind\":\"replied\"}]", steps);
        var effects = engine.React(Person(), state, new Replied(Tuesday, Channel.Email)).Effects;
        Assert.Contains(effects, e => e is TouchSettled { StepId: "a", Outcome: Outcome.Cancelled, Reason: "replied" });
        Assert.Contains(effects, e => e is TaskClosed { Outcome: Outcome.Cancelled, Reason: "replied" });
        var (keeping, kept) = Running("\"keepTasks\":true,\"stopsWhen\":[{\"kind\":\"replied\"}]", steps);
        var after = keeping.React(Person(), kept, new Replied(Tuesday, Channel.Email));
        Assert.DoesNotContain(after.Effects, e => e is TaskClosed);
        Assert.Single(after.State.OpenTasks);
    }

    [Fact]
    public void Rule_6_2_death_stops_everything_and_withdraws_all_calls_whatever_the_program_says()
    {
        var (engine, state) = Running("\"keepTasks\":true", Call("c", "\"from\":\"start\",\"offset\":\"P0D\"") + "," + Email("a", Later));
        var gone = engine.React(Person() with { Died = true }, state, new LeftForGood(Tuesday, "died"));
        Assert.Empty(gone.State.Runs);
        Assert.Empty(gone.State.OpenTasks);
        Assert.Contains(gone.Effects, e => e is RunEnded { StopReason: "died" });
    }

    [Fact]
    public void Rule_6_3_a_withdrawal_skips_its_channel_and_stops_only_when_nothing_is_left_to_send()
    {
        var no = Person() with { Consent = [Yes(Channel.Email), No(Channel.Email, "2027-03-02T09:00")] };
        var (engine, state) = Running("", Email("a", Later));
        Assert.Contains(
            engine.React(no, state, new ConsentGiven(Tuesday, Channel.Email, false)).Effects,
            e => e is RunEnded { StopReason: "nothing-left-to-send" }
        );
        var (withCall, other) = Running("", Email("a", Later) + "," + Call("c", Later));
        var after = withCall.React(no, other, new ConsentGiven(Tuesday, Channel.Email, false));
        Assert.Single(after.State.Runs);
        Assert.Contains(withCall.Judge(no, after.State, At("2027-03-06T09:00")).Effects, e => e is TouchSettled { StepId: "a", Reason: "opted-out" });
    }

    [Fact]
    public void Rule_6_5_an_answer_while_the_message_is_on_its_way_ends_the_run_afterwards()
    {
        var (engine, state) = Running(
            "\"stopsWhen\":[{\"kind\":\"replied\"}]",
            Email("a", "\"from\":\"start\",\"offset\":\"P0D\"") + "," + Email("b", Later)
        );
        Assert.Equal(TouchPhase.Handing, state.Runs[0].Touch.Phase);
        var answered = engine.React(Person(), state, new Replied(Tuesday, Channel.Email));
        Assert.Single(answered.State.Runs);
        var settled = engine.Settle(Person(), answered.State, state.Runs[0].TouchId, Tuesday, null);
        Assert.Empty(settled.State.Runs);
        Assert.Contains(settled.Effects, e => e is TouchSettled { Outcome: Outcome.Sent });
        Assert.Contains(settled.Effects, e => e is RunEnded { StopReason: "replied" });
        Assert.DoesNotContain(settled.Effects, e => e is TouchPlanned);
    }
}
