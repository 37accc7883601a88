using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Commercial mail that has stopped: such letters stay planned until it is let go.</summary>
public sealed class StandingMailTests
{
    private const string Now = "\"from\":\"start\",\"offset\":\"P0D\"";

    private static TouchEngine Stopped(TouchEngine engine) =>
        new(engine.Practice, new ProgramShelf(engine.Shelf.Versions, engine.Shelf.On) { CommercialMailStands = true }, engine.Templates);

    private static (TouchEngine Goes, TouchEngine Stands, PersonState State) Started(string more, string steps)
    {
        var program = Program("P", more, steps);
        var goes = EngineWith(Practice(), new FillsEverything(), program);
        var stands = Stopped(goes);
        return (goes, stands, stands.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State);
    }

    [Fact]
    public void A_letter_stands_as_planned_and_is_judged_once_it_is_let_go()
    {
        var (goes, stands, state) = Started("", Email("a", Now, "\"lateLimit\":\"P3D\"") + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P1D\""));
        Assert.Null(state.NextDue(stands.Shelf));
        Assert.Null(state.NextTouch(stands.Shelf));
        Assert.Empty(stands.Judge(Person(), state, At("2027-03-02T10:00")).Effects);
        Assert.Contains(goes.Judge(Person(), state, At("2027-03-02T10:00")).Effects, e => e is TouchHanded { StepId: "a" });

        // Let go too late, it is late like anything else (rule 3.3), and the run goes on.
        var late = goes.Judge(Person(), state, At("2027-03-04T10:01"));
        Assert.Contains(late.Effects, e => e is TouchSettled { StepId: "a", Reason: "late" });
    }

    [Theory]
    [InlineData("\"purpose\":\"transactional\"", "email", "")]
    [InlineData("", "email", "\"purpose\":\"transactional\"")]
    [InlineData("", "email", "\"to\":\"owner\"")]
    [InlineData("", "text", "")]
    public void Everything_else_goes(string program, string kind, string step)
    {
        var ida = Person() with { Consent = [Yes(Channel.Email), Yes(Channel.Text)] };
        var (_, stands, state) = Started(program, kind == "text" ? Text("a", Now, step) : Email("a", Now, step));
        Assert.Contains(stands.Judge(ida, state, At("2027-03-01T10:00")).Effects, e => e is TouchHanded { StepId: "a" });
    }

    [Fact]
    public void What_is_foreseen_says_so()
    {
        var (goes, stands, state) = Started("", Email("a", Now));
        var until = At("2027-04-01T10:00");
        IReadOnlyList<ComingTouch> Coming(TouchEngine engine)
        {
            var actor = new Actor(Person(), state, []);
            return ComingTouch.Of(engine.Practice, actor, Rehearsal.Of(engine, Person(), state, At("2027-03-01T10:00"), until), until);
        }

        Assert.Equal(Standing.Goes, Assert.Single(Coming(goes)).Standing);
        var held = Assert.Single(Coming(stands));
        Assert.Equal((Standing.WillNot, "commercial mail has stopped"), (held.Standing, held.Why));
    }
}
