using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Pipelines;
using Germinal.Service.Programs;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A program that an opportunity's end starts by itself, or that can be started with it.</summary>
/// <param name="Id">The program.</param>
/// <param name="Name">Its name.</param>
/// <param name="Won">Whether it starts where one is won.</param>
/// <param name="Lost">Whether it starts where one is lost.</param>
/// <param name="Reason">Only for this reason; null for any.</param>
public sealed record StartsAtEnd(Guid Id, string Name, bool Won, bool Lost, string? Reason);

/// <summary>A pipeline as a page, and what is done on it.</summary>
public static class PipelineEndpoints
{
    /// <summary>The most opportunities of one act.</summary>
    private const int MostAtOnce = 200;

    /// <summary>More than any practice is worth; what is above it is a slip of the pen.</summary>
    private const decimal MostWorth = 999_999_999_999m;

    /// <param name="Ids">Which.</param>
    /// <param name="Stage">Where they go, as <c>Pipeline/Stage</c>.</param>
    public sealed record MoveManyBody([AtMost(0, Items = MostAtOnce)] List<Guid> Ids, [AtMost(Lengths.Name)] string Stage);

    /// <param name="Moved">Those that went there, with the stage each came from.</param>
    public sealed record MovedMany(IReadOnlyList<CameFrom> Moved);

    /// <param name="Id">The opportunity.</param>
    /// <param name="Stage">Where it stood before.</param>
    public sealed record CameFrom(Guid Id, string Stage);

    /// <param name="Ids">Which.</param>
    /// <param name="Won">Won, else lost.</param>
    /// <param name="Worth">What one that was won brought; null leaves what it was said to be worth.</param>
    /// <param name="On">The day, as <c>YYYY-MM-DD</c>; null for today.</param>
    /// <param name="Reason">Why they were lost.</param>
    /// <param name="Program">A program to start with it; null for none.</param>
    public sealed record CloseManyBody(
        [AtMost(0, Items = MostAtOnce)] List<Guid> Ids,
        bool Won,
        decimal? Worth = null,
        [AtMost(10)] string? On = null,
        [AtMost(Lengths.Name)] string? Reason = null,
        Guid? Program = null
    );

    /// <param name="Title">What it is about.</param>
    /// <param name="Worth">What it is worth; null for not known.</param>
    /// <param name="ExpectedOn">When it is expected to be closed, as <c>YYYY-MM-DD</c>; null for not known.</param>
    /// <param name="Owner">Who looks after it; null for nobody.</param>
    public sealed record OpportunityBody([AtMost(Lengths.Name)] string Title = "", decimal? Worth = null, [AtMost(10)] string? ExpectedOn = null, Guid? Owner = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var pipeline = app.MapGroup("/api/pipeline").WithTags("pipeline").RequireAuthorization(Rights.Work);
        pipeline.MapGet("", Read);
        pipeline.MapGet("/numbers", Numbers);
        pipeline.MapGet("/starts", Starts);
        pipeline.MapGet("/lost", ReadLost);
        pipeline.MapPost("/move", MoveMany);
        pipeline.MapPost("/close", CloseMany);
        app.MapPut("/api/opportunities/{id:guid}", Change).WithTags("pipeline").RequireAuthorization(Rights.Work);
    }

    private static async Task<PipelineDto> Read(string? name, Guid? member, Guid? segment, GerminalDb db, Caller caller, ProgramDesk programs, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        IQueryable<Guid>? people = null;
        if (segment is { } id)
        {
            var practice = (await programs.EngineAsync(db, stop)).Practice;
            people = db.InSegment(await SegmentShelf.RuleAsync(db, id, caller.Id, stop), practice.RulesAt(now)).Select(p => p.Id);
        }

        return await PipelineReading.ReadAsync(db, name, member, people, now, stop);
    }

    private static async Task<Results<Ok<PipelineNumbersDto>, NotFound>> Numbers(string? name, GerminalDb db, CancellationToken stop) =>
        await PipelineNumbers.ReadAsync(db, name, await PracticeClock.NowAsync(db, stop), stop) is { } numbers ? TypedResults.Ok(numbers) : TypedResults.NotFound();

    /// <summary>Lost ones, and what came of taking them up again.</summary>
    private static async Task<Results<Ok<LostOnesDto>, ProblemHttpResult>> ReadLost([AsParameters] LostFilter filter, GerminalDb db, CancellationToken stop) =>
        filter.Before is not null && Dates.TryParse(filter.Before) is null
            ? Problems.PutRight(Say($"“{filter.Before}” is no date. Write it like 2027-03-09."))
            : TypedResults.Ok(await LostOnes.ReadAsync(db, filter, (await PracticeReading.LoadAsync(db, stop)).Zone, stop));

