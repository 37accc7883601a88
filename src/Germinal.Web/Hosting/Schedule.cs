using Germinal.Service.Broadcasts;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Import;
using Germinal.Service.Incoming;
using Germinal.Service.MailAccounts;
using Germinal.Service.Meetings;
using Germinal.Service.OtherPrograms;
using Germinal.Service.Posts;
using Germinal.Service.Sending;
using Germinal.Service.Whole;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Quartz;

namespace Germinal.Web.Hosting;

/// <summary>Recurring work by Quartz: at night, what the practice does not keep is forgotten.</summary>
internal static partial class Schedule
{
    public static void Add(IServiceCollection services)
    {
        services.AddQuartz(q =>
        {
            q.ScheduleJob<ReadingMailboxes>(t => t.WithIdentity("reading-mailboxes").WithCronSchedule("0 * * * * ?"));
            q.ScheduleJob<PlacingInSent>(t => t.WithIdentity("placing-in-sent").WithCronSchedule("2/10 * * * * ?"));
            q.ScheduleJob<GoingOutside>(t => t.WithIdentity("going-outside").WithCronSchedule("20 * * * * ?"));
            q.ScheduleJob<TellingPrograms>(t => t.WithIdentity("telling-programs").WithCronSchedule("0/5 * * * * ?"));
            q.ScheduleJob<AddingUp>(t => t.WithIdentity("adding-up").WithCronSchedule("40 * * * * ?"));
            q.ScheduleJob<LettingGo>(t => t.WithIdentity("letting-go").WithCronSchedule("0 5 * * * ?"));
            q.ScheduleJob<BackingUp>(t => t.WithIdentity("backing-up").WithCronSchedule("0 10 3 * * ?"));
            q.ScheduleJob<Forgetting>(t => t.WithIdentity("forgetting").WithCronSchedule("0 40 2 * * ?"));
        });
        services.AddQuartzHostedService(o => o.WaitForJobsToComplete = true);
    }

    /// <summary>Whether no other worker is at the same work; until the transaction ends none will be.</summary>
    private static async Task<bool> IsFirstAsync(GerminalDb db, int work, CancellationToken stop) =>
        (await db.Database.SqlQuery<bool>($"SELECT pg_try_advisory_xact_lock({work}) AS \"Value\"").ToListAsync(stop)) is [true];

    /// <summary>Reads the practices' own mailboxes; one worker at a time, the others find the lock taken and leave it.</summary>
    [DisallowConcurrentExecution]
    internal sealed class ReadingMailboxes(IDbContextFactory<GerminalDb> databases, MailboxReader reader, MailAccountReader accounts) : IJob
    {
        private const int Lock = 41;

        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            await using var transaction = await db.Database.BeginTransactionAsync(cancellationToken);
            if (await IsFirstAsync(db, Lock, cancellationToken))
            {
                await reader.ReadAllAsync(cancellationToken);
                await accounts.ReadAllAsync(cancellationToken);
            }
        }
    }

    /// <summary>Places what went out by members' own accounts in their folders of sent mail. Workers side by side take different letters.</summary>
    [DisallowConcurrentExecution]
    internal sealed class PlacingInSent(SentCopies copies) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default) => await copies.PlaceDueAsync(cancellationToken);
    }

    /// <summary>Reads what stands elsewhere and is due, members' own calendars and feeds, and hands posts to gateways. Workers side by side take different ones.</summary>
    [DisallowConcurrentExecution]
    internal sealed class GoingOutside(OwnCalendars calendars, IdeaDesk ideas, PostHanding posts) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            await posts.HandDueAsync(cancellationToken);
            await calendars.ReadDueAsync(null, cancellationToken);
            await ideas.ReadDueAsync(cancellationToken);
        }
    }

    /// <summary>Tells other programs what happened. Workers side by side take different calls.</summary>
    [DisallowConcurrentExecution]
    internal sealed class TellingPrograms(HookTelling hooks) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default) =>
            await hooks.TellDueAsync(SystemClock.Instance.GetCurrentInstant(), cancellationToken);
    }

    /// <summary>Adds up counts, notes which broadcasts are over, and looks whether mail is to stop.</summary>
    [DisallowConcurrentExecution]
    internal sealed class AddingUp(IDbContextFactory<GerminalDb> databases, BroadcastMoments broadcasts, BrakeWatch brake) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            await Tallies.AddUpAsync(db, cancellationToken);
            await broadcasts.FinishAsync(cancellationToken);
            await brake.LookAsync(cancellationToken);
        }
    }

    /// <summary>Lets practices go whose week is over.</summary>
    [DisallowConcurrentExecution]
    internal sealed partial class LettingGo(IDbContextFactory<GerminalDb> databases, ILogger<LettingGo> log) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            foreach (var practice in await PracticeEnd.LetGoAsync(databases, SystemClock.Instance.GetCurrentInstant(), cancellationToken))
            {
                LogGone(log, practice);
            }
        }

        [LoggerMessage(Level = LogLevel.Warning, Message = "The practice {Practice} has gone with all it had, a week after a principal said so")]
        private static partial void LogGone(ILogger logger, Guid practice);
    }

    /// <summary>Makes the night's backup; one worker does it, the others find it made, or the lock taken.</summary>
    [DisallowConcurrentExecution]
    internal sealed partial class BackingUp(Settings settings, IDbContextFactory<GerminalDb> databases, ILogger<BackingUp> log) : IJob
    {
        private const int Lock = 42;
        private static readonly Duration Fresh = Duration.FromHours(1);

        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            if (settings.Backups is not { } backups)
            {
                return;
            }

            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            await using var transaction = await db.Database.BeginTransactionAsync(cancellationToken);
            var now = SystemClock.Instance.GetCurrentInstant();
            if (
                !await IsFirstAsync(db, Lock, cancellationToken)
                || backups.All() is [var newest, ..] && now - newest.At < Fresh
            )
            {
                return;
            }

            try
            {
                await backups.MakeAsync(now, cancellationToken);
            }
            catch (BackupException e)
            {
                LogNot(log, e.Message);
            }
        }

        [LoggerMessage(Level = LogLevel.Error, Message = "No backup could be made: {Words}")]
        private static partial void LogNot(ILogger logger, string words);
    }

    /// <summary>Forgets events older than each practice wants to keep, and files of lists that came a while ago, and forms that nobody confirmed.</summary>
    internal sealed class Forgetting(IDbContextFactory<GerminalDb> databases) : IJob
    {
        public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellationToken = default)
        {
            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            var now = await PracticeClock.NowAsync(db, cancellationToken);
            await EventRetention.ForgetAsync(db, now, cancellationToken);
            await ImportedCells.ForgetOldAsync(db, now, cancellationToken);
            await FormIntake.ForgetUnconfirmedAsync(db, now, cancellationToken);
            await HookTelling.ForgetAsync(db, SystemClock.Instance.GetCurrentInstant(), cancellationToken);
        }
    }
}
