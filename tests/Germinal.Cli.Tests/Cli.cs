using System.Diagnostics;

namespace Germinal.Cli.Tests;

/// <summary>Runs the command line as people do: a process with arguments, its output and its exit code.</summary>
internal static class Cli
{
    public static readonly string Case = Path.Combine(AppContext.BaseDirectory, "Case");

    public static (int Code, string Output, string Error) Run(params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, "germinal.dll"), .. arguments])
        {
            UseShellExecute = false,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            WorkingDirectory = Case,
        };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, error.Result);
    }

    public static (int Code, string Output, string Error) Rehearse(params string[] more) =>
        Run([
            "rehearse",
            "--practice",
            "practice.json",
            "--people",
            "people.csv",
            "--program",
            "start.program.json",
            "--events",
            "events.csv",
            "--from",
            "2027-03-29T00:00",
            "--to",
            "2027-06-01T00:00",
            .. more,
        ]);

    /// <summary>A file with other content beside the case's own.</summary>
    public static string Written(string name, string content)
    {
        var folder = Directory.CreateTempSubdirectory("germinal-test-").FullName;
        var path = Path.Combine(folder, name);
        File.WriteAllText(path, content);
        return path;
    }
}
