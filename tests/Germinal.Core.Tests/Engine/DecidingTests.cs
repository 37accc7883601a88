using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 8: the decision when a touch falls due.</summary>
public sealed class DecidingTests
{
    private const string AtOnce = "\"from\":\"start\",\"offset\":\"P0D\"";

    private static Advance Judged(PersonFacts person, string steps, string more = "", ITemplates? templates = null)
    {
        var program = Program("P", more, steps);
        var engine = EngineWith(Practice(), templates ?? new FillsEverything(), program);
        // Started as somebody in good standing; judged as they are now.
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        return engine.Judge(person, state, At("2027-03-01T10:00"));
    }

    private static string? ReasonOf(Advance advance) => advance.Effects.OfType<TouchSettled>().FirstOrDefault()?.Reason;

    [Fact]
    public void Check_2_somebody_who_is_gone_cancels_and_stops()
    {
        var judged = Judged(Person() with { DoNotContact = true }, Email("a", AtOnce));
        Assert.Contains(judged.Effects, e => e is TouchSettled { Outcome: Outcome.Cancelled, Reason: "do-not-contact" });
        Assert.Contains(judged.Effects, e => e is RunEnded);
    }

    [Fact]
    public void Checks_3_to_6_skip_in_their_order()
    {
        var stepRule = "\"onlyIf\":{\"field\":\"tags\",\"op\":\"has\",\"value\":\"vip\"}";
        Assert.Equal("not-for", ReasonOf(Judged(Person() with { Email = null }, Email("a", AtOnce, stepRule))));
        Assert.Equal("no-address", ReasonOf(Judged(Person() with { Email = null, Consent = [] }, Email("a", AtOnce))));
        Assert.Equal("no-address", ReasonOf(Judged(Person() with { Email = "ida@@example.com" }, Email("a", AtOnce))));
        Assert.Equal(
            "suppressed",
            ReasonOf(Judged(Person() with { Suppressed = FrozenSet.ToFrozenSet(["ida@example.com"]), Consent = [] }, Email("a", AtOnce)))
        );
        Assert.Equal("no-consent", ReasonOf(Judged(Person() with { Consent = [] }, Email("a", AtOnce))));
        Assert.Equal("opted-out", ReasonOf(Judged(Person() with { Consent = [No(Channel.Email)] }, Email("a", AtOnce))));
    }

    [Fact]
    public void A_call_needs_a_number_and_no_out()
    {
        Assert.Equal("no-address", ReasonOf(Judged(Person() with { Mobile = null }, Call("c", AtOnce))));
        Assert.Equal("opted-out", ReasonOf(Judged(Person() with { Consent = [No(Channel.Call)] }, Call("c", AtOnce))));
        Assert.Contains(
            Judged(Person() with { Mobile = null, OtherPhone = "+12075550102" }, Call("c", AtOnce)).Effects,
            e => e is TouchSettled { Outcome: Outcome.Open }
        );
    }

    [Fact]
    public void Check_8_outside_the_window_a_touch_waits_for_the_next_opening()
    {
        var program = Program("P", "\"window\":{\"days\":[\"mon\",\"tue\"],\"from\":\"09:00\",\"to\":\"17:30\"}", Email("a", AtOnce));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        // The service was off until evening.
        var judged = engine.Judge(Person(), state, At("2027-03-01T20:00"));
        Assert.Contains(
            judged.Effects,
            e => e is TouchWaits w && w.Due == At("2027-03-02T09:00") && w.Checks[^1] is { Kind: CheckKind.WindowOpen, Passed: false }
        );
        Assert.Contains(engine.Judge(Person(), judged.State, At("2027-03-02T09:00")).Effects, e => e is TouchHanded);
    }

