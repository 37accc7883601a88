using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>When a member gets their morning letter.</summary>
/// <param name="At">The hour on the practice's clock, <c>07:30</c>; empty for no letter.</param>
/// <param name="Next">When the next one goes; null for none.</param>
/// <param name="Address">Where it goes.</param>
public sealed record MorningDto(string At, string? Next, string Address);

/// <summary>The morning letter: each member says for themselves whether and when.</summary>
public static class MorningEndpoints
{
    public sealed record MorningBody([AtMost(5)] string At = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var morning = app.MapGroup("/api/morning").WithTags("today").RequireAuthorization(Rights.Work);
        morning.MapGet(
            "",
            async (GerminalDb db, Caller caller, CancellationToken stop) => Of(await db.Users.AsNoTracking().SingleAsync(u => u.Id == caller.Id && u.PracticeId == caller.PracticeId, stop))
        );
        morning.MapPut("", Choose);
    }

    private static MorningDto Of(Store.Rows.MemberUser member) => new(member.MorningAt, member.MorningDue?.Iso(), member.Email ?? "");

    private static async Task<Results<Ok<MorningDto>, ValidationProblem>> Choose(MorningBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var hour = MorningLetters.Hour(body.At.Trim());
        if (hour is null && body.At.Trim().Length > 0)
        {
            return Problems.Field("at", Say($"“{body.At}” is no hour of the day; 07:30 would be."));
        }

        var member = await db.Users.SingleAsync(u => u.Id == caller.Id && u.PracticeId == caller.PracticeId, stop);
        MorningLetters.Choose(member, hour, await PracticeReading.LoadAsync(db, stop), await PracticeClock.NowAsync(db, stop));
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(Of(member));
    }
}
