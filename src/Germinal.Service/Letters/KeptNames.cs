using Germinal.Channels.Letters;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Letters;

/// <summary>A program or letter that takes something the practice keeps.</summary>
/// <param name="Kind"><c>program</c> or <c>letter</c>.</param>
/// <param name="Id">Which.</param>
/// <param name="Name">Its name.</param>
public sealed record KeptUse(string Kind, Guid Id, string Name);

/// <summary>The names of what a practice keeps for its letters: once each, found under those before, not thrown away while used.</summary>
public static class KeptNames
{
    /// <summary>The most letters a name has.</summary>
    public const int Longest = 80;

    /// <summary>What keeps something from being called so; null where nothing does.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="self">Which it is; empty for a new one.</param>
    /// <param name="name">The name.</param>
    /// <param name="what">What it is, such as <i>an offer</i>.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<string?> ProblemAsync<T>(GerminalDb db, Guid self, string name, string what, CancellationToken stop)
        where T : class, INamed
    {
        if (name.Length is 0 or > Longest)
        {
            return Say($"It needs a name of up to {Longest} letters.");
        }

#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
        var lower = name.ToLowerInvariant();
        return await db.Set<T>().AnyAsync(x => x.Id != self && x.Name.ToLower() == lower, stop) ? Say($"There is {what} “{name}” already. Give this one another name.") : null;
#pragma warning restore CA1862, CA1311, CA1304, MA0011
    }

    /// <summary>Renames something; what calls it by the name before still finds it.</summary>
    public static void Rename(INamed row, string name)
    {
        if (string.Equals(row.Name, name, StringComparison.Ordinal))
        {
            return;
        }

        row.FormerNames =
        [
            .. row.FormerNames.Append(row.Name).Where(f => !string.Equals(f, name, StringComparison.OrdinalIgnoreCase)).Distinct(StringComparer.OrdinalIgnoreCase),
        ];
        row.Name = name;
    }

    /// <summary>Who takes what: letters, and programs as they are written now or are on; by the part's word and the name in lower case.</summary>
    /// <returns>Files stand under <see cref="FilePart"/>.</returns>
    public static async Task<ILookup<(string Part, string Name), KeptUse>> UsesAsync(GerminalDb db, CancellationToken stop)
    {
        var letters = await db.Letters.AsNoTracking().Where(l => l.Body.Contains(LetterParts.NameAttribute)).Select(l => new { l.Id, l.Name, l.Body }).ToListAsync(stop);
        var found = letters.SelectMany(l => LetterPlaces.In(l.Body).Select(p => (Key: Key(p.Part, p.Name), Use: new KeptUse("letter", l.Id, l.Name)))).ToList();
        foreach (var text in await ProgramTexts.AllAsync(db, stop))
        {
            foreach (var email in (ProgramFile.Read(text.Text).Program?.AllSteps ?? []).OfType<EmailStep>())
            {
                var use = new KeptUse("program", text.Id, text.Name);
                found.AddRange(LetterPlaces.In(email.Body).Select(p => (Key(p.Part, p.Name), use)));
                found.AddRange(email.Attachments.Select(a => (Key(FilePart, a), use)));
            }
        }

        return found.Distinct().OrderBy(f => f.Use.Name, StringComparer.OrdinalIgnoreCase).ToLookup(f => f.Key, f => f.Use);
    }

    /// <summary>Under which files stand among the uses.</summary>
    public const string FilePart = "file";

    /// <summary>Those who take something under its name or one it had before.</summary>
    public static IReadOnlyList<KeptUse> UsesOf(INamed row, string part, ILookup<(string Part, string Name), KeptUse> uses) =>
        [.. row.FormerNames.Prepend(row.Name).SelectMany(n => uses[Key(part, n)]).Distinct()];

    /// <summary>Why something that is used is not thrown away; null where it is not used.</summary>
    public static string? KeepsIt(INamed row, IReadOnlyList<KeptUse> uses) =>
        uses.Count == 0 ? null : Say($"“{row.Name}” is used by {string.Join(", ", uses.Select(u => Say($"the {u.Kind} “{u.Name}”")))}. Take it out there first.");

    private static (string Part, string Name) Key(string part, string name) => (part, name.ToLowerInvariant());
}