    [Fact]
    public void Check_11_a_gap_blocks_until_it_is_mended()
    {
        var nameless = Person() with { FirstName = null };
        var blocked = Judged(nameless, Email("a", AtOnce), templates: new NeedsFirstName());
        Assert.Contains(
            blocked.Effects,
            e =>
                e is TouchBlocked { Reason: "cannot-fill" } b
                && b.GivenUpAt == At("2027-03-08T10:00")
                && b.Checks[^1].Found.SequenceEqual(["cannot-fill", "person.first_name"])
        );
        var program = Program("P", "", Email("a", AtOnce));
        var engine = EngineWith(Practice(), new NeedsFirstName(), program);
        Assert.Empty(engine.React(nameless, blocked.State, new FactsChanged(At("2027-03-02T10:00"))).Effects);
        var mended = engine.React(Person(), blocked.State, new FactsChanged(At("2027-03-02T10:00")));
        Assert.Contains(mended.Effects, e => e is TouchUnblocked);
        Assert.Contains(engine.Judge(Person(), mended.State, At("2027-03-02T10:00")).Effects, e => e is TouchHanded);
    }

    [Fact]
    public void A_blocked_touch_is_given_up_after_a_week_or_its_shorter_late_limit_and_the_run_goes_on()
    {
        var nameless = Person() with { FirstName = null };
        var program = Program("P", "", Email("a", AtOnce, "\"lateLimit\":\"P2D\"") + "," + Call("c", "\"from\":\"previous\",\"offset\":\"P1D\""));
        var engine = EngineWith(Practice(), new NeedsFirstName(), program);
        var state = engine.React(nameless, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(nameless, state, At("2027-03-01T10:00")).State;
        Assert.Equal(At("2027-03-03T10:00"), state.NextDue(engine.Shelf));
        var given = engine.Judge(nameless, state, At("2027-03-03T10:00"));
        Assert.Contains(given.Effects, e => e is TouchSettled { StepId: "a", Outcome: Outcome.Blocked });
        Assert.Contains(given.Effects, e => e is TouchPlanned { StepId: "c" });
    }

    [Fact]
    public void No_owner_and_nobody_to_stand_in_blocks()
    {
        var judged = Judged(Person() with { OwnerId = null }, Email("a", AtOnce));
        Assert.Contains(judged.Effects, e => e is TouchBlocked { Reason: "no-sender" });
    }

    [Fact]
    public void The_whole_list_of_checks_is_kept_in_order()
    {
        var handed = Judged(Person(), Email("a", AtOnce)).Effects.OfType<TouchHanded>().Single();
        Assert.Equal(
            [
                CheckKind.RunGoing,
                CheckKind.PersonReachable,
                CheckKind.OnlyIf,
                CheckKind.HasAddress,
                CheckKind.NotSuppressed,
                CheckKind.Consent,
                CheckKind.InTime,
                CheckKind.WindowOpen,
                CheckKind.CanBeFilled,
            ],
            handed.Checks.Select(c => c.Kind)
        );
        Assert.All(handed.Checks, c => Assert.EndsWith(".", Why.Of(c, "Ida Rowan", NewYork).Text, StringComparison.Ordinal));
    }

    [Fact]
    public void A_held_touch_waits_for_its_release_and_a_dropped_one_lets_the_run_go_on()
    {
        var program = Program("P", "", Email("a", "\"from\":\"start\",\"offset\":\"P1D\"") + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P1D\""));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var touch = state.Runs[0].TouchId;
        var held = engine.React(Person(), state, new TouchMarked(At("2027-03-01T11:00"), touch, TouchMark.Held)).State;
        Assert.Null(held.NextDue(engine.Shelf));
        Assert.Empty(engine.Judge(Person(), held, At("2027-03-05T10:00")).Effects);
        var released = engine.React(Person(), held, new TouchMarked(At("2027-03-05T10:00"), touch, null)).State;
        Assert.Contains(engine.Judge(Person(), released, At("2027-03-05T10:00")).Effects, e => e is TouchHanded);
        var dropped = engine.React(Person(), state, new TouchMarked(At("2027-03-01T11:00"), touch, TouchMark.Dropped));
        Assert.Contains(dropped.Effects, e => e is TouchSettled { StepId: "a", Reason: "dropped" });
        Assert.Contains(dropped.Effects, e => e is TouchPlanned { StepId: "b" });
    }

