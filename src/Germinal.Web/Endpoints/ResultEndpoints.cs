using System.Globalization;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Numbers;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>Whether the practice's numbers come by mail each month.</summary>
/// <param name="On">Whether they do.</param>
/// <param name="Next">When the next ones come; null for never.</param>
/// <param name="Address">Where to.</param>
public sealed record MonthlyDto(bool On, string? Next, string Address);

/// <summary>The practice's numbers, month by month, with the people behind them.</summary>
public static class ResultEndpoints
{
    /// <param name="On">Whether the numbers are to come each month.</param>
    public sealed record MonthlyBody(bool On = false);

    public static void Map(IEndpointRouteBuilder app)
    {
        var results = app.MapGroup("/api/results").WithTags("results").RequireAuthorization(Rights.Work);
        results.MapGet("", Read);
        results.MapGet("/reach", Reach);
        results.MapGet("/who", Who);
        results.MapPost("/who/list", ToList);
        results.MapPost("/who/calls", ToCalls);
        results.MapGet("/table.csv", Csv).ExcludeFromDescription();
        var monthly = results.MapGroup("/monthly").RequireAuthorization(Rights.SeeNumbers);
        monthly.MapGet("", async (GerminalDb db, Caller caller, CancellationToken stop) => Of(await MemberAsync(db, caller, stop)));
        monthly.MapPut("", Choose);
    }

    /// <param name="month">The month, <c>2027-02</c>; null for the last that is over.</param>
    /// <param name="member">Only of the people this member looks after; null for everybody.</param>
    private static async Task<Results<Ok<PracticeNumbersDto>, ValidationProblem, ProblemHttpResult>> Read([AtMost(7)] string? month, Guid? member, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (asked, wrong, refused) = await AskedAsync(db, month, member, caller, stop);
        return asked is { } found ? TypedResults.Ok(await found.Numbers.ReadAsync(found.Month, found.Now, stop)) : wrong is not null ? wrong : refused!;
    }

    private static async Task<Results<Ok<NumbersTable>, ValidationProblem, ProblemHttpResult>> Reach([AtMost(7)] string? month, Guid? member, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (asked, wrong, refused) = await AskedAsync(db, month, member, caller, stop);
        return asked is { } found ? TypedResults.Ok(await ReachAsync(db, found, member, stop)) : wrong is not null ? wrong : refused!;
    }

    private static async Task<Results<Ok<BehindNumber>, NotFound, ValidationProblem, ProblemHttpResult>> Who(
        [AtMost(Lengths.Name)] string? what,
        [AtMost(7)] string? month,
        Guid? member,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var (who, wrong, refused) = await WhoAsync(db, what ?? "", month, member, caller, stop);
        return wrong is not null ? wrong
            : refused is not null ? refused
            : who is null ? TypedResults.NotFound()
            : TypedResults.Ok(await PeopleBehind.NamesAsync(db, who, stop));
    }

    private static async Task<Results<Ok<DoneForMany>, NotFound, ValidationProblem, ProblemHttpResult>> ToList(
        [AtMost(7)] string? month,
        Guid? member,
        BehindListBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var (who, wrong, refused) = await WhoAsync(db, body.What, month, member, caller, stop);
        if (who is null)
        {
            return wrong is not null ? wrong : refused is not null ? refused : TypedResults.NotFound();
        }

        var (done, notDone) = await PeopleBehind.ToListAsync(db, who, body.List, caller, stop);
        return notDone is not null ? notDone : TypedResults.Ok(done);
    }

    private static async Task<Results<Ok<DoneForMany>, NotFound, ValidationProblem, ProblemHttpResult>> ToCalls(
        [AtMost(7)] string? month,
        Guid? member,
        BehindCallsBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var (who, wrong, refused) = await WhoAsync(db, body.What, month, member, caller, stop);
        if (who is null)
        {
            return wrong is not null ? wrong : refused is not null ? refused : TypedResults.NotFound();
        }

        var (done, notDone) = await PeopleBehind.ToCallsAsync(db, who, body.Title, body.On, Said("from the results"), caller, stop);
        return notDone is not null ? notDone : TypedResults.Ok(done);
    }

