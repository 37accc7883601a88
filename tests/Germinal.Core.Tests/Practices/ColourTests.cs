using CsCheck;
using Germinal.Core.Practices;

namespace Germinal.Core.Tests.Practices;

/// <summary>What can be read on a colour (WCAG 2.2).</summary>
public sealed class ColourTests
{
    private static readonly Gen<Colour> Any = Gen.Select(Gen.Byte, Gen.Byte, Gen.Byte, (r, g, b) => new Colour(r, g, b));

    [Theory]
    // WCAG 2.2: black on white is 21 to 1. The others: the worked values of the formula for #767676, the lightest grey that passes on white.
    [InlineData("#000000", "#ffffff", 21.0)]
    [InlineData("#767676", "#ffffff", 4.54)]
    [InlineData("#ffffff", "#ffffff", 1.0)]
    public void Contrast_is_as_the_guidelines_say(string one, string other, double ratio) =>
        Assert.Equal(ratio, Colour.TryParse(one)!.Value.Contrast(Colour.TryParse(other)!.Value), 2);

    [Fact]
    public void What_stands_on_it_can_be_read() => Any.Sample(c => c.Contrast(Colour.TryParse(c.On)!.Value) >= 4.5);

    [Fact]
    public void On_a_dark_page_it_can_be_read() => Any.Sample(c => Colour.TryParse(c.OnDark)!.Value.Contrast(new Colour(0x17, 0x1b, 0x17)) >= 4.5);

    [Fact]
    public void Is_read_as_it_is_written() => Any.Sample(c => Colour.TryParse(c.Hex) == c);

    [Theory]
    [InlineData("")]
    [InlineData("red")]
    [InlineData("#fff")]
    [InlineData("#12345g")]
    [InlineData("#-12345")]
    [InlineData("123456#")]
    public void Is_none(string text) => Assert.Null(Colour.TryParse(text));
}
