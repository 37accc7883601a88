using System.Net;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Text;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Germinal.Web.Doctor;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Configuration;
using Microsoft.Extensions.Logging;
using NodaTime;
using Npgsql;

namespace Germinal.Web.Tests;

/// <summary>An installation that is well, and the same broken in one way after another: the doctor names that, what to do, and nothing else.</summary>
public sealed class DoctorTests : IAsyncLifetime
{
    private readonly TestDatabase database = new();
    private readonly string home = Directory.CreateTempSubdirectory("germinal-doctor-").FullName;
    private readonly TcpListener mail = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource ended = new();
    private readonly Dictionary<string, string?> told = new(StringComparer.Ordinal);
    private WebApplication web = null!;
    private string answer = "Healthy";
    private Limits limits = new(SystemClock.Instance);

    private sealed class Standing(Instant at) : IClock
    {
        public Instant GetCurrentInstant() => at;
    }

    private string Data => Path.Combine(home, "data");

    private string Backups => Path.Combine(home, "backups");

    public async Task InitializeAsync()
    {
        foreach (var folder in new[] { Data, Backups, Path.Combine(home, "www") })
        {
            Directory.CreateDirectory(folder);
        }

        await File.WriteAllTextAsync(Path.Combine(home, "www", "index.html"), "<!doctype html>");
        foreach (var key in new[] { "link-key", "hook-key" })
        {
            await File.WriteAllBytesAsync(Path.Combine(Data, key), RandomNumberGenerator.GetBytes(48));
            File.SetUnixFileMode(Path.Combine(Data, key), UnixFileMode.UserRead | UnixFileMode.UserWrite);
        }

        var now = SystemClock.Instance.GetCurrentInstant();
        await BackUpAsync(now - Duration.FromHours(20));
        var (practice, _, _) = await database.PracticeAsync(now);
        var secrets = new Secrets(DataProtectionProvider.Create(new DirectoryInfo(Path.Combine(Data, "keys")), o => o.SetApplicationName("germinal")));
        await using (var db = database.For(practice))
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Real, true));
            db.Workers.Add(new WorkerRow { Id = Guid.NewGuid(), SeenAt = now });
            var row = await db.Practices.SingleAsync(p => p.Id == practice);
            row.Settings.MailOut = new MailServerSettings { Host = "mail.example.com", Port = 587, User = "ada", SealedPassword = secrets.Seal("a password") };
            db.Entry(row).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }

        mail.Start();
        _ = ServeMailAsync();
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        web = builder.Build();
        web.MapGet("/health/ready", () => Results.Text(answer, statusCode: answer == "Unhealthy" ? 503 : 200));
        await web.StartAsync();

        told["GERMINAL_DB"] = database.ConnectionString;
        told["GERMINAL_DATA"] = Data;
        told["GERMINAL_WWW"] = Path.Combine(home, "www");
        told["GERMINAL_BACKUPS"] = Backups;
        told["GERMINAL_URL"] = "https://germinal.example.com";
        told["ASPNETCORE_URLS"] = web.Urls.Single();
        told["GERMINAL_SMTP_PORT"] = $"{((IPEndPoint)mail.LocalEndpoint).Port}";
        told["GERMINAL_MAIL_DOMAIN"] = "answers.example.com";
        told["GERMINAL_INBOUND_PORT"] = told["GERMINAL_SMTP_PORT"];
    }

    public async Task DisposeAsync()
    {
        await ended.CancelAsync();
        await web.DisposeAsync();
        mail.Dispose();
        ended.Dispose();
        database.Dispose();
        Directory.Delete(home, true);
    }

    private async Task BackUpAsync(Instant at)
    {
        foreach (var old in Directory.GetFiles(Backups))
        {
            File.Delete(old);
        }

        var name = Path.Combine(Backups, $"germinal-{at.InUtc().ToString("uuuuMMdd'T'HHmmss'Z'", null)}");
        await File.WriteAllTextAsync(name + ".dump", "a dump");
        await File.WriteAllTextAsync(name + ".keys.tar", "keys");
    }

    private async Task ServeMailAsync()
    {
        while (!ended.IsCancellationRequested)
        {
            try
            {
                using var client = await mail.AcceptTcpClientAsync(ended.Token);
                await using var stream = client.GetStream();
                await stream.WriteAsync("220 mail.example.com\r\n"u8.ToArray(), ended.Token);
                using var reader = new StreamReader(stream, Encoding.ASCII, leaveOpen: true);
                while (await reader.ReadLineAsync(ended.Token) is { } line)
                {
                    await stream.WriteAsync(line.StartsWith("QUIT", StringComparison.Ordinal) ? "221 bye\r\n"u8.ToArray() : "250 mail.example.com\r\n"u8.ToArray(), ended.Token);
                }
            }
            catch (Exception e) when (e is IOException or OperationCanceledException or SocketException) { }
        }
    }

    private Task<IReadOnlyList<Finding>> LookAsync() => Doctor.Doctor.LookAsync(new ConfigurationBuilder().AddInMemoryCollection(told).Build(), limits, default);

    private async Task SqlAsync(string sql)
    {
        await using var db = database.CreateDbContext();
        await db.Database.ExecuteSqlRawAsync(sql);
    }

    private string Connection(Action<NpgsqlConnectionStringBuilder> change)
    {
        var builder = new NpgsqlConnectionStringBuilder(database.ConnectionString);
        change(builder);
        return builder.ConnectionString;
    }

    public static TheoryData<string, string, string> Broken { get; } = new()
    {
        { "no database is named", "GERMINAL_DB is not set", "Host=" },
        { "the database's address is nonsense", "GERMINAL_DB is no connection string", "Host=" },
        { "the database is away", "The database does not answer", "Start PostgreSQL" },
        { "the database's password is wrong", "The database refuses us", "GERMINAL_DB" },
        { "the database was dropped", "The database is not there", "restore a backup" },
        { "the database is too old", "is the oldest that does", "pg_upgrade" },
        { "the database is empty", "The database is empty", "Start the web server" },
        { "changes of the database are missing", "1 changes of the database have not been made", "Start the web server" },
        { "the database is of a newer program", "changed by a newer Germinal (29990101000000_Later)", "Start that one" },
        { "a key is damaged", "link-key is damaged: it holds 3 bytes", "backup" },
        { "a key is everybody's", "can be read by others", "chmod 600" },
        { "the folder of the keys is gone", "is not there", "backup" },
        { "what seals is lost", "1 of 1 sealed secrets", ".keys.tar" },
        { "the machine's clock is wrong", "seconds apart", "timedatectl" },
        { "the clock stands", "The clock stands", "empty database" },
        { "no worker is there", "No worker has given a sign of life", "--worker" },
        { "a server has been away", "mail-out does not take what is handed to it", "another" },
        { "backups have stopped", "is 100 hours old", "No backup could be made" },
        { "a backup is without keys", "there are no keys", "anew" },
        { "what backups are kept is nonsense", "GERMINAL_BACKUPS_KEPT", "does not start" },
        { "the disk is full", "GB are free where data lies", "Make room" },
        { "the pages are not built", "There are no pages", "npm run build" },
        { "the address is nonsense", "which is no address", "https://" },
        { "a proxy has a name", "names “proxy.example.com”", "127.0.0.1" },
        { "the web server is away", "The web server does not answer", "Start it" },
        { "the web server is not ready", "says that it is not ready", "database" },
        { "something else has the port", "Something else than Germinal answers", "another port" },
        { "the mail server is away", "does not answer as one", "GERMINAL_SMTP_HOST" },
        { "the mail port is nonsense", "GERMINAL_SMTP_PORT is “mail”", "587" },
        { "nobody listens for answers", "Nobody listens for answers", "web server" },
        { "the port of answers is not set", "nobody listens for them", "port" },
    };

    private async Task BreakAsync(string how)
    {
        var now = SystemClock.Instance.GetCurrentInstant();
        switch (how)
        {
            case "no database is named": told["GERMINAL_DB"] = ""; break;
            case "the database's address is nonsense": told["GERMINAL_DB"] = "postgres somewhere"; break;
            case "the database is away": told["GERMINAL_DB"] = Connection(c => c.Port = 1); break;
            case "the database's password is wrong": told["GERMINAL_DB"] = Connection(c => c.Password = "not this one"); break;
            case "the database was dropped": told["GERMINAL_DB"] = Connection(c => c.Database = "t_none"); break;
            case "the database is too old": limits = limits with { OldestDatabase = 990_000 }; break;
            case "the database is empty": await SqlAsync("TRUNCATE \"__EFMigrationsHistory\""); break;
            case "changes of the database are missing": await SqlAsync("DELETE FROM \"__EFMigrationsHistory\" WHERE migration_id = (SELECT max(migration_id) FROM \"__EFMigrationsHistory\")"); break;
            case "the database is of a newer program": await SqlAsync("INSERT INTO \"__EFMigrationsHistory\" VALUES ('29990101000000_Later', '10')"); break;
            case "a key is damaged": await File.WriteAllBytesAsync(Path.Combine(Data, "link-key"), [1, 2, 3]); break;
            case "a key is everybody's": File.SetUnixFileMode(Path.Combine(Data, "hook-key"), UnixFileMode.UserRead | UnixFileMode.OtherRead); break;
            case "the folder of the keys is gone": told["GERMINAL_DATA"] = Path.Combine(home, "nowhere"); break;
            case "what seals is lost": Directory.Delete(Path.Combine(Data, "keys"), true); break;
            case "the machine's clock is wrong": limits = limits with { Clock = new Standing(now - Duration.FromMinutes(5)) }; break;
            case "the clock stands": await SqlAsync("UPDATE clock SET real = false"); break;
            case "no worker is there": await SqlAsync("UPDATE workers SET seen_at = seen_at - interval '1 hour'"); break;
            case "a server has been away": await SqlAsync("INSERT INTO providers (practice_id, name, trouble, since) SELECT id, 'mail-out', '421 later', now() FROM practices"); break;
            case "backups have stopped": await BackUpAsync(now - Duration.FromHours(100)); break;
            case "a backup is without keys": File.Delete(Directory.GetFiles(Backups, "*.keys.tar").Single()); break;
            case "what backups are kept is nonsense": told["GERMINAL_BACKUPS_KEPT"] = "for ever"; break;
            case "the disk is full": limits = limits with { LeastFree = long.MaxValue }; break;
            case "the pages are not built": told["GERMINAL_WWW"] = home; break;
            case "the address is nonsense": told["GERMINAL_URL"] = "germinal"; break;
            case "a proxy has a name": told["GERMINAL_PROXIES"] = "127.0.0.1, proxy.example.com"; break;
            case "the web server is away": await web.StopAsync(); break;
            case "the web server is not ready": answer = "Unhealthy"; break;
            case "something else has the port": answer = "hello"; break;
            case "the mail server is away": told["GERMINAL_SMTP_PORT"] = "1"; break;
            case "the mail port is nonsense": told["GERMINAL_SMTP_PORT"] = "mail"; break;
            case "nobody listens for answers": told["GERMINAL_INBOUND_PORT"] = "1"; break;
            case "the port of answers is not set": told["GERMINAL_INBOUND_PORT"] = null; break;
            default: Assert.Fail(how); break;
        }
    }

    [Fact]
    public async Task Of_one_that_is_well_nothing_is_said()
    {
        var findings = await LookAsync();
        Assert.All(findings, f => Assert.True(f.Is == Health.Well, f.ToString()));
        Assert.True(findings.Count >= 12, $"{findings.Count} things");

        using var output = new StringWriter();
        Assert.Equal(0, await Doctor.Doctor.RunAsync(new ConfigurationBuilder().AddInMemoryCollection(told).Build(), limits, output, default));
        Assert.Contains("0 wrong, 0 doubtful", output.ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Of_one_that_was_told_nothing_it_says_what_is_to_be_set()
    {
        told.Clear();
        var wrong = string.Join("\n", (await LookAsync()).Where(f => f.Is == Health.Wrong).Select(f => f.What + f.Then));
        Assert.All(new[] { "GERMINAL_DB", "GERMINAL_DATA", "GERMINAL_WWW", "GERMINAL_URL", "ASPNETCORE_URLS" }, name => Assert.Contains(name, wrong, StringComparison.Ordinal));
    }

    [Fact]
    public async Task Every_variable_the_program_reads_is_told_of()
    {
        var root = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(root.FullName, "docs", "operations.md")))
        {
            root = root.Parent!;
        }

        var document = await File.ReadAllTextAsync(Path.Combine(root.FullName, "docs", "operations.md"));
        var read = new HashSet<string>(StringComparer.Ordinal);
        foreach (var file in Directory.GetFiles(Path.Combine(root.FullName, "src"), "*.cs", SearchOption.AllDirectories).Where(f => !f.Contains("/obj/", StringComparison.Ordinal)))
        {
            read.UnionWith(System.Text.RegularExpressions.Regex.Matches(await File.ReadAllTextAsync(file), "GERMINAL_[A-Z_]+").Select(m => m.Value));
        }

        Assert.True(read.Count > 15);
        Assert.All(read, name => Assert.Contains($"`{name}`", document, StringComparison.Ordinal));
    }

    [Theory]
    [MemberData(nameof(Broken))]
    public async Task Of_one_that_is_broken_it_names_that_and_what_to_do(string how, string what, string then)
    {
        var well = (await LookAsync()).Select(f => f.What).ToHashSet(StringComparer.Ordinal);
        await BreakAsync(how);
        var findings = await LookAsync();
        var wrong = findings.Where(f => f.Is == Health.Wrong).ToList();
        Assert.Contains(wrong, f => f.What.Contains(what, StringComparison.Ordinal) && f.Then.Contains(then, StringComparison.Ordinal));

        // One cause, one complaint; what else stands there was well before too, or follows from it.
        var follows = how is "the folder of the keys is gone" or "the disk is full" or "the machine's clock is wrong" or "what backups are kept is nonsense" ? 3 : 1;
        Assert.InRange(wrong.Count, 1, follows);
        Assert.All(findings.Where(f => f.Is == Health.Well && !f.What.Contains("GB", StringComparison.Ordinal)), f => Assert.Contains(f.What, well));

        using var output = new StringWriter();
        Assert.Equal(1, await Doctor.Doctor.RunAsync(new ConfigurationBuilder().AddInMemoryCollection(told).Build(), limits, output, default));
        Assert.Contains("WRONG", output.ToString(), StringComparison.Ordinal);
    }
}