    /// <summary>A table as a file: a row for each month.</summary>
    private static async Task<IResult> Csv([AtMost(20)] string? table, [AtMost(7)] string? month, Guid? member, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (asked, wrong, refused) = await AskedAsync(db, month, member, caller, stop);
        if (asked is not { } found)
        {
            return wrong is not null ? wrong : refused!;
        }

        var numbers = await found.Numbers.ReadAsync(found.Month, found.Now, stop);
        var shown = table == "reach" ? await ReachAsync(db, found, member, stop) : numbers.Tables.FirstOrDefault(t => t.Name == table);
        if (shown is null)
        {
            return Problems.PutRight(Say($"There is no table “{table}”; {string.Join(", ", numbers.Tables.Select(t => t.Name))} and reach are."));
        }

        var text = new StringWriter(CultureInfo.InvariantCulture);
        await using (var csv = CsvText.Writer(text))
        {
            csv.WriteRow(["month", .. shown.Rows.SelectMany(r => r.Of is null ? new[] { r.Title } : [r.Title, $"{r.Title}: of"])]);
            for (var i = 0; i < numbers.Months.Count; i++)
            {
                csv.WriteRow([numbers.Months[i], .. shown.Rows.SelectMany(r => r.Of is { } of ? new[] { Cell(r.Values[i]), Cell(of[i]) } : [Cell(r.Values[i])])]);
            }
        }

        return Microsoft.AspNetCore.Http.Results.File(Encoding.UTF8.GetBytes(text.ToString()), "text/csv; charset=utf-8", $"{shown.Name}-{numbers.Month}.csv");
    }

    private static string Cell(decimal? value) => value?.ToString(CultureInfo.InvariantCulture) ?? "";

    private sealed record Asked(PracticeNumbers Numbers, YearMonth Month, Instant Now, DateTimeZone Zone, IReadOnlyList<string> Reached);

    /// <summary>What is asked for, or what is wrong with it: a month that is none or is to come, a member whose numbers one may not see.</summary>
    private static async Task<(Asked? Found, ValidationProblem? Wrong, ProblemHttpResult? Refused)> AskedAsync(GerminalDb db, string? month, Guid? member, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var last = PracticeNumbers.LastWhole(now.InZone(practice.Zone).Date);
        var chosen = month is null ? last : PracticeNumbers.MonthOf(month);
        if (chosen is not { } found || found > last)
        {
            return (null, Problems.Field("month", Say($"Give a month that is over, as {PracticeNumbers.Written(last)}.")), null);
        }

        if (member is not null && member != caller.Id && !Rights.Has(caller.Role, Rights.SeeNumbers))
        {
            return (null, null, Problems.NotYours(Rights.SeeNumbers));
        }

        var reached = CallOutcomes.Reaching(settings);
        return (new Asked(new PracticeNumbers(db, practice.Zone, reached, member), found, now, practice.Zone, reached), null, null);
    }

    private static async Task<(IQueryable<PersonRow>? Who, ValidationProblem? Wrong, ProblemHttpResult? Refused)> WhoAsync(GerminalDb db, string what, string? month, Guid? member, Caller caller, CancellationToken stop)
    {
        var (asked, wrong, refused) = await AskedAsync(db, month, member, caller, stop);
        if (asked is not { } found)
        {
            return (null, wrong, refused);
        }

        var (from, until) = PracticeNumbers.EndsOf(found.Month, found.Zone);
        return (new NumbersWho(db, found.Reached, member).Of(what, from, until), null, null);
    }

    private static Task<NumbersTable> ReachAsync(GerminalDb db, Asked asked, Guid? member, CancellationToken stop) =>
        NumbersReach.ReadAsync(db, PracticeNumbers.Shown(asked.Month, asked.Now.InZone(asked.Zone).Date), asked.Zone, member, asked.Now, stop);

    private static Task<MemberUser> MemberAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        db.Users.SingleAsync(u => u.Id == caller.Id && u.PracticeId == caller.PracticeId, stop);

    private static MonthlyDto Of(MemberUser member) => new(member.MonthlyDue is not null, member.MonthlyDue?.Iso(), member.Email ?? "");

    private static async Task<Ok<MonthlyDto>> Choose(MonthlyBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var member = await MemberAsync(db, caller, stop);
        member.MonthlyDue = body.On ? MonthlyLetters.NextAfter(await PracticeClock.NowAsync(db, stop), await PracticeReading.LoadAsync(db, stop)) : null;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(Of(member));
    }
}
