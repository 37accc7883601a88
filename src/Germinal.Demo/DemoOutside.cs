using Germinal.Channels;
using Germinal.Channels.Films;
using Germinal.Core.Time;
using Germinal.Service.Films;
using Germinal.Service.Posts;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>What of the demo practice stands in public places, or is read from elsewhere: posts, a film, a calendar of Ada's own, a feed.</summary>
internal static class DemoOutside
{
    private const string Ada = "Ada Quill";
    private const string Film = "a-word-about-march";

    private static readonly LocalDate Today = new(2027, 3, 1);
    private static readonly Instant Written = Instant.FromUtc(2027, 2, 24, 15, 0);
    private static readonly DateTimeZone Zone = LocalClock.Zone("America/New_York")!;

    /// <summary>Makes it, once; of a practice that has posts already only the way to the stand-ins is put right.</summary>
    /// <param name="db">A context.</param>
    /// <param name="standIns">Where the stand-ins are; null for nowhere.</param>
    /// <param name="links">Where we are.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task MakeAsync(GerminalDb db, string? standIns, PublicLinks links, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        await FollowAsync(db, standIns, stop);
        await SeenAsync(db, stop);
        if (await db.Posts.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        var practice = await db.Practices.SingleAsync(p => p.Id == DemoPractice.Practice, stop);
        if (standIns is not null)
        {
            practice.Settings.PostGateway = new PostGatewaySettings { Address = $"{standIns.TrimEnd('/')}/board/" };
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            db.IdeaFeeds.Add(
                new IdeaFeedRow
                {
                    Id = Guid.CreateVersion7(),
                    PracticeId = practice.Id,
                    Address = $"{standIns.TrimEnd('/')}/news.xml",
                    Title = "Port Averil Courier",
                    NextRead = SystemClock.Instance.GetCurrentInstant(),
                }
            );
        }

        var still = new ImageRow { Id = Guid.CreateVersion7(), PracticeId = practice.Id, ContentType = "image/png", Content = Resource($"{Film}.png") };
        db.Images.Add(still);
        await PostsAsync(db, still.Id, standIns is not null, stop);
        await CalendarAsync(db, stop);
        await FilmAsync(db, still.Id, links, stop);
        await db.SaveChangesAsync(stop);
        await SeenAsync(db, stop);
    }

    /// <summary>The history was lived through with stand-ins at another port than theirs today.</summary>
    private static async Task FollowAsync(GerminalDb db, string? standIns, CancellationToken stop)
    {
        bool IsElsewhere(string address) => Uri.TryCreate(address, UriKind.Absolute, out var there) && there.IsLoopback && standIns is not null && there.Port != new Uri(standIns).Port;
        string Here(string address) => new Uri(new Uri(standIns!), new Uri(address).AbsolutePath).ToString();
        if (await db.Practices.SingleOrDefaultAsync(p => p.Id == DemoPractice.Practice, stop) is { Settings.PostGateway: { } gateway } practice && IsElsewhere(gateway.Address))
        {
            gateway.Address = Here(gateway.Address);
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
        }

        foreach (var feed in (await db.IdeaFeeds.ToListAsync(stop)).Where(f => IsElsewhere(f.Address)))
        {
            feed.Address = Here(feed.Address);
        }

        await db.SaveChangesAsync(stop);
    }

    private static async Task PostsAsync(GerminalDb db, Guid picture, bool byItself, CancellationToken stop)
    {
        var desk = new TaskDesk(db, Ada, DemoPractice.MemberOf(Ada), Written);
        PostRow Write(string words, int day, string place, bool itself = false, bool pictured = false)
        {
            var row = PostDesk.Add(
                db,
                desk,
                new PostWords(words, pictured ? picture : null, pictured ? "The first picture of the film" : "", place, Today.PlusDays(day), DemoPractice.MemberOf(Ada), itself, true),
                Written + Duration.FromMinutes(day + 40)
            );
            return row;
        }

        Write("An evening talk on leaving work well: Thursday 22 April, 18:30, in the net loft. Bring a question.", 0, "our window");
        Write("A word about March, in half a minute: rates moved a little, a plan made in calm did not.", 1, "the board by the harbour", byItself, pictured: true);
        Write("Closed from 2 to 5 April. What cannot wait: write to us, somebody reads it each morning.", 28, "our window");
        var stands = new[]
        {
            Write("Yearly reviews begin this week. Ours takes an hour, and yours may be a good day for one.", -12, "the board by the harbour"),
            Write("The table of what a pound put by at thirty is worth at sixty hangs in our window again.", -26, "our window"),
        };
        await db.SaveChangesAsync(stop);
        foreach (var post in stands)
        {
            var task = await db.Tasks.SingleAsync(t => t.Id == post.TaskId, stop);
            (task.DoneAt, task.Outcome) = ((task.Due + new LocalTime(9, 20)).InZoneLeniently(Zone).ToInstant(), "done");
        }
    }

