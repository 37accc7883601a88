using System.Text.Json;
using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A mark of the touch line: the day it falls on, counted from the start, and its kind.</summary>
public sealed record TouchMarkDto(int Day, string Kind, string StepId);

/// <summary>A line of the list of programs.</summary>
public sealed record ProgramLine(
    Guid Id,
    string Name,
    string? Description,
    string Status,
    string? OnSince,
    int Version,
    int OnIt,
    int Through,
    int Stopped,
    IReadOnlyList<TouchMarkDto> Line,
    string? Group,
    JsonElement Starts,
    MemberDto? Owner,
    bool Hidden,
    bool Archived,
    int Answered,
    bool Changed
);

/// <summary>A program's page. Draft is a program file.</summary>
public sealed record ProgramDto(
    Guid Id,
    string Status,
    string? OnSince,
    string? PausedUntil,
    int Version,
    int DraftNumber,
    string? DraftBy,
    bool DraftIsPublished,
    JsonElement Draft,
    IReadOnlyList<FindingDto> Findings,
    int OnIt,
    int Through,
    int Stopped,
    IReadOnlyList<TouchMarkDto> Line,
    MemberDto? Owner,
    bool Hidden,
    bool Archived,
    bool MayChange,
    ApprovalDto Approval
);

/// <summary>Something wrong with a program, at a JSON pointer.</summary>
public sealed record FindingDto(string Pointer, string Message, bool IsWarning);

/// <summary>Somebody whose next date changes; Then is null where their program would be over.</summary>
public sealed record ChangingDate(PersonRef Person, string Now, string? Then);

/// <summary>Those on their way on an older version, and whose next date changes if they move.</summary>
public sealed record OlderRunsDto(int OnOlder, int Changing, IReadOnlyList<ChangingDate> First);

/// <summary>People a program would meet trouble with.</summary>
public sealed record AudienceDto(string Text, int Count, IReadOnlyList<PersonRef> People, string Pointer);

/// <summary>What checking found.</summary>
/// <param name="Findings">About the program itself; each stands beside its line.</param>
/// <param name="LookedAt">How many people it can start for.</param>
/// <param name="Anybody">True where nobody has what starts it yet, so that everybody was looked at.</param>
/// <param name="Audience">What would hold them back.</param>
public sealed record CheckDto(IReadOnlyList<FindingDto> Findings, int LookedAt, bool Anybody, IReadOnlyList<AudienceDto> Audience);

/// <summary>A refusal's reason in words, and how many.</summary>
public sealed record ReasonCount(string Reason, int Count);

/// <summary>Who would start if the program were switched on now.</summary>
public sealed record WhoDto(int Count, IReadOnlyList<PersonRef> First, IReadOnlyList<ReasonCount> Refused);

/// <summary>Programs: writing, checking, switching on.</summary>
public static class ProgramEndpoints
{
    public sealed record NewProgram([AtMost(Lengths.Name)] string Name);

    public sealed record DraftBody(int DraftNumber, JsonElement Draft);

    public sealed record DraftSaved(int DraftNumber, IReadOnlyList<FindingDto> Findings, IReadOnlyList<TouchMarkDto> Line);

    public sealed record SwitchBody(int DraftNumber, bool AlsoThese);

    public sealed record Switched(int Version, int Started);

    /// <summary>Where a link leads, with its scheme.</summary>
    public sealed record LinkDto(string Address);

    public sealed record FieldDto(string Field, string Meaning);

