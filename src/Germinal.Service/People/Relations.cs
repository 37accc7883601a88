using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>How people stand to each other, kept once and seen from both sides.</summary>
public sealed class Relations(GerminalDb db, PeopleDesk desk, string by)
{
    /// <summary>Every role somebody can have for somebody, the practice's words and what each is in return.</summary>
    public static IReadOnlyList<string> Roles(PracticeSettings settings) =>
        [.. settings.Relations.SelectMany(r => new[] { r.Role, r.Back }).Distinct(StringComparer.OrdinalIgnoreCase)];

    /// <summary>What a person is in return to somebody who has a role for them; several roles may give “client”, the first says.</summary>
    public static string? BackOf(PracticeSettings settings, string role) =>
        settings.Relations.Find(r => Same(r.Role, role))?.Back ?? settings.Relations.Find(r => Same(r.Back, role))?.Role;

    /// <summary>The other is the person's … from now on.</summary>
    /// <param name="person">Whose.</param>
    /// <param name="other">Who.</param>
    /// <param name="role">What the other is to the person.</param>
    /// <param name="back">What the person is to the other.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The relation, new or as it stood.</returns>
    public async Task<RelationRow> AddAsync(PersonRow person, PersonRow other, string role, string back, CancellationToken stop)
    {
        var between = await db
            .Relations.Where(r => (r.PersonId == person.Id && r.OtherId == other.Id) || (r.PersonId == other.Id && r.OtherId == person.Id))
            .ToListAsync(stop);
        if (between.Find(r => Same(r.PersonId == person.Id ? r.Role : r.Back, role)) is { } known)
        {
            return known;
        }

        var row = new RelationRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = person.PracticeId,
            PersonId = person.Id,
            OtherId = other.Id,
            Role = role,
            Back = back,
            At = desk.Now,
            By = by,
        };
        db.Relations.Add(row);
        Tell(person.Id, other.Id, Say($"{other.Name} is their {role} from now on"));
        Tell(other.Id, person.Id, Say($"{person.Name} is their {back} from now on"));
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>It is so no longer.</summary>
    public async Task RemoveAsync(RelationRow row, CancellationToken stop)
    {
        var names = await db.NamesAsync([row.PersonId, row.OtherId], stop);
        db.Relations.Remove(row);
        Tell(row.PersonId, row.OtherId, Say($"{names.GetValueOrDefault(row.OtherId)} is their {row.Role} no longer"));
        Tell(row.OtherId, row.PersonId, Say($"{names.GetValueOrDefault(row.PersonId)} is their {row.Back} no longer"));
        await db.SaveChangesAsync(stop);
    }

    private void Tell(Guid person, Guid other, string words) => db.Events.AddRange(desk.NewCircleLines(person, other, words));

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
