using Germinal.Channels;
using Germinal.Channels.Posts;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Posts;

/// <summary>A feed that is read for ideas.</summary>
/// <param name="Id">Which.</param>
/// <param name="Title">What it calls itself.</param>
/// <param name="Address">Where it is.</param>
/// <param name="ReadAt">When it was last read well; null for never.</param>
/// <param name="Problem">Why it could not be read last; null where it could.</param>
public sealed record IdeaFeedDto(Guid Id, string Title, string Address, string? ReadAt, string? Problem);

/// <summary>Something others wrote.</summary>
/// <param name="Id">Which.</param>
/// <param name="Feed">Whose feed it was in.</param>
/// <param name="Title">Its title.</param>
/// <param name="Words">Its words, without markup.</param>
/// <param name="Address">Where it is read in full; null for nowhere.</param>
/// <param name="At">When it appeared.</param>
public sealed record IdeaDto(Guid Id, string Feed, string Title, string Words, string? Address, string At);

/// <summary>What others write, the newest first.</summary>
public sealed record IdeasDto(IReadOnlyList<IdeaFeedDto> Feeds, IReadOnlyList<IdeaDto> Ideas);

/// <summary>Others' feeds, read for ideas.</summary>
public sealed class IdeaDesk(IDbContextFactory<GerminalDb> databases, OutsideFetch fetch)
{
    /// <summary>The most feeds of a practice.</summary>
    public const int MostFeeds = 30;

    private const int Shown = 60;
    private const int KeptOfOne = 100;
    private const int AtOnce = 20;
    private const string Accept = "application/atom+xml, application/rss+xml, application/xml;q=0.8, text/xml;q=0.8, */*;q=0.1";

    private static readonly Duration Between = Duration.FromHours(3);
    private static readonly Duration Longest = Duration.FromDays(2);
    private static readonly Duration Lease = Duration.FromMinutes(2);

    private sealed record Due(Guid PracticeId, Guid Id);

