using NodaTime;

namespace Germinal.Core.Time;

/// <summary>
/// A moment as a step's <c>when</c> gives it: a local date with a time of day, or a moment that is kept exactly (rules 1.4, 1.5).
/// </summary>
/// <param name="Moment">The instant.</param>
/// <param name="Exact">True when the time of day is the moment's own, so that it rolls only forward and to the window's start.</param>
public readonly record struct Placed(Instant Moment, bool Exact);

/// <summary>Section 2 of the rules: window and quiet hours applied to a placed moment.</summary>
/// <param name="Window">The program's window; null is always open.</param>
/// <param name="Quiet">Quiet-hour bounds for texts and calls; null for everything else.</param>
/// <param name="Calendar">The practice's holidays.</param>
/// <param name="Clock">The zone the program reads.</param>
/// <param name="PersonZone">The person's zone, for quiet hours.</param>
public readonly record struct Openings(Window? Window, QuietHours? Quiet, WorkCalendar Calendar, DateTimeZone Clock, DateTimeZone PersonZone)
{
    private const int DaysLooked = 366;

    /// <summary>
    /// The moment the rules of section 2 make of a placed one, not before the moment of planning.
    /// </summary>
    /// <param name="placed">The moment as the step places it.</param>
    /// <param name="planning">The moment of planning: a roll that would end before it goes forward instead (rule 2.2).</param>
    /// <returns>The first due moment, or null when no opening comes within 366 days (<c>window-never-opens</c>).</returns>
    public Instant? Apply(Placed placed, Instant planning)
    {
        // Rule 1.5: what lies before the moment of planning becomes that moment and is then kept exactly.
        if (placed.Moment < planning)
        {
            placed = new Placed(planning, true);
        }

        var first = Rolled(placed, planning);
        return first is { } moment ? UntilBothHold(moment, placed.Exact) : null;
    }

    /// <summary>True when window and quiet hours are both open at a moment (check 8 of section 8).</summary>
    public bool IsOpen(Instant moment)
    {
        if (Window is null && Quiet is null)
        {
            return true;
        }

        var local = moment.InZone(Clock).LocalDateTime;
        return (Window is null || Window.IsOpen(local, Calendar))
            && (Quiet is null || Quiet.Allows(ReferenceEquals(Clock, PersonZone) ? local.TimeOfDay : moment.InZone(PersonZone).TimeOfDay));
    }

    private Instant? Rolled(Placed placed, Instant planning)
    {
        if (Window is not { } window || window.Roll == Roll.Keep)
        {
            return placed.Moment;
        }

        var local = placed.Moment.InZone(Clock).LocalDateTime;
        if (window.Permits(local.Date, Calendar))
        {
            return InHours(local, placed.Moment);
        }

        var next = window.Next(local.Date, Calendar);
        var before = placed.Exact || window.Roll == Roll.Forward ? null : window.Before(local.Date, Calendar);
        if (
            before is { } back
            && (window.Roll == Roll.Back || next is null || Period.DaysBetween(back, local.Date) < Period.DaysBetween(local.Date, next.Value))
        )
        {
            var early = InHours(back + local.TimeOfDay, null);
            if (early >= planning)
            {
                return early;
            }
        }

        // An exact moment has no time of day to keep on another date: it takes the window's start.
        return next is { } date ? InHours(date + (placed.Exact ? window.From : local.TimeOfDay), null) : null;
    }

    /// <summary>Rule 2.3 on a permitted date. <paramref name="known"/> keeps the instant of a local time that exists twice.</summary>
    private Instant? InHours(LocalDateTime local, Instant? known)
    {
        var window = Window!;
        if (local.TimeOfDay < window.From)
        {
            return LocalClock.At(local.Date + window.From, Clock);
        }

        if (local.TimeOfDay >= window.To)
        {
            return window.Next(local.Date.PlusDays(1), Calendar) is { } next ? LocalClock.At(next + window.From, Clock) : null;
        }

        return known ?? LocalClock.At(local, Clock);
    }

    /// <summary>Rule 2.4: quiet hours, then the window again rolling forward, until both hold.</summary>
    private Instant? UntilBothHold(Instant moment, bool exact)
    {
        if (Quiet is not { } quiet)
        {
            return moment;
        }

        var limit = moment + Duration.FromDays(DaysLooked);
        while (true)
        {
            var awake = quiet.NextOpening(moment, PersonZone);
            if (Forward(awake, exact) is not { } open || open > limit)
            {
                return null;
            }

            if (open == awake)
            {
                return open;
            }

            moment = open;
        }
    }

    private Instant? Forward(Instant moment, bool exact)
    {
        if (Window is not { } window || window.Roll == Roll.Keep)
        {
            return moment;
        }

        var local = moment.InZone(Clock).LocalDateTime;
        if (window.Permits(local.Date, Calendar))
        {
            return InHours(local, moment);
        }

        return window.Next(local.Date, Calendar) is { } date ? InHours(date + (exact ? window.From : local.TimeOfDay), null) : null;
    }
}
