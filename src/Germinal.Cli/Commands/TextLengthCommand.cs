using System.CommandLine;
using Germinal.Cli.Input;
using Germinal.Core.Messages;

namespace Germinal.Cli.Commands;

/// <summary><c>germinal text-length FILE</c>: one line on the text message in the file.</summary>
internal static class TextLengthCommand
{
    public static Command Create()
    {
        var path = new Argument<string>("FILE") { Description = "a file (UTF-8) that holds one text message" };
        var command = new Command("text-length", "says how long a text message is as it will be sent") { path };
        command.SetAction(parsed => Console.WriteLine(TextLength.Of(Files.Text(parsed.GetRequiredValue(path)))));
        return command;
    }
}
