using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 3.6: a message goes to the person, to those who stand in a relation to them, or to the owner.</summary>
public sealed class ReaderTests
{
    private const string ToSolicitor = "\"to\":{\"relation\":\"solicitor\"}";
    private const string ToOwner = "\"to\":\"owner\"";
    private static readonly PersonFacts Mona = Person("Mona");
    private static readonly PersonFacts Sol = Person("Sol");

    private static PersonFacts Ida(params PersonFacts[] solicitors) =>
        Person() with
        {
            Relations = [.. solicitors.Select(s => new RelationTo("Solicitor", s.Id) { Other = s })],
        };

    private static string NameOf(PersonFacts person, Guid? id) =>
        id is null ? "-"
        : id == Ada.Id ? "Ada"
        : person.Relations.Single(r => r.OtherId == id).Other!.FirstName!;

    private static IReadOnlyList<string> Went(PersonFacts person, string steps, Practice? practice = null, string until = "2027-04-01T00:00", string at = "2027-03-01T10:00")
    {
        var program = Program("P", "", steps);
        var engine = EngineWith(practice ?? Practice(), program);
        return
        [
            .. Rehearsal
                .Of(engine, person, PersonState.Empty, At(at), At(until), Start(program, at))
                .Select(t => $"{NameOf(person, t.Reader)} {Line(engine, person, t)}"),
        ];
    }

    [Fact]
    public void Everybody_in_the_relation_has_one_of_their_own_and_then_the_run_goes_on() =>
        Assert.Equal(
            ["Mona a sent 2027-03-01T10:00", "Sol a sent 2027-03-01T10:00", "- b sent 2027-03-02T09:00"],
            Went(Ida(Sol, Mona), Email("a", AtOnce, ToSolicitor) + "," + Email("b", Daily))
        );

    [Fact]
    public void Where_nobody_stands_in_it_the_step_is_skipped_once() =>
        Assert.Equal(
            ["- a skipped nobody-there 2027-03-01T10:00", "- b sent 2027-03-01T10:00"],
            Went(Ida(), Email("a", AtOnce, ToSolicitor) + "," + Email("b", AtOnce))
        );

    [Fact]
    public void Each_is_judged_by_their_own_address_suppression_consent_and_standing() =>
        Assert.Equal(
            [
                "Ann a skipped no-address 2027-03-01T10:00",
                "Bea a skipped suppressed 2027-03-01T10:00",
                "Cal a skipped no-consent 2027-03-01T10:00",
                "Dot a skipped opted-out 2027-03-01T10:00",
                "Eve a skipped died 2027-03-01T10:00",
                "Fay a skipped do-not-contact 2027-03-01T10:00",
                "Gil a sent 2027-03-01T10:00",
            ],
            Went(
                Ida(
                    Person("Ann") with { Email = null },
                    Person("Bea") with { Suppressed = new[] { "bea@example.com" }.ToFrozenSet() },
                    Person("Cal") with { Consent = [] },
                    Person("Dot") with { Consent = [No(Channel.Email)] },
                    Person("Eve") with { Died = true },
                    Person("Fay") with { DoNotContact = true },
                    Person("Gil")
                ) with
                {
                    // Of the person it is about nothing of this is asked.
                    Email = null,
                    Consent = [],
                },
                Email("a", AtOnce, ToSolicitor)
            )
        );

    [Fact]
    public void The_quiet_hours_are_the_readers_and_the_other_is_not_kept_waiting_longer_than_that()
    {
        // 10:00 in New York is 2:00 of the next date in Sydney; 8:00 there is 16:00 of the same date in New York.
        var far = Person("Mona", DateTimeZoneProviders.Tzdb["Australia/Sydney"]) with { Consent = [Yes(Channel.Text)] };
        Assert.Equal(
            ["Mona a sent 2027-03-01T16:00", "Sol a sent 2027-03-01T16:00"],
            Went(Ida(far, Sol with { Consent = [Yes(Channel.Text)] }), Text("a", AtOnce, ToSolicitor))
        );
    }

    [Fact]
    public void Pace_counts_nothing_of_it_and_does_not_hold_it()
    {
        var practice = Practice() with { Pace = [new PaceRule(1, 7, new[] { Channel.Email }.ToFrozenSet())] };
        Assert.Equal(
            [
                "- a sent 2027-03-01T10:00",
                "Mona b sent 2027-03-01T10:00",
                "Sol b sent 2027-03-01T10:00",
                "Ada c sent 2027-03-01T10:00",
                "- d sent 2027-03-08T10:00",
            ],
            Went(
                Ida(Mona, Sol),
                string.Join(',', Email("a", AtOnce), Email("b", AtOnce, ToSolicitor), Email("c", AtOnce, ToOwner), Email("d", AtOnce)),
                practice
            )
        );
    }

