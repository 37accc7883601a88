using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Properties over generated programs, people and events.</summary>
public sealed class EngineProperties
{
    private static readonly Instant Begin = At("2027-01-04T08:00");
    private static readonly Instant End = At("2027-12-31T00:00");

    private static readonly Gen<string> Steps = Gen.Select(
            Given.Pick("email", "call"),
            Given.Pick("start", "previous", "occasion"),
            Gen.Int[0, 40],
            Gen.Bool,
            Given.Pick("", "P1D", "P5D")
        )
        .Array[1, 7]
        .Select(steps =>
            string.Join(
                ",",
                steps.Select(
                    (s, i) =>
                    {
                        var when = $"\"from\":\"{s.Item2}\",\"offset\":\"P{s.Item3}D\"{(s.Item4 ? ",\"at\":\"16:20\"" : "")}";
                        var late = s.Item5.Length > 0 ? $"\"lateLimit\":\"{s.Item5}\"" : "";
                        return s.Item1 == "email" ? Email($"s{i}", when, late) : Call($"s{i}", when, late);
                    }
                )
            )
        );

    private static readonly Gen<string> Settings = Gen.Select(
            Given.Pick("forward", "back", "nearest", "keep"),
            Given.Pick("person", "practice"),
            Gen.Bool,
            Gen.Int[7, 12]
        )
        .Select(
            (roll, clock, window, from) =>
                $"\"at\":\"09:30\",\"clock\":\"{clock}\",\"again\":\"each-time\",\"stopsWhen\":[{{\"kind\":\"replied\"}}]"
                + (
                    window
                        ? $",\"window\":{{\"days\":[\"mon\",\"wed\",\"fri\"],\"from\":\"{from:00}:00\",\"to\":\"{from + 6:00}:00\",\"roll\":\"{roll}\"}}"
                        : ""
                )
        );

    private static readonly Gen<(int Day, int What)[]> Events = Gen.Select(Gen.Int[0, 350], Gen.Int[0, 4])
        .Array[0, 6]
        .Select(e => e.OrderBy(x => x.Item1).ToArray());

    private static readonly Gen<(ProgramDefinition Program, PersonFacts Person, (int Day, int What)[] Events)> Worlds = Gen.Select(
            Steps,
            Settings,
            Given.Pick(NewYork, Denver, DateTimeZoneProviders.Tzdb["Australia/Sydney"]),
            Events,
            Gen.Bool
        )
        .Select(
            (steps, settings, zone, events, consent) =>
                (Program("P", settings, steps), Person("Ida", zone, "1975-06-14") with { Consent = consent ? [Yes(Channel.Email)] : [] }, events)
        );

    private sealed record Settled(Guid Touch, string Step, Instant At, Outcome Outcome, string? Reason);

    /// <summary>Lives through the events, judging at each due moment and at every extra stop.</summary>
    private static (List<Settled> Touches, PersonState State, List<Effect> Effects) Live(
        TouchEngine engine,
        ProgramDefinition program,
        PersonFacts person,
        (int Day, int What)[] events,
        Duration? stride,
        bool throughJson
    )
    {
        var state = PersonState.Empty;
        var settled = new List<Settled>();
        var all = new List<Effect>();
        void Take(Advance a)
        {
            state = throughJson ? PersonStateJson.Read(PersonStateJson.Write(a.State)) : a.State;
            all.AddRange(a.Effects);
            settled.AddRange(a.Effects.OfType<TouchSettled>().Select(t => new Settled(t.TouchId, t.StepId, t.At, t.Outcome, t.Reason)));
        }

        void RunTo(Instant until)
        {
            var tick = Begin;
            while (true)
            {
                var due = state.NextDue(engine.Shelf);
                var next = due is { } d && d <= until ? d : (Instant?)null;
                if (stride is { } s)
                {
                    while (tick < (next ?? until))
                    {
                        // In between nothing is due; looking changes nothing.
                        var look = engine.Judge(person, state, tick);
                        if (look.Effects.Count > 0)
                        {
                            break;
                        }

                        tick += s;
                    }
                }

                if (next is not { } now)
                {
                    return;
                }

                Take(engine.Judge(person, state, now));
                foreach (var id in state.Runs.Where(r => r.Touch.Phase == TouchPhase.Handing).Select(r => r.TouchId).ToList())
                {
                    Take(engine.Settle(person, state, id, now, null));
                }
            }
        }

        Take(engine.React(person, state, new StartedByHand(Begin, IdOf(program), "Ada")));
        foreach (var (day, what) in events)
        {
            var at = Begin + Duration.FromDays(day) + Duration.FromMinutes(37);
            RunTo(at);
            Take(
                engine.React(
                    person,
                    state,
                    what switch
                    {
                        0 => new Replied(at, Channel.Email),
                        1 => new StartedByHand(at, IdOf(program), "Ada"),
                        2 => new FactsChanged(at),
                        3 when state.OpenTasks.Length > 0 => new TaskEnded(at, state.OpenTasks[0].TouchId, "spoke"),
                        _ => new OccasionCame(at, IdOf(program), "birthday", new LocalDate(2027, 6, 14)),
                    }
                )
            );
        }

        RunTo(End);
        return (settled, state, all);
    }

    [Fact]
    public void Nothing_goes_outside_its_hours_after_a_stop_or_twice_and_every_touch_ends_once() =>
        Worlds.Sample(
            w =>
            {
                var engine = EngineWith(Practice(), w.Program);
                var (settled, state, effects) = Live(engine, w.Program, w.Person, w.Events, null, false);
                var openings = new Core.Time.Openings(
                    w.Program.Window,
                    null,
                    engine.Practice.Calendar,
                    w.Program.OnPracticeClock ? NewYork : engine.Practice.ZoneOf(w.Person),
                    engine.Practice.ZoneOf(w.Person)
                );
                Assert.All(settled.Where(t => t.Outcome == Outcome.Sent), t => Assert.True(openings.IsOpen(t.At)));
                Assert.All(
                    settled.Where(t => t.Outcome == Outcome.Open),
                    t => Assert.True(engine.Practice.QuietHours.Allows(t.At.InZone(engine.Practice.ZoneOf(w.Person)).TimeOfDay))
                );
                Assert.Equal(settled.Count, settled.Select(t => t.Touch).Distinct().Count());
                var ended = effects.OfType<RunEnded>().ToDictionary(e => e.RunId, e => e.At);
                Assert.All(effects.OfType<TouchSettled>(), t => Assert.True(!ended.TryGetValue(t.RunId, out var at) || t.At <= at));
                var planned = effects.OfType<TouchPlanned>().Select(p => p.TouchId).ToHashSet();
                var pending = state.Runs.Select(r => r.TouchId).ToHashSet();
                Assert.Equal(planned.OrderBy(x => x), settled.Select(t => t.Touch).Concat(pending).OrderBy(x => x));
                if (w.Person.Consent.Count == 0)
                {
                    Assert.DoesNotContain(settled, t => t.Outcome == Outcome.Sent);
                }
            },
            iter: 3000
        );

    [Fact]
    public void Steps_settle_in_the_written_order() =>
        Worlds.Sample(
            w =>
            {
                var (_, _, effects) = Live(EngineWith(Practice(), w.Program), w.Program, w.Person, w.Events, null, false);
                foreach (var run in effects.OfType<TouchSettled>().GroupBy(t => t.RunId))
                {
                    var places = run.Select(t => w.Program.Steps.ToList().FindIndex(s => s.Id == t.StepId)).ToList();
                    Assert.Equal(places.Order(), places);
                    Assert.Equal(run.Select(t => t.At).Order(), run.Select(t => t.At));
                }
            },
            iter: 2000
        );

    [Fact]
    public void One_leap_or_many_small_ones_and_saving_at_any_point_give_the_same() =>
        Worlds.Sample(
            w =>
            {
                var engine = EngineWith(Practice(), w.Program);
                var leap = Live(engine, w.Program, w.Person, w.Events, null, false).Touches;
                Assert.Equal(leap, Live(engine, w.Program, w.Person, w.Events, Duration.FromDays(3), false).Touches);
                Assert.Equal(leap, Live(engine, w.Program, w.Person, w.Events, null, true).Touches);
            },
            iter: 1500
        );

    [Fact]
    public void Rule_12_2_what_a_live_run_settled_is_what_a_rehearsal_gives() =>
        Worlds.Sample(
            w =>
            {
                var engine = EngineWith(Practice(), w.Program);
                var live = Live(engine, w.Program, w.Person, [], null, false).Touches;
                var rehearsed = Rehearsal
                    .Of(engine, w.Person, PersonState.Empty, Begin, End, new StartedByHand(Begin, IdOf(w.Program), "Ada"), 1000)
                    .Where(t => t.SettledAt is not null)
                    .Select(t => new Settled(t.TouchId, t.Step.Id, t.SettledAt!.Value, t.Outcome!.Value, t.Reason))
                    .ToList();
                Assert.Equal(live, rehearsed);
            },
            iter: 2000
        );
}
