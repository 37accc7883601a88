using System.Globalization;
using System.Text.RegularExpressions;
using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;
using PhoneNumbers;

namespace Germinal.Service.Import;

/// <summary>A value read from a cell, and a doubt about it if there is one. A doubtful value may be null.</summary>
public readonly record struct Reading<T>(T Value, string? Doubt = null);

/// <summary>Cells as people write them, read into values. Nothing is guessed silently: every guess carries its doubt.</summary>
public static partial class CellReading
{
    private static readonly string[] Months = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
    private static readonly string[] Yes = ["yes", "y", "x", "1", "true", "ok", "in", "opted in", "opt in", "ja", "j", "✓", "✔"];
    private static readonly string[] No = ["no", "n", "0", "false", "out", "opted out", "opt out", "unsubscribed", "do not email", "stop", "nein"];

    [GeneratedRegex(@"^([0-9]{1,4})[./-]([0-9]{1,2})[./-]([0-9]{1,4})\z", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Numeric();

    [GeneratedRegex(@"(?<=[0-9])(T|,? +)[0-9]{1,2}:[0-9]{2}(:[0-9]{2}(\.[0-9]+)?)?( ?[AaPp]\.?[Mm]\.?)?(Z|[+-][0-9]{2}:?[0-9]{2})?\z", RegexOptions.ExplicitCapture, matchTimeoutMilliseconds: 1000)]
    private static partial Regex TimeOfDay();

    [GeneratedRegex(@"^([0-9]{1,2})\.? ([A-Za-z]{3,9})\.?,?(?: ([0-9]{2,4}))?\z", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex DayMonth();

    [GeneratedRegex(@"^([A-Za-z]{3,9})\.? ([0-9]{1,2})(?:st|nd|rd|th)?,?(?: ([0-9]{2,4}))?\z", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex MonthDay();

    [GeneratedRegex(@"^[0-9]{1,2}[./-][0-9]{1,2}[./-]?\z", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex NumericNoYear();

    [GeneratedRegex(
        @"\b(deceased|died|passed away|d\.?\s*19[0-9][0-9]|d\.?\s*20[0-9][0-9])\b|†",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex DeathWords();

    [GeneratedRegex(
        @"\b(do not (contact|call|mail|email|write)|don'?t contact|no contact|wants? no (mail|contact|calls?)|never contact|leave alone)\b",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex NoContactWords();

    [GeneratedRegex(
        @"^\s*(grand )?(sub)?totals?\b|^\s*(count|sum)\s*[:=]",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex TotalWords();

    [GeneratedRegex(
        @"\s+(at|\(at\)|\[at\])\s+",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex WrittenAt();

    /// <summary>A date in any usual style; a numeric one by the practice's order; without a year it stays without.</summary>
    /// <param name="cell">The cell.</param>
    /// <param name="dayFirst">True where 4/1 is 4 January.</param>
    /// <param name="today">For two-digit years, and to doubt dates to come.</param>
    public static Reading<YearlyDate?> Date(string cell, bool dayFirst, LocalDate today)
    {
        var text = TimeOfDay().Replace(cell.Trim(), "");
        if (text.Length == 0)
        {
            return new(null);
        }

        if (YearlyDate.TryParse(text) is { } iso)
        {
            return Past(iso, today);
        }

        var m = Numeric().Match(text);
        if (m.Success)
        {
            var (a, b, c) = (
                int.Parse(m.Groups[1].Value, CultureInfo.InvariantCulture),
                int.Parse(m.Groups[2].Value, CultureInfo.InvariantCulture),
                int.Parse(m.Groups[3].Value, CultureInfo.InvariantCulture)
            );
            var (year, month, day) =
                m.Groups[1].Length == 4 ? (a, b, c)
                : dayFirst ? (Year(c, m.Groups[3].Length, today), b, a)
                : (Year(c, m.Groups[3].Length, today), a, b);
            return Checked(month, day, year, text, today, dayFirst);
        }

        var named =
            DayMonth().Match(text) is { Success: true } dm ? (dm.Groups[1].Value, dm.Groups[2].Value, dm.Groups[3].Value)
            : MonthDay().Match(text) is { Success: true } md ? (md.Groups[2].Value, md.Groups[1].Value, md.Groups[3].Value)
            : default;
        if (named.Item2 is { } name)
        {
            var month = Array.FindIndex(Months, n => name.StartsWith(n, StringComparison.OrdinalIgnoreCase)) + 1;
            return Checked(
                month,
                int.Parse(named.Item1, CultureInfo.InvariantCulture),
                named.Item3.Length == 0 ? null : Year(int.Parse(named.Item3, CultureInfo.InvariantCulture), named.Item3.Length, today),
                text,
                today,
                dayFirst
            );
        }

        if (NumericNoYear().IsMatch(text))
        {
            var parts = text.Split(['.', '/', '-'], StringSplitOptions.RemoveEmptyEntries);
            var (first, second) = (int.Parse(parts[0], CultureInfo.InvariantCulture), int.Parse(parts[1], CultureInfo.InvariantCulture));
            return Checked(dayFirst ? second : first, dayFirst ? first : second, null, text, today, dayFirst);
        }

        // Spreadsheets keep dates as days since 30 December 1899 and sometimes export just that number.
        if (int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var serial) && serial is > 1000 and < 60000)
        {
            var date = new LocalDate(1899, 12, 30).PlusDays(serial);
            return new(
                new YearlyDate(date.Month, date.Day, date.Year),
                Say($"“{text}” is a spreadsheet’s number for a date; read as {Written(date)}, which is a guess.")
            );
        }

        return new(null, Say($"“{text}” is not a date. 4/27/1975, 1975-04-27 or 27 Apr would be."));
    }

    private static string Written(LocalDate date) => Tongue.Spoken.Dates.Date.Format(date);

    private static int Year(int year, int digits, LocalDate today) =>
        digits > 2 ? year
        : year + (today.Year / 100 * 100) > today.Year ? year + (today.Year / 100 * 100) - 100
        : year + (today.Year / 100 * 100);

    private static Reading<YearlyDate?> Checked(int month, int day, int? year, string text, LocalDate today, bool dayFirst)
    {
        if (YearlyDate.TryCreate(month, day, year) is { } date)
        {
            return Past(date, today);
        }

        var turned = YearlyDate.TryCreate(day, month, year) is { } t
            ? Say($" In the other order it would be {Written(new LocalDate(t.Year ?? 2000, t.Month, t.Day))}.")
            : "";
        return new(null, Say($"“{text}” is no day there is, read {(dayFirst ? Said("day first") : Said("month first"))}.{turned} The date is left out."));
    }

    private static Reading<YearlyDate?> Past(YearlyDate date, LocalDate today) =>
        date.Year > today.Year ? new(null, Say($"{date} lies in the future. The date is left out.")) : new(date);

    /// <summary>Whether it is a country whose numbers can be read without their country code, ISO 3166-1.</summary>
    public static bool IsRegion(string region) => PhoneNumberUtil.GetInstance().GetSupportedRegions().Contains(region);

    /// <summary>A number in any style to E.164, with its extension.</summary>
    public static Reading<(string? Number, string? Extension)> Phone(string cell, string region)
    {
        var text = cell.Trim();
        if (text.Length == 0)
        {
            return new((null, null));
        }

        var phones = PhoneNumberUtil.GetInstance();
        try
        {
            var parsed = phones.Parse(text, region);
            if (phones.IsPossibleNumber(parsed))
            {
                return new((phones.Format(parsed, PhoneNumberFormat.E164), parsed.HasExtension ? parsed.Extension : null));
            }
        }
        catch (NumberParseException)
        {
            // Falls through to the doubt.
        }

        return new((null, null), Say($"“{text}” is not a telephone number. (207) 555-0123 or +1 207 555 0123 would be. The number is left out."));
    }

    /// <summary>Addresses in a cell: the first is written to, a second is kept.</summary>
    public static Reading<(string? Email, string? Other)> Emails(string cell)
    {
        var text = WrittenAt().Replace(cell.Trim(), "@").ToLowerInvariant();
        var parts = text.Split([',', ';', ' ', '/', '|', '\n', '\t'], StringSplitOptions.RemoveEmptyEntries)
            .Select(p => p.Trim('<', '>', '(', ')', '"', '.'))
            .Where(p => p.Contains('@', StringComparison.Ordinal))
            .ToList();
        if (text.Length == 0)
        {
            return new((null, null));
        }

        var good = parts.Where(Addresses.IsEmail).Distinct(StringComparer.Ordinal).ToList();
        if (good.Count == 0)
        {
            return new((null, null), Say($"“{cell.Trim()}” is not an email address. name@example.com would be. The address is left out."));
        }

        return good.Count == 1
            ? new((good[0], null))
            : new((good[0], good[1]), Say($"There are two addresses in one cell; {good[0]} is used and {good[1]} is kept as the other one."));
    }

    /// <summary>
    /// “Email OK?” cells: in, out, or nothing said; <c>inquiry@DATE</c> and <c>client@DATE</c> as the people file has them. A word not
    /// understood is a doubt, not a yes.
    /// </summary>
    public static Reading<SaidConsent?> Consent(string cell)
    {
        var text = cell.Trim().ToLowerInvariant();
        if (text.Split('@', 2) is [var basis, var since] && ContactWords.BasisOf(basis) is { } on and not ConsentBasis.Express && Dates.TryParse(since) is { } date)
        {
            return new(new SaidConsent(true, on, date));
        }

        return text.Length == 0 ? new(null)
            : Yes.Contains(text, StringComparer.Ordinal) ? new(new SaidConsent(true, ConsentBasis.Express, null))
            : No.Contains(text, StringComparer.Ordinal) ? new(new SaidConsent(false, ConsentBasis.Express, null))
            : new(null, Say($"“{cell.Trim()}” is neither yes nor no. No consent is recorded."));
    }

    /// <summary>A cell that says yes or no; null for nothing.</summary>
    public static Reading<bool?> YesOrNo(string cell)
    {
        var said = Consent(cell);
        return said.Value is { Basis: ConsentBasis.Express } plain ? new(plain.In) : new(null, said.Doubt is null ? null : Say($"“{cell.Trim()}” is neither yes nor no."));
    }

    /// <summary>
    /// Whether the dates of a column have the day first, by what its values allow: one that can only be read one way decides; where none
    /// can, or they contradict each other, the practice’s order does.
    /// </summary>
    public static bool IsDayFirst(IEnumerable<string> cells, bool practice)
    {
        var (dayFirst, monthFirst) = (false, false);
        foreach (var cell in cells)
        {
            var parts = cell.Trim().Split(['.', '/', '-', 'T', ' '], 3, StringSplitOptions.RemoveEmptyEntries);
            if (parts.Length >= 2 && parts[0].Length <= 2 && int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var a) && int.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var b))
            {
                dayFirst |= a is > 12 and <= 31 && b <= 12;
                monthFirst |= b is > 12 and <= 31 && a <= 12;
            }
        }

        return dayFirst == monthFirst ? practice : dayFirst;
    }

    /// <summary>A first and a last name from two cells, one of which may hold both.</summary>
    public static (string? First, string? Last) Names(string first, string last, string full)
    {
        first = Clean(first);
        last = Clean(last);
        full = Clean(full);
        if (full.Length == 0 && (first.Length == 0) != (last.Length == 0) && (first + last).Contains(' ', StringComparison.Ordinal))
        {
            (full, first, last) = (first + last, "", "");
        }

        if (first.Length == 0 && last.Length == 0 && full.Length > 0)
        {
            if (full.Split(',') is [var lastFirst, var firstLast] && firstLast.Trim().Length > 0)
            {
                (first, last) = (firstLast.Trim(), lastFirst.Trim());
            }
            else
            {
                var space = full.LastIndexOf(' ');
                (first, last) = space < 0 ? (full, "") : (full[..space], full[(space + 1)..]);
            }
        }

        return (first.Length == 0 ? null : first, last.Length == 0 ? null : last);
    }

    /// <summary>Trimmed, with single blanks.</summary>
    public static string Clean(string text) => string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    /// <summary>True when a remark says that someone died.</summary>
    public static bool SaysDied(string note) => DeathWords().IsMatch(note);

    /// <summary>True when a remark says that someone wants no contact.</summary>
    public static bool SaysNoContact(string note) => NoContactWords().IsMatch(note);

    /// <summary>True for the text of a totals row.</summary>
    public static bool SaysTotal(string text) => TotalWords().IsMatch(text);
}
