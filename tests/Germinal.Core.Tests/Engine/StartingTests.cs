using System.Collections.Frozen;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Sections 4 and 5: occasions and starting.</summary>
public sealed class StartingTests
{
    private const string Soon = "\"from\":\"start\",\"offset\":\"P1D\"";

    private static string? RefusalOf(Advance advance) => advance.Effects.OfType<StartRefused>().SingleOrDefault()?.Reason;

    private static bool Started(Advance advance) => advance.Effects.OfType<RunStarted>().Any();

    [Fact]
    public void Rule_5_1_each_trigger_starts_on_its_own_event_only()
    {
        var tag = Program("Tag", "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"Warm\"}]", Email("a", Soon));
        var stage = Program("Stage", "\"startsWhen\":[{\"kind\":\"stage-entered\",\"stage\":\"Planning/Inquiry\"}]", Email("a", Soon));
        var engine = EngineWith(Practice(), tag, stage);
        var at = At("2027-03-01T10:00");
        Guid[] Begun(Happening h) => [.. engine.React(Person(), PersonState.Empty, h).Effects.OfType<RunStarted>().Select(s => s.ProgramId)];
        Assert.Equal([IdOf(tag)], Begun(new TagPutOn(at, "warm")));
        Assert.Equal([IdOf(stage)], Begun(new EnteredStage(at, "Planning/Inquiry")));
        Assert.Empty(Begun(new TagPutOn(at, "cold")));
        Assert.Empty(Begun(new EnteredStage(at, "Planning/Client")));
    }

    [Fact]
    public void Rule_5_1_starts_come_by_priority_and_name_and_after_stops()
    {
        string On(string more) => "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"x\"}]," + more;
        var running = Program("Running", "\"stopsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"x\"}]", Email("a", "\"from\":\"start\",\"offset\":\"P9D\""));
        var b = Program("b", On("\"priority\":50"), Email("a", Soon));
        var a = Program("a", On("\"priority\":50"), Email("a", Soon));
        var first = Program("z", On("\"priority\":1"), Email("a", Soon));
        var engine = EngineWith(Practice(), running, b, a, first);
        var state = engine.React(Person(), PersonState.Empty, Start(running, "2027-03-01T10:00")).State;
        var effects = engine.React(Person(), state, new TagPutOn(At("2027-03-02T10:00"), "x")).Effects;
        Assert.Equal([IdOf(first), IdOf(a), IdOf(b)], effects.OfType<RunStarted>().Select(s => s.ProgramId));
        Assert.True(effects.ToList().FindIndex(e => e is RunEnded) < effects.ToList().FindIndex(e => e is RunStarted));
    }

    [Fact]
    public void Rule_5_2_only_if_is_judged_once_at_the_start()
    {
        var program = Program("P", "\"onlyIf\":{\"field\":\"tags\",\"op\":\"has-not\",\"value\":\"Client\"}", Email("a", Soon));
        var engine = EngineWith(Practice(), program);
        var client = Person() with { Tags = FrozenSet.ToFrozenSet(["client"], StringComparer.OrdinalIgnoreCase) };
        Assert.Equal("not-for", RefusalOf(engine.React(client, PersonState.Empty, Start(program, "2027-03-01T10:00"))));
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        // Became a client since; the run goes on all the same.
        Assert.Contains(engine.Judge(client, state, At("2027-03-02T09:00")).Effects, e => e is TouchHanded);
    }

    [Fact]
    public void Rule_5_3_again_says_whether_a_program_may_start_again()
    {
        ProgramDefinition With(string again) => Program("P", $"\"again\":{again}", Email("a", "\"from\":\"start\",\"offset\":\"P0D\""));
        Advance Twice(ProgramDefinition program, string second)
        {
            var engine = EngineWith(Practice(), program);
            var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
            state = engine.Judge(Person(), state, At("2027-03-01T10:00")).State;
            state = engine.Settle(Person(), state, state.Runs[0].TouchId, At("2027-03-01T10:00"), null).State;
            return engine.React(Person(), state, Start(program, second));
        }

        Assert.Equal("already-been", RefusalOf(Twice(With("\"never\""), "2028-03-01T10:00")));
        Assert.True(Started(Twice(With("\"each-time\""), "2027-03-01T10:01")));
        Assert.True(Started(Twice(With("\"after-finished\""), "2027-03-01T10:01")));
        Assert.Equal("too-soon", RefusalOf(Twice(With("{\"kind\":\"after-finished\",\"gap\":\"P180D\"}"), "2027-08-28T09:59")));
        Assert.True(Started(Twice(With("{\"kind\":\"after-finished\",\"gap\":\"P180D\"}"), "2027-08-28T10:00")));
    }

