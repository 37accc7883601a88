using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>The practice clock. MoveTo is set while it moves.</summary>
public sealed record ClockDto(string Now, string Zone, bool Real, string? MoveFrom, string? MoveTo);

/// <summary>The practice clock: reading it, and in the demo moving it on.</summary>
public static class ClockEndpoints
{
    public sealed record MoveBody([AtMost(40)] string To);

    public static void Map(IEndpointRouteBuilder app)
    {
        var clock = app.MapGroup("/api/clock").WithTags("clock").RequireAuthorization(Rights.Work);
        clock.MapGet("", (GerminalDb db, CancellationToken stop) => ReadAsync(db, stop));
        clock.MapPost("/move", Move);
        clock.MapPost(
            "/stop",
            async Task<NoContent> (GerminalDb db, CancellationToken stop) =>
            {
                await db.Clock.Where(c => c.MoveTo != null).ExecuteUpdateAsync(u => u.SetProperty(c => c.StopAsked, true), stop);
                return TypedResults.NoContent();
            }
        );
    }

    private static async Task<ClockDto> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var clock = await db.Clock.AsNoTracking().SingleAsync(stop);
        var zone = await db.Practices.AsNoTracking().Where(p => p.Id == db.PracticeId).Select(p => p.ZoneId).SingleAsync(stop);
        var now = clock.Real ? SystemClock.Instance.GetCurrentInstant() : clock.Now;
        return new ClockDto(now.Iso(), zone, clock.Real, clock.MoveFrom?.Iso(), clock.MoveTo?.Iso());
    }

    /// <summary>Asks the worker to move the clock: by <c>PT1H</c>, <c>P7D</c>, to <c>tomorrow</c> morning, or to a date, 8:15.</summary>
    private static async Task<Results<Ok<ClockDto>, ValidationProblem, ProblemHttpResult>> Move(MoveBody body, GerminalDb db, CancellationToken stop)
    {
        var clock = await db.Clock.SingleAsync(stop);
        if (clock.Real)
        {
            return Problems.Conflict(Said("This practice runs on real time; its clock cannot be moved."));
        }

        if (clock.MoveTo is not null)
        {
            return Problems.Conflict(Said("The clock is moving already. Wait for it, or stop it."));
        }

        var zone = (await PracticeReading.LoadAsync(db, stop)).Zone;
        var today = clock.Now.InZone(zone).Date;
        Instant Morning(LocalDate date) => Core.Time.LocalClock.At(date + new LocalTime(8, 15), zone);
        Instant? target = body.To switch
        {
            "tomorrow" => Morning(today.PlusDays(1)),
            _ when Distance.TryParse(body.To) is { } offset => offset.AddTo(clock.Now, zone),
            _ when Core.Time.Dates.TryParse(body.To) is { } date => Morning(date),
            _ => null,
        };
        if (target is not { } to)
        {
            return Problems.Field("to", Say($"“{body.To}” is not a date there is. 2027-03-08 would be."));
        }

        if (to <= clock.Now)
        {
            return Problems.Field("to", Said("The clock only moves forward; choose a later date."));
        }

        if (to > clock.Now + Duration.FromDays(3 * 366))
        {
            return Problems.Field("to", Said("That is more than three years on. Move in smaller strides."));
        }

        clock.MoveFrom = clock.Now;
        clock.MoveTo = to;
        clock.StopAsked = false;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await ReadAsync(db, stop));
    }
}
