using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Demo;

/// <summary>
/// Fills a new database with the demo practice, or gives the history that ships its passwords; who can sign in stands in the
/// file <c>sign-ins</c> of the data folder.
/// </summary>
internal sealed class DemoStart(Settings settings, IConfiguration configuration) : IFirstPractice
{
    /// <inheritdoc/>
    public async Task PrepareAsync(IServiceProvider services, GerminalDb db, CancellationToken stop)
    {
        var file = Path.Combine(settings.DataFolder, "sign-ins");
        if (File.Exists(file))
        {
            return;
        }

        var password = Passphrase.New([DemoPractice.Name, DemoSecond.Name, .. DemoPractice.Members.Concat(DemoSecond.SignIns).SelectMany(m => new[] { m.Name, m.Email })]);
        var users = services.GetRequiredService<UserManager<MemberUser>>();
        if (await db.Practices.AnyAsync(stop))
        {
            // The history that ships with the application knows no passwords.
            await GivePasswordsAsync(users, password);
        }
        else
        {
            await HurryAsync(db, true, stop);
            await ActivatorUtilities.CreateInstance<DemoPractice>(services).LoadAsync(users, password, configuration["GERMINAL_DEMO"] != "1", stop);
            await HurryAsync(db, false, stop);
        }

        await DemoCircle.DrawAsync(db, stop);
        await DemoKept.KeepAsync(db, stop);
        await DemoForms.LiveAsync(db, stop);
        await DemoMeetings.MakeAsync(db, stop);
        await DemoLandings.MakeAsync(db, stop);
        if (configuration["GERMINAL_LIVE_DEMO"] is null)
        {
            // It stands beside the history, with the stand-ins of whoever starts it.
            await DemoOutside.MakeAsync(db, settings.StandIns, services.GetRequiredService<Channels.PublicLinks>(), stop);
            await DemoSecond.MakeAsync(db, users, password, stop);
        }

        await SignIns.WriteAsync(file, DemoPractice.Members.Concat(configuration["GERMINAL_LIVE_DEMO"] is null ? DemoSecond.SignIns : []).Select(m => (m.Email, password)), stop);
    }

    private static async Task GivePasswordsAsync(UserManager<MemberUser> users, string password)
    {
        foreach (var (_, email, _) in DemoPractice.Members.Concat(DemoSecond.SignIns))
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
            stop
        );
        await db.Database.CloseConnectionAsync();
        Npgsql.NpgsqlConnection.ClearAllPools();
    }
}
