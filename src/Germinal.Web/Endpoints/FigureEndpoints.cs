using System.Globalization;
using System.Security.Cryptography;
using Germinal.Channels.Letters;
using Germinal.Channels.Tables;
using Germinal.Core.Practices;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A table of figures in the list.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">What letters call it by.</param>
/// <param name="Address">Its lasting public page.</param>
/// <param name="Areas">Its areas, by name.</param>
/// <param name="Newest">Its newest month, <c>2026-03</c>; null for none.</param>
/// <param name="Measures">What is measured.</param>
/// <param name="Uses">Who takes from it.</param>
public sealed record FigureTableLine(
    Guid Id,
    string Name,
    string Address,
    IReadOnlyList<string> Areas,
    string? Newest,
    IReadOnlyList<MeasureDto> Measures,
    IReadOnlyList<KeptUse> Uses
);

/// <summary>What is measured, and what stands around its numbers.</summary>
public sealed record MeasureDto([AtMost(Lengths.Name)] string Name = "", [AtMost(Lengths.Name)] string Before = "", [AtMost(Lengths.Name)] string After = "");

/// <summary>What a table says of an area now.</summary>
/// <param name="Area">The area.</param>
/// <param name="Month">Its newest month.</param>
/// <param name="Readings">Each measure as it is read, with its changes.</param>
public sealed record AreaFigures(string Area, string Month, IReadOnlyList<AreaReading> Readings);

/// <summary>A measure's newest number in an area; changes are null where they cannot be told.</summary>
public sealed record AreaReading(string Measure, string Value, string? OnMonth, string? OnYear, IReadOnlyList<decimal> Course);

/// <summary>A table of figures, area by area.</summary>
public sealed record FigureTableDto(FigureTableLine Table, int Edition, IReadOnlyList<AreaFigures> Areas);

/// <summary>What came of a list of figures.</summary>
/// <param name="Numbers">How many numbers were taken.</param>
/// <param name="Changed">How many of them stood otherwise before.</param>
/// <param name="Troubles">With any, nothing was taken.</param>
public sealed record FiguresTaken(int Numbers, int Changed, IReadOnlyList<FigureTrouble> Troubles);

/// <summary>Figures by area and month: kept, brought in as lists, read by anybody at a lasting address.</summary>
public static class FigureEndpoints
{
    private const int MostMegabytes = 5;
    private const int MostMeasures = 12;