    [Fact]
    public void A_touch_dropped_before_it_is_planned_never_goes()
    {
        var program = Program("P", "", Email("a", "\"from\":\"start\",\"offset\":\"P1D\"") + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P1D\""));
        var engine = EngineWith(Practice(), program);
        var start = Start(program, "2027-03-01T10:00");
        var foreseen = Rehearsal.Of(engine, Person(), PersonState.Empty, start.At, At("2027-04-01T00:00"), start).First(t => t.Step.Id == "b").TouchId;
        var state = engine.React(Person(), PersonState.Empty, start).State;
        state = engine.React(Person(), state, new TouchMarked(start.At, foreseen, TouchMark.Dropped)).State;
        Assert.Contains(Rehearsal.Of(engine, Person(), state, start.At, At("2027-04-01T00:00")), t => t.TouchId == foreseen && t.Reason == "dropped");
    }

    /// <summary>
    /// What the day's limit or the pace holds back until it would come too late is skipped as late; its why says both, and does
    /// not claim that the limit had room.
    /// </summary>
    [Fact]
    public void What_is_held_back_until_it_is_too_late_says_what_held_it_back()
    {
        var program = Program("P", "", $"{Email("a", AtOnce)},{Email("b", AtOnce, "\"lateLimit\":\"PT2H\"")}");
        var engine = EngineWith(Practice() with { Pace = [new PaceRule(1, 1, new[] { Channel.Email }.ToFrozenSet())] }, program);
        var late = Assert.Single(
            Touches(engine, [new Actor(Person(), PersonState.Empty, [Start(program, "2027-03-01T10:00")])], "2027-03-01T00:00", "2027-03-05T00:00"),
            t => t.Reason == "late"
        );
        Assert.Equal([CheckKind.InTime, CheckKind.Pace], late.Trail.ToChecks().Where(c => !c.Passed).Select(c => c.Kind));
    }

    /// <summary>Section 8: which kind of step needs which checks, as the table and the lines below it have it.</summary>
    [Theory]
    [InlineData("email", "1 2 3 4 5 6 7 8 9 10 11")]
    [InlineData("text", "1 2 3 4 5 6 7 8 9 10 11")]
    [InlineData("note", "1 2 3 4 5 6 7 8 9 11")]
    [InlineData("call", "1 2 3 4 5 6 7 8 9")]
    [InlineData("task", "1 2 3 7 8")]
    [InlineData("tell-me", "1 2 3")]
    [InlineData("end", "1 2 3")]
    public void Section_8_each_kind_of_step_needs_its_checks(string kind, string checks)
    {
        var words = kind switch
        {
            "email" => "\"subject\":\"s\",\"body\":\"b\"",
            "call" => "\"script\":\"s\"",
            "task" => "\"title\":\"t\"",
            "end" => "\"lateLimit\":\"P1D\"",
            _ => "\"body\":\"b\"",
        };
        var program = Program("P", "", $"{{\"id\":\"a\",\"kind\":\"{kind}\",\"when\":{{\"from\":\"start\",\"offset\":\"P0D\"}},{words}}}");
        var practice = Practice() with
        {
            Pace = [new PaceRule(5, 1, Enum.GetValues<Channel>().ToFrozenSet())],
            DailyLimits = Enum.GetValues<Channel>().ToFrozenDictionary(c => c, _ => 50),
            Consent = new ConsentRules(Enum.GetValues<Channel>().ToFrozenDictionary(c => c, _ => ConsentPolicy.Open)),
        };
        var person = Person() with { Mobile = "+12075550123", Address = "1 Heron Row" };
        var touch = Assert.Single(
            Touches(
                EngineWith(practice, program),
                [new Actor(person, PersonState.Empty, [Start(program, "2027-03-01T10:00")])],
                "2027-03-01T00:00",
                "2027-03-05T00:00"
            )
        );
        Assert.Equal(checks, string.Join(' ', touch.Trail.ToChecks().Select(c => (int)c.Kind)));
    }

    [Fact]
    public void A_saved_state_says_its_form_and_one_of_a_newer_form_is_refused_in_words()
    {
        Assert.Contains($"\"form\":{PersonState.CurrentForm}", PersonStateJson.Write(PersonState.Empty), StringComparison.Ordinal);
        Assert.Equal(PersonState.CurrentForm, PersonStateJson.Read("{}").Form);
        Assert.Equal(PersonState.CurrentForm, PersonStateJson.Read("{\"form\":1}").Form);
        Assert.Contains(
            "newer Germinal",
            Assert.Throws<NotSupportedException>(() => PersonStateJson.Read("{\"form\":99}")).Message,
            StringComparison.Ordinal
        );
    }
}
