using System.Collections.Frozen;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Letters;

/// <summary>The letters of a practice as programs ask for them.</summary>
public static class LetterShelf
{
    /// <summary>The letters by name, and by what they were called before where no other letter has taken that name.</summary>
    public static async Task<FrozenDictionary<string, KeptLetter>> LoadAsync(GerminalDb db, CancellationToken stop)
    {
        var rows = await db
            .Letters.AsNoTracking()
            .OrderBy(l => l.Name)
            .Select(l => new
            {
                l.Name,
                l.FormerNames,
                l.Subject,
                l.Body,
            })
            .ToListAsync(stop);
        var letters = new Dictionary<string, KeptLetter>(StringComparer.OrdinalIgnoreCase);
        var read = rows.Select(r => (r.FormerNames, Letter: new KeptLetter(r.Name, r.Subject, r.Body, PassageRules.In(r.Body, "", [])))).ToList();
        foreach (var (_, letter) in read)
        {
            letters.TryAdd(letter.Name, letter);
        }

        foreach (var (former, letter) in read)
        {
            foreach (var name in former)
            {
                letters.TryAdd(name, letter);
            }
        }

        return letters.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);
    }
}
