using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 12, and the common-practice programs on real calendars (common practice, no source).</summary>
public sealed class RehearsalTests
{
    private const string Office = "\"at\":\"09:30\",\"window\":{\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"],\"from\":\"09:00\",\"to\":\"17:30\"}";

    private static string Days(int days) => $"\"from\":\"start\",\"offset\":\"P{days}D\"";

    [Fact]
    public void Eight_weeks_with_a_touch_a_week_keep_to_working_days_and_the_clock_change()
    {
        var program = Program(
            "Eight",
            Office,
            string.Join(",", Enumerable.Range(0, 9).Select(w => w == 4 ? Call("call", Days(28)) : Email($"week{w}", Days(w * 7))))
        );
        // Begun on a Saturday: the first letter at once rolls to Monday; New York changes its clock on 14 March 2027.
        Assert.Equal(
            [
                "week0 sent 2027-02-22T09:00",
                "week1 sent 2027-03-01T09:30",
                "week2 sent 2027-03-08T09:30",
                "week3 sent 2027-03-15T09:30",
                "call open 2027-03-22T09:30",
                "week5 sent 2027-03-29T09:30",
                "week6 sent 2027-04-05T09:30",
                "week7 sent 2027-04-12T09:30",
                "week8 sent 2027-04-19T09:30",
            ],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-02-20T15:00"), "2027-06-01T00:00")
        );
    }

    [Fact]
    public void A_sign_up_series_goes_on_days_one_three_and_seven()
    {
        var program = Program("Sign-up", "\"at\":\"10:00\"", string.Join(",", new[] { 1, 3, 7 }.Select(d => Email($"d{d}", Days(d)))));
        Assert.Equal(
            ["d1 sent 2027-03-02T10:00", "d3 sent 2027-03-04T10:00", "d7 sent 2027-03-08T10:00"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T16:45"), "2027-06-01T00:00")
        );
    }

    [Fact]
    public void A_greeting_the_day_before_and_the_day_itself_each_year()
    {
        var program = Program(
            "Birthday",
            "\"at\":\"09:00\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"-P1D\"}]",
            Call("remind", "\"from\":\"start\",\"offset\":\"P0D\"") + "," + Email("wish", "\"from\":\"occasion\",\"offset\":\"P0D\"")
        );
        var touches = Rehearsal.Of(
            EngineWith(Practice(), program),
            Person(birthday: "--02-29"),
            PersonState.Empty,
            At("2027-01-01T00:00"),
            At("2029-01-01T00:00")
        );
        Assert.Equal(
            ["remind 2027-02-27", "wish 2027-02-28", "remind 2028-02-28", "wish 2028-02-29"],
            touches.Select(t =>
                $"{t.Step.Id} {t.SettledAt!.Value.InZone(NewYork).Date.ToString("uuuu-MM-dd", System.Globalization.CultureInfo.InvariantCulture)}"
            )
        );
    }

    [Fact]
    public void Rule_2_1_closing_days_and_holidays_move_a_touch_to_the_next_working_day()
    {
        var program = Program("P", Office, Email("a", "\"from\":\"on\",\"date\":\"2027-05-31\""));
        Assert.Equal(
            ["a sent 2027-06-01T09:30"],
            Rehearsed(EngineWith(Practice(holidays: new LocalDate(2027, 5, 31)), program), Person(), Start(program, "2027-05-01T10:00"), "2027-07-01T00:00")
        );
    }

    [Fact]
    public void Rule_12_1_nobody_reacts_and_every_call_that_is_waited_for_is_made_on_its_day()
    {
        var program = Program(
            "P",
            Office + ",\"stopsWhen\":[{\"kind\":\"replied\"}]",
            Call("c", Days(1), "\"holds\":true") + "," + Email("after", "\"from\":\"previous\",\"offset\":\"P1D\"")
        );
        Assert.Equal(
            ["c open 2027-03-02T09:30", "after sent 2027-03-03T09:30"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T10:00"), "2027-04-01T00:00")
        );
    }

    [Fact]
    public void What_is_due_after_the_horizon_is_planned_and_not_told()
    {
        var program = Program("P", Office, Email("a", Days(1)) + "," + Email("b", Days(60)));
        Assert.Equal(
            ["a sent 2027-03-02T09:30"],
            Rehearsed(EngineWith(Practice(), program), Person(), Start(program, "2027-03-01T10:00"), "2027-04-01T00:00")
        );
    }

    [Fact]
    public void Permuting_the_programs_changes_nothing()
    {
        var programs = Enumerable
            .Range(0, 5)
            .Select(i =>
                Program(
                    $"P{i}",
                    $"{Office},\"priority\":{10 * (i % 3) + 1},\"startsWhen\":[{{\"kind\":\"tag-added\",\"tag\":\"x\"}}]",
                    Email("a", Days(i)) + "," + Call("c", Days(i + 3))
                )
            )
            .ToArray();
        IReadOnlyList<Guid> Order(ProgramDefinition[] list) =>
            [
                .. Rehearsal
                    .Of(
                        EngineWith(Practice(), list),
                        Person(),
                        PersonState.Empty,
                        At("2027-03-01T10:00"),
                        At("2027-06-01T00:00"),
                        new TagPutOn(At("2027-03-01T10:00"), "x")
                    )
                    .Select(t => t.TouchId),
            ];
        var expected = Order(programs);
        Assert.Equal(10, expected.Count);
        Assert.Equal(expected, Order([.. programs.Reverse()]));
        Assert.Equal(expected, Order([programs[2], programs[0], programs[4], programs[1], programs[3]]));
    }

    [Fact]
    public void Rule_13_1_a_run_finishes_on_the_version_it_started_on()
    {
        var old = Program("P", Office, Email("a", Days(1)) + "," + Email("b", Days(5)));
        var changed = Program("P", Office, Email("b", Days(9)));
        var id = IdOf(old);
        var first = new ProgramVersion(id, 1, old);
        var second = new ProgramVersion(id, 2, changed);
        var before = new TouchEngine(Practice(), new ProgramShelf([first], [new ProgramOn(first, Instant.MinValue)]), new FillsEverything());
        var after = new TouchEngine(Practice(), new ProgramShelf([first, second], [new ProgramOn(second, Instant.MinValue)]), new FillsEverything());
        var state = before.React(Person(), PersonState.Empty, Start(old, "2027-03-01T10:00")).State;
        var touches = Rehearsal.Of(after, Person(), state, At("2027-03-01T11:00"), At("2027-04-01T00:00"));
        Assert.Equal(["a", "b"], touches.Select(t => t.Step.Id));
        Assert.All(touches, t => Assert.Equal(1, t.Program.Version));
        Assert.Equal(2, after.React(Person("Bo"), PersonState.Empty, Start(old, "2027-03-01T10:00")).Effects.OfType<RunStarted>().Single().Version);
    }

    [Fact]
    public void Rule_13_2_a_paused_program_is_frozen_and_what_fell_due_is_judged_on_resuming()
    {
        var program = Program("P", "\"at\":\"09:30\"", Email("a", Days(1), "\"lateLimit\":\"P2D\""));
        var version = new ProgramVersion(IdOf(program), 1, program);
        var on = new TouchEngine(Practice(), new ProgramShelf([version], [new ProgramOn(version, Instant.MinValue)]), new FillsEverything());
        var paused = new TouchEngine(Practice(), new ProgramShelf([version], [], [new PausedProgram(version, null)]), new FillsEverything());
        var state = on.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        Assert.Null(state.NextDue(paused.Shelf));
        Assert.Empty(paused.Judge(Person(), state, At("2027-03-03T10:00")).Effects);
        Assert.Contains(on.Judge(Person(), state, At("2027-03-03T10:00")).Effects, e => e is TouchHanded);
        Assert.Contains(on.Judge(Person(), state, At("2027-03-09T10:00")).Effects, e => e is TouchSettled { Reason: "late" });
    }

    [Fact]
    public void Ids_are_the_same_however_often_they_are_worked_out()
    {
        // RFC 9562, appendix A.4: version 5 of “www.example.com” in the DNS namespace.
        Assert.Equal(Guid.Parse("2ed6657d-e927-568b-95e1-2665a8aea6a2"), StableId.Of(Guid.Parse("6ba7b810-9dad-11d1-80b4-00c04fd430c8"), "www.example.com"));
    }

    private sealed class Counted : IProgress<int>
    {
        public int Most { get; private set; }

        public void Report(int value)
        {
            lock (this)
            {
                Most = Math.Max(Most, value);
            }
        }
    }

    [Fact]
    public void Rule_12_1_many_people_are_rehearsed_with_progress_and_can_be_stopped()
    {
        var program = Program("P", OnTag("x"), Email("a", AtOnce) + "," + Email("b", Daily));
        var engine = EngineWith(Practice(), program);
        var people = Enumerable
            .Range(0, 500)
            .Select(i => new Actor(Person($"P{i}"), PersonState.Empty, [new TagPutOn(At("2027-03-01T10:00"), "x")]))
            .ToList();
        var progress = new Counted();
        var touches = 0;
        Rehearsal.OfMany(
            engine,
            people,
            At("2027-03-01T00:00"),
            At("2027-03-10T00:00"),
            (_, _, t) => Interlocked.Add(ref touches, t.Count),
            progress,
            CancellationToken.None
        );
        Assert.Equal((1000, 500), (touches, progress.Most));
        using var stop = new CancellationTokenSource();
        var taken = 0;
        Assert.Throws<OperationCanceledException>(() =>
            Rehearsal.OfMany(
                engine,
                people,
                At("2027-03-01T00:00"),
                At("2027-03-10T00:00"),
                (_, _, _) =>
                {
                    if (Interlocked.Increment(ref taken) == 10)
                    {
                        stop.Cancel();
                    }
                },
                null,
                stop.Token
            )
        );
        Assert.InRange(taken, 10, 100);
    }
}
