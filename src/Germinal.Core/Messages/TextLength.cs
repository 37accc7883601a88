using System.Collections.Frozen;

namespace Germinal.Core.Messages;

/// <summary>The alphabet a text message is sent in.</summary>
public enum TextAlphabet
{
    /// <summary>The GSM 7-bit default alphabet with its extension table.</summary>
    Gsm7,

    /// <summary>16-bit units, for everything else.</summary>
    Ucs2,
}

/// <summary>How long a text message is as it will be sent (rule 11.3; 3GPP TS 23.038 §6.2.1, 23.040).</summary>
/// <param name="Alphabet">The alphabet it needs.</param>
/// <param name="Characters">Its characters as people count them: code points.</param>
/// <param name="Units">What it takes: septets, an extension character two; or 16-bit units, a surrogate pair two.</param>
/// <param name="Parts">How many messages it is sent as; an empty one is one.</param>
public readonly record struct TextLength(TextAlphabet Alphabet, int Characters, int Units, int Parts)
{
    /// <summary>The default alphabet but for the escape itself, in its order.</summary>
    public const string DefaultAlphabet =
        "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà";

    /// <summary>The extension table: each takes an escape beside itself.</summary>
    public const string ExtensionTable = "\f^{}\\[~]|€";

    private static readonly FrozenSet<int> Single = DefaultAlphabet.EnumerateRunes().Select(r => r.Value).ToFrozenSet();
    private static readonly FrozenSet<int> Double = ExtensionTable.EnumerateRunes().Select(r => r.Value).ToFrozenSet();

    /// <summary>True for a character of the GSM 7-bit alphabet or its extension table.</summary>
    /// <param name="codePoint">The character's code point.</param>
    public static bool IsGsm(int codePoint) => Single.Contains(codePoint) || Double.Contains(codePoint);

    /// <summary>Counts a message.</summary>
    public static TextLength Of(string text)
    {
        var runes = text.EnumerateRunes().Select(r => r.Value).ToList();
        var gsm = runes.TrueForAll(IsGsm);
        var widths = gsm ? runes.ConvertAll(r => Double.Contains(r) ? 2 : 1) : runes.ConvertAll(r => r > 0xFFFF ? 2 : 1);
        var units = widths.Sum();
        var (alone, perPart) = gsm ? (160, 153) : (70, 67);
        return new TextLength(gsm ? TextAlphabet.Gsm7 : TextAlphabet.Ucs2, runes.Count, units, units <= alone ? 1 : PartsOf(widths, perPart));
    }

    /// <summary><c>GSM-7, 307 characters, 3 parts</c>.</summary>
    public override string ToString() =>
        $"{(Alphabet == TextAlphabet.Gsm7 ? "GSM-7" : "UCS-2")}, {Characters} {(Characters == 1 ? "character" : "characters")}, {Parts} {(Parts == 1 ? "part" : "parts")}";

    /// <summary>No surrogate pair and no escaped character is split: one that does not fit begins the next part.</summary>
    private static int PartsOf(List<int> widths, int perPart)
    {
        var parts = 1;
        var used = 0;
        foreach (var width in widths)
        {
            if (used + width > perPart)
            {
                parts++;
                used = 0;
            }

            used += width;
        }

        return parts;
    }
}
