using Germinal.Channels;
using Germinal.Core.Time;
using Germinal.Service.Letters;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Landings;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A page in the list.</summary>
/// <param name="Id">Which.</param>
/// <param name="Letter">The letter it shows.</param>
/// <param name="LetterName">What that is called.</param>
/// <param name="Title">What search and sharing call it.</param>
/// <param name="Address">Where it is.</param>
/// <param name="Shown">Whether everybody sees it.</param>
/// <param name="Visits">How often it was opened in the last thirty days.</param>
/// <param name="Sent">How many forms were sent by it, ever.</param>
public sealed record LandingLine(Guid Id, Guid Letter, string LetterName, string Title, string Address, bool Shown, int Visits, int Sent);

/// <summary>A version of a page as it was shown.</summary>
public sealed record LandingVersionDto(int Version, string Title, string By, string At);

/// <summary>How often a page was opened by the messages of a program; nobody's for those who came another way.</summary>
public sealed record LandingVisitsDto(string? Program, int Count);

/// <summary>A letter as a page.</summary>
/// <param name="Id">Which.</param>
/// <param name="Edition">For saving: which edition this is.</param>
/// <param name="Letter">The letter it shows.</param>
/// <param name="LetterName">What that is called.</param>
/// <param name="Address">Where it is.</param>
/// <param name="Title">What search and sharing call it.</param>
/// <param name="Description">What they say of it.</param>
/// <param name="Picture">What sharing shows.</param>
/// <param name="ShownVersion">The version everybody sees; null while nobody does.</param>
/// <param name="Changed">Whether the letter, or what is said of it, was changed since.</param>
/// <param name="Findings">What keeps it from being shown as it is now.</param>
/// <param name="Versions">As it was shown, the newest first.</param>
/// <param name="Visits">How often it was opened in the last thirty days, and by what.</param>
/// <param name="Sent">How many forms were sent by it, ever.</param>
/// <param name="By">Who changed it last.</param>
public sealed record LandingDto(
    Guid Id,
    int Edition,
    Guid Letter,
    string LetterName,
    string Address,
    string Title,
    string Description,
    string? Picture,
    int? ShownVersion,
    bool Changed,
    IReadOnlyList<FindingDto> Findings,
    IReadOnlyList<LandingVersionDto> Versions,
    IReadOnlyList<LandingVisitsDto> Visits,
    int Sent,
    string By
);

/// <summary>A page as it would be seen, or was.</summary>
public sealed record LandingPageDto(string Page);

/// <summary>Letters as public pages: shown, taken back, seen in their versions.</summary>
public static class LandingEndpoints
{
    private const int CountedDays = 30;
    private const int MostVersions = 50;
    private const int Description = 400;

    public sealed record NewLandingBody(Guid? Letter = null);

    /// <param name="Edition">The edition it was made from.</param>
    /// <param name="Title">What search and sharing call it.</param>
    /// <param name="Description">What they say of it.</param>
    /// <param name="Picture">Where a picture brought in before is, or nothing.</param>
    public sealed record LandingBody(int Edition = 0, [AtMost(Lengths.Name)] string Title = "", [AtMost(LandingEndpoints.Description)] string Description = "", [AtMost(Lengths.Name)] string? Picture = null);

    /// <param name="Version">A version from before; null for the letter as it is now.</param>
    public sealed record ShowLandingBody(int? Version = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var pages = app.MapGroup("/api/pages").WithTags("pages").RequireAuthorization(Rights.WritePrograms);
        pages.MapGet("", List);
        pages.MapPost("", Create);
        var page = pages.MapGroup("/{id:guid}");
        page.MapGet("", Read);
        page.MapPut("", Save);
        page.MapDelete("", Delete);
        page.MapGet("/seen", Seen);
        page.MapPost("/show", Show).RequireAuthorization(Rights.ShowForms);
        page.MapPost("/hide", Hide).RequireAuthorization(Rights.ShowForms);
    }

    private static async Task<IReadOnlyList<LandingLine>> List(GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        var from = (await PracticeClock.TodayAsync(db, stop)).PlusDays(-CountedDays);
        var rows = await db
            .Landings.AsNoTracking()
            .OrderBy(l => l.Title)
            .ThenBy(l => l.Id)
            .Select(l => new
            {
                Row = l,
                Letter = db.Letters.Where(x => x.Id == l.LetterId).Select(x => x.Name).First(),
                Visits = db.LandingVisits.Where(v => v.LandingId == l.Id && v.Date > from).Sum(v => (int?)v.Count) ?? 0,
            })
            .ToListAsync(stop);
        var addresses = rows.Select(r => links.Landing(r.Row.Slug)).ToList();
        var sent = await SentAsync(db, addresses, stop);
        return [.. rows.Select((r, i) => new LandingLine(r.Row.Id, r.Row.LetterId, r.Letter, r.Row.Title, addresses[i], r.Row.ShownVersion is not null, r.Visits, sent.GetValueOrDefault(addresses[i])))];
    }

