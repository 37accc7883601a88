using System.Globalization;
using System.Text;
using Germinal.Core.Contact;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Store;

/// <summary>Names for sorting and searching: lower case, without accents.</summary>
public static class PersonNames
{
    private static readonly Dictionary<char, string> Unfolded = new()
    {
        ['ł'] = "l",
        ['ø'] = "o",
        ['þ'] = "th",
        ['ð'] = "d",
        ['æ'] = "ae",
        ['œ'] = "oe",
        ['ß'] = "ss",
        ['đ'] = "d",
        ['ı'] = "i",
    };

    /// <summary>“Þóra Núñez” → “thora nunez”.</summary>
    public static string Fold(string text)
    {
        var folded = new StringBuilder(text.Length);
        foreach (var c in text.ToLowerInvariant().Normalize(NormalizationForm.FormD))
        {
            if (CharUnicodeInfo.GetUnicodeCategory(c) == UnicodeCategory.NonSpacingMark)
            {
                continue;
            }

            if (Unfolded.TryGetValue(c, out var plain))
            {
                folded.Append(plain);
            }
            else
            {
                folded.Append(c);
            }
        }

        return folded.ToString();
    }

    /// <summary>A name as it is compared with others.</summary>
    public static ComparedName Compared(string? first, string? last) => NameLikeness.Read(first, last, Fold);

    /// <summary>What people are called; of their rows nothing else is read.</summary>
    public static async Task<Dictionary<Guid, string>> NamesAsync(this GerminalDb db, IReadOnlyCollection<Guid> people, CancellationToken stop)
    {
        var rows = await db
            .People.AsNoTracking()
            .Where(p => people.Contains(p.Id))
            .Select(p => new
            {
                p.Id,
                p.FirstName,
                p.LastName,
                p.Email,
                p.Mobile,
            })
            .ToListAsync(stop);
        return rows.ToDictionary(p => p.Id, p => PersonName.Of(p.FirstName, p.LastName, p.Email, p.Mobile));
    }

    /// <summary>Sets the columns that sorting and search read; called whenever a name, address or number changes.</summary>
    public static void Refresh(PersonRow person)
    {
        var sort = Fold($"{person.LastName} {person.FirstName}".Trim());
        person.SortName = sort.Length > 0 ? sort : Fold(person.Email ?? person.Mobile ?? "");
        var place = PostalPlace.Of(person.Address);
        (person.City, person.State, person.PostalCode, person.Country) = (place.City, place.State, place.PostalCode, place.Country);
        person.FirstSort = Fold(person.FirstName ?? "");
        person.SearchText = Fold(
            $"{person.FirstName} {person.LastName} {person.Email} {person.OtherEmail} {person.Mobile} {person.OtherPhone} {person.Address?.ReplaceLineEndings(" ")}".Trim()
        );
    }
}
