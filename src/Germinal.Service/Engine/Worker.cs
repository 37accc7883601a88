using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// The worker process: looks for work a few times a second, goes on after any error, and gives a sign of life. Once a newer program has changed the database it finishes
/// what it is at, and ends.
/// </summary>
public sealed partial class Worker(EngineRoom room, Import.ImportRunner imports, IDbContextFactory<GerminalDb> databases, IHostApplicationLifetime life, ILogger<Worker> log)
    : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(200);
    private static readonly TimeSpan BetweenSigns = TimeSpan.FromSeconds(5);

    private readonly Guid id = Guid.NewGuid();

    // Ticks of machine time; 0 while there is nothing to do.
    private long busySince;

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var signs = GiveSignsAsync(stoppingToken);
        var failures = 0;
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                Interlocked.Exchange(ref busySince, SystemClock.Instance.GetCurrentInstant().ToUnixTimeTicks());
                var worked = await imports.RunNextAsync(stoppingToken, room.WorkAsync) | await room.WorkAsync(stoppingToken);
                Interlocked.Exchange(ref busySince, 0);
                failures = 0;
                if (!worked)
                {
                    await Task.Delay(Pause, stoppingToken);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                break;
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

        await signs;
    }

    private async Task GiveSignsAsync(CancellationToken stop)
    {
        while (!stop.IsCancellationRequested)
        {
            try
            {
                await using var db = await databases.CreateDbContextAsync(stop);
                var now = SystemClock.Instance.GetCurrentInstant();
                var since = Interlocked.Read(ref busySince) is > 0 and var ticks ? Instant.FromUnixTimeTicks(ticks) : (Instant?)null;
                await db.Database.ExecuteSqlAsync(
                    $"""
                    INSERT INTO workers (id, seen_at, busy_since) VALUES ({id}, {now}, {since})
                    ON CONFLICT (id) DO UPDATE SET seen_at = excluded.seen_at, busy_since = excluded.busy_since
                    """,
                    stop
                );
                await db.Workers.Where(w => w.SeenAt < now - Duration.FromHours(1)).ExecuteDeleteAsync(stop);
                if (await DatabaseUpgrade.NewerAsync(db, stop) is { } newer)
                {
                    LogNewer(log, newer);
                    life.StopApplication();
                    return;
                }

                await Task.Delay(BetweenSigns, stop);
            }
            catch (OperationCanceledException)
            {
                return;
            }
#pragma warning disable CA1031 // No sign of life is what tells that the database is away.
            catch (Exception e)
#pragma warning restore CA1031
            {
                LogNoSign(log, e.Message);
                await Task.Delay(BetweenSigns, CancellationToken.None);
            }
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "The worker could not finish a round and tries again")]
    private static partial void LogFailed(ILogger logger, Exception error);

    [LoggerMessage(Level = LogLevel.Warning, Message = "The database was changed by a newer Germinal ({Migration}); this worker ends")]
    private static partial void LogNewer(ILogger logger, string migration);

    [LoggerMessage(Level = LogLevel.Warning, Message = "The worker could not give a sign of life: {Words}")]
    private static partial void LogNoSign(ILogger logger, string words);
}
