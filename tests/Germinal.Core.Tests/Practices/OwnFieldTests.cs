using Germinal.Core.Practices;

namespace Germinal.Core.Tests.Practices;

/// <summary>Fields the practice names itself: what may be typed, and what is kept.</summary>
public sealed class OwnFieldTests
{
    private static OwnField Of(OwnFieldKind kind) => new("field", "Field", kind, OwnField.HasOptions(kind) ? ["Flat", "House", "Land"] : []);

    [Theory]
    [InlineData(OwnFieldKind.Text, "  two   words ", "two words")]
    [InlineData(OwnFieldKind.Number, "12", "12")]
    [InlineData(OwnFieldKind.Number, "-12.50", "-12.50")]
    [InlineData(OwnFieldKind.Number, "1,250", "1250")]
    [InlineData(OwnFieldKind.Money, "$450,000", "450000")]
    [InlineData(OwnFieldKind.Money, "1250.50 USD", "1250.50")]
    [InlineData(OwnFieldKind.Money, "€ 12", "12")]
    [InlineData(OwnFieldKind.Date, "2027-06-14", "2027-06-14")]
    [InlineData(OwnFieldKind.YearlyDate, "--06-14", "--06-14")]
    [InlineData(OwnFieldKind.YearlyDate, "1975-06-14", "1975-06-14")]
    [InlineData(OwnFieldKind.Choice, "house", "House")]
    [InlineData(OwnFieldKind.Choices, "land; flat;", "Flat;Land")]
    [InlineData(OwnFieldKind.YesNo, "Yes", "yes")]
    [InlineData(OwnFieldKind.YesNo, "0", "no")]
    public void What_is_right_is_kept_in_one_form(OwnFieldKind kind, string typed, string kept) => Assert.Equal((kept, null), Of(kind).Read(typed));

    [Theory]
    [InlineData(OwnFieldKind.Number, "twelve")]
    [InlineData(OwnFieldKind.Number, "1,25")]
    [InlineData(OwnFieldKind.Number, "12 000 000 000 000 000")]
    [InlineData(OwnFieldKind.Money, "much")]
    [InlineData(OwnFieldKind.Date, "--06-14")]
    [InlineData(OwnFieldKind.Date, "2027-02-30")]
    [InlineData(OwnFieldKind.YearlyDate, "--02-30")]
    [InlineData(OwnFieldKind.Choice, "Castle")]
    [InlineData(OwnFieldKind.Choices, "Flat;Castle")]
    [InlineData(OwnFieldKind.YesNo, "perhaps")]
    public void What_is_wrong_says_so_and_keeps_nothing(OwnFieldKind kind, string typed)
    {
        var (kept, problem) = Of(kind).Read(typed);
        Assert.Null(kept);
        Assert.Contains("“", problem, StringComparison.Ordinal);
    }

    [Fact]
    public void What_is_kept_is_right_again_and_empty_is_no_value()
    {
        foreach (var (word, kind) in OwnField.Kinds)
        {
            Assert.Equal(kind, OwnField.KindOf(word));
            Assert.Equal(("", null), Of(kind).Read("  "));
        }

        foreach (var (kind, typed) in new[] { (OwnFieldKind.Money, "$1,000.00"), (OwnFieldKind.Choices, "land;house"), (OwnFieldKind.YesNo, "y") })
        {
            var kept = Of(kind).Read(typed).Kept!;
            Assert.Equal((kept, null), Of(kind).Read(kept));
        }

        Assert.Equal(Enum.GetValues<OwnFieldKind>().Order(), OwnField.Kinds.Select(k => k.Kind).Order());
        Assert.NotNull(Of(OwnFieldKind.Text).Read(new string('x', OwnField.LongestValue + 1)).Problem);
    }

    [Theory]
    [InlineData("Net worth", null)]
    [InlineData("Größe", null)]
    [InlineData("", "no name")]
    [InlineData("1st", "no name")]
    [InlineData("a.b", "no name")]
    [InlineData("{{ x }}", "no name")]
    [InlineData("<b>", "no name")]
    public void A_name_can_stand_in_a_rule_and_in_a_letter(string name, string? problem) =>
        Assert.Equal(problem is not null, new OwnField("key", name, OwnFieldKind.Text, []).Problem?.Contains(problem ?? "", StringComparison.Ordinal) ?? false);

    [Fact]
    public void Choices_stand_once_and_without_what_parts_them()
    {
        Assert.Contains("needs its choices", new OwnField("kind", "Kind", OwnFieldKind.Choice, []).Problem, StringComparison.Ordinal);
        Assert.Contains("twice", new OwnField("kind", "Kind", OwnFieldKind.Choice, ["a", "A"]).Problem, StringComparison.Ordinal);
        Assert.Contains("semicolon", new OwnField("kind", "Kind", OwnFieldKind.Choices, ["a;b"]).Problem, StringComparison.Ordinal);
        Assert.Null(new OwnField("kind", "Kind", OwnFieldKind.Choices, ["a", "b"]).Problem);
    }
}
