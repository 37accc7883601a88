using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Sections 1 and 3: when a step falls due.</summary>
public sealed class PlanningTests
{
    private const string Office = "\"at\":\"09:30\",\"window\":{\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"],\"from\":\"09:00\",\"to\":\"17:30\"}";

    private static string From(string from, string offset, string? at = null) =>
        $"\"from\":\"{from}\",\"offset\":\"{offset}\"{(at is null ? "" : $",\"at\":\"{at}\"")}";

    [Fact]
    public void Rule_1_4_a_date_part_falls_at_the_steps_time_else_the_programs_else_the_windows_else_nine()
    {
        var own = Program("A", Office, Email("a", From("start", "P1D", "11:00")));
        var programs = Program("B", Office, Email("a", From("start", "P1D")));
        var windows = Program("C", "\"window\":{\"from\":\"10:00\",\"to\":\"12:00\"}", Email("a", From("start", "P1D")));
        var nine = Program("D", "", Email("a", From("start", "P1D")));
        string Time(Core.Programs.ProgramDefinition p) =>
            Rehearsed(EngineWith(Practice(), p), Person(), Start(p, "2027-03-01T16:00"), "2027-03-10T00:00")[0][^5..];
        Assert.Equal(["11:00", "09:30", "10:00", "09:00"], new[] { own, programs, windows, nine }.Select(Time));
    }

    [Fact]
    public void Rule_1_4_a_time_part_and_P0D_keep_the_exact_moment()
    {
        var program = Program(
            "P",
            Office,
            Email("now", From("start", "P0D")) + "," + Email("soon", From("start", "PT2H")) + "," + Email("later", From("start", "P1DT2H"))
        );
        Assert.Equal(
            ["now sent 2027-03-01T10:04", "soon sent 2027-03-01T12:04", "later sent 2027-03-02T12:04"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T10:04"), "2027-03-10T00:00")
        );
    }

    [Fact]
    public void Rule_1_1_a_program_reads_the_persons_clock_or_the_practices()
    {
        var theirs = Program("P", "\"at\":\"09:30\"", Email("a", From("start", "P1D")));
        var ours = Program("P", "\"at\":\"09:30\",\"clock\":\"practice\"", Email("a", From("start", "P1D")));
        var bo = Person("Bo", Denver);
        Assert.Equal(["a sent 2027-03-02T09:30"], Rehearsed(EngineWith(Practice(), theirs), bo, Start(theirs, "2027-03-01T12:00"), "2027-03-10T00:00"));
        Assert.Equal(["a sent 2027-03-02T07:30"], Rehearsed(EngineWith(Practice(), ours), bo, Start(ours, "2027-03-01T12:00"), "2027-03-10T00:00"));
    }

    [Fact]
    public void Rule_3_1_steps_settle_in_the_written_order_and_none_falls_due_before_the_one_above()
    {
        var program = Program("P", "\"at\":\"09:30\"", Email("late", From("start", "P5D")) + "," + Email("early", From("start", "P1D")));
        Assert.Equal(
            ["late sent 2027-03-06T09:30", "early sent 2027-03-06T09:30"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T10:00"), "2027-04-01T00:00")
        );
    }

    [Fact]
    public void Rule_3_1_a_call_that_holds_lets_the_next_step_wait_until_it_is_done()
    {
        var program = Program("P", "\"at\":\"09:30\"", Call("c", From("start", "P0D"), "\"holds\":true") + "," + Email("e", From("previous", "P1D")));
        var engine = EngineWith(Practice(), program);
        var person = Person();
        var state = engine.React(person, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = engine.Judge(person, state, At("2027-03-01T10:00")).State;
        Assert.Null(state.NextDue(engine.Shelf));
        var done = engine.React(person, state, new TaskEnded(At("2027-03-04T15:00"), state.OpenTasks[0].TouchId, "spoke"));
        Assert.Equal(At("2027-03-05T09:30"), done.State.NextDue(engine.Shelf));
        Assert.Contains(done.Effects, e => e is TaskClosed { Outcome: Outcome.Done, Reason: "spoke" });
    }

    [Fact]
    public void Rule_3_2_previous_counts_from_where_the_step_before_settled()
    {
        var program = Program("P", Office, Email("a", From("start", "P5D")) + "," + Email("b", From("previous", "P3D")));
        // Monday 1 March + 5 days is a Saturday, rolled to Monday 8; three days on is Thursday 11.
        Assert.Equal(
            ["a sent 2027-03-08T09:30", "b sent 2027-03-11T09:30"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T10:00"), "2027-04-01T00:00")
        );
    }

    [Theory]
    [InlineData("\"from\":\"on\",\"date\":\"2027-03-20\"", "a sent 2027-03-20T09:30")]
    [InlineData("\"from\":\"on\",\"date\":\"2027-02-20\"", "a skipped date-passed 2027-03-01T10:00")]
    [InlineData("\"from\":\"yearly\",\"date\":\"--12-24\"", "a sent 2027-12-24T09:30")]
    [InlineData("\"from\":\"yearly\",\"date\":\"--02-20\"", "a sent 2028-02-20T09:30")]
    [InlineData("\"from\":\"key-date\",\"date\":\"birthday\",\"offset\":\"-P3D\"", "a sent 2027-06-11T09:30")]
    [InlineData("\"from\":\"key-date\",\"date\":\"renewal\",\"offset\":\"P0D\"", "a skipped no-key-date 2027-03-01T10:00")]
    [InlineData("\"from\":\"occasion\",\"offset\":\"P0D\"", "a skipped no-occasion 2027-03-01T10:00")]
    public void Rule_3_2_places_by_dates(string when, string expected)
    {
        var program = Program("P", "\"at\":\"09:30\"", Email("a", when));
        Assert.Equal(
            [expected],
            Rehearsed(EngineWith(Practice(), program), Person(birthday: "1975-06-14"), Start(program, "2027-03-01T10:00"), "2029-01-01T00:00")
        );
    }

    [Fact]
    public void Rule_3_2_a_yearly_key_date_whose_moment_is_past_is_next_years()
    {
        var program = Program("P", "\"at\":\"09:30\"", Email("a", "\"from\":\"key-date\",\"date\":\"birthday\",\"offset\":\"-P1D\""));
        // The day before the birthday was yesterday.
        Assert.Equal(
            ["a sent 2028-02-29T09:30"],
            Rehearsed(EngineWith(Practice(), program), Person(birthday: "1975-03-01"), Start(program, "2027-03-01T10:00"), "2029-01-01T00:00")
        );
    }

    [Fact]
    public void Rule_3_3_a_touch_that_would_be_later_than_its_limit_is_skipped()
    {
        var program = Program("P", "\"at\":\"09:30\"", Email("a", From("start", "P1D"), "\"lateLimit\":\"P2D\""));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        Assert.Contains(engine.Judge(Person(), state, At("2027-03-04T09:30")).Effects, e => e is TouchHanded);
        Assert.Contains(engine.Judge(Person(), state, At("2027-03-04T09:31")).Effects, e => e is TouchSettled { Outcome: Outcome.Skipped, Reason: "late" });
    }

    [Fact]
    public void Rule_3_4_the_run_finishes_when_its_last_step_settles_and_open_calls_stay()
    {
        var program = Program("P", "\"at\":\"09:30\"", Call("c", From("start", "P0D")));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        var judged = engine.Judge(Person(), state, At("2027-03-01T10:00"));
        Assert.Contains(judged.Effects, e => e is RunEnded { StopReason: null });
        Assert.Empty(judged.State.Runs);
        Assert.Single(judged.State.OpenTasks);
    }

    [Fact]
    public void Rule_3_5_a_hand_over_starts_the_other_program_and_the_run_goes_on()
    {
        var second = Program("Second", "\"at\":\"09:30\"", Email("b", From("start", "P2D")));
        var first = Program("First", "\"at\":\"09:30\"", HandOver("h", From("start", "P1D"), "Second") + "," + Email("after", From("previous", "P0D")));
        Assert.Equal(
            ["h handedover 2027-03-02T09:30", "after sent 2027-03-02T09:30", "b sent 2027-03-04T09:30"],
            Rehearsed(EngineWith(Practice(), first, second), Person(), Start(first, "2027-03-01T10:00"), "2027-04-01T00:00")
        );
    }

    /// <summary>Common practice, no source: a letter every 29 days falls one week day later each time.</summary>
    [Fact]
    public void Rule_3_5_a_loop_starts_anew_whatever_again_says_and_29_days_walk_through_the_week()
    {
        var program = Program(
            "Market letter",
            "\"at\":\"09:30\"",
            Email("a", From("start", "P0D")) + "," + HandOver("loop", From("previous", "P29D"), "Market letter")
        );
        var sent = Rehearsal
            .Of(
                EngineWith(Practice(), program),
                Person(),
                PersonState.Empty,
                At("2027-03-01T09:30"),
                At("2029-03-01T00:00"),
                Start(program, "2027-03-01T09:30")
            )
            .Where(t => t.Outcome == Outcome.Sent)
            .Select(t => t.SettledAt!.Value.InZone(NewYork).Date)
            .ToList();
        Assert.Equal(26, sent.Count);
        Assert.All(sent.Zip(sent.Skip(1)), p => Assert.Equal(29, NodaTime.Period.DaysBetween(p.First, p.Second)));
        Assert.All(sent.Zip(sent.Skip(1)), p => Assert.Equal((int)p.First.DayOfWeek % 7 + 1, (int)p.Second.DayOfWeek));
    }

    [Fact]
    public void Rule_3_5_a_loop_makes_no_second_unfinished_run()
    {
        // Two runs side by side, each begun by a birthday and a name day; both come to their loop on the way.
        var program = Program(
            "Twice",
            "\"at\":\"09:30\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"},{\"kind\":\"occasion\",\"date\":\"name day\",\"offset\":\"P0D\"}]",
            Email("a", From("start", "P0D")) + "," + HandOver("loop", From("previous", "P10D"), "Twice")
        );
        var engine = EngineWith(Practice(), program);
        var person = Person(birthday: "1975-03-02") with
        {
            KeyDates = [new("birthday", YearlyDate.TryParse("1975-03-02")!.Value, true), new("name day", YearlyDate.TryParse("--03-04")!.Value, true)],
        };
        var touches = Touches(engine, [new Actor(person, PersonState.Empty, [])], "2027-03-01T00:00", "2027-06-01T00:00");

        // The first run's loop is refused while the second still goes; from the second's on there is one run after the other.
        Assert.Equal(
            ["03-02", "03-04", "03-14", "03-24", "04-03", "04-13"],
            touches.Where(t => t.Step.Id == "a" && t.Outcome == Outcome.Sent).Select(t => t.At.InZone(NewYork).Date.ToString("MM-dd", null)).Take(6)
        );
    }

    /// <summary>Section 8: what would not go anyway is said with its own reason, and only what would is blocked for its window.</summary>
    [Theory]
    [InlineData("", "", "a blocked window-never-opens")]
    [InlineData("out", "", "a skipped opted-out")]
    [InlineData("", "\"onlyIf\":{\"field\":\"tags\",\"op\":\"has\",\"value\":\"warm\"}", "a skipped not-for")]
    [InlineData("no-address", "", "a skipped no-address")]
    public void Section_8_a_window_that_never_opens_is_judged_by_the_first_six_checks(string person, string more, string expected)
    {
        var program = Program(
            "Never",
            "\"window\":{\"days\":[\"mon\"],\"from\":\"06:00\",\"to\":\"07:00\"}",
            Text("a", From("start", "P0D"), more) + "," + Email("b", From("previous", "P0D"))
        );
        var ida = Person() with
        {
            Mobile = person == "no-address" ? null : "+12075550101",
            Consent = [Yes(Channel.Email), person == "out" ? No(Channel.Text) : Yes(Channel.Text)],
        };
        var touches = Rehearsed(EngineWith(Practice(), program), ida, Start(program, "2027-03-01T10:00"), "2027-04-01T00:00");
        Assert.StartsWith(expected, touches[0], StringComparison.Ordinal);
        Assert.Equal(expected.Contains("blocked", StringComparison.Ordinal) ? "2027-03-08T10:00" : "2027-03-01T10:00", touches[0].Split(' ')[^1]);
    }
}
