using Germinal.Core.Time;
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

/// <summary>A line of the list of letters: its first words, and who uses it.</summary>
public sealed record LetterLine(Guid Id, string Name, string Subject, string Begins, string By, string ChangedAt, IReadOnlyList<LetterUse> Uses);

/// <summary>A letter as it is written.</summary>
public sealed record LetterDto(
    Guid Id,
    string Name,
    string Subject,
    string Body,
    int Edition,
    string By,
    string ChangedAt,
    IReadOnlyList<FindingDto> Findings,
    IReadOnlyList<LetterUse> Uses
);

/// <summary>The letters a practice keeps by name.</summary>
public static class LetterEndpoints
{
    private const int Subject = 500;
    private const int Body = 300_000;
    private const int FirstWords = 140;

    /// <param name="Name">Its name, once in the practice.</param>
    /// <param name="Subject">Its subject.</param>
    /// <param name="Body">Its body.</param>
    /// <param name="Edition">The edition it was made from; null for a new one.</param>
    public sealed record LetterBody(
        [AtMost(Lengths.Name)] string Name,
        [AtMost(LetterEndpoints.Subject)] string Subject,
        [AtMost(LetterEndpoints.Body)] string Body,
        int? Edition = null
    );

    /// <summary>Words that are being written, to be read as somebody would.</summary>
    public sealed record WordsBody([AtMost(LetterEndpoints.Subject)] string Subject, [AtMost(LetterEndpoints.Body)] string Body, Guid? Person = null, int Move = 0);

    public static void Map(IEndpointRouteBuilder app)
    {
        var letters = app.MapGroup("/api/letters").WithTags("letters").RequireAuthorization(Rights.WritePrograms);
        letters.MapGet("", List);
        letters.MapGet("/layouts", () => LetterLayouts.All);
        letters.MapPost("", Create);
        letters.MapPost("/read", Read);
        letters.MapGet(
            "/{id:guid}",
            async Task<Results<Ok<LetterDto>, NotFound>> (Guid id, GerminalDb db, LetterDesk desk, CancellationToken stop) =>
                await db.Letters.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is { } row ? TypedResults.Ok(await DtoAsync(db, desk, row, stop)) : TypedResults.NotFound()
        );
        letters.MapPut("/{id:guid}", Save);
        letters.MapDelete("/{id:guid}", Delete);
        letters.MapPost("/{id:guid}/copy", Copy);
    }

    private static async Task<IReadOnlyList<LetterLine>> List(GerminalDb db, CancellationToken stop)
    {
        var uses = await LetterDesk.UsesAsync(db, stop);
        return
        [
            .. (await db.Letters.AsNoTracking().OrderBy(l => l.Name).ToListAsync(stop)).Select(l => new LetterLine(
                l.Id,
                l.Name,
                l.Subject,
                Begins(l.Body),
                l.By,
                l.ChangedAt.Iso(),
                LetterDesk.UsesOf(l, uses)
            )),
        ];
    }

    /// <summary>The first words of a body, for the list and for finding it by them.</summary>
    private static string Begins(string body)
    {
        var text = string.Join(' ', Channels.Letters.LetterHtml.ToText(body).Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return text.Length <= FirstWords ? text : text[..FirstWords] + "…";
    }

    private static async Task<LetterDto> DtoAsync(GerminalDb db, LetterDesk desk, LetterRow row, CancellationToken stop) =>
        new(
            row.Id,
            row.Name,
            row.Subject,
            row.Body,
            row.Edition,
            row.By,
            row.ChangedAt.Iso(),
            [
                .. desk.Findings(row.Subject, row.Body, await KeptReading.LoadAsync(db, stop), await PracticeClock.TodayAsync(db, stop))
                    .Select(f => new FindingDto(f.Pointer, f.Message, f.IsWarning)),
            ],
            LetterDesk.UsesOf(row, await LetterDesk.UsesAsync(db, stop))
        );

    private static async Task<Results<Ok<LetterDto>, ValidationProblem>> Create(LetterBody body, GerminalDb db, LetterDesk desk, Caller caller, CancellationToken stop)
    {
        if (await ProblemAsync(db, desk, Guid.Empty, body, stop) is { } problem)
        {
            return problem;
        }

        var row = new LetterRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = body.Name.Trim(),
            Subject = body.Subject.Trim(),
            Body = body.Body,
            By = caller.Name,
            ChangedAt = await PracticeClock.NowAsync(db, stop),
        };
        db.Letters.Add(row);
        return await SaveNewAsync(db, row, stop) is { } taken ? taken : TypedResults.Ok(await DtoAsync(db, desk, row, stop));
    }

