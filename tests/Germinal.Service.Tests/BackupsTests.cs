using System.Formats.Tar;
using Germinal.Service.Whole;
using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Backups in a folder: made whole or not at all, kept by rule, and good for what they are made for.</summary>
public sealed class BackupsTests : IDisposable
{
    private readonly string home = Directory.CreateTempSubdirectory("germinal-backups-").FullName;

    public void Dispose() => Directory.Delete(home, true);

    private static Backup On(Instant at) => new(at, at.ToString(), 1, true);

    [Fact]
    public void Of_years_of_nights_the_rule_keeps_the_newest_days_weeks_and_months()
    {
        var start = Instant.FromUtc(2025, 1, 1, 3, 10);
        var nights = Enumerable.Range(0, 700).Select(n => On(start + Duration.FromDays(n))).ToList();

        // Night after night, as it goes: what the rule let go once it never needs again.
        var kept = new List<Backup>();
        foreach (var night in nights)
        {
            kept = [.. KeepRule.Usual.Stay(kept.Append(night))];
        }

        Assert.Equal(KeepRule.Usual.Stay(nights), kept);
        Assert.Equal(nights.TakeLast(7).Reverse(), kept.Take(7));
        Assert.InRange(kept.Count, 20, 24);

        // A backup of each of the last twelve months, the newest of it.
        foreach (var month in nights.GroupBy(b => b.At.InUtc().Date.ToYearMonth()).TakeLast(12))
        {
            Assert.Contains(month.Last(), kept);
        }
    }

    [Theory]
    [InlineData("7d 5w 12m", 7, 5, 12)]
    [InlineData("3d", 3, 0, 0)]
    [InlineData(" 1m  2d ", 2, 0, 1)]
    public void What_is_kept_is_read_from_words(string words, int days, int weeks, int months) => Assert.Equal(new KeepRule(days, weeks, months), KeepRule.Parse(words));

    [Theory]
    [InlineData("")]
    [InlineData("7")]
    [InlineData("d")]
    [InlineData("7 days")]
    [InlineData("-7d")]
    [InlineData("0d 0w")]
    [InlineData("99999999999d")]
    public void Other_words_are_refused_with_what_would_be_right(string words) =>
        Assert.Contains("7d 5w 12m", Assert.Throws<FormatException>(() => KeepRule.Parse(words)).Message, StringComparison.Ordinal);

    private static async Task<List<string>> CountsAsync(TestDatabase database)
    {
        await using var db = database.CreateDbContext();
        var counts = new List<string>();
        foreach (var table in PracticeTables.ToLetGo(db.Model))
        {
            var sql = $"SELECT count(*) AS \"Value\" FROM {table.Sql}";
            counts.Add($"{table.Name} {await db.Database.SqlQueryRaw<long>(sql).SingleAsync()}");
        }

        return counts;
    }

    [Fact]
    public async Task A_backup_restored_is_what_was_there_and_the_keys_lie_beside_it()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        for (var i = 0; i < 30; i++)
        {
            await world.PersonAsync($"P{i}");
        }

        var (data, folder) = (Path.Combine(home, "data"), Path.Combine(home, "backups"));
        Directory.CreateDirectory(Path.Combine(data, "keys"));
        await File.WriteAllTextAsync(Path.Combine(data, "link-key"), "a key");
        await File.WriteAllTextAsync(Path.Combine(data, "keys", "key-1.xml"), "<key/>");
        await File.WriteAllTextAsync(Path.Combine(data, "web.log"), "no key");
        var backups = new Backups(folder, world.Database.ConnectionString, data, new KeepRule(2, 0, 0));
        Assert.Empty(backups.All());

        var first = Instant.FromUtc(2027, 3, 1, 3, 10);
        var made = await backups.MakeAsync(first, default);
        Assert.Equal((first, true), (made.At, made.HasKeys));
        Assert.All(Directory.GetFiles(folder), f => Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(f)));
        var names = new List<string>();
        await using (var tar = new TarReader(File.OpenRead(made.File.Replace(".dump", ".keys.tar", StringComparison.Ordinal))))
        {
            while (await tar.GetNextEntryAsync() is { } entry)
            {
                names.Add(entry.Name);
            }
        }

        Assert.Equal(["keys/key-1.xml", "link-key"], names.Order(StringComparer.Ordinal));

        using var again = TestDatabase.Restored(made.File);
        Assert.Equal(await CountsAsync(world.Database), await CountsAsync(again));

        // By the rule two nights stay.
        for (var night = 1; night < 4; night++)
        {
            await backups.MakeAsync(first + Duration.FromDays(night), default);
        }

        Assert.Equal([first + Duration.FromDays(3), first + Duration.FromDays(2)], backups.All().Select(b => b.At));
        Assert.Equal(4, Directory.GetFiles(folder).Length);
    }

    [Fact]
    public async Task What_cannot_be_made_says_why_and_leaves_nothing_behind()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        var folder = Path.Combine(home, "backups");
        var now = Instant.FromUtc(2027, 3, 1, 3, 10);
        var lost = new Backups(folder, "Host=127.0.0.1;Port=1;Username=nobody;Database=none", home, KeepRule.Usual);
        Assert.Contains("pg_dump could not write", (await Assert.ThrowsAsync<BackupException>(() => lost.MakeAsync(now, default))).Message, StringComparison.Ordinal);
        var without = new Backups(folder, world.Database.ConnectionString, home, KeepRule.Usual, Path.Combine(home, "nowhere"));
        Assert.Contains("no pg_dump on this machine", (await Assert.ThrowsAsync<BackupException>(() => without.MakeAsync(now, default))).Message, StringComparison.Ordinal);
        Assert.Empty(Directory.GetFiles(folder));

        await File.WriteAllTextAsync(Path.Combine(home, "a-file"), "");
        var file = new Backups(Path.Combine(home, "a-file"), world.Database.ConnectionString, home, KeepRule.Usual);
        Assert.Contains("GERMINAL_BACKUPS", (await Assert.ThrowsAsync<BackupException>(() => file.MakeAsync(now, default))).Message, StringComparison.Ordinal);

        using var given = new CancellationTokenSource();
        await given.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => new Backups(folder, world.Database.ConnectionString, home, KeepRule.Usual).MakeAsync(now, given.Token));
        Assert.Empty(Directory.GetFiles(folder));
    }
}
