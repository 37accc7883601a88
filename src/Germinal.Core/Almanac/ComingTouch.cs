using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Almanac;

/// <summary>How a coming touch stands as things are now. Closed.</summary>
public enum Standing
{
    /// <summary>It goes, or is put on the day sheet.</summary>
    Goes,

    /// <summary>A member has stopped it for now; it stands on the day it is due.</summary>
    Held,

    /// <summary>It would not go, for a reason that is known already.</summary>
    WillNot,
}

/// <summary>A touch of the days ahead: an email, text, call, note or task, as a rehearsal of everything that is on foresees it (rule 12.1).</summary>
/// <param name="PersonId">Whom it is about.</param>
/// <param name="TouchId">Its id, the same that the live run will give it.</param>
/// <param name="Program">The program's version.</param>
/// <param name="Step">The step.</param>
/// <param name="At">When it goes or comes onto the day sheet; for one that will not, when that is decided.</param>
/// <param name="Date">The date of <paramref name="At"/> on the practice's clock.</param>
/// <param name="Standing">How it stands.</param>
/// <param name="Why">Why it will not go, in words; null for one that does.</param>
/// <param name="IsMoved">Whether a member has moved it to another date.</param>
/// <param name="BeganAt">When its run begins, where that is still to come and this is the first touch of it; else null.</param>
public sealed record ComingTouch(
    Guid PersonId,
    Guid TouchId,
    ProgramVersion Program,
    Step Step,
    Instant At,
    LocalDate Date,
    Standing Standing,
    string? Why,
    bool IsMoved,
    Instant? BeganAt
)
{
    /// <summary>What comes for one person, out of their rehearsal.</summary>
    /// <param name="practice">The practice, for its clock.</param>
    /// <param name="actor">The person, as they were rehearsed.</param>
    /// <param name="touches">What the rehearsal found, settled or not.</param>
    /// <param name="until">The horizon, itself excluded: what is due later is left out.</param>
    /// <returns>In order of time. What does not apply to the person (<c>not-for</c>), or ended with its run, is left out: nobody planned it.</returns>
    public static IReadOnlyList<ComingTouch> Of(Practice practice, Actor actor, IReadOnlyList<RehearsedTouch> touches, Instant until)
    {
        var begun = actor.State.Runs.Select(r => r.Id).ToHashSet();
        var coming = new List<ComingTouch>();
        foreach (var touch in touches.Where(t => t.Step is EmailStep or TextStep or TaskStep && t.At < until).OrderBy(t => t.At))
        {
            if (StandingOf(touch, actor.State) is { } standing)
            {
                coming.Add(
                    new ComingTouch(
                        actor.Person.Id,
                        touch.TouchId,
                        touch.Program,
                        touch.Step,
                        touch.At,
                        touch.At.InZone(practice.Zone).Date,
                        standing,
                        standing == Standing.WillNot ? touch.WillNot ?? Engine.Why.Reason(touch.Reason) : null,
                        actor.State.Moves.ContainsKey(touch.TouchId),
                        begun.Add(touch.RunId) ? touch.BeganAt : null
                    )
                );
            }
        }

        return coming;
    }

    private static Standing? StandingOf(RehearsedTouch touch, PersonState state) =>
        touch.Outcome switch
        {
            Outcome.Sent or Outcome.Open or Outcome.Done => Standing.Goes,
            null when touch.IsPaused || touch.StandsStill => Standing.WillNot,
            null when state.Marks.GetValueOrDefault(touch.TouchId, TouchMark.Dropped) == TouchMark.Held => Standing.Held,
            null => Standing.Goes,
            Outcome.Cancelled => null,
            _ when touch.Reason == Reason.NotFor.Word() => null,
            _ => Standing.WillNot,
        };
}
