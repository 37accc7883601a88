using Germinal.Channels.Letters;
using Germinal.Service.Letters;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>How a member signs letters.</summary>
/// <param name="Words">Plain words, one line under the other; empty: by name.</param>
/// <param name="Photograph">Where their photograph is, as uploading it answered; null for none.</param>
public sealed record SignOffDto([AtMost(SignOffEndpoints.MostWords)] string Words, [AtMost(100)] string? Photograph = null);

/// <summary>How whoever is signed in signs letters.</summary>
public static class SignOffEndpoints
{
    internal const int MostWords = 1000;

    public static void Map(IEndpointRouteBuilder app)
    {
        var own = app.MapGroup("/api/sign-off").WithTags("letters").RequireAuthorization(Rights.Work);
        own.MapGet(
            "",
            async (GerminalDb db, Caller caller, CancellationToken stop) =>
            {
                var me = await db.Users.AsNoTracking().SingleAsync(m => m.Id == caller.Id, stop);
                return new SignOffDto(me.SignOff.Length > 0 ? LetterHtml.ToText(me.SignOff).Trim() : "", OwnPictures.AddressOf(me.PhotographId));
            }
        );
        own.MapPut("", Save);
    }

    private static async Task<Results<NoContent, ValidationProblem>> Save(SignOffDto body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        Guid? photograph = null;
        if (body.Photograph is { Length: > 0 } address)
        {
            photograph = await OwnPictures.FindAsync(db, address, stop);
            if (photograph is null)
            {
                return Problems.Field("photograph", Said("This is none of the practice’s pictures. Choose one from your machine."));
            }
        }

        var words = LetterHtml.FromBody(LetterHtml.Encode(body.Words.Trim().ReplaceLineEndings("\n")));
        words = words.Length == 0 || words.StartsWith("<p>", StringComparison.Ordinal) ? words : $"<p>{words}</p>";
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db
            .Users.Where(m => m.Id == caller.Id && m.PracticeId == caller.PracticeId)
            .ExecuteUpdateAsync(u => u.SetProperty(m => m.SignOff, words).SetProperty(m => m.PhotographId, photograph), stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