    /// <summary>The practice's feeds and what is in them.</summary>
    public static async Task<IdeasDto> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var feeds = await db.IdeaFeeds.AsNoTracking().OrderBy(f => f.Title).ThenBy(f => f.Id).ToListAsync(stop);
        var titles = feeds.ToDictionary(f => f.Id, f => f.Title);
        var ideas = await db.Ideas.AsNoTracking().OrderByDescending(i => i.At).ThenBy(i => i.Id).Take(Shown).ToListAsync(stop);
        return new IdeasDto(
            [.. feeds.Select(f => new IdeaFeedDto(f.Id, f.Title, f.Address, f.ReadAt?.Iso(), f.Problem.Length > 0 ? f.Problem : null))],
            [.. ideas.Select(i => new IdeaDto(i.Id, titles.GetValueOrDefault(i.FeedId, ""), i.Title, i.Words, i.Address.Length > 0 ? i.Address : null, i.At.Iso()))]
        );
    }

    /// <summary>Takes a feed in and reads it.</summary>
    /// <returns>What is wrong; null where it was taken in.</returns>
    public async Task<string?> AddAsync(GerminalDb db, string typed, CancellationToken stop)
    {
        if (OutsideFetch.AddressOf(typed) is not { } address || address.ToString().Length > 2000)
        {
            return Say($"“{typed}” is no address of a feed. One that begins with https:// would be right.");
        }

        if (await db.IdeaFeeds.AnyAsync(f => f.Address == address.ToString(), stop))
        {
            return Said("This feed is read already.");
        }

        if (await db.IdeaFeeds.CountAsync(stop) >= MostFeeds)
        {
            return Say($"{MostFeeds} feeds are read already. Take one out first.");
        }

        var fetched = await fetch.GetAsync(address, "", Accept, stop);
        if (fetched.Content is not { } file)
        {
            return $"{address.Host}: {fetched.Problem}";
        }

        if (Feeds.Read(file, out var title, out var items) is { } wrong)
        {
            return char.ToUpperInvariant(wrong[0]) + wrong[1..];
        }

        var machine = SystemClock.Instance.GetCurrentInstant();
        var row = new IdeaFeedRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            Address = address.ToString(),
            Title = title.Length > 0 ? title : address.Host,
            ETag = fetched.ETag,
            ReadAt = machine,
            NextRead = machine + Between,
        };
        db.IdeaFeeds.Add(row);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.SaveChangesAsync(stop);
        await KeepAsync(db, row, items, stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    /// <summary>Reads those whose time it is, of all practices. One that fails keeps what it had, says so, and is tried later and later.</summary>
    public async Task ReadDueAsync(CancellationToken stop)
    {
        var machine = SystemClock.Instance.GetCurrentInstant();
        List<Due> due;
        await using (var all = await databases.CreateDbContextAsync(stop))
        {
            due = await all
                .Database.SqlQuery<Due>(
                    $"""
                    UPDATE idea_feeds SET next_read = {machine + Lease}
                    WHERE id IN (SELECT id FROM idea_feeds WHERE next_read <= {machine} ORDER BY next_read LIMIT {AtOnce} FOR UPDATE SKIP LOCKED)
                    RETURNING practice_id, id
                    """
                )
                .ToListAsync(stop);
        }

        foreach (var (practice, id) in due)
        {
            await using var db = await databases.CreateDbContextAsync(stop);
            db.PracticeId = practice;
            if (await db.IdeaFeeds.FirstOrDefaultAsync(f => f.Id == id, stop) is { } row)
            {
                await ReadAgainAsync(db, row, machine, stop);
            }
        }
    }

    private async Task ReadAgainAsync(GerminalDb db, IdeaFeedRow row, Instant machine, CancellationToken stop)
    {
        var fetched = await fetch.GetAsync(new Uri(row.Address), row.ETag, Accept, stop);
        IReadOnlyList<FeedItem> items = [];
        var problem = fetched.Problem ?? (fetched.Content is { } file ? Feeds.Read(file, out _, out items) : null);
        if (problem is not null)
        {
            row.Failures++;
            (row.Problem, row.NextRead) = (problem, machine + Duration.Min(Longest, Between * (1L << Math.Min(row.Failures, 5))));
            await db.SaveChangesAsync(stop);
            return;
        }

        (row.Failures, row.Problem, row.ETag, row.ReadAt, row.NextRead) = (0, "", fetched.ETag, machine, machine + Between);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.SaveChangesAsync(stop);
        await KeepAsync(db, row, items, stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>Keeps what is new, and of one feed not more than the newest hundred.</summary>
    private static async Task KeepAsync(GerminalDb db, IdeaFeedRow row, IReadOnlyList<FeedItem> items, CancellationToken stop)
    {
        // What says that it will appear appears now.
        var now = await PracticeClock.NowAsync(db, stop);
        var keys = items.Select(i => i.Key).ToList();
        var known = (await db.Ideas.Where(i => i.FeedId == row.Id && keys.Contains(i.Key)).Select(i => i.Key).ToListAsync(stop)).ToHashSet(StringComparer.Ordinal);
        db.Ideas.AddRange(
            items
                .DistinctBy(i => i.Key, StringComparer.Ordinal)
                .Where(i => !known.Contains(i.Key))
                .Select(i => new IdeaRow
                {
                    Id = Guid.CreateVersion7(),
                    PracticeId = row.PracticeId,
                    FeedId = row.Id,
                    Key = i.Key,
                    Title = i.Title,
                    Words = i.Words,
                    Address = i.Address,
                    At = Instant.Min(i.At ?? now, now),
                })
        );
        await db.SaveChangesAsync(stop);
        var newest = db.Ideas.Where(i => i.FeedId == row.Id).OrderByDescending(i => i.At).ThenBy(i => i.Id).Take(KeptOfOne).Select(i => i.Id);
        await db.Ideas.Where(i => i.FeedId == row.Id && !newest.Contains(i.Id)).ExecuteDeleteAsync(stop);
    }
}
