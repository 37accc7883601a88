using Germinal.Core.Files;
using Germinal.Service.Clock;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.House;

/// <summary>A tag, who has it, and what asks for it.</summary>
/// <param name="Name">The tag.</param>
/// <param name="People">How many people have it.</param>
/// <param name="Used">What asks for it, in words: programs, segments, forms.</param>
public sealed record TagDto(string Name, int People, IReadOnlyList<string> Used);

/// <summary>The practice's tags: read with what asks for them, called otherwise and put together everywhere at once, taken out where nobody has them.</summary>
public static class OwnTags
{
    /// <summary>Letters of a tag.</summary>
    public const int Longest = 60;

    private sealed record Had(string Name, int Count);

    /// <summary>The tags, by name.</summary>
    public static async Task<IReadOnlyList<TagDto>> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var people = await db.Database.SqlQuery<Had>($"SELECT lower(t) AS name, count(*)::int AS count FROM people, unnest(tags) t WHERE practice_id = {db.PracticeId} GROUP BY 1").ToDictionaryAsync(h => h.Name, h => h.Count, stop);
        var names = await db.Tags.AsNoTracking().Select(t => t.Name).ToListAsync(stop);
        var files = await NameChange.FilesAsync(db, settings, stop);
        return
        [
            .. names
                .OrderBy(n => n, StringComparer.CurrentCultureIgnoreCase)
                .Select(n => new TagDto(n, people.GetValueOrDefault(n.ToLowerInvariant()), NameChange.Using(files, Away(n)))),
        ];
    }

    /// <summary>Calls a tag otherwise, or puts it together with another.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="tag">The tag.</param>
    /// <param name="to">What it is to be called.</param>
    /// <param name="asOne">Whether it is meant where there is a tag of that name already.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong; null where it was done.</returns>
    public static async Task<string?> RenameAsync(GerminalDb db, string tag, string to, bool asOne, CancellationToken stop)
    {
        to = to.Trim();
        if (to.Length is 0 or > Longest)
        {
            return Say($"A tag has 1 to {Longest} letters.");
        }

        Renaming names;
        await using (var transaction = await db.Database.BeginTransactionAsync(stop))
        {
            await SettingsChange.LockAsync(db, stop);
            var there = await db.Tags.AsNoTracking().Select(t => t.Name).ToListAsync(stop);
            if (!there.Contains(tag, StringComparer.Ordinal))
            {
                return Say($"There is no tag “{tag}” any more. Load the page again.");
            }

            var other = there.Find(t => t != tag && Same(t, to));
            if (other is not null && !asOne)
            {
                return Say($"There is a tag “{other}” already. Say that the two are to be one, or give another name.");
            }

            names = None with { Tags = new Dictionary<string, string> { [tag] = other ?? to } };
            await NameChange.InFilesAsync(db, names, stop);
            await db.SaveChangesAsync(stop);
            await NameChange.InRowsAsync(db, names, stop);
            await PracticeClock.LookAgainAsync(db, stop);
            await transaction.CommitAsync(stop);
        }

        await NameChange.SettleAsync(db, names, stop);
        return null;
    }

    /// <summary>Takes a tag out that nobody has and nothing asks for.</summary>
    /// <returns>What is wrong; null where it is gone.</returns>
    public static async Task<string?> RemoveAsync(GerminalDb db, string tag, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await SettingsChange.LockAsync(db, stop);
        if ((await ReadAsync(db, stop)).FirstOrDefault(t => t.Name == tag) is not { } found)
        {
            return null;
        }

        if (found.People > 0)
        {
            return Say($"“{tag}” cannot be taken out: {(found.People == 1 ? Said("one person has it") : Say($"{found.People} people have it"))}. Pick them under People and take it off there, or put it together with another tag.");
        }

        if (found.Used.Count > 0)
        {
            return Say($"“{tag}” cannot be taken out: {string.Join(", ", found.Used)} asks for it. Put it together with another tag instead.");
        }

        await db.Tags.Where(t => t.Name == tag).ExecuteDeleteAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    private static Renaming None { get; } = new(new Dictionary<string, string>(), new Dictionary<string, string>());

    private static Renaming Away(string tag) => None with { Tags = new Dictionary<string, string> { [tag] = "" } };

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
