using Germinal.Channels.Letters;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The demo practice, as it ships.</summary>
public sealed class DemoMonth : IAsyncLifetime
{
    public TestDatabase Demo { get; } = TestDatabase.OfDemo();

    public Guid Practice { get; private set; }

    public async Task InitializeAsync()
    {
        await using var all = Demo.CreateDbContext();
        await all.Database.MigrateAsync();
        Practice = await all.Practices.Select(p => p.Id).SingleAsync();
    }

    public Task DisposeAsync()
    {
        Demo.Dispose();
        return Task.CompletedTask;
    }
}

/// <summary>What settings would have changed in the last thirty days, on the demo's own last days.</summary>
public sealed class LastMonthTests(DemoMonth month) : IClassFixture<DemoMonth>, IDisposable
{
    private readonly LastMonth last = new(new Engines(new LiquidLetters(), new ShelfReading()));

    public void Dispose() => last.Dispose();

    private async Task<LastMonthDto> WithAsync(Action<PracticeSettings> change)
    {
        await using var db = month.Demo.For(month.Practice);
        var row = await db.Practices.AsNoTracking().SingleAsync();
        change(row.Settings);
        return await last.OfAsync(db, row, default);
    }

    private static int Total(WentDto went) => went.Emails + went.Texts + went.Calls + went.Notes;

    [Fact]
    public async Task Gone_through_again_as_it_was_the_month_is_what_it_was_and_the_same_settings_change_nothing()
    {
        var same = await WithAsync(_ => { });
        Assert.Equal((0, 0, 0, 0, 0), (same.NotAtAll, same.Besides, same.Later, same.Earlier, same.People));
        Assert.Equal(same.AsSet, same.AsProposed);
        Assert.True(Total(same.Really) > 200, same.Really.ToString());

        // Most of what really went goes again; what does not, is what cannot be known any more.
        var share = Total(same.AsSet) / (double)Total(same.Really);
        Assert.True(share is > 0.9 and < 1.1, $"{same.Really} and {same.AsSet}");
    }

    [Fact]
    public async Task A_stricter_pace_lets_fewer_go_a_looser_one_no_fewer_and_each_is_said_with_its_reason()
    {
        var strict = await WithAsync(s => s.Pace = [new PaceSettings { Max = 1, Days = 30, Channels = ["email", "text"] }]);
        Assert.True(strict.NotAtAll > 0 && strict.People > 0, strict.ToString());
        Assert.Equal(strict.NotAtAll, strict.Why.Values.Sum());
        Assert.Equal(Total(strict.AsProposed) - Total(strict.AsSet), strict.Besides - strict.NotAtAll);
        Assert.Equal(strict.Programs.Sum(p => p.AsProposed - p.AsSet), strict.Besides - strict.NotAtAll);
        Assert.NotEmpty(strict.First);
        var loose = await WithAsync(s => s.Pace = []);
        Assert.True(Total(loose.AsProposed) >= Total(loose.AsSet), loose.ToString());
    }

    [Fact]
    public async Task A_limit_a_day_holds_on_every_day()
    {
        var limited = await WithAsync(s => s.DailyLimits = new() { ["email"] = 3 });
        Assert.True(limited.AsProposed.Emails <= 3 * LastMonth.Days, limited.ToString());
        Assert.True(limited.Later + limited.NotAtAll > 0, limited.ToString());
    }

    [Fact]
    public async Task Closed_all_month_nothing_goes_that_keeps_to_working_days()
    {
        await using var db = month.Demo.For(month.Practice);
        var today = (await db.Clock.SingleAsync()).Now.InUtc().Date;
        var closed = await WithAsync(s => s.Closed = [.. Enumerable.Range(-40, 45).Select(today.PlusDays)]);
        Assert.True(closed.AsProposed.Calls < closed.AsSet.Calls, closed.ToString());
    }
}
