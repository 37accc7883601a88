using System.Globalization;
using System.Text.RegularExpressions;
using Germinal.Core.Time;

namespace Germinal.Core.Practices;

/// <summary>What a field of the practice's own holds. Closed; stored as its word.</summary>
public enum OwnFieldKind
{
    /// <summary>Words.</summary>
    Text,

    /// <summary>A number, kept plainly: <c>-12.5</c>.</summary>
    Number,

    /// <summary>A sum of money without its currency, kept like a number.</summary>
    Money,

    /// <summary>A day of one year, kept <c>YYYY-MM-DD</c>.</summary>
    Date,

    /// <summary>A day of every year, kept <c>--MM-DD</c>, or with its year where that is known.</summary>
    YearlyDate,

    /// <summary>One of the field's choices.</summary>
    Choice,

    /// <summary>Any of the field's choices, kept parted by <c>;</c> in the field's order.</summary>
    Choices,

    /// <summary><c>yes</c> or <c>no</c>.</summary>
    YesNo,
}

/// <summary>A field of a person that the practice named itself: <c>custom:KEY</c> in rules, <c>person.custom</c> in letters.</summary>
/// <param name="Key">What rules, letters and files call it: its first name, which stays when it is renamed. Compared without regard to case.</param>
/// <param name="Name">As it stands on pages; two names that differ only in case are one.</param>
/// <param name="Kind">What it holds.</param>
/// <param name="Options">Of a choice, or several: what may be chosen, in order; else none.</param>
public sealed partial record OwnField(string Key, string Name, OwnFieldKind Kind, IReadOnlyList<string> Options)
{
    /// <summary>The most letters a name has.</summary>
    public const int LongestName = 40;

    /// <summary>The most letters a value has.</summary>
    public const int LongestValue = 1000;

    /// <summary>The words of the kinds, as files, rows and addresses have them.</summary>
    public static IReadOnlyList<(string Word, OwnFieldKind Kind)> Kinds { get; } =
        [
            ("text", OwnFieldKind.Text),
            ("number", OwnFieldKind.Number),
            ("money", OwnFieldKind.Money),
            ("date", OwnFieldKind.Date),
            ("yearly-date", OwnFieldKind.YearlyDate),
            ("choice", OwnFieldKind.Choice),
            ("choices", OwnFieldKind.Choices),
            ("yes-no", OwnFieldKind.YesNo),
        ];

    /// <summary>The kind of a word, or null.</summary>
    public static OwnFieldKind? KindOf(string word) => Kinds.Where(k => k.Word == word).Select(k => (OwnFieldKind?)k.Kind).FirstOrDefault();

    /// <summary>True for a kind that has choices.</summary>
    public static bool HasOptions(OwnFieldKind kind) => kind is OwnFieldKind.Choice or OwnFieldKind.Choices;

    /// <summary>What is wrong with the field itself, and what would be right; null for nothing.</summary>
    public string? Problem =>
        !NameForm().IsMatch(Name) ? Say($"“{Name}” is no name for a field: letters, digits, spaces and hyphens, at most {LongestName}, beginning with a letter.")
        : HasOptions(Kind) && Options.Count == 0 ? Say($"“{Name}” needs its choices, one a line.")
        : Options.Any(o => o.Contains(';', StringComparison.Ordinal)) ? Say($"A choice of “{Name}” has a semicolon; several choices are parted by it.")
        : Options.Count != Options.Distinct(StringComparer.OrdinalIgnoreCase).Count() ? Say($"“{Name}” has a choice twice.")
        : null;

    /// <summary>
    /// What was typed, in the form it is kept in; an empty text is no value and kept empty. Money may carry a currency sign and commas
    /// between thousands; a choice is found regardless of case.
    /// </summary>
    /// <param name="typed">As it stands in the field or cell.</param>
    /// <returns>What is kept, or what is wrong and what would be right.</returns>
    public (string? Kept, string? Problem) Read(string typed)
    {
        var text = string.Join(' ', typed.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        if (text.Length == 0)
        {
            return ("", null);
        }

        if (text.Length > LongestValue)
        {
            return (null, Say($"At most {LongestValue:N0} letters can stand here."));
        }

        return Kind switch
        {
            OwnFieldKind.Number => Number(text) is { } n ? (n, null) : (null, Say($"“{text}” is not a number; 12 or -12.5 would be.")),
            OwnFieldKind.Money => Number(CurrencySigns().Replace(text, "").Trim()) is { } sum ? (sum, null) : (null, Say($"“{text}” is not a sum; 450,000 or 1250.50 would be.")),
            OwnFieldKind.Date => YearlyDate.TryParse(text) is { Year: not null } date ? (date.ToString(), null) : (null, Say($"“{text}” is no day there is; 2027-06-14 would be.")),
            OwnFieldKind.YearlyDate => YearlyDate.TryParse(text) is { } day ? (day.ToString(), null) : (null, Say($"“{text}” is no day there is; 1975-06-14 would be, or --06-14 for every year.")),
            OwnFieldKind.Choice => Options.FirstOrDefault(o => Same(o, text)) is { } one ? (one, null) : (null, NoChoice(text)),
            OwnFieldKind.Choices => Several(text),
            OwnFieldKind.YesNo => text.ToLowerInvariant() switch
            {
                "yes" or "y" or "true" or "1" => ("yes", null),
                "no" or "n" or "false" or "0" => ("no", null),
                _ => (null, Say($"“{text}” is neither yes nor no.")),
            },
            _ => (text, null),
        };
    }

    private (string? Kept, string? Problem) Several(string text)
    {
        var given = text.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        return given.FirstOrDefault(g => !Options.Any(o => Same(o, g))) is { } unknown
            ? (null, NoChoice(unknown))
            : (string.Join(';', Options.Where(o => given.Any(g => Same(o, g)))), null);
    }

    private string NoChoice(string text) => Say($"“{text}” is none of the choices of “{Name}”: {string.Join(", ", Options)}.");

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);

    /// <summary>A number written plainly, or with commas between thousands; null for anything else.</summary>
    private static string? Number(string text) =>
        NumberForm().IsMatch(text)
            ? decimal.Parse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowThousands | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture)
                .ToString(CultureInfo.InvariantCulture)
            : null;

    [GeneratedRegex(@"^\p{L}[\p{L}\p{Nd} -]{0,39}\z", RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex NameForm();

    [GeneratedRegex(@"^-?([0-9]{1,15}|[0-9]{1,3}(,[0-9]{3}){1,4})(\.[0-9]{1,9})?\z", RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex NumberForm();

    [GeneratedRegex(@"\p{Sc}|^[A-Z]{3}\b|\b[A-Z]{3}$", RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex CurrencySigns();
}
