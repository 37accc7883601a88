using System.CommandLine;
using System.Globalization;
using Germinal.Cli.Commands;
using Germinal.Cli.Input;

// What is read and written is the same whatever language the machine speaks.
CultureInfo.DefaultThreadCurrentCulture = CultureInfo.CurrentCulture = CultureInfo.InvariantCulture;

var root = new RootCommand("Checks and rehearses programs from files, with no database, no server and no network.")
{
    CheckCommand.Create(),
    RehearseCommand.Create(),
    TextLengthCommand.Create(),
    RenderCommand.Create(),
};
var parsed = root.Parse(args);
if (parsed.Errors.Count > 0)
{
    foreach (var error in parsed.Errors)
    {
        await Console.Error.WriteLineAsync($"germinal: {error.Message}");
    }

    return 2;
}

try
{
    using var stop = new CancellationTokenSource();
    Console.CancelKeyPress += (_, e) =>
    {
        e.Cancel = true;
        stop.Cancel();
    };
    return await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false }, stop.Token);
}
catch (InputException e)
{
    foreach (var line in e.Lines)
    {
        await Console.Error.WriteLineAsync(line);
    }

    return 2;
}
catch (OperationCanceledException)
{
    await Console.Error.WriteLineAsync("germinal: stopped.");
    return 130;
}
