using System.Text.Json;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Letters;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A line of the ready programs.</summary>
public sealed record ReadyLine(
    string Key,
    string Name,
    string? Group,
    string? About,
    string? From,
    string? Note,
    bool Mine,
    IReadOnlyList<TouchMarkDto> Line,
    JsonElement Starts,
    string Words
);

/// <summary>A question it asks whoever takes it.</summary>
public sealed record AskedDto(string Id, string Ask, string Kind, string? Default, IReadOnlyList<string> Choices);

/// <summary>A ready program, whole.</summary>
public sealed record ReadyDto(ReadyLine About, JsonElement File, IReadOnlyList<AskedDto> Questions);

/// <summary>Ready programs: read, taken, and put on the shelf for others.</summary>
public static class ReadyProgramEndpoints
{
    private const int MostAnswers = 40;

    /// <summary>An answer to one of its questions.</summary>
    public sealed record AnswerDto([AtMost(Lengths.Name)] string Id, [AtMost(Lengths.Name)] string? Value = null);

    public sealed record AnswersBody([AtMost(Lengths.Name, Items = MostAnswers)] IReadOnlyList<AnswerDto>? Answers = null);

    public sealed record ShelfBody([AtMost(2000)] string? Note = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var ready = app.MapGroup("/api/ready-programs").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        ready.MapGet("", async (GerminalDb db, CancellationToken stop) => (await ReadyPrograms.AllAsync(db, stop)).Select(LineOf).ToList());
        ready.MapGet("/{key}", One);
        ready.MapGet("/{key}/read", Read);
        ready.MapPost("/{key}/take", Take);
        ready.MapDelete("/{key}", TakeOff).RequireAuthorization(Rights.SwitchPrograms);
        app.MapPost("/api/programs/{id:guid}/shelf", PutOn).WithTags("programs").RequireAuthorization(Rights.SwitchPrograms);
    }

    private static ReadyLine LineOf(ReadyProgram r)
    {
        using var file = JsonDocument.Parse(r.File);
        var starts = file.RootElement.TryGetProperty("startsWhen", out var s) ? s.Clone() : JsonSerializer.SerializeToElement(Array.Empty<string>());
        return new ReadyLine(
            r.Key,
            r.Program.Name,
            r.Program.Group,
            r.Program.Description,
            r.From,
            r.Note,
            r.Mine,
            ProgramEndpoints.LineOf(r.Program),
            starts,
            string.Join(' ', r.Program.AllSteps.OfType<EmailStep>().Select(e => e.Subject))
        );
    }

    private static async Task<Results<Ok<ReadyDto>, NotFound>> One(string key, GerminalDb db, CancellationToken stop) =>
        await ReadyPrograms.FindAsync(db, key, stop) is { } found
            ? TypedResults.Ok(
                new ReadyDto(
                    LineOf(found),
                    JsonSerializer.Deserialize<JsonElement>(found.File),
                    [
                        .. found.Program.Questions.Select(q => new AskedDto(
                            q.Id,
                            q.Ask,
                            q.Kind.ToString().ToLowerInvariant(),
                            q.Default,
                            [.. q.Choices.Select(c => c.Words)]
                        )),
                    ]
                )
            )
            : TypedResults.NotFound();

    private static async Task<Results<Ok<ReadyAsRead>, NotFound>> Read(
        string key,
        Guid? person,
        int? move,
        string? voice,
        GerminalDb db,
        ReadyPrograms programs,
        CancellationToken stop
    )
    {
        Voice? speaks = voice switch
        {
            "I" => Voice.I,
            "we" => Voice.We,
            _ => null,
        };
        return await ReadyPrograms.FindAsync(db, key, stop) is { } found && await programs.ReadAsync(db, found, person, move ?? 0, speaks, stop) is { } read
            ? TypedResults.Ok(read)
            : TypedResults.NotFound();
    }

    /// <summary>Makes a program being written of it, with the answers in their places.</summary>
    private static async Task<Results<Ok<ProgramTakenDto>, NotFound, ValidationProblem>> Take(
        string key,
        AnswersBody body,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await ReadyPrograms.FindAsync(db, key, stop) is not { } found)
        {
            return TypedResults.NotFound();
        }

        var answers = (body.Answers ?? []).OfType<AnswerDto>().GroupBy(a => a.Id, StringComparer.Ordinal).ToDictionary(g => g.Key, g => g.Last().Value, StringComparer.Ordinal);
        var errors = new List<Finding>();
        var file = ReadyAnswers.Put(found.File, answers, errors);
        if (errors.Count > 0)
        {
            return Problems.Fields(errors.Select(e => (e.Pointer, e.Message)));
        }

        var taken = (await ProgramFileEndpoints.TakeAsync([(found.Program.Name, file.ToJsonString())], db, desk, caller, stop))[0];
        return taken.Id is null ? Problems.Fields(taken.Findings.Select(f => (f.Pointer, f.Message))) : TypedResults.Ok(taken);
    }

    /// <summary>Puts a program on the shelf for the installation's other practices, the words of its letters written out.</summary>
    private static async Task<Results<Ok<ReadyLine>, NotFound, ValidationProblem>> PutOn(
        Guid id,
        ShelfBody body,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row || ProgramFile.Read(row.Draft).Program is not { } program)
        {
            return TypedResults.NotFound();
        }

        var errors = (await desk.FindingsAsync(db, id, program, stop)).Where(f => !f.IsWarning).ToList();
        if (errors.Count > 0)
        {
            return Problems.Fields(errors.Select(e => (e.Pointer, e.Message)));
        }

        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == caller.PracticeId, stop);
        var whole = KeptLetters.WrittenOut(program, await LetterShelf.LoadAsync(db, stop)) with { Policy = null };
        var ready = new ReadyProgramRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Practice = practice.Name,
            Name = program.Name,
            Note = (body.Note ?? "").Trim(),
            Definition = ProgramFile.Write(WithoutMembers(whole)).ToJsonString(),
            At = await PracticeClock.NowAsync(db, stop),
        };
        db.ReadyPrograms.Add(ready);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(LineOf((await ReadyPrograms.FindAsync(db, ready.Id.ToString(), stop))!));
    }

    /// <summary>Who signs is the practice's own matter: elsewhere the owner of each person does.</summary>
    private static ProgramDefinition WithoutMembers(ProgramDefinition program) => program.WithSteps(s => s.Sender is null ? s : s with { Sender = null });

    /// <summary>Takes a program off the shelf; those who took it keep theirs.</summary>
    private static async Task<Results<NoContent, NotFound>> TakeOff(string key, GerminalDb db, Caller caller, CancellationToken stop) =>
        Guid.TryParse(key, out var id) && await db.ReadyPrograms.Where(r => r.Id == id && r.PracticeId == caller.PracticeId).ExecuteDeleteAsync(stop) > 0
            ? TypedResults.NoContent()
            : TypedResults.NotFound();
}
