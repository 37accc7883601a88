using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Carries out the engine's effects on the database, for a batch of people in one transaction: new rows, changed
/// touches, and the columns of people that lists sort by. Sending is the dispatcher's.
/// </summary>
public sealed class Recorder(GerminalDb db, ProgramShelf shelf)
{
    private readonly List<(Guid Person, Effect Effect)> effects = [];
    private readonly Dictionary<Guid, (Instant Next, Instant Last)> moments = [];

    /// <summary>Takes in one answer of the engine for a person whose state row is locked and tracked.</summary>
    public void Take(PersonStateRow row, Advance advance)
    {
        row.State = PersonStateJson.Write(advance.State);
        row.NextDue = advance.State.NextDue(shelf) ?? Instant.MaxValue;
        effects.AddRange(advance.Effects.Select(e => (row.PersonId, e)));
        var next = advance.State.Runs.Where(r => r.Touch.Phase is TouchPhase.Planned or TouchPhase.Handing)
            .Select(r => r.Touch.Due).DefaultIfEmpty(Instant.MaxValue).Min();
        var reached = advance.Effects.OfType<TouchSettled>().Where(s => s.Outcome == Outcome.Sent).Select(s => s.At)
            .Concat(advance.Effects.OfType<TaskClosed>().Where(t => t.Outcome == Outcome.Done).Select(t => t.At))
            .DefaultIfEmpty(Instant.MinValue).Max();
        var last = moments.TryGetValue(row.PersonId, out var known) ? Instant.Max(known.Last, reached) : reached;
        moments[row.PersonId] = (next, last);
    }

    /// <summary>Writes everything taken in. The caller commits.</summary>
    /// <param name="leaseUntil">Machine time until which this worker holds the touches it hands over.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The touches that are now to be handed to their channel.</returns>
    public async Task<IReadOnlyList<TouchRow>> WriteAsync(Instant leaseUntil, CancellationToken stop)
    {
        var planned = effects.Select(e => e.Effect).OfType<TouchPlanned>().Select(p => p.TouchId).ToHashSet();
        var changed = effects.Select(e => TouchOf(e.Effect)).OfType<Guid>().Where(id => !planned.Contains(id)).Distinct().ToList();
        var touches = changed.Count == 0 ? [] : await db.Touches.Where(t => changed.Contains(t.Id)).ToDictionaryAsync(t => t.Id, stop);
        var runs = effects.Select(e => e.Effect).OfType<RunEnded>().Select(e => e.RunId)
            .Concat(effects.Select(e => e.Effect).OfType<TouchPlanned>().Select(p => p.RunId)).Distinct().ToList();
        var knownRuns = runs.Count == 0 ? [] : await db.Runs.Where(r => runs.Contains(r.Id)).ToDictionaryAsync(r => r.Id, stop);
        var handed = new List<TouchRow>();
        foreach (var (person, effect) in effects)
        {
            switch (effect)
            {
                case RunStarted e:
                    var run = new RunRow { Id = e.RunId, PracticeId = db.PracticeId!.Value, PersonId = person, ProgramId = e.ProgramId, Version = e.Version, Number = e.Number, StartedAt = e.At, Cause = e.Cause };
                    knownRuns[e.RunId] = db.Runs.Add(run).Entity;
                    break;
                case StartRefused e:
                    db.Refusals.Add(new RefusalRow { PracticeId = db.PracticeId!.Value, PersonId = person, ProgramId = e.ProgramId, At = e.At, Reason = e.Reason, Cause = e.Cause });
                    break;
                case RunEnded e:
                    knownRuns[e.RunId].EndedAt = e.At;
                    knownRuns[e.RunId].StopReason = e.StopReason;
                    break;
                case TouchPlanned e:
                    touches[e.TouchId] = db.Touches.Add(Planned(person, knownRuns[e.RunId], e)).Entity;
                    break;
                case TouchHanded e:
                    var touch = touches[e.TouchId];
                    touch.Status = "handing";
                    touch.Due = e.At;
                    touch.Checks = [.. e.Checks];
                    touch.AttemptId = Guid.NewGuid();
                    touch.LeasedUntil = leaseUntil;
                    handed.Add(touch);
                    break;
                default:
                    if (TouchOf(effect) is { } id && touches.TryGetValue(id, out var row))
                    {
                        Change(row, effect);
                    }

                    break;
            }
        }

        await db.SaveChangesAsync(stop);
        await WriteMomentsAsync(stop);
        return handed;
    }

    private TouchRow Planned(Guid person, RunRow run, TouchPlanned e) => new()
    {
        Id = e.TouchId,
        PracticeId = db.PracticeId!.Value,
        PersonId = person,
        RunId = e.RunId,
        ProgramId = run.ProgramId,
        Version = run.Version,
        StepId = e.StepId,
        Kind = shelf.Find(run.ProgramId, run.Version).Definition.Steps.First(s => s.Id == e.StepId).Kind,
        Status = "planned",
        FirstDue = e.FirstDue,
        Due = e.Due,
        Plan = e.Plan,
    };

    private static void Change(TouchRow touch, Effect effect)
    {
        switch (effect)
        {
            case TouchWaits e:
                touch.Due = e.Due;
                touch.Reason = e.Reason;
                touch.Checks = [.. e.Checks];
                break;
            case TouchBlocked e:
                touch.Status = "blocked";
                touch.Reason = e.Reason;
                touch.Due = e.GivenUpAt;
                touch.Checks = [.. e.Checks];
                break;
            case TouchUnblocked e:
                touch.Status = "planned";
                touch.Reason = null;
                touch.Due = e.Due;
                break;
            case TouchHoldChanged e:
                touch.Held = e.Held;
                break;
            case TouchSettled e:
                touch.Status = Words.Of(e.Outcome);
                touch.Reason = e.Reason;
                touch.SettledAt = e.At;
                touch.LeasedUntil = null;
                if (e.Checks.Count > 0)
                {
                    touch.Checks = [.. e.Checks];
                }

                break;
            case TaskClosed e:
                touch.Status = Words.Of(e.Outcome);
                touch.ClosedAt = e.At;
                touch.CallOutcome = e.Outcome == Outcome.Done ? e.Reason : null;
                touch.Reason = e.Outcome == Outcome.Done ? null : e.Reason;
                break;
        }
    }

    private static Guid? TouchOf(Effect effect) => effect switch
    {
        TouchWaits e => e.TouchId,
        TouchBlocked e => e.TouchId,
        TouchUnblocked e => e.TouchId,
        TouchHoldChanged e => e.TouchId,
        TouchHanded e => e.TouchId,
        TouchSettled e => e.TouchId,
        TaskClosed e => e.TouchId,
        _ => null,
    };

    private async Task WriteMomentsAsync(CancellationToken stop)
    {
        var ids = moments.Keys.ToArray();
        var next = moments.Values.Select(m => m.Next).ToArray();
        var last = moments.Values.Select(m => m.Last).ToArray();
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE people p SET next_touch_at = v.next, last_touch_at = greatest(p.last_touch_at, v.last)
            FROM unnest({ids}, {next}, {last}) AS v(id, next, last)
            WHERE p.id = v.id AND (p.next_touch_at <> v.next OR p.last_touch_at < v.last)
            """,
            stop);
    }
}
