using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;
using CsvHelper.Delegates;

namespace Germinal.Channels.Tables;

/// <summary>
/// CSV (RFC 4180) as it goes out and comes in everywhere. A cell that a spreadsheet would take for a formula (it begins with
/// <c>= + - @</c>, tab or carriage return) goes out with an apostrophe before it; coming in, that apostrophe is taken off again.
/// </summary>
public static class CsvText
{
    private static readonly char[] Dangerous = ['=', '+', '-', '@', '\t', '\r'];
    private static readonly string[] Delimiters = [",", ";", "\t"];

    /// <summary>Reads cells from a text.</summary>
    /// <param name="text">The text.</param>
    /// <param name="delimiter">What parts the cells; null: comma, semicolon or tab, whichever fits best.</param>
    /// <param name="skipBlankLines">Whether lines without anything are no rows.</param>
    public static CsvParser Parser(TextReader text, string? delimiter = null, bool skipBlankLines = false) =>
        new(
            text,
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                DetectDelimiter = delimiter is null,
                DetectDelimiterValues = Delimiters,
                Delimiter = delimiter ?? ",",
                GetDelimiter = OfHeader,
                HasHeaderRecord = false,
                BadDataFound = null,
                IgnoreBlankLines = skipBlankLines,
                MissingFieldFound = null,
            }
        );

    /// <summary>The cells of the row a parser stands on, as they were before they went out.</summary>
    public static string[] CellsOf(CsvParser parser) => [.. (parser.Record ?? []).Select(Unguarded)];

    /// <summary>Writes cells.</summary>
    /// <param name="output">Where to; left open.</param>
    /// <param name="newLine">The end of a row.</param>
    public static CsvWriter Writer(TextWriter output, string newLine = "\r\n") =>
        new(
            output,
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                NewLine = newLine,
                InjectionOptions = InjectionOptions.Escape,
                InjectionCharacters = Dangerous,
                InjectionEscapeCharacter = '\'',
                ShouldQuote = NeedsQuotes,
            },
            leaveOpen: true
        );

    /// <summary>Writes one row.</summary>
    public static void WriteRow(this CsvWriter csv, IEnumerable<string?> cells)
    {
        foreach (var cell in cells)
        {
            csv.WriteField(cell);
        }

        csv.NextRecord();
    }

    /// <summary>The stock function minds the end of a row that is set, and no other line break.</summary>
    private static bool NeedsQuotes(ShouldQuoteArgs args) => ConfigurationFunctions.ShouldQuote(args) || args.Field?.AsSpan().IndexOfAny('\r', '\n') >= 0;

    /// <summary>The names of the columns part better than what people have written under them.</summary>
    private static string OfHeader(GetDelimiterArgs args) =>
        ConfigurationFunctions.GetDelimiter(
            new GetDelimiterArgs(args.Text.AsSpan().TrimStart("\r\n").ToString().Split(['\r', '\n'], 2)[0] + "\n", args.Configuration)
        );

    private static string Unguarded(string cell) => cell is ['\'', var next, ..] && Dangerous.Contains(next) ? cell[1..] : cell;
}
