using System.CommandLine;
using Germinal.Channels.Letters;
using Germinal.Cli.Input;

namespace Germinal.Cli.Commands;

/// <summary><c>germinal check PROGRAM…</c>: findings with JSON pointers; 2 when any is an error.</summary>
internal static class CheckCommand
{
    public static Command Create()
    {
        var paths = new Argument<string[]>("PROGRAM") { Description = "program files", Arity = ArgumentArity.OneOrMore };
        var command = new Command("check", "validates program files and prints findings with JSON pointers") { paths };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(paths)));
        return command;
    }

    private static int Run(string[] paths)
    {
        var checkup = ProgramCheckup.Of(paths, new LiquidLetters(), againstSchema: true);
        foreach (var (path, finding) in checkup.Findings)
        {
            Console.WriteLine(Files.Line(path, finding));
        }

        return checkup.Findings.Any(f => !f.Finding.IsWarning) ? 2 : 0;
    }
}
