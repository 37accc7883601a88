using System.Globalization;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A column: its name in the file, what it is taken for, the first few values, and what it would be as a field of the practice's own.</summary>
public sealed record ColumnDto(int Index, string Header, string Field, IReadOnlyList<string> Examples, string Kind, IReadOnlyList<string> Options);

/// <summary>What values of a column that nobody knows may mean, and what they were said to.</summary>
public sealed record ValuesDto(string Field, string Label, IReadOnlyList<FieldChoice> Choices, IReadOnlyList<ListedValue> Values);

/// <summary>A choice for a column.</summary>
public sealed record FieldChoice(string Field, string Label);

/// <summary>A doubt with its row.</summary>
public sealed record DoubtDto(int Line, string Name, string Field, string Text);

/// <summary>A row that is the same as somebody.</summary>
public sealed record SameDto(int Line, string Name, string As, string By, IReadOnlyList<string> Fills);

/// <summary>
/// What the import would do: shown before anything is written. <c>StartByMatching</c> are the programs that wait for somebody to begin to be in a
/// segment: they start for whoever is in it by what the list brings.
/// </summary>
public sealed record ReviewDto(
    int Rows,
    int Added,
    int SameAsSomebodyHere,
    int SameInFile,
    int Filled,
    int LeftOut,
    int DoubtsInAll,
    IReadOnlyList<DoubtDto> Doubts,
    IReadOnlyList<SameDto> Same,
    IReadOnlyList<StartsDto> Starts,
    IReadOnlyList<string> StartByMatching
);

/// <summary>A program that dates of the list will start within a year, for how many, and when the first time.</summary>
public sealed record StartsDto(string Program, int Count, string First);

/// <summary>An import and how far it is.</summary>
public sealed record ImportDto(
    Guid Id,
    string FileName,
    string Status,
    string CreatedAt,
    string By,
    int RowsInAll,
    int RowsDone,
    int Added,
    int Filled,
    int Unchanged,
    int LeftOut,
    string? Error
);

/// <summary>An import under review.</summary>
/// <param name="Import">The import.</param>
/// <param name="Columns">The columns of the file.</param>
/// <param name="Choices">What a column can be.</param>
/// <param name="Values">Columns with values that nobody knows.</param>
/// <param name="Sheets">Of a workbook with several sheets, their names.</param>
/// <param name="Sheet">The one that is read.</param>
/// <param name="Remarks">What is to be known about how the file was read.</param>
/// <param name="Review">What would come of it; null once it has begun.</param>
public sealed record ImportReviewDto(
    ImportDto Import,
    IReadOnlyList<ColumnDto> Columns,
    IReadOnlyList<FieldChoice> Choices,
    IReadOnlyList<ValuesDto> Values,
    IReadOnlyList<string> Sheets,
    string? Sheet,
    IReadOnlyList<string> Remarks,
    ReviewDto? Review
);

/// <summary>Bringing people in from a file.</summary>
public static class ImportEndpoints
{
    private const int MostMegabytes = 60;
    private const int DoubtsShown = 300;

    public sealed record ColumnsBody([AtMost(Lengths.Name)] IReadOnlyList<string> Columns);

    public sealed record SheetBody([AtMost(Lengths.Name)] string Sheet);

    /// <summary>What a value means in the whole list; empty to leave it out, null to take back what was said.</summary>
    public sealed record ValueBody([AtMost(Lengths.Name)] string Field, [AtMost(1000)] string Value, [AtMost(Lengths.Name)] string? Means = null);

