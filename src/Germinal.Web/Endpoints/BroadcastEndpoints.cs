using Germinal.Core.Broadcasts;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Broadcasts;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A broadcast in the list.</summary>
/// <param name="Status">draft, waiting, going, paused, stopped or done.</param>
/// <param name="To">Who it is for, in words.</param>
/// <param name="Subject">What it says, in a line.</param>
/// <param name="At">When it began, else when it begins; null for a draft.</param>
/// <param name="People">For how many it began; null before.</param>
/// <param name="Sent">How many went.</param>
/// <param name="Opened">How many people opened it, of the emails that arrived.</param>
/// <param name="Repeats">Whether it repeats.</param>
/// <param name="WaitsForYes">Whether it is one of a row that waits for somebody to read it and let it go.</param>
public sealed record BroadcastLine(
    Guid Id,
    string Name,
    string Status,
    string To,
    string Subject,
    string? At,
    int? People,
    int Sent,
    ResultLine? Opened,
    bool Repeats,
    bool WaitsForYes,
    string By
);

/// <summary>Something wrong with a broadcast, at the place it stands.</summary>
public sealed record BroadcastFinding(string Pointer, string Message, bool IsWarning);

/// <summary>A broadcast as its page has it.</summary>
/// <param name="Plan">As it is written.</param>
/// <param name="Names">The names of people the plan has by id.</param>
/// <param name="Findings">What keeps it from being sent, and what one should know; empty once it is sent.</param>
/// <param name="BeginsAt">When it begins; null for a draft.</param>
/// <param name="BeganAt">When it began.</param>
/// <param name="AgainOf">The broadcast of which this is the second try.</param>
/// <param name="Again">The second try of this one; null for none.</param>
/// <param name="Earlier">The name of the broadcast whose recipients it is for.</param>
public sealed record BroadcastDto(
    Guid Id,
    string Name,
    int Edition,
    string Status,
    BroadcastPlan Plan,
    IReadOnlyList<PersonRef> Names,
    IReadOnlyList<BroadcastFinding> Findings,
    string? BeginsAt,
    string? BeganAt,
    string? EndedAt,
    string By,
    string? SentBy,
    Guid? AgainOf,
    Guid? Again,
    string? Earlier
);

/// <summary>Broadcasts: written, looked over, sent, held, stopped, and what they did.</summary>
public static class BroadcastEndpoints
{

    /// <summary>How many a list shows, the newest first.</summary>
    private const int Listed = 500;

    /// <param name="Name">What it is called; empty for one after the day.</param>
    public sealed record NewBroadcastBody([AtMost(Lengths.Name)] string Name = "", PlanBody? Plan = null);

    /// <param name="Edition">The edition that is changed.</param>
    public sealed record BroadcastSaveBody(int Edition = 0, [AtMost(Lengths.Name)] string Name = "", PlanBody? Plan = null);

    /// <param name="Edition">The edition that was looked over.</param>
    public sealed record BroadcastSendBody(int Edition = 0);

    /// <param name="Nth">As which of the recipients.</param>
    /// <param name="To">The members it goes to; empty for oneself.</param>
    public sealed record BroadcastTrialBody(int Nth = 0, [AtMost(0, Items = 20)] List<Guid>? To = null);

    /// <param name="Subject">The other subject.</param>
    public sealed record BroadcastAgainBody([AtMost(Lengths.Title)] string Subject = "");

    /// <param name="Id">The broadcast.</param>
    public sealed record BroadcastOf(Guid Id);

