using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 7: forks, splits, hold-outs.</summary>
public sealed class ForkingTests
{
    private static readonly PersonFacts Ida = Person();

    private static ProgramDefinition Forked(string question, string more = "", string first = "") =>
        Program(
            "P",
            "\"at\":\"09:00\"",
            (first.Length > 0 ? first : Email("hello", AtOnce))
                + ","
                + Step(
                    "f",
                    "fork",
                    "\"from\":\"previous\",\"offset\":\"P2D\"",
                    $"\"if\":{question}{more},\"then\":[{Email("yes", AtOnce)}],\"else\":[{Email("no", AtOnce)}]"
                )
                + ","
                + Email("after", Daily)
        );

    private static IReadOnlyList<string> Lived(ProgramDefinition program, params Happening[] events) =>
        Given.Lived(EngineWith(Practice(), program), Ida, "2027-03-01T00:00", "2027-04-01T00:00", [Start(program, "2027-03-01T10:00"), .. events]);

    private static readonly string[] No =
    [
        "hello sent 2027-03-01T10:00",
        "f forked no 2027-03-03T09:00",
        "no sent 2027-03-03T09:00",
        "after sent 2027-03-04T09:00",
    ];

    [Fact]
    public void Rule_7_1_without_within_a_fork_is_judged_at_its_due_moment()
    {
        var program = Forked("""{"kind":"opened","step":"hello"}""");
        Assert.Equal(No, Lived(program));
        Assert.Equal(No, Lived(program, new Opened(At("2027-03-03T09:01"), IdOf(program), "hello")));
        Assert.Equal("f forked yes 2027-03-03T09:00", Lived(program, new Opened(At("2027-03-02T09:00"), IdOf(program), "hello"))[1]);
        // At equal moments events come before touches.
        Assert.Equal("f forked yes 2027-03-03T09:00", Lived(program, new Opened(At("2027-03-03T09:00"), IdOf(program), "hello"))[1]);
    }

    [Fact]
    public void Rule_7_1_within_waits_for_a_yes_and_takes_the_other_way_when_the_span_ends()
    {
        var program = Forked("""{"kind":"opened","step":"hello"}""", ",\"within\":\"P4D\"");
        Assert.Equal(
            ["hello sent 2027-03-01T10:00", "f forked no 2027-03-07T09:00", "no sent 2027-03-07T09:00", "after sent 2027-03-08T09:00"],
            Lived(program)
        );
        Assert.Equal(
            ["hello sent 2027-03-01T10:00", "f forked yes 2027-03-05T17:20", "yes sent 2027-03-05T17:20", "after sent 2027-03-06T09:00"],
            Lived(program, new Opened(At("2027-03-05T17:20"), IdOf(program), "hello"))
        );
        Assert.Equal("f forked yes 2027-03-03T09:00", Lived(program, new Opened(At("2027-03-02T17:20"), IdOf(program), "hello"))[1]);
        Assert.Equal("f forked no 2027-03-07T09:00", Lived(program, new Opened(At("2027-03-07T09:01"), IdOf(program), "hello"))[1]);
    }

    [Fact]
    public void Rule_7_1_a_step_that_was_not_sent_answers_no_at_once()
    {
        var program = Forked(
            """{"kind":"opened","step":"hello"}""",
            ",\"within\":\"P4D\"",
            Email(
                "hello",
                AtOnce,
                """
                "onlyIf":{"field":"tags","op":"has","value":"vip"}
                """
            )
        );
        Assert.Equal("f forked no 2027-03-03T09:00", Lived(program)[1]);
    }

    [Theory]
    [InlineData("""{"kind":"link-followed","step":"hello"}""", "link", "yes")]
    [InlineData("""{"kind":"link-followed","step":"hello","link":"plans"}""", "link", "yes")]
    [InlineData("""{"kind":"link-followed","step":"hello","link":"prices"}""", "link", "no")]
    [InlineData("""{"kind":"replied","step":"hello"}""", "reply", "yes")]
    [InlineData("""{"kind":"replied"}""", "reply", "yes")]
    [InlineData("""{"kind":"bounced","step":"hello"}""", "bounce", "yes")]
    [InlineData("""{"kind":"form-sent","form":"Plan"}""", "form", "yes")]
    [InlineData("""{"kind":"form-sent","form":"Other"}""", "form", "no")]
    [InlineData("""{"field":"tags","op":"has","value":"warm"}""", "tag", "yes")]
    [InlineData("""{"kind":"opened","step":"hello"}""", "link", "no")]
    public void Rule_7_1_every_question_hears_its_own_answer(string question, string what, string answer)
    {
        var program = Forked(question);
        var at = At("2027-03-02T12:00");
        Happening happening = what switch
        {
            "link" => new FollowedLink(at, IdOf(program), "hello", "plans"),
            "reply" => new Replied(at, Channel.Email),
            "bounce" => new Bounced(at, IdOf(program), "hello", Hard: false),
            "form" => new Inquired(at, "plan"),
            _ => new TagPutOn(at, "warm"),
        };
        Assert.Equal($"f forked {answer} 2027-03-03T09:00", Lived(program, happening)[1]);
        Assert.Equal("f forked no 2027-03-03T09:00", Lived(program)[1]);
    }

