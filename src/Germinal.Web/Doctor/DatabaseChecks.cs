using System.Globalization;
using System.Net.Sockets;
using System.Runtime.CompilerServices;
using System.Security.Cryptography;
using System.Text.Json.Nodes;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Web.Doctor;

/// <summary>The database: whether it answers, is of our age, holds what our keys open, and whether workers are at it.</summary>
internal static class DatabaseChecks
{
    private static readonly Duration ClocksApart = Duration.FromSeconds(30);
    private static readonly Duration Silent = Duration.FromSeconds(30);

    public static async IAsyncEnumerable<Finding> LookAsync(IConfiguration configuration, Limits limits, [EnumeratorCancellation] CancellationToken stop)
    {
        if (configuration["GERMINAL_DB"] is not { Length: > 0 } connection)
        {
            yield return Finding.Wrong("GERMINAL_DB is not set: there is no database.", "Set it to a connection string: Host=…;Database=germinal;Username=germinal;Password=…");
            yield break;
        }

        var options = new DbContextOptionsBuilder<GerminalDb>();
        Finding? away = null;
        try
        {
            StoreSetup.Configure(options, new NpgsqlConnectionStringBuilder(connection) { Timeout = 5, Pooling = false }.ConnectionString);
        }
        catch (ArgumentException e)
        {
            away = Finding.Wrong($"GERMINAL_DB is no connection string: {e.Message}", "Host=…;Database=germinal;Username=germinal;Password=… would be one.");
        }

        if (away is not null)
        {
            yield return away;
            yield break;
        }

        await using var db = new GerminalDb(options.Options);
        if (await AnswersAsync(db, stop) is { } problem)
        {
            yield return problem;
            yield break;
        }

        var version = await db.Database.SqlQuery<string>($"SELECT current_setting('server_version_num') AS \"Value\"").SingleAsync(stop);
        var number = int.Parse(version, CultureInfo.InvariantCulture);
        yield return number < limits.OldestDatabase
            ? Finding.Wrong($"The database is PostgreSQL {number / 10_000}; {limits.OldestDatabase / 10_000} is the oldest that does.", "Upgrade it (pg_upgrade), after a backup.")
            : Finding.Well($"the database answers (PostgreSQL {number / 10_000}.{number % 10_000})");

        if (await SchemaAsync(db, stop) is { Is: Health.Wrong } wrong)
        {
            // What follows asks tables that may not be there.
            yield return wrong;
            yield break;
        }

        yield return Finding.Well("the database has all its tables");
        if (!await Sight.IsPossibleAsync(db, stop))
        {
            yield return Finding.Doubtful("Members cannot be kept to their own people: the database has no role for it, and our user may not make one.", $"As PostgreSQL’s superuser: CREATE ROLE {Sight.Role} NOLOGIN; GRANT {Sight.Role} TO the user in GERMINAL_DB; then start the web server again.");
        }

        yield return await ClocksAsync(db, limits, stop);
        await foreach (var finding in PracticesAsync(db, configuration, stop))
        {
            yield return finding;
        }

        yield return await SealsAsync(db, configuration, stop);
        await foreach (var finding in WorkAsync(db, limits, stop))
        {
            yield return finding;
        }
    }

    private static async Task<Finding?> AnswersAsync(GerminalDb db, CancellationToken stop)
    {
        try
        {
            await db.Database.OpenConnectionAsync(stop);
            return null;
        }
        catch (PostgresException e) when (e.SqlState is PostgresErrorCodes.InvalidPassword or PostgresErrorCodes.InvalidAuthorizationSpecification)
        {
            return Finding.Wrong($"The database refuses us: {e.MessageText}", "Set the user and password in GERMINAL_DB to those PostgreSQL knows.");
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.InvalidCatalogName)
        {
            return Finding.Wrong($"The database is not there: {e.MessageText}", "createdb -O germinal germinal, or restore a backup.");
        }
        catch (Exception e) when (e.GetBaseException() is NpgsqlException or SocketException or TimeoutException)
        {
            return Finding.Wrong($"The database does not answer: {e.GetBaseException().Message}", "Start PostgreSQL; look whether host and port in GERMINAL_DB are right.");
        }
    }

    private static async Task<Finding?> SchemaAsync(GerminalDb db, CancellationToken stop)
    {
        if (await DatabaseUpgrade.NewerAsync(db, stop) is { } newer)
        {
            return Finding.Wrong($"The database was changed by a newer Germinal ({newer}).", "Start that one; an older one would not know what it reads.");
        }

        var lacking = (await db.Database.GetPendingMigrationsAsync(stop)).Count();
        return lacking == 0 ? null
            : lacking == db.Database.GetMigrations().Count() ? Finding.Wrong("The database is empty.", "Start the web server; it makes the tables, and tells where the first practice is begun.")
            : Finding.Wrong($"{lacking} changes of the database have not been made yet.", "Start the web server of this version; it makes them, one process at a time.");
    }

    private static async Task<Finding> ClocksAsync(GerminalDb db, Limits limits, CancellationToken stop)
    {
        var theirs = await db.Database.SqlQuery<Instant>($"SELECT clock_timestamp() AS \"Value\"").SingleAsync(stop);
        var apart = limits.Clock.GetCurrentInstant() - theirs;
        return apart > ClocksApart || apart < -ClocksApart
            ? Finding.Wrong(
                string.Create(CultureInfo.InvariantCulture, $"The clock of this machine and the database’s are {Math.Abs(apart.TotalSeconds):0} seconds apart."),
                "Let both keep time by the net (timedatectl set-ntp true); letters go by the machine’s clock."
            )
            : Finding.Well("the clocks of this machine and the database agree");
    }

