using System.Runtime.InteropServices;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 8: the decision when a touch falls due, and what follows from it.</summary>
internal sealed partial class PersonTurn
{
    /// <summary>Judges everything due by now, each time the first in the order of rule 9.3, until nothing is.</summary>
    public void JudgeDue()
    {
        while (NextToJudge() is { } run)
        {
            Judge(run);
        }
    }

    /// <summary>Judges the first of what is due by now; nothing where nothing is.</summary>
    public void JudgeFirst()
    {
        if (NextToJudge() is { } run)
        {
            Judge(run);
        }
    }

    /// <summary>The channel's answer for a touch that was handed over.</summary>
    public void SettleHanded(Guid touchId, string? failure)
    {
        if (Handed(touchId) is not { } run)
        {
            return;
        }

        if (failure is null)
        {
            Sent(run, Trail.None);
        }
        else
        {
            CountAsNotSent(run.Step, now);
            SettleAndGoOn(run, Outcome.Skipped, failure, Trail.None);
        }
    }

    /// <summary>
    /// The channel wants it later: it is as if it had just fallen due, so that everything that has changed since, and the
    /// hour, count. A stop that came while it was out takes effect.
    /// </summary>
    public void TakeBack(Guid touchId, Instant handedAt)
    {
        if (Handed(touchId) is not { } run)
        {
            return;
        }

        CountAsNotSent(run.Step, handedAt);
        var stop = run.StopAfterHanding;
        run.Phase = TouchPhase.Planned;
        run.StopAfterHanding = null;
        if (stop is not null)
        {
            StopRun(run, stop);
        }
    }

    /// <summary>Where the first touch that is due stands in the order of everybody (rule 9.3), or null.</summary>
    public AskOrder? FirstInOrder() =>
        NextToJudge() is { } run ? new AskOrder(now, run.FirstDue, run.Definition.Priority, person.Handle, run.Definition.Name, run.StepIndex) : null;

    private Going? Handed(Guid touchId) => runs.Find(r => r.Phase == TouchPhase.Handing && r.TouchId == touchId);

    /// <summary>
    /// First due moment, priority, program name, step order; two runs of one program by their number. A letter that is on its way
    /// since this very moment holds back the rest: once it has settled, what follows it may rank before them (rule 12.2).
    /// </summary>
    private Going? NextToJudge()
    {
        Going? first = null;
        foreach (var run in CollectionsMarshal.AsSpan(runs))
        {
            if (run.Phase == TouchPhase.Handing && run.Due == now)
            {
                return null;
            }

            if (run.Due <= now && IsJudged(run) && (first is null || Before(run, first)))
            {
                first = run;
            }
        }

        return first;
    }

    private static bool Before(Going a, Going b)
    {
        var by = a.FirstDue.CompareTo(b.FirstDue);
        return by != 0 ? by < 0 : Pacing.Rank(a, b.Due, b, b.Due) < 0;
    }

    private void Judge(Going run)
    {
        if (run.Phase == TouchPhase.Blocked)
        {
            // Its time is up: it stays blocked for the record and the run goes on.
            SettleAndGoOn(run, Outcome.Blocked, run.Waiting, Trail.None);
            return;
        }

        var touch = judging.Begin(Practice, person, run, now);
        if (Passes(touch, CheckKind.CanBeFilled))
        {
            Go(touch);
        }
    }

    /// <summary>Section 8 of a touch whose window never opens (2.4): judged by checks 1 to 6 as it is planned, and blocked if they pass.</summary>
    private void JudgeWithoutWindow(Going run)
    {
        var touch = judging.Begin(Practice, person, run, now);
        if (Passes(touch, CheckKind.Consent))
        {
            Block(touch, Reason.WindowNeverOpens);
        }
    }

    /// <summary>Goes through the checks in their order up to one of them; where one fails, sees to what follows from it.</summary>
    private bool Passes(Judging touch, CheckKind last)
    {
        foreach (var check in engine.ChecksOf(touch.Step))
        {
            if (DueChecks.ComesAfter(check.Kind, last))
            {
                break;
            }

            var finding = check.Look(this, touch);
            if (!touch.Note(check.Kind, finding.How == Failing.Not))
            {
                Fail(touch, check.Kind, finding);
                return false;
            }
        }

        return true;
    }

