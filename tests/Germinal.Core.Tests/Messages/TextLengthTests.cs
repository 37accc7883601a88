using CsCheck;
using Germinal.Core.Messages;

namespace Germinal.Core.Tests.Messages;

/// <summary>Rule 11.3. 3GPP TS 23.038 §6.2.1 (the alphabets) and 23.040 (parts).</summary>
public sealed class TextLengthTests
{
    /// <summary>The default alphabet as 3GPP TS 23.038 §6.2.1 numbers it, by code point, the escape (0x1B) left out.</summary>
    private static readonly int[] Table =
    [
        0x40,
        0xA3,
        0x24,
        0xA5,
        0xE8,
        0xE9,
        0xF9,
        0xEC,
        0xF2,
        0xC7,
        0x0A,
        0xD8,
        0xF8,
        0x0D,
        0xC5,
        0xE5,
        0x394,
        0x5F,
        0x3A6,
        0x393,
        0x39B,
        0x3A9,
        0x3A0,
        0x3A8,
        0x3A3,
        0x398,
        0x39E,
        0xC6,
        0xE6,
        0xDF,
        0xC9,
        .. Enumerable.Range(0x20, 4),
        0xA4,
        .. Enumerable.Range(0x25, 0x1B),
        0xA1,
        .. Enumerable.Range(0x41, 26),
        0xC4,
        0xD6,
        0xD1,
        0xDC,
        0xA7,
        0xBF,
        .. Enumerable.Range(0x61, 26),
        0xE4,
        0xF6,
        0xF1,
        0xFC,
        0xE0,
    ];

    [Fact]
    public void Rule_11_3_the_alphabet_is_complete_and_every_character_of_it_counts_one()
    {
        Assert.Equal(127, TextLength.DefaultAlphabet.EnumerateRunes().Count());
        Assert.Equal(Table.Order(), TextLength.DefaultAlphabet.EnumerateRunes().Select(r => r.Value).Order());
        Assert.All(Table, c => Assert.Equal(new TextLength(TextAlphabet.Gsm7, 1, 1, 1), TextLength.Of(char.ConvertFromUtf32(c))));
    }

    [Fact]
    public void Rule_11_3_the_extension_table_counts_two() =>
        Assert.All("^{}\\[~]|€\f", c => Assert.Equal(new TextLength(TextAlphabet.Gsm7, 1, 2, 1), TextLength.Of(c.ToString())));

    [Theory]
    [InlineData(160, 1)]
    [InlineData(161, 2)]
    [InlineData(306, 2)]
    [InlineData(307, 3)]
    [InlineData(459, 3)]
    [InlineData(460, 4)]
    public void Rule_11_3_gsm_parts_are_160_alone_and_153_each(int characters, int parts) =>
        Assert.Equal(parts, TextLength.Of(new string('a', characters)).Parts);

    [Theory]
    [InlineData(70, 1)]
    [InlineData(71, 2)]
    [InlineData(134, 2)]
    [InlineData(135, 3)]
    public void Rule_11_3_ucs2_parts_are_70_alone_and_67_each(int characters, int parts) =>
        Assert.Equal(parts, TextLength.Of(new string('ж', characters)).Parts);

    [Fact]
    public void Rule_11_3_no_escaped_character_and_no_surrogate_pair_is_split_between_parts()
    {
        // 152 and an escaped one: 154 septets would fit two parts of 153 by counting alone, and so they do; the next 152 then begin anew.
        var gsm = new string('a', 152) + "€" + new string('a', 152);
        Assert.Equal((306, 3), (TextLength.Of(gsm).Units, TextLength.Of(gsm).Parts));
        Assert.Equal(
            (306, 2),
            (TextLength.Of(new string('a', 151) + "€" + new string('a', 153)).Units, TextLength.Of(new string('a', 151) + "€" + new string('a', 153)).Parts)
        );
        var pair = new string('ж', 66) + "🌱" + new string('ж', 66);
        Assert.Equal((134, 3), (TextLength.Of(pair).Units, TextLength.Of(pair).Parts));
        Assert.Equal(2, TextLength.Of(new string('ж', 65) + "🌱" + new string('ж', 67)).Parts);
    }

    [Fact]
    public void Rule_11_3_one_line_says_it() =>
        Assert.Equal(
            ["GSM-7, 307 characters, 3 parts", "UCS-2, 71 characters, 2 parts", "UCS-2, 1 character, 1 part", "GSM-7, 0 characters, 1 part"],
            new[] { new string('a', 307), new string('ж', 71), "🌱", "" }.Select(t => TextLength.Of(t).ToString())
        );

    [Fact]
    public void Rule_11_3_parts_hold_everything_and_no_more_than_they_must() =>
        Gen.OneOf(Gen.Char["abc€{é ж"], Gen.Char["abcdefgh€^"])
            .Array[0, 400]
            .Sample(chars =>
            {
                var length = TextLength.Of(new string(chars));
                var (alone, part) = length.Alphabet == TextAlphabet.Gsm7 ? (160, 153) : (70, 67);
                Assert.True(length.Parts == 1 ? length.Units <= alone : length.Units > alone && length.Units <= length.Parts * part);
                // At most one unit is lost at each border.
                Assert.True(length.Parts == 1 || length.Units >= ((length.Parts - 1) * (part - 1)) + 1);
            });
}
