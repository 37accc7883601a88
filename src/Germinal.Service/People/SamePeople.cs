using Germinal.Core.Contact;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>Two people that may be one, or of one household, and what speaks for it.</summary>
/// <param name="One">The one that has been here longer.</param>
/// <param name="Other">The other.</param>
/// <param name="Because">What they have in common, in words.</param>
/// <param name="Household">True where their first names tell them apart: they may live together, but are two.</param>
public sealed record LikePair(PersonRow One, PersonRow Other, string Because, bool Household);

/// <summary>Pairs of people already here that look like one person, or like one household. Guesses all of them; a member decides.</summary>
public static class SamePeople
{
    private const int LookedAtOnce = 400;

    /// <summary>Two people are not one; said once is said for good.</summary>
    public static Task SetDifferentAsync(GerminalDb db, Guid one, Guid other, string by, Instant now, CancellationToken stop)
    {
        var (first, second) = Ordered(one, other);
        return db.Database.ExecuteSqlAsync(
            $"INSERT INTO different (first_id, second_id, practice_id, at, by) VALUES ({first}, {second}, {db.PracticeId}, {now}, {by}) ON CONFLICT DO NOTHING",
            stop
        );
    }

    /// <summary>Takes back that two are different.</summary>
    public static Task<int> UnsetDifferentAsync(GerminalDb db, Guid one, Guid other, CancellationToken stop)
    {
        var (first, second) = Ordered(one, other);
        return db.Different.Where(d => d.FirstId == first && d.SecondId == second).ExecuteDeleteAsync(stop);
    }

    private static (Guid First, Guid Second) Ordered(Guid one, Guid other) =>
        string.CompareOrdinal(one.ToString(), other.ToString()) < 0 ? (one, other) : (other, one);

    /// <summary>A page of pairs, by the name of the first of each.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="after">The pair the page goes on after; null for the first page.</param>
    /// <param name="most">The most pairs.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The pairs, and whether there may be more.</returns>
    public static async Task<(IReadOnlyList<LikePair> Pairs, bool More)> FindAsync(GerminalDb db, (Guid One, Guid Other)? after, int most, CancellationToken stop)
    {
        var found = new List<LikePair>();
        while (true)
        {
            var pairs = await CandidatesAsync(db, after, stop);
            var ids = pairs.SelectMany(p => new[] { p.A, p.B }).Distinct().ToList();
            var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
            var born = (
                await db.KeyDates.AsNoTracking().Where(d => ids.Contains(d.PersonId) && d.Name == "birthday").ToListAsync(stop)
            ).ToDictionary(d => d.PersonId);
            foreach (var (a, b) in pairs)
            {
                after = (a, b);
                if (Judge(people[a], people[b], born.GetValueOrDefault(a), born.GetValueOrDefault(b)) is not { } pair)
                {
                    continue;
                }

                if (found.Count == most)
                {
                    return (found, true);
                }

                found.Add(pair);
            }

            if (pairs.Count < LookedAtOnce)
            {
                return (found, false);
            }
        }
    }

    private sealed record Candidate(Guid A, Guid B);

