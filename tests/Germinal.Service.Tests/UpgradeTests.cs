using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Hosting;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>
/// The demo practice as it ships stands at an earlier state of the database, with hundreds of runs under way: it is brought to today's, and goes on.
/// </summary>
public sealed class UpgradeTests
{
    private static async Task<(int Runs, int Touches, int People)> StandsAsync(TestDatabase database)
    {
        await using var db = database.CreateDbContext();
        async Task<int> CountAsync(string sql) => (int)await db.Database.SqlQueryRaw<long>(sql).SingleAsync();
        return (
            await CountAsync("SELECT count(*) AS \"Value\" FROM runs WHERE ended_at IS NULL"),
            await CountAsync("SELECT count(*) AS \"Value\" FROM touches WHERE status = 'planned'"),
            await CountAsync("SELECT count(*) AS \"Value\" FROM people")
        );
    }

    [Fact]
    public async Task An_earlier_database_is_changed_once_by_several_at_once_and_what_is_under_way_goes_on()
    {
        var demo = TestDatabase.OfDemo();
        await using var world = await World.OnAsync(demo);
        await using (var db = demo.CreateDbContext())
        {
            var lacking = (await db.Database.GetPendingMigrationsAsync()).ToList();
            Assert.Contains(lacking, m => m.EndsWith("_MembersAndBeginning", StringComparison.Ordinal));
        }

        var before = await StandsAsync(demo);
        Assert.True(before is { Runs: > 100, People: > 500 }, before.ToString());
        await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(async _ =>
                {
                    await using var db = demo.CreateDbContext();
                    await DatabaseUpgrade.RunAsync(db, default);
                })
        );
        Assert.Equal(before, await StandsAsync(demo));
        await using (var db = demo.CreateDbContext())
        {
            Assert.Empty(await db.Database.GetPendingMigrationsAsync());
            Assert.Null(await DatabaseUpgrade.NewerAsync(db, default));
        }

        // Two days go by: what was planned before goes out now, each once, and nobody is set aside.
        await using var own = world.Db();
        var now = await world.NowAsync();
        var sentBefore = await own.Messages.CountAsync();
        await own.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, (Instant?)now).SetProperty(c => c.MoveTo, (Instant?)(now + Duration.FromDays(2))));
        while (await world.Room.WorkAsync(default)) { }

        Assert.Equal(now + Duration.FromDays(2), await world.NowAsync());
        var sent = await own.Messages.AsNoTracking().Where(m => m.SentAt > now).ToListAsync();
        Assert.True(sent.Count > 10, $"{sent.Count} messages");
        Assert.Equal(sentBefore + sent.Count, await own.Messages.CountAsync());
        var mails = world.Mail.Sent.Select(m => m.MessageId).ToList();
        Assert.Equal(mails.Count, mails.Distinct(StringComparer.Ordinal).Count());
        Assert.Equal(0, await own.States.CountAsync(s => s.SetAside != null));
        var early = await own.Runs.Where(r => r.StartedAt < now).Select(r => r.Id).ToListAsync();
        Assert.NotEqual(0, await own.Touches.CountAsync(t => early.Contains(t.RunId) && t.Status == TouchStatus.Sent && t.SettledAt > now));
    }

    private sealed class Life : IHostApplicationLifetime
    {
        private readonly TaskCompletionSource stopped = new();

        public Task Stopped => stopped.Task;

        public CancellationToken ApplicationStarted => default;

        public CancellationToken ApplicationStopping => default;

        public CancellationToken ApplicationStopped => default;

        public void StopApplication() => stopped.TrySetResult();
    }

    [Fact]
    public async Task A_worker_of_before_ends_once_the_database_is_further_and_an_old_program_does_not_start()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        await using var db = world.Database.CreateDbContext();
        await db.Database.ExecuteSqlAsync($"""INSERT INTO "__EFMigrationsHistory" VALUES ('29990101000000_Later', '10')""");
        var life = new Life();
        using var worker = new Worker(world.Room, new Import.ImportRunner(world.Database), world.Database, life, new Noted<Worker>(world.Logs));
        await worker.StartAsync(default);
        await life.Stopped.WaitAsync(TimeSpan.FromMinutes(1));
        await worker.StopAsync(default);
        Assert.Contains(world.Logs, l => l.Text.Contains("29990101000000_Later", StringComparison.Ordinal));
        Assert.Contains("Start that one", (await Assert.ThrowsAsync<NewerDatabaseException>(() => DatabaseUpgrade.RunAsync(db, default))).Message, StringComparison.Ordinal);
    }
}
