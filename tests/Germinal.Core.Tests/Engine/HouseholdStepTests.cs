using System.Collections.Concurrent;
using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 3.7: a step that goes once to each household and date.</summary>
public sealed class HouseholdStepTests
{
    private const string Once = "\"onePerHousehold\":true";
    private static readonly Household Rowans = new(Guid.Parse("dddddddd-0000-0000-0000-000000000001"), []);

    private static PersonFacts Of(Household? home, string name) => Person(name) with { Handle = name, Household = home };

    private static string[] Lived(Practice practice, ProgramDefinition program, string until, params (PersonFacts Who, string At)[] starts)
    {
        var engine = EngineWith(practice, program);
        var people = starts.Select(s => new Actor(s.Who, PersonState.Empty, [Start(program, s.At)])).ToList();
        var lines = new ConcurrentBag<(Instant At, string Line)>();
        Rehearsal.OfMany(
            engine,
            people,
            At("2027-03-01T00:00"),
            At(until),
            (_, actor, touches) =>
            {
                foreach (var touch in touches)
                {
                    lines.Add((touch.At, $"{actor.Person.Handle} {Line(engine, actor.Person, touch)}"));
                }
            },
            null,
            CancellationToken.None
        );
        return [.. lines.OrderBy(l => l.At).ThenBy(l => l.Line, StringComparer.Ordinal).Select(l => l.Line)];
    }

