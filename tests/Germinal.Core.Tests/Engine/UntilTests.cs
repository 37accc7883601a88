using Germinal.Core.Engine;
using NodaTime;

namespace Germinal.Core.Tests.Engine;

using static Given;

/// <summary>What ends by itself on a date: a pause (rule 13.2), do not contact (6.2), and a task's time on the day sheet (3.8).</summary>
public sealed class UntilTests
{
    private static readonly LocalDate TenthOfMarch = new(2027, 3, 10);

    [Fact]
    public void Rule_13_2_a_pause_of_a_run_with_an_end_goes_on_at_the_beginning_of_that_date()
    {
        var program = Program("P", "", Email("a", Daily) + "," + Email("b", Daily, "\"lateLimit\":\"P2D\"") + "," + Email("c", Daily));
        var pause = new ProgramPaused(At("2027-03-02T11:00"), IdOf(program), TenthOfMarch);
        Assert.Equal(
            ["a sent 2027-03-02T09:00", "b skipped late 2027-03-10T00:00", "c sent 2027-03-11T09:00"],
            Lived(EngineWith(Practice(), program), Person(), "2027-03-01T00:00", "2027-05-01T00:00", Start(program, "2027-03-01T10:00"), pause)
        );
    }

    [Fact]
    public void Rule_13_2_the_practice_s_clock_ends_it_wherever_the_person_is()
    {
        var program = Program("P", "", Email("a", Daily));
        Assert.Equal(
            ["a sent 2027-03-09T22:00"],
            Lived(
                EngineWith(Practice(), program),
                Person(zone: Denver),
                "2027-03-01T00:00",
                "2027-05-01T00:00",
                Start(program, "2027-03-01T10:00"),
                new ProgramPaused(At("2027-03-01T11:00"), IdOf(program), TenthOfMarch)
            )
        );
    }