    public static void Map(IEndpointRouteBuilder app)
    {
        var programs = app.MapGroup("/api/programs").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        programs.MapGet("", List);
        programs.MapGet("/fields", Fields);
        programs.MapGet("/links", (GerminalDb db, CancellationToken stop) => ProgramDesk.LinkNamesAsync(db, null, stop));
        programs.MapGet(
            "/link-address",
            Results<Ok<LinkDto>, ValidationProblem> (string written) =>
                LinkAddress.Complete(written) is { } address ? TypedResults.Ok(new LinkDto(address)) : Problems.Field("written", LinkAddress.Problem(written)!)
        );
        programs.MapPost("", Create);
        programs.MapGet("/{id:guid}", Read);
        programs.MapPut("/{id:guid}/draft", Save);
        programs.MapGet("/{id:guid}/check", Check);
        programs.MapGet("/{id:guid}/who-starts", Who);
        var switching = app.MapGroup("/api/programs/{id:guid}").WithTags("programs").RequireAuthorization(Rights.SwitchPrograms);
        switching.MapPost("/switch-on", SwitchOn);
        switching.MapPost("/pause", (Guid id, string? until, GerminalDb db, Caller caller, CancellationToken stop) => SetPaused(id, true, until, db, caller, stop));
        switching.MapPost("/resume", (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => SetPaused(id, false, null, db, caller, stop));
        programs.MapGet("/{id:guid}/older-runs", OlderRuns);
        switching.MapPost(
            "/move-runs",
            (Guid id, GerminalDb db, Caller caller, CancellationToken stop) =>
                ForAllRuns(id, (row, now) => new MovedToVersion(now, id, row.CurrentVersion), db, caller, stop)
        );
        switching.MapPost(
            "/stop-runs",
            (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => ForAllRuns(id, (_, now) => new ProgramStoppedByHand(now, id), db, caller, stop)
        );
        programs.MapGet("/{id:guid}/preview", Preview);
        programs.MapGet(
            "/{id:guid}/deeds",
            async Task<Results<Ok<IReadOnlyList<StepDeed>>, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                await db.Programs.AnyAsync(p => p.Id == id, stop) ? TypedResults.Ok(await StepDeeds.CountAsync(db, id, stop)) : TypedResults.NotFound()
        );
        programs.MapGet(
            "/{id:guid}/deeds/{what}",
            async Task<Results<Ok<DeedsOf>, NotFound>> (Guid id, string what, string? step, GerminalDb db, CancellationToken stop) =>
                await db.Programs.AnyAsync(p => p.Id == id, stop) && await StepDeeds.WhoAsync(db, id, step ?? "", what, stop) is { } found ? TypedResults.Ok(found) : TypedResults.NotFound()
        );
        programs.MapGet(
            "/{id:guid}/on-it",
            async Task<Results<Ok<OnItDto>, NotFound>> (Guid id, string? step, GerminalDb db, CancellationToken stop) =>
                await db.Programs.AnyAsync(p => p.Id == id, stop) ? TypedResults.Ok(await OnItsWay.ReadAsync(db, id, step, stop)) : TypedResults.NotFound()
        );
    }

    /// <summary>What a letter may name: the fields there are for everybody, then the practice's own.</summary>
    private static async Task<IReadOnlyList<FieldDto>> Fields(GerminalDb db, CancellationToken stop)
    {
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        return
        [
            .. Core.Messages.MergeFields.All.Select(f => new FieldDto(f.Field, Said(f.Meaning))),
            .. OwnFields.Of(practice.Settings).Select(f => new FieldDto(Core.Messages.MergeFields.OfOwn(f.Key), Say($"their {f.Name}"))),
        ];
    }

    private static async Task<IReadOnlyList<ProgramLine>> List(GerminalDb db, CancellationToken stop)
    {
        var rows = await db.Programs.AsNoTracking().OrderBy(p => p.Name).ToListAsync(stop);
        var members = await MembersAsync(db, stop);
        var answered = await AnsweredAsync(db, stop);
        var counts = await CountsAsync(db, null, stop);
        var asPublished = (await ProgramDesk.AsPublished(db).Select(p => p.Id).ToListAsync(stop)).ToHashSet();
        return
        [
            .. rows.Select(p =>
            {
                var definition = ProgramFile.Read(p.Draft).Program;
                var (on, through, stopped) = counts.GetValueOrDefault(p.Id);
                return new ProgramLine(
                    p.Id,
                    p.Name,
                    definition?.Description,
                    p.Status,
                    p.OnSince?.Iso(),
                    p.CurrentVersion,
                    on,
                    through,
                    stopped,
                    definition is null ? [] : LineOf(definition),
                    definition?.Group,
                    StartsOf(p.Draft),
                    OwnerOf(p, members),
                    p.Hidden,
                    p.ArchivedAt is not null,
                    answered.GetValueOrDefault(p.Id),
                    p.CurrentVersion > 0 && !asPublished.Contains(p.Id)
                );
            }),
        ];
    }

    private static async Task<Dictionary<Guid, MemberDto>> MembersAsync(GerminalDb db, CancellationToken stop) =>
        await db.Users.AsNoTracking().Where(m => m.PracticeId == db.PracticeId).ToDictionaryAsync(m => m.Id, m => new MemberDto(m.Id, m.Name), stop);

    private static MemberDto? OwnerOf(ProgramRow program, Dictionary<Guid, MemberDto> members) =>
        program.OwnerId is { } owner ? members.GetValueOrDefault(owner) : null;

    /// <summary>How many runs of each program ended because somebody answered.</summary>
    private static async Task<Dictionary<Guid, int>> AnsweredAsync(GerminalDb db, CancellationToken stop)
    {
        var answered = Reason.Replied.Word();
        return await db
            .Runs.AsNoTracking()
            .Where(r => r.StopReason == answered)
            .GroupBy(r => r.ProgramId)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToDictionaryAsync(g => g.Key, g => g.Count, stop);
    }

    /// <summary>What starts a program, as its file has it; an empty list where the file has none.</summary>
    private static JsonElement StartsOf(string draft)
    {
        using var file = JsonDocument.Parse(draft);
        return file.RootElement.TryGetProperty("startsWhen", out var starts) ? starts.Clone() : JsonDocument.Parse("[]").RootElement.Clone();
    }

    private static async Task<Dictionary<Guid, (int On, int Through, int Stopped)>> CountsAsync(GerminalDb db, Guid? only, CancellationToken stop) =>
        (
            await db
                .Runs.AsNoTracking()
                .Where(r => only == null || r.ProgramId == only)
                .GroupBy(r => r.ProgramId)
                .Select(g => new
                {
                    g.Key,
                    On = g.Count(r => r.EndedAt == null),
                    Through = g.Count(r => r.EndedAt != null && r.StopReason == null),
                    Stopped = g.Count(r => r.StopReason != null),
                })
                .ToListAsync(stop)
        ).ToDictionary(g => g.Key, g => (g.On, g.Through, g.Stopped));

    /// <summary>
    /// The days of the steps, those in passages too, for the touch line; dates of the calendar count from 1 January. What
    /// follows a fork or split is counted from its longest way.
    /// </summary>
    internal static IReadOnlyList<TouchMarkDto> LineOf(ProgramDefinition program)
    {
        var reference = new LocalDate(2027, 1, 4);
        var marks = new List<TouchMarkDto>();
        int Walk(IReadOnlyList<Step> steps, int previous)
        {
            foreach (var step in steps)
            {
                var day = step.When switch
                {
                    FromStart f => Period.DaysBetween(reference, f.Offset.AddDates(reference)),
                    FromPrevious f => previous + Period.DaysBetween(reference, f.Offset.AddDates(reference)),
                    FromOccasion f => Period.DaysBetween(reference, f.Offset.AddDates(reference)) - OccasionLead(program),
                    OnYearly y => y.Date.In(2027, Core.Time.LeapDay.Feb28).DayOfYear - 1,
                    _ => previous,
                };
                previous = Math.Max(previous, day);
                marks.Add(new TouchMarkDto(previous, step.Kind, step.Id));
                IReadOnlyList<Step>[] ways = step switch
                {
                    ForkStep fork => [fork.Then, fork.Else],
                    SplitStep split => [.. split.Passages.Select(p => p.Steps)],
                    _ => [],
                };
                previous = ways.Select(way => Walk(way, previous)).Append(previous).Max();
            }

            return previous;
        }

        Walk(program.Steps, 0);
        return marks;
    }

    private static int OccasionLead(ProgramDefinition program)
    {
        var reference = new LocalDate(2027, 1, 4);
        var offset =
            program.StartsWhen.OfType<OccasionTrigger>().FirstOrDefault()?.Offset ?? program.StartsWhen.OfType<AppointmentTrigger>().FirstOrDefault()?.Offset;
        return offset is { } lead ? Period.DaysBetween(reference, lead.AddDates(reference)) : 0;
    }

    private static FindingDto Dto(Finding f) => new(f.Pointer, f.Message, f.IsWarning);

    private static async Task<Results<Ok<PeopleEndpoints.Added>, ValidationProblem>> Create(
        NewProgram body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var name = body.Name.Trim();
        if (await NameProblemAsync(db, Guid.Empty, name, stop) is { } problem)
        {
            return Problems.Field("name", problem);
        }

        var draft = new ProgramDefinition
        {
            Name = name,
            At = new LocalTime(9, 30),
            Window = new Core.Time.Window(
                System.Collections.Frozen.FrozenSet.ToFrozenSet([
                    IsoDayOfWeek.Monday,
                    IsoDayOfWeek.Tuesday,
                    IsoDayOfWeek.Wednesday,
                    IsoDayOfWeek.Thursday,
                    IsoDayOfWeek.Friday,
                ]),
                new LocalTime(9, 0),
                new LocalTime(17, 30),
                true,
                Core.Time.Roll.Forward
            ),
            StartsWhen = [new ByHand()],
            StopsWhen = [new StopOnReply(null)],
        };
        var row = new ProgramRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = name,
            Draft = ProgramFile.Write(draft).ToJsonString(),
            DraftBy = caller.Name,
            OwnerId = caller.Id,
            CreatedAt = await PracticeClock.NowAsync(db, stop),
        };
        db.Programs.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new PeopleEndpoints.Added(row.Id));
    }

