using Germinal.Core.Contact;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Hosting;

/// <summary>Sees to it that a new database has a practice that somebody can sign in to.</summary>
public interface IFirstPractice
{
    /// <summary>Looks before the first request; does nothing where there is one already.</summary>
    Task PrepareAsync(IServiceProvider services, GerminalDb db, CancellationToken stop);
}

/// <summary>
/// A new database waits for whoever has set up the machine: they make the first practice on a page whose address is told where the
/// application was started (<see cref="BeginningKey"/>). Where <c>GERMINAL_PRINCIPAL</c> names somebody by email address, the practice is
/// made for them at once, and their first password stands in the file <c>sign-ins</c> of the data folder.
/// </summary>
internal sealed class FirstPractice(Settings settings, IConfiguration configuration, BeginningKey key) : IFirstPractice
{
    private const string NameOfPractice = "Our practice";

    /// <inheritdoc/>
    /// <exception cref="InvalidOperationException">What is set is wrong; the message says what would be right.</exception>
    public async Task PrepareAsync(IServiceProvider services, GerminalDb db, CancellationToken stop)
    {
        if (!await db.Clock.AnyAsync(stop))
        {
            // Only the demo has a clock that stands.
            db.Clock.Add(new ClockRow { Real = true });
            await db.SaveChangesAsync(stop);
        }

        if (await db.Practices.AnyAsync(stop))
        {
            return;
        }

        if (configuration["GERMINAL_PRINCIPAL"] is not { Length: > 0 } email)
        {
            await key.MakeAsync(stop);
            return;
        }

        if (!Addresses.IsWellFormed(Channel.Email, email))
        {
            throw new InvalidOperationException(
                $"GERMINAL_PRINCIPAL is “{email}”, which is no email address; ada@example.com would be. Without it the first practice is made on a page."
            );
        }

        var zone = configuration["GERMINAL_ZONE"] is { Length: > 0 } named ? named : "UTC";
        if (DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is null)
        {
            throw new InvalidOperationException($"GERMINAL_ZONE is “{zone}”, which is no time zone; America/New_York would be.");
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var name = email[..email.IndexOf('@', StringComparison.Ordinal)];
        var password = Passphrase.New([email, NameOfPractice]);
        await NewPractice.MakeAsync(db, services.GetRequiredService<UserManager<MemberUser>>(), NameOfPractice, zone, null, (name, email), password, stop);
        await transaction.CommitAsync(stop);
        await SignIns.WriteAsync(Path.Combine(settings.DataFolder, "sign-ins"), [(email, password)], stop);
    }
}

/// <summary>The file that tells whoever has set up the machine how to sign in first.</summary>
public static class SignIns
{
    /// <summary>Writes it, for the eyes of the process's own user only.</summary>
    public static async Task WriteAsync(string file, IEnumerable<(string Email, string Password)> members, CancellationToken stop)
    {
        await using (File.Create(file)) { }

        File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        await File.WriteAllLinesAsync(file, members.Select(m => $"{m.Email} {m.Password}"), stop);
    }
}
