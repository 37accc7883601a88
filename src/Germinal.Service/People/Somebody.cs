using Germinal.Core.Contact;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>Somebody a letter or a program is tried on: a given person, or the one after or before them in the list.</summary>
public static class Somebody
{
    /// <summary>Those who can be written to and are known by name.</summary>
    public static IQueryable<PersonRow> WhoGetsMail(GerminalDb db) => db.People.AsNoTracking().Where(p => !p.DoNotContact && p.Email != null && p.FirstName != null);

    /// <summary>Somebody made up, to read as where a practice knows nobody yet.</summary>
    public static PersonFacts MadeUp { get; } = new()
    {
        Id = Guid.Empty,
        Handle = "made-up",
        FirstName = "Ida",
        LastName = "Lind",
        Email = "ida@example.com",
        Mobile = "+12075550100",
        Address = "12 Quay Lane",
    };

    /// <summary>The facts of somebody to read as: whom <see cref="OfAsync"/> picks, or <see cref="MadeUp"/> where nobody was asked for and nobody is there.</summary>
    /// <returns>Null where there is no such person.</returns>
    public static async Task<PersonFacts?> ToReadAsAsync(GerminalDb db, Guid? person, int move, CancellationToken stop)
    {
        var asked = person == Guid.Empty ? null : person;
        return await OfAsync(db, WhoGetsMail(db), asked, move, stop) is { } chosen ? (await FactsReading.LoadAsync(db, [chosen], stop))[chosen]
            : asked is null ? MadeUp
            : null;
    }

    /// <summary>Picks somebody.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="pool">Whom to go through.</param>
    /// <param name="person">Where to begin; null for the first.</param>
    /// <param name="move">With a person: above 0 the next of the pool, below the one before, 0 they themselves, in the pool or not.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such person, or nobody at all.</returns>
    public static async Task<Guid?> OfAsync(GerminalDb db, IQueryable<PersonRow> pool, Guid? person, int move, CancellationToken stop)
    {
        if (person is { } given && move == 0)
        {
            return await db.People.Where(p => p.Id == given).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
        }

        if (person is { } from)
        {
            if (await db.People.Where(p => p.Id == from).Select(p => p.SortName).FirstOrDefaultAsync(stop) is not { } name)
            {
                return null;
            }

            var next =
                move > 0
                    ? await pool.Where(p => EF.Functions.GreaterThan(ValueTuple.Create(p.SortName, p.Id), ValueTuple.Create(name, from)))
                        .OrderBy(p => p.SortName)
                        .ThenBy(p => p.Id)
                        .Select(p => (Guid?)p.Id)
                        .FirstOrDefaultAsync(stop)
                    : await pool.Where(p => EF.Functions.LessThan(ValueTuple.Create(p.SortName, p.Id), ValueTuple.Create(name, from)))
                        .OrderByDescending(p => p.SortName)
                        .ThenByDescending(p => p.Id)
                        .Select(p => (Guid?)p.Id)
                        .FirstOrDefaultAsync(stop);
            return next ?? from;
        }

        return await pool.OrderBy(p => p.SortName).ThenBy(p => p.Id).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop)
            ?? await db.People.OrderBy(p => p.SortName).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
    }
}
