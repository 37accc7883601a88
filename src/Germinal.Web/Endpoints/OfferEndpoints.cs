using Germinal.Channels.Letters;
using Germinal.Core.Practices;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>An offer as it is kept. Dates are ISO 8601, in the practice's zone.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">What letters call it by, and its heading.</param>
/// <param name="Facts">A line each.</param>
/// <param name="Price">As it is to be read.</param>
/// <param name="Page">Its page on the web; null for none.</param>
/// <param name="Picture">Where its picture is; null for none.</param>
/// <param name="PictureWords">The picture in words.</param>
/// <param name="From">The first date on which it stands.</param>
/// <param name="Until">The last.</param>
/// <param name="WhenOver">What letters show outside of them.</param>
/// <param name="Instead">The offer shown in its place.</param>
/// <param name="Edition">For saving: which edition this is.</param>
/// <param name="Stands">Whether it stands today.</param>
/// <param name="Uses">Who shows it.</param>
/// <param name="Html">As it stands in a letter.</param>
public sealed record OfferDto(
    Guid Id,
    string Name,
    string Facts,
    string Price,
    string? Page,
    string? Picture,
    string PictureWords,
    string? From,
    string? Until,
    string WhenOver,
    Guid? Instead,
    int Edition,
    bool Stands,
    IReadOnlyList<KeptUse> Uses,
    string Html
);

/// <summary>What the practice offers, kept once and placed into letters.</summary>
public static class OfferEndpoints
{
    private const int Facts = 4_000;
    private const int Page = 2_000;

    /// <param name="Name">Once in the practice.</param>
    /// <param name="Facts">A line each, with merge fields.</param>
    /// <param name="Price">As it is to be read.</param>
    /// <param name="Page">A web address, or nothing.</param>
    /// <param name="Picture">Where a picture brought in before is, or nothing.</param>
    /// <param name="PictureWords">Needed with a picture.</param>
    /// <param name="From">A date, or nothing.</param>
    /// <param name="Until">A date, or nothing.</param>
    /// <param name="WhenOver"><c>leave-out</c>, <c>instead</c> or <c>hold</c>.</param>
    /// <param name="Instead">With <c>instead</c>: which offer.</param>
    /// <param name="Edition">The edition it was made from; null for a new one.</param>
    public sealed record OfferBody(
        [AtMost(Lengths.Name)] string Name = "",
        [AtMost(OfferEndpoints.Facts)] string Facts = "",
        [AtMost(Lengths.Name)] string Price = "",
        [AtMost(OfferEndpoints.Page)] string? Page = null,
        [AtMost(Lengths.Name)] string? Picture = null,
        [AtMost(Lengths.Name)] string PictureWords = "",
        [AtMost(Lengths.Name)] string? From = null,
        [AtMost(Lengths.Name)] string? Until = null,
        [AtMost(Lengths.Name)] string WhenOver = "leave-out",
        Guid? Instead = null,
        int? Edition = null
    );

    public static void Map(IEndpointRouteBuilder app)
    {
        var offers = app.MapGroup("/api/offers").WithTags("offers").RequireAuthorization(Rights.WritePrograms);
        offers.MapGet("", List);
        offers.MapPost("", Create);
        offers.MapPut("/{id:guid}", Save);
        offers.MapDelete("/{id:guid}", Delete);
    }

    private static async Task<IReadOnlyList<OfferDto>> List(GerminalDb db, CancellationToken stop)
    {
        var uses = await KeptNames.UsesAsync(db, stop);
        var kept = await KeptReading.LoadAsync(db, stop);
        var today = await PracticeClock.TodayAsync(db, stop);
        return
        [
            .. (await db.Offers.AsNoTracking().ToListAsync(stop))
                .OrderBy(o => o.Name, StringComparer.OrdinalIgnoreCase)
                .Select(o => Dto(o, kept.Offers[o.Name], today, uses)),
        ];
    }

    private static string? Iso(LocalDate? date) => date is { } day ? LocalDatePattern.Iso.Format(day) : null;

    private static OfferDto Dto(OfferRow row, Offer offer, LocalDate today, ILookup<(string Part, string Name), KeptUse> uses) =>
        new(
            row.Id,
            row.Name,
            row.Facts,
            row.Price,
            row.Page,
            offer.Picture,
            row.PictureWords,
            Iso(row.From),
            Iso(row.Until),
            row.WhenOver,
            row.InsteadId,
            row.Edition,
            offer.StandsOn(today),
            KeptNames.UsesOf(row, LetterParts.Offer, uses),
            LetterHtml.Sanitize(LetterPlaces.HtmlOf(offer))
        );

