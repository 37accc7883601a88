using System.Collections.Immutable;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// One call of the engine for one person: collects effects while the state changes. The rules stand in the files beside
/// this one: starting (5), stopping (6), planning (2, 3) and deciding (8).
/// </summary>
internal sealed partial class PersonTurn(TouchEngine engine, PersonFacts person, PersonState state, Instant now)
{
    private readonly List<Effect> effects = [];
    private PersonState state = state;

    private Practice Practice => engine.Practice;

    public Advance Result() => new(state, effects);

    public void React(Happening happening)
    {
        switch (happening)
        {
            case FactsChanged:
                JudgeBlockedAgain();
                break;
            case LeftForGood left:
                LeaveForGood(left.Reason);
                break;
            case ConsentGiven { In: false }:
                StopWhereNothingIsLeft();
                break;
            case CallEnded ended:
                PutOnSheetEarly(ended.TouchId);
                CloseTask(ended.TouchId, ended.Outcome is null ? Outcome.Cancelled : Outcome.Done, ended.Outcome ?? "dropped");
                break;
            case TouchMarked marked:
                Mark(marked.TouchId, marked.Mark);
                break;
            case RunStoppedByHand byHand:
                if (state.Runs.Find(r => r.Id == byHand.RunId) is { } run)
                {
                    StopRun(run, "by-hand");
                }

                break;
        }

        StopRunsOn(happening);
        StartProgramsOn(happening);
        JudgeBlockedAgain();
    }

    private ProgramDefinition DefinitionOf(RunState run) => engine.Shelf.Find(run.ProgramId, run.Version).Definition;

    private DateTimeZone ClockOf(ProgramDefinition program) => program.OnPracticeClock ? Practice.Zone : Practice.ZoneOf(person);

    private Openings OpeningsFor(ProgramDefinition program, Step step)
    {
        // Section 2.0: the window applies to what reaches the person; a hand-over happens at its exact moment.
        var quiet = step.Channel is Channel.Text or Channel.Call ? Practice.QuietHours : null;
        return new Openings(step.Channel is null ? null : program.Window, quiet, Practice.Calendar, ClockOf(program), Practice.ZoneOf(person));
    }

    private void Replace(RunState run) => state = state with { Runs = state.Runs.Replace(state.Runs.First(r => r.Id == run.Id), run) };

    /// <summary>Whatever happened may have filled a gap: blocked touches are judged again at once.</summary>
    private void JudgeBlockedAgain()
    {
        foreach (var run in state.Runs.Where(r => r.Touch.Phase == TouchPhase.Blocked).ToList())
        {
            if (run.Touch.Due <= now)
            {
                continue;
            }

            var step = DefinitionOf(run).Steps[run.StepIndex];
            if (Fills(step) is not null || OpeningsFor(DefinitionOf(run), step).Apply(new Placed(now, true), now) is null)
            {
                continue;
            }

            Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Planned, Due = now } });
            effects.Add(new TouchUnblocked(run.Touch.Id, now));
        }
    }

    private void Mark(Guid touchId, TouchMark? mark)
    {
        state = state with { Marks = mark is { } m ? state.Marks.SetItem(touchId, m) : state.Marks.Remove(touchId) };
        var run = state.Runs.Find(r => r.Touch.Id == touchId);
        if (run is not null && run.Touch.Phase is TouchPhase.Planned or TouchPhase.Blocked && mark == TouchMark.Dropped)
        {
            SettleAndGoOn(run, Outcome.Cancelled, "dropped", []);
        }
        else
        {
            effects.Add(new TouchHoldChanged(touchId, mark == TouchMark.Held));
        }
    }
}
