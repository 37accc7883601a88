using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// In a rehearsal a touch that a pace rule holds back by what was sent already is not judged again on each date between:
/// until enough of that has grown old, nothing but an event can change the answer, and each event wakes it. It still stands
/// in the way of others on those dates as rule 9.2 has it. The live engine does without: there every date's decision is told.
/// </summary>
internal static class Sleeping
{
    /// <summary>No clock springs forward later in the night, so that a time of day from here on exists on every date.</summary>
    private static readonly LocalTime EveryNightIsOver = new(4, 0);

    /// <summary>When a touch that is held back is to be judged next; null where it has to be judged date by date.</summary>
    /// <param name="touch">The touch, judged up to the pace check.</param>
    /// <param name="openings">When it may go.</param>
    public static Instant? Until(Judging touch, Openings openings)
    {
        if (touch.HeldBack is not { FreeOn: { } free } || !CanSleep(touch, openings))
        {
            return null;
        }

        var zone = openings.PersonZone;
        return free > touch.Now.InZone(zone).Date.PlusDays(1) ? On(free, touch.Run.FirstDue.InZone(zone).TimeOfDay, openings) : null;
    }

    /// <summary>When a sleeping touch would be judged next, were it judged date by date.</summary>
    /// <param name="run">The sleeping run.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="person">The person.</param>
    /// <param name="now">This moment, itself counted.</param>
    public static Instant NextOf(Going run, Practice practice, PersonFacts person, Instant now)
    {
        var openings = Planning.OpeningsOf(practice, person, run.Definition, run.Step);
        var time = run.FirstDue.InZone(openings.PersonZone).TimeOfDay;
        var today = now.InZone(openings.PersonZone).Date;
        var next = On(today, time, openings);
        if (next < now)
        {
            next = On(today.PlusDays(1), time, openings);
        }

        // It fell asleep because there is such a date.
        return next < run.Due ? next.Value : run.Due;
    }

    /// <summary>
    /// Nothing about it may change with time alone, and on every permitted date it has the same time of day, inside every hour
    /// that is kept.
    /// </summary>
    private static bool CanSleep(Judging touch, Openings openings)
    {
        if (touch.Step.OnlyIf is not null || touch.Step.OnePerHousehold || touch.LateLimit is not null || touch.Consent.Decided is not (null or { Basis: ConsentBasis.Express }))
        {
            return false;
        }

        var time = touch.Run.FirstDue.InZone(openings.PersonZone).TimeOfDay;
        return time >= EveryNightIsOver
            && openings.Clock.Equals(openings.PersonZone)
            && (openings.Window is null or { Roll: Roll.Keep } || (time >= openings.Window.From && time < openings.Window.To))
            && (openings.Quiet is null || openings.Quiet.Allows(time));
    }

    /// <summary>The first permitted date on or after one, at a time of day.</summary>
    private static Instant? On(LocalDate date, LocalTime time, Openings openings)
    {
        var day = openings.Window is { Roll: not Roll.Keep } window ? window.Next(date, openings.Calendar) : date;
        return day is { } permitted ? LocalClock.At(permitted + time, openings.PersonZone) : null;
    }
}