    private static async Task<Results<Ok<OfferDto>, ValidationProblem>> Create(OfferBody body, GerminalDb db, LiquidLetters liquid, Caller caller, CancellationToken stop)
    {
        var row = new OfferRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = body.Name.Trim(),
            By = caller.Name,
        };
        if (await FillAsync(db, row, body, liquid, caller, stop) is { } problem)
        {
            return problem;
        }

        db.Offers.Add(row);
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("an offer"), row.Name), stop) is { } taken ? taken : TypedResults.Ok(await OneAsync(db, row.Id, stop));
    }

    private static async Task<Results<Ok<OfferDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        OfferBody body,
        GerminalDb db,
        LiquidLetters liquid,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.Offers.FirstOrDefaultAsync(o => o.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Say($"{row.By} has changed this offer since you opened it. What you wrote is still here; load the page again to see their version."));
        }

        if (await FillAsync(db, row, body, liquid, caller, stop) is { } problem)
        {
            return problem;
        }

        row.Edition++;
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("an offer"), row.Name), stop) is { } taken ? taken : TypedResults.Ok(await OneAsync(db, id, stop));
    }

    private static async Task<OfferDto> OneAsync(GerminalDb db, Guid id, CancellationToken stop) => (await List(db, stop)).First(o => o.Id == id);

    /// <summary>Takes what was written into the row, or says what is wrong with it.</summary>
    private static async Task<ValidationProblem?> FillAsync(GerminalDb db, OfferRow row, OfferBody body, LiquidLetters liquid, Caller caller, CancellationToken stop)
    {
        var wrong = new List<(string Field, string Message)>();
        var name = body.Name.Trim();
        if (await KeptNames.ProblemAsync<OfferRow>(db, row.Id, name, Said("an offer"), stop) is { } named)
        {
            wrong.Add(("name", named));
        }

        LocalDate? Date(string field, string? written)
        {
            if (string.IsNullOrWhiteSpace(written))
            {
                return null;
            }

            var read = LocalDatePattern.Iso.Parse(written);
            if (!read.Success)
            {
                wrong.Add((field, Say($"“{written}” is no date; 2027-05-01 would be.")));
            }

            return read.Success ? read.Value : null;
        }

        var (from, until) = (Date("from", body.From), Date("until", body.Until));
        if (from > until)
        {
            wrong.Add(("until", Said("It ends before it begins.")));
        }

        var page = body.Page?.Trim() is { Length: > 0 } written ? written : null;
        if (page is not null && LinkAddress.Problem(page) is { } nowhere)
        {
            wrong.Add(("page", nowhere));
        }

        wrong.AddRange(liquid.Problems(body.Facts).Select(p => ("facts", p)));
        Guid? picture = null;
        if (body.Picture is { Length: > 0 } address)
        {
            picture = await OwnPictures.FindAsync(db, address, stop);
            if (picture is null)
            {
                wrong.Add(("picture", OwnPictures.NoSuch));
            }
            else if (body.PictureWords.Trim().Length == 0)
            {
                wrong.Add(("pictureWords", Said("Say in a few words what the picture shows, for those who do not see it.")));
            }
        }

        if (!OfferDesk.Overs.Any(o => o.Word == body.WhenOver))
        {
            wrong.Add(("whenOver", Say($"“{body.WhenOver}” is none of {string.Join(", ", OfferDesk.Overs.Select(o => o.Word))}.")));
        }

        var instead = body.WhenOver == "instead" ? body.Instead : null;
        if (body.WhenOver == "instead" && (instead is null || instead == row.Id || !await db.Offers.AnyAsync(o => o.Id == instead, stop)))
        {
            wrong.Add(("instead", Said("Choose the offer that is to be shown in its place.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        KeptNames.Rename(row, name);
        row.Facts = body.Facts.Trim();
        row.Price = body.Price.Trim();
        row.Page = page is null ? null : LinkAddress.Complete(page);
        row.PictureId = picture;
        row.PictureWords = body.PictureWords.Trim();
        (row.From, row.Until) = (from, until);
        row.WhenOver = body.WhenOver;
        row.InsteadId = instead;
        row.By = caller.Name;
        row.ChangedAt = await PracticeClock.NowAsync(db, stop);
        return null;
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Offers.FirstOrDefaultAsync(o => o.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var uses = KeptNames.UsesOf(row, LetterParts.Offer, await KeptNames.UsesAsync(db, stop));
        if (KeptNames.KeepsIt(row, uses) is { } used)
        {
            return Problems.Conflict(used);
        }

        if (await db.Offers.Where(o => o.InsteadId == id).Select(o => o.Name).FirstOrDefaultAsync(stop) is { } other)
        {
            return Problems.Conflict(Say($"“{row.Name}” stands in for “{other}” when that is over. Choose another there first."));
        }

        return await KeptSaving.RemoveAsync(db, db.Offers.Where(o => o.Id == id), stop);
    }
}
