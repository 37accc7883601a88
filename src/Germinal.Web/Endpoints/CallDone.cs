using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>What follows a call, a note or a task that is done.</summary>
/// <param name="Again">The day on which they are called again, <c>YYYY-MM-DD</c>; null for not again.</param>
/// <param name="Note">Whether a note is to be written.</param>
/// <param name="Stage">The stage that follows, <c>Pipeline/Stage</c>; null for none.</param>
/// <param name="Appointment">The kind of appointment that was made; null for none.</param>
/// <param name="At">When it is, a local time of the practice: <c>2027-03-09T09:30</c>.</param>
/// <param name="Program">The program that starts; null for none.</param>
public sealed record NextBody(
    [AtMost(10)] string? Again = null,
    bool Note = false,
    [AtMost(Lengths.Name)] string? Stage = null,
    [AtMost(Lengths.Name)] string? Appointment = null,
    [AtMost(40)] string? At = null,
    Guid? Program = null
);

/// <summary>What a member says of something on the day sheet that is done: how it ended, and what follows.</summary>
/// <param name="Next">What follows; null where nothing was said to follow.</param>
/// <param name="Reached">Whether somebody was reached.</param>
/// <param name="Today">The practice's day.</param>
/// <param name="Problem">What is wrong with it; null where nothing is.</param>
internal sealed record CallDone(CallNext? Next, bool Reached, LocalDate Today, ValidationProblem? Problem)
{
    private static readonly string[] NoteOutcomes = ["printed", "posted"];
    private static readonly string[] TaskOutcomes = ["done"];

    /// <summary>Reads it.</summary>
    /// <param name="db">The practice's data.</param>
    /// <param name="kind">call, note or task.</param>
    /// <param name="outcome">How it ended.</param>
    /// <param name="next">What is to follow; null for what usually does.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<CallDone> ReadAsync(GerminalDb db, string kind, string outcome, NextBody? next, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var today = (await PracticeClock.NowAsync(db, stop)).InZone(practice.Zone).Date;
        var ended = kind == "call" ? CallOutcomes.Find(settings, outcome) : null;
        CallDone No(string field, string message) => new(null, false, today, Problems.Field(field, message));
        string[] known = kind switch
        {
            "call" => [.. settings.CallOutcomes.Select(o => o.Name)],
            "note" => NoteOutcomes,
            _ => TaskOutcomes,
        };
        if (!known.Contains(outcome, StringComparer.Ordinal))
        {
            return No("outcome", Say($"A {kind} ends with one of: {string.Join(", ", known)}."));
        }

        var reached = ended?.Reached ?? false;
        if (next is null)
        {
            return new CallDone(ended is null ? null : CallNext.Usual(ended, practice.Calendar, today), reached, today, null);
        }

        var again = Dates.TryParse(next.Again);
        if (next.Again is { Length: > 0 } && (again is null || again < today))
        {
            return No("again", Say($"“{next.Again}” is no day from today on; {today.PlusDays(1).Iso()} would be."));
        }

        if (next.Stage is { Length: > 0 } stage && !settings.HasStage(stage))
        {
            return No("stage", Say($"There is no stage “{stage}”; {string.Join(", ", settings.AllStages())} are."));
        }

        if (next.Program is { } program && !await db.Programs.AnyAsync(p => p.Id == program, stop))
        {
            return No("program", Said("This program is not here any more; choose another, or none."));
        }

        Instant? at = null;
        if (next.Appointment is { Length: > 0 })
        {
            at = DealingsEndpoints.MomentOf(next.At, practice.Zone);
            if (at is null)
            {
                return No("at", Say($"“{next.At}” is no date and time; {today.PlusDays(1).Iso()}T09:30 would be."));
            }
        }

        return new CallDone(new CallNext(again, next.Note, GivingEndpoints.Trimmed(next.Stage), GivingEndpoints.Trimmed(next.Appointment), at, next.Program), reached, today, null);
    }
}
