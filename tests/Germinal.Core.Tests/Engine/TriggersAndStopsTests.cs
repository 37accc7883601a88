using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Every trigger of 5.1 and every stop of 6.1, each with what it answers to and what it does not.</summary>
public sealed class TriggersAndStopsTests
{
    private static readonly Instant Noon = At("2027-03-03T12:00");

    private static Happening Named(string what, Guid program = default) =>
        what switch
        {
            "tag warm" => new TagPutOn(Noon, "Warm"),
            "tag cold" => new TagPutOn(Noon, "cold"),
            "list news" => new JoinedList(Noon, "news"),
            "list other" => new JoinedList(Noon, "other"),
            "leave news" => new LeftList(Noon, "news"),
            "leave other" => new LeftList(Noon, "other"),
            "stage Client" => new EnteredStage(Noon, "Planning/Client"),
            "stage Plan" => new EnteredStage(Noon, "Planning/Plan"),
            "inquiry web" => new Inquired(Noon, "Web"),
            "inquiry" => new Inquired(Noon, null),
            "won" => new Won(Noon),
            "lost timing" => new Lost(Noon, "timing"),
            "lost price" => new Lost(Noon, "price"),
            "lost" => new Lost(Noon, null),
            "link plans" => new FollowedLink(Noon, program, "hello", "plans"),
            "link prices" => new FollowedLink(Noon, program, "hello", "prices"),
            "word yes" => new TextedWord(Noon, "YES"),
            "word no" => new TextedWord(Noon, "no"),
            "added fair" => new Added(Noon, "fair"),
            "added" => new Added(Noon, null),
            "reply email" => new Replied(Noon, Channel.Email),
            "reply text" => new Replied(Noon, Channel.Text),
            "appointment viewing" => new AppointmentMade(Noon, "v", "viewing", At("2027-04-20T14:00")),
            "appointment other" => new AppointmentMade(Noon, "o", "other", At("2027-04-20T14:00")),
            _ => throw new ArgumentOutOfRangeException(nameof(what)),
        };

    [Theory]
    [InlineData("""{"kind":"tag-added","tag":"warm"}""", "tag warm", "tag cold")]
    [InlineData("""{"kind":"list-joined","list":"News"}""", "list news", "list other")]
    [InlineData("""{"kind":"stage-entered","stage":"planning/client"}""", "stage Client", "stage Plan")]
    [InlineData("""{"kind":"inquiry-received"}""", "inquiry web", "reply email")]
    [InlineData("""{"kind":"inquiry-received","form":"web"}""", "inquiry web", "inquiry")]
    [InlineData("""{"kind":"opportunity-won"}""", "won", "lost")]
    [InlineData("""{"kind":"opportunity-lost"}""", "lost price", "won")]
    [InlineData("""{"kind":"opportunity-lost","reason":"Timing"}""", "lost timing", "lost price")]
    [InlineData("""{"kind":"link-followed","link":"plans"}""", "link plans", "link prices")]
    [InlineData("""{"kind":"text-keyword","word":"yes"}""", "word yes", "word no")]
    [InlineData("""{"kind":"person-added"}""", "added", "inquiry")]
    [InlineData("""{"kind":"person-added","source":"Fair"}""", "added fair", "added")]
    public void Rule_5_1_a_trigger_answers_to_its_own_event_and_no_other(string trigger, string own, string other)
    {
        var program = Program("P", $"\"startsWhen\":[{trigger}]", Email("a", AtOnce));
        var engine = EngineWith(Practice(), program);
        Assert.Single(engine.React(Person(), PersonState.Empty, Named(own)).Effects.OfType<RunStarted>());
        Assert.Empty(engine.React(Person(), PersonState.Empty, Named(other)).Effects.OfType<RunStarted>());
    }

