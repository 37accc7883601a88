using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Germinal.Service.Engine;

/// <summary>The worker process: looks for work a few times a second, and goes on after any error.</summary>
public sealed partial class Worker(EngineRoom room, Import.ImportRunner imports, ILogger<Worker> log) : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(200);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var failures = 0;
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                var worked = await imports.RunNextAsync(stoppingToken) | await room.WorkAsync(stoppingToken);
                failures = 0;
                if (!worked)
                {
                    await Task.Delay(Pause, stoppingToken);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
#pragma warning disable CA1031 // A worker that dies of one bad row would stop everything else; it says so and tries again.
            catch (Exception e)
#pragma warning restore CA1031
            {
                failures = Math.Min(failures + 1, 30);
                LogFailed(log, e);
                await Task.Delay(TimeSpan.FromSeconds(failures), stoppingToken);
            }
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "The worker could not finish a round and tries again")]
    private static partial void LogFailed(ILogger logger, Exception error);
}
