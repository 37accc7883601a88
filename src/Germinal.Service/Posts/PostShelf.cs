using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Posts;

/// <summary>A post.</summary>
/// <param name="Id">Which.</param>
/// <param name="Words">What it says.</param>
/// <param name="Picture">Where its picture is; null for none.</param>
/// <param name="PictureWords">What the picture shows.</param>
/// <param name="Place">Where it is to stand; empty where that is plain.</param>
/// <param name="On">Its day.</param>
/// <param name="MemberId">On whose sheet it stands; null for whoever's the person is.</param>
/// <param name="Person">Whom the program that planned it is about; null for one that a member wrote.</param>
/// <param name="Program">The program that planned it; null for none.</param>
/// <param name="ByItself">Whether the gateway puts it there.</param>
/// <param name="InFeed">Whether the practice's feed shows it once it stands.</param>
/// <param name="DoneAt">Since when it stands; null while it does not.</param>
/// <param name="Problem">What the gateway said last, where it would not have it; null for nothing.</param>
/// <param name="IsRefused">Whether the gateway will never have it as it is.</param>
/// <param name="Address">Where it stands, as the gateway said; null where it did not.</param>
public sealed record PostDto(
    Guid Id,
    string Words,
    string? Picture,
    string PictureWords,
    string Place,
    string On,
    Guid? MemberId,
    PersonRef? Person,
    string? Program,
    bool ByItself,
    bool InFeed,
    string? DoneAt,
    string? Problem,
    bool IsRefused,
    string? Address
);

/// <summary>The practice's posts.</summary>
/// <param name="Coming">Those that do not stand yet, by day.</param>
/// <param name="Standing">Those that do, the last one first.</param>
/// <param name="Places">Where posts have stood, for choosing.</param>
/// <param name="Gateway">Where they go by themselves; null for nowhere.</param>
/// <param name="Feed">Where the practice's feed is.</param>
public sealed record PostsDto(string Today, IReadOnlyList<PostDto> Coming, IReadOnlyList<PostDto> Standing, IReadOnlyList<string> Places, string? Gateway, string Feed);

/// <summary>Reads posts, with the day and the end of the task or touch each of them is.</summary>
public static class PostShelf
{
    /// <summary>The most of a list.</summary>
    public const int Most = 200;

    /// <summary>A post with what it hangs on.</summary>
    public sealed record Hung(PostRow Post, TaskRow? Task, TouchRow? Touch)
    {
        /// <summary>Since when it stands; null while it does not.</summary>
        public Instant? DoneAt => Task?.DoneAt ?? (Touch is { Status: TouchStatus.Done } ? Touch.ClosedAt ?? Touch.SettledAt : null);

        /// <summary>Whether it still comes, or stands: a touch that was left out does neither.</summary>
        public bool IsThere => Task is not null || Touch?.Status is TouchStatus.Open or TouchStatus.Done;

        /// <summary>Its day on a clock.</summary>
        public LocalDate On(DateTimeZone zone) => Task?.Due ?? Touch!.Due.InZone(zone).Date;
    }

    /// <summary>The practice's.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="feed">Where its feed is.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<PostsDto> ReadAsync(GerminalDb db, string feed, Instant now, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var hung = await Newest(db, db.Posts).Take(Most * 2).ToListAsync(stop);
        var ids = hung.Select(h => h.Post.PersonId).OfType<Guid>().Distinct().ToList();
        var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        var programs = await db.ProgramsAndBroadcasts.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        PostDto Dto(Hung h) => Read(h, practice.Zone, people, programs);
        var there = hung.Where(h => h.IsThere).ToList();
        return new PostsDto(
            now.InZone(practice.Zone).Date.Iso(),
            [.. there.Where(h => h.DoneAt is null).OrderBy(h => h.On(practice.Zone)).ThenBy(h => h.Post.Id).Select(Dto)],
            [.. there.Where(h => h.DoneAt is not null).OrderByDescending(h => h.DoneAt).ThenBy(h => h.Post.Id).Take(Most).Select(Dto)],
            [.. hung.Select(h => h.Post.Place).Where(p => p.Length > 0).Distinct(StringComparer.OrdinalIgnoreCase).Order(StringComparer.OrdinalIgnoreCase).Take(30)],
            settings.PostGateway?.Address,
            feed
        );
    }

    /// <summary>What a public feed shows: those that stand and may be there, the newest first.</summary>
    public static async Task<IReadOnlyList<Hung>> InFeedAsync(GerminalDb db, int most, CancellationToken stop)
    {
        var standing = db.Posts.Where(p =>
            p.InFeed && (db.Tasks.Any(t => t.Id == p.TaskId && t.DoneAt != null) || db.Touches.Any(t => t.Id == p.TouchId && t.Status == TouchStatus.Done))
        );
        var hung = await Newest(db, standing).Take(most).ToListAsync(stop);
        return [.. hung.OrderByDescending(h => h.DoneAt).ThenBy(h => h.Post.Id)];
    }

    /// <summary>Posts by the tasks and touches they are.</summary>
    internal static async Task<IReadOnlyDictionary<Guid, PostRow>> OfAsync(GerminalDb db, IReadOnlyCollection<Guid> tasksAndTouches, CancellationToken stop) =>
        tasksAndTouches.Count == 0
            ? new Dictionary<Guid, PostRow>()
            : (
                await db.Posts.AsNoTracking().Where(p => (p.TaskId != null && tasksAndTouches.Contains(p.TaskId.Value)) || (p.TouchId != null && tasksAndTouches.Contains(p.TouchId.Value))).ToListAsync(stop)
            ).ToDictionary(p => p.TaskId ?? p.TouchId!.Value);

    private static IQueryable<Hung> Newest(GerminalDb db, IQueryable<PostRow> some) =>
        from post in some.AsNoTracking()
        join task in db.Tasks on post.TaskId equals task.Id into tasks
        from task in tasks.DefaultIfEmpty()
        join touch in db.Touches on post.TouchId equals touch.Id into touches
        from touch in touches.DefaultIfEmpty()
        orderby post.CreatedAt descending, post.Id
        select new Hung(post, task, touch);

    private static PostDto Read(Hung h, DateTimeZone zone, Dictionary<Guid, string> people, Dictionary<Guid, string> programs) =>
        new(
            h.Post.Id,
            h.Post.Words,
            OwnPictures.AddressOf(h.Post.PictureId),
            h.Post.PictureWords,
            h.Post.Place,
            h.On(zone).Iso(),
            h.Task?.MemberId,
            h.Post.PersonId is { } person && people.TryGetValue(person, out var name) ? new PersonRef(person, name) : null,
            h.Touch is { } touch ? programs.GetValueOrDefault(touch.ProgramId) : null,
            h.Post.ByItself,
            h.Post.InFeed,
            h.DoneAt?.Iso(),
            h.Post.LastAnswer.Length > 0 && h.DoneAt is null ? h.Post.LastAnswer : null,
            h.Post.Status == PostStatus.Refused && h.DoneAt is null,
            h.Post.Address.Length > 0 ? h.Post.Address : null
        );
}

/// <summary>How a post stands with the gateway.</summary>
public static class PostStatus
{
    /// <summary>It waits for its day, or for the gateway.</summary>
    public const string Waiting = "waiting";

    /// <summary>A worker has it.</summary>
    public const string Handing = "handing";

    /// <summary>The gateway has it.</summary>
    public const string Sent = "sent";

    /// <summary>The gateway will not have it as it is.</summary>
    public const string Refused = "refused";
}
