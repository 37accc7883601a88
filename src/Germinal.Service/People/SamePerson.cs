using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>Somebody who has the same already: which field it is, who they are, and a sentence.</summary>
public sealed record SameAs(string Field, PersonRef Person, string Message);

/// <summary>
/// Whether somebody who is added, or given a number or address, is there already. A guess that says so: two of a household may share a
/// number, and two people a name.
/// </summary>
public static class SamePerson
{
    /// <summary>Others with the same address, mobile number or whole name, at most one a field.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="person">The person as they would be saved.</param>
    /// <param name="fields">The fields that are new: email, mobile, lastName (the name as a whole).</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<SameAs>> FindAsync(GerminalDb db, PersonRow person, IReadOnlyCollection<string> fields, CancellationToken stop)
    {
        var found = new List<SameAs>();
        var others = db.People.AsNoTracking().Where(p => p.Id != person.Id && !p.Archived);
        async Task LookAsync(string field, IQueryable<PersonRow> same, Func<string, string> say)
        {
            if (await same.OrderBy(p => p.AddedAt).FirstOrDefaultAsync(stop) is { } other)
            {
                found.Add(new SameAs(field, new PersonRef(other.Id, other.Name), say(other.Name)));
            }
        }

        if (person.Email is { } email && fields.Contains("email"))
        {
            // Kept in small letters, as it was read.
            await LookAsync("email", others.Where(p => p.Email == email), name => Say($"{name} has this address already."));
        }

        if (person.Mobile is { } mobile && fields.Contains("mobile"))
        {
            await LookAsync("mobile", others.Where(p => p.Mobile == mobile), name => Say($"{name} has this number already."));
        }

        if (person.FirstName is not null && person.LastName is not null && fields.Contains("lastName"))
        {
            await LookAsync("lastName", others.Where(p => p.SortName == person.SortName), name => Say($"Somebody called {name} is here already."));
        }

        return found;
    }
}
