using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;

namespace Germinal.Core.Engine;

/// <summary>Rule 4.4: an appointment keys its runs; moving it plans anew, cancelling it stops.</summary>
internal sealed partial class PersonTurn
{
    private void MakeAppointment(AppointmentMade made)
    {
        made = made with { Key = KnownKey(made.Key, made.Type) ?? made.Key };
        var appointment = new Appointment(made.Key, made.Type, made.Moment);
        Meets(state.Appointments.FirstOrDefault(a => a.Key == made.Key), appointment);
        state = state with { Appointments = state.Appointments.RemoveAll(a => a.Key == made.Key).Add(appointment) };
        foreach (var run in runs.FindAll(r => r.Occasion is { Moment: not null } o && o.Name == made.Key))
        {
            run.Occasion = new OccasionRef(made.Key, made.Moment.InZone(Practice.Zone).Date, made.Moment);
            PlanAnew(run);
        }

        // Whose start has passed when the appointment is made: at once, as long as it makes sense (decisions, 4.4).
        foreach (var program in engine.Shelf.On)
        {
            foreach (var trigger in program.Current.Definition.StartsWhen.OfType<AppointmentTrigger>())
            {
                if (
                    Alarms.StartOf(trigger, program.Current.Definition, appointment, Practice, person) is { } start
                    && start <= now
                    && Alarms.IsStillOfUse(appointment, start, now)
                )
                {
                    Start(
                        program.Current,
                        new StartCause(CauseKind.Appointment, made.Key),
                        new OccasionRef(made.Key, made.Moment.InZone(Practice.Zone).Date, made.Moment),
                        loops: false
                    );
                }
            }
        }
    }

    /// <summary>Of one type there may be several, past and coming; a rule asks for the last that has begun.</summary>
    private void Meets(Appointment? before, Appointment? after)
    {
        if (!engine.AsksDeeds)
        {
            return;
        }

        var others = person.Deeds.Where(d => before is null || d.Kind != DeedKind.Met || d.At != before.Moment || !Same(d.Name, before.Type ?? ""));
        person = person with { Deeds = after is null ? [.. others] : [.. others, new Deed(DeedKind.Met, after.Type ?? "", after.Moment)] };
    }

    /// <summary>Plans the touch that has not settled anew; what has settled never changes.</summary>
    private void PlanAnew(Going run)
    {
        if (run.Phase == TouchPhase.Planned && run.Waiting != Answer && run.Step.When is FromOccasion)
        {
            PlanAt(run, run.StepIndex, run.PreviousAt);
        }
    }

    /// <summary>
    /// The appointment a reaction means that does not know its key: the newest of its type, or of any where no type is named.
    /// </summary>
    private string? KnownKey(string key, string? type) =>
        key.Length > 0 ? key : state.Appointments.LastOrDefault(a => type is null || Same(type, a.Type ?? ""))?.Key;

    private void CancelAppointment(AppointmentCancelled cancelled)
    {
        if (KnownKey(cancelled.Key, cancelled.Type) is not { } key)
        {
            return;
        }

        Meets(state.Appointments.FirstOrDefault(a => a.Key == key), null);
        state = state with { Appointments = state.Appointments.RemoveAll(a => a.Key == key) };
        foreach (var run in runs.FindAll(r => r.Occasion is { Moment: not null } o && o.Name == key))
        {
            StopRun(run, Reason.AppointmentCancelled.Word());
        }
    }
}