    /// <summary>Saves a new letter; of two of one name at one moment one is refused.</summary>
    private static async Task<ValidationProblem?> SaveNewAsync(GerminalDb db, LetterRow row, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateException e) when (e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation })
        {
            return Problems.Field("name", Taken(row.Name));
        }

        // A program may have waited for a letter of this name.
        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    private static string Taken(string name) => Say($"There is a letter “{name}” already. Give this one another name.");

    /// <summary>What keeps a letter from being kept: no name, one that is taken, or words that cannot be sent at all.</summary>
    private static async Task<ValidationProblem?> ProblemAsync(GerminalDb db, LetterDesk desk, Guid self, LetterBody body, CancellationToken stop)
    {
        var name = body.Name.Trim();
        if (name.Length is 0 or > LetterDesk.LongestName)
        {
            return Problems.Field("name", Say($"A letter needs a name of up to {LetterDesk.LongestName} letters."));
        }

#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
        var lower = name.ToLowerInvariant();
        if (await db.Letters.AnyAsync(l => l.Id != self && l.Name.ToLower() == lower, stop))
#pragma warning restore CA1862, CA1311, CA1304, MA0011
        {
            return Problems.Field("name", Taken(name));
        }

        // Steps that follow it send it as it stands: one that is broken would hold them all up.
        var used = (await LetterDesk.UsesAsync(db, stop))[name];
        var broken = used.Any()
            ? desk.Findings(body.Subject, body.Body, await KeptReading.LoadAsync(db, stop), await PracticeClock.TodayAsync(db, stop)).FirstOrDefault(f => !f.IsWarning)
            : null;
        return broken is null ? null : Problems.Field(broken.Pointer, broken.Message);
    }

    private static async Task<Results<Ok<LetterDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        LetterBody body,
        GerminalDb db,
        LetterDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Letters.FromSql($"SELECT * FROM letters WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Say($"{row.By} has changed this letter since you opened it. What you wrote is still here; load the page again to see their version."));
        }

        if (await ProblemAsync(db, desk, id, body, stop) is { } problem)
        {
            return problem;
        }

        await LetterDesk.RenameAsync(db, row, body.Name.Trim(), stop);
        row.Subject = body.Subject.Trim();
        row.Body = body.Body;
        row.Edition++;
        row.By = caller.Name;
        row.ChangedAt = await PracticeClock.NowAsync(db, stop);
        await db.SaveChangesAsync(stop);
        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, desk, row, stop));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Letters.FirstOrDefaultAsync(l => l.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var uses = LetterDesk.UsesOf(row, await LetterDesk.UsesAsync(db, stop));
        if (uses.Count > 0)
        {
            return Problems.Conflict(Say($"“{row.Name}” is used by {string.Join(", ", uses.Select(u => $"“{u.Program}”"))}. Let their steps have words of their own or follow another letter first."));
        }

        if (await db.Landings.AnyAsync(l => l.LetterId == id && l.ShownVersion != null, stop))
        {
            return Problems.Conflict(Say($"“{row.Name}” is shown to everybody as a page. Take the page back first."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Landings.Where(l => l.LetterId == id && l.ShownVersion == null).ExecuteDeleteAsync(stop);
        await db.Letters.Where(l => l.Id == id).ExecuteDeleteAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<LetterDto>, NotFound, ValidationProblem>> Copy(Guid id, GerminalDb db, LetterDesk desk, Caller caller, CancellationToken stop)
    {
        if (await db.Letters.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var taken = (await db.Letters.AsNoTracking().Select(l => l.Name).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var copy = new LetterRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = row.PracticeId,
            Name = ProgramsTaken.FreeName(row.Name, taken),
            Subject = row.Subject,
            Body = row.Body,
            By = caller.Name,
            ChangedAt = await PracticeClock.NowAsync(db, stop),
        };
        db.Letters.Add(copy);
        return await SaveNewAsync(db, copy, stop) is { } problem ? problem : TypedResults.Ok(await DtoAsync(db, desk, copy, stop));
    }

    /// <summary>Words as somebody would read them, kept or not. Nothing is saved.</summary>
    private static async Task<Results<Ok<LetterAsRead>, NotFound>> Read(WordsBody body, GerminalDb db, LetterDesk desk, CancellationToken stop) =>
        await desk.ReadAsync(db, body.Subject, body.Body, body.Person, body.Move, null, stop) is { } read ? TypedResults.Ok(read) : TypedResults.NotFound();
}
