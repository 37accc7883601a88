using Germinal.Service.Clock;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Quartz;

namespace Germinal.Web.Hosting;

/// <summary>Recurring work by Quartz: the sweep is asked for at night, so that the coming days' occasions are always written.</summary>
internal static class Schedule
{
    public static void Add(IServiceCollection services)
    {
        services.AddQuartz(q =>
        {
            q.ScheduleJob<NightlySweep>(t => t.WithIdentity("nightly-sweep").WithCronSchedule("0 10 0/6 * * ?"));
        });
        services.AddQuartzHostedService(o => o.WaitForJobsToComplete = true);
    }

    /// <summary>Asks for a sweep; the worker does it in its next round.</summary>
    internal sealed class NightlySweep(IDbContextFactory<GerminalDb> databases) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            await PracticeClock.SweepSoonAsync(db, cancellationToken);
        }
    }
}
