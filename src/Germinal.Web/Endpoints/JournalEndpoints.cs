using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using Germinal.Channels.Tables;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Journal;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A line of the journal.</summary>
/// <param name="Id">Its number.</param>
/// <param name="At">When, practice time.</param>
/// <param name="By">Who.</param>
/// <param name="Words">What was done, with <c>{}</c> where what it was done to stands.</param>
/// <param name="About">What that was called at the time; empty for nothing.</param>
/// <param name="Kind">What kind of thing it is, or null.</param>
/// <param name="Subject">Its id, or null; it may be gone.</param>
/// <param name="Person">The person it concerns, or null.</param>
/// <param name="Program">The program it concerns, or null.</param>
/// <param name="More">More about it; empty for nothing.</param>
/// <param name="Ended">begun (nobody knows how it ended), done or refused.</param>
/// <param name="FromAddress">The client's address.</param>
/// <param name="FromProgram">The client's program, in its own words.</param>
public sealed record JournalLine(
    long Id,
    string At,
    string By,
    string Words,
    string About,
    string? Kind,
    Guid? Subject,
    Guid? Person,
    Guid? Program,
    string More,
    string Ended,
    string FromAddress,
    string FromProgram
);

/// <summary>A stretch of the journal, newest first.</summary>
/// <param name="Zone">The practice's zone.</param>
/// <param name="Now">Practice time.</param>
/// <param name="Lines">The lines.</param>
/// <param name="Next">Ask for those before this one for more; null where there are none.</param>
/// <param name="About">Who or what it is narrowed to, by name, or null.</param>
/// <param name="KeptMonths">For how many months lines are kept; 0 for ever.</param>
public sealed record JournalDto(string Zone, string Now, IReadOnlyList<JournalLine> Lines, long? Next, string? About, int KeptMonths);

/// <summary>The journal: everything that was done, by whom, when, and from where.</summary>
public static class JournalEndpoints
{
    private const int AtOnce = 100;
    private const int MostInFile = 200_000;
    private const int RowsAtOnce = 1000;

    public static void Map(IEndpointRouteBuilder app)
    {
        var journal = app.MapGroup("/api/journal").WithTags("journal").RequireAuthorization(Rights.SeeJournal);
        journal.MapGet("", Read);
        journal.MapGet("/table.csv", Csv).ExcludeFromDescription();
    }

    /// <summary>What is asked for.</summary>
    public sealed record JournalQuery
    {
        /// <summary>Of one member.</summary>
        public Guid? Member { get; init; }

        /// <summary>What concerns one person.</summary>
        public Guid? Person { get; init; }

        /// <summary>What concerns one program.</summary>
        public Guid? Program { get; init; }

        /// <summary>Words that stand in a line.</summary>
        public string? Find { get; init; }

        /// <summary>The first day, <c>2027-03-01</c>.</summary>
        public string? From { get; init; }

        /// <summary>The last day.</summary>
        public string? Until { get; init; }
    }

    private static async Task<Results<Ok<JournalDto>, ValidationProblem>> Read([AsParameters] JournalQuery query, long? before, GerminalDb db, CancellationToken stop)
    {
        if (!TryFilter(query, out var filter, out var wrong))
        {
            return wrong;
        }

        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var lines = JournalReading.Of(db, filter, practice.Zone);
        if (before is { } last)
        {
            lines = lines.Where(l => l.Id < last);
        }

        var found = await lines.OrderByDescending(l => l.Id).Take(AtOnce + 1).ToListAsync(stop);
        return TypedResults.Ok(new JournalDto(
            practice.Zone.Id,
            (await PracticeClock.NowAsync(db, stop)).Iso(),
            [.. found.Take(AtOnce).Select(Line)],
            found.Count > AtOnce ? found[AtOnce - 1].Id : null,
            await NameAsync(db, query, stop),
            settings.KeepJournalMonths
        ));
    }

    private static JournalLine Line(JournalRow l) =>
        new(l.Id, l.At.Iso(), l.By, Said(l.Words), l.About, l.Kind, l.SubjectId, l.ConcernsId, l.ProgramId, l.More, l.Ended, l.FromAddress, l.FromProgram);

    private static async Task<string?> NameAsync(GerminalDb db, JournalQuery query, CancellationToken stop) =>
        query.Person is { } person ? (await JournalSubjects.FindAsync(db, JournalSubjects.Person, person, stop))?.Name
        : query.Program is { } program ? (await JournalSubjects.FindAsync(db, JournalSubjects.Program, program, stop))?.Name
        : null;

    private static bool TryFilter(JournalQuery query, out JournalFilter filter, [NotNullWhen(false)] out ValidationProblem? wrong)
    {
        filter = new JournalFilter(query.Member, query.Person, query.Program, query.Find);
        wrong = null;
        foreach (var (name, text) in new[] { ("from", query.From), ("until", query.Until) })
        {
            if (string.IsNullOrWhiteSpace(text))
            {
                continue;
            }

            if (LocalDatePattern.Iso.Parse(text) is not { Success: true, Value: var day })
            {
                wrong = Problems.Field(name, Say($"“{text}” is no date; 2027-03-01 would be."));
                return false;
            }

            filter = name == "from" ? filter with { From = day } : filter with { Until = day };
        }

        return true;
    }

    private static async Task<Results<EmptyHttpResult, ValidationProblem>> Csv([AsParameters] JournalQuery query, HttpContext http, GerminalDb db, CancellationToken stop)
    {
        if (!TryFilter(query, out var filter, out var wrong))
        {
            return wrong;
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        http.Response.ContentType = "text/csv; charset=utf-8";
        http.Response.Headers.ContentDisposition = "attachment; filename=journal.csv";
        var rows = new List<string[]> { new[] { "at", "by", "what", "more", "ended", "from", "program" } };
        await foreach (var l in JournalReading.Of(db, filter, practice.Zone).OrderByDescending(l => l.Id).Take(MostInFile).AsAsyncEnumerable().WithCancellation(stop))
        {
            rows.Add([l.At.InZone(practice.Zone).ToString("uuuu'-'MM'-'dd HH':'mm':'ss", CultureInfo.InvariantCulture), l.By, Sentence(l), l.More, l.Ended, l.FromAddress, l.FromProgram]);
            if (rows.Count == RowsAtOnce)
            {
                await WriteAsync(http, rows, stop);
            }
        }

        await WriteAsync(http, rows, stop);
        return TypedResults.Empty;
    }

    /// <summary>Sends what there is so far, and forgets it: the file is never held as a whole.</summary>
    private static async Task WriteAsync(HttpContext http, List<string[]> rows, CancellationToken stop)
    {
        await using var text = new StringWriter();
        await using (var csv = CsvText.Writer(text))
        {
            foreach (var row in rows)
            {
                csv.WriteRow(row);
            }
        }

        rows.Clear();
        await http.Response.WriteAsync(text.ToString(), stop);
    }

    private static string Sentence(JournalRow line) => Said(line.Words).Replace("{}", line.About.Length > 0 ? line.About : Said("something"), StringComparison.Ordinal);
}
