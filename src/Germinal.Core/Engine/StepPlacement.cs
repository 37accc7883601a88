using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Where a step falls before the window is applied: a moment, or the reason it is skipped (rule 3.2).</summary>
/// <param name="Placed">The moment, or null.</param>
/// <param name="Skipped">Why it is skipped, or null.</param>
/// <param name="Since">The moment it counts from, where it counts from one.</param>
/// <param name="SinceDate">The date it counts from, where it counts from one.</param>
public readonly record struct StepPlace(Placed? Placed, Reason? Skipped, Instant? Since, LocalDate? SinceDate)
{
    internal static StepPlace Skip(Reason reason) => new(null, reason, null, null);
}

/// <summary>Rule 3.2: a step's <c>when</c> to a moment.</summary>
public static class StepPlacement
{
    /// <summary>Places a step.</summary>
    /// <param name="program">The program, for its time of day.</param>
    /// <param name="when">The step's place.</param>
    /// <param name="startedAt">When the run started.</param>
    /// <param name="previousAt">When the step before settled; the start for the first step.</param>
    /// <param name="occasion">The run's occasion, or null.</param>
    /// <param name="person">For key dates.</param>
    /// <param name="leapDay">How 29 February is kept.</param>
    /// <param name="clock">The zone the program reads.</param>
    /// <param name="planning">The moment of planning.</param>
    public static StepPlace Place(
        ProgramDefinition program,
        When when,
        Instant startedAt,
        Instant previousAt,
        OccasionRef? occasion,
        PersonFacts person,
        LeapDay leapDay,
        DateTimeZone clock,
        Instant planning
    )
    {
        var time = program.TimeFor(when.At);
        switch (when)
        {
            case FromStart f:
                return FromMoment(f.Offset, f.At, startedAt, time, clock);
            case FromPrevious f:
                return FromMoment(f.Offset, f.At, previousAt, time, clock);
            case FromOccasion f:
                if (occasion is null)
                {
                    return StepPlace.Skip(Reason.NoOccasion);
                }

                return occasion.Moment is { } moment ? FromMoment(f.Offset, f.At, moment, time, clock) : FromDate(f.Offset, occasion.Date, time, clock);
            case OnDate d:
                return d.Date < planning.InZone(clock).Date ? StepPlace.Skip(Reason.DatePassed) : FromDate(Distance.Zero, d.Date, time, clock);
            case OnYearly y:
                return NextYearly(y.Date, Distance.Zero, time, leapDay, clock, planning);
            case FromKeyDate k:
                var date = person.KeyDates.FirstOrDefault(d => string.Equals(d.Name, k.Date, StringComparison.OrdinalIgnoreCase));
                if (date is null || (!date.Yearly && date.Date.Year is null))
                {
                    return StepPlace.Skip(Reason.NoKeyDate);
                }

                if (date.Yearly)
                {
                    return NextYearly(date.Date, k.Offset, time, leapDay, clock, planning);
                }

                var single = new LocalDate(date.Date.Year!.Value, date.Date.Month, date.Date.Day);
                return k.Offset.AddDates(single) < planning.InZone(clock).Date ? StepPlace.Skip(Reason.DatePassed) : FromDate(k.Offset, single, time, clock);
            default:
                throw new ArgumentOutOfRangeException(nameof(when));
        }
    }

    /// <summary>From a moment: a date part lands on a time of day, a time part or <c>P0D</c> keeps the moment (rule 1.4).</summary>
    internal static StepPlace FromMoment(Distance offset, LocalTime? own, Instant from, LocalTime time, DateTimeZone clock)
    {
        if (offset.HasTimePart || (offset.IsZero && own is null))
        {
            return new StepPlace(new Placed(offset.AddTo(from, clock), true), null, from, null);
        }

        var date = offset.AddDates(from.InZone(clock).Date);
        return new StepPlace(new Placed(LocalClock.At(date + time, clock), false), null, from, null);
    }

    /// <summary>From a date, which has no moment of its own: <c>P0D</c> is that date at the time of day.</summary>
    private static StepPlace FromDate(Distance offset, LocalDate from, LocalTime time, DateTimeZone clock)
    {
        var moment = LocalClock.At(offset.AddDates(from) + time, clock) + offset.Elapsed;
        return new StepPlace(new Placed(moment, offset.HasTimePart), null, null, from);
    }

    private static StepPlace NextYearly(YearlyDate date, Distance offset, LocalTime time, LeapDay leapDay, DateTimeZone clock, Instant planning)
    {
        // An offset may be longer than a year, either way; two years of margin find the first one that is not past.
        var year = planning.InZone(clock).Year - 2 - Math.Abs(offset.Dates.Years) - (Math.Abs(offset.Dates.Months) / 12);
        while (true)
        {
            var place = FromDate(offset, date.In(year, leapDay), time, clock);
            if (place.Placed!.Value.Moment >= planning)
            {
                return place;
            }

            year++;
        }
    }
}
