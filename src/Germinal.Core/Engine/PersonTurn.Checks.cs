using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>What each check of section 8 looks at; their order and who needs them is <see cref="DueChecks"/>.</summary>
internal sealed partial class PersonTurn
{
    private readonly (string? Address, bool Formed)[] formed = new (string?, bool)[4];

    /// <summary>Check 1.</summary>
    internal Finding RunStillGoes(Judging touch) => StopDateBegan(touch.Program) ? new Finding(Failing.Stops, Reason.On) : Finding.Passed;

    /// <summary>Check 2 (rule 6.2).</summary>
    internal static Finding PersonMayBeReached(Judging touch) => Judging.GoneBy(touch.Person) is { } gone ? new Finding(Failing.Ends, gone) : Finding.Passed;

    /// <summary>Check 3.</summary>
    internal Finding StepIsForThem(Judging touch) =>
        touch.Step.OnlyIf is { } rule && !RuleJudge.Holds(rule, person, RuleNow) ? new Finding(Failing.Skips, Reason.NotFor) : Finding.Passed;

    /// <summary>Rule 3.6: somebody is there who reads it, and they may be written to at all. From here on it is theirs.</summary>
    internal static Finding SomebodyReadsIt(Judging touch)
    {
        if (touch.Reader is not { } reader)
        {
            return new Finding(Failing.Skips, Reason.NobodyThere);
        }

        touch.Run.Reader = reader.Id;
        return Judging.GoneBy(reader) is { } gone ? new Finding(Failing.Skips, gone) : Finding.Passed;
    }

    /// <summary>Check 4; worked out once for each address, as a person gets many touches between two changes.</summary>
    internal Finding AddressIsThere(Judging touch)
    {
        var channel = touch.Step.Channel!.Value;
        var address = touch.Reader!.AddressOf(channel);
        ref var known = ref formed[(int)channel];
        if (!ReferenceEquals(known.Address, address) || address is null)
        {
            known = (address, Addresses.IsWellFormed(channel, address));
        }

        return known.Formed ? Finding.Passed : new Finding(Failing.Skips, Reason.NoAddress);
    }

    /// <summary>Check 5.</summary>
    internal static Finding AddressIsNotSuppressed(Judging touch) =>
        touch.Reader!.Suppressed.Count > 0 && touch.Reader.Suppressed.Contains(touch.Reader.AddressOf(touch.Step.Channel!.Value)!.ToLowerInvariant())
            ? new Finding(Failing.Skips, Reason.Suppressed)
            : Finding.Passed;

    /// <summary>Check 6 (section 10). Rule 10.5: what is missing may be overruled for one touch; an out never.</summary>
    internal Finding ConsentIsThere(Judging touch)
    {
        touch.Consent = TouchEngine.ConsentFor(Practice, touch.Reader!, touch.Program, touch.Step, touch.Step.Channel!.Value, now);
        switch (touch.Consent.Verdict)
        {
            case ConsentVerdict.Withdrawn:
                return new Finding(Failing.Skips, Reason.OptedOut);
            case ConsentVerdict.Missing:
                touch.Overruled = state.Overruled.IsEmpty ? null : state.Overruled.GetValueOrDefault(touch.Run.TouchId);
                return touch.Overruled is null ? new Finding(Failing.Skips, Reason.NoConsent) : Finding.Passed;
            default:
                return Finding.Passed;
        }
    }

    /// <summary>Rule 15.2: the first way from one on by which a message can reach its reader as things stand; where none can, the one asked for.</summary>
    private int WayFor(Going run, int index) => run.Program.Flow.Steps[index].Otherwise < 0 ? index : OpenWay(run, index) ?? index;

    private int? OpenWay(Going run, int from)
    {
        var stood = (run.StepIndex, run.StepId, run.Readers, run.Reader);
        int? found = null;
        for (var at = from; at >= 0 && found is null; at = run.Program.Flow.Steps[at].Otherwise)
        {
            (run.StepIndex, run.StepId, run.Readers, run.Reader) = (at, run.Program.Flow.Steps[at].Step.Id, [], null);
            var touch = judging.Begin(Practice, person, run, now);
            if (
                AddressIsThere(touch).How == Failing.Not
                && AddressIsNotSuppressed(touch).How == Failing.Not
                && ConsentIsThere(touch).How == Failing.Not
            )
            {
                found = at;
            }
        }

        (run.StepIndex, run.StepId, run.Readers, run.Reader) = stood;
        return found;
    }

    /// <summary>Rule 15.2, where the way that was planned has closed since: a later one that is open; null for none.</summary>
    private int? LaterWay(Going run, CheckKind failed) =>
        failed is CheckKind.HasAddress or CheckKind.NotSuppressed or CheckKind.Consent && run.Place.Otherwise is >= 0 and var next ? OpenWay(run, next) : null;