    /// <summary>Who shares an address, a number, or a name and a birthday or postal address: joined by the database as a whole.</summary>
    private static async Task<List<(Guid A, Guid B)>> CandidatesAsync(GerminalDb db, (Guid One, Guid Other)? after, CancellationToken stop)
    {
        var (one, other) = after ?? (Guid.Empty, Guid.Empty);
        var rows = await db
            .Database.SqlQuery<Candidate>(
                $"""
                WITH here AS (SELECT id, sort_name, first_name, last_name, email, mobile, other_phone, address FROM people WHERE practice_id = {db.PracticeId} AND NOT archived),
                pairs AS (
                  SELECT a.id AS a, b.id AS b FROM here a JOIN here b ON b.email = a.email AND b.id > a.id
                  UNION SELECT a.id, b.id FROM here a JOIN here b ON b.mobile = a.mobile AND b.id > a.id
                  UNION SELECT a.id, b.id FROM here a JOIN here b ON b.other_phone = a.other_phone AND b.id > a.id
                  UNION SELECT least(a.id, b.id), greatest(a.id, b.id) FROM here a JOIN here b ON b.other_phone = a.mobile AND b.id <> a.id
                  UNION SELECT a.id, b.id FROM here a JOIN here b ON b.sort_name = a.sort_name AND b.address = a.address AND b.id > a.id WHERE a.last_name IS NOT NULL
                  UNION SELECT a.id, b.id FROM here a JOIN here b ON b.sort_name = a.sort_name AND b.id > a.id
                    JOIN key_dates x ON x.person_id = a.id AND x.name = 'birthday' JOIN key_dates y ON y.person_id = b.id AND y.name = 'birthday' AND (y.month, y.day) = (x.month, x.day)
                    WHERE a.last_name IS NOT NULL AND a.first_name IS NOT NULL
                )
                SELECT p.a AS "A", p.b AS "B" FROM pairs p JOIN here h ON h.id = p.a
                WHERE NOT EXISTS (SELECT 1 FROM different d WHERE d.first_id IN (p.a, p.b) AND d.second_id IN (p.a, p.b))
                  AND ({after is null} OR (h.sort_name, p.a, p.b) > ((SELECT sort_name FROM people WHERE id = {one}), {one}, {other}))
                ORDER BY h.sort_name, p.a, p.b LIMIT {LookedAtOnce}
                """
            )
            .ToListAsync(stop);
        return [.. rows.Select(r => (r.A, r.B))];
    }

    /// <summary>
    /// True where two share a number and nothing else: neither first nor last name, and they live in different places. A number at work
    /// makes nobody a household.
    /// </summary>
    public static bool AreStrangers(PersonRow a, PersonRow b)
    {
        return NameLikeness.AreTwoFirstNames(Name(a), Name(b))
            && !NameLikeness.CanBeSame(PersonNames.Compared(null, a.LastName), PersonNames.Compared(null, b.LastName))
            && a.Address is not null
            && b.Address is not null
            && !string.Equals(a.Address, b.Address, StringComparison.OrdinalIgnoreCase);
    }

    private static ComparedName Name(PersonRow p) => PersonNames.Compared(p.FirstName, p.LastName);

    /// <summary>What speaks for it, or null where nothing does.</summary>
    private static LikePair? Judge(PersonRow a, PersonRow b, KeyDateRow? bornA, KeyDateRow? bornB)
    {
        static bool Shares(string? x, params ReadOnlySpan<string?> ys) => x is not null && ys.Contains(x);
        var alike = NameLikeness.CanBeSame(Name(a), Name(b));
        var two = NameLikeness.AreTwoFirstNames(Name(a), Name(b));
        if (two && a.HouseholdId is not null && a.HouseholdId == b.HouseholdId)
        {
            return null;
        }

        if (AreStrangers(a, b))
        {
            return null;
        }

        var sameName = a.SortName == b.SortName;
        var words = new List<string>();
        if (Shares(a.Email, b.Email))
        {
            words.Add(Said("the same email address"));
        }

        if (Shares(a.Mobile, b.Mobile, b.OtherPhone) || Shares(a.OtherPhone, b.Mobile, b.OtherPhone))
        {
            words.Add(Said("the same number"));
        }

        if (bornA is not null && bornB is not null && (bornA.Month, bornA.Day) == (bornB.Month, bornB.Day) && (bornA.Year is null || bornB.Year is null || bornA.Year == bornB.Year))
        {
            words.Add(Said("the same birthday"));
        }

        if (Shares(a.Address, b.Address))
        {
            words.Add(Said("the same postal address"));
        }

        var reach = words.Exists(w => w.EndsWith("email address", StringComparison.Ordinal) || w.EndsWith("number", StringComparison.Ordinal));
        if (words.Count == 0 || (!reach && !sameName))
        {
            return null;
        }

        words.Add(sameName ? Said("the same name") : alike ? Said("names that can be one person’s") : two ? Said("other first names") : Said("other last names"));
        var (one, other) = a.AddedAt <= b.AddedAt ? (a, b) : (b, a);
        return new LikePair(one, other, string.Join(", ", words), two);
    }
}