    public static void Map(IEndpointRouteBuilder app)
    {
        var group = app.MapGroup("/api/broadcasts").WithTags("broadcasts").RequireAuthorization(Rights.WritePrograms);
        group.MapGet("", List);
        group.MapPost("", Begin);
        group.MapGet("/{id:guid}", Read);
        group.MapPut("/{id:guid}", Save);
        group.MapDelete("/{id:guid}", Remove);
        group.MapGet("/of/{program:guid}", OfProgram);
        group.MapGet("/{id:guid}/forecast", Forecast);
        group.MapGet("/{id:guid}/as-read", AsRead);
        group.MapPost("/{id:guid}/links", LookAtLinks);
        group.MapPost("/{id:guid}/trial", Trial);
        group.MapPost("/{id:guid}/send", Send).RequireAuthorization(Rights.SwitchPrograms);
        group.MapPost("/{id:guid}/take-back", TakeBack).RequireAuthorization(Rights.SwitchPrograms);
        group
            .MapPost("/{id:guid}/pause", (Guid id, GerminalDb db, CancellationToken stop) => Hold(id, true, db, stop))
            .RequireAuthorization(Rights.SwitchPrograms);
        group
            .MapPost("/{id:guid}/resume", (Guid id, GerminalDb db, CancellationToken stop) => Hold(id, false, db, stop))
            .RequireAuthorization(Rights.SwitchPrograms);
        group.MapPost("/{id:guid}/stop", Stop).RequireAuthorization(Rights.SwitchPrograms);
        group.MapPost("/{id:guid}/again", Again);
        group.MapGet("/{id:guid}/numbers", Numbers);
        group.MapGet("/{id:guid}/breakdown", ByWhat);
        group.MapGet("/{id:guid}/who", Who);
        group.MapPost("/{id:guid}/who/list", ToList);
        group.MapPost("/{id:guid}/who/calls", ToCalls);
    }

    private static async Task<IReadOnlyList<BroadcastLine>> List(GerminalDb db, CancellationToken stop)
    {
        await BroadcastMoments.FinishAsync(db, stop);
        var rows = await BroadcastCounts.RowsAsync(db, Listed, stop);
        var counts = await BroadcastCounts.OfAsync(db, stop);
        var names = rows.ToDictionary(r => r.Id, r => r.Name);
        return
        [
            .. rows.Select(r =>
            {
                var count = counts.GetValueOrDefault(r.ProgramId ?? Guid.Empty);
                return new BroadcastLine(
                    r.Id,
                    r.Name,
                    r.Status,
                    BroadcastWords.To(r.Plan.To, names),
                    r.Plan.Ways is [var first, ..] ? BroadcastWords.Line(first) : "",
                    (r.BeganAt ?? r.BeginsAt)?.Iso(),
                    r.BeganAt is null ? null : r.People,
                    count?.Sent ?? 0,
                    count is { Emails: > 0 } ? ResultLine.Some(ResultWords.Opened, count.Opened, count.Emails) : null,
                    r.Plan.Repeat is not null,
                    r is { Status: BroadcastDesk.Draft, SeriesId: not null },
                    r.SentBy ?? r.By
                );
            }),
        ];
    }

