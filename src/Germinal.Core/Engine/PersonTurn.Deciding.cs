using System.Globalization;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>Section 8: the decision when a touch falls due.</summary>
internal sealed partial class PersonTurn
{
    public void JudgeDue()
    {
        while (NextToJudge() is { } run)
        {
            Judge(run);
        }
    }

    public void SettleHanded(Guid touchId, string? failure)
    {
        if (state.Runs.Find(r => r.Touch.Id == touchId && r.Touch.Phase == TouchPhase.Handing) is { } run)
        {
            SettleAndGoOn(run, failure is null ? Outcome.Sent : Outcome.Skipped, failure, []);
        }
    }

    private RunState? NextToJudge() => state.Runs
        .Where(r => r.Touch.Due <= now && state.IsJudged(r, engine.Shelf))
        .OrderBy(r => DefinitionOf(r).Priority)
        .ThenBy(r => r.Touch.Due)
        .ThenBy(r => DefinitionOf(r).Name, StringComparer.OrdinalIgnoreCase)
        .ThenBy(r => r.StepIndex)
        .FirstOrDefault();

    private void Judge(RunState run)
    {
        var definition = DefinitionOf(run);
        var step = definition.Steps[run.StepIndex];
        var checks = new List<Check>(11);
        bool Pass(CheckKind kind, bool passed, params string[] found)
        {
            checks.Add(new Check(kind, passed, found));
            return passed;
        }

        if (run.Touch.Phase == TouchPhase.Blocked)
        {
            // Its time is up: it stays blocked for the record and the run goes on.
            SettleAndGoOn(run, Outcome.Blocked, "given-up", []);
            return;
        }

        Pass(CheckKind.RunGoing, true);
        var gone = person.Died ? "died" : person.Archived ? "archived" : person.DoNotContact ? "do-not-contact" : null;
        if (!Pass(CheckKind.PersonReachable, gone is null, gone ?? ""))
        {
            effects.Add(new TouchSettled(run.Touch.Id, run.Id, step.Id, now, Outcome.Cancelled, gone, checks));
            EndRun(run, gone);
            return;
        }

        if (!Pass(CheckKind.OnlyIf, step.OnlyIf is null || RuleJudge.Holds(step.OnlyIf, person, new RuleMoment(now, Practice.Zone)), step.OnlyIf is null ? "none" : "rule"))
        {
            SettleAndGoOn(run, Outcome.Skipped, "not-for", checks);
            return;
        }

        if (step.Channel is { } channel && ChannelRefuses(definition, step, channel, checks) is { } refusal)
        {
            SettleAndGoOn(run, Outcome.Skipped, refusal, checks);
            return;
        }

        if (step is HandOverStep handOver)
        {
            HandOver(run, handOver, checks);
            return;
        }

        if (!InTime(run, now, checks))
        {
            SettleAndGoOn(run, Outcome.Skipped, "late", checks);
            return;
        }

        var openings = OpeningsFor(definition, step);
        var clock = ClockOf(definition);
        if (!Pass(CheckKind.WindowOpen, openings.IsOpen(now), LocalTimePattern.ExtendedIso.Format(now.InZone(clock).TimeOfDay), clock.Id))
        {
            Wait(run, openings.Apply(new Placed(now, true), now), "window", checks);
            return;
        }

        if (step is CallStep call)
        {
            PutOnSheet(run, call, checks);
            return;
        }

        if (Fills(step) is { } lack)
        {
            checks.Add(lack);
            Block(run, lack.Found[0], checks);
            return;
        }

        checks.Add(new Check(CheckKind.CanBeFilled, true));
        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Handing } });
        effects.Add(new TouchHanded(run.Touch.Id, run.Id, step.Id, now, checks));
    }

    /// <summary>Checks 4 to 6.</summary>
    private string? ChannelRefuses(ProgramDefinition definition, Step step, Channel channel, List<Check> checks)
    {
        var address = person.AddressOf(channel);
        var formed = Addresses.IsWellFormed(channel, address);
        checks.Add(new Check(CheckKind.HasAddress, formed, address ?? "", channel.ToString().ToLowerInvariant()));
        if (!formed)
        {
            return "no-address";
        }

        var suppressed = person.Suppressed.Contains(address!.ToLowerInvariant());
        checks.Add(new Check(CheckKind.NotSuppressed, !suppressed, address));
        if (suppressed)
        {
            return "suppressed";
        }

        var reading = ReadConsent(definition, step);
        checks.Add(new Check(
            CheckKind.Consent,
            reading.Verdict == ConsentVerdict.Allowed,
            channel.ToString().ToLowerInvariant(),
            reading.Verdict.ToString().ToLowerInvariant(),
            reading.Decided?.Basis.ToString().ToLowerInvariant() ?? "",
            reading.Decided?.Source ?? "",
            reading.Decided is { } d ? InstantPattern.ExtendedIso.Format(d.At) : ""));
        return reading.Verdict switch
        {
            ConsentVerdict.Missing => "no-consent",
            ConsentVerdict.Withdrawn => "opted-out",
            _ => null,
        };
    }

    private ConsentReading ReadConsent(ProgramDefinition definition, Step step) =>
        ConsentLedger.Read(person.Consent, Practice.Consent, step.Channel!.Value, definition.PurposeOf(step), definition.TopicOf(step), now, Practice.Zone);

    /// <summary>Check 7 for a due moment, now or later (rule 3.3).</summary>
    private bool InTime(RunState run, Instant due, List<Check> checks)
    {
        if (LateLimitOf(run) is not { } limit)
        {
            checks.Add(new Check(CheckKind.InTime, true, "", ""));
            return true;
        }

        var until = limit.AddTo(run.Touch.FirstDue, ClockOf(DefinitionOf(run)));
        var inTime = due <= until;
        checks.Add(new Check(CheckKind.InTime, inTime, limit.Text, InstantPattern.ExtendedIso.Format(until)));
        return inTime;
    }

    private void Wait(RunState run, Instant? next, string reason, List<Check> checks)
    {
        if (next is not { } due)
        {
            Block(run, "window-never-opens", checks);
            return;
        }

        var late = new List<Check>();
        if (!InTime(run, due, late))
        {
            SettleAndGoOn(run, Outcome.Skipped, "late", [.. checks, .. late]);
            return;
        }

        Replace(run with { Touch = run.Touch with { Due = due } });
        effects.Add(new TouchWaits(run.Touch.Id, due, reason, checks));
    }

    private void PutOnSheet(RunState run, CallStep call, List<Check> checks)
    {
        state = state with { OpenTasks = state.OpenTasks.Add(new OpenTask(run.Touch.Id, run.Id, run.ProgramId, call.Id)) };
        effects.Add(new TouchSettled(run.Touch.Id, run.Id, call.Id, now, Outcome.Open, null, checks));
        if (call.Holds)
        {
            Replace(run with { Touch = run.Touch with { Phase = TouchPhase.OnSheet } });
        }
        else
        {
            GoOn(run);
        }
    }

    /// <summary>A call made before its hour of the day: it goes onto the sheet at this moment, by the member's own act.</summary>
    private void PutOnSheetEarly(Guid touchId)
    {
        if (state.Runs.Find(r => r.Touch.Id == touchId && r.Touch.Phase == TouchPhase.Planned) is { } run && DefinitionOf(run).Steps[run.StepIndex] is CallStep call)
        {
            PutOnSheet(run, call, []);
        }
    }

    /// <summary>Rule 3.5: the other program starts under its own conditions; a loop finishes this run first.</summary>
    private void HandOver(RunState run, HandOverStep step, List<Check> checks)
    {
        var cause = new StartCause(Same(step.Program, DefinitionOf(run).Name) ? "loop" : "hand-over", DefinitionOf(run).Name);
        effects.Add(new TouchSettled(run.Touch.Id, run.Id, step.Id, now, Outcome.HandedOver, null, checks));
        var next = engine.Shelf.On.FirstOrDefault(p => Same(p.Current.Definition.Name, step.Program));
        if (cause.Kind == "loop")
        {
            EndRun(run, null);
        }

        if (next is not null)
        {
            Start(next.Current, cause, null, again: cause.Kind == "loop");
        }
        else
        {
            effects.Add(new StartRefused(Guid.Empty, now, "program-off", cause with { Detail = step.Program }));
        }

        if (cause.Kind != "loop")
        {
            GoOn(run);
        }
    }

    /// <summary>Check 11: null when the message can be filled, else the failed check: reason first, then the fields.</summary>
    private Check? Fills(Step step)
    {
        if (step is not EmailStep)
        {
            return null;
        }

        var sender = Practice.SenderFor(person);
        if (sender is null)
        {
            return new Check(CheckKind.CanBeFilled, false, "no-sender");
        }

        var missing = engine.Templates.Missing(step, person, Practice, sender, now);
        return missing.Count == 0 ? null : new Check(CheckKind.CanBeFilled, false, ["cannot-fill", .. missing]);
    }
}