    /// <summary>The town council, on Wednesdays from ten, and a whole Friday at the dentist's and after.</summary>
    private static async Task CalendarAsync(GerminalDb db, CancellationToken stop)
    {
        var calendar = new OwnCalendarRow { Id = Guid.CreateVersion7(), PracticeId = DemoPractice.Practice, MemberId = DemoPractice.MemberOf(Ada), Name = "My own days", ReadAt = Written };
        db.OwnCalendars.Add(calendar);
        await db.SaveChangesAsync(stop);
        void Busy(LocalDate day, LocalTime from, LocalTime until) =>
            db.BusyTimes.Add(
                new BusyTimeRow
                {
                    PracticeId = calendar.PracticeId,
                    CalendarId = calendar.Id,
                    MemberId = calendar.MemberId,
                    From = (day + from).InZoneLeniently(Zone).ToInstant(),
                    Until = (day + until).InZoneLeniently(Zone).ToInstant(),
                }
            );

        for (var day = new LocalDate(2027, 3, 3); day < new LocalDate(2027, 7, 1); day = day.PlusWeeks(1))
        {
            Busy(day, new LocalTime(10, 0), new LocalTime(12, 30));
        }

        Busy(new LocalDate(2027, 3, 12), new LocalTime(8, 0), new LocalTime(18, 0));
    }

    private static async Task FilmAsync(GerminalDb db, Guid still, PublicLinks links, CancellationToken stop)
    {
        using var content = new MemoryStream(Resource($"{Film}.mp4"));
        var (kind, problem) = FilmKind.Of(content);
        var made = await FilmShelf.KeepAsync(db, content, kind ?? throw new InvalidOperationException(problem), "A word about March", Ada, links, Written, stop);
        var film = await db.Films.SingleAsync(f => f.Id == made.Id, stop);
        (film.StillId, film.Words, film.Slug) = (still, "Half a minute, so that you need not read it. If anything is different with you, write or call me.", Film);
    }

    /// <summary>Who has seen the film, of those who got a letter these days; once.</summary>
    private static async Task SeenAsync(GerminalDb db, CancellationToken stop)
    {
        if (await db.Films.SingleOrDefaultAsync(f => f.Slug == Film, stop) is not { } film || await db.FilmViews.AnyAsync(stop))
        {
            return;
        }

        var seconds = FilmShelf.SecondsOf(film);
        var letters = await db
            .Messages.AsNoTracking()
            .Where(m => m.SentAt > Written - Duration.FromDays(30) && m.SentAt < Written + Duration.FromDays(4))
            .OrderByDescending(m => m.SentAt)
            .ThenBy(m => m.TouchId)
            .Select(m => new { m.PersonId, m.TouchId })
            .Take(40)
            .ToListAsync(stop);
        var looks = letters
            .DistinctBy(l => l.PersonId)
            .Take(7)
            .Select(
                (l, i) =>
                    new FilmViewRow
                    {
                        PracticeId = film.PracticeId,
                        FilmId = film.Id,
                        PersonId = l.PersonId,
                        TouchId = l.TouchId,
                        Key = $"demo{i}",
                        At = Written + Duration.FromHours(3 + (i * 7)),
                        Seen = i % 3 == 2 ? [0, 4, 7, 9] : [0, Math.Min(seconds, 5 + (i * 2))],
                    }
            );
        db.FilmViews.AddRange(looks);
        await db.SaveChangesAsync(stop);
    }

    private static byte[] Resource(string name)
    {
        using var stream = typeof(DemoOutside).Assembly.GetManifestResourceStream($"demo/{name}") ?? throw new InvalidOperationException($"The demo lacks {name}.");
        using var content = new MemoryStream();
        stream.CopyTo(content);
        return content.ToArray();
    }
}
