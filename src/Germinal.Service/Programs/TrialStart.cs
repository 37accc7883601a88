using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>How a program that is tried on somebody begins for them: by their next occasion or appointment, else by hand now.</summary>
/// <param name="First">What starts it.</param>
/// <param name="State">The person's state, with the appointment in it where one starts it; nothing else of what the engine remembers.</param>
/// <param name="From">The moment it starts.</param>
/// <param name="Assumed">What was assumed because they have none: an appointment; or null.</param>
public sealed record TrialStart(Happening First, PersonState State, Instant From, string? Assumed)
{
    private static readonly Duration NextOccasionWithin = Duration.FromDays(400);

    /// <summary>How it begins.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="practice">The practice, as it is for the program.</param>
    /// <param name="version">The program.</param>
    /// <param name="facts">Whom it is tried on.</param>
    /// <param name="now">The practice's moment.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<TrialStart> OfAsync(GerminalDb db, Practice practice, ProgramVersion version, PersonFacts facts, Instant now, CancellationToken stop)
    {
        var (id, program) = (version.ProgramId, version.Definition);
        if (Occasions.Between(version, practice, facts, now, now + NextOccasionWithin).MinBy(o => o.At) is { } occasion)
        {
            return new TrialStart(new OccasionCame(occasion.At, id, occasion.Occasion.Name, occasion.Occasion.Date), PersonState.Empty, occasion.At, null);
        }

        if (program.StartsWhen.OfType<AppointmentTrigger>().FirstOrDefault() is not { } meeting)
        {
            return new TrialStart(new StartedByHand(now, id, ""), PersonState.Empty, now, null);
        }

        // By hand nothing that counts from the appointment would come. Theirs is taken, or one in three weeks assumed.
        var theirs = await db
            .Appointments.AsNoTracking()
            .Where(a => a.PersonId == facts.Id && a.CancelledAt == null && a.At > now && (meeting.Type == null || a.Type == meeting.Type))
            .OrderBy(a => a.At)
            .FirstOrDefaultAsync(stop);
        var at = theirs?.At ?? LocalClock.At(now.InZone(practice.Zone).Date.PlusDays(21) + new LocalTime(10, 0), practice.Zone);
        var made = new Appointment("preview", theirs?.Type ?? meeting.Type, at);
        var from = Alarms.StartOf(meeting, program, made, practice, facts) is { } start ? Instant.Max(start, now) : now;
        return new TrialStart(
            new AppointmentCame(from, id, made.Key),
            PersonState.Empty with { Appointments = [made] },
            from,
            theirs is null ? Said("an appointment in three weeks") : null
        );
    }
}