    [Fact]
    public void Rule_13_2_another_end_takes_the_place_of_the_first_and_going_on_sooner_of_both()
    {
        var program = Program("P", "", Email("a", Daily));
        var engine = EngineWith(Practice(), program);
        Happening[] events =
        [
            Start(program, "2027-03-01T10:00"),
            new ProgramPaused(At("2027-03-01T11:00"), IdOf(program), TenthOfMarch),
            new ProgramPaused(At("2027-03-01T12:00"), IdOf(program), TenthOfMarch.PlusDays(5)),
        ];
        Assert.Equal(["a sent 2027-03-15T00:00"], Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", events));
        Assert.Equal(
            ["a sent 2027-03-04T08:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", [.. events, new ProgramResumed(At("2027-03-04T08:00"), IdOf(program))])
        );
    }

    [Fact]
    public void Rule_13_2_a_program_paused_until_a_date_is_rehearsed_through_its_end()
    {
        var program = Program("P", OnTag("warm"), Email("a", Daily));
        var version = new ProgramVersion(IdOf(program), 1, program);
        var on = new TouchEngine(Practice(), new ProgramShelf([version], [new ProgramOn(version, Instant.MinValue)]), new FillsEverything());
        var state = on.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var paused = new TouchEngine(
            Practice(),
            new ProgramShelf([version], [], [new PausedProgram(version, At("2027-03-10T00:00"))]),
            new FillsEverything()
        );
        var coming = Rehearsal.Of(paused, Person(), state, At("2027-03-01T11:00"), At("2027-04-01T00:00"));
        Assert.Equal(At("2027-03-10T00:00"), Assert.Single(coming).SettledAt);

        // Nothing starts while it is paused; what would start it afterwards does.
        Assert.Empty(Lived(paused, Person(), "2027-03-01T00:00", "2027-05-01T00:00", new TagPutOn(At("2027-03-05T10:00"), "warm")));
        Assert.Equal(
            ["a sent 2027-03-12T09:00"],
            Lived(paused, Person(), "2027-03-01T00:00", "2027-05-01T00:00", new TagPutOn(At("2027-03-11T10:00"), "warm"))
        );

        // The engine itself keeps it frozen: it is let go on by the service.
        Assert.Null(state.NextDue(paused.Shelf));
    }

    [Fact]
    public void Rule_6_2_do_not_contact_until_a_date_stops_everything_and_programs_may_start_again_from_that_date()
    {
        var program = Program("P", "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}],\"again\":\"each-time\"", Email("a", Daily) + "," + Email("b", Daily));
        Happening[] events =
        [
            new TagPutOn(At("2027-03-01T10:00"), "warm"),
            new LeftForGood(At("2027-03-02T10:00"), "do-not-contact", TenthOfMarch),
            new TagTakenOff(At("2027-03-03T10:00"), "warm"),
            new TagPutOn(At("2027-03-09T10:00"), "warm"),
            new TagTakenOff(At("2027-03-10T08:00"), "warm"),
            new TagPutOn(At("2027-03-10T10:00"), "warm"),
        ];
        Assert.Equal(
            ["a sent 2027-03-02T09:00", "b cancelled do-not-contact 2027-03-02T10:00", "a sent 2027-03-11T09:00", "b sent 2027-03-12T09:00"],
            Lived(EngineWith(Practice(), program), Person(), "2027-03-01T00:00", "2027-05-01T00:00", events)
        );
    }

    [Fact]
    public void Rule_6_2_an_occasion_on_the_very_date_finds_them_free_again()
    {
        var program = Program("P", "\"at\":\"00:00\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]", Email("a", AtOnce));
        var person = Person(birthday: "--03-10") with { DoNotContact = true, DoNotContactUntil = TenthOfMarch };
        Assert.Equal(["a sent 2027-03-10T00:00"], Lived(EngineWith(Practice(), program), person, "2027-03-01T00:00", "2027-05-01T00:00"));
        Assert.Empty(Lived(EngineWith(Practice(), program), person with { DoNotContactUntil = TenthOfMarch.PlusDays(1) }, "2027-03-01T00:00", "2027-05-01T00:00"));
    }

    private static readonly string Steps = Call("c", Daily, "\"holds\":true,\"missedAfter\":\"P5D\"") + "," + Email("next", AtOnce);

    [Fact]
    public void Rule_3_8_a_task_that_has_stood_too_long_is_missed_and_a_run_it_holds_goes_on()
    {
        var program = Program("P", "", Steps);
        Happening DoneOn(string at) => new StepTaskEnded(At(at), IdOf(program), "c", "reached");
        var engine = EngineWith(Practice(), program);
        Assert.Equal(
            ["c skipped missed 2027-03-07T09:00", "next sent 2027-03-07T09:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", Start(program, "2027-03-01T10:00"), DoneOn("2027-03-09T10:00"))
        );
        Assert.Equal(
            ["c done reached 2027-03-06T10:00", "next sent 2027-03-06T10:00"],
            Lived(engine, Person(), "2027-03-01T00:00", "2027-05-01T00:00", Start(program, "2027-03-01T10:00"), DoneOn("2027-03-06T10:00"))
        );
    }

    [Fact]
    public void Rule_12_1_where_nobody_says_when_a_task_is_done_it_is_done_on_its_day_and_never_missed()
    {
        var program = Program("P", "", Steps);
        Assert.Equal(
            ["c open 2027-03-02T09:00", "next sent 2027-03-02T09:00"],
            Lived(EngineWith(Practice(), program), Person(), "2027-03-01T00:00", "2027-05-01T00:00", Start(program, "2027-03-01T10:00"))
        );
    }

    [Fact]
    public void Rule_3_8_a_call_that_was_missed_did_not_end_with_an_outcome()
    {
        var program = Program(
            "P",
            "\"stopsWhen\":[{\"kind\":\"call-ended\",\"outcome\":\"missed\"}]",
            Call("c", Daily, "\"missedAfter\":\"P1D\"") + "," + Email("next", "\"from\":\"start\",\"offset\":\"P9D\"")
        );
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(Person(), state, At("2027-03-02T09:00")).State;
        var alarm = Assert.Single(Alarms.Next(engine, Person(), state, At("2027-03-02T09:00"), At("2027-04-01T00:00")));
        Assert.Equal(At("2027-03-03T09:00"), alarm.At);
        var missed = engine.React(Person(), state, alarm);
        Assert.Empty(missed.State.OpenTasks);
        Assert.Single(missed.State.Runs);
        Assert.Equal(Outcome.Skipped, Assert.Single(missed.Effects.OfType<TaskClosed>()).Outcome);
    }

    [Fact]
    public void Rule_3_8_a_task_put_back_on_the_sheet_has_its_whole_time_again()
    {
        var program = Program("P", "", Call("c", Daily, "\"missedAfter\":\"P5D\""));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(Person(), state, At("2027-03-02T09:00")).State;
        var task = Assert.Single(state.OpenTasks);
        state = engine.React(Person(), state, new TaskEnded(At("2027-03-03T10:00"), task.TouchId, "reached")).State;
        state = engine.React(Person(), state, new TaskReopened(At("2027-03-04T10:00"), task.RunId, task.ProgramId, task.StepId)).State;
        Assert.Equal(At("2027-03-09T10:00"), Assert.Single(state.OpenTasks).MissedAt);
    }

    [Fact]
    public void What_ends_by_itself_survives_being_saved()
    {
        var program = Program("P", "", Steps);
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(Person(), state, At("2027-03-02T09:00")).State;
        state = engine.React(Person(), state, new ProgramPaused(At("2027-03-02T10:00"), IdOf(program), TenthOfMarch)).State;
        var again = PersonStateJson.Read(PersonStateJson.Write(state));
        Assert.Equal(At("2027-03-07T09:00"), Assert.Single(again.OpenTasks).MissedAt);
        Assert.Equal(At("2027-03-10T00:00"), Assert.Single(again.Runs).PausedUntil);
        Assert.Equal(state.Runs[0], again.Runs[0]);
    }

    [Theory]
    [InlineData("P0D")]
    [InlineData("-P2D")]
    [InlineData("soon")]
    public void Rule_3_8_its_time_is_a_span_forward(string span) =>
        Assert.NotEmpty(
            Core.Files.ProgramFile.Read($$"""{"format":"germinal.program/1","name":"P","steps":[{{Call("c", Daily, $"\"missedAfter\":\"{span}\"")}}]}""").Errors
        );
}