    [Fact]
    public void A_message_to_the_owner_asks_nobody_for_consent_and_without_an_owner_nobody_is_there()
    {
        var mute = Ida() with { Email = null, Consent = [No(Channel.Email)] };
        Assert.Equal(["Ada a sent 2027-03-01T10:00"], Went(mute, Email("a", AtOnce, ToOwner)));
        Assert.Equal(["- a skipped nobody-there 2027-03-01T10:00"], Went(mute with { OwnerId = null }, Email("a", AtOnce, ToOwner)));
    }

    [Fact]
    public void Whoever_is_not_to_be_contacted_has_nothing_sent_about_them() =>
        Assert.Equal(["- a cancelled died 2027-03-01T10:00"], Lived(Ida(Sol) with { Died = true }));

    private static IReadOnlyList<string> Lived(PersonFacts person)
    {
        var program = Program("P", "", Email("a", AtOnce, ToSolicitor));
        var engine = EngineWith(Practice(), program);
        var started = engine.React(Ida(Sol), PersonState.Empty, Start(program, "2027-03-01T10:00"));
        var judged = engine.Judge(person, started.State, At("2027-03-01T10:00"));
        return [.. judged.Effects.OfType<TouchSettled>().Select(t => $"{NameOf(person, t.Reader)} {t.StepId} {t.Outcome.ToString().ToLowerInvariant()} {t.Reason} 2027-03-01T10:00")];
    }

    [Fact]
    public void A_note_is_on_the_sheet_once_for_each_and_a_run_that_waits_goes_through_them_one_by_one()
    {
        var program = Program("P", "", Step("a", "note", AtOnce, $"\"body\":\"b\",\"holds\":true,{ToSolicitor}"));
        var engine = EngineWith(Practice(), program);
        var person = Ida(Mona with { Address = "7 Quay Lane" }, Sol with { Address = "8 Quay Lane" });
        var start = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00"));
        var first = engine.Judge(person, start.State, At("2027-03-01T10:00"));
        var task = Assert.Single(first.State.OpenTasks);
        var second = engine.React(person, first.State, new TaskEnded(At("2027-03-02T10:00"), task.TouchId, "done"));
        Assert.Equal((1, Sol.Id), (second.State.Runs[0].Readers.Length, second.State.Runs[0].Reader));
        second = engine.Judge(person, second.State, At("2027-03-02T10:00"));
        var other = Assert.Single(second.State.OpenTasks);
        Assert.NotEqual(task.TouchId, other.TouchId);
        Assert.Equal(1, TouchState.NthOf(other.TouchId, other.RunId, other.StepId));
        var last = engine.React(person, second.State, new TaskEnded(At("2027-03-03T10:00"), other.TouchId, "done"));
        Assert.Empty(last.State.Runs);

        // Done by mistake: it is the second one that stands on the sheet again.
        var again = engine.React(person, last.State, new TaskReopened(At("2027-03-03T11:00"), other.RunId, other.ProgramId, other.StepId, 1));
        Assert.Equal(other.TouchId, Assert.Single(again.State.OpenTasks).TouchId);
        Assert.Equal(other.TouchId, Assert.Single(again.Effects.OfType<TaskPutBack>()).TouchId);
    }

    [Fact]
    public void Who_has_had_theirs_is_saved_and_somebody_who_comes_to_stand_there_meanwhile_has_theirs_too()
    {
        var program = Program("P", "", Email("a", AtOnce, ToSolicitor));
        var engine = EngineWith(Practice(), program);
        var person = Ida(Sol);
        var state = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var handed = engine.Judge(person, state, At("2027-03-01T10:00"));
        var first = Assert.Single(handed.Effects.OfType<TouchHanded>());
        Assert.Equal(Sol.Id, first.Reader);
        state = PersonStateJson.Read(PersonStateJson.Write(handed.State));
        var both = Ida(Sol, Mona);
        var settled = engine.Settle(both, state, first.TouchId, At("2027-03-01T10:00"), null);
        state = PersonStateJson.Read(PersonStateJson.Write(settled.State));
        var second = Assert.Single(engine.Judge(both, state, At("2027-03-01T10:01")).Effects.OfType<TouchHanded>());
        Assert.Equal(Mona.Id, second.Reader);
        Assert.NotEqual(first.TouchId, second.TouchId);
        Assert.Equal(TouchState.IdOf(first.RunId, "a"), first.TouchId);
    }

    [Fact]
    public void One_that_is_dropped_before_it_was_judged_is_dropped_for_all()
    {
        var program = Program("P", "", Email("a", "\"from\":\"start\",\"offset\":\"P1D\"", ToSolicitor) + "," + Email("b", AtOnce));
        var engine = EngineWith(Practice(), program);
        var person = Ida(Mona, Sol);
        var state = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var dropped = engine.React(person, state, new TouchMarked(At("2027-03-01T11:00"), state.Runs[0].TouchId, TouchMark.Dropped));
        Assert.Equal(Outcome.Cancelled, Assert.Single(dropped.Effects.OfType<TouchSettled>()).Outcome);
        Assert.Equal("b", dropped.State.Runs[0].Touch.StepId);
    }

