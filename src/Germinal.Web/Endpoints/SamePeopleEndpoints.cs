using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>One of two who may be the same.</summary>
public sealed record LikeDto(Guid Id, string Name, string? Email, string? Mobile, string? OtherPhone, string? Address, string? Stage, string Added);

/// <summary>Two people that may be one, or of one household.</summary>
/// <param name="One">The one that has been here longer.</param>
/// <param name="Other">The other.</param>
/// <param name="Because">What speaks for it.</param>
/// <param name="Household">True where their first names tell them apart.</param>
public sealed record LikePairDto(LikeDto One, LikeDto Other, string Because, bool Household);

/// <summary>These may be the same: pair by pair over everybody who is here.</summary>
public static class SamePeopleEndpoints
{
    private const int MostPairs = 40;

    public sealed record PairBody(Guid One, Guid Other);

    public static void Map(IEndpointRouteBuilder app)
    {
        var same = app.MapGroup("/api/same-people").WithTags("same people").RequireAuthorization(Rights.Work);
        same.MapGet("", List);
        same.MapPost("/different", Different);
        same.MapDelete("/different/{one:guid}/{other:guid}", NotDifferent);
    }

    private static async Task<Page<LikePairDto>> List(GerminalDb db, string? after, CancellationToken stop)
    {
        var key = PageKey.TryRead(after);
        var (pairs, more) = await SamePeople.FindAsync(
            db,
            key is not null && Guid.TryParse(key.Value, out var one) ? (one, key.Id) : null,
            MostPairs,
            stop
        );
        static LikeDto Dto(PersonRow p) => new(p.Id, p.Name, p.Email, p.Mobile, p.OtherPhone, p.Address, p.Stage, p.AddedAt.Iso());
        var last = more ? pairs[^1] : null;

        // The key is the pair as the database orders it, the smaller id first.
        Guid[] ids = last is null ? [] : [.. new[] { last.One.Id, last.Other.Id }.Order()];
        return new Page<LikePairDto>(
            [.. pairs.Select(p => new LikePairDto(Dto(p.One), Dto(p.Other), p.Because, p.Household))],
            last is null ? null : new PageKey(ids[0].ToString(), ids[1]).ToString()
        );
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Different(PairBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (body.One == body.Other)
        {
            return Problems.Field("other", Said("That is one person. Name two."));
        }

        if (await db.People.CountAsync(p => p.Id == body.One || p.Id == body.Other, stop) != 2)
        {
            return TypedResults.NotFound();
        }

        await SamePeople.SetDifferentAsync(db, body.One, body.Other, caller.Name, (await PeopleEndpoints.DeskAsync(db, caller, stop)).Now, stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> NotDifferent(Guid one, Guid other, GerminalDb db, CancellationToken stop) =>
        await SamePeople.UnsetDifferentAsync(db, one, other, stop) > 0 ? TypedResults.NoContent() : TypedResults.NotFound();
}
