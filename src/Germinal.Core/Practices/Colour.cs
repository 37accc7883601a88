using System.Globalization;

namespace Germinal.Core.Practices;

/// <summary>A colour of a practice, with what can be read on it.</summary>
/// <param name="Red">0 to 255.</param>
/// <param name="Green">0 to 255.</param>
/// <param name="Blue">0 to 255.</param>
public readonly record struct Colour(byte Red, byte Green, byte Blue)
{
    private const double Enough = 4.5;
    private const int Steps = 20;

    /// <summary>The colour of <c>#rrggbb</c>; null for what is none.</summary>
    public static Colour? TryParse(string text) =>
        text.Length == 7 && text[0] == '#' && int.TryParse(text.AsSpan(1), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var rgb)
            ? new Colour((byte)(rgb >> 16), (byte)(rgb >> 8), (byte)rgb)
            : null;

    /// <summary><c>#rrggbb</c>.</summary>
    public string Hex => string.Create(CultureInfo.InvariantCulture, $"#{Red:x2}{Green:x2}{Blue:x2}");

    /// <summary>White or black: what contrasts more with it. One of the two always does by 4.5 to 1 or more (WCAG 2.2, 1.4.3).</summary>
    public string On => Contrast(new Colour(255, 255, 255)) >= Contrast(new Colour(0, 0, 0)) ? "#ffffff" : "#000000";

    private static readonly Colour White = new(255, 255, 255);
    private static readonly Colour Black = new(0, 0, 0);
    private static readonly Colour NearBlack = new(0x17, 0x1b, 0x17);

    /// <summary>The same, as light as a dark page needs it: mixed with white until it contrasts with near black by 4.5 to 1.</summary>
    public string OnDark => MixedWith(White, NearBlack);

    /// <summary>The same, as dark as white paper needs it: mixed with black until it contrasts with white by 4.5 to 1.</summary>
    public string OnLight => MixedWith(Black, White);

    private string MixedWith(Colour other, Colour paper)
    {
        var mixed = this;
        for (var share = 1; mixed.Contrast(paper) < Enough && share <= Steps; share++)
        {
            mixed = new Colour(Mix(Red, other.Red, share), Mix(Green, other.Green, share), Mix(Blue, other.Blue, share));
        }

        return mixed.Hex;
    }

    private static byte Mix(byte part, byte other, int share) => (byte)(part + Math.Floor((other - part) * share / (double)Steps));

    /// <summary>The contrast ratio of two colours, 1 to 21 (WCAG 2.2, “contrast ratio” and “relative luminance”).</summary>
    public double Contrast(Colour other)
    {
        var (one, two) = (Luminance, other.Luminance);
        return (Math.Max(one, two) + 0.05) / (Math.Min(one, two) + 0.05);
    }

    private double Luminance => (0.2126 * Linear(Red)) + (0.7152 * Linear(Green)) + (0.0722 * Linear(Blue));

    private static double Linear(byte part)
    {
        var share = part / 255.0;
        return share <= 0.04045 ? share / 12.92 : Math.Pow((share + 0.055) / 1.055, 2.4);
    }
}