    [Fact]
    public void Rule_7_1_a_call_is_asked_about_its_outcome()
    {
        var program = Forked("""{"kind":"call-ended","step":"hello","outcome":"spoke"}""", "", Call("hello", AtOnce));
        Assert.Equal("f forked yes 2027-03-03T09:00", Lived(program, new StepTaskEnded(At("2027-03-02T12:00"), IdOf(program), "hello", "spoke"))[1]);
        Assert.Equal("f forked no 2027-03-03T09:00", Lived(program, new StepTaskEnded(At("2027-03-02T12:00"), IdOf(program), "hello", "voicemail"))[1]);
    }

    [Fact]
    public void Rule_7_1_a_passage_may_end_the_run()
    {
        var program = Program(
            "P",
            "",
            Step(
                "f",
                "fork",
                AtOnce,
                """
                "if":{"field":"tags","op":"has","value":"x"},"then":[],"else":[{"id":"stop","kind":"end"}]
                """
            )
                + ","
                + Email("after", AtOnce)
        );
        Assert.Equal(["f forked no 2027-03-01T10:00", "stop done 2027-03-01T10:00"], Lived(program));
        Assert.Equal(
            ["f forked yes 2027-03-01T10:00", "after sent 2027-03-01T10:00"],
            Given.Lived(
                EngineWith(Practice(), program),
                Ida with
                {
                    Tags = System.Collections.Frozen.FrozenSet.ToFrozenSet(["X"], StringComparer.OrdinalIgnoreCase),
                },
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                Start(program, "2027-03-01T10:00")
            )
        );
    }

    private static readonly ProgramDefinition Halves = Program(
        "P",
        "",
        """
        {"id":"s","kind":"split","passages":[{"share":70,"steps":[{"id":"a","kind":"tell-me","body":"a"}]},{"share":30,"steps":[{"id":"b","kind":"tell-me","body":"b"},{"id":"b2","kind":"tell-me","body":"b"}]}]},{"id":"after","kind":"tell-me","body":"c"}
        """
    );

    [Fact]
    public void Rule_7_2_a_split_keeps_its_shares_and_everybody_their_side()
    {
        var split = (SplitStep)Halves.Steps[0];
        var sides = Enumerable.Range(0, 20_000).Select(i => Shares.PassageOf(IdOf(Halves), split, StableId.Of(Guid.Empty, $"person {i}"))).ToList();
        // 70 % of 20,000 give 14,000 with a standard deviation of 65; five of them leave one run in a million to chance.
        Assert.InRange(sides.Count(s => s == 0), 14_000 - 325, 14_000 + 325);
        // The same person on the same side, however many others there are; another split falls another way.
        Assert.Equal(sides.Take(100), Enumerable.Range(0, 100).Select(i => Shares.PassageOf(IdOf(Halves), split, StableId.Of(Guid.Empty, $"person {i}"))));
        Assert.NotEqual(
            sides,
            Enumerable.Range(0, 20_000).Select(i => Shares.PassageOf(IdOf(Halves), split with { Id = "other" }, StableId.Of(Guid.Empty, $"person {i}")))
        );
    }

    [Fact]
    public void Rule_7_2_a_split_says_its_passage_and_joins_again()
    {
        var engine = EngineWith(Practice(), Halves);
        var ways = Enumerable
            .Range(0, 40)
            .Select(i =>
                string.Join(
                    " ",
                    Given
                        .Lived(engine, Person($"P{i}"), "2027-03-01T00:00", "2027-03-02T00:00", Start(Halves, "2027-03-01T10:00"))
                        .Select(l => string.Join('/', l.Split(' ')[..^1]))
                )
            )
            .Distinct()
            .Order()
            .ToList();
        Assert.Equal(["s/split/1 a/sent after/sent", "s/split/2 b/sent b2/sent after/sent"], ways);
    }

    [Fact]
    public void Rule_7_3_those_held_out_get_nothing_and_are_recorded()
    {
        var program = Program("P", "\"holdOut\":20", Email("a", AtOnce));
        var engine = EngineWith(Practice(), program);
        var refused = 0;
        for (var i = 0; i < 2000; i++)
        {
            var effects = engine.React(Person($"P{i}"), PersonState.Empty, Start(program, "2027-03-01T10:00")).Effects;
            refused += effects.OfType<StartRefused>().Count(r => r.Reason == "held-out");
            Assert.Single(effects, e => e is StartRefused or RunStarted);
        }

        // 20 % of 2,000 with a standard deviation of 18.
        Assert.InRange(refused, 400 - 90, 400 + 90);
    }
}
