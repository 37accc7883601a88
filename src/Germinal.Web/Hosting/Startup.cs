using System.Security.Cryptography;
using Germinal.Service.Demo;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Hosting;

/// <summary>What happens before the first request: migrations, and the demo practice in a new database.</summary>
public static class Startup
{
    private static readonly string[] Words =
        ["larch", "quay", "heron", "tide", "cooper", "orchard", "mill", "chapel", "harbor", "saltmarsh", "kettle", "dune", "pine", "alder", "rowan", "amber", "copper", "willow", "sparrow", "meadow"];

    /// <summary>Migrates, and fills a new database.</summary>
    public static async Task PrepareAsync(IServiceProvider services, Settings settings, CancellationToken stop)
    {
        await using var scope = services.CreateAsyncScope();
        var db = scope.ServiceProvider.GetRequiredService<GerminalDb>();
        await db.Database.MigrateAsync(stop);
        var file = Path.Combine(settings.DataFolder, "sign-ins");
        if (File.Exists(file))
        {
            return;
        }

        var password = Passphrase();
        var users = scope.ServiceProvider.GetRequiredService<UserManager<MemberUser>>();
        if (await db.Practices.AnyAsync(stop))
        {
            // The history that ships with the application knows no passwords.
            await GivePasswordsAsync(users, password);
        }
        else
        {
            await HurryAsync(db, true, stop);
            await ActivatorUtilities.CreateInstance<DemoPractice>(scope.ServiceProvider).LoadAsync(users, password, !settings.Demo, stop);
            await HurryAsync(db, false, stop);
        }

        await File.WriteAllLinesAsync(file, DemoPractice.Members.Select(m => $"{m.Email} {password}"), stop);
        File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
    }

    private static async Task GivePasswordsAsync(UserManager<MemberUser> users, string password)
    {
        foreach (var (_, email, _) in DemoPractice.Members)
        {
            if (await users.FindByEmailAsync(email) is not { } member)
            {
                continue;
            }

            await users.RemovePasswordAsync(member);
            var given = await users.AddPasswordAsync(member, password);
            if (!given.Succeeded)
            {
                throw new InvalidOperationException($"{email} could not be given a password: {string.Join(" ", given.Errors.Select(e => e.Description))}");
            }
        }
    }

    /// <summary>
    /// While the demo loads, commits do not wait for the disk: a load that is cut short is started over anyway.
    /// </summary>
    private static async Task HurryAsync(GerminalDb db, bool on, CancellationToken stop)
    {
        await db.Database.ExecuteSqlRawAsync(
            on
                ? "DO $$ BEGIN EXECUTE format('ALTER DATABASE %I SET synchronous_commit = off', current_database()); END $$"
                : "DO $$ BEGIN EXECUTE format('ALTER DATABASE %I RESET synchronous_commit', current_database()); END $$",
            stop);
        await db.Database.CloseConnectionAsync();
        Npgsql.NpgsqlConnection.ClearAllPools();
    }

    /// <summary>Three words and a number, made anew for each database.</summary>
    private static string Passphrase() =>
        $"{string.Join('-', RandomNumberGenerator.GetItems<string>(Words, 3))}-{RandomNumberGenerator.GetInt32(10, 100)}";
}