    [Fact]
    public void The_first_of_the_household_has_it_and_the_others_are_skipped()
    {
        var program = Program("P", "", Email("a", AtOnce, Once) + "," + Email("b", AtOnce));
        Assert.Equal(
            [
                "Bo a sent 2027-03-01T10:00",
                "Bo b sent 2027-03-01T10:00",
                "Ida a skipped household 2027-03-01T10:00",
                "Ida b sent 2027-03-01T10:00",
                "Una a sent 2027-03-01T10:00",
                "Una b sent 2027-03-01T10:00",
            ],
            Lived(
                Practice(),
                program,
                "2027-03-02T00:00",
                (Of(Rowans, "Ida"), "2027-03-01T10:00"),
                (Of(Rowans, "Bo"), "2027-03-01T10:00"),
                (Of(null, "Una"), "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void Whoever_does_not_pass_consent_leaves_it_to_the_next_and_another_date_begins_anew()
    {
        var program = Program("P", "", Email("a", AtOnce, Once) + "," + Email("b", Daily, Once));
        Assert.Equal(
            [
                "Bo a skipped no-consent 2027-03-01T10:00",
                "Ida a sent 2027-03-01T10:00",
                "Kit a skipped household 2027-03-01T10:00",
                "Bo b skipped no-consent 2027-03-02T09:00",
                "Ida b sent 2027-03-02T09:00",
                "Kit b skipped household 2027-03-02T09:00",
            ],
            Lived(
                Practice(),
                program,
                "2027-03-04T00:00",
                (Of(Rowans, "Bo") with { Consent = [] }, "2027-03-01T10:00"),
                (Of(Rowans, "Kit"), "2027-03-01T10:00"),
                (Of(Rowans, "Ida"), "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void It_is_counted_step_by_step_and_who_comes_on_another_date_has_their_own()
    {
        var program = Program("P", "", Call("a", AtOnce, Once));
        Assert.Equal(
            ["Ida a open 2027-03-01T10:00", "Bo a open 2027-03-02T10:00"],
            Lived(Practice(), program, "2027-03-04T00:00", (Of(Rowans, "Ida"), "2027-03-01T10:00"), (Of(Rowans, "Bo"), "2027-03-02T10:00"))
        );
    }

    [Fact]
    public void Whoever_has_it_keeps_it_while_it_waits_on_that_date_and_asks_anew_on_the_next()
    {
        // At most one a day: Bo has had his, so what he has of the household waits a day. Ida comes after him on the first date.
        var paced = Practice() with { Pace = [new PaceRule(1, 1, FrozenSet.Create(Channel.Email))] };
        var program = Program("P", "", Email("first", AtOnce) + "," + Email("a", AtOnce, Once));
        Assert.Equal(
            [
                "Bo first sent 2027-03-01T09:00",
                "Ida a skipped household 2027-03-01T10:00",
                "Ida first sent 2027-03-01T10:00",
                "Bo a sent 2027-03-02T09:00",
            ],
            Lived(paced, program, "2027-03-04T00:00", (Of(Rowans, "Ida"), "2027-03-01T10:00"), (Of(Rowans, "Bo"), "2027-03-01T09:00"))
        );
    }

    [Fact]
    public void One_whose_window_opens_later_that_date_is_not_in_its_own_way()
    {
        // Check 7 to 11 come after: what waits for the window has its place, and is asked again on the same date.
        var engine = EngineWith(Practice(), Program("P", "\"window\":{\"from\":\"12:00\",\"to\":\"17:00\"}", Email("a", AtOnce, Once)));
        var program = engine.Shelf.On.Single().Current.Definition;
        var counts = new Remembering();
        var ida = Of(Rowans, "Ida");
        var state = engine.React(ida, PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
        state = state with { Runs = [state.Runs[0] with { Touch = state.Runs[0].Touch with { Due = At("2027-03-01T10:00") } }] };
        var waits = engine.Judge(ida, state, At("2027-03-01T10:00"), counts);
        Assert.Equal(Reason.Window.Word(), Assert.IsType<TouchWaits>(Assert.Single(waits.Effects)).Reason);
        var goes = engine.Judge(ida, waits.State, At("2027-03-01T12:00"), counts);
        Assert.IsType<TouchHanded>(Assert.Single(goes.Effects));
        Assert.Equal(2, counts.Asked);
    }

    [Fact]
    public void Alone_looked_at_nobody_is_in_the_way_and_why_says_it_in_words()
    {
        var program = Program("P", "", Email("a", AtOnce, Once));
        var engine = EngineWith(Practice(), program);
        Assert.Equal(["a sent 2027-03-01T10:00"], Rehearsed(engine, Of(Rowans, "Ida"), Start(program, "2027-03-01T10:00"), "2027-03-02T00:00"));
        var touches = Touches(
            engine,
            [.. new[] { "Ida", "Bo" }.Select(n => new Actor(Of(Rowans, n), PersonState.Empty, [Start(program, "2027-03-01T10:00")]))],
            "2027-03-01T00:00",
            "2027-03-02T00:00"
        );
        var said = touches.Select(t => t.Trail.ToChecks().Single(c => c.Kind == CheckKind.OnePerHousehold)).Select(c => Why.Of(c, "Ida", NewYork)).ToList();
        Assert.Equal(["passed", "failed"], said.Select(s => s.Tone));
        Assert.EndsWith("somebody they live with had it that day.", said[1].Text, StringComparison.Ordinal);

        // It stands after consent and before the late limit, whatever its number.
        var kinds = touches[0].Trail.ToChecks().Select(c => c.Kind).ToList();
        Assert.Equal(kinds.IndexOf(CheckKind.Consent) + 1, kinds.IndexOf(CheckKind.OnePerHousehold));
        Assert.Equal(kinds.IndexOf(CheckKind.InTime) - 1, kinds.IndexOf(CheckKind.OnePerHousehold));
    }

    [Fact]
    public void Only_what_reaches_people_may_say_so()
    {
        var reading = Files.ProgramFile.Read($$"""{"format":"germinal.program/1","name":"P","steps":[{"id":"a","kind":"task","title":"t",{{Once}}}]}""");
        Assert.Contains(reading.Errors, e => e.Pointer == "/steps/0/onePerHousehold");
    }

    /// <summary>One place, held by whoever asked first.</summary>
    private sealed class Remembering : ICounters
    {
        private Guid? holder;

        public int Asked { get; private set; }

        public bool Ask(Counter counter, AskOrder order, bool takes)
        {
            Asked++;
            holder ??= order.Touch;
            return holder == order.Touch;
        }
    }
}