    private static async IAsyncEnumerable<Finding> PracticesAsync(GerminalDb db, IConfiguration configuration, [EnumeratorCancellation] CancellationToken stop)
    {
        var practices = await db.Practices.CountAsync(stop);
        yield return practices == 0
            ? Finding.Doubtful("There is no practice yet.", "Begin one at the address that stands where the web server was started; its key is in the file beginning-key.")
            : Finding.Well($"{practices} practice{(practices == 1 ? "" : "s")}");
        if (configuration["GERMINAL_STANDINS"] is not { Length: > 0 } && await db.Clock.AnyAsync(c => !c.Real, stop))
        {
            yield return Finding.Wrong("The clock stands: this is the demo’s database, or was.", "Real use begins with an empty database; the demo and real use are never mixed.");
        }

        await foreach (var practice in db.Practices.AsNoTracking().Where(p => p.StoppedAt != null).OrderBy(p => p.Name).AsAsyncEnumerable().WithCancellation(stop))
        {
            yield return Finding.Doubtful($"The practice {practice.Name} is stopped since {practice.StoppedAt}: {practice.StoppedWhy}", "A keeper of the installation can start it again.");
        }

        await foreach (var practice in db.Practices.AsNoTracking().Where(p => p.EndsAt != null).AsAsyncEnumerable().WithCancellation(stop))
        {
            yield return Finding.Doubtful($"The practice {practice.Name} goes with all it has at {practice.EndsAt}.", "A principal of it can keep it, under “All data”.");
        }
    }

    /// <summary>Whether what is sealed in the database is opened by the keys that are here.</summary>
    private static async Task<Finding> SealsAsync(GerminalDb db, IConfiguration configuration, CancellationToken stop)
    {
        var settings = await db.Database.SqlQuery<string>($"SELECT settings::text AS \"Value\" FROM practices").ToListAsync(stop);
        var words = settings.SelectMany(s => SealedSettings.Of(JsonNode.Parse(s))).Select(s => s.In[s.Name]!.GetValue<string>());
        var sealedWords = words.Concat(await db.Users.Where(u => u.SealedFactor != "").Select(u => u.SealedFactor).ToListAsync(stop))
            .Concat(await db.OwnCalendars.IgnoreQueryFilters().Where(c => c.SealedAddress != "").Select(c => c.SealedAddress).ToListAsync(stop))
            .Concat((await db.MailAccounts.IgnoreQueryFilters().AsNoTracking().ToListAsync(stop)).SelectMany(a => new[] { a.Out.SealedPassword, a.In.SealedPassword, a.SealedRefresh, a.SealedClientSecret }.Where(s => s.Length > 0)))
            .ToList();
        var keys = new DirectoryInfo(Path.Combine(configuration["GERMINAL_DATA"] ?? "", "keys"));
        var ring = keys.Exists ? DataProtectionProvider.Create(keys, o => o.SetApplicationName("germinal").DisableAutomaticKeyGeneration()) : null;
        var lost = sealedWords.Count(s => !Opens(ring, s));
        return lost > 0
            ? Finding.Wrong($"{lost} of {sealedWords.Count} sealed secrets (passwords of servers, second factors) are not opened by the keys in {keys.FullName}.", "Put the folder back from the backup (the .keys.tar). Where it is lost, enter those passwords anew; members set up second factors anew.")
            : Finding.Well(sealedWords.Count == 0 ? "nothing is sealed yet" : $"the keys open all {sealedWords.Count} sealed secrets");
    }

    private static bool Opens(IDataProtectionProvider? ring, string words) =>
        ring is not null
        && SealPurposes.All.Any(purpose =>
        {
            try
            {
                ring.CreateProtector(purpose).Unprotect(words);
                return true;
            }
            catch (CryptographicException)
            {
                return false;
            }
        });

    private static async IAsyncEnumerable<Finding> WorkAsync(GerminalDb db, Limits limits, [EnumeratorCancellation] CancellationToken stop)
    {
        var now = limits.Clock.GetCurrentInstant();
        var alive = await db.Workers.CountAsync(w => w.SeenAt > now - Silent, stop);
        yield return alive == 0
            ? Finding.Wrong("No worker has given a sign of life for half a minute: nothing is sent.", "Start one: Germinal.Web --worker (the unit germinal-worker).")
            : Finding.Well($"{alive} worker{(alive == 1 ? "" : "s")} at work");
        var aside = await db.States.IgnoreQueryFilters().CountAsync(s => s.SetAside != null, stop);
        if (aside > 0)
        {
            yield return Finding.Doubtful($"Work on {aside} {(aside == 1 ? "person" : "people")} is set aside because of an error.", "It stands on Today under “Needs mending”, in the error’s own words.");
        }

        await foreach (var away in db.Providers.IgnoreQueryFilters().AsNoTracking().Where(p => p.Trouble != null && p.Trouble != "").AsAsyncEnumerable().WithCancellation(stop))
        {
            yield return Finding.Wrong($"{away.Name} does not take what is handed to it, since {away.Since}: {away.Trouble}", "Messages wait until it does. Look at that server, or enter another under “The practice”.");
        }
    }
}
