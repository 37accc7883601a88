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

    public static (int Code, string Output, string Error) Rehearse(params string[] more) => RehearseOf(more: more);

    /// <summary>The case rehearsed, with other files or between other moments where a test names them.</summary>
    public static (int Code, string Output, string Error) RehearseOf(
        string people = "people.csv",
        string? events = "events.csv",
        string from = "2027-03-29T00:00",
        string to = "2027-06-01T00:00",
        params string[] more
    ) =>
        Run([
            "rehearse",
            "--practice",
            "practice.json",
            "--people",
            people,
            "--program",
            "start.program.json",
            .. events is null ? Array.Empty<string>() : ["--events", events],
            "--from",
            from,
            "--to",
            to,
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
