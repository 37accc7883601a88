namespace Germinal.Web.Doctor;

/// <summary>
/// Looks an installation over, and says what is wrong with it and what to do: <c>./germinal doctor</c>. It changes nothing, and each check goes on where another one found
/// something wrong, as far as it can.
/// </summary>
public static class Doctor
{
    private static readonly Dictionary<Health, string> Marks = new() { [Health.Well] = "well    ", [Health.Doubtful] = "DOUBTFUL", [Health.Wrong] = "WRONG   " };

    /// <summary>Looks, and writes what it finds.</summary>
    /// <param name="configuration">What the installation is told by its environment.</param>
    /// <param name="limits">What is looked for.</param>
    /// <param name="output">Where to.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>0 where nothing is wrong, 1 where something is.</returns>
    public static async Task<int> RunAsync(IConfiguration configuration, Limits limits, TextWriter output, CancellationToken stop)
    {
        var findings = await LookAsync(configuration, limits, stop);
        foreach (var finding in findings)
        {
            await output.WriteLineAsync($"{Marks[finding.Is]}  {finding.What}");
            if (finding.Then.Length > 0)
            {
                await output.WriteLineAsync($"          → {finding.Then}");
            }
        }

        var (wrong, doubtful) = (findings.Count(f => f.Is == Health.Wrong), findings.Count(f => f.Is == Health.Doubtful));
        await output.WriteLineAsync($"{findings.Count} things looked at: {wrong} wrong, {doubtful} doubtful.");
        return wrong > 0 ? 1 : 0;
    }

    /// <summary>Everything that was looked at.</summary>
    public static async Task<IReadOnlyList<Finding>> LookAsync(IConfiguration configuration, Limits limits, CancellationToken stop)
    {
        var findings = new List<Finding>();
        findings.AddRange(FolderChecks.Look(configuration, limits));
        await foreach (var finding in DatabaseChecks.LookAsync(configuration, limits, stop))
        {
            findings.Add(finding);
        }

        await foreach (var finding in NetChecks.LookAsync(configuration, stop))
        {
            findings.Add(finding);
        }

        return findings;
    }
}
