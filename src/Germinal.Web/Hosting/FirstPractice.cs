using System.Security.Cryptography;
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
/// An empty practice with its principal, whom <c>GERMINAL_PRINCIPAL</c> names by email address. Their first password stands in
/// the file <c>sign-ins</c> of the data folder.
/// </summary>
internal sealed class FirstPractice(Settings settings, IConfiguration configuration) : IFirstPractice
{
    /// <inheritdoc/>
    /// <exception cref="InvalidOperationException">The database is new and nobody is named; the message says what to do.</exception>
    public async Task PrepareAsync(IServiceProvider services, GerminalDb db, CancellationToken stop)
    {
        if (await db.Practices.AnyAsync(stop))
        {
            return;
        }

        if (configuration["GERMINAL_PRINCIPAL"] is not { } email || !Addresses.IsWellFormed(Channel.Email, email))
        {
            throw new InvalidOperationException(
                "The database is new and has no practice. Set GERMINAL_PRINCIPAL to the email address of the principal, such as ada@example.com, and start again."
            );
        }

        var zone = configuration["GERMINAL_ZONE"] is { Length: > 0 } named ? named : "UTC";
        if (DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is null)
        {
            throw new InvalidOperationException($"GERMINAL_ZONE is “{zone}”, which is no time zone; America/New_York would be.");
        }

        var practice = new PracticeRow
        {
            Id = Guid.CreateVersion7(),
            Name = "Our practice",
            ZoneId = zone,
            Settings = new PracticeSettings(),
        };
        db.Practices.Add(practice);
        await db.SaveChangesAsync(stop);
        var password = Passphrase.New();
        var principal = new MemberUser
        {
            Id = Guid.CreateVersion7(),
            PracticeId = practice.Id,
            Name = email[..email.IndexOf('@', StringComparison.Ordinal)],
            Email = email,
            UserName = email,
            Role = "principal",
        };
        var made = await services.GetRequiredService<UserManager<MemberUser>>().CreateAsync(principal, password);
        if (!made.Succeeded)
        {
            throw new InvalidOperationException($"{email} could not be made a member: {string.Join(" ", made.Errors.Select(e => e.Description))}");
        }

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

/// <summary>First passwords.</summary>
public static class Passphrase
{
    private static readonly string[] Words =
    [
        "larch",
        "quay",
        "heron",
        "tide",
        "cooper",
        "orchard",
        "mill",
        "chapel",
        "harbor",
        "saltmarsh",
        "kettle",
        "dune",
        "pine",
        "alder",
        "rowan",
        "amber",
        "copper",
        "willow",
        "sparrow",
        "meadow",
    ];

    /// <summary>Three words and a number, made anew for each database.</summary>
    public static string New() => $"{string.Join('-', RandomNumberGenerator.GetItems<string>(Words, 3))}-{RandomNumberGenerator.GetInt32(10, 100)}";
}
