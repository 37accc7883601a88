using System.Globalization;

namespace Germinal.Core.Practices;

/// <summary>A colour of a practice, with what can be read on it.</summary>
/// <param name="Red">0 to 255.</param>
/// <param name="Green">0 to 255.</param>
/// <param name="Blue">0 to 255.</param>
public readonly record struct Colour(byte Red, byte Green, byte Blue)
{
    private const double Enough = 4.5;

    /// <summary>The colour of <c>#rrggbb</c>; null for what is none.</summary>
    public static Colour? TryParse(string text) =>
        text.Length == 7 && text[0] == '#' && int.TryParse(text.AsSpan(1), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var rgb)
            ? new Colour((byte)(rgb >> 16), (byte)(rgb >> 8), (byte)rgb)
            : null;

    /// <summary><c>#rrggbb</c>.</summary>
    public string Hex => string.Create(CultureInfo.InvariantCulture, $"#{Red:x2}{Green:x2}{Blue:x2}");

    /// <summary>White or black: what contrasts more with it. One of the two always does by 4.5 to 1 or more (WCAG 2.2, 1.4.3).</summary>
    public string On => Contrast(new Colour(255, 255, 255)) >= Contrast(new Colour(0, 0, 0)) ? "#ffffff" : "#000000";

    /// <summary>The same, as light as a dark page needs it: mixed with white until it contrasts with near black by 4.5 to 1.</summary>
    public string OnDark
    {
        get
        {
            var dark = new Colour(0x17, 0x1b, 0x17);
            var mixed = this;
            for (var white = 1; mixed.Contrast(dark) < Enough && white <= 20; white++)
            {
                mixed = new Colour(Mix(Red, white), Mix(Green, white), Mix(Blue, white));
            }

            return mixed.Hex;
        }
    }

    /// <summary>The same, as dark as white paper needs it: mixed with black until it contrasts with white by 4.5 to 1.</summary>
    public string OnLight
    {
        get
        {
            var white = new Colour(255, 255, 255);
            var mixed = this;
            for (var black = 1; mixed.Contrast(white) < Enough && black <= 20; black++)
            {
                mixed = new Colour((byte)(Red * (20 - black) / 20), (byte)(Green * (20 - black) / 20), (byte)(Blue * (20 - black) / 20));
            }

            return mixed.Hex;
        }
    }

    private static byte Mix(byte part, int white) => (byte)(part + ((255 - part) * white / 20));

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
