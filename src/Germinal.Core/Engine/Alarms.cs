using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// The moments at which something starts or stops for a person without anybody doing anything: occasions, appointments,
/// time in a stage, unanswered inquiries, stop dates, the ends of pauses, tasks that are missed, and the turn of the day for those
/// that wait for their start.
/// </summary>
public static class Alarms
{
    /// <summary>How late a start still happens where its trigger names no grace of its own (rule 4.3).</summary>
    private static readonly Duration Grace = Duration.FromDays(2);

    /// <summary>
    /// The first events of this kind later than one moment and not later than another: all of one moment, programs by priority
    /// and name. Empty when there is none.
    /// </summary>
    public static IReadOnlyList<Happening> Next(TouchEngine engine, PersonFacts person, PersonState state, Instant after, Instant until) =>
        Next(
            engine,
            engine.Shelf.On,
            person,
            state,
            state.Runs.Select(r => engine.Shelf.Find(r.ProgramId, r.Version)),
            state.Runs.Where(r => r.PausedUntil is not null).Select(r => (r.ProgramId, r.PausedUntil!.Value)),
            state.OpenTasks,
            after,
            until
        );

    /// <summary>The same with what runs for the person and stands on the sheet at hand; the state's own runs and tasks are not looked at.</summary>
    internal static IReadOnlyList<Happening> Next(
        TouchEngine engine,
        IReadOnlyList<ProgramOn> starting,
        PersonFacts person,
        PersonState state,
        IEnumerable<ProgramVersion> running,
        IEnumerable<(Guid ProgramId, Instant End)> pauses,
        IEnumerable<OpenTask> tasks,
        Instant after,
        Instant until
    )
    {
        var practice = engine.Practice;
        List<Happening>? first = null;
        void Offer(Happening happening)
        {
            if (happening.At <= after || happening.At > until || (first is not null && happening.At > first[0].At))
            {
                return;
            }

            if (first is null || happening.At < first[0].At)
            {
                first = [];
            }

            first.Add(happening);
        }

        if (person is { DoNotContact: true, DoNotContactUntil: { } date })
        {
            Offer(new MayBeContacted(LocalClock.At(date.AtMidnight(), practice.Zone)));
        }

        foreach (var (programId, end) in pauses)
        {
            Offer(new ProgramResumed(end, programId));
        }

        foreach (var task in tasks)
        {
            if (task.MissedAt is { } missed)
            {
                Offer(new TaskMissed(missed, task.TouchId));
            }
        }

        if (!state.Waiting.IsEmpty || engine.Watch.Daily)
        {
            Offer(new NewDay(LocalClock.At(after.InZone(practice.Zone).Date.PlusDays(1).AtMidnight(), practice.Zone)));
        }

        foreach (var program in running)
        {
            var definition = program.Definition;
            foreach (var stop in definition.StopsWhen)
            {
                if (stop is StopOnDate last)
                {
                    Offer(new StopDateCame(LocalClock.At(last.Date.AtMidnight(), practice.ClockOf(definition, person)), program.ProgramId));
                }
            }
        }

        foreach (var on in starting)
        {
            var program = on.Current;

            // What came before a program was switched on was not missed; it was not wanted.
            void OfferStart(Happening start)
            {
                if (start.At >= on.Since)
                {
                    Offer(start);
                }
            }

            foreach (var trigger in program.Definition.StartsWhen)
            {
                switch (trigger)
                {
                    case OccasionTrigger occasion:
                        if (Occasions.Next(program, occasion, practice, person, on.Since > after ? on.Since - Duration.Epsilon : after, until) is { } start)
                        {
                            OfferStart(new OccasionCame(start.At, start.ProgramId, start.Occasion.Name, start.Occasion.Date));
                        }

                        break;
                    case StageAge age when person.StageSince is { } since && string.Equals(person.Stage, age.Stage, StringComparison.OrdinalIgnoreCase):
                        OfferStart(new StoodInStage(age.After.AddTo(since, practice.Zone), program.ProgramId, age.Stage));
                        break;
                    case InquiryUnanswered unanswered:
                        foreach (var inquiry in state.Inquiries)
                        {
                            if (SpanEnd(unanswered, inquiry, practice) is { } end)
                            {
                                OfferStart(new InquiryStoodUnanswered(end, program.ProgramId));
                            }
                        }

                        break;
                    case AppointmentTrigger appointment:
                        foreach (var made in state.Appointments)
                        {
                            if (StartOf(appointment, program.Definition, made, practice, person) is { } at)
                            {
                                OfferStart(new AppointmentCame(at, program.ProgramId, made.Key));
                            }
                        }

                        break;
                }
            }
        }

        return (IReadOnlyList<Happening>?)first ?? [];
    }

    /// <summary>When an appointment starts a program; null when its type is not the trigger's.</summary>
    public static Instant? StartOf(AppointmentTrigger trigger, ProgramDefinition program, Appointment appointment, Practice practice, PersonFacts person)
    {
        if (trigger.Type is { } type && !string.Equals(type, appointment.Type, StringComparison.OrdinalIgnoreCase))
        {
            return null;
        }

        var clock = practice.ClockOf(program, person);
        return StepPlacement.FromMoment(trigger.Offset, null, appointment.Moment, program.TimeFor(null), clock).Placed!.Value.Moment;
    }

    /// <summary>A start that has passed still makes sense while the appointment is ahead, and within the grace after that.</summary>
    internal static bool IsStillOfUse(Appointment appointment, Instant start, Instant now) => now < appointment.Moment || now - start <= Grace;

    /// <summary>
    /// When an inquiry has stood unanswered for a span: the nth working day after its date on the practice's clock at the same
    /// local time (rule 5.1), so many calendar days, or elapsed hours. Null when 366 days hold too few working days.
    /// </summary>
    internal static Instant? SpanEnd(InquiryUnanswered trigger, Instant inquiry, Practice practice)
    {
        if (!trigger.WorkingDays || trigger.After.HasTimePart)
        {
            return trigger.After.AddTo(inquiry, practice.Zone);
        }

        var local = inquiry.InZone(practice.Zone).LocalDateTime;
        return practice.Calendar.WorkingDayAfter(local.Date, trigger.After.WholeDays) is { } day ? LocalClock.At(day + local.TimeOfDay, practice.Zone) : null;
    }
}
