using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Today;

/// <summary>What a member says is to follow a call they have made.</summary>
/// <param name="Again">The day on which they are called again; null for not again.</param>
/// <param name="Note">Whether a note is to be written to them.</param>
/// <param name="Stage">The stage that their open opportunity goes to, or they themselves where none is open; null for none.</param>
/// <param name="Appointment">The kind of appointment that was made; null for none.</param>
/// <param name="At">When it is; null for none.</param>
/// <param name="Program">The program that starts for them; null for none.</param>
public sealed record CallNext(LocalDate? Again, bool Note, string? Stage, string? Appointment, Instant? At, Guid? Program)
{
    /// <summary>What usually follows, but for an appointment: nobody knows yet when that is.</summary>
    public static CallNext Usual(CallOutcomeSettings outcome, WorkCalendar calendar, LocalDate today) =>
        new(
            outcome.AgainDays > 0 ? calendar.WorkingDayAfter(today, outcome.AgainDays) : null,
            outcome.Note,
            outcome.Stage.Length > 0 ? outcome.Stage : null,
            null,
            null,
            outcome.Program
        );
}

/// <summary>
/// Does what follows a call in the transaction in which the call is done, and takes it back with it. What was done is noted in the call's own event.
/// </summary>
/// <param name="db">A context of the member's practice, with a transaction open.</param>
/// <param name="by">The member, by name.</param>
/// <param name="member">The member.</param>
/// <param name="now">Practice time.</param>
public sealed class CallFollowing(GerminalDb db, string by, Guid member, Instant now)
{
    private const string Task = "next-task",
        Note = "next-note",
        Opportunity = "next-opportunity",
        StoodIn = "next-stood-in",
        MovedTo = "next-moved-to",
        Appointment = "next-appointment",
        Program = "next-program";

    private readonly PeopleDesk desk = new(db, by, now);

    private DealingsDesk Dealings => new(db, desk, now);

    /// <summary>Does it.</summary>
    /// <param name="person">Who was called.</param>
    /// <param name="about">What the call was about; a call again and a note are about the same.</param>
    /// <param name="next">What follows.</param>
    /// <param name="today">The practice's day.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What was done, as it stands in the call's event.</returns>
    public async Task<(string Key, string Value)[]> DoAsync(Guid person, string about, CallNext next, LocalDate today, CancellationToken stop)
    {
        var done = new List<(string, string)>();
        if (next.Again is { } again)
        {
            done.Add((Task, Add(person, "call", about, again)));
        }

        if (next.Note)
        {
            done.Add((Note, Add(person, "task", Say($"Write a note: {about}"), today)));
        }

        if (next.Stage is { } stage)
        {
            done.AddRange(await MoveAsync(person, stage, stop));
        }

        if (next is { Appointment: { } type, At: { } at })
        {
            done.Add((Appointment, (await Dealings.BookAsync(person, type, at, null, member, stop)).Id.ToString()));
        }

        if (next.Program is { } program && await desk.StartProgramAsync([person], program, bySwitchingOn: false, stop) > 0)
        {
            done.Add((Program, program.ToString()));
        }

        await db.SaveChangesAsync(stop);
        return [.. done];
    }

    /// <summary>Takes it back, as far as nothing has come of it: an open task goes, a stage is as it was, an appointment is cancelled, a program stopped.</summary>
    /// <param name="person">Who was called.</param>
    /// <param name="done">The call's event.</param>
    /// <param name="stop">Gives up.</param>
    public async Task TakeBackAsync(Guid person, EventRow done, CancellationToken stop)
    {
        Guid? Of(string key) => Guid.TryParse(done.Data.GetValueOrDefault(key), out var id) ? id : null;
        Guid[] tasks = [.. new[] { Of(Task), Of(Note) }.OfType<Guid>()];
        await db.Tasks.Where(t => tasks.Contains(t.Id) && t.DoneAt == null).ExecuteDeleteAsync(stop);
        if (done.Data.TryGetValue(MovedTo, out var moved))
        {
            var stood = done.Data.GetValueOrDefault(StoodIn) is { Length: > 0 } before ? before : null;
            if (Of(Opportunity) is not { } opportunity)
            {
                if (await db.People.AnyAsync(p => p.Id == person && p.Stage == moved, stop))
                {
                    await desk.MoveStageAsync([person], stood, stop);
                }
            }
            else if (stood is not null && await db.Opportunities.FirstOrDefaultAsync(o => o.Id == opportunity && o.Status == "open" && o.Stage == moved, stop) is { } row)
            {
                var followed = row.MovedTo;
                await Dealings.MoveOpportunityAsync(row, stood, stop);
                if (followed == moved && await db.People.AnyAsync(p => p.Id == person && p.Stage == moved, stop))
                {
                    await desk.MoveStageAsync([person], stood, stop);
                }
            }
        }

        if (Of(Appointment) is { } appointment && await db.Appointments.FirstOrDefaultAsync(a => a.Id == appointment && a.CancelledAt == null, stop) is { } booked)
        {
            await Dealings.CancelAsync(booked, stop);
        }

        if (Of(Program) is { } program)
        {
            var started = await db.Runs.Where(r => r.PersonId == person && r.ProgramId == program && r.StartedAt >= done.At && r.EndedAt == null).Select(r => r.Id).ToListAsync(stop);
            db.Events.AddRange(started.Select(run => desk.NewEvent(person, new StartTakenBack(now, run, by))));
        }

        await db.SaveChangesAsync(stop);
    }

    /// <summary>The event in which a touch or task was done last, of those in which something may have followed; null where there is none.</summary>
    /// <param name="db">The practice's data.</param>
    /// <param name="person">Who was called.</param>
    /// <param name="kind">The event's kind.</param>
    /// <param name="key">The word under which the event names it.</param>
    /// <param name="id">The touch or task.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<EventRow?> FindAsync(GerminalDb db, Guid person, string kind, string key, Guid id, CancellationToken stop)
    {
        var said = id.ToString();
        var last = await db.Events.AsNoTracking().Where(e => e.PersonId == person && e.Kind == kind).OrderByDescending(e => e.Id).Take(50).ToListAsync(stop);
        return last.Find(e => e.Data.GetValueOrDefault(key) == said);
    }

    private string Add(Guid person, string kind, string title, LocalDate due) =>
        new TaskDesk(db, by, member, now).Add(kind, title.Length <= Lengths.Title ? title : title[..(Lengths.Title - 1)] + "…", due, person, member, source: Say($"after a call by {by}")).Id.ToString();

    /// <summary>Their open opportunity goes to the stage, the one opened last in its pipeline; where none is open there, they do.</summary>
    private async Task<IEnumerable<(string, string)>> MoveAsync(Guid person, string stage, CancellationToken stop)
    {
        var pipeline = stage[..(stage.IndexOf('/', StringComparison.Ordinal) + 1)];
        var open = await db
            .Opportunities.Where(o => o.PersonId == person && o.Status == "open" && o.Stage.StartsWith(pipeline))
            .OrderByDescending(o => o.OpenedAt)
            .FirstOrDefaultAsync(stop);
        if (open is not null)
        {
            var stood = open.Stage;
            await Dealings.MoveOpportunityAsync(open, stage, stop);
            return stood == stage ? [] : [(Opportunity, open.Id.ToString()), (StoodIn, stood), (MovedTo, stage)];
        }

        var before = await db.People.Where(p => p.Id == person).Select(p => p.Stage).SingleAsync(stop);
        return await desk.MoveStageAsync([person], stage, stop) == 0 ? [] : [(StoodIn, before ?? ""), (MovedTo, stage)];
    }
}
