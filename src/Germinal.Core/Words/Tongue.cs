using System.Globalization;

namespace Germinal.Core.Words;

/// <summary>A language the application speaks, with its ways of writing dates and numbers. What is told nobody in particular is British English, the language of the code.</summary>
public sealed class Tongue
{
    private static readonly AsyncLocal<Tongue?> Current = new();

    private Tongue(string tag, string name, string catalogue, string dayAndMonth, string date, string time)
    {
        Tag = tag;
        Name = name;
        Culture = CultureInfo.GetCultureInfo(tag);
        Dates = new DateForms(Culture, dayAndMonth, date, time);
        Catalogue = Catalogue.Shipped(catalogue);
    }

    /// <summary>Its tag (BCP 47), such as <c>de-DE</c>.</summary>
    public string Tag { get; }

    /// <summary>Its language alone, such as <c>de</c>.</summary>
    public string Language => Culture.TwoLetterISOLanguageName;

    /// <summary>As its own speakers call it.</summary>
    public string Name { get; }

    /// <summary>How it writes dates and numbers.</summary>
    public CultureInfo Culture { get; }

    /// <summary>How it writes dates and times.</summary>
    public DateForms Dates { get; }

    /// <summary>Its words.</summary>
    public Catalogue Catalogue { get; }

    /// <summary>British English, in which the code is written.</summary>
    public static Tongue British { get; } = new("en-GB", "English (UK)", "", "d MMMM", "d MMMM uuuu", "H:mm");

    /// <summary>American English: dates, hours and the spelling of some words.</summary>
    public static Tongue American { get; } = new("en-US", "English (US)", "en-US", "MMMM d", "MMMM d, uuuu", "h:mm tt");

    /// <summary>German.</summary>
    public static Tongue German { get; } = new("de-DE", "Deutsch", "de", "d. MMMM", "d. MMMM uuuu", "H:mm");

    /// <summary>All there are.</summary>
    public static IReadOnlyList<Tongue> All { get; } = [British, American, German];

    /// <summary>The one of a tag; null where there is none.</summary>
    public static Tongue? Named(string? tag) => All.FirstOrDefault(t => string.Equals(t.Tag, tag, StringComparison.OrdinalIgnoreCase));

    /// <summary>The one of a tag; <see cref="British"/> where there is none.</summary>
    public static Tongue NamedElseBritish(string? tag) => Named(tag) ?? British;

    /// <summary>What is wrong with a tag that somebody chose; null for nothing.</summary>
    public static string? ProblemOf(string tag) => Named(tag) is null ? Say($"“{tag}” is no language spoken here; {string.Join(", ", All.Select(t => t.Tag))} are.") : null;

    /// <summary>The one that is spoken in a country (ISO 3166).</summary>
    public static Tongue Of(string country) =>
        country.ToUpperInvariant() switch
        {
            "DE" or "AT" or "CH" or "LI" => German,
            "US" or "PR" => American,
            _ => British,
        };

    /// <summary>The one that is spoken where this is asked: what was said to be by <see cref="Speak"/>, else <see cref="British"/>. It goes along with what is awaited.</summary>
    public static Tongue Spoken => Current.Value ?? British;

    /// <summary>Speaks it until what is returned is disposed of.</summary>
    public IDisposable Speak()
    {
        var before = Current.Value;
        Current.Value = this;
        return new Back(before);
    }

    private sealed class Back(Tongue? before) : IDisposable
    {
        public void Dispose() => Current.Value = before;
    }
}
