using Germinal.Core.Files;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>The practice's settings: read by everybody, changed by principals, the last changes taken back.</summary>
public static class PracticeEndpoints
{
    public static void Map(IEndpointRouteBuilder app)
    {
        var practice = app.MapGroup("/api/practice").WithTags("practice").RequireAuthorization(Rights.Work);
        practice.MapGet("", ReadAsync);
        practice.MapGet("/file", Give).ExcludeFromDescription().RequireAuthorization(Rights.ExportPeople);
        practice.MapPut("", Save).RequireAuthorization(Rights.ChangeSettings);
        practice.MapPost("/last-month", LastMonthAsync).RequireAuthorization(Rights.ChangeSettings);
        practice.MapGet("/changes", (GerminalDb db, CancellationToken stop) => SettingsHistory.ReadAsync(db, stop)).RequireAuthorization(Rights.ChangeSettings);
        practice.MapPost("/changes/{id:long}/undo", TakeBack).RequireAuthorization(Rights.ChangeSettings);
        practice.MapGet("/fields/uses", (string key, GerminalDb db, CancellationToken stop) => OwnFields.UsesAsync(db, key, stop));
        practice.MapGet("/dates/uses", (string name, GerminalDb db, CancellationToken stop) => KeyDates.UsesAsync(db, name, stop));
        PracticeMail.Map(app);
    }

    private static async Task<PracticeDto> ReadAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        PracticeDto.Of(
            await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop),
            await PracticeClock.TodayAsync(db, stop),
            caller.May(Rights.SeeServers)
        );

    /// <summary>What the rules read of the practice, as a file; members go by their names, as owners do in the people file.</summary>
    private static async Task<IResult> Give(GerminalDb db, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var file = PracticeFile.Write(practice with { Members = [.. practice.Members.Select(m => m with { Handle = m.Name })] });
        return Results.File(
            System.Text.Encoding.UTF8.GetBytes(file.ToJsonString(new System.Text.Json.JsonSerializerOptions { WriteIndented = true })),
            "application/json",
            $"{practice.Name}.practice.json"
        );
    }

    /// <summary>Changes settings; what is not said stays as it is.</summary>
    private static async Task<Results<Ok<PracticeDto>, ValidationProblem, ProblemHttpResult>> Save(
        SettingsBody body,
        GerminalDb db,
        Caller caller,
        Secrets secrets,
        JournalNote note,
        CancellationToken stop
    )
    {
        var problems = SettingsTaking.ProblemsOf(body).ToList();
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        if (body.Policies is not null && await PolicyUses.MissedAsync(db, change.Settings, [.. body.Policies.Select(p => CellReading.Clean(p.Name))], stop) is { } missed)
        {
            return Problems.Field("policies", missed);
        }

        SettingsTaking.Take(body, change.Row, secrets);
        problems = [.. SettingsTaking.ProblemsThen(change.Settings)];
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        note.Say(await change.SaveAsync(stop));
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await ReadAsync(db, caller, stop));
    }

    /// <summary>What settings would have changed in the last thirty days, were they as proposed. Nothing is saved.</summary>
    private static async Task<Results<Ok<LastMonthDto>, ValidationProblem>> LastMonthAsync(SettingsBody body, GerminalDb db, LastMonth month, Secrets secrets, CancellationToken stop)
    {
        var problems = SettingsTaking.ProblemsOf(body).ToList();
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        var proposed = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        SettingsTaking.Take(body with { MailOut = null, MailIn = null }, proposed, secrets);
        problems = [.. SettingsTaking.ProblemsThen(proposed.Settings)];
        return problems.Count > 0 ? Problems.Fields(problems) : TypedResults.Ok(await month.OfAsync(db, proposed, stop));
    }

    private static async Task<Results<Ok<IReadOnlyList<SettingsChangeDto>>, NotFound, ProblemHttpResult>> TakeBack(
        long id,
        GerminalDb db,
        SettingsHistory history,
        JournalNote note,
        CancellationToken stop
    )
    {
        var (found, problem, words) = await history.TakeBackAsync(db, id, stop);
        if (!found)
        {
            return TypedResults.NotFound();
        }

        if (problem is not null)
        {
            return Problems.Conflict(problem);
        }

        note.Say(words);
        return TypedResults.Ok(await SettingsHistory.ReadAsync(db, stop));
    }
}
