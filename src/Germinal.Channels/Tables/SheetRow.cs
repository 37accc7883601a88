using System.Globalization;

namespace Germinal.Channels.Tables;

/// <summary>A row of a sheet.</summary>
/// <param name="Line">As the spreadsheet counts, from 1.</param>
/// <param name="Cells">Its values as text, from the first column on.</param>
public sealed record SheetRow(int Line, string[] Cells);

/// <summary>What stands in a cell, as text.</summary>
public static class SheetValue
{
    /// <summary>
    /// A value as a list has it: a date as <c>YYYY-MM-DD</c>, with its time where it has one, a number without an exponent, true and false as
    /// yes and no. A number has fifteen digits in a spreadsheet; more were never there.
    /// </summary>
    public static string Text(object? value) =>
        value switch
        {
            null => "",
            string text => text,
            bool yes => yes ? "yes" : "no",
            DateTime moment => Text(moment),
            TimeSpan time => time.ToString("hh\\:mm", CultureInfo.InvariantCulture),
            double number => Text(number),
            IFormattable other => other.ToString(null, CultureInfo.InvariantCulture),
            _ => value.ToString() ?? "",
        };

    private static string Text(DateTime moment) =>
        moment.TimeOfDay == TimeSpan.Zero
            ? moment.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)
            : moment.ToString("yyyy-MM-dd'T'HH:mm", CultureInfo.InvariantCulture);

    private static string Text(double number) =>
        Math.Abs(number) < 1e28 ? ((decimal)number).ToString("0.#############################", CultureInfo.InvariantCulture) : number.ToString(CultureInfo.InvariantCulture);
}
