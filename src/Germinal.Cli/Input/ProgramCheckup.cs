using System.Text.Json.Nodes;
using Germinal.Channels.Letters;
using Germinal.Core.Files;
using Germinal.Core.Programs;

namespace Germinal.Cli.Input;

/// <summary>Several program files looked at together: what reads well, and every finding with its file.</summary>
public sealed record ProgramCheckup(IReadOnlyList<(string Path, ProgramDefinition Program)> Read, IReadOnlyList<(string Path, Finding Finding)> Findings)
{
    /// <summary>Checks files: unknown fields, hand-overs, loops, order, reach.</summary>
    /// <param name="paths">The files.</param>
    /// <param name="letters">For the templates in them.</param>
    /// <param name="againstSchema">Whether the published schema is asked as well, which takes a moment longer.</param>
    public static ProgramCheckup Of(IReadOnlyList<string> paths, LiquidLetters letters, bool againstSchema)
    {
        var findings = new List<(string, Finding)>();
        var read = new List<(string Path, ProgramDefinition Program)>();
        foreach (var path in paths)
        {
            string text;
            try
            {
                text = Files.Text(path);
            }
            catch (InputException e)
            {
                findings.Add((path, new Finding("", e.Lines[0][(path.Length + 2)..])));
                continue;
            }

            var reading = ProgramFile.Read(text);
            var errors = reading.Errors.Count > 0 || !againstSchema ? reading.Errors : SchemaFindings(text);
            findings.AddRange(errors.Select(e => (path, e)));
            if (reading.Program is { } program)
            {
                if (read.Find(r => Same(r.Program.Name, program.Name)) is { Program: not null } twin)
                {
                    findings.Add((path, new Finding("/name", $"“{program.Name}” is the name of {twin.Path} too; each program needs its own.")));
                }

                read.Add((path, program));
            }
        }

        foreach (var (path, program) in read)
        {
            var others = read.Where(r => !Same(r.Program.Name, program.Name)).Select(r => r.Program.Name).ToHashSet(StringComparer.OrdinalIgnoreCase);
            findings.AddRange(ProgramCheck.Findings(program, others, letters.Problems).Select(f => (path, f)));
        }

        findings.AddRange(ProgramCheck.LoopFindings([.. read.Select(r => r.Program)]).Select(l => (read.First(r => r.Program == l.Program).Path, l.Finding)));
        return new ProgramCheckup(read, findings);
    }

    /// <summary>
    /// What the published schema finds. The reader says everything more plainly; this holds the two together, so that no file
    /// passes here that another program's validator would refuse.
    /// </summary>
    private static IReadOnlyList<Finding> SchemaFindings(string text)
    {
        var result = Json
            .Schema.JsonSchema.FromText(FileSchemas.Program)
            .Evaluate(JsonNode.Parse(text), new Json.Schema.EvaluationOptions { OutputFormat = Json.Schema.OutputFormat.List });
        return result.IsValid
            ? []
            :
            [
                .. result
                    .Details.Where(d => d.HasErrors)
                    .SelectMany(d => d.Errors!.Select(e => new Finding(d.InstanceLocation.ToString(), $"The schema says: {e.Value}"))),
            ];
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