    [Fact]
    public void Nothing_of_it_is_a_touch_of_the_person_and_a_no_of_theirs_leaves_it_to_be_sent()
    {
        var program = Program("P", "", Email("a", AtOnce, ToSolicitor) + "," + Email("b", "\"from\":\"start\",\"offset\":\"P9D\"", ToSolicitor));
        var engine = EngineWith(Practice(), program);
        var person = Ida(Sol);
        var state = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(person, state, At("2027-03-01T10:00")).State;
        state = engine.Settle(person, state, state.Runs[0].TouchId, At("2027-03-01T10:00"), null).State;
        Assert.Null(state.LastTouch);
        var no = person with { Consent = [No(Channel.Email, "2027-03-02T10:00")] };
        Assert.Single(engine.React(no, state, new ConsentGiven(At("2027-03-02T10:00"), Channel.Email, false)).State.Runs);
    }

    [Fact]
    public void The_why_names_who_reads_it()
    {
        var program = Program("P", "", Email("a", AtOnce, ToSolicitor));
        var engine = EngineWith(Practice(), program);
        string[] Why(PersonFacts person)
        {
            var state = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
            var judged = engine.Judge(person, state, At("2027-03-01T10:00"));
            return [.. judged.Effects.OfType<TouchDecision>().Single(e => e.StepId == "a").Checks.Select(c => Core.Engine.Why.Of(c, "Ida", NewYork).Text)];
        }

        Assert.Contains("It goes to Sol Rowan, their solicitor.", Why(Ida(Sol)));
        Assert.Contains("The email address is sol@example.com.", Why(Ida(Sol)));
        Assert.Contains("It goes to their solicitor, and they have none.", Why(Ida()));
        Assert.Contains("It goes to Sol Rowan, their solicitor, who has died.", Why(Ida(Sol with { Died = true })));
    }

    [Fact]
    public void Merge_fields_person_stays_whom_it_is_about_and_to_is_who_reads_it()
    {
        string? Value(string field, Addressed to) => MergeFields.ValueOf(field, to, Practice(), Ada, At("2027-03-01T10:00"));
        var to = new Addressed(Ida(Sol), Sol);
        Assert.Equal("Ida", Value("person.first_name", to));
        Assert.Equal("Sol", Value("to.first_name", to));
        Assert.Equal("Sol Rowan", Value("to.name", to));
        Assert.Equal("sol@example.com", Value("to.email", to));
        Assert.Equal("Ida", Value("to.first_name", Person()));
    }

    [Fact]
    public void The_program_file_has_it_in_words_and_out_again()
    {
        var program = Program("P", "", string.Join(',', Email("a", AtOnce, ToSolicitor), Email("b", AtOnce, ToOwner), Email("c", AtOnce, "\"to\":\"person\"")));
        var written = ProgramFile.Write(program).ToJsonString();
        Assert.Contains("\"to\":{\"relation\":\"solicitor\"}", written, StringComparison.Ordinal);
        Assert.Contains("\"to\":\"owner\"", written, StringComparison.Ordinal);
        Assert.DoesNotContain("\"to\":\"person\"", written, StringComparison.Ordinal);
        Assert.Equal(written, ProgramFile.Write(ProgramFile.Read(written).Program!).ToJsonString());
    }

    [Theory]
    [InlineData("\"to\":\"spouse\"", "/steps/0/to")]
    [InlineData("\"to\":7", "/steps/0/to")]
    [InlineData("\"to\":{}", "/steps/0/to/relation")]
    [InlineData("\"to\":{\"relation\":\"\"}", "/steps/0/to/relation")]
    [InlineData("\"to\":{\"relation\":\"x\",\"more\":1}", "/steps/0/to/more")]
    public void What_is_no_reader_is_said_in_its_place(string to, string pointer)
    {
        var reading = ProgramFile.Read($$"""{"format":"germinal.program/1","name":"P","steps":[{{Email("a", AtOnce, to)}}]}""");
        Assert.Contains(reading.Errors, e => e.Pointer == pointer);
    }

    [Fact]
    public void The_checker_says_what_nobody_can_be_asked_or_sent()
    {
        var program = Program(
            "P",
            "\"startsWhen\":[{\"kind\":\"by-hand\"}]",
            string.Join(
                ',',
                Email("a", AtOnce, ToSolicitor),
                Text("b", AtOnce, ToOwner),
                Step("f", "fork", AtOnce, "\"if\":{\"kind\":\"opened\",\"step\":\"a\"},\"then\":[],\"else\":[]")
            )
        );
        var findings = ProgramCheck.Findings(program, new HashSet<string>(), _ => []);
        Assert.Contains(findings, f => f.Pointer == "/steps/1/to" && !f.IsWarning);
        Assert.Contains(findings, f => f.Pointer == "/steps/2/if/step" && f.Message.Contains("somebody else reads", StringComparison.Ordinal));
    }
}
