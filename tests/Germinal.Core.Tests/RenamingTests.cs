using Germinal.Core.Files;
using Germinal.Core.Rules;

namespace Germinal.Core.Tests;

public sealed class RenamingTests
{
    private static readonly Dictionary<string, string> None = [];

    private static Renaming Stage(string from, string to) => new(new Dictionary<string, string>(StringComparer.Ordinal) { [from] = to }, None);

    private const string Program = """
        {"germinal":1,"name":"Stage Planning/Inquiry, said in words","startsWhen":[{"kind":"stage-entered","stage":"planning/inquiry"},{"kind":"tag-added","tag":"Planning/Inquiry"}],
         "onlyIf":{"all":[{"field":"stage","op":"in","value":["Planning/Inquiry","Planning/Client"]},{"not":{"field":"tags","op":"has","value":"Planning/Inquiry"}}]},
         "stopsWhen":[{"kind":"stage-left","stage":"Planning/Inquiry"},{"kind":"opportunity-lost"}],
         "steps":[{"id":"a","kind":"email","subject":"Planning/Inquiry","body":"<p><a href=\"https://example.com\" data-opportunity=\"Planning/Inquiry\">Planning/Inquiry</a></p>"},
                  {"id":"b","kind":"change","set":[{"stage":"Planning/Inquiry"}]}]}
        """;

    [Fact]
    public void A_stage_is_renamed_where_it_is_one_and_nowhere_else()
    {
        var anew = Stage("Planning/Inquiry", "Planning/First “word”").In(Program)!;
        Assert.Contains("""{"kind":"stage-entered","stage":"Planning/First “word”"}""", anew, StringComparison.Ordinal);
        Assert.Contains("""["Planning/First “word”","Planning/Client"]""", anew, StringComparison.Ordinal);
        Assert.Contains("""{"kind":"stage-left","stage":"Planning/First “word”"}""", anew, StringComparison.Ordinal);
        Assert.Contains("""{"id":"b","kind":"change","set":[{"stage":"Planning/First “word”"}]}""", anew, StringComparison.Ordinal);
        Assert.Contains("data-opportunity=\\\"Planning/First", anew, StringComparison.Ordinal);
        Assert.Contains("""{"kind":"tag-added","tag":"Planning/Inquiry"}""", anew, StringComparison.Ordinal);
        Assert.Contains("\"subject\":\"Planning/Inquiry\"", anew, StringComparison.Ordinal);
        Assert.Contains("\\\">Planning/Inquiry</a>", anew, StringComparison.Ordinal);
        Assert.Contains("Stage Planning/Inquiry, said in words", anew, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_that_become_one_are_asked_for_once()
    {
        var errors = new List<Finding>();
        var rule = RuleReader.Read(Stage("Planning/Inquiry", "Planning/Client").In("""{"field":"stage","op":"in","value":["Planning/Inquiry","Planning/Client"]}""")!, errors);
        Assert.Empty(errors);
        Assert.Equal(["Planning/Client"], Assert.IsType<Leaf>(rule).Values);
    }

    [Fact]
    public void A_reason_is_renamed_in_starts_and_rules()
    {
        var reasons = new Renaming(None, new Dictionary<string, string>(StringComparer.Ordinal) { ["timing"] = "not now" });
        Assert.Equal(
            """{"startsWhen":[{"kind":"opportunity-lost","reason":"not now"}],"onlyIf":{"field":"lost-reason","op":"is","value":"not now"}}""",
            reasons.In("""{"startsWhen":[{"kind":"opportunity-lost","reason":"timing"}],"onlyIf":{"field":"lost-reason","op":"is","value":"timing"}}""")
        );
        Assert.Null(reasons.In("""{"field":"source","op":"is","value":"timing"}"""));
    }

    [Fact]
    public void A_tag_is_renamed_in_starts_stops_changes_rules_forms_and_links_and_nowhere_else()
    {
        var tags = new Renaming(None, None) { Tags = new Dictionary<string, string> { ["vip"] = "Friend & kin" } };
        Assert.Equal(
            """{"startsWhen":[{"kind":"tag-added","tag":"Friend & kin"}],"onlyIf":{"field":"tags","op":"in","value":["Friend & kin","Old"]},"steps":[{"kind":"change","set":[{"tag":"Friend & kin"},{"tagOff":"Friend & kin"},{"stage":"vip"}]},{"kind":"email","subject":"VIP","body":"<a data-tag=\"Friend &amp; kin\">vip</a>"}]}""",
            tags.In(
                """{"startsWhen":[{"kind":"tag-added","tag":"VIP"}],"onlyIf":{"field":"tags","op":"in","value":["Vip","Old","VIP"]},"steps":[{"kind":"change","set":[{"tag":"vip"},{"tagOff":"VIP"},{"stage":"vip"}]},{"kind":"email","subject":"VIP","body":"<a data-tag=\"VIP\">vip</a>"}]}"""
            )
        );
        Assert.Equal("""{"tags":["Friend & kin","new"],"thanks":"vip"}""", tags.In("""{"tags":["vip","new"],"thanks":"vip"}"""));
        Assert.Null(tags.In("""{"field":"stage","op":"is","value":"vip"}"""));
    }

    [Theory]
    [InlineData("")]
    [InlineData("{")]
    [InlineData("null")]
    [InlineData("[1,null,\"Planning/Inquiry\"]")]
    public void What_says_no_such_name_or_is_no_file_is_left(string json) => Assert.Null(Stage("Planning/Inquiry", "x").In(json));

    /// <summary>There and back is where it began, whatever the names hold.</summary>
    [Theory]
    [InlineData("A/b \"c\" & <d>")]
    [InlineData("Ä/ö\\n")]
    [InlineData("P/{{ x }}")]
    public void There_and_back_is_where_it_began(string name)
    {
        var there = Stage("Planning/Inquiry", name).In(Program)!;
        Assert.DoesNotContain("stage-left\",\"stage\":\"Planning/Inquiry\"", there, StringComparison.Ordinal);
        var back = Stage(name, "Planning/Inquiry").In(there)!;
        Assert.Equal(Stage("planning/inquiry", "Planning/Inquiry").In(Program) ?? Program, back);
    }
}