    private static async Task<string?> NameProblemAsync(GerminalDb db, Guid self, string name, CancellationToken stop)
    {
        if (name.Length is 0 or > ProgramsTaken.LongestName)
        {
            return ProgramsTaken.NameProblem;
        }

#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
        var lower = name.ToLowerInvariant();
        return await db.Programs.AnyAsync(p => p.Id != self && p.Name.ToLower() == lower, stop)
            ? Say($"There is a program “{name}” already. Give this one another name.")
            : null;
#pragma warning restore CA1862, CA1311, CA1304, MA0011
    }

    private static async Task<Results<Ok<ProgramDto>, NotFound>> Read(Guid id, GerminalDb db, ProgramDesk desk, Caller caller, CancellationToken stop)
    {
        var row = await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        var reading = ProgramFile.Read(row.Draft);
        var findings = reading.Program is null ? reading.Errors : await desk.FindingsAsync(db, id, reading.Program, stop);
        var published = await db
            .ProgramVersions.AsNoTracking()
            .Where(v => v.ProgramId == id && v.Version == row.CurrentVersion)
            .Select(v => v.Definition)
            .FirstOrDefaultAsync(stop);
        var (on, through, stopped) = (await CountsAsync(db, id, stop)).GetValueOrDefault(id);
        return TypedResults.Ok(
            new ProgramDto(
                row.Id,
                row.Status,
                row.OnSince?.Iso(),
                row.PausedUntil?.Iso(),
                row.CurrentVersion,
                row.DraftNumber,
                row.DraftBy,
                published == row.Draft,
                JsonSerializer.Deserialize<JsonElement>(row.Draft),
                [.. findings.Select(Dto)],
                on,
                through,
                stopped,
                reading.Program is null ? [] : LineOf(reading.Program),
                OwnerOf(row, await MembersAsync(db, stop)),
                row.Hidden,
                row.ArchivedAt is not null,
                ProgramStanding.MayChange(row, caller),
                await ApprovalEndpoints.OfAsync(db, row, stop)
            )
        );
    }

