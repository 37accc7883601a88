using Germinal.Channels;
using Germinal.Channels.Posts;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Letters;
using Germinal.Service.Posts;
using Germinal.Service.Programs;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>Posts for public places: written, put there by a member or by the gateway, shown in the practice's feed; and others' feeds, for ideas.</summary>
public static class PostEndpoints
{
    private const int InFeed = 50;

    /// <param name="Words">What it says.</param>
    /// <param name="Picture">Where its picture is, as it was answered when it was brought in; null for none.</param>
    /// <param name="PictureWords">What the picture shows.</param>
    /// <param name="Place">Where it is to stand.</param>
    /// <param name="On">Its day, <c>YYYY-MM-DD</c>.</param>
    /// <param name="Member">On whose sheet it stands; null for one's own.</param>
    /// <param name="ByItself">Whether the gateway puts it there.</param>
    /// <param name="InFeed">Whether the practice's feed shows it once it stands.</param>
    public sealed record PostBody(
        [AtMost(PostDesk.LongestWords)] string Words = "",
        [AtMost(Lengths.Name)] string? Picture = null,
        [AtMost(Lengths.Title)] string PictureWords = "",
        [AtMost(Lengths.Name)] string Place = "",
        [AtMost(10)] string On = "",
        Guid? Member = null,
        bool ByItself = false,
        bool InFeed = true
    );

    /// <param name="Address">Where the gateway is; empty for none.</param>
    /// <param name="Token">What lets us in; null leaves it as it is.</param>
    public sealed record GatewayBody([AtMost(2000)] string Address = "", [AtMost(2000)] string? Token = null);

    /// <param name="Address">Where the feed is.</param>
    public sealed record IdeaFeedBody([AtMost(2000)] string Address = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var posts = app.MapGroup("/api/posts").WithTags("posts").RequireAuthorization(Rights.Work);
        posts.MapGet("", List);
        posts.MapPost("", Add);
        posts.MapPut("/{id:guid}", Change);
        posts.MapDelete("/{id:guid}", Remove);
        posts.MapPost("/{id:guid}/again", Again);
        posts.MapPut("/gateway", SetGateway).RequireAuthorization(Rights.ChangeSettings);

        var ideas = app.MapGroup("/api/ideas").WithTags("posts").RequireAuthorization(Rights.Work);
        ideas.MapGet("", (GerminalDb db, CancellationToken stop) => IdeaDesk.ReadAsync(db, stop));
        ideas.MapPost("", AddFeed);
        ideas.MapDelete("/{id:guid}", RemoveFeed);

        app.MapGet($"{PublicLinks.FeedRoot}/{{practice:guid}}", Feed).ExcludeFromDescription();
    }

    private static async Task<PostsDto> List(GerminalDb db, ProgramDesk programs, PublicLinks links, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        await PostDesk.KeepTouchesAsync(db, await programs.EngineAsync(db, stop), null, now, stop);
        return await PostShelf.ReadAsync(db, links.Feed(caller.PracticeId), now, stop);
    }

