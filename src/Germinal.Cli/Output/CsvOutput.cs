using System.Globalization;
using Germinal.Channels.Tables;
using Germinal.Core.Practices;
using Germinal.Core.Time;

namespace Germinal.Cli.Output;

/// <summary>Touches as CSV (RFC 4180, but for lines that end with a line feed alone).</summary>
internal static class CsvOutput
{
    private static readonly string[] Columns = ["person", "program", "run", "step", "kind", "due", "settled", "outcome", "reason"];

    public static void Write(IEnumerable<TouchLine> lines, Practice practice, bool why, TextWriter output)
    {
        using var csv = CsvText.Writer(output, "\n");
        csv.WriteRow(why ? [.. Columns, "why"] : Columns);
        foreach (var line in lines)
        {
            var zone = practice.ZoneOf(line.Person);
            string[] cells =
            [
                line.Person.Handle,
                line.Touch.Program.Definition.Name,
                line.Touch.Run.ToString(CultureInfo.InvariantCulture),
                line.Touch.Step.Id,
                line.Touch.Step.Kind,
                Moments.Write(line.Touch.Due, zone),
                line.Touch.SettledAt is { } at ? Moments.Write(at, zone) : "",
                line.Outcome,
                line.Reason,
            ];
            csv.WriteRow(why ? [.. cells, string.Join(' ', line.Sentences(practice))] : cells);
        }
    }
}
