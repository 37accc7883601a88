using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Members' own tasks: written by hand, made of a set, repeated, handed over, moved, done.</summary>
public static class TaskEndpoints
{
    public sealed record TaskBody([AtMost(40)] string Kind, [AtMost(Lengths.Title)] string Title, [AtMost(40)] string Due);

    /// <param name="Kind">call or task.</param>
    /// <param name="Title">What is to be done.</param>
    /// <param name="Due">Its day, <c>YYYY-MM-DD</c>.</param>
    /// <param name="Person">Whom it is about; null for nobody.</param>
    /// <param name="Member">On whose sheet; null for one's own.</param>
    /// <param name="Rule">When it comes again (RFC 5545); empty for once.</param>
    public sealed record OwnTaskBody(
        [AtMost(10)] string Kind = "task",
        [AtMost(Lengths.Title)] string Title = "",
        [AtMost(10)] string Due = "",
        Guid? Person = null,
        Guid? Member = null,
        [AtMost(TaskRepeats.Longest)] string Rule = ""
    );

    public sealed record TaskDoneBody([AtMost(Lengths.Name)] string Outcome, [AtMost(Lengths.Remark)] string? Remark = null, NextBody? Next = null);

    /// <param name="Member">To whom.</param>
    /// <param name="Words">What is to be known.</param>
    public sealed record GiveTaskBody(Guid? Member = null, [AtMost(TaskDesk.LongestWords)] string Words = "");

    /// <param name="To">The day, <c>YYYY-MM-DD</c>.</param>
    public sealed record MoveTaskBody([AtMost(10)] string To = "");

    /// <param name="Before">The day on which it stood.</param>
    public sealed record TaskMoved(string Before);

    /// <param name="Set">The set, by name.</param>
    /// <param name="From">The day from which its days count; empty for today.</param>
    /// <param name="Person">Whom they are about; null for nobody.</param>
    /// <param name="Member">On whose sheet; null for one's own.</param>
    public sealed record MakeSetBody([AtMost(Lengths.Name)] string Set = "", [AtMost(10)] string From = "", Guid? Person = null, Guid? Member = null);

    /// <param name="Ids">What was made.</param>
    public sealed record SetMade(IReadOnlyList<Guid> Ids);

    public sealed record TaskSetsBody([AtMost(Lengths.Name, Items = 100)] IReadOnlyList<TaskSetDto>? Sets = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapPost("/api/people/{id:guid}/tasks", AddFor).WithTags("tasks").RequireAuthorization(Rights.Work);
        var tasks = app.MapGroup("/api/tasks").WithTags("tasks").RequireAuthorization(Rights.Work);
        tasks.MapGet("", async (Guid? member, bool? done, GerminalDb db, CancellationToken stop) => await TaskReading.ReadAsync(db, member, done == true, await PracticeClock.NowAsync(db, stop), stop));
        tasks.MapPost("", Add);
        tasks.MapPost("/set", MakeSet);
        tasks.MapPut("/sets", SaveSets).RequireAuthorization(Rights.ChangeSettings);
        var task = tasks.MapGroup("/{id:guid}");
        task.MapPut("", Change);
        task.MapDelete("", TakeOut);
        task.MapPost("/give", Give);
        task.MapPost("/move", Move);
        task.MapPost("/done", Finish);
        task.MapPost("/undo", Reopen);
    }

    private static async Task<TaskDesk> DeskAsync(GerminalDb db, Caller caller, CancellationToken stop) => new(db, caller.Name, caller.Id, await PracticeClock.NowAsync(db, stop));

    private static Task<TaskRow?> OpenAsync(GerminalDb db, Guid id, CancellationToken stop) => db.Tasks.FirstOrDefaultAsync(t => t.Id == id && t.DoneAt == null, stop);

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> AddFor(Guid id, TaskBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var added = await Add(new OwnTaskBody(body.Kind, body.Title, body.Due, id), db, caller, stop);
        return added.Result switch
        {
            ValidationProblem problem => problem,
            NotFound nobody => nobody,
            _ => TypedResults.NoContent(),
        };
    }

