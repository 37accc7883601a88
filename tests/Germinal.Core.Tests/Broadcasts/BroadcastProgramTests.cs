using CsCheck;
using Germinal.Core.Broadcasts;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Broadcasts;

/// <summary>A broadcast is a program of one sending, run by the same engine (rule 15).</summary>
public sealed class BroadcastProgramTests
{
    private static readonly BroadcastWay Email = new() { Kind = "email", Subject = "Rates in March", Body = "Good day" };
    private static readonly BroadcastWay Text = new() { Kind = "text", Body = "Rates" };
    private static readonly BroadcastWay Card = new() { Kind = "note", Body = "Dear" };

    private static BroadcastPlan Plan(params BroadcastWay[] ways) => new() { To = new BroadcastTo { Kind = "people", People = [Guid.NewGuid()] }, Ways = ways };

    private static IReadOnlyList<string> Goes(BroadcastPlan plan, PersonFacts person, string at = "2027-03-01T10:00", Practice? practice = null)
    {
        var program = BroadcastProgram.Of("Rates", plan);
        var engine = EngineWith(practice ?? Practice(), program);
        return Rehearsed(engine, person, new StartedByHand(At(at), IdOf(program), "Ada", ByBroadcast: true), "2027-03-20T00:00");
    }

    /// <summary>Rule 15.2: the first way that passes checks 4 to 6.</summary>
    [Fact]
    public void It_goes_by_the_first_way_that_reaches_them()
    {
        var plan = Plan(Email, Text, Card);
        var ida = Person() with { Address = "1 Quay Lane\nPort Averil" };
        Assert.Equal(["email sent 2027-03-01T10:00"], Goes(plan, ida));
        Assert.Equal(["text sent 2027-03-01T10:00"], Goes(plan, ida with { Email = null, Consent = [Yes(Channel.Text)] }));
        Assert.Equal(["text sent 2027-03-01T10:00"], Goes(plan, ida with { Consent = [No(Channel.Email), Yes(Channel.Text)] }));
        Assert.Equal(["text sent 2027-03-01T10:00"], Goes(plan, ida with { Suppressed = ["ida@example.com"], Consent = [Yes(Channel.Email), Yes(Channel.Text)] }));
        Assert.Equal(["note open 2027-03-01T10:00"], Goes(plan, ida with { Email = "nothing", Consent = [Yes(Channel.Email)] }));
    }

    /// <summary>Rule 15.2: none → skipped with the first channel's reason.</summary>
    [Fact]
    public void Where_no_way_is_open_it_is_skipped_for_the_first_ones_reason()
    {
        var closed = Person() with { Consent = [No(Channel.Email)], Mobile = null };
        Assert.Equal(["email skipped opted-out 2027-03-01T10:00"], Goes(Plan(Email, Text, Card), closed));
        Assert.Equal(["text skipped no-address 2027-03-01T10:00"], Goes(Plan(Text, Email), closed));
        Assert.Equal(["email skipped no-consent 2027-03-01T10:00"], Goes(Plan(Email), Person() with { Consent = [] }));
    }

    /// <summary>What was planned by a way that has closed before its moment goes by a later one that is open.</summary>
    [Fact]
    public void A_way_that_closes_before_its_moment_is_left_for_another()
    {
        var plan = Plan(Email, Text) with { When = new BroadcastWhen { Kind = BroadcastWhen.Own, Date = "2027-03-04", Time = "09:30" } };
        var program = BroadcastProgram.Of("Rates", plan);
        var engine = EngineWith(Practice(), program);
        var ida = Person() with { Consent = [Yes(Channel.Email), Yes(Channel.Text)] };
        var begun = engine.React(ida, PersonState.Empty, new StartedByHand(At("2027-03-01T10:00"), IdOf(program), "Ada", ByBroadcast: true));
        Assert.Equal("email", Assert.Single(begun.State.Runs).Touch.StepId);
        var said = ida with { Consent = [Yes(Channel.Email), Yes(Channel.Text), No(Channel.Email, "2027-03-02T10:00")] };
        var after = Rehearsal.Of(engine, said, begun.State, At("2027-03-02T10:00"), At("2027-03-10T00:00"));
        Assert.Equal(["email Skipped opted-out", "text Sent "], after.Select(t => $"{t.Step.Id} {t.Outcome} {t.Reason}"));
    }

    /// <summary>Rule 15.1: at one local time of each person's own day; late limit three days.</summary>
    [Fact]
    public void Each_ones_own_day_is_each_ones_own()
    {
        var plan = Plan(Email) with { When = new BroadcastWhen { Kind = BroadcastWhen.Own, Date = "2027-03-04", Time = "09:30" } };
        Assert.Equal(["email sent 2027-03-04T09:30"], Goes(plan, Person()));
        var denver = Person(zone: Denver);
        var program = BroadcastProgram.Of("Rates", plan);
        var touch = Assert.Single(Rehearsal.Of(EngineWith(Practice(), program), denver, PersonState.Empty, At("2027-03-01T10:00"), At("2027-03-10T00:00"), Start(program, "2027-03-01T10:00")));
        Assert.Equal(At("2027-03-04T11:30"), touch.SettledAt);
        Assert.Equal("P3D", program.Steps[0].LateLimit!.Text);
    }