    [Fact]
    public void Rule_5_3_one_unfinished_run_at_most()
    {
        var program = Program("P", "\"again\":\"each-time\"", Email("a", "\"from\":\"start\",\"offset\":\"P9D\""));
        var engine = EngineWith(Practice(), program);
        var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        Assert.Equal("already-running", RefusalOf(engine.React(Person(), state, Start(program, "2027-03-02T10:00"))));
    }

    [Fact]
    public void Rule_5_3_nobody_who_wants_no_contact_is_started()
    {
        var program = Program("P", "", Email("a", Soon));
        Assert.Equal(
            "do-not-contact",
            RefusalOf(EngineWith(Practice(), program).React(Person() with { DoNotContact = true }, PersonState.Empty, Start(program, "2027-03-01T10:00")))
        );
    }

    [Fact]
    public void Rule_4_2_one_run_per_occasion_year_whatever_happens()
    {
        var program = Program(
            "B",
            "\"at\":\"08:00\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]",
            Email("a", "\"from\":\"occasion\",\"offset\":\"P0D\"")
        );
        var engine = EngineWith(Practice(), program);
        var came = new OccasionCame(At("2027-06-14T08:00"), IdOf(program), "birthday", new LocalDate(2027, 6, 14));
        var first = engine.React(Person(birthday: "1975-06-14"), PersonState.Empty, came);
        Assert.True(Started(first));
        Assert.Empty(engine.React(Person(birthday: "1975-06-14"), first.State, came).Effects);
        // The next year's starts although again is never and the first is unfinished (rule 5.3).
        Assert.True(Started(engine.React(Person(), first.State, came with { Date = new LocalDate(2028, 6, 14) })));
        // A refused start uses the key up as well.
        var refused = engine.React(Person() with { DoNotContact = true }, PersonState.Empty, came);
        Assert.Empty(engine.React(Person(), refused.State, came).Effects);
    }

    [Fact]
    public void Rule_4_3_the_start_is_on_the_date_with_its_offset_at_the_programs_time()
    {
        var program = Program(
            "B",
            "\"at\":\"08:00\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"-P7D\"}]",
            Email("a", "\"from\":\"occasion\",\"offset\":\"P0D\"")
        );
        var version = new ProgramVersion(IdOf(program), 1, program);
        var starts = Occasions.Between(version, Practice(), Person("Bo", Denver, "1990-01-03"), At("2026-12-01T00:00"), At("2028-02-01T00:00")).ToList();
        Assert.Equal([At("2026-12-27T08:00", Denver), At("2027-12-27T08:00", Denver)], starts.Select(s => s.At));
        Assert.Equal([new LocalDate(2027, 1, 3), new LocalDate(2028, 1, 3)], starts.Select(s => s.Occasion.Date));
    }

    [Fact]
    public void Rule_4_2_the_years_that_count_need_a_known_year()
    {
        var program = Program(
            "R",
            "\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P6M\",\"years\":[60,65]}]",
            Email("a", "\"from\":\"occasion\",\"offset\":\"P0D\"")
        );
        var version = new ProgramVersion(IdOf(program), 1, program);
        int Count(string birthday) =>
            Occasions.Between(version, Practice(), Person(birthday: birthday), At("2020-01-01T00:00"), At("2060-01-01T00:00")).Count();
        Assert.Equal(2, Count("1975-06-14"));
        Assert.Equal(0, Count("--06-14"));
        Assert.Equal(1, Count("1958-06-14"));
    }

    [Theory]
    [InlineData(LeapDay.Feb28, "2027-02-28T09:00")]
    [InlineData(LeapDay.Mar1, "2027-03-01T09:00")]
    public void Rule_4_1_a_birthday_on_29_February_is_kept_in_a_common_year(LeapDay leapDay, string expected)
    {
        var program = Program(
            "B",
            "\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]",
            Email("a", "\"from\":\"occasion\",\"offset\":\"P0D\"")
        );
        var starts = Occasions.Between(
            new ProgramVersion(IdOf(program), 1, program),
            Practice(leapDay),
            Person(birthday: "--02-29"),
            At("2027-01-01T00:00"),
            At("2027-12-01T00:00")
        );
        Assert.Equal(At(expected), starts.Single().At);
    }
}
