using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 8: the decision when a touch falls due.</summary>
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

    /// <summary>The channel's answer for a touch that was handed over.</summary>
    public void SettleHanded(Guid touchId, string? failure)
    {
        if (runs.Find(r => r.Touch.Phase == TouchPhase.Handing && r.TouchId == touchId) is not { } run)
        {
            return;
        }

        if (failure is null)
        {
            Sent(run);
        }
        else
        {
            CountNoMore(StepOf(run).Channel!.Value);
            SettleAndGoOn(run, Outcome.Skipped, failure, Trail.Empty);
        }
    }

    /// <summary>
    /// The channel wants it later: it is as if it had just fallen due, so that everything that has changed since, and the
    /// hour, count. A stop that came while it was out takes effect.
    /// </summary>
    public void TakeBack(Guid touchId, Instant handedAt)
    {
        if (runs.Find(r => r.Touch.Phase == TouchPhase.Handing && r.TouchId == touchId) is not { } run)
        {
            return;
        }

        sent.Remove(new SentTouch(handedAt, StepOf(run).Channel!.Value));
        run = run with { Touch = run.Touch with { Phase = TouchPhase.Planned }, StopAfterHanding = null };
        var reason = Find(run.Id)!.StopAfterHanding;
        Replace(run);
        if (reason is not null)
        {
            StopRun(run, reason);
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

    /// <summary>Where the first touch that is due stands in the order of everybody (rule 9.3), or null.</summary>
    public AskOrder? FirstInOrder() => NextToJudge() is { } run
        ? new AskOrder(now, run.Touch.FirstDue, DefinitionOf(run).Priority, person.Handle, DefinitionOf(run).Name, run.StepIndex)
        : null;

    /// <summary>
    /// First due moment, priority, program name, step order; two runs of one program by their number. A letter that is on its way
    /// since this very moment holds back the rest: once it has settled, what follows it may rank before them (rule 12.2).
    /// </summary>
    private RunState? NextToJudge()
    {
        RunState? first = null;
        foreach (var run in runs)
        {
            if (run.Touch.Phase == TouchPhase.Handing && run.Touch.Due == now)
            {
                return null;
            }

            if (run.Touch.Due <= now && state.IsJudged(run, engine.Shelf) && (first is null || Before(run, first)))
            {
                first = run;
            }
        }

        return first;
    }

    private bool Before(RunState a, RunState b)
    {
        var by = a.Touch.FirstDue.CompareTo(b.Touch.FirstDue);
        return by != 0 ? by < 0 : Rank(a with { Touch = b.Touch }, DefinitionOf(a), b, DefinitionOf(b)) < 0;
    }

    private void Judge(RunState run)
    {
        if (run.Touch.Phase == TouchPhase.Blocked)
        {
            // Its time is up: it stays blocked for the record and the run goes on.
            SettleAndGoOn(run, Outcome.Blocked, run.Touch.Waiting, Trail.Empty);
            return;
        }

        var definition = DefinitionOf(run);
        var step = StepOf(run);
        var trail = new Trail();
        if (!PassesFirstThree(run, definition, step, trail))
        {
            return;
        }

        if (KeepsWindow(step))
        {
            JudgeTouch(run, definition, step, trail);
        }
        else
        {
            CarryOut(run, step, trail);
        }
    }

    /// <summary>Section 8 of a touch whose window never opens (2.4): judged by checks 1 to 6 as it is planned, and blocked if they pass.</summary>
    private void JudgeWithoutWindow(RunState run)
    {
        var definition = DefinitionOf(run);
        var step = StepOf(run);
        var trail = new Trail();
        if (PassesFirstThree(run, definition, step, trail) && PassesChannel(run, definition, step, trail))
        {
            Block(run, "window-never-opens", trail);
        }
    }

    /// <summary>Checks 1 to 3; where one fails the touch is settled.</summary>
    private bool PassesFirstThree(RunState run, ProgramDefinition definition, Step step, Trail trail)
    {
        if (!trail.Note(CheckKind.RunGoing, !StopDateBegan(definition)))
        {
            Settled(run, Outcome.Cancelled, "on", trail);
            EndStopped(run, "on");
            return false;
        }

        trail.Gone = person.Died ? "died" : person.Archived ? "archived" : person.DoNotContact ? "do-not-contact" : "";
        if (!trail.Note(CheckKind.PersonReachable, trail.Gone.Length == 0))
        {
            Settled(run, Outcome.Cancelled, trail.Gone, trail);
            EndRun(run, trail.Gone);
            return false;
        }

        trail.HasOnlyIf = step.OnlyIf is not null;
        if (!trail.Note(CheckKind.OnlyIf, step.OnlyIf is null || RuleJudge.Holds(step.OnlyIf, person, RuleNow)))
        {
            SettleAndGoOn(run, Outcome.Skipped, "not-for", trail);
            return false;
        }

        return true;
    }

    /// <summary>Checks 4 to 6 of a step that has a channel; where one fails the touch is settled.</summary>
    private bool PassesChannel(RunState run, ProgramDefinition definition, Step step, Trail trail)
    {
        if (step.Channel is { } channel && ChannelRefuses(run, definition, step, channel, trail) is { } refusal)
        {
            SettleAndGoOn(run, Outcome.Skipped, refusal, trail);
            return false;
        }

        return true;
    }

    /// <summary>Checks 4 to 11, for what reaches the person or a member.</summary>
    private void JudgeTouch(RunState run, ProgramDefinition definition, Step step, Trail trail)
    {
        if (!PassesChannel(run, definition, step, trail))
        {
            return;
        }

        if (!InTime(run, now, trail))
        {
            SettleAndGoOn(run, Outcome.Skipped, "late", trail);
            return;
        }

        var openings = OpeningsFor(definition, step);
        trail.Moment = now;
        trail.Clock = openings.Clock;
        if (!trail.Note(CheckKind.WindowOpen, openings.IsOpen(now)))
        {
            Wait(run, openings.Apply(new Placed(now, true), now), "window", trail);
            return;
        }

        if (step.Channel is { } held && Practice.Pace.Count > 0 && !PaceAllows(run, definition, step, held, trail))
        {
            Wait(run, NextDate(run, definition, step, anotherPracticeDate: false), "pace", trail);
            return;
        }

        var lack = LackOf(definition, step, trail);
        if (step.Channel is Channel.Email or Channel.Text && Practice.DailyLimits.Count > 0 && !LimitAllows(run, definition, step.Channel.Value, lack is null, trail))
        {
            Wait(run, NextDate(run, definition, step, anotherPracticeDate: true), "daily-limit", trail);
            return;
        }

        if (step is EmailStep or TextStep or NoteStep && !trail.Note(CheckKind.CanBeFilled, lack is null))
        {
            Block(run, lack!, trail);
            return;
        }

        if (step is TaskStep task)
        {
            PutOnSheet(run, task, trail);
        }
        else
        {
            HandToChannel(run, step, trail);
        }
    }

    private void HandToChannel(RunState run, Step step, Trail trail)
    {
        CountAsSent(run, step, step.Channel!.Value);
        if (SendsAtOnce)
        {
            Sent(run, trail);
            return;
        }

        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Handing, Due = now } });
        Effects.Add(new TouchHanded(run.Id, step.Id, now, trail));
    }

    private void Sent(RunState run, Trail? trail = null)
    {
        lastTouch = now;
        SettleAndGoOn(SeeSent(run), Outcome.Sent, null, trail ?? Trail.Empty);
    }

    /// <summary>What happens at its exact moment and reaches nobody by itself: checks 1 to 3 are all it needs.</summary>
    private void CarryOut(RunState run, Step step, Trail trail)
    {
        switch (step)
        {
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
            default:
                throw new ArgumentOutOfRangeException(nameof(step));
        }
    }

    /// <summary>Checks 4 to 6.</summary>
    private string? ChannelRefuses(RunState run, ProgramDefinition definition, Step step, Channel channel, Trail trail)
    {
        trail.Channel = channel;
        trail.Address = person.AddressOf(channel);
        if (!trail.Note(CheckKind.HasAddress, IsWellFormed(channel, trail.Address)))
        {
            return "no-address";
        }

        if (!trail.Note(CheckKind.NotSuppressed, person.Suppressed.Count == 0 || !person.Suppressed.Contains(trail.Address!.ToLowerInvariant())))
        {
            return "suppressed";
        }

        trail.Consent = ReadConsent(definition, step, channel);
        if (trail.Consent.Verdict == ConsentVerdict.Missing && !state.Overruled.IsEmpty)
        {
            // Rule 10.5: what is missing may be overruled for one touch; an out never.
            trail.Overruled = state.Overruled.GetValueOrDefault(run.TouchId, "");
        }

        if (trail.Note(CheckKind.Consent, trail.Consent.Verdict == ConsentVerdict.Allowed || trail.Overruled.Length > 0))
        {
            return null;
        }

        return trail.Consent.Verdict switch
        {
            ConsentVerdict.Missing => "no-consent",
            ConsentVerdict.Withdrawn => "opted-out",
            _ => null,
        };
    }

    /// <summary>Worked out once for each address: a person gets many touches between two changes.</summary>
    private bool IsWellFormed(Channel channel, string? address)
    {
        ref var known = ref formed[(int)channel];
        if (!ReferenceEquals(known.Address, address) || address is null)
        {
            known = (address, Addresses.IsWellFormed(channel, address));
        }

        return known.Formed;
    }

    private ConsentReading ReadConsent(ProgramDefinition definition, Step step, Channel channel) =>
        TouchEngine.ConsentFor(Practice, person, definition, step, channel, now);

    /// <summary>Check 7 for a due moment, now or later (rule 3.3).</summary>
    private bool InTime(RunState run, Instant due, Trail trail)
    {
        if (LateLimitOf(run) is not { } limit)
        {
            return trail.Note(CheckKind.InTime, true);
        }

        var until = limit.AddTo(run.Touch.FirstDue, ClockOf(DefinitionOf(run)));
        trail.LateLimit = limit.Text;
        trail.LateAfter = until;
        return trail.Note(CheckKind.InTime, due <= until);
    }

    private void Wait(RunState run, Instant? next, string reason, Trail trail)
    {
        if (next is not { } due)
        {
            Block(run, "window-never-opens", trail);
            return;
        }

        if (!InTime(run, due, trail))
        {
            SettleAndGoOn(run, Outcome.Skipped, "late", trail);
            return;
        }

        Replace(run with { Touch = run.Touch with { Due = due, Waiting = reason } });
        Effects.Add(new TouchWaits(run.Id, run.Touch.StepId, now, due, reason, trail));
    }

    /// <summary>A change's events are taken in at once, each like any other (rule 5.1); one may stop this very run.</summary>
    private void Change(RunState run, ChangeStep step, Trail trail)
    {
        Settled(run, Outcome.Changed, null, trail);
        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Settled } });
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

        if (Find(run.Id) is { } going)
        {
            GoOn(going);
        }
    }

    /// <summary>Rule 3.5: the other program starts under its own conditions; a loop finishes this run first.</summary>
    private void HandOver(RunState run, HandOverStep step, Trail trail)
    {
        var name = DefinitionOf(run).Name;
        var loops = Same(step.Program, name);
        Settled(run, Outcome.HandedOver, null, trail);
        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Settled } });
        if (loops)
        {
            EndRun(run, null);
        }

        if (engine.Shelf.Named(step.Program) is { } next)
        {
            Start(next.Current, new StartCause(loops ? "loop" : "hand-over", name), null, loops);
        }
        else
        {
            Effects.Add(new StartRefused(Guid.Empty, now, "program-off", new StartCause(loops ? "loop" : "hand-over", step.Program)));
        }

        if (!loops && Find(run.Id) is { } going)
        {
            GoOn(going);
        }
    }

    /// <summary>Check 11: why the message cannot be filled, or null; what is lacking goes to the trail.</summary>
    private string? LackOf(ProgramDefinition definition, Step step, Trail trail)
    {
        if (step is not (EmailStep or TextStep or NoteStep))
        {
            return null;
        }

        var sender = Practice.SenderFor(person, step);
        if (sender is null)
        {
            trail.Lack = "no-sender";
            return trail.Lack;
        }

        var missing = engine.MissingFields(step, person, Practice.InVoiceOf(definition), sender, now);
        if (missing.Count == 0)
        {
            return null;
        }

        trail.Lack = "cannot-fill";
        trail.LackingFields = missing;
        return trail.Lack;
    }
}
