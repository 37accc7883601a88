using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Practices;

/// <summary>The practice itself as who signs, and whom answers go to.</summary>
public sealed class ItselfTests
{
    private const string Now = "\"from\":\"start\",\"offset\":\"P0D\"";

    private static Practice With(string email) => Practice() with { Itself = Germinal.Core.Practices.Practice.AsSender(Guid.NewGuid(), "Alder Quay", email) };

    [Fact]
    public void It_signs_where_it_has_an_address_and_where_not_the_letter_waits_to_be_mended()
    {
        var program = Program("P", "", Email("a", Now, "\"sender\":\"practice\""));
        var step = program.AllSteps.First();
        Assert.Equal(("Alder Quay", "office@example.com"), With("office@example.com").SenderFor(Person(), step) is { } it ? (it.Name, it.Email) : default);
        Assert.Null(With("").SenderFor(Person(), step));
        foreach (var (email, handed) in new[] { ("office@example.com", true), ("", false) })
        {
            var engine = EngineWith(With(email), program);
            var state = engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State;
            var effects = engine.Judge(Person(), state, At("2027-03-01T10:00")).Effects;
            Assert.Equal(handed, effects.Any(e => e is TouchHanded));
            Assert.Equal(!handed, effects.Any(e => e is TouchBlocked { Reason: "no-sender" }));
        }
    }

    [Theory]
    [InlineData("\"sender\":\"practice\"", "/steps/0/sender", "The practice has no address of its own.")]
    [InlineData("\"replyTo\":\"practice\"", "/steps/0/replyTo", "The practice has no address of its own.")]
    [InlineData("\"replyTo\":\"somebody\"", "/steps/0/replyTo", "“somebody” is no member of the practice;")]
    public void Whom_a_step_names_has_to_be_there(string more, string pointer, string message)
    {
        var program = Program("P", "", Email("a", Now, more));
        var finding = Assert.Single(ProgramCheck.SenderFindings(program, With("")));
        Assert.Equal(pointer, finding.Pointer);
        Assert.StartsWith(message, finding.Message, StringComparison.Ordinal);
        Assert.Equal(more.Contains("practice", StringComparison.Ordinal) ? 0 : 1, ProgramCheck.SenderFindings(program, With("office@example.com")).Count());
    }

    [Fact]
    public void Files_keep_both()
    {
        var program = Program("P", "", Email("a", Now, "\"sender\":\"practice\",\"replyTo\":\"practice\""));
        var read = ProgramFile.Read(ProgramFile.Write(program).ToJsonString()).Program!;
        Assert.Equal(("practice", "practice"), (read.AllSteps.First().Sender, ((EmailStep)read.AllSteps.First()).ReplyTo));
        var practice = PracticeFile.Read(PracticeFile.Write(With("office@example.com")).ToJsonString()).Practice!;
        Assert.Equal("office@example.com", practice.Itself!.Email);
        Assert.Null(PracticeFile.Read(PracticeFile.Write(With("")).ToJsonString()).Practice!.Itself);
        var wrong = PracticeFile.Write(With("office@example.com"));
        wrong["email"] = "at home";
        Assert.Contains(PracticeFile.Read(wrong.ToJsonString()).Errors, e => e.Pointer == "/email");
    }
}
