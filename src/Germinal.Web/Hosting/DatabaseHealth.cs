using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Diagnostics.HealthChecks;

namespace Germinal.Web.Hosting;

/// <summary>Ready means the database answers and its tables are up to date.</summary>
internal sealed class DatabaseHealth(IDbContextFactory<GerminalDb> databases) : IHealthCheck
{
    public async Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken cancellationToken = default)
    {
        try
        {
            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            return await db.Clock.AnyAsync(cancellationToken) ? HealthCheckResult.Healthy() : HealthCheckResult.Unhealthy("The practice clock is not set.");
        }
        catch (Exception e) when (e is Npgsql.NpgsqlException or InvalidOperationException)
        {
            return HealthCheckResult.Unhealthy("The database does not answer.", e);
        }
    }
}
