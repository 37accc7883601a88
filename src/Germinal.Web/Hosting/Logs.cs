using Serilog;
using Serilog.Events;

namespace Germinal.Web.Hosting;

/// <summary>Logs to the console, one line an event; no message bodies and no addresses at information level.</summary>
internal static class Logs
{
    public static void Configure(LoggerConfiguration log) => log
        .MinimumLevel.Information()
        .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
        .MinimumLevel.Override("System", LogEventLevel.Warning)
        .MinimumLevel.Override("Quartz", LogEventLevel.Warning)
        .WriteTo.Console(outputTemplate: "{Timestamp:HH:mm:ss} {Level:u3} {SourceContext}: {Message:lj}{NewLine}{Exception}");
}
