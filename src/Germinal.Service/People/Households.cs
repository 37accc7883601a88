using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>
/// People who live together. Each change is saved with its line in the threads of all it concerns, and the engine looks at them
/// anew. One address for a household is one address written to everybody of it.
/// </summary>
public sealed class Households(GerminalDb db, PeopleDesk desk)
{
    /// <summary>Households with those of them who can be written to, by when they came in.</summary>
    public static async Task<Dictionary<Guid, Household>> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> ids, CancellationToken stop)
    {
        if (ids.Count == 0)
        {
            return [];
        }

        var people = await db
            .People.AsNoTracking()
            .Where(p => p.HouseholdId != null && ids.Contains(p.HouseholdId.Value) && !p.Archived && !p.Died)
            .OrderBy(p => p.AddedAt)
            .ThenBy(p => p.SortName)
            .Select(p => new { Home = p.HouseholdId!.Value, Member = new HouseholdMember(p.Id, p.FirstName, p.LastName, p.Address) })
            .ToListAsync(stop);
        var byHome = people.ToLookup(p => p.Home, p => p.Member);
        var rows = await db.Households.AsNoTracking().Where(h => ids.Contains(h.Id)).ToListAsync(stop);
        return rows.ToDictionary(h => h.Id, h => new Household(h.Id, [.. byHome[h.Id]], h.Salutation));
    }

    /// <summary>Two people live together from now on: the second joins the first's household, or they make one.</summary>
    /// <returns>Why it cannot be; null when it was done.</returns>
    public async Task<string?> JoinAsync(PersonRow person, PersonRow other, CancellationToken stop)
    {
        if (person.HouseholdId is { } mine && mine == other.HouseholdId)
        {
            return null;
        }

        if (person.HouseholdId is not null && other.HouseholdId is not null)
        {
            return Say($"{person.Name} and {other.Name} each live with somebody else here. Take one of them out of their household first.");
        }

        var home = person.HouseholdId ?? other.HouseholdId;
        if (home is null)
        {
            var made = new HouseholdRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = person.PracticeId,
                CreatedAt = desk.Now,
            };
            db.Households.Add(made);
            home = made.Id;
        }

        var joining = person.HouseholdId is null && other.HouseholdId is not null ? person : other;
        var there = await db.People.Where(p => p.HouseholdId == home && p.Id != joining.Id).ToListAsync(stop);
        if (!there.Contains(person) && person != joining)
        {
            there.Add(person);
        }

        foreach (var one in there.Append(joining))
        {
            one.HouseholdId = home;
            if (one == joining)
            {
                there.ForEach(other => Tell(one, other.Id, Say($"Lives with {other.Name} from now on")));
            }
            else
            {
                Tell(one, joining.Id, Say($"{joining.Name} lives with them from now on"));
            }
        }

        // Whoever has no address gets the one the others share; two that differ stay, and the page says so.
        var addresses = there.Append(joining).Select(p => p.Address).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase).ToList();
        if (addresses.Count == 1)
        {
            Move(there.Append(joining).Where(p => p.Address is null), addresses[0]);
        }

        await db.SaveChangesAsync(stop);
        return null;
    }

    /// <summary>Somebody lives there no longer; a household of one is none.</summary>
    public async Task LeaveAsync(PersonRow person, CancellationToken stop)
    {
        if (person.HouseholdId is not { } home)
        {
            return;
        }

        var others = await db.People.Where(p => p.HouseholdId == home && p.Id != person.Id).ToListAsync(stop);
        person.HouseholdId = null;
        foreach (var other in others)
        {
            Tell(person, other.Id, Say($"Lives with {other.Name} no longer"));
            Tell(other, person.Id, Say($"{person.Name} lives with them no longer"));
            other.HouseholdId = others.Count == 1 ? null : home;
        }

        await db.SaveChangesAsync(stop);
        if (others.Count < 2)
        {
            await db.Households.Where(h => h.Id == home).ExecuteDeleteAsync(stop);
        }
    }

    /// <summary>Writes how they are greeted together; null for worked out.</summary>
    public Task GreetAsync(Guid home, string? salutation, CancellationToken stop) =>
        db.Households.Where(h => h.Id == home).ExecuteUpdateAsync(u => u.SetProperty(h => h.Salutation, salutation), stop);

    /// <summary>Writes one postal address to everybody of the household.</summary>
    public async Task AddressAsync(Guid home, string? address, CancellationToken stop)
    {
        Move(await db.People.Where(p => p.HouseholdId == home && p.Address != address).ToListAsync(stop), address);
        await db.SaveChangesAsync(stop);
    }

    private void Move(IEnumerable<PersonRow> people, string? address)
    {
        foreach (var person in people)
        {
            person.Address = address;
            person.Edition++;
            PersonNames.Refresh(person);
            db.Events.Add(desk.NewEvent(person.Id, new FactsChanged(desk.Now)));
        }
    }

    private void Tell(PersonRow person, Guid other, string words) => db.Events.AddRange(desk.NewCircleLines(person.Id, other, words));
}
