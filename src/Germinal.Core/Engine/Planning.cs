using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>When a step falls due, as planning it finds.</summary>
/// <param name="FirstDue">The first due moment, after section 2; where the window never opens the moment it was wanted.</param>
/// <param name="Skipped">Why the step is skipped at once (rule 3.2), or null.</param>
/// <param name="Opens">False when the window never opens (rule 2.4).</param>
/// <param name="Moved">True when section 2 moved the moment.</param>
/// <param name="Since">The moment it counts from, where it counts from one.</param>
/// <param name="SinceDate">The date it counts from, where it counts from one.</param>
internal readonly record struct Plan(Instant FirstDue, Reason? Skipped, bool Opens, bool Moved, Instant? Since, LocalDate? SinceDate);

/// <summary>Rules 3.2 and 3.3 with section 2: when a step falls due, and until when it is kept.</summary>
internal static class Planning
{
    /// <summary>How long a blocked touch waits to be mended (section 8).</summary>
    private static readonly Distance GivenUpAfter = Distance.Parse("P7D");

    /// <summary>Plans a step of a run.</summary>
    /// <param name="practice">The practice, for its hours, calendar and clock.</param>
    /// <param name="person">The person, for key dates and zone.</param>
    /// <param name="run">The run.</param>
    /// <param name="step">The step, of the run's program.</param>
    /// <param name="previousAt">When the step before settled; the start for the first.</param>
    /// <param name="now">The moment of planning.</param>
    public static Plan Of(Practice practice, PersonFacts person, Going run, Step step, Instant previousAt, Instant now)
    {
        var place = StepPlacement.Place(
            run.Definition,
            step.When,
            run.StartedAt,
            previousAt,
            run.Occasion,
            person,
            practice.LeapDay,
            practice.ClockOf(run.Definition, person),
            now
        );
        if (place.Placed is not { } placed)
        {
            return new Plan(now, place.Skipped, true, false, null, null);
        }

        var wanted = Instant.Max(placed.Moment, now);
        var due = OpeningsOf(practice, person, run.Definition, step).Apply(placed, now);
        return new Plan(due ?? wanted, null, due is not null, due is { } moment && moment != wanted, place.Since, place.SinceDate);
    }

    /// <summary>
    /// Section 2.0: the window applies to what reaches the person and to tasks; forks, splits, changes, hand-overs and
    /// messages to the owner happen at their exact moment. Quiet hours are those of whoever reads it (rule 3.6).
    /// </summary>
    public static Openings OpeningsOf(Practice practice, Addressed to, ProgramDefinition program, Step step)
    {
        var quiet = step.Channel is Channel.Text or Channel.Call ? practice.QuietHours : null;
        var window = DueChecks.NeedsOf(step).HasFlag(Needs.Hour) ? program.Window : null;
        return new Openings(window, quiet, practice.Calendar, practice.ClockOf(program, to.Person), practice.ZoneOf(to.Reader));
    }

    /// <summary>Section 8: a blocked touch is given up after a week, or its late limit if that is shorter.</summary>
    public static Instant GivenUpAt(Judging touch)
    {
        var clock = touch.Practice.ClockOf(touch.Program, touch.Person);
        var givenUp = GivenUpAfter.AddTo(touch.Now, clock);
        if (touch.LateLimit is { } limit)
        {
            givenUp = Instant.Min(givenUp, Instant.Max(touch.Now, limit.AddTo(touch.Run.FirstDue, clock)));
        }

        // A moment of grace keeps “given up” strictly after “blocked”, so that it can be seen and mended.
        return Instant.Max(givenUp, touch.Now + PersonState.Later);
    }
}
