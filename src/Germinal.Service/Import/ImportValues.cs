using Germinal.Core.Practices;
using NodaTime;

namespace Germinal.Service.Import;

/// <summary>A value of a column that has to be one of what the practice knows.</summary>
/// <param name="Text">As it is written in the list.</param>
/// <param name="Rows">In how many rows.</param>
/// <param name="Means">What it was said to mean; empty for “leave out”, null where nobody said anything yet.</param>
public sealed record ListedValue(string Text, int Rows, string? Means);

/// <summary>A column some of whose values nobody knows, with what they may mean.</summary>
/// <param name="Field">What the column is.</param>
/// <param name="Label">Its name for people.</param>
/// <param name="Choices">What a value may mean: as it is kept, and in words.</param>
/// <param name="Values">The values that are not understood, or were said to mean something, the most frequent first.</param>
public sealed record ListedValues(string Field, string Label, IReadOnlyList<(string Value, string Label)> Choices, IReadOnlyList<ListedValue> Values);

/// <summary>
/// Owners, stages and choices of a list, matched once for the whole file; and what a column that is nothing yet could be as a field of the
/// practice’s own.
/// </summary>
public static class ImportValues
{
    /// <summary>The most values of a column that are asked about.</summary>
    private const int MostAsked = 60;

    /// <summary>A column with more different values than this is no choice.</summary>
    private const int MostChoices = 12;

    /// <summary>The columns with values that have to be known and are not, or were said to mean something.</summary>
    public static IReadOnlyList<ListedValues> Of(ListTable table, IReadOnlyList<string> columns, RowReader reader, Practice practice, OwnNames own)
    {
        var asked = new List<ListedValues>();
        for (var i = 0; i < columns.Count; i++)
        {
            if (ChoicesOf(columns[i], practice, own) is not { } choices)
            {
                continue;
            }

            var values = table
                .Records.Select(r => r.Cells[i].Trim())
                .Where(c => c.Length > 0)
                .GroupBy(c => c, StringComparer.OrdinalIgnoreCase)
                .Select(g => new ListedValue(g.Key, g.Count(), reader.Meant(columns[i], g.Key)))
                .Where(v => v.Means is not null || reader.IsUnknown(columns[i], v.Text))
                .OrderByDescending(v => v.Rows)
                .ThenBy(v => v.Text, StringComparer.OrdinalIgnoreCase)
                .Take(MostAsked)
                .ToList();
            if (values.Count > 0)
            {
                asked.Add(new ListedValues(columns[i], ImportField.AllOf(own).FirstOrDefault(f => f.Field == columns[i]).Label ?? columns[i], choices, values));
            }
        }

        return asked;
    }

    /// <summary>What the values of a column may mean; null for a column that has no such.</summary>
    public static IReadOnlyList<(string Value, string Label)>? ChoicesOf(string column, Practice practice, OwnNames own)
    {
        switch (column)
        {
            case ImportField.Owner:
                return [.. practice.Members.Select(m => (m.Id.ToString(), m.Name))];
            case ImportField.Stage:
                return [.. practice.Pipelines.SelectMany(p => p.Stages.Select(s => ($"{p.Name}/{s}", $"{p.Name}: {s}")))];
            default:
                return own.Fields.FirstOrDefault(f => ImportField.OwnPrefix + f.Key == column) is { } field && OwnField.HasOptions(field.Kind)
                    ? [.. field.Options.Select(o => (o, o))]
                    : null;
        }
    }

    /// <summary>What a column would best be as a field of the practice’s own, by its values; a guess, which whoever makes it may change.</summary>
    /// <param name="cells">Its cells.</param>
    /// <param name="today">For dates.</param>
    public static (OwnFieldKind Kind, IReadOnlyList<string> Options) KindOf(IEnumerable<string> cells, LocalDate today)
    {
        var values = cells.Select(c => c.Trim()).Where(c => c.Length > 0).Take(1000).ToList();
        bool All(Func<string, bool> test) => values.Count > 0 && values.TrueForAll(v => test(v));
        bool Reads(OwnFieldKind kind, string value) => new OwnField("x", "x", kind, []).Read(value).Kept is not null;
        var different = values.Select(CellReading.Clean).Distinct(StringComparer.OrdinalIgnoreCase).ToList();
        return All(v => Reads(OwnFieldKind.YesNo, v) && !int.TryParse(v, System.Globalization.CultureInfo.InvariantCulture, out _)) ? (OwnFieldKind.YesNo, [])
            : All(v => Reads(OwnFieldKind.Number, v)) ? (OwnFieldKind.Number, [])
            : All(v => Reads(OwnFieldKind.Money, v)) ? (OwnFieldKind.Money, [])
            : All(v => CellReading.Date(v, true, today).Value is not null || CellReading.Date(v, false, today).Value is not null)
                ? (All(v => CellReading.Date(v, true, today).Value is { Year: not null } || CellReading.Date(v, false, today).Value is { Year: not null }) ? OwnFieldKind.Date : OwnFieldKind.YearlyDate, [])
            : different.Count <= MostChoices && values.Count >= 3 * different.Count && different.TrueForAll(d => d.Length <= OwnField.LongestName && !d.Contains(';', StringComparison.Ordinal))
                ? (OwnFieldKind.Choice, [.. different.Order(StringComparer.OrdinalIgnoreCase)])
            : (OwnFieldKind.Text, []);
    }
}