    private static async Task<Results<Ok<DraftSaved>, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        DraftBody body,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        var row = await db.Programs.FirstOrDefaultAsync(p => p.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        if (await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        if (row.DraftNumber != body.DraftNumber)
        {
            return Problems.Conflict(
                Say($"{row.DraftBy ?? Said("Somebody")} has changed this program since you opened it. What you wrote is still here; load the page again to see their version.")
            );
        }

        var reading = ProgramFile.Read(body.Draft);
        if (reading.Program is not { } program)
        {
            return Problems.Fields(reading.Errors.Select(e => (e.Pointer, e.Message)));
        }

        if (await NameProblemAsync(db, id, program.Name, stop) is { } problem)
        {
            return Problems.Field("/name", problem);
        }

        var draft = ProgramFile.Write(program).ToJsonString();
        // The number in the condition, not only in the check above: of two saves at one moment one is refused.
        var saved = await db
            .Programs.Where(p => p.Id == id && p.DraftNumber == body.DraftNumber)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(p => p.Draft, draft)
                        .SetProperty(p => p.Name, program.Name)
                        .SetProperty(p => p.DraftNumber, body.DraftNumber + 1)
                        .SetProperty(p => p.DraftBy, caller.Name),
                stop
            );
        if (saved == 0)
        {
            return Problems.Conflict(
                Said("Somebody else saved this program at the same moment. What you wrote is still here; load the page again to see their version.")
            );
        }

        var findings = await desk.FindingsAsync(db, id, program, stop);
        return TypedResults.Ok(new DraftSaved(body.DraftNumber + 1, [.. findings.Select(Dto)], LineOf(program)));
    }