    [Theory]
    [InlineData("""{"kind":"replied"}""", "reply text", "inquiry", "replied")]
    [InlineData("""{"kind":"replied","channel":"email"}""", "reply email", "reply text", "replied")]
    [InlineData("""{"kind":"inquired"}""", "inquiry", "reply email", "inquired")]
    [InlineData("""{"kind":"stage-entered","stage":"Planning/Client"}""", "stage Client", "stage Plan", "stage-entered")]
    [InlineData("""{"kind":"stage-left","stage":"Planning/Inquiry"}""", "stage Plan", "tag warm", "stage-left")]
    [InlineData("""{"kind":"opportunity-won"}""", "won", "lost", "opportunity-won")]
    [InlineData("""{"kind":"opportunity-lost"}""", "lost", "won", "opportunity-lost")]
    [InlineData("""{"kind":"tag-added","tag":"warm"}""", "tag warm", "tag cold", "tag-added")]
    [InlineData("""{"kind":"list-left","list":"news"}""", "leave news", "leave other", "list-left")]
    [InlineData("""{"kind":"link-followed"}""", "link prices", "reply email", "link-followed")]
    [InlineData("""{"kind":"link-followed","link":"plans"}""", "link plans", "link prices", "link-followed")]
    [InlineData("""{"kind":"form-sent","form":"web"}""", "inquiry web", "inquiry", "form-sent")]
    [InlineData("""{"kind":"appointment-booked"}""", "appointment other", "reply email", "appointment-booked")]
    [InlineData("""{"kind":"appointment-booked","type":"viewing"}""", "appointment viewing", "appointment other", "appointment-booked")]
    public void Rule_6_1_a_stop_answers_to_its_own_event_and_cancels_what_is_planned(string stop, string own, string other, string reason)
    {
        var program = Program("P", $"\"stopsWhen\":[{stop}]", Email("a", AtOnce) + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P20D\""));
        var person = Person() with
        {
            Stage = "Planning/Inquiry",
            Lists = System.Collections.Frozen.FrozenSet.ToFrozenSet(["news", "other"], StringComparer.OrdinalIgnoreCase),
        };
        var engine = EngineWith(Practice(), program);
        var start = Start(program, "2027-03-01T10:00");
        Assert.Equal(
            ["a sent 2027-03-01T10:00", $"b cancelled {reason} 2027-03-03T12:00"],
            Lived(engine, person, "2027-03-01T00:00", "2027-05-01T00:00", start, Named(own, IdOf(program)))
        );
        Assert.Equal(
            ["a sent 2027-03-01T10:00", "b sent 2027-03-21T09:00"],
            Lived(engine, person, "2027-03-01T00:00", "2027-05-01T00:00", start, Named(other, IdOf(program)))
        );
    }

    [Fact]
    public void Rule_6_1_a_call_that_ends_with_an_outcome_stops_and_another_outcome_does_not()
    {
        var program = Program(
            "P",
            """
            "stopsWhen":[{"kind":"call-ended","outcome":"spoke"}]
            """,
            Call("c", AtOnce) + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P5D\"")
        );
        var engine = EngineWith(Practice(), program);
        IReadOnlyList<string> With(string outcome) =>
            Lived(
                engine,
                Person(),
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00"),
                new StepTaskEnded(Noon, IdOf(program), "c", outcome)
            );
        Assert.Equal(["c done spoke 2027-03-03T12:00", "b cancelled call-ended 2027-03-03T12:00"], With("spoke"));
        Assert.Equal(["c done voicemail 2027-03-03T12:00", "b sent 2027-03-06T09:00"], With("voicemail"));
    }

    [Fact]
    public void Rule_6_1_a_date_stops_at_its_beginning_on_the_programs_clock_and_nothing_starts_after_it()
    {
        const string Until = "\"again\":\"each-time\",\"stopsWhen\":[{\"kind\":\"on\",\"date\":\"2027-03-04\"}]";
        var program = Program("P", Until + "," + OnTag("x"), Email("a", "\"from\":\"start\",\"offset\":\"P9D\""));
        var engine = EngineWith(Practice(), program);
        Assert.Equal(
            ["a cancelled on 2027-03-04T00:00"],
            Lived(engine, Person("Ida", Denver), "2027-03-01T00:00", "2027-05-01T00:00", new TagPutOn(Noon, "x"))
        );
        Assert.Contains(
            engine.React(Person(), PersonState.Empty, new TagPutOn(At("2027-03-04T00:00"), "x")).Effects,
            e => e is StartRefused { Reason: "program-off" }
        );
    }

    [Fact]
    public void Rule_5_1_time_in_a_stage_starts_once_for_each_stay()
    {
        var program = Program(
            "P",
            """
            "again":"each-time","startsWhen":[{"kind":"stage-age","stage":"Planning/Plan","after":"P10D"}]
            """,
            Email("a", AtOnce)
        );
        var engine = EngineWith(Practice(), program);
        Assert.Equal(
            ["a sent 2027-03-13T12:00", "a sent 2027-05-11T08:30"],
            Lived(
                engine,
                Person(),
                "2027-03-01T00:00",
                "2027-08-01T00:00",
                new EnteredStage(Noon, "Planning/Plan"),
                new EnteredStage(At("2027-04-01T08:30"), "Planning/Client"),
                new EnteredStage(At("2027-05-01T08:30"), "Planning/Plan")
            )
        );
        Assert.Empty(
            Lived(
                engine,
                Person(),
                "2027-03-01T00:00",
                "2027-08-01T00:00",
                new EnteredStage(Noon, "Planning/Plan"),
                new EnteredStage(At("2027-03-10T12:00"), "Planning/Client")
            )
        );
    }

    [Theory]
    [InlineData("P3D", "true", "2027-03-05T16:20", "2027-03-10T16:20")] // Friday: Monday, Tuesday, Wednesday
    [InlineData("P3D", "false", "2027-03-05T16:20", "2027-03-08T16:20")]
    [InlineData("P1W", "true", "2027-03-05T16:20", "2027-03-16T16:20")]
    [InlineData("PT4H", "true", "2027-03-05T16:20", "2027-03-05T20:20")]
    [InlineData("P5D", "true", "2027-05-27T09:00", "2027-06-04T09:00")] // Memorial Day, 31 May, is no working day
    public void Rule_5_1_an_unanswered_inquiry_counts_working_days_or_hours(string after, string working, string inquired, string due)
    {
        var program = Program(
            "P",
            $$"""
            "startsWhen":[{"kind":"inquiry-unanswered","after":"{{after}}","workingDays":{{working}}}]
            """,
            Email("a", AtOnce)
        );
        var engine = EngineWith(Practice(holidays: new LocalDate(2027, 5, 31)), program);
        Assert.Equal([$"a sent {due}"], Lived(engine, Person(), "2027-03-01T00:00", "2027-08-01T00:00", new Inquired(At(inquired), null)));
        Assert.Empty(
            Lived(
                engine,
                Person(),
                "2027-03-01T00:00",
                "2027-08-01T00:00",
                new Inquired(At(inquired), null),
                new InquiriesAnswered(At(due).Minus(Duration.FromMinutes(1)))
            )
        );
    }

    [Fact]
    public void Rule_5_1_a_tag_that_is_on_and_a_stage_one_stands_in_are_no_event()
    {
        var program = Program(
            "P",
            """
            "again":"each-time","startsWhen":[{"kind":"tag-added","tag":"x"},{"kind":"stage-entered","stage":"A/B"}]
            """,
            Email("a", AtOnce)
        );
        Assert.Equal(
            2,
            Lived(
                EngineWith(Practice(), program),
                Person(),
                "2027-03-01T00:00",
                "2027-08-01T00:00",
                new TagPutOn(Noon, "x"),
                new TagPutOn(Noon + Duration.FromDays(1), "X"),
                new EnteredStage(Noon + Duration.FromDays(2), "A/B"),
                new EnteredStage(Noon + Duration.FromDays(3), "a/b")
            ).Count
        );
    }

    [Fact]
    public void Rule_5_1_a_finished_program_starts_another_and_a_stopped_one_does_not()
    {
        var first = Program("First", OnTag("x") + ",\"stopsWhen\":[{\"kind\":\"replied\"}]", Email("a", AtOnce) + "," + Email("b", Daily));
        var then = Program(
            "Then",
            """
            "startsWhen":[{"kind":"program-finished","program":"first"}]
            """,
            Email("c", Daily)
        );
        var engine = EngineWith(Practice(), first, then);
        Assert.Equal(
            ["a sent 2027-03-03T12:00", "b sent 2027-03-04T09:00", "c sent 2027-03-05T09:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-04-01T00:00", new TagPutOn(Noon, "x"))
        );
        Assert.Equal(
            ["a sent 2027-03-03T12:00", "b cancelled replied 2027-03-03T13:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-04-01T00:00", new TagPutOn(Noon, "x"), new Replied(Noon + Duration.FromHours(1), Channel.Text))
        );
    }

    [Fact]
    public void Rule_5_1_what_a_program_changes_is_an_event_like_any_other_stops_before_starts()
    {
        var changer = Program(
            "Changer",
            OnTag("go"),
            Step(
                "c",
                "change",
                Daily,
                """
                "set":[{"tagOff":"cold"},{"tag":"warm"},{"stage":"Planning/Plan"},{"list":"news"},{"field":"custom:plan","value":"solo"}]
                """
            )
                + ","
                + Email(
                    "end",
                    AtOnce,
                    """
                    "onlyIf":{"all":[{"field":"stage","op":"is","value":"Planning/Plan"},{"field":"tags","op":"has-not","value":"cold"},{"field":"custom:plan","op":"is","value":"solo"},{"field":"lists","op":"has","value":"news"}]}
                    """
                )
        );
        var stopped = Program(
            "Stopped",
            OnTag("go") + ",\"stopsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]",
            Email("never", "\"from\":\"start\",\"offset\":\"P9D\"")
        );
        var started = Program("Started", OnTag("warm"), Email("warmly", AtOnce));
        Assert.Equal(
            ["c changed 2027-03-04T09:00", "end sent 2027-03-04T09:00", "warmly sent 2027-03-04T09:00", "never cancelled tag-added 2027-03-04T09:00"],
            Lived(
                    EngineWith(Practice(), changer, stopped, started),
                    Person() with
                    {
                        Tags = System.Collections.Frozen.FrozenSet.ToFrozenSet(["cold"], StringComparer.OrdinalIgnoreCase),
                    },
                    "2027-03-01T00:00",
                    "2027-04-01T00:00",
                    new TagPutOn(Noon, "go")
                )
                .OrderBy(l =>
                    "cews"[0] == l[0] ? 0
                    : l[0] == 'e' ? 1
                    : l[0] == 'w' ? 2
                    : 3
                )
        );
    }

    [Fact]
    public void Programs_that_start_each_other_at_one_moment_come_to_an_end()
    {
        var a = Program("A", "\"again\":\"each-time\"," + OnTag("x"), Step("h", "hand-over", AtOnce, "\"program\":\"B\""));
        var b = Program("B", "\"again\":\"each-time\"", Step("h", "hand-over", AtOnce, "\"program\":\"A\""));
        Assert.InRange(Lived(EngineWith(Practice(), a, b), Person(), "2027-03-01T00:00", "2027-03-20T00:00", new TagPutOn(Noon, "x")).Count, 2, 300);
    }

    [Theory]
    [InlineData("died")]
    [InlineData("archived")]
    [InlineData("do-not-contact")]
    public void Rule_6_2_and_6_4_whoever_is_gone_gets_nothing_and_their_tasks_are_withdrawn_whatever_the_program_keeps(string reason)
    {
        var program = Program("P", "\"keepTasks\":true", Call("c", AtOnce) + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P20D\""));
        Assert.Equal(
            [$"c cancelled {reason} 2027-03-03T12:00", $"b cancelled {reason} 2027-03-03T12:00"],
            Lived(
                EngineWith(Practice(), program),
                Person(),
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00"),
                new LeftForGood(Noon, reason),
                Start(program, "2027-03-09T10:00")
            )
        );
    }

    [Fact]
    public void Rule_6_3_a_run_that_could_reach_nobody_stops_at_once_also_when_what_is_left_stands_in_passages()
    {
        var passages = Program(
            "P",
            "",
            Email("a", AtOnce)
                + ","
                + Step(
                    "f",
                    "fork",
                    "\"from\":\"previous\",\"offset\":\"P9D\"",
                    $"\"if\":{{\"kind\":\"opened\",\"step\":\"a\"}},\"then\":[{Email("b", AtOnce)}],\"else\":[]"
                )
        );
        var withNote = Program(
            "Q",
            "",
            Email("a", AtOnce)
                + ","
                + Step(
                    "f",
                    "fork",
                    "\"from\":\"previous\",\"offset\":\"P9D\"",
                    "\"if\":{\"kind\":\"opened\",\"step\":\"a\"},\"then\":[],\"else\":[{\"id\":\"n\",\"kind\":\"note\",\"body\":\"b\"}]"
                )
        );
        var address = Person() with { Address = "12 Quay Lane", Consent = [Yes(Channel.Email)] };
        Assert.Equal(
            ["a sent 2027-03-01T10:00", "f cancelled nothing-left-to-send 2027-03-03T12:00"],
            Lived(
                EngineWith(Practice(), passages),
                address,
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(passages, "2027-03-01T10:00"),
                new ConsentGiven(Noon, Channel.Email, false)
            )
        );
        Assert.Equal(
            ["a sent 2027-03-01T10:00", "f forked no 2027-03-10T09:00", "n open 2027-03-10T09:00"],
            Lived(
                EngineWith(Practice(), withNote),
                address,
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(withNote, "2027-03-01T10:00"),
                new ConsentGiven(Noon, Channel.Email, false)
            )
        );
    }

    [Fact]
    public void Rule_3_1_a_holding_task_keeps_the_run_until_it_is_done_and_is_done_on_its_day_where_nothing_says_otherwise()
    {
        var program = Program("P", "", Call("c", AtOnce, "\"holds\":true") + "," + Email("b", Daily));
        var engine = EngineWith(Practice(), program);
        Assert.Equal(
            ["c open 2027-03-01T10:00", "b sent 2027-03-02T09:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", Start(program, "2027-03-01T10:00"))
        );
        Assert.Equal(
            ["c done done 2027-03-03T12:00", "b sent 2027-03-04T09:00"],
            Lived(
                engine,
                Person(),
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00"),
                new StepTaskEnded(Noon, IdOf(program), "c", "done")
            )
        );
    }

    [Fact]
    public void Section_8_tasks_need_no_address_and_notes_do()
    {
        var program = Program(
            "P",
            "",
            Step("t", "task", AtOnce, "\"title\":\"Look up the plan\"")
                + ","
                + Step("n", "note", AtOnce, "\"body\":\"b\"")
                + ","
                + Step("m", "tell-me", AtOnce, "\"body\":\"b\"")
        );
        Assert.Equal(
            ["t open 2027-03-01T10:00", "n skipped no-address 2027-03-01T10:00", "m sent 2027-03-01T10:00"],
            Lived(
                EngineWith(Practice(), program),
                Person() with
                {
                    Email = null,
                    Mobile = null,
                },
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void Rule_2_0_forks_changes_hand_overs_and_messages_to_the_owner_happen_at_their_exact_moment_and_tasks_in_the_window()
    {
        var program = Program(
            "P",
            "\"window\":{\"days\":[\"mon\"],\"from\":\"09:00\",\"to\":\"17:00\"}",
            string.Join(
                ",",
                Step("f", "fork", AtOnce, "\"if\":{\"kind\":\"replied\"}"),
                Step("c", "change", AtOnce, "\"set\":{\"tag\":\"x\"}"),
                Step("m", "tell-me", AtOnce, "\"body\":\"b\""),
                Step("t", "task", AtOnce, "\"title\":\"t\"")
            )
        );
        // A Saturday evening.
        Assert.Equal(
            ["f forked no 2027-03-06T22:10", "c changed 2027-03-06T22:10", "m sent 2027-03-06T22:10", "t open 2027-03-08T09:00"],
            Lived(EngineWith(Practice(), program), Person(), "2027-03-01T00:00", "2027-04-01T00:00", Start(program, "2027-03-06T22:10"))
        );
    }

    [Fact]
    public void Rule_5_4_switching_on_starts_only_who_qualifies_from_now_on_and_the_others_when_they_are_asked_for()
    {
        var program = Program("P", OnTag("warm"), Email("a", AtOnce));
        var engine = EngineWith(Practice(), program);
        var tagged = Person() with { Tags = System.Collections.Frozen.FrozenSet.ToFrozenSet(["warm"], StringComparer.OrdinalIgnoreCase) };
        Assert.Empty(Lived(engine, tagged, "2027-03-01T00:00", "2027-04-01T00:00"));
        var also = engine.React(tagged, PersonState.Empty, new StartedByHand(Noon, IdOf(program), "Ada", BySwitchingOn: true));
        Assert.Equal(CauseKind.SwitchedOn, Assert.Single(also.Effects.OfType<RunStarted>()).Cause.Kind);
    }

    [Fact]
    public void Rule_10_5_a_member_lets_one_touch_go_in_spite_of_missing_consent_and_never_over_an_out()
    {
        var program = Program("P", "", Email("a", Daily) + "," + Email("b", Daily));
        var engine = EngineWith(Practice(), program);
        var run = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State.Runs[0];
        var overruled = new ConsentOverruled(At("2027-03-01T12:00"), run.TouchId, "Ada", "asked me on the telephone");
        IReadOnlyList<string> With(params ConsentEntry[] consent) =>
            Lived(engine, Person() with { Consent = consent }, "2027-03-01T00:00", "2027-04-01T00:00", Start(program, "2027-03-01T10:00"), overruled);
        Assert.Equal(["a sent 2027-03-02T09:00", "b skipped no-consent 2027-03-03T09:00"], With());
        Assert.Equal(["a skipped opted-out 2027-03-02T09:00", "b skipped opted-out 2027-03-03T09:00"], With(No(Channel.Email)));
        var check = Touches(
            engine,
            [new Actor(Person() with { Consent = [] }, PersonState.Empty, [Start(program, "2027-03-01T10:00"), overruled])],
            "2027-03-01T00:00",
            "2027-03-03T00:00"
        )[0]
            .Trail.ToChecks()
            .Single(c => c.Kind == CheckKind.Consent);
        Assert.Equal(
            "Nobody has recorded that they may be emailed, but a member let this one go (Ada: asked me on the telephone).",
            Why.Of(check, "Ida", NewYork).Text
        );
    }

    [Fact]
    public void Rule_10_1_the_ledger_is_corrected_by_a_newer_entry_never_by_an_edit()
    {
        var person = Person();
        var after = FactUpdates.Apply(
            FactUpdates.Apply(person, new ConsentGiven(Noon, Channel.Email, false))!,
            new ConsentGiven(Noon + Duration.FromDays(1), Channel.Email, true)
        )!;
        Assert.Equal(person.Consent, after.Consent.Take(person.Consent.Count));
        Assert.Equal([true, false, true], after.Consent.Select(c => c.In));
    }
}
