using Germinal.Store;

namespace Germinal.Web.Hosting;

/// <summary>What happens before the first request: migrations, and a practice in a new database.</summary>
public static class Startup
{
    /// <summary>Migrates, and sees to it that there is a practice.</summary>
    public static async Task PrepareAsync(IServiceProvider services, CancellationToken stop)
    {
        await using var scope = services.CreateAsyncScope();
        var db = scope.ServiceProvider.GetRequiredService<GerminalDb>();
        await DatabaseUpgrade.RunAsync(db, stop);
        await scope.ServiceProvider.GetRequiredService<IFirstPractice>().PrepareAsync(scope.ServiceProvider, db, stop);
    }
}
