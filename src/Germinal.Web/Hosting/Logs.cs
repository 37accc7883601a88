using System.Globalization;
using Serilog;
using Serilog.Events;

namespace Germinal.Web.Hosting;

/// <summary>Logs, one line an event; no message bodies and no addresses at information level.</summary>
internal static class Logs
{
    private const string Line = "{Timestamp:yyyy-MM-dd HH:mm:ss} {Level:u3} {SourceContext}: {Message:lj}{NewLine}{Exception}";

    public static void Configure(LoggerConfiguration log) =>
        log
            .MinimumLevel.Information()
            .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
            .MinimumLevel.Override("System", LogEventLevel.Warning)
            .MinimumLevel.Override("Quartz", LogEventLevel.Warning)
            .To(Environment.GetEnvironmentVariable("GERMINAL_LOG"));

    /// <summary>To a file that turns over by size, the last few kept; to the console where none is named.</summary>
    private static LoggerConfiguration To(this LoggerConfiguration log, string? file) =>
        string.IsNullOrEmpty(file)
            ? log.WriteTo.Console(outputTemplate: Line, formatProvider: CultureInfo.InvariantCulture)
            : log.WriteTo.File(
                file,
                outputTemplate: Line,
                fileSizeLimitBytes: 10_000_000,
                rollOnFileSizeLimit: true,
                retainedFileCountLimit: 5,
                formatProvider: System.Globalization.CultureInfo.InvariantCulture
            );
}