    private static Task<Dictionary<string, int>> SentAsync(GerminalDb db, List<string> addresses, CancellationToken stop) =>
        db
            .Submissions.AsNoTracking()
            .Where(s => s.CameFrom != null && addresses.Contains(s.CameFrom) && s.Status == SubmissionStates.Taken)
            .GroupBy(s => s.CameFrom!)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToDictionaryAsync(g => g.Key, g => g.Count, stop);

    private static async Task<LandingDto> DtoAsync(GerminalDb db, LandingRow row, LandingWriter writer, PublicLinks links, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var letter = await db.Letters.AsNoTracking().SingleAsync(l => l.Id == row.LetterId, stop);
        var versions = await db.LandingVersions.AsNoTracking().Where(v => v.LandingId == row.Id).OrderByDescending(v => v.Version).Take(MostVersions).Select(v => new { v.Version, v.Title, v.By, v.At }).ToListAsync(stop);
        var shown = await db.LandingVersions.AsNoTracking().FirstOrDefaultAsync(v => v.LandingId == row.Id && v.Version == row.ShownVersion, stop);
        var from = now.InZone(practice.Zone).Date.PlusDays(-CountedDays);
        var visits = await db
            .LandingVisits.AsNoTracking()
            .Where(v => v.LandingId == row.Id && v.Date > from)
            .GroupBy(v => v.ProgramId)
            .Select(g => new { Program = db.ProgramsAndBroadcasts.Where(p => p.Id == g.Key).Select(p => p.Name).FirstOrDefault(), Count = g.Sum(v => v.Count) })
            .OrderByDescending(v => v.Count)
            .ToListAsync(stop);
        var address = links.Landing(row.Slug);
        return new LandingDto(
            row.Id,
            row.Edition,
            row.LetterId,
            letter.Name,
            address,
            row.Title,
            row.Description,
            OwnPictures.AddressOf(row.PictureId),
            row.ShownVersion,
            shown is not null && (shown.Body != letter.Body || shown.Title != row.Title || shown.Description != row.Description || shown.PictureId != row.PictureId),
            [.. writer.Findings(letter.Body, row.Title, practice, now).Select(f => new FindingDto(f.Pointer, f.Message, f.IsWarning))],
            [.. versions.Select(v => new LandingVersionDto(v.Version, v.Title, v.By, v.At.Iso()))],
            [.. visits.Select(v => new LandingVisitsDto(v.Program, v.Count))],
            (await SentAsync(db, [address], stop)).GetValueOrDefault(address),
            row.By
        );
    }

    private static async Task<Results<Ok<LandingDto>, NotFound>> Read(Guid id, GerminalDb db, LandingWriter writer, PublicLinks links, CancellationToken stop) =>
        await db.Landings.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is { } row ? TypedResults.Ok(await DtoAsync(db, row, writer, links, stop)) : TypedResults.NotFound();

    /// <summary>The page of a letter: the one it has, or a new one that nobody sees yet.</summary>
    private static async Task<Results<Ok<LandingDto>, ValidationProblem>> Create(NewLandingBody body, GerminalDb db, LandingWriter writer, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (body.Letter is not { } id || await db.Letters.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is not { } letter)
        {
            return Problems.Field("letter", Said("There is no such letter."));
        }

        // A subject with fields in it is no title.
        var title = letter.Subject.Length is > 0 and < 120 && !letter.Subject.Contains('{', StringComparison.Ordinal) ? letter.Subject : letter.Name;
        var (slug, now, made) = (FormDesk.NewSlug(letter.Name), await PracticeClock.NowAsync(db, stop), Guid.CreateVersion7());

        // Asked for twice at one moment, it is one.
        await db.Database.ExecuteSqlAsync(
            $"INSERT INTO landings (id, practice_id, letter_id, slug, title, description, edition, by, changed_at) VALUES ({made}, {caller.PracticeId}, {id}, {slug}, {title}, '', 1, {caller.Name}, {now}) ON CONFLICT (letter_id) DO NOTHING",
            stop
        );
        var row = await db.Landings.AsNoTracking().SingleAsync(l => l.LetterId == id, stop);
        return TypedResults.Ok(await DtoAsync(db, row, writer, links, stop));
    }

