using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Hosting;

/// <summary>Whoever keeps the installation: members of <see cref="PracticeRow.House"/>, who see nothing of any practice but how large it is and how it fares.</summary>
public static class Keepers
{
    /// <summary>Adds a keeper; the first brings the house with them. The context is the house's afterwards.</summary>
    /// <param name="db">A context with a transaction open.</param>
    /// <param name="users">For their password.</param>
    /// <param name="name">What they are called.</param>
    /// <param name="email">An address nobody signs in with.</param>
    /// <param name="password">As <c>PasswordRules</c> takes it.</param>
    /// <param name="stop">Gives up.</param>
    /// <exception cref="InvalidOperationException">They could not be made; the message says why.</exception>
    public static async Task<MemberUser> AddAsync(GerminalDb db, UserManager<MemberUser> users, string name, string email, string password, CancellationToken stop)
    {
        db.PracticeId = PracticeRow.House;
        if (!await db.Practices.AnyAsync(p => p.Id == PracticeRow.House, stop))
        {
            db.Practices.Add(
                new PracticeRow
                {
                    Id = PracticeRow.House,
                    Name = "This installation",
                    ZoneId = "UTC",
                }
            );
            await db.SaveChangesAsync(stop);
        }

        var keeper = new MemberUser
        {
            Id = Guid.CreateVersion7(),
            PracticeId = PracticeRow.House,
            Name = name,
            Email = email,
            UserName = email,
            Role = Rights.Keeper,
        };
        var made = await users.CreateAsync(keeper, password);
        return made.Succeeded ? keeper : throw new InvalidOperationException($"{email} could not be made a keeper: {string.Join(" ", made.Errors.Select(e => e.Description))}");
    }
}