    private static async Task<Results<Ok<PostsDto>, ValidationProblem>> Add(PostBody body, GerminalDb db, ProgramDesk programs, PublicLinks links, Caller caller, CancellationToken stop)
    {
        var (words, wrong) = await ReadAsync(body, db, caller, stop);
        if (words is null)
        {
            return Problems.Fields(wrong);
        }

        var now = await PracticeClock.NowAsync(db, stop);
        PostDesk.Add(db, new TaskDesk(db, caller.Name, caller.Id, now), words, now);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await List(db, programs, links, caller, stop));
    }

    private static async Task<Results<Ok<PostsDto>, NotFound, ValidationProblem, ProblemHttpResult>> Change(
        Guid id,
        PostBody body,
        GerminalDb db,
        ProgramDesk programs,
        PublicLinks links,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.Posts.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (await db.Tasks.FirstOrDefaultAsync(t => t.Id == row.TaskId, stop) is not { } task)
        {
            return Problems.Conflict(Said("A program wrote this post. What it says is changed there."));
        }

        var (words, wrong) = await ReadAsync(body, db, caller, stop);
        if (words is null)
        {
            return Problems.Fields(wrong);
        }

        if (row.Status == PostStatus.Handing)
        {
            return Problems.Conflict(Said("The gateway has this post at the moment. Try again when it has answered."));
        }

        PostDesk.Put(row, task, words);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await List(db, programs, links, caller, stop));
    }

    private static async Task<Results<Ok<PostsDto>, NotFound, ProblemHttpResult>> Remove(Guid id, GerminalDb db, ProgramDesk programs, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (await db.Posts.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.TaskId is not { } task)
        {
            return Problems.Conflict(Said("A program wrote this post. It is dropped on the day sheet, or taken out of the program."));
        }

        await db.Tasks.Where(t => t.Id == task).ExecuteDeleteAsync(stop);
        return TypedResults.Ok(await List(db, programs, links, caller, stop));
    }

    /// <summary>Asks the gateway once more for what it would not have.</summary>
    private static async Task<Results<Ok<PostsDto>, NotFound>> Again(Guid id, GerminalDb db, ProgramDesk programs, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (await db.Posts.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Status is PostStatus.Refused or PostStatus.Waiting)
        {
            PostDesk.Again(row);
            await db.SaveChangesAsync(stop);
        }

        return TypedResults.Ok(await List(db, programs, links, caller, stop));
    }

    private static async Task<Results<Ok<PostsDto>, ValidationProblem>> SetGateway(GatewayBody body, GerminalDb db, Secrets secrets, ProgramDesk programs, PublicLinks links, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var settings = change.Settings;
        var address = body.Address.Trim();
        if (address.Length == 0)
        {
            settings.PostGateway = null;
        }
        else if (OutsideFetch.AddressOf(address) is not { } known || known.Query.Length > 0 || known.Fragment.Length > 0)
        {
            return Problems.Field("address", Say($"“{address}” is no address of a gateway; https://posts.example.com/ would be."));
        }
        else
        {
            var slashed = known.ToString().EndsWith('/') ? known.ToString() : $"{known}/";
            var old = settings.PostGateway;

            // A token goes to whom it was given for, and to nobody else.
            var kept = old is not null && old.Address == slashed ? old.SealedToken : "";
            settings.PostGateway = new PostGatewaySettings { Address = slashed, SealedToken = body.Token is { } token ? (token.Length == 0 ? "" : secrets.Seal(token)) : kept };
        }

        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await List(db, programs, links, caller, stop));
    }

    private static async Task<Results<Ok<IdeasDto>, ValidationProblem>> AddFeed(IdeaFeedBody body, GerminalDb db, IdeaDesk ideas, CancellationToken stop) =>
        await ideas.AddAsync(db, body.Address, stop) is { } wrong ? Problems.Field("address", wrong) : TypedResults.Ok(await IdeaDesk.ReadAsync(db, stop));

    private static async Task<Results<Ok<IdeasDto>, NotFound>> RemoveFeed(Guid id, GerminalDb db, CancellationToken stop) =>
        await db.IdeaFeeds.Where(f => f.Id == id).ExecuteDeleteAsync(stop) == 0 ? TypedResults.NotFound() : TypedResults.Ok(await IdeaDesk.ReadAsync(db, stop));

    /// <summary>The practice's posts as an Atom feed, for everybody.</summary>
    private static async Task<IResult> Feed(Guid practice, GerminalDb db, PublicLinks links, HttpContext http, CancellationToken stop)
    {
        if (await db.Practices.AsNoTracking().FirstOrDefaultAsync(p => p.Id == practice && p.StoppedAt == null, stop) is not { } row)
        {
            return Results.NotFound();
        }

        db.PracticeId = practice;
        var posts = await PostShelf.InFeedAsync(db, InFeed, stop);
        http.Response.Headers.CacheControl = "public, max-age=300";
        var updated = posts.Count > 0 ? posts[0].DoneAt!.Value : Instant.FromUnixTimeSeconds(0);
        var feed = Feeds.Write(
            new Uri(links.Feed(practice)),
            row.Name,
            updated,
            posts.Select(p =>
                (
                    p.Post.Id,
                    p.Post.Words,
                    OwnPictures.AddressOf(p.Post.PictureId) is { } picture ? ((Uri, string)?)(new Uri($"{links.BaseUrl}{picture}"), p.Post.PictureWords) : null,
                    p.DoneAt!.Value,
                    p.Post.Address.Length > 0 ? p.Post.Address : (string?)null
                )
            )
        );
        return Results.Bytes(feed, "application/atom+xml; charset=utf-8");
    }

    private static async Task<(PostWords? Words, IReadOnlyList<(string, string)> Wrong)> ReadAsync(PostBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var today = await PracticeClock.TodayAsync(db, stop);
        if (Dates.TryParse(body.On) is not { } on)
        {
            return (null, [("on", Say($"“{body.On}” is no date. Write it like 2027-03-09."))]);
        }

        Guid? picture = null;
        if (!string.IsNullOrEmpty(body.Picture))
        {
            picture = await OwnPictures.FindAsync(db, body.Picture, stop);
            if (picture is null)
            {
                return (null, [("picture", OwnPictures.NoSuch)]);
            }
        }

        var words = new PostWords(body.Words, picture, body.PictureWords, body.Place, on, body.Member ?? caller.Id, body.ByItself, body.InFeed);
        var wrong = await PostDesk.ProblemsAsync(db, words, today, stop);
        return wrong.Count > 0 ? (null, wrong) : (words, []);
    }
}