    private static async Task<Results<Ok<LandingDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(Guid id, LandingBody body, GerminalDb db, LandingWriter writer, PublicLinks links, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Say($"{row.By} has changed this page since you opened it. Load it again to see their version."));
        }

        Guid? picture = null;
        if (body.Picture is { Length: > 0 } address)
        {
            picture = await OwnPictures.FindAsync(db, address, stop);
            if (picture is null)
            {
                return Problems.Field("picture", OwnPictures.NoSuch);
            }
        }

        (row.Title, row.Description, row.PictureId) = (body.Title.Trim(), body.Description.ReplaceLineEndings(" ").Trim(), picture);
        await ChangedAsync(db, row, caller, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, writer, links, stop));
    }

    private static Task<LandingRow?> LockedAsync(GerminalDb db, Guid id, CancellationToken stop) => db.Landings.FromSql($"SELECT * FROM landings WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(stop);

    private static async Task ChangedAsync(GerminalDb db, LandingRow row, Caller caller, CancellationToken stop)
    {
        row.Edition++;
        (row.By, row.ChangedAt) = (caller.Name, await PracticeClock.NowAsync(db, stop));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Shows the letter as it is now, or a version from before, to everybody.</summary>
    private static async Task<Results<Ok<LandingDto>, NotFound, ValidationProblem>> Show(Guid id, ShowLandingBody body, GerminalDb db, LandingWriter writer, PublicLinks links, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Version is { } before)
        {
            if (!await db.LandingVersions.AnyAsync(v => v.LandingId == id && v.Version == before, stop))
            {
                return Problems.Field("version", Say($"There is no version {before}."));
            }

            row.ShownVersion = before;
        }
        else
        {
            var letter = await db.Letters.AsNoTracking().SingleAsync(l => l.Id == row.LetterId, stop);
            var now = await PracticeClock.NowAsync(db, stop);
            if (writer.Findings(letter.Body, row.Title, await PracticeReading.LoadAsync(db, stop), now) is [var first, ..])
            {
                return Problems.Field(first.Pointer, Say($"It cannot be shown yet: {first.Message}"));
            }

            row.ShownVersion = (await db.LandingVersions.Where(v => v.LandingId == id).MaxAsync(v => (int?)v.Version, stop) ?? 0) + 1;
            db.LandingVersions.Add(
                new LandingVersionRow
                {
                    LandingId = id,
                    Version = row.ShownVersion.Value,
                    PracticeId = row.PracticeId,
                    Title = row.Title,
                    Description = row.Description,
                    PictureId = row.PictureId,
                    Body = letter.Body,
                    By = caller.Name,
                    At = now,
                }
            );
        }

        await ChangedAsync(db, row, caller, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, writer, links, stop));
    }

    private static async Task<Results<Ok<LandingDto>, NotFound>> Hide(Guid id, GerminalDb db, LandingWriter writer, PublicLinks links, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        row.ShownVersion = null;
        await ChangedAsync(db, row, caller, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, writer, links, stop));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Landings.FirstOrDefaultAsync(l => l.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.ShownVersion is not null)
        {
            return Problems.Conflict(Said("Everybody sees this page. Take it back first."));
        }

        await db.Landings.Where(l => l.Id == id && l.ShownVersion == null).ExecuteDeleteAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>The page as it would be seen now, or as a version of it was. Its form is sent nowhere.</summary>
    private static async Task<Results<Ok<LandingPageDto>, NotFound>> Seen(Guid id, int? version, GerminalDb db, LandingWriter writer, FormShelf forms, PublicLinks links, CancellationToken stop)
    {
        if (await db.Landings.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var shown = version is { } n
            ? await db.LandingVersions.AsNoTracking().FirstOrDefaultAsync(v => v.LandingId == id && v.Version == n, stop)
            : new LandingVersionRow
            {
                LandingId = id,
                PracticeId = row.PracticeId,
                Title = row.Title,
                Description = row.Description,
                PictureId = row.PictureId,
                Body = await db.Letters.Where(l => l.Id == row.LetterId).Select(l => l.Body).SingleAsync(stop),
                By = row.By,
                At = now,
            };
        if (shown is null)
        {
            return TypedResults.NotFound();
        }

        var words = LandingWords.Of(shown.Body);
        var (html, _) = writer.Fill(words, null, await PracticeReading.LoadAsync(db, stop), now);
        var form = words.Form is { } name ? await PublicLandings.FormPreviewAsync(db, name, forms, stop) : "";
        return TypedResults.Ok(new LandingPageDto(LandingHtml.Page(shown, html, form, links.Landing(row.Slug), await db.OwnPracticeAsync(stop), links)));
    }
}