    public sealed record NewFieldBody(
        [AtMost(OwnField.LongestName)] string Name,
        [AtMost(Lengths.Name)] string Kind,
        [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string> Options
    );

    public static void Map(IEndpointRouteBuilder app)
    {
        var imports = app.MapGroup("/api/imports").WithTags("imports").RequireAuthorization(Rights.BringPeopleIn);
        imports.MapGet(
            "",
            async (GerminalDb db, CancellationToken stop) =>
                (await Lean(db).OrderByDescending(i => i.CreatedAt).Take(50).ToListAsync(stop)).Select(Dto).ToList()
        );
        imports.MapPost("", Upload).WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(MostMegabytes)));
        imports.MapGet("/{id:guid}", Read);
        imports.MapGet(
            "/{id:guid}/progress",
            async Task<Results<Ok<ImportDto>, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                await Lean(db).FirstOrDefaultAsync(i => i.Id == id, stop) is { } row ? TypedResults.Ok(Dto(row)) : TypedResults.NotFound()
        );
        imports.MapPut("/{id:guid}/columns", SetColumns);
        imports.MapPut("/{id:guid}/sheet", SetSheet);
        imports.MapPut("/{id:guid}/values", SetValue);
        imports.MapPost("/{id:guid}/columns/{index:int}/field", NewField).RequireAuthorization(Rights.ChangeSettings);
        imports.MapPost("/{id:guid}/start", Start);
        imports.MapPost(
            "/{id:guid}/stop",
            async Task<Results<NoContent, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                await db.Imports.Where(i => i.Id == id).ExecuteUpdateAsync(u => u.SetProperty(i => i.StopAsked, true), stop) == 1
                    ? TypedResults.NoContent()
                    : TypedResults.NotFound()
        );
        imports.MapPost("/{id:guid}/undo", Undo);
        imports.MapGet("/{id:guid}/report.csv", Report);
    }

    // Without the file itself, which may be large.
    private static IQueryable<ImportRow> Lean(GerminalDb db) =>
        db
            .Imports.AsNoTracking()
            .Select(i => new ImportRow
            {
                Id = i.Id,
                PracticeId = i.PracticeId,
                FileName = i.FileName,
                Content = Array.Empty<byte>(),
                Status = i.Status,
                CreatedAt = i.CreatedAt,
                By = i.By,
                RowsInAll = i.RowsInAll,
                RowsDone = i.RowsDone,
                Added = i.Added,
                Filled = i.Filled,
                Unchanged = i.Unchanged,
                LeftOut = i.LeftOut,
                Error = i.Error,
            });

    private static ImportDto Dto(ImportRow i) =>
        new(i.Id, i.FileName, i.Status, i.CreatedAt.Iso(), i.By, i.RowsInAll, i.RowsDone, i.Added, i.Filled, i.Unchanged, i.LeftOut, i.Error);

    private static async Task<Results<Ok<ImportDto>, ValidationProblem>> Upload(IFormFile file, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (bytes, problem) = await Uploads.ReadAsync(file, MostMegabytes, stop);
        if (problem is not null)
        {
            return problem;
        }

        ListTable table;
        try
        {
            table = ListTable.Read(bytes, Path.GetFileName(file.FileName));
        }
        catch (UnreadableFileException e)
        {
            return Problems.Field("file", e.Message);
        }

        var row = new ImportRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            FileName = Path.GetFileName(file.FileName),
            Content = bytes,
            CreatedAt = await PracticeClock.NowAsync(db, stop),
            By = caller.Name,
        };
        await TakeAsync(db, row, table, stop);
        db.Imports.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(Dto(row));
    }

    /// <summary>What the columns are: as they were said to be for the last list with the same header, or guessed.</summary>
    private static async Task TakeAsync(GerminalDb db, ImportRow row, ListTable table, CancellationToken stop)
    {
        var own = await OwnFields.OfPracticeAsync(db, stop);
        row.Sheet = table.Sheet;
        row.RowsInAll = table.Records.Count;
        row.HeaderPrint = ImportField.PrintOf(table);
        var before = await db
            .Imports.AsNoTracking()
            .Where(i => i.HeaderPrint == row.HeaderPrint && i.HeaderPrint != "" && i.Status != "review" && i.Status != "failed")
            .OrderByDescending(i => i.CreatedAt)
            .Select(i => new { i.Columns, i.Meanings })
            .FirstOrDefaultAsync(stop);
        var remembered = before is not null && before.Columns.Count == table.Header.Length && before.Columns.TrueForAll(c => ImportField.Exists(c, own));
        row.Columns = remembered ? before!.Columns : [.. ImportField.Guess(table, own)];
        row.Meanings = remembered ? before!.Meanings : [];
    }

    private static async Task<Results<Ok<ImportReviewDto>, NotFound>> Read(Guid id, GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var row = await db.Imports.AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop);
        return row is null ? TypedResults.NotFound() : TypedResults.Ok(await ReviewAsync(db, programs, row, stop));
    }

    private static async Task<ImportReviewDto> ReviewAsync(GerminalDb db, ProgramDesk programs, ImportRow row, CancellationToken stop)
    {
        if (row.Content.Length == 0)
        {
            // Forgotten a while after it came; what became of it is in the import's own counts.
            return new ImportReviewDto(Dto(row), [], [], [], [], null, [], null);
        }

        var table = ListTable.Read(row.Content, row.FileName, row.Sheet);
        var now = await PracticeClock.NowAsync(db, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        var today = now.InZone(practice.Zone).Date;
        var columns = table
            .Header.Select(
                (h, i) =>
                {
                    var (kind, options) = ImportValues.KindOf(table.Records.Select(r => r.Cells[i]), today);
                    return new ColumnDto(
                        i,
                        h,
                        i < row.Columns.Count ? row.Columns[i] : "",
                        [.. table.Records.Select(r => r.Cells[i].Trim()).Where(c => c.Length > 0).Distinct(StringComparer.Ordinal).Take(3)],
                        OwnFields.WordOf(kind),
                        options
                    );
                }
            )
            .ToList();
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var own = new OwnNames(OwnFields.Of(settings), settings.KeyDates);
        var inReview = row.Status == "review";
        return new ImportReviewDto(
            Dto(row),
            columns,
            [.. ImportField.AllOf(own).Select(f => new FieldChoice(f.Field, f.Label))],
            inReview
                ? [
                    .. ImportValues
                        .Of(table, row.Columns, ImportPlan.ReaderOf(row, table, settings, practice, now), practice, own)
                        .Select(v => new ValuesDto(v.Field, v.Label, [.. v.Choices.Select(c => new FieldChoice(c.Value, c.Label))], v.Values)),
                ]
                : [],
            table.Sheets,
            table.Sheet,
            table.Remarks,
            inReview ? await PlanAsync(db, await programs.EngineAsync(db, stop), row, table, now, stop) : null
        );
    }

    private static async Task<ReviewDto> PlanAsync(GerminalDb db, TouchEngine engine, ImportRow row, ListTable table, Instant now, CancellationToken stop)
    {
        var plan = await ImportPlan.MakeAsync(db, row, now, stop, table);
        var here = plan.Rows.Where(r => r.SameAs is { Line: null }).Select(r => r.PersonId!.Value).Distinct().ToList();
        var names = await db.NamesAsync(here, stop);
        var doubts = plan
            .Rows.SelectMany(r =>
                r.Row.Doubts.Select(d => new DoubtDto(r.Row.Line, r.Row.Name, d.Field, d.Text))
                    .Concat(r.Row.LeftOut is { } why ? [new DoubtDto(r.Row.Line, r.Row.Name, "", Say($"Left out. {why}"))] : [])
            )
            .ToList();
        var same = plan
            .Rows.Where(r => r.SameAs is not null)
            .Take(DoubtsShown)
            .Select(r => new SameDto(
                r.Row.Line,
                r.Row.Name,
                r.SameAs!.Line is { } line ? $"row {line}" : names.GetValueOrDefault(r.SameAs.Id, Said("somebody here")),
                r.SameBy!,
                r.Fills
            ))
            .ToList();
        return new ReviewDto(
            plan.Rows.Count,
            plan.Rows.Count(r => r.Result == RowResult.Added),
            plan.Rows.Count(r => r.SameAs is { Line: null }),
            plan.Rows.Count(r => r.SameAs is { Line: not null }),
            plan.Rows.Count(r => r.Result == RowResult.Filled),
            plan.Rows.Count(r => r.Result == RowResult.LeftOut),
            doubts.Count,
            [.. doubts.Take(DoubtsShown)],
            same,
            [.. (await ImportStarts.OfAsync(db, engine, plan, now, stop)).Select(s => new StartsDto(s.Program, s.Count, s.First.Iso()))],
            [.. engine.Watch.Watched.Select(w => w.Program.Definition.Name).Distinct(StringComparer.OrdinalIgnoreCase).Order(StringComparer.OrdinalIgnoreCase)]
        );
    }

    /// <summary>Changes an import under review and looks at it anew; one that has begun stays as it is.</summary>
    /// <param name="id">The import.</param>
    /// <param name="db">The context of the practice.</param>
    /// <param name="programs">For what would start.</param>
    /// <param name="begun">What to say where it has begun.</param>
    /// <param name="change">The change, or why it cannot be made.</param>
    /// <param name="stop">Gives up.</param>
    private static async Task<Results<Ok<ImportReviewDto>, NotFound, ValidationProblem, ProblemHttpResult>> ChangeAsync(
        Guid id,
        GerminalDb db,
        ProgramDesk programs,
        string begun,
        Func<ImportRow, Task<ValidationProblem?>> change,
        CancellationToken stop
    )
    {
        var row = await db.Imports.FirstOrDefaultAsync(i => i.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        if (row.Status != "review")
        {
            return Problems.Conflict(Say($"This import has begun; {begun}"));
        }

        if (await change(row) is { } problem)
        {
            return problem;
        }

        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await ReviewAsync(db, programs, row, stop));
    }

    private static Task<Results<Ok<ImportReviewDto>, NotFound, ValidationProblem, ProblemHttpResult>> SetColumns(
        Guid id,
        ColumnsBody body,
        GerminalDb db,
        ProgramDesk programs,
        CancellationToken stop
    ) =>
        ChangeAsync(
            id,
            db,
            programs,
            Said("its columns can no longer be changed."),
            async row =>
            {
                var own = await OwnFields.OfPracticeAsync(db, stop);
                if (body.Columns.Count != row.Columns.Count || body.Columns.Any(c => !ImportField.Exists(c, own)))
                {
                    return Problems.Field("columns", Said("Say for every column what it is, or leave it out."));
                }

                var twice = body.Columns.Where(c => c.Length > 0).GroupBy(c => c, StringComparer.Ordinal).FirstOrDefault(g => g.Count() > 1);
                if (twice is not null)
                {
                    var label = ImportField.AllOf(own).FirstOrDefault(f => f.Field == twice.Key).Label ?? twice.Key;
                    return Problems.Field("columns", Say($"Two columns are both “{label}”. Keep one and leave the other out."));
                }

                row.Columns = [.. body.Columns];
                return null;
            },
            stop
        );

    /// <summary>Of a workbook, another sheet: its columns are looked at anew.</summary>
    private static Task<Results<Ok<ImportReviewDto>, NotFound, ValidationProblem, ProblemHttpResult>> SetSheet(
        Guid id,
        SheetBody body,
        GerminalDb db,
        ProgramDesk programs,
        CancellationToken stop
    ) =>
        ChangeAsync(
            id,
            db,
            programs,
            Said("another sheet is another import."),
            async row =>
            {
                try
                {
                    await TakeAsync(db, row, ListTable.Read(row.Content, sheet: body.Sheet), stop);
                }
                catch (UnreadableFileException e)
                {
                    return Problems.Field("sheet", e.Message);
                }

                return null;
            },
            stop
        );

    private static Task<Results<Ok<ImportReviewDto>, NotFound, ValidationProblem, ProblemHttpResult>> SetValue(
        Guid id,
        ValueBody body,
        GerminalDb db,
        ProgramDesk programs,
        CancellationToken stop
    ) =>
        ChangeAsync(
            id,
            db,
            programs,
            Said("what its values mean can no longer be changed."),
            async row =>
            {
                var choices = row.Columns.Contains(body.Field) ? ImportValues.ChoicesOf(body.Field, await PracticeReading.LoadAsync(db, stop), await OwnFields.OfPracticeAsync(db, stop)) : null;
                if (choices is null || body.Value.Trim().Length == 0)
                {
                    return Problems.Field("field", Said("Only values of an owner, a stage or a choice can be said to mean something else."));
                }

                if (body.Means is { Length: > 0 } means && !choices.Any(c => c.Value == means))
                {
                    return Problems.Field("means", Say($"“{means}” is none of {string.Join(", ", choices.Select(c => c.Label))}."));
                }

                var meanings = row.Meanings.ToDictionary(m => m.Key, m => m.Value.ToDictionary(StringComparer.OrdinalIgnoreCase), StringComparer.Ordinal);
                var said = meanings.GetValueOrDefault(body.Field) ?? new(StringComparer.OrdinalIgnoreCase);
                said.Remove(body.Value.Trim());
                if (body.Means is not null)
                {
                    said[body.Value.Trim()] = body.Means;
                }

                meanings[body.Field] = said;
                row.Meanings = meanings;
                return null;
            },
            stop
        );

    /// <summary>A column becomes a new field of the practice's own.</summary>
    private static async Task<Results<Ok<ImportReviewDto>, NotFound, ValidationProblem, ProblemHttpResult>> NewField(
        Guid id,
        int index,
        NewFieldBody body,
        GerminalDb db,
        ProgramDesk programs,
        CancellationToken stop
    )
    {
        var row = await db.Imports.FirstOrDefaultAsync(i => i.Id == id, stop);
        if (row is null || index < 0 || index >= row.Columns.Count)
        {
            return TypedResults.NotFound();
        }

        if (row.Status != "review")
        {
            return Problems.Conflict(Said("This import has begun; its columns can no longer be changed."));
        }

        if (OwnField.KindOf(body.Kind) is not { } kind)
        {
            return Problems.Field("kind", Say($"“{body.Kind}” is no kind of field; {string.Join(", ", OwnField.Kinds.Select(k => k.Word))} are."));
        }

        IReadOnlyList<string> options = OwnField.HasOptions(kind) ? [.. body.Options.Select(CellReading.Clean).Where(o => o.Length > 0)] : [];
        var (field, problem) = await OwnFields.AddAsync(db, CellReading.Clean(body.Name), kind, options, stop);
        if (field is null)
        {
            return Problems.Field("name", problem!);
        }

        row.Columns = [.. row.Columns.Select((c, i) => i == index ? ImportField.OwnPrefix + field.Key : c)];
        await db.SaveChangesAsync(stop);
        await PracticeClock.LookAgainAsync(db, stop);
        return TypedResults.Ok(await ReviewAsync(db, programs, row, stop));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Start(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (!await db.Imports.AnyAsync(i => i.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        if (!caller.May(Rights.BringConsentIn) && await BringsConsentAsync(db, id, stop))
        {
            return Problems.NotYours(Rights.BringConsentIn);
        }

        var started = await db
            .Imports.Where(i => i.Id == id && (i.Status == "review" || i.Status == "stopped"))
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.Status, "queued").SetProperty(i => i.StopAsked, false), stop);
        return started == 1 ? TypedResults.NoContent() : Problems.Conflict(Said("This import has begun already."));
    }

    private static async Task<bool> BringsConsentAsync(GerminalDb db, Guid import, CancellationToken stop) =>
        (await db.Imports.AsNoTracking().Where(i => i.Id == import).Select(i => i.Columns).SingleAsync(stop)).Exists(ImportField.IsConsent);

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Undo(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var row = await Lean(db).FirstOrDefaultAsync(i => i.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        if (row.Status is not ("done" or "stopped"))
        {
            return Problems.Conflict(Said("Only an import that is through or was stopped can be undone."));
        }

        var (count, names) = await ImportUndo.WorkedWithAsync(db, id, stop);
        if (count > 0)
        {
            return Problems.Conflict(
                Say($"Somebody has worked with {count} of these people already ({string.Join(", ", names)}{(count > names.Count ? " …" : "")}), so the import can no longer be undone as a whole.")
            );
        }

        await ImportUndo.UndoAsync(db, id, caller.Name, stop);
        return TypedResults.NoContent();
    }

    /// <summary>Rows left out and doubts, with why, as CSV (RFC 4180).</summary>
    private static async Task<Results<FileContentHttpResult, NotFound>> Report(Guid id, GerminalDb db, CancellationToken stop)
    {
        var row = await db.Imports.AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        var table = row.Content.Length == 0 ? null : ListTable.Read(row.Content, sheet: row.Sheet);
        var lines = await db
            .ImportLines.AsNoTracking()
            .Where(l => l.ImportId == id && (l.Result == "left-out" || l.Doubts.Count > 0))
            .OrderBy(l => l.Line)
            .ToListAsync(stop);
        var records = table?.Records.ToDictionary(r => r.Line) ?? [];
        await using var text = new StringWriter(CultureInfo.InvariantCulture);
        await using (var csv = CsvText.Writer(text))
        {
            csv.WriteRow(["row", "result", "why", .. table?.Header ?? []]);
            foreach (var line in lines)
            {
                csv.WriteRow([
                    line.Line.ToString(CultureInfo.InvariantCulture),
                    line.Result == "left-out" ? Said("left out") : Said("brought in with a doubt"),
                    string.Join(" ", line.Doubts),
                    .. records.GetValueOrDefault(line.Line)?.Cells ?? [],
                ]);
            }
        }

        return TypedResults.File(
            Encoding.UTF8.GetPreamble().Concat(Encoding.UTF8.GetBytes(text.ToString())).ToArray(),
            "text/csv; charset=utf-8",
            $"report-{Path.GetFileNameWithoutExtension(row.FileName)}.csv"
        );
    }
}
