using System.Diagnostics;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;
using NodaTime;
using Npgsql;

namespace Germinal.Store.Tests;

/// <summary>
/// A database of its own on the PostgreSQL that ./test starts (GERMINAL_TEST_DB), cloned from a migrated template, so that
/// tests run side by side. Dropped at the end.
/// </summary>
public sealed class TestDatabase : IDbContextFactory<GerminalDb>, IDisposable
{
    private static readonly Lock Making = new();
    private static readonly string Template = $"germinal_template_{Environment.ProcessId}";
    private static bool made;
    private readonly string name = $"t_{Guid.NewGuid():N}";

    public TestDatabase()
    {
        lock (Making)
        {
            if (!made)
            {
                Admin($"DROP DATABASE IF EXISTS {Template}", $"CREATE DATABASE {Template}");
                using (var db = Context(Template, "Pooling=false"))
                {
                    DatabaseUpgrade.RunAsync(db, default).GetAwaiter().GetResult();
                }

                AppDomain.CurrentDomain.ProcessExit += (_, _) => Admin($"DROP DATABASE IF EXISTS {Template} WITH (FORCE)");
                made = true;
            }

            Admin($"CREATE DATABASE {name} TEMPLATE {Template}");
        }
    }

    private TestDatabase(string whole)
    {
        Admin($"CREATE DATABASE {name}");
        var server = new NpgsqlConnectionStringBuilder(Server);
        var start = new ProcessStartInfo(Directory.GetFiles("/usr/lib/postgresql", "pg_restore", SearchOption.AllDirectories).Order(StringComparer.Ordinal).Last())
        {
            UseShellExecute = false,
            RedirectStandardError = true,
            ArgumentList = { "-h", server.Host!, "-p", $"{server.Port}", "-U", server.Username!, "-d", name, "--no-owner", "--no-privileges", "--exit-on-error", "--jobs=2", whole },
            Environment = { ["PGPASSWORD"] = server.Password },
        };
        using var process = Process.Start(start)!;
        var said = process.StandardError.ReadToEnd();
        process.WaitForExit();
        if (process.ExitCode != 0)
        {
            Dispose();
            throw new InvalidOperationException(said);
        }
    }

    /// <summary>A new database out of what <c>pg_dump</c> wrote, as it was then.</summary>
    public static TestDatabase Restored(string dump) => new(dump);

    /// <summary>The demo practice with its two years, as it ships: at the state of the database it was made with.</summary>
    public static TestDatabase OfDemo()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder.FullName, "demo", "history.dump.00")))
        {
            folder = folder.Parent ?? throw new InvalidOperationException("There is no demo/history.dump.00 above the tests.");
        }

        var whole = Path.GetTempFileName();
        try
        {
            using (var to = File.Create(whole))
            {
                foreach (var piece in Directory.GetFiles(Path.Combine(folder.FullName, "demo"), "history.dump.*").Order(StringComparer.Ordinal))
                {
                    using var from = File.OpenRead(piece);
                    from.CopyTo(to);
                }
            }

            return new TestDatabase(whole);
        }
        finally
        {
            File.Delete(whole);
        }
    }

    private static string Server =>
        Environment.GetEnvironmentVariable("GERMINAL_TEST_DB")
        ?? throw new InvalidOperationException("GERMINAL_TEST_DB is not set; run the tests with ./test, which starts PostgreSQL.");

    public string ConnectionString => Server + ";Maximum Pool Size=20;Database=" + name;

    /// <summary>Who is told before each statement of this database is executed; null for nobody. For tests that have to come in between two of them.</summary>
    public IInterceptor? Between { get; set; }

    public GerminalDb CreateDbContext() => Context(name, between: Between);

    /// <summary>A context that sees one practice.</summary>
    public GerminalDb For(Guid practice)
    {
        var db = CreateDbContext();
        db.PracticeId = practice;
        return db;
    }

    /// <summary>A practice with three members, its clock standing at a moment.</summary>
    public async Task<(Guid Practice, Guid Ada, Guid Tomas)> PracticeAsync(Instant now, string label = "")
    {
        await using var db = CreateDbContext();
        var practice = new PracticeRow
        {
            Id = Guid.NewGuid(),
            Name = "Alder Quay Planning" + label,
            ZoneId = "America/New_York",
            Settings = new PracticeSettings
            {
                HolidaysOf = "US",
                PostalAddress = "12 Quay Lane\nPort Averil, ME 04999",
                OpenChannels = ["call", "post"],
                Pipelines = [new() { Name = "Planning", Stages = ["Inquiry", "Client"] }],
            },
        };
        db.Practices.Add(practice);
        var ids = new List<Guid>();
        foreach (var member in new[] { "Ada Quill", "Tomas Brandt", "Wren Ekholm" })
        {
            var email = $"{member.Split(' ')[0].ToLowerInvariant()}{label}@example.com";
            var user = new MemberUser
            {
                Id = Guid.NewGuid(),
                PracticeId = practice.Id,
                Name = member,
                Role = member switch
                {
                    "Ada Quill" => "principal",
                    "Tomas Brandt" => "adviser",
                    _ => "assistant",
                },
                Email = email,
                UserName = email,
                NormalizedEmail = email.ToUpperInvariant(),
                NormalizedUserName = email.ToUpperInvariant(),
                SecurityStamp = Guid.NewGuid().ToString("N"),
            };
            db.Users.Add(user);
            ids.Add(user.Id);
        }

        if (!await db.Clock.AnyAsync())
        {
            db.Clock.Add(new ClockRow { Now = now });
        }

        await db.SaveChangesAsync();
        return (practice.Id, ids[0], ids[1]);
    }

    public void Dispose() => Admin($"DROP DATABASE IF EXISTS {name} WITH (FORCE)");

    private static GerminalDb Context(string database, string pooling = "Maximum Pool Size=20", IInterceptor? between = null)
    {
        var options = new DbContextOptionsBuilder<GerminalDb>();
        if (between is not null)
        {
            options.AddInterceptors(between);
        }

        StoreSetup.Configure(options, $"{Server};{pooling};Database={database}");
        return new GerminalDb(options.Options);
    }

    private static void Admin(params string[] statements)
    {
        using var connection = new NpgsqlConnection(Server + ";Database=postgres;Pooling=false");
        connection.Open();
        foreach (var statement in statements)
        {
#pragma warning disable CA2100 // Names made above.
            using var command = new NpgsqlCommand(statement, connection);
#pragma warning restore CA2100
            command.ExecuteNonQuery();
        }
    }
}