    /// <summary>
    /// Rule 3.7, after check 6: the first of a household who comes this far on a date has it, and keeps it on that date whatever
    /// it waits for.
    /// </summary>
    internal Finding NobodyOfTheHouseholdHadIt(Judging touch)
    {
        if (person.Household is not { } household)
        {
            return Finding.Passed;
        }

        var counter = Counter.OfHousehold(household.Id, touch.Run.ProgramId, touch.Run.StepId, now.InZone(Practice.Zone).Date);
        return Ask(counter, touch.Run.FirstDue, touch.Program, touch.Run.StepIndex, takes: true, TouchState.IdOf(touch.Run.Id, touch.Run.StepId))
            ? Finding.Passed
            : new Finding(Failing.Skips, Reason.Household);
    }

    /// <summary>Check 7 (rule 3.3).</summary>
    internal Finding ComesInTime(Judging touch) => IsInTime(touch, now) ? Finding.Passed : new Finding(Failing.Skips, Reason.Late);

    /// <summary>Check 8 (section 2).</summary>
    internal Finding WindowIsOpen(Judging touch)
    {
        var openings = OpeningsFor(touch);
        return openings.IsOpen(now) ? Finding.Passed : new Finding(Failing.Waits, Reason.Window, openings.Apply(new Placed(now, true), now));
    }

    /// <summary>Check 9 (rules 9.1, 9.2).</summary>
    internal Finding PaceAllows(Judging touch)
    {
        touch.Run.Sleeps = false;
        if (touch.Program.PaceLifted is not null)
        {
            // Rule 15.4.
            return Finding.Passed;
        }

        touch.HeldBack = Pacing.Holds(touch, sent, runs, dueOf);
        if (touch.HeldBack is null)
        {
            return Finding.Passed;
        }

        var openings = OpeningsFor(touch);
        if (Rehearses && !engine.AsksNextTouch && Sleeping.Until(touch, openings) is { } awake)
        {
            touch.Run.Sleeps = true;
            return new Finding(Failing.Waits, Reason.Pace, awake);
        }

        return new Finding(Failing.Waits, Reason.Pace, Pacing.NextDate(touch, openings, anotherPracticeDate: false));
    }

    /// <summary>
    /// Check 10 (rule 9.3), for the channel and for the account of whoever sends it; a message that will not go for want of words only looks, and takes no place. Where both are limited, a place
    /// is taken only once there is one of each.
    /// </summary>
    internal Finding DailyLimitAllows(Judging touch)
    {
        var date = now.InZone(Practice.Zone).Date;
        var takes = touch.Looked(engine) is null;
        bool Has(Counter? counter, bool taking) => counter is not { } one || Ask(one, touch.Run.FirstDue, touch.Program, touch.Run.StepIndex, taking);
        Counter? ofChannel = Practice.DailyLimits.TryGetValue(touch.Step.Channel!.Value, out var limit) ? Counter.OfMessages(touch.Step.Channel!.Value, date, limit) : null;
        var ofAccount = AccountOf(touch, date);
        var allowed = ofAccount is null ? Has(ofChannel, takes) : Has(ofChannel, taking: false) && Has(ofAccount, takes) && Has(ofChannel, takes);
        return allowed ? Finding.Passed : new Finding(Failing.Waits, Reason.DailyLimit, Pacing.NextDate(touch, OpeningsFor(touch), anotherPracticeDate: true));
    }

    private Counter? AccountOf(Judging touch, LocalDate date) =>
        touch.Step.Channel == Channel.Email && Practice.SenderFor(person, touch.Step) is { MostEmails: { } most } sender ? Counter.OfAccount(sender.Id, date, most) : null;

    /// <summary>Check 11 (rule 11.1).</summary>
    internal Finding CanBeFilled(Judging touch) => touch.Looked(engine) is { } lack ? new Finding(Failing.Blocks, lack.Reason) : Finding.Passed;

    private Openings OpeningsFor(Judging touch) => Planning.OpeningsOf(Practice, new Addressed(person, touch.Reader ?? person), touch.Program, touch.Step);

    /// <summary>Check 7 for a due moment, now or later.</summary>
    private bool IsInTime(Judging touch, Instant due) =>
        touch.LateLimit is not { } limit || due <= limit.AddTo(touch.Run.FirstDue, Practice.ClockOf(touch.Program, person));

    private ConsentReading ReadConsent(ProgramDefinition definition, Step step, Channel channel) =>
        TouchEngine.ConsentFor(Practice, person, definition, step, channel, now);
}