    /// <summary>Rule 15.4: pace may be lifted with a reason, which the why keeps; consent and quiet hours may not.</summary>
    [Fact]
    public void Pace_may_be_lifted_and_nothing_else()
    {
        var practice = Practice() with { Pace = [new PaceRule(1, 7, [Channel.Email, Channel.Text])] };
        var first = Program("First", """ "startsWhen":[{"kind":"by-hand"}] """, Given.Email("one", "\"from\":\"start\",\"offset\":\"P0D\""));
        var plan = Plan(Email, Text) with { PaceLifted = "the rates change tomorrow" };
        var program = BroadcastProgram.Of("Rates", plan);
        IReadOnlyList<string> Lives(ProgramDefinition second, PersonFacts person, string at) =>
            Lived(EngineWith(practice, first, second), person, "2027-03-01T08:00", "2027-03-20T00:00", Start(first, "2027-03-01T10:00"), Start(second, at));
        Assert.Equal(["one sent 2027-03-01T10:00", "email sent 2027-03-02T10:00"], Lives(program, Person(), "2027-03-02T10:00"));
        Assert.Equal(["one sent 2027-03-01T10:00", "email skipped late 2027-03-05T10:00"], Lives(BroadcastProgram.Of("Rates", plan with { PaceLifted = null }), Person(), "2027-03-02T10:00"));

        // A text at night waits for the morning, lifted or not.
        var onlyText = Person() with { Email = null, Consent = [Yes(Channel.Text)] };
        Assert.Contains("text sent 2027-03-03T08:00", Lives(program, onlyText, "2027-03-02T23:00"));
        Assert.Contains("email skipped opted-out 2027-03-02T10:00", Lives(program, Person() with { Consent = [No(Channel.Email)] }, "2027-03-02T10:00"));

        var touch = Rehearsal.Of(EngineWith(practice, program), Person(), PersonState.Empty, At("2027-03-01T10:00"), At("2027-03-02T00:00"), Start(program, "2027-03-01T10:00"))[0];
        var why = Why.Of(touch.Trail.ToChecks().Single(c => c.Kind == CheckKind.Pace), "Ida", NewYork);
        Assert.Contains("the rates change tomorrow", why.Text, StringComparison.Ordinal);
    }

    private static BroadcastPlan Tested(int others, int share) =>
        Plan(Email, Text) with { Test = new BroadcastTest { Others = [.. Enumerable.Range(0, others).Select(n => new BroadcastVersion($"Other {n}"))], Share = share, Span = "PT4H" } };

    /// <summary>Rule 15.3: the shares hold, the same person always falls on the same side, and adding people moves nobody.</summary>
    [Fact]
    public void Versions_have_their_shares()
    {
        var program = BroadcastProgram.Of("Rates", Tested(2, 30));
        var split = Assert.IsType<SplitStep>(program.Steps[0]);
        var id = IdOf(program);
        var fell = Enumerable.Range(0, 30_000).Select(n => Shares.PassageOf(id, split, StableId.Of(Guid.Empty, $"somebody {n}"))).ToList();
        foreach (var (passage, share) in new[] { (0, 0.10), (1, 0.10), (2, 0.10), (3, 0.70) })
        {
            // Four standard deviations of a share of 30,000.
            Assert.InRange(fell.Count(f => f == passage) / 30_000.0, share - (4 * Math.Sqrt(share * (1 - share) / 30_000)), share + (4 * Math.Sqrt(share * (1 - share) / 30_000)));
        }

        Assert.Equal(fell, Enumerable.Range(0, 30_000).Select(n => Shares.PassageOf(id, split, StableId.Of(Guid.Empty, $"somebody {n}"))));
    }

    [Fact]
    public void The_rest_get_theirs_after_the_span_and_what_was_decided()
    {
        var plan = Tested(1, 30);
        var program = BroadcastProgram.Of("Rates", plan);
        var split = (SplitStep)program.Steps[0];
        PersonFacts Of(int passage) => Enumerable.Range(0, 500).Select(n => Person($"P{n}")).First(p => Shares.PassageOf(IdOf(program), split, p.Id) == passage);
        Assert.Equal(["versions split 1 2027-03-01T10:00", "email-a sent 2027-03-01T10:00"], Goes(plan, Of(0)));
        Assert.Equal(["versions split 2 2027-03-01T10:00", "email-b sent 2027-03-01T10:00"], Goes(plan, Of(1)));
        Assert.Equal(["versions split 3 2027-03-01T10:00", "email-rest sent 2027-03-01T14:00"], Goes(plan, Of(2)));
        string Rest(ProgramDefinition of) => ((EmailStep)of.StepOf("email-rest")!).Subject;
        Assert.Equal("Rates in March", Rest(program));
        Assert.Equal("Other 0", Rest(BroadcastProgram.Decided(program, plan, 1)));
        Assert.Equal("Rates in March", ((EmailStep)BroadcastProgram.Decided(program, plan, 1).StepOf("email-a")!).Subject);
    }

