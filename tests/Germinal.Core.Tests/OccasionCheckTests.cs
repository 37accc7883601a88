using Germinal.Core.Files;

namespace Germinal.Core.Tests;

using static Given;

/// <summary>What a birthday rarely wants is said as a warning; what is meant otherwise is left alone.</summary>
public sealed class OccasionCheckTests
{
    private static string[] Warnings(string starts, string more, string step = "") =>
        [
            .. OccasionCheck
                .Findings(Program("P", $"\"startsWhen\":[{starts}]{(more.Length > 0 ? "," + more : "")}", Email("a", AtOnce, step)))
                .Select(f => $"{f.Pointer} {f.Message}"),
        ];

    private const string Birthday = """{"kind":"occasion","date":"birthday","offset":"P0D"}""";
    private const string Office = "\"window\":{\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"],\"from\":\"09:00\",\"to\":\"17:30\"}";

    [Fact]
    public void Working_days_only_is_named_with_the_days_it_leaves_out() =>
        Assert.Equal(
            [
                "/startsWhen/0 It does not write on Saturdays and Sundays: a birthday on such a day is written to on the next one. For a greeting, every day is usual.",
            ],
            Warnings(Birthday, Office)
        );

    [Theory]
    [InlineData("P3D", false)]
    [InlineData("P4D", true)]
    [InlineData("P1M", true)]
    public void However_late_is_named(string late, bool warned) =>
        Assert.Equal(warned, Warnings(Birthday, "", $"\"lateLimit\":\"{late}\"").Any(w => w.Contains("A greeting is rarely wanted", StringComparison.Ordinal)));

    [Fact]
    public void An_age_needs_the_year_and_it_is_said_what_happens_without() =>
        Assert.Equal(
            ["/startsWhen/0 Somebody whose birthday has no year is left out: which year it is cannot be counted for them."],
            Warnings("""{"kind":"occasion","date":"birthday","offset":"P0D","years":[65]}""", Office, "\"lateLimit\":\"P1M\"")
        );

    [Fact]
    public void Other_dates_and_other_starts_are_left_alone()
    {
        Assert.Empty(Warnings(Birthday, ""));
        Assert.Empty(Warnings("""{"kind":"occasion","date":"policy renewal","offset":"-P1M"}""", Office, "\"lateLimit\":\"P1M\""));
        Assert.Empty(Warnings("""{"kind":"tag-added","tag":"warm"}""", Office, "\"lateLimit\":\"P1M\""));
    }
}
