using Germinal.Core.Engine;
using Germinal.Core.Forms;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Inquiries;

/// <summary>What somebody who asks says of themselves, as it is kept.</summary>
/// <param name="FirstName">Null where they did not say.</param>
/// <param name="LastName">Null where they did not say.</param>
/// <param name="Email">In small letters.</param>
/// <param name="Mobile">E.164.</param>
public sealed record Asking(string? FirstName, string? LastName, string? Email, string? Mobile);

/// <summary>Finds who asks, or makes them (rule 17.2).</summary>
public static class WhoAsks
{
    /// <summary>
    /// Keeps everybody else who comes with the same address or number waiting until the transaction ends, so that somebody who sends twice at one moment is
    /// one person.
    /// </summary>
    public static async Task LockAsync(GerminalDb db, Asking who, CancellationToken stop)
    {
        foreach (var key in new[] { who.Email, who.Mobile }.OfType<string>().Order(StringComparer.Ordinal))
        {
            await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({$"asks/{db.PracticeId}/{key}"}, 0))", stop);
        }
    }

    /// <summary>Who it is, of those who are there. Somebody archived is not looked for.</summary>
    public static async Task<Sender> FindAsync(GerminalDb db, Asking who, CancellationToken stop)
    {
        var (email, mobile) = (who.Email, who.Mobile);
        var known = await db
            .People.AsNoTracking()
            .Where(p => !p.Archived && ((email != null && p.Email == email) || (mobile != null && p.Mobile == mobile)))
            .Select(p => new KnownSender(p.Id, p.FirstName, p.LastName, p.Email, p.Mobile, p.AddedAt))
            .ToListAsync(stop);
        return WhoSent.Of(known, who.FirstName, who.LastName, email, mobile);
    }

    /// <summary>
    /// The person, tracked: found, or new, in the household of whoever shares their address. Somebody new may not be saved yet; the caller saves before anything
    /// asks the database for them. It has a transaction open and has taken the lock.
    /// </summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="desk">In whose name.</param>
    /// <param name="who">What they say of themselves.</param>
    /// <param name="source">Where somebody new comes from.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<(PersonRow Person, bool IsNew)> FindOrMakeAsync(GerminalDb db, PeopleDesk desk, Asking who, string source, CancellationToken stop)
    {
        var sender = await FindAsync(db, who, stop);
        if (sender.Person is { } known)
        {
            return (await db.People.SingleAsync(p => p.Id == known, stop), false);
        }

        var person = new PersonRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            FirstName = who.FirstName,
            LastName = who.LastName,
            Email = who.Email,
            Mobile = who.Mobile,
            Source = source,
            AddedAt = desk.Now,
        };
        PersonNames.Refresh(person);
        db.People.Add(person);
        db.Events.Add(desk.NewEvent(person.Id, new Added(desk.Now, source)));
        if (sender.LivesWith is { } home)
        {
            await db.SaveChangesAsync(stop);
            await new Households(db, desk).JoinAsync(person, await db.People.SingleAsync(p => p.Id == home, stop), stop);
        }

        return (person, true);
    }
}