    /// <summary>All get a version where the share is everybody, so that none is left to decide for.</summary>
    [Fact]
    public void With_everybody_in_the_test_nobody_is_left()
    {
        var program = BroadcastProgram.Of("Rates", Tested(1, 100));
        Assert.Equal(2, ((SplitStep)program.Steps[0]).Passages.Count);
    }

    /// <summary>What the engine is given travels as a program file like any other.</summary>
    [Fact]
    public void Its_program_is_a_program_file() =>
        Gen.Select(Gen.Int[0, 3], Gen.Int[2, 100], Gen.Bool, Gen.Bool)
            .Sample((others, share, lifted, own) =>
            {
                var plan = (others == 0 ? Plan(Email, Text, Card) : Tested(others, share)) with
                {
                    PaceLifted = lifted ? "because" : null,
                    Parameters = new Dictionary<string, string> { ["from"] = "germinal" },
                    When = own && others == 0 ? new BroadcastWhen { Kind = BroadcastWhen.Own, Date = "2027-03-04", Time = "09:30" } : new BroadcastWhen(),
                };
                var written = ProgramFile.Write(BroadcastProgram.Of("Rates", plan)).ToJsonString();
                var read = ProgramFile.Read(written);
                Assert.Empty(read.Errors);
                Assert.Empty(BroadcastCheck.Findings(plan, new LocalDate(2027, 3, 1)));
                return ProgramFile.Write(read.Program!).ToJsonString() == written;
            });

    [Fact]
    public void A_stage_under_another_name_is_so_in_its_goal_and_its_links()
    {
        var link = Email with { Body = """<p><a href="https://example.com" data-opportunity="Planning/Client">a</a> Planning/Client</p>""" };
        var plan = (Plan(link) with { Goal = new BroadcastGoal("stage", "planning/client") }).Renamed(new Renaming(new Dictionary<string, string> { ["Planning/Client"] = "Planning/Friend" }, new Dictionary<string, string>()));
        Assert.Equal("Planning/Friend", plan.Goal!.What);
        Assert.Equal("""<p><a href="https://example.com" data-opportunity="Planning/Friend">a</a> Planning/Client</p>""", plan.Ways[0].Body);
        Assert.Equal("Planning/Client", (Plan(Email) with { Goal = new BroadcastGoal("tag", "Planning/Client") }).Renamed(new Renaming(new Dictionary<string, string> { ["Planning/Client"] = "x" }, new Dictionary<string, string>())).Goal!.What);
    }

    [Fact]
    public void What_is_wrong_is_said_where_it_stands()
    {
        var today = new LocalDate(2027, 3, 1);
        IReadOnlyList<string> Wrong(BroadcastPlan plan) => [.. BroadcastCheck.Findings(plan, today).Select(f => f.Pointer)];
        Assert.Equal(["/to/name", "/ways"], Wrong(new BroadcastPlan()));
        Assert.Equal(["/ways/0/subject", "/ways/0/body"], Wrong(Plan(Email with { Subject = " ", Body = "" })));
        Assert.Equal(["/ways/1/kind"], Wrong(Plan(Email, Email)));
        Assert.Equal(["/when/date", "/when/time"], Wrong(Plan(Email) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-02-28", Time = "9.30" } }));
        Assert.Equal(["/when/date"], Wrong(Plan(Email) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "9999-12-31", Time = "09:30" } }));
        Assert.Equal(["/test"], Wrong(Plan(Text) with { Test = new BroadcastTest { Others = [new BroadcastVersion("x")] } }));
        Assert.Equal(["/when/kind"], Wrong(Tested(1, 30) with { When = new BroadcastWhen { Kind = BroadcastWhen.Own, Date = "2027-03-04", Time = "09:30" } }));
        Assert.Equal(["/test/span"], Wrong(Tested(1, 30) with { Test = new BroadcastTest { Others = [new BroadcastVersion("x")], Span = "P1D" } }));
        Assert.Equal(["/goal/what"], Wrong(Plan(Email) with { Goal = new BroadcastGoal("stage") }));
        Assert.Equal(["/paceLifted", "/letGo/0/reason"], Wrong(Plan(Email) with { PaceLifted = " ", LetGo = [new LetGo(Guid.NewGuid(), "")] }));
    }
}