    /// <summary>The programs that are on, and which of them an end starts by itself.</summary>
    private static async Task<IReadOnlyList<StartsAtEnd>> Starts(GerminalDb db, ProgramDesk programs, CancellationToken stop) =>
        [
            .. (await programs.EngineAsync(db, stop))
                .Shelf.On.Select(p => p.Current)
                .Select(p =>
                {
                    var lost = p.Definition.StartsWhen.OfType<OpportunityLost>().FirstOrDefault();
                    return new StartsAtEnd(p.ProgramId, p.Definition.Name, p.Definition.StartsWhen.OfType<OpportunityWon>().Any(), lost is not null, lost?.Reason);
                })
                .OrderBy(p => p.Name, StringComparer.OrdinalIgnoreCase),
        ];

    private static async Task<Results<Ok<MovedMany>, ValidationProblem>> MoveMany(MoveManyBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await DealingsEndpoints.StageProblemAsync(db, body.Stage, stop) is { } problem)
        {
            return Problems.Field("stage", problem);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var rows = await OpenAsync(db, body.Ids, stop);
        var desk = await DealingsEndpoints.DeskAsync(db, caller, stop);
        var moved = new List<CameFrom>();
        foreach (var row in rows.Where(r => r.Stage != body.Stage))
        {
            moved.Add(new CameFrom(row.Id, row.Stage));
            await desk.MoveOpportunityAsync(row, body.Stage, stop);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new MovedMany(moved));
    }

    private static async Task<Results<Ok<PeopleEndpoints.Counted>, ValidationProblem>> CloseMany(CloseManyBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var zone = (await PracticeReading.LoadAsync(db, stop)).Zone;
        if (!body.Won && string.IsNullOrWhiteSpace(body.Reason))
        {
            return Problems.Field("reason", Said("Say why it was lost; programs can start by the reason."));
        }

        if (WorthProblem(body.Worth) is { } worthless)
        {
            return Problems.Field("worth", worthless);
        }

        var today = now.InZone(zone).Date;
        if (body.On is not null && (Dates.TryParse(body.On) is not { } said || said > today))
        {
            return Problems.Field("on", Said("Choose today or a day that has been, written like 2027-03-09."));
        }

        if (body.Program is { } program && !await db.Programs.AnyAsync(p => p.Id == program && p.Status == "on", stop))
        {
            return Problems.Field("program", Said("Choose a program that is switched on."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var rows = await OpenAsync(db, body.Ids, stop);
        var desk = await DealingsEndpoints.DeskAsync(db, caller, stop);
        var on = Dates.TryParse(body.On) is { } day && day != today ? day.At(new LocalTime(12, 0)).InZoneLeniently(zone).ToInstant() : (Instant?)null;
        var closed = new List<Guid>();
        foreach (var row in rows)
        {
            // Nothing ends before it began.
            var end = on is { } at ? Instant.Max(at, row.OpenedAt) : (Instant?)null;
            if (await desk.CloseOpportunityAsync(row, body.Won, body.Reason?.Trim(), stop, body.Worth, end))
            {
                closed.Add(row.PersonId);
            }
        }

        if (body.Program is { } start && closed.Count > 0)
        {
            await new PeopleDesk(db, caller.Name, now).StartProgramAsync([.. closed.Distinct()], start, bySwitchingOn: false, stop);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new PeopleEndpoints.Counted(closed.Count));
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Change(Guid id, OpportunityBody body, GerminalDb db, CancellationToken stop)
    {
        if (!await db.Opportunities.AnyAsync(o => o.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        if (string.IsNullOrWhiteSpace(body.Title))
        {
            return Problems.Field("title", Said("Say in a few words what it is about."));
        }

        if (WorthProblem(body.Worth) is { } worthless)
        {
            return Problems.Field("worth", worthless);
        }

        if (body.ExpectedOn is not null && Dates.TryParse(body.ExpectedOn) is null)
        {
            return Problems.Field("expectedOn", Say($"“{body.ExpectedOn}” is no date. Write it like 2027-03-09."));
        }

        if (body.Owner is { } owner && !await db.Users.AnyAsync(u => u.Id == owner && u.PracticeId == db.PracticeId, stop))
        {
            return Problems.Field("owner", Said("Choose a member of the practice."));
        }

        var (title, worth, expected) = (body.Title.Trim(), body.Worth, Dates.TryParse(body.ExpectedOn));
        await db
            .Opportunities.Where(o => o.Id == id)
            .ExecuteUpdateAsync(
                u => u.SetProperty(o => o.Title, title).SetProperty(o => o.Worth, worth).SetProperty(o => o.ExpectedOn, expected).SetProperty(o => o.OwnerId, body.Owner),
                stop
            );
        return TypedResults.NoContent();
    }

    private static string? WorthProblem(decimal? worth) =>
        worth is { } sum && (sum < 0 || sum > MostWorth || decimal.Round(sum, 2) != sum) ? Said("Write an amount of money, such as 2400 or 2400.50.") : null;

    private static async Task<List<OpportunityRow>> OpenAsync(GerminalDb db, List<Guid> ids, CancellationToken stop) =>
        await db.Opportunities.Where(o => ids.Contains(o.Id) && o.Status == "open").OrderBy(o => o.Id).ToListAsync(stop);
}