    /// <param name="Name">Once in the practice.</param>
    /// <param name="Measures">What is measured; null leaves it.</param>
    public sealed record FigureTableBody([AtMost(Lengths.Name)] string Name = "", [AtMost(MostMeasures)] IReadOnlyList<MeasureDto>? Measures = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var figures = app.MapGroup("/api/figures").WithTags("figures").RequireAuthorization(Rights.WritePrograms);
        figures.MapGet("", List);
        figures.MapPost("", Create);
        figures.MapGet("/{id:guid}", Read);
        figures.MapPut("/{id:guid}", Save);
        figures.MapDelete("/{id:guid}", Delete);
        figures.MapPost("/{id:guid}/numbers", Take).WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(MostMegabytes)));
        figures.MapGet("/{id:guid}/numbers.csv", Give).ExcludeFromDescription();
    }

    private static string Address(Channels.PublicLinks links, string key) => $"{links.BaseUrl}/g/{key}";

    private static FigureTableLine Line(FigureTableRow row, FigureTable table, Channels.PublicLinks links, ILookup<(string Part, string Name), KeptUse> uses)
    {
        var months = table.Areas.Values.SelectMany(a => a.Values).SelectMany(f => f).Select(f => f.Month).ToList();
        return new FigureTableLine(
            row.Id,
            row.Name,
            Address(links, row.Key),
            [.. table.Areas.Keys.Order(StringComparer.OrdinalIgnoreCase)],
            months.Count == 0 ? null : Month(months.Max()),
            [.. row.Measures.Select(m => new MeasureDto(m.Name, m.Before, m.After))],
            KeptNames.UsesOf(row, LetterParts.Figures, uses)
        );
    }

    private static string Month(LocalDate month) => LocalDatePattern.Iso.Format(month)[..7];

    private static async Task<IReadOnlyList<FigureTableLine>> List(GerminalDb db, Channels.PublicLinks links, CancellationToken stop)
    {
        var uses = await KeptNames.UsesAsync(db, stop);
        var lines = new List<FigureTableLine>();
        foreach (var row in await db.FigureTables.AsNoTracking().OrderBy(t => t.Name).ToListAsync(stop))
        {
            lines.Add(Line(row, await KeptReading.TableAsync(db, row, stop), links, uses));
        }

        return lines;
    }

    private static async Task<Results<Ok<FigureTableDto>, NotFound>> Read(Guid id, GerminalDb db, Channels.PublicLinks links, CancellationToken stop)
    {
        if (await db.FigureTables.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var table = await KeptReading.TableAsync(db, row, stop);
        var today = await PracticeClock.TodayAsync(db, stop);
        return TypedResults.Ok(new FigureTableDto(Line(row, table, links, await KeptNames.UsesAsync(db, stop)), row.Edition, AreasOf(table, today)));
    }

    /// <summary>What a table says of each area by a date.</summary>
    private static IReadOnlyList<AreaFigures> AreasOf(FigureTable table, LocalDate date) =>
        [
            .. table
                .Areas.Keys.Order(StringComparer.OrdinalIgnoreCase)
                .Select(area => (Area: area, Readings: table.Read(area, date)))
                .Where(a => a.Readings.Count > 0)
                .Select(a => new AreaFigures(
                    a.Area,
                    Month(a.Readings.Max(r => r.Newest.Month)),
                    [
                        .. a.Readings.Select(r => new AreaReading(
                            r.Measure.Name,
                            r.Measure.Say(r.Newest.Value),
                            r.OnMonth,
                            r.OnYear,
                            [.. r.Course.Select(f => f.Value)]
                        )),
                    ]
                )),
        ];

    private static async Task<Results<Ok<FigureTableLine>, ValidationProblem>> Create(
        FigureTableBody body,
        GerminalDb db,
        Channels.PublicLinks links,
        Caller caller,
        CancellationToken stop
    )
    {
        var name = body.Name.Trim();
        if (await KeptNames.ProblemAsync<FigureTableRow>(db, Guid.Empty, name, Said("a table"), stop) is { } named)
        {
            return Problems.Field("name", named);
        }

        var row = new FigureTableRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = name,
            Key = RandomNumberGenerator.GetHexString(20, lowercase: true),
            By = caller.Name,
            ChangedAt = await PracticeClock.NowAsync(db, stop),
        };
        db.FigureTables.Add(row);
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("a table"), name), stop) is { } taken
            ? taken
            : TypedResults.Ok((await List(db, links, stop)).First(t => t.Id == row.Id));
    }

    /// <summary>Renames the table and says what stands around its numbers.</summary>
    private static async Task<Results<Ok<FigureTableLine>, NotFound, ValidationProblem>> Save(
        Guid id,
        FigureTableBody body,
        GerminalDb db,
        Channels.PublicLinks links,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.FigureTables.FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var name = body.Name.Trim();
        if (await KeptNames.ProblemAsync<FigureTableRow>(db, id, name, Said("a table"), stop) is { } named)
        {
            return Problems.Field("name", named);
        }

        var wanted = body.Measures ?? [];
        if (wanted.Any(w => row.Measures.All(m => m.Name != w.Name) || w.Before.Length > 8 || w.After.Length > 12))
        {
            return Problems.Field("measures", Said("Only what is measured in the table can be written otherwise, with up to 8 letters before a number and 12 after it."));
        }

        KeptNames.Rename(row, name);
        row.Measures =
        [
            .. row.Measures.Select(m =>
                wanted.FirstOrDefault(w => w.Name == m.Name) is { } w
                    ? new MeasureSettings
                    {
                        Name = m.Name,
                        Before = w.Before,
                        After = w.After,
                    }
                    : m
            ),
        ];
        row.Edition++;
        row.By = caller.Name;
        row.ChangedAt = await PracticeClock.NowAsync(db, stop);
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("a table"), name), stop) is { } taken
            ? taken
            : TypedResults.Ok((await List(db, links, stop)).First(t => t.Id == id));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.FigureTables.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        return KeptNames.KeepsIt(row, KeptNames.UsesOf(row, LetterParts.Figures, await KeptNames.UsesAsync(db, stop))) is { } used
            ? Problems.Conflict(used)
            : await KeptSaving.RemoveAsync(db, db.FigureTables.Where(t => t.Id == id), stop);
    }

    /// <summary>Takes a list in: numbers that are there already are replaced, all others stay. With anything that cannot be read nothing is taken.</summary>
    private static async Task<Results<Ok<FiguresTaken>, NotFound, ValidationProblem>> Take(Guid id, IFormFile file, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (content, problem) = await Uploads.ReadAsync(file, MostMegabytes, stop);
        if (problem is not null)
        {
            return problem;
        }

        FigureList list;
        try
        {
            list = FigureList.Read(ListFile.Read(content, file.FileName));
        }
        catch (UnreadableFileException e)
        {
            return Problems.Field("file", e.Message);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.FigureTables.FromSql($"SELECT * FROM figure_tables WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (list.Troubles.Count > 0)
        {
            return TypedResults.Ok(new FiguresTaken(0, 0, list.Troubles));
        }

        var measures = row.Measures.Concat(
                list.Measures.Where(m => row.Measures.All(r => !Same(r.Name, m.Name)))
                    .Select(m => new MeasureSettings
                    {
                        Name = m.Name,
                        Before = m.Before,
                        After = m.After,
                    })
            )
            .ToList();
        var before = await db.Figures.AsNoTracking().Where(f => f.TableId == id).ToListAsync(stop);
        var all = before.ToDictionary(KeyOf);
        var spelt = before.GroupBy(b => b.Area, StringComparer.OrdinalIgnoreCase).ToDictionary(g => g.Key, g => g.First().Area, StringComparer.OrdinalIgnoreCase);
        var changed = 0;
        foreach (var (area, measure, figure) in list.Numbers)
        {
            var number = new FigureRow
            {
                PracticeId = row.PracticeId,
                TableId = id,
                Area = spelt.GetValueOrDefault(area, area),
                Measure = measures.First(m => Same(m.Name, measure)).Name,
                Month = figure.Month,
                Value = figure.Value,
            };
            changed += all.TryGetValue(KeyOf(number), out var old) && old.Value != number.Value ? 1 : 0;
            all[KeyOf(number)] = number;
        }

        if (all.Count > FigureList.Most || measures.Count > MostMeasures)
        {
            return Problems.Field(
                "file",
                Say($"A table has up to {FigureList.Most} numbers of {MostMeasures} kinds. Keep another table for the rest.")
            );
        }

        await db.Figures.Where(f => f.TableId == id).ExecuteDeleteAsync(stop);
        await db.CopyAsync(all.Values, stop);
        row.Measures = measures;
        row.Edition++;
        row.By = caller.Name;
        row.ChangedAt = await PracticeClock.NowAsync(db, stop);
        await db.SaveChangesAsync(stop);
        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new FiguresTaken(list.Numbers.Count, changed, []));
    }

    private static bool Same(string one, string other) => string.Equals(one, other, StringComparison.OrdinalIgnoreCase);

    private static (string, string, LocalDate) KeyOf(FigureRow row) => (row.Area.ToLowerInvariant(), row.Measure.ToLowerInvariant(), row.Month);

    /// <summary>The whole table as a list that goes in again.</summary>
    private static async Task<IResult> Give(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.FigureTables.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop) is not { } row)
        {
            return Results.NotFound();
        }

        var table = await KeptReading.TableAsync(db, row, stop);
        using var text = new StringWriter(CultureInfo.InvariantCulture);
        await using (var csv = CsvText.Writer(text))
        {
            csv.WriteRow(["area", "month", .. table.Measures.Select(m => m.Name)]);
            foreach (var (area, numbers) in table.Areas.OrderBy(a => a.Key, StringComparer.OrdinalIgnoreCase))
            {
                foreach (var month in numbers.Values.SelectMany(f => f).Select(f => f.Month).Distinct().Order())
                {
                    csv.WriteRow(
                        [
                            area,
                            Month(month),
                            .. table.Measures.Select(m =>
                                numbers.GetValueOrDefault(m.Name, []).Where(f => f.Month == month).Select(f => f.Value.ToString(CultureInfo.InvariantCulture)).FirstOrDefault()
                            ),
                        ]
                    );
                }
            }
        }

        return Results.File(System.Text.Encoding.UTF8.GetBytes(text.ToString()), "text/csv; charset=utf-8", $"{row.Name}.csv");
    }
}