    /// <summary>A program's draft, the words of its letters filled in; null where there is none.</summary>
    internal static async Task<(ProgramRow Row, ProgramDefinition Program)?> DraftAsync(GerminalDb db, Guid id, CancellationToken stop) =>
        await db.Programs.FirstOrDefaultAsync(p => p.Id == id, stop) is { } row && ProgramFile.Read(row.Draft).Program is { } program
            ? (row, program.WithLetters(await LetterShelf.LoadAsync(db, stop)))
            : null;

    private static async Task<Results<Ok<CheckDto>, NotFound>> Check(Guid id, GerminalDb db, ProgramDesk desk, CancellationToken stop)
    {
        if (await DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var findings = await desk.FindingsAsync(db, id, draft.Program, stop);
        var audience = await desk.AudienceAsync(db, id, draft.Program, now, stop);
        return TypedResults.Ok(
            new CheckDto(
                [.. findings.Select(Dto)],
                audience.LookedAt,
                audience.Anybody,
                [.. audience.Findings.Select(a => new AudienceDto(a.Text, a.Count, [.. a.People.Select(p => new PersonRef(p.Id, p.Name))], a.Pointer))]
            )
        );
    }

    private static async Task<Results<Ok<WhoDto>, NotFound>> Who(Guid id, GerminalDb db, ProgramDesk desk, CancellationToken stop)
    {
        if (await DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var who = await desk.WhoStartsAsync(db, id, draft.Program, await PracticeClock.NowAsync(db, stop), stop);
        return TypedResults.Ok(
            new WhoDto(
                who.Starting.Count,
                [.. who.Starting.Take(60).Select(p => new PersonRef(p.Id, p.Name))],
                [.. who.Refused.OrderByDescending(r => r.Value).Select(r => new ReasonCount(Why.Reason(r.Key), r.Value))]
            )
        );
    }

    private static async Task<Results<Ok<Switched>, NotFound, ValidationProblem, ProblemHttpResult>> SwitchOn(
        Guid id,
        SwitchBody body,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        if (await ProgramStanding.RefusalAsync(db, draft.Row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        if (draft.Row.DraftNumber != body.DraftNumber)
        {
            return Problems.Conflict(Said("The program was changed since you looked. Load the page again before you switch it on."));
        }

        if (await ApprovalEndpoints.RefusalAsync(db, draft.Row, caller, stop) is { } notApproved)
        {
            return notApproved;
        }

        if (draft.Row.ArchivedAt is not null)
        {
            return Problems.Conflict(Say($"“{draft.Row.Name}” is put away. Bring it back before you switch it on."));
        }

        var errors = (await desk.FindingsAsync(db, id, draft.Program, stop)).Where(f => !f.IsWarning).ToList();
        if (errors.Count > 0)
        {
            return Problems.Fields(errors.Select(e => (e.Pointer, e.Message)));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var who = body.AlsoThese ? await desk.WhoStartsAsync(db, id, draft.Program, now, stop) : null;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var version = await ProgramDesk.PublishAsync(db, draft.Row, caller.Name, now, stop);
        var started = who is null ? 0 : await new PeopleDesk(db, caller.Name, now).StartProgramAsync([.. who.Starting.Select(p => p.Id)], id, true, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new Switched(version, started));
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> SetPaused(
        Guid id,
        bool paused,
        string? end,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var row = await db.Programs.FirstOrDefaultAsync(p => p.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        if (await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        if (row.Status != (paused ? "on" : "paused"))
        {
            return Problems.Conflict(paused ? Said("Only a program that is on can be paused.") : Said("Only a paused program can be resumed."));
        }

        var until = await UntilDate.ReadAsync(db, end, stop);
        if (until.Problem is { } problem)
        {
            return problem;
        }

        await ProgramDesk.SetPausedAsync(db, row, paused, until.Moment, await PracticeClock.NowAsync(db, stop), stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<OlderRunsDto>, NotFound>> OlderRuns(Guid id, GerminalDb db, ProgramDesk desk, CancellationToken stop)
    {
        if (await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var (onOlder, changing) = await desk.OlderRunsAsync(db, row, await PracticeClock.NowAsync(db, stop), stop);
        return TypedResults.Ok(
            new OlderRunsDto(
                onOlder,
                changing.Count,
                [
                    .. changing
                        .Take(20)
                        .Select(c => new ChangingDate(new PersonRef(c.Id, c.Name), c.Now.Iso(), c.Then == NodaTime.Instant.MaxValue ? null : c.Then.Iso())),
                ]
            )
        );
    }

    private static async Task<Results<Ok<PeopleEndpoints.Counted>, NotFound, ProblemHttpResult>> ForAllRuns(
        Guid id,
        Func<ProgramRow, Instant, Happening> happened,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    ) =>
        await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row ? TypedResults.NotFound()
        : await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs ? notTheirs
        : TypedResults.Ok(
                new PeopleEndpoints.Counted(
                    await ProgramDesk.ForAllRunsAsync(db, row, happened(row, await PracticeClock.NowAsync(db, stop)), caller.Name, stop)
                )
            );

    /// <summary>The draft tried on a person: the given one, or the one after or before them in the list, or somebody it suits.</summary>
    private static async Task<Results<Ok<PreviewDto>, NotFound>> Preview(
        Guid id,
        Guid? person,
        int? move,
        string? step,
        GerminalDb db,
        ProgramPreview previews,
        CancellationToken stop
    ) =>
        await DraftAsync(db, id, stop) is { } draft && await previews.OfAsync(db, id, draft.Program, person, move ?? 0, step, stop) is { } preview
            ? TypedResults.Ok(preview)
            : TypedResults.NotFound();
}
