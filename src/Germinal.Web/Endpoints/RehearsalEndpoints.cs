using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A touch of somebody's rehearsal.</summary>
public sealed record RehearsedTouchDto(string At, string Program, bool Here, string StepId, string Kind, string What, string? WillNot);

/// <summary>Rehearsing a program over the whole practice.</summary>
public static class RehearsalEndpoints
{
    private const int LongestDays = 1100;

    /// <param name="Until">The last date, ISO; null for a year.</param>
    public sealed record RehearsalBody([AtMost(20)] string? Until = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var rehearsal = app.MapGroup("/api/programs/{id:guid}/rehearsal").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        rehearsal.MapPost("", Begin);
        rehearsal.MapGet("", State);
        rehearsal.MapDelete("", Stop);
        rehearsal.MapGet("/{person:guid}", One);
    }

    private static async Task<Results<Ok<RehearsalState>, NotFound, ValidationProblem>> Begin(
        Guid id,
        RehearsalBody body,
        GerminalDb db,
        RehearsalRoom room,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var errors = (await desk.FindingsAsync(db, id, draft.Program, stop)).Where(f => !f.IsWarning).ToList();
        if (errors.Count > 0)
        {
            return Problems.Fields(errors.Select(e => (e.Pointer, e.Message)));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        if (EndOf(body.Until, now, practice.Zone) is not { } until)
        {
            return Problems.Field("until", Said("Give a date after today and at most three years from now, as 2028-03-01."));
        }

        await db.Programs.Where(p => p.Id == id).ExecuteUpdateAsync(u => u.SetProperty(p => p.RehearsedAt, now), stop);
        return TypedResults.Ok(room.Begin(db, id, draft.Row.DraftNumber, draft.Program, now, until, MessagePrices.Of(settings)));
    }

    /// <summary>The end of a date, or a year from now; null for what is no date to rehearse to.</summary>
    private static Instant? EndOf(string? written, Instant now, DateTimeZone zone)
    {
        var today = now.InZone(zone).Date;
        if (string.IsNullOrEmpty(written))
        {
            return LocalClock.At(today.PlusYears(1).AtMidnight(), zone);
        }

        return LocalDatePattern.Iso.Parse(written) is { Success: true, Value: var date } && date > today && date <= today.PlusDays(LongestDays)
            ? LocalClock.At(date.PlusDays(1).AtMidnight(), zone)
            : null;
    }

    private static async Task<Results<Ok<RehearsalState>, NotFound>> State(Guid id, GerminalDb db, RehearsalRoom room, CancellationToken stop) =>
        await db.Programs.AnyAsync(p => p.Id == id, stop)
            ? TypedResults.Ok(room.StateOf(db, id) ?? new RehearsalState(false, 0, 0, null, null, null, null))
            : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound>> Stop(Guid id, GerminalDb db, RehearsalRoom room, CancellationToken stop)
    {
        if (!await db.Programs.AnyAsync(p => p.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        room.Stop(db, id);
        return TypedResults.NoContent();
    }

    /// <summary>One person's own line: everything that comes, of this program and of the others.</summary>
    private static async Task<Results<Ok<IReadOnlyList<RehearsedTouchDto>>, NotFound, ValidationProblem>> One(
        Guid id,
        Guid person,
        string? until,
        GerminalDb db,
        ProgramRehearsal rehearsal,
        CancellationToken stop
    )
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        if (EndOf(until, now, practice.Zone) is not { } end)
        {
            return Problems.Field("until", Said("Give a date after today and at most three years from now, as 2028-03-01."));
        }

        return await rehearsal.OfOneAsync(db, id, draft.Program, person, now, end, stop) is { } touches
            ? TypedResults.Ok<IReadOnlyList<RehearsedTouchDto>>(
                [
                    .. touches.Select(t => new RehearsedTouchDto(
                        t.Touch.At.Iso(),
                        t.Program,
                        t.Here,
                        t.Touch.Step.Id,
                        t.Touch.Step.Kind,
                        t.Touch.Step.Templates is [var words, ..] ? words.Text : t.Touch.Step.Id,
                        t.Touch.WillNot
                    )),
                ]
            )
            : TypedResults.NotFound();
    }
}