    private static async Task<Results<Ok<PeopleEndpoints.Added>, NotFound, ValidationProblem>> Add(OwnTaskBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (body.Person is { } person && !await db.People.AnyAsync(p => p.Id == person, stop))
        {
            return TypedResults.NotFound();
        }

        if (await WrongAsync(db, body, stop) is { } wrong)
        {
            return Problems.Field(wrong.Field, wrong.Message);
        }

        var row = (await DeskAsync(db, caller, stop)).Add(body.Kind, body.Title.Trim(), Dates.TryParse(body.Due)!.Value, body.Person, body.Member ?? caller.Id, body.Rule.Trim());
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new PeopleEndpoints.Added(row.Id));
    }

    private static async Task<(string Field, string Message)?> WrongAsync(GerminalDb db, OwnTaskBody body, CancellationToken stop)
    {
        if (body.Kind is not ("call" or "task") || string.IsNullOrWhiteSpace(body.Title))
        {
            return ("title", Say($"Say what is to be done, at most {Lengths.Title} letters; it is a call or a task."));
        }

        if (body is { Kind: "call", Person: null })
        {
            return ("person", Said("Say who is to be called."));
        }

        if (Dates.TryParse(body.Due) is not { } due)
        {
            return ("due", Say($"“{body.Due}” is not a date there is; 2027-03-09 would be."));
        }

        if (body.Member is { } member && !await db.Users.AnyAsync(u => u.Id == member && u.PracticeId == db.PracticeId, stop))
        {
            return ("member", Said("Give it to a member of the practice."));
        }

        return body.Rule.Trim() is { Length: > 0 } rule && TaskRepeats.Problem(rule, due) is { } problem ? ("rule", problem) : null;
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Change(Guid id, OwnTaskBody body, GerminalDb db, CancellationToken stop)
    {
        if (await OpenAsync(db, id, stop) is not { Kind: not "post" } row)
        {
            return TypedResults.NotFound();
        }

        if (await WrongAsync(db, body with { Person = body.Person ?? row.PersonId }, stop) is { } wrong)
        {
            return Problems.Field(wrong.Field, wrong.Message);
        }

        var (due, rule) = (Dates.TryParse(body.Due)!.Value, body.Rule.Trim());
        if (row.Rule != rule)
        {
            (row.Rule, row.RepeatsFrom, row.SeriesId) = rule.Length > 0 ? (rule, (NodaTime.LocalDate?)due, (Guid?)(row.SeriesId ?? Guid.CreateVersion7())) : ("", null, null);
        }

        (row.Kind, row.Title, row.Due, row.MemberId) = (body.Kind, body.Title.Trim(), due, body.Member ?? row.MemberId);
        await db.SaveChangesAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>Takes an open task out; of one that comes again, it does not any more.</summary>
    private static async Task<Results<NoContent, NotFound>> TakeOut(Guid id, GerminalDb db, CancellationToken stop) =>
        await db.Tasks.Where(t => t.Id == id && t.DoneAt == null && t.Kind != "post").ExecuteDeleteAsync(stop) == 1 ? TypedResults.NoContent() : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Give(Guid id, GiveTaskBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await OpenAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (await db.Users.AsNoTracking().FirstOrDefaultAsync(u => u.Id == body.Member && u.PracticeId == db.PracticeId, stop) is not { } to)
        {
            return Problems.Field("member", Said("Give it to a member of the practice."));
        }

        await (await DeskAsync(db, caller, stop)).GiveAsync(row, to.Id, to.Name, body.Words.Trim(), stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<TaskMoved>, NotFound, ValidationProblem>> Move(Guid id, MoveTaskBody body, GerminalDb db, CancellationToken stop)
    {
        if (await OpenAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (Dates.TryParse(body.To) is not { } to)
        {
            return Problems.Field("to", Say($"“{body.To}” is not a date there is; 2027-03-09 would be."));
        }

        var before = row.Due;
        row.Due = to;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new TaskMoved(before.Iso()));
    }

    private static async Task<Results<Ok<SetMade>, NotFound, ValidationProblem>> MakeSet(MakeSetBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (body.Person is { } person && !await db.People.AnyAsync(p => p.Id == person, stop))
        {
            return TypedResults.NotFound();
        }

        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        if (settings.TaskSets.Find(s => string.Equals(s.Name, body.Set.Trim(), StringComparison.OrdinalIgnoreCase)) is not { } set)
        {
            return Problems.Field("set", settings.TaskSets.Count == 0 ? Said("There are no sets of tasks yet.") : Say($"There is no set “{body.Set}”; {string.Join(", ", settings.TaskSets.Select(s => s.Name))} are."));
        }

        if (body.Person is null && set.Tasks.Exists(t => t.Kind == "call"))
        {
            return Problems.Field("person", Said("There is a call among these; say who they are about."));
        }

        if (body.Member is { } member && !await db.Users.AnyAsync(u => u.Id == member && u.PracticeId == db.PracticeId, stop))
        {
            return Problems.Field("member", Said("Give them to a member of the practice."));
        }

        if (body.From.Length > 0 && Dates.TryParse(body.From) is null)
        {
            return Problems.Field("from", Say($"“{body.From}” is not a date there is; 2027-03-09 would be."));
        }

        var desk = await DeskAsync(db, caller, stop);
        var from = Dates.TryParse(body.From) ?? await PracticeClock.TodayAsync(db, stop);
        var made = desk.AddSet(set, from, practice.Calendar, body.Person, body.Member ?? caller.Id);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new SetMade([.. made.Select(t => t.Id)]));
    }

    private static async Task<Results<NoContent, ValidationProblem>> SaveSets(TaskSetsBody body, GerminalDb db, CancellationToken stop)
    {
        var sets = body.Sets ?? [];
        var wrong = TaskReading.Wrong(sets).ToList();
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        change.Settings.TaskSets = TaskReading.Stored(sets);
        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Finish(Guid id, TaskDoneBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Tasks.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var said = await CallDone.ReadAsync(db, row.Kind, body.Outcome, body.Next, stop);
        if (said.Problem is { } problem)
        {
            return problem;
        }

        if (await (await DeskAsync(db, caller, stop)).FinishAsync(row, body.Outcome, body.Remark, said.Reached, said.Next, said.Today, stop))
        {
            await transaction.CommitAsync(stop);
            return TypedResults.NoContent();
        }

        // A second press of the same key, or one that was sent again after a gap in the net, says what is so already.
        var ended = await db.Tasks.AsNoTracking().Where(t => t.Id == id).Select(t => t.Outcome).FirstOrDefaultAsync(stop);
        return ended == body.Outcome ? TypedResults.NoContent() : Problems.Conflict(Say($"This {row.Kind} is done already: {ended}."));
    }

    /// <summary>Puts a member's own task back on the sheet.</summary>
    private static async Task<Results<NoContent, NotFound>> Reopen(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Tasks.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row || !await (await DeskAsync(db, caller, stop)).ReopenAsync(row, stop))
        {
            return TypedResults.NotFound();
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
