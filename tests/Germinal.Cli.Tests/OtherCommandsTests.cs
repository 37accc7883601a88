using MimeKit;

namespace Germinal.Cli.Tests;

/// <summary>germinal check, text-length and render.</summary>
public sealed class OtherCommandsTests
{
    [Fact]
    public void Check_says_nothing_of_a_sound_program() => Assert.Equal((0, "", ""), Cli.Run("check", "start.program.json"));

    [Fact]
    public void Check_lists_every_finding_with_its_pointer_and_what_would_be_right()
    {
        var path = Cli.Written(
            "p.program.json",
            """
            {"format":"germinal.program/1","name":"P","at":"9:30","colour":"red","window":{"days":[]},"startsWhen":[{"kind":"stage-age","stage":"A/B","after":"P1DT"}],
             "steps":[{"id":"a","kind":"email","when":{"from":"start","offset":"PT2H","at":"09:00"},"subject":"s","body":"{{ person.frist_name }}"},
                      {"id":"f","kind":"fork","if":{"kind":"opened","step":"b"}},
                      {"id":"b","kind":"email","subject":"s","body":"b"},{"id":"b","kind":"hand-over","program":"Nowhere"}]}
            """
        );
        var (code, output, _) = Cli.Run("check", path);
        Assert.Equal(2, code);
        Assert.Equal(
            ["/at", "/window/days", "/startsWhen/0/after", "/steps/0/when/at", "/colour", "/steps/3/id"],
            output.TrimEnd().Split('\n').Select(l => l[(path.Length + 2)..].Split(':')[0])
        );
        Assert.All(output.TrimEnd().Split('\n'), l => Assert.EndsWith(".", l, StringComparison.Ordinal));
    }

    [Fact]
    public void Check_finds_unknown_fields_hand_overs_to_nowhere_loops_and_what_is_never_reached()
    {
        var a = Cli.Written(
            "a.program.json",
            """
            {"format":"germinal.program/1","name":"A","again":"each-time","startsWhen":[{"kind":"by-hand"}],"steps":[
              {"id":"x","kind":"email","subject":"Hello {{ person.frist_name }}","body":"{% if person.age %}"},{"id":"n","kind":"hand-over","program":"Nowhere"},
              {"id":"h","kind":"hand-over","program":"B"},{"id":"e","kind":"end"},{"id":"late","kind":"task","title":"t","when":{"from":"previous","offset":"-P1D"}}]}
            """
        );
        var b = Cli.Written(
            "b.program.json",
            """
            {"format":"germinal.program/1","name":"B","again":"each-time","startsWhen":[{"kind":"by-hand"}],"steps":[{"id":"h","kind":"hand-over","program":"A","when":{"from":"previous","offset":"PT3H"}}]}
            """
        );
        var (code, output, _) = Cli.Run("check", a, b);
        Assert.Equal(2, code);
        foreach (
            var wanted in new[]
            {
                "/steps/0/subject: There is no field “person.frist_name”. Did you mean “person.first_name”?",
                "/steps/0/body: Line 1, column",
                "/steps/1/program: There is no program “Nowhere”",
                "/steps/4: warning: “late” is never reached",
                "/steps/4/when/offset: warning: ",
                "/steps/2: “A”, “B” hand over to each other",
                "/steps/0: “B”, “A” hand over to each other",
            }
        )
        {
            Assert.Contains(wanted, output, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("""{"kind":"opened","step":"later"}""", "The fork asks about “later”, which comes later")]
    [InlineData("""{"kind":"bounced","step":"gone"}""", "There is no step “gone” to ask about.")]
    [InlineData("""{"kind":"opened","step":"c"}""", "“c” is a step of the kind call; this question is about an email.")]
    public void Check_tells_a_question_that_cannot_be_asked(string question, string expected)
    {
        var path = Cli.Written(
            "p.program.json",
            $$"""
            {"format":"germinal.program/1","name":"P","startsWhen":[{"kind":"by-hand"}],"steps":[{"id":"c","kind":"call","script":"s"},{"id":"f","kind":"fork","if":{{question}}},{"id":"later","kind":"email","subject":"s","body":"b"}]}
            """
        );
        var (code, output, _) = Cli.Run("check", path);
        Assert.Equal(2, code);
        Assert.Contains($"/steps/1/if/step: {expected}", output, StringComparison.Ordinal);
    }

    [Fact]
    public void Check_lets_warnings_pass_with_code_0()
    {
        var path = Cli.Written(
            "p.program.json",
            """
            {"format":"germinal.program/1","name":"P","startsWhen":[{"kind":"by-hand"}],"steps":[{"id":"a","kind":"task","title":"t","when":{"from":"start","offset":"P5D"}},{"id":"b","kind":"task","title":"t","when":{"from":"start","offset":"P2D"}}]}
            """
        );
        var (code, output, _) = Cli.Run("check", path);
        Assert.Equal(0, code);
        Assert.Contains("/steps/1/when/offset: warning:", output, StringComparison.Ordinal);
    }

    [Fact]
    public void Text_length_is_one_line() =>
        Assert.Equal((0, "UCS-2, 71 characters, 2 parts\n", ""), Cli.Run("text-length", Cli.Written("t.txt", new string('ж', 71))));

    [Fact]
    public void Render_gives_the_message_as_mail_that_a_parser_reads_back()
    {
        var (code, output, _) = Cli.Run(
            "render",
            "--program",
            "start.program.json",
            "--step",
            "hello",
            "--practice",
            "practice.json",
            "--people",
            "people.csv",
            "--person",
            "p1"
        );
        Assert.Equal(0, code);
        using var stream = new MemoryStream(System.Text.Encoding.UTF8.GetBytes(output));
        using var mail = MimeMessage.Load(stream);
        Assert.Equal(("For Ida", "Ada Quill", "ida@example.com"), (mail.Subject, mail.From[0].Name, ((MailboxAddress)mail.To[0]).Address));
        Assert.Contains("Dear Ida,", mail.TextBody, StringComparison.Ordinal);
        Assert.Contains("12 Quay Lane", mail.HtmlBody, StringComparison.Ordinal);
        Assert.Equal("List-Unsubscribe=One-Click", mail.Headers["List-Unsubscribe-Post"]);
    }

    [Fact]
    public void Render_gives_plain_text_and_refuses_what_cannot_be_filled()
    {
        string[] common = ["render", "--program", "start.program.json", "--practice", "practice.json", "--people", "people.csv"];
        Assert.Equal("Good to speak, Ida\n", Cli.Run([.. common, "--step", "word", "--person", "p1", "--format", "txt"]).Output);
        Assert.StartsWith("<!doctype html>", Cli.Run([.. common, "--step", "hello", "--person", "p1", "--format", "html"]).Output, StringComparison.OrdinalIgnoreCase);
        var (code, _, error) = Cli.Run([.. common, "--step", "word", "--person", "p2", "--format", "txt"]);
        Assert.Equal(2, code);
        Assert.Contains("“person.first_name” has no value for p2", error, StringComparison.Ordinal);
        Assert.Contains("hello, call, word, again", Cli.Run([.. common, "--step", "nope", "--person", "p1"]).Error, StringComparison.Ordinal);
    }
}
