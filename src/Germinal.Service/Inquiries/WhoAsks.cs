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
    public static Task LockAsync(GerminalDb db, Asking who, CancellationToken stop) => LockAsync(db, [who], stop);

    /// <summary>The same of several, in one order, so that two who lock several never wait for each other.</summary>
    public static async Task LockAsync(GerminalDb db, IReadOnlyList<Asking> all, CancellationToken stop)
    {
        var keys = all.SelectMany(who => new[] { who.Email, who.Mobile }).OfType<string>().Select(a => $"asks/{db.PracticeId}/{a}").Distinct().Order(StringComparer.Ordinal).ToArray();
        if (keys.Length > 0)
        {
            await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended(k, 0)) FROM unnest({keys}) WITH ORDINALITY AS of(k, place) ORDER BY place", stop);
        }
    }

    /// <summary>Those who are there and have the address or the number of any of several.</summary>
    public static Task<List<KnownSender>> KnownAsync(GerminalDb db, IReadOnlyList<Asking> all, CancellationToken stop)
    {
        var (emails, mobiles) = (all.Select(a => a.Email).OfType<string>().ToArray(), all.Select(a => a.Mobile).OfType<string>().ToArray());
        return db
            .People.AsNoTracking()
            .Where(p => !p.Archived && ((p.Email != null && emails.Contains(p.Email)) || (p.Mobile != null && mobiles.Contains(p.Mobile))))
            .Select(p => new KnownSender(p.Id, p.FirstName, p.LastName, p.Email, p.Mobile, p.AddedAt))
            .ToListAsync(stop);
    }

    /// <summary>Who it is, of those who are there. Somebody archived is not looked for.</summary>
    public static async Task<Sender> FindAsync(GerminalDb db, Asking who, CancellationToken stop, IReadOnlyList<KnownSender>? among = null) =>
        WhoSent.Of(among ?? await KnownAsync(db, [who], stop), who.FirstName, who.LastName, who.Email, who.Mobile);

    /// <summary>
    /// The person, tracked: found, or new, in the household of whoever shares their address. Somebody new may not be saved yet; the caller saves before anything
    /// asks the database for them. It has a transaction open and has taken the lock.
    /// </summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="desk">In whose name.</param>
    /// <param name="who">What they say of themselves.</param>
    /// <param name="source">Where somebody new comes from.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="among">Those it may be, where they have been looked up under the lock already.</param>
    public static async Task<(PersonRow Person, bool IsNew)> FindOrMakeAsync(GerminalDb db, PeopleDesk desk, Asking who, string source, CancellationToken stop, IReadOnlyList<KnownSender>? among = null)
    {
        var sender = await FindAsync(db, who, stop, among);
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