    private void Fail(Judging touch, CheckKind failed, Finding finding)
    {
        var run = touch.Run;
        switch (finding.How)
        {
            case Failing.Stops:
                Settled(run, Outcome.Cancelled, finding.Reason.Word(), TrailOf(touch));
                EndStopped(run, finding.Reason.Word());
                break;
            case Failing.Ends:
                Settled(run, Outcome.Cancelled, finding.Reason.Word(), TrailOf(touch));
                EndRun(run, finding.Reason.Word());
                break;
            case Failing.Skips:
                var trail = TrailOf(touch);
                var way = LaterWay(run, failed);
                Settled(run, Outcome.Skipped, finding.Reason.Word(), trail);
                GoOn(run, way ?? run.Place.Next);
                break;
            case Failing.Waits:
                Wait(touch, finding);
                break;
            case Failing.Blocks:
                Block(touch, finding.Reason);
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(finding));
        }
    }

    private void Wait(Judging touch, Finding finding)
    {
        var run = touch.Run;
        if (finding.Next is not { } due)
        {
            Block(touch, Reason.WindowNeverOpens);
        }
        else if (!touch.Note(CheckKind.InTime, IsInTime(touch, due)))
        {
            SettleAndGoOn(run, Outcome.Skipped, Reason.Late.Word(), TrailOf(touch));
        }
        else
        {
            (run.Due, run.Waiting) = (due, finding.Reason.Word());
            if (!Rehearses)
            {
                Tell(run, new TouchWaits(run.Id, run.StepId, now, due, run.Waiting, TrailOf(touch)));
            }
        }
    }

    /// <summary>Section 8, <i>blocked</i>: kept for mending until it is given up.</summary>
    private void Block(Judging touch, Reason reason)
    {
        var run = touch.Run;
        (run.Phase, run.Due, run.Waiting) = (TouchPhase.Blocked, Planning.GivenUpAt(touch), reason.Word());
        Tell(run, new TouchBlocked(run.Id, run.StepId, now, run.Due, run.Waiting, TrailOf(touch)));
    }

    private Trail TrailOf(Judging touch) => KeepsWhy ? touch.ToTrail() : Trail.None;

    /// <summary>It passed every check it needs.</summary>
    private void Go(Judging touch)
    {
        var (run, trail) = (touch.Run, TrailOf(touch));
        switch (touch.Step)
        {
            case TaskStep task:
                PutOnSheet(run, task, trail);
                break;
            case ForkStep fork:
                JudgeFork(run, fork, trail);
                break;
            case SplitStep split:
                TakeShare(run, split, trail);
                break;
            case ChangeStep change:
                Change(run, change, trail);
                break;
            case HandOverStep handOver:
                HandOver(run, handOver, trail);
                break;
            case TellMeStep:
                Effects.Add(new OwnerToTell(run.TouchId, now));
                SettleAndGoOn(run, Outcome.Sent, null, trail);
                break;
            case EndStep:
                SettleAndGoOn(run, Outcome.Done, null, trail);
                break;
            case EmailStep or TextStep:
                HandToChannel(run, touch.Step, trail);
                break;
            default:
                throw new InvalidOperationException($"Nobody has said what to do with a step of the kind {touch.Step.Kind}.");
        }
    }

    private void HandToChannel(Going run, Step step, Trail trail)
    {
        CountAsSent(run, step, step.Channel!.Value);
        if (Rehearses)
        {
            // Nobody has to be asked whether it went.
            Sent(run, trail);
            return;
        }

        (run.Phase, run.Due) = (TouchPhase.Handing, now);
        Tell(run, new TouchHanded(run.Id, step.Id, now, trail));
    }

    private void Sent(Going run, Trail trail)
    {
        if (run.Step.To is null)
        {
            lastTouch = now;
            Did(DeedKind.Got, $"{run.Definition.Name}/{run.StepId}");
        }

        SeeSent(run);
        SettleAndGoOn(run, Outcome.Sent, null, trail);
    }

    /// <summary>Keeps a commercial touch as long as a pace rule counts it; what somebody else reads is none of theirs (rule 3.6).</summary>
    private void CountAsSent(Going run, Step step, Channel channel)
    {
        if (step.To is null && engine.LongestPace(channel) is { } days && run.Definition.PurposeOf(step) == Purpose.Commercial)
        {
            Pacing.Keep(sent, now, channel, days);
        }
    }

    /// <summary>It was counted when it was handed over, and did not go after all.</summary>
    private void CountAsNotSent(Step step, Instant handedAt)
    {
        if (step.To is null)
        {
            sent.Remove(new SentTouch(handedAt, step.Channel!.Value));
        }
    }

    /// <summary>A change's events are taken in at once, each like any other (rule 5.1); one may stop this very run.</summary>
    private void Change(Going run, ChangeStep step, Trail trail)
    {
        Settled(run, Outcome.Changed, null, trail);
        run.Phase = TouchPhase.Settled;
        foreach (var change in step.Set)
        {
            var happening = FactUpdates.EventOf(change, person, now);
            if (FactUpdates.Apply(person, happening) is { } changed)
            {
                person = changed;
                Effects.Add(new FactToChange(run.Id, step.Id, happening));
                React(happening);
            }
        }

        if (runs.Contains(run))
        {
            GoOn(run);
        }
    }

    /// <summary>Rule 3.5: the other program starts under its own conditions; a loop finishes this run first.</summary>
    private void HandOver(Going run, HandOverStep step, Trail trail)
    {
        var loops = Same(step.Program, run.Definition.Name);
        Settled(run, Outcome.HandedOver, null, trail);
        run.Phase = TouchPhase.Settled;
        if (loops)
        {
            EndRun(run, null);
        }

        if (engine.Shelf.Named(step.Program) is { } next)
        {
            Start(next.Current, new StartCause(loops ? CauseKind.Loop : CauseKind.HandOver, run.Definition.Name), null, loops);
        }
        else
        {
            Effects.Add(
                new StartRefused(Guid.Empty, now, Reason.ProgramOff.Word(), new StartCause(loops ? CauseKind.Loop : CauseKind.HandOver, step.Program))
            );
        }

        if (!loops && runs.Contains(run))
        {
            GoOn(run);
        }
    }
}
