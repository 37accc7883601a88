using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Diagnostics.HealthChecks;
using NodaTime;

namespace Germinal.Web.Hosting;

/// <summary>
/// Tells whether a worker is there, and whether one is stuck: no sign of life for half a minute, or at the same round of work
/// for ten minutes while the clock is not being moved.
/// </summary>
internal sealed class WorkerHealth(IDbContextFactory<GerminalDb> databases) : IHealthCheck
{
    private static readonly Duration Silent = Duration.FromSeconds(30);
    private static readonly Duration Stuck = Duration.FromMinutes(10);

    public async Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken cancellationToken = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancellationToken);
        var now = SystemClock.Instance.GetCurrentInstant();
        var alive = await db.Workers.AsNoTracking().Where(w => w.SeenAt > now - Silent).ToListAsync(cancellationToken);
        if (alive.Count == 0)
        {
            return HealthCheckResult.Unhealthy("No worker has given a sign of life for half a minute; nothing is sent.");
        }

        var moving = await db.Clock.AnyAsync(c => c.MoveTo != null, cancellationToken);
        var stuck = moving ? 0 : alive.Count(w => w.BusySince < now - Stuck);
        return stuck > 0
            ? HealthCheckResult.Degraded($"{stuck} of {alive.Count} workers have been at the same round of work for ten minutes.")
            : HealthCheckResult.Healthy($"{alive.Count} at work.");
    }
}