    private static async Task<Results<Ok<BroadcastDto>, ValidationProblem>> Begin(NewBroadcastBody body, GerminalDb db, BroadcastDesk desk, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var today = await PracticeClock.TodayAsync(db, stop);
        var row = new BroadcastRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = await BroadcastDesk.FreeTitleAsync(db, body.Name.Trim() is { Length: > 0 } name ? name : Say($"Broadcast of {LocalDatePattern.Iso.Format(today)}"), stop),
            Plan = PlanOf(body.Plan ?? new PlanBody(), new BroadcastPlan(), caller),
            MemberId = caller.Id,
            By = caller.Name,
            CreatedAt = now,
        };
        db.Broadcasts.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, desk, row, stop));
    }

    /// <summary>Which broadcast a program sends: threads and the almanac know programs.</summary>
    private static async Task<Results<Ok<BroadcastOf>, NotFound>> OfProgram(Guid program, GerminalDb db, CancellationToken stop) =>
        await db.Broadcasts.Where(b => b.ProgramId == program).Select(b => (Guid?)b.Id).FirstOrDefaultAsync(stop) is { } id ? TypedResults.Ok(new BroadcastOf(id)) : TypedResults.NotFound();

    private static async Task<Results<Ok<BroadcastDto>, NotFound>> Read(Guid id, GerminalDb db, BroadcastDesk desk, CancellationToken stop)
    {
        await BroadcastMoments.FinishAsync(db, stop);
        return await FindAsync(db, id, stop) is { } row ? TypedResults.Ok(await DtoAsync(db, desk, row, stop)) : TypedResults.NotFound();
    }

    private static async Task<Results<Ok<BroadcastDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        BroadcastSaveBody body,
        GerminalDb db,
        BroadcastDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.Broadcasts.FirstOrDefaultAsync(b => b.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Status != BroadcastDesk.Draft)
        {
            return Problems.Conflict(Said("It has been sent and does not change any more. Take it back first, if it has not begun."));
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Said("Somebody else has changed this broadcast since you opened it. What you wrote is still here; load the page again to see theirs."));
        }

        if (body.Name.Trim().Length == 0)
        {
            return Problems.Field("name", Said("A broadcast has a name, by which you find it again."));
        }

        if (body.Plan is null)
        {
            return Problems.Field("plan", Said("The broadcast itself is missing."));
        }

        (row.Name, row.Plan) = (body.Name.Trim(), PlanOf(body.Plan, row.Plan, caller));
        row.Edition++;
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateConcurrencyException)
        {
            return Problems.Conflict(Said("Somebody else saved this broadcast at the same moment. What you wrote is still here; load the page again to see theirs."));
        }

        return TypedResults.Ok(await DtoAsync(db, desk, row, stop));
    }

    /// <summary>A plan as it is kept: who overrules a missing consent is whoever saves it, and has to be allowed to.</summary>
    private static BroadcastPlan PlanOf(PlanBody body, BroadcastPlan before, Caller caller)
    {
        var plan = body.ToPlan();
        return plan with
        {
            LetGo =
            [
                .. plan.LetGo.Select(l => before.LetGo.FirstOrDefault(b => b.Person == l.Person && b.Reason == l.Reason) ?? (caller.May(Rights.OverruleConsent) ? l with { By = caller.Name } : null))
                    .OfType<LetGo>()
                    .DistinctBy(l => l.Person),
            ],
        };
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Remove(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is null)
        {
            return TypedResults.NotFound();
        }

        return await db.Broadcasts.Where(b => b.Id == id && b.Status == BroadcastDesk.Draft).ExecuteDeleteAsync(stop) == 1
            ? TypedResults.NoContent()
            : Problems.Conflict(Said("It has been sent; what it did stays to be read."));
    }

    private static async Task<Results<Ok<BroadcastForecast>, NotFound, ValidationProblem>> Forecast(Guid id, GerminalDb db, BroadcastDesk desk, BroadcastLook look, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (await WrongAsync(db, desk, row, now, stop) is { } wrong)
        {
            return wrong;
        }

        var begins = row.BeginsAt ?? await BroadcastDesk.BeginsAsync(db, await PracticeReading.LoadAsync(db, stop), row.Plan, now, stop);
        return TypedResults.Ok(await look.OfAsync(db, row, Instant.Max(begins, now), now, stop));
    }

    private static async Task<Results<Ok<BroadcastReadBy>, NotFound, ValidationProblem>> AsRead(Guid id, int? nth, GerminalDb db, BroadcastReading reading, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        // However it reads, it reads the same whenever it goes: what is wrong with its moment keeps nobody from reading it.
        var now = await PracticeClock.NowAsync(db, stop);
        row.Plan = row.Plan with { When = new BroadcastWhen() };
        var wrong = BroadcastCheck.Findings(row.Plan, await PracticeClock.TodayAsync(db, stop));
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong.Select(f => (f.Pointer, f.Message)));
        }

        return await reading.OfAsync(db, row, nth ?? 0, now, stop) is { } read ? TypedResults.Ok(read) : Problems.Field("/to", Said("It is for nobody as things stand."));
    }

    private static async Task<Results<Ok<IReadOnlyList<LinkLookedAt>>, NotFound>> LookAtLinks(Guid id, GerminalDb db, BroadcastAddresses addresses, CancellationToken stop) =>
        await FindAsync(db, id, stop) is { } row ? TypedResults.Ok(await addresses.LookAsync(row.Plan, stop)) : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Trial(
        Guid id,
        BroadcastTrialBody body,
        GerminalDb db,
        BroadcastDesk desk,
        BroadcastReading reading,
        TrialMail trials,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (await WrongAsync(db, desk, row, now, stop) is { } wrong)
        {
            return wrong;
        }

        if (row.Plan.WayOf("email") is null)
        {
            return Problems.Field("/ways", Said("Only emails are tried by mail; read the text on the page."));
        }

        if (await reading.OfAsync(db, row, body.Nth, now, stop) is not { } read)
        {
            return Problems.Field("/to", Said("It is for nobody as things stand."));
        }

        var program = BroadcastProgram.Of(row.Name, row.Plan);
        var step = program.AllSteps.OfType<EmailStep>().First(e => read.Version is null || BroadcastProgram.VersionOf(e.Id) is { } version && BroadcastProgram.LetterOf(version) == read.Version);
        var facts = (await FactsReading.LoadAsync(db, [read.Person.Id], stop))[read.Person.Id];
        foreach (var member in body.To is { Count: > 0 } to ? to.Distinct() : [caller.Id])
        {
            if (!await db.Users.AnyAsync(u => u.Id == member && u.PracticeId == caller.PracticeId, stop))
            {
                return Problems.Field("to", Said("A trial goes to members of the practice only."));
            }

            if (await trials.SendAsync(db, program, step, facts, member, stop) is { } problem)
            {
                return Problems.PutRight(problem);
            }
        }

        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<BroadcastDto>, NotFound, ValidationProblem, ProblemHttpResult>> Send(
        Guid id,
        BroadcastSendBody body,
        GerminalDb db,
        BroadcastDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await BroadcastDesk.LockedAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Status != BroadcastDesk.Draft)
        {
            return Problems.Conflict(Said("It has been sent already."));
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Said("It has changed since you looked it over. Look again before it goes."));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (await WrongAsync(db, desk, row, now, stop) is { } wrong)
        {
            return wrong;
        }

        await BroadcastDesk.SendAsync(db, row, caller.Name, now, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, desk, row, stop));
    }

    private static async Task<Results<Ok<BroadcastDto>, NotFound, ProblemHttpResult>> TakeBack(Guid id, GerminalDb db, BroadcastDesk desk, CancellationToken stop) =>
        await FindAsync(db, id, stop) is null ? TypedResults.NotFound()
        : !await BroadcastDesk.TakeBackAsync(db, id, stop) ? Problems.Conflict(Said("It has begun; it can be held or stopped, not taken back."))
        : TypedResults.Ok(await DtoAsync(db, desk, (await FindAsync(db, id, stop))!, stop));

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Hold(Guid id, bool paused, GerminalDb db, CancellationToken stop) =>
        await FindAsync(db, id, stop) is null ? TypedResults.NotFound()
        : await BroadcastDesk.PauseAsync(db, id, paused, await PracticeClock.NowAsync(db, stop), stop) ? TypedResults.NoContent()
        : Problems.Conflict(paused ? Said("It is not going, so there is nothing to hold.") : Said("It is not held."));

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Stop(Guid id, GerminalDb db, Caller caller, CancellationToken stop) =>
        await FindAsync(db, id, stop) is null ? TypedResults.NotFound()
        : await BroadcastDesk.StopAsync(db, id, caller.Name, await PracticeClock.NowAsync(db, stop), stop) ? TypedResults.NoContent()
        : Problems.Conflict(Said("Nothing of it is left to stop."));

    private static async Task<Results<Ok<BroadcastDto>, NotFound, ValidationProblem, ProblemHttpResult>> Again(
        Guid id,
        BroadcastAgainBody body,
        GerminalDb db,
        BroadcastDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Subject.Trim().Length == 0)
        {
            return Problems.Field("subject", Said("Give it another subject; the first one was not opened."));
        }

        return await BroadcastDesk.AgainAsync(db, row, body.Subject.Trim(), caller.Id, caller.Name, await PracticeClock.NowAsync(db, stop), stop) is { } again
            ? TypedResults.Ok(await DtoAsync(db, desk, again, stop))
            : Problems.Conflict(Said("An email that has gone can go once more to those who did not open it, and only once."));
    }

    private static async Task<Results<Ok<BroadcastNumbers>, NotFound>> Numbers(Guid id, GerminalDb db, CancellationToken stop) =>
        await FindAsync(db, id, stop) is { BeganAt: not null } row ? TypedResults.Ok(await BroadcastResults.OfAsync(db, row, stop)) : TypedResults.NotFound();

    private static async Task<Results<Ok<BreakdownDto>, NotFound>> ByWhat(Guid id, GerminalDb db, CancellationToken stop) =>
        await FindAsync(db, id, stop) is { BeganAt: not null, ProgramId: { } program } row ? TypedResults.Ok(await Breakdown.OfAsync(db, program, row.Plan.Goal, stop)) : TypedResults.NotFound();

    private static async Task<Results<Ok<BehindNumber>, NotFound>> Who(Guid id, [AtMost(Lengths.Name)] string? what, GerminalDb db, CancellationToken stop) =>
        await WhoAsync(db, id, what ?? "", stop) is { } who ? TypedResults.Ok(await PeopleBehind.NamesAsync(db, who, stop)) : TypedResults.NotFound();

    private static async Task<Results<Ok<DoneForMany>, NotFound, ValidationProblem>> ToList(Guid id, BehindListBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await WhoAsync(db, id, body.What, stop) is not { } who)
        {
            return TypedResults.NotFound();
        }

        var (done, wrong) = await PeopleBehind.ToListAsync(db, who, body.List, caller, stop);
        return wrong is not null ? wrong : TypedResults.Ok(done);
    }

    private static async Task<Results<Ok<DoneForMany>, NotFound, ValidationProblem>> ToCalls(Guid id, BehindCallsBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await WhoAsync(db, id, body.What, stop) is not { } who)
        {
            return TypedResults.NotFound();
        }

        var name = await db.Broadcasts.Where(b => b.Id == id).Select(b => b.Name).SingleAsync(stop);
        var (done, wrong) = await PeopleBehind.ToCallsAsync(db, who, body.Title, body.On, Say($"after “{name}”"), caller, stop);
        return wrong is not null ? wrong : TypedResults.Ok(done);
    }

    private static async Task<IQueryable<PersonRow>?> WhoAsync(GerminalDb db, Guid id, string what, CancellationToken stop) =>
        await FindAsync(db, id, stop) is { ProgramId: { } program, BeganAt: not null } ? BroadcastResults.Who(db, program, what) : null;

    private static Task<BroadcastRow?> FindAsync(GerminalDb db, Guid id, CancellationToken stop) => db.Broadcasts.AsNoTracking().FirstOrDefaultAsync(b => b.Id == id, stop);

    private static async Task<ValidationProblem?> WrongAsync(GerminalDb db, BroadcastDesk desk, BroadcastRow row, Instant now, CancellationToken stop)
    {
        var errors = row.Status == BroadcastDesk.Draft ? (await desk.FindingsAsync(db, row, now, stop)).Where(f => !f.IsWarning).ToList() : [];
        return errors.Count > 0 ? Problems.Fields(errors.Select(e => (e.Pointer.Length > 0 ? e.Pointer : "/", e.Message))) : null;
    }

    private static async Task<BroadcastDto> DtoAsync(GerminalDb db, BroadcastDesk desk, BroadcastRow row, CancellationToken stop)
    {
        var plan = row.Plan;
        var people = plan.With.Concat(plan.Without).Concat(plan.To.People).Concat(plan.LetGo.Select(l => l.Person)).Distinct().ToArray();
        var there = await db.People.Where(p => people.Contains(p.Id)).Select(p => p.Id).ToListAsync(stop);
        var names = await db.NamesAsync(there, stop);
        IReadOnlyList<Finding> findings = row.Status == BroadcastDesk.Draft ? await desk.FindingsAsync(db, row, await PracticeClock.NowAsync(db, stop), stop) : [];
        return new BroadcastDto(
            row.Id,
            row.Name,
            row.Edition,
            row.Status,
            plan,
            [.. names.Select(n => new PersonRef(n.Key, n.Value)).OrderBy(n => n.Name, StringComparer.Ordinal)],
            [.. findings.Select(f => new BroadcastFinding(f.Pointer, f.Message, f.IsWarning))],
            row.BeginsAt?.Iso(),
            row.BeganAt?.Iso(),
            row.EndedAt?.Iso(),
            row.By,
            row.SentBy,
            row.AgainOf,
            await db.Broadcasts.Where(b => b.AgainOf == row.Id).Select(b => (Guid?)b.Id).FirstOrDefaultAsync(stop),
            plan.To.Broadcast is { } earlier ? await db.Broadcasts.Where(b => b.Id == earlier).Select(b => b.Name).FirstOrDefaultAsync(stop) : null
        );
    }
}
