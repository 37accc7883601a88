using System.Text.Json.Nodes;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Programs;

public sealed class ProgramFileTests
{
    private static readonly string Demo = Path.Combine(Root(), "demo", "programs");

    private static string Root()
    {
        var folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "Germinal.slnx")))
        {
            folder = Path.GetDirectoryName(folder) ?? throw new InvalidOperationException("The solution's folder was not found.");
        }

        return folder;
    }

    [Theory]
    [InlineData("first-eight-weeks"), InlineData("year-round"), InlineData("birthday")]
    public void The_demo_programs_read_and_write_back_unchanged(string name)
    {
        var first = ProgramFile.Read(File.ReadAllText(Path.Combine(Demo, $"{name}.program.json")));
        Assert.Empty(first.Errors);
        var written = ProgramFile.Write(first.Program!).ToJsonString();
        var second = ProgramFile.Read(written);
        Assert.Equal(written, ProgramFile.Write(second.Program!).ToJsonString());
        Assert.DoesNotContain(ProgramCheck.Findings(second.Program!, new HashSet<string> { "Year-round" }, _ => []), f => !f.IsWarning);
    }

    /// <summary>Common practice, no source: an eight-week start has eight touches, six or seven of them emails; a year-round one has 29 emails.</summary>
    [Fact]
    public void The_demo_programs_have_the_common_shape()
    {
        var eight = ProgramFile.Read(File.ReadAllText(Path.Combine(Demo, "first-eight-weeks.program.json"))).Program!;
        Assert.InRange(eight.Steps.Count(s => s is EmailStep), 6, 7);
        var year = ProgramFile.Read(File.ReadAllText(Path.Combine(Demo, "year-round.program.json"))).Program!;
        Assert.Equal(29, year.Steps.Count(s => s is EmailStep));
        Assert.Equal(4, year.Steps.Count(s => s is CallStep));
    }

    private static JsonObject Valid() =>
        (JsonObject)
            JsonNode.Parse(
                $$"""
                {"format":"germinal.program/1","name":"Eight","at":"09:30","window":{"days":["mon"],"from":"09:00","to":"17:30"},
                 "startsWhen":[{"kind":"tag-added","tag":"warm"}],"stopsWhen":[{"kind":"replied"}],"steps":[{{Email(
                    "a",
                    "\"from\":\"start\",\"offset\":\"P0D\""
                )}}]}
                """
            )!;

    [Theory]
    [InlineData("/format", "\"germinal.program/9\"", "/format")]
    [InlineData("/name", "7", "/name")]
    [InlineData("/name", "\" \"", "/name")]
    [InlineData("/colour", "\"red\"", "/colour")]
    [InlineData("/at", "\"09:30+01:00\"", "/at")]
    [InlineData("/at", "\"25:00\"", "/at")]
    [InlineData("/priority", "0", "/priority")]
    [InlineData("/clock", "\"moon\"", "/clock")]
    [InlineData("/window/days", "[]", "/window/days")]
    [InlineData("/window/days", "[\"monday\"]", "/window/days")]
    [InlineData("/window/to", "\"08:00\"", "/window/to")]
    [InlineData("/window/roll", "\"sideways\"", "/window/roll")]
    [InlineData("/startsWhen/0/kind", "\"moonrise\"", "/startsWhen/0/kind")]
    [InlineData("/startsWhen/0/tag", "\"\"", "/startsWhen/0/tag")]
    [InlineData("/stopsWhen", "{}", "/stopsWhen")]
    [InlineData("/again", "{\"kind\":\"never\",\"gap\":\"P1D\"}", "/again/gap")]
    [InlineData("/steps/0/kind", "\"telegram\"", "/steps/0/kind")]
    [InlineData("/steps/0/when/offset", "\"P1DT\"", "/steps/0/when/offset")]
    [InlineData("/steps/0/when/from", "\"whenever\"", "/steps/0/when/from")]
    [InlineData("/steps/0/when", "{\"from\":\"on\",\"date\":\"2027-02-30\"}", "/steps/0/when/date")]
    [InlineData("/steps/0/when", "{\"from\":\"start\",\"offset\":\"PT2H\",\"at\":\"09:00\"}", "/steps/0/when/at")]
    [InlineData("/steps/0/lateLimit", "\"soon\"", "/steps/0/lateLimit")]
    [InlineData("/steps/0/sender", "5", "/steps/0/sender")]
    public void A_mutation_that_breaks_the_file_is_refused_with_its_pointer(string place, string value, string pointer)
    {
        var json = Valid();
        var path = place[1..].Split('/');
        JsonNode at = json;
        foreach (var key in path[..^1])
        {
            at = int.TryParse(key, out var i) ? at[i]! : at[key]!;
        }

        at[path[^1]] = JsonNode.Parse(value);
        var reading = ProgramFile.Read(json.ToJsonString());
        Assert.Null(reading.Program);
        Assert.Contains(reading.Errors, e => e.Pointer == pointer);
    }

    [Fact]
    public void Every_error_is_listed_not_just_the_first()
    {
        var json = Valid();
        json["at"] = "late";
        json["priority"] = -1;
        json["steps"]![0]!["lateLimit"] = "x";
        Assert.Equal(["/at", "/priority", "/steps/0/lateLimit"], ProgramFile.Read(json.ToJsonString()).Errors.Select(e => e.Pointer).Order());
    }

    [Fact]
    public void Broken_JSON_is_told_with_line_and_column() =>
        Assert.Contains("line 2", ProgramFile.Read("{\n\"name\": }").Errors[0].Message, StringComparison.Ordinal);

    [Fact]
    public void Two_steps_of_one_id_are_refused()
    {
        var json = Valid();
        ((JsonArray)json["steps"]!).Add(json["steps"]![0]!.DeepClone());
        Assert.Contains(ProgramFile.Read(json.ToJsonString()).Errors, e => e.Pointer == "/steps/1/id");
    }

    [Theory]
    [InlineData("""{"id":"a","kind":"hand-over","when":{"from":"start","offset":"P0D"},"program":"Loop"}""", "/steps/0")]
    [InlineData("""{"id":"a","kind":"hand-over","when":{"from":"start","offset":"P9D"},"program":"Nowhere"}""", "/steps/0/program")]
    [InlineData("""{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"","body":"b"}""", "/steps/0/subject")]
    public void Rule_3_5_and_the_checker_name_what_keeps_a_program_off(string step, string pointer)
    {
        var program = Program("Loop", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", step);
        Assert.Contains(ProgramCheck.Findings(program, new HashSet<string>(), _ => []), f => f.Pointer == pointer && !f.IsWarning);
    }

    [Fact]
    public void Rule_3_1_a_step_placed_before_one_above_it_is_a_warning()
    {
        var program = Program(
            "P",
            "\"startsWhen\":[{\"kind\":\"by-hand\"}]",
            Email("a", "\"from\":\"start\",\"offset\":\"P9D\"") + "," + Email("b", "\"from\":\"start\",\"offset\":\"P3D\"")
        );
        Assert.Contains(ProgramCheck.Findings(program, new HashSet<string>(), _ => []), f => f.Pointer == "/steps/1/when/offset" && f.IsWarning);
    }

    [Fact]
    public void A_program_without_steps_cannot_be_switched_on() =>
        Assert.Contains(ProgramCheck.Findings(Program("P", "", ""), new HashSet<string>(), _ => []), f => f.Pointer == "/steps" && !f.IsWarning);
}
