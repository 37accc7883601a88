using System.Collections.Immutable;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 9: pace and daily limits.</summary>
internal sealed partial class PersonTurn
{
    /// <summary>No date is longer on any clock; what is due later than that is due on another date.</summary>
    private static readonly Duration LongestDay = Duration.FromHours(49);

    /// <summary>Check 9 (rules 9.1, 9.2): only commercial touches are counted and held.</summary>
    private bool PaceAllows(RunState run, ProgramDefinition definition, Step step, Channel channel, Trail trail)
    {
        if (definition.PurposeOf(step) != Purpose.Commercial)
        {
            return trail.Note(CheckKind.Pace, true);
        }

        var zone = Practice.ZoneOf(person);
        LocalDate? today = null;
        foreach (var rule in Practice.Pace)
        {
            if (!rule.Channels.Contains(channel))
            {
                continue;
            }

            today ??= now.InZone(zone).Date;
            var count = CountSent(rule, today.Value, zone);
            if (count < rule.Max)
            {
                count += CountAhead(rule, run, definition, today.Value, zone);
            }

            if (count >= rule.Max)
            {
                trail.Pace = rule;
                trail.Sent = count;
                return trail.Note(CheckKind.Pace, false);
            }
        }

        return trail.Note(CheckKind.Pace, true);
    }

    private int CountSent(PaceRule rule, LocalDate today, DateTimeZone zone)
    {
        var count = 0;
        Instant? first = null;
        for (var i = sent.Count - 1; i >= 0; i--)
        {
            first ??= LocalClock.At(today.PlusDays(1 - rule.Days).AtMidnight(), zone);
            if (sent[i].At < first)
            {
                break;
            }

            if (rule.Channels.Contains(sent[i].Channel))
            {
                count++;
            }
        }

        return count;
    }

    /// <summary>Rule 9.2: a touch planned for the same date that ranks before this one counts as if sent.</summary>
    private int CountAhead(PaceRule rule, RunState run, ProgramDefinition definition, LocalDate today, DateTimeZone zone)
    {
        var count = 0;
        Instant? midnight = null;
        foreach (var other in runs)
        {
            if (other.Touch.Phase != TouchPhase.Planned || other.Id == run.Id || other.Touch.Due - now > LongestDay)
            {
                continue;
            }

            var theirs = VersionOf(other);
            var step = theirs.Flow.Steps[other.StepIndex].Step;
            if (step.Channel is { } channel && rule.Channels.Contains(channel) && theirs.Definition.PurposeOf(step) == Purpose.Commercial &&
                Rank(other, theirs.Definition, run, definition) < 0 && state.IsJudged(other, engine.Shelf) &&
                other.Touch.Due < (midnight ??= LocalClock.At(today.PlusDays(1).AtMidnight(), zone)))
            {
                count++;
            }
        }

        return count;
    }

    /// <summary>Rule 9.2's rank among touches of one person: priority, due moment, program name, step order.</summary>
    private static int Rank(RunState a, ProgramDefinition ofA, RunState b, ProgramDefinition ofB)
    {
        var by = ofA.Priority.CompareTo(ofB.Priority);
        by = by != 0 ? by : a.Touch.Due.CompareTo(b.Touch.Due);
        by = by != 0 ? by : StringComparer.OrdinalIgnoreCase.Compare(ofA.Name, ofB.Name);
        by = by != 0 ? by : a.StepIndex.CompareTo(b.StepIndex);
        return by != 0 ? by : a.Number.CompareTo(b.Number);
    }

    /// <summary>Check 10 (rule 9.3).</summary>
    private bool LimitAllows(RunState run, ProgramDefinition definition, Channel channel, bool takes, Trail trail)
    {
        if (!Practice.DailyLimits.TryGetValue(channel, out var limit))
        {
            return trail.Note(CheckKind.DailyLimit, true);
        }

        trail.DailyLimit = limit;
        var counter = new Counter(channel, Guid.Empty, now.InZone(Practice.Zone).Date, limit);
        return trail.Note(CheckKind.DailyLimit, Ask(counter, run.Touch.FirstDue, definition, run.StepIndex, takes));
    }

    /// <summary>
    /// Where a touch goes that must wait (rule 9.2): the next local date at the time of day of its first due moment, through
    /// section 2 again, forward. After a daily limit it is also another date of the practice.
    /// </summary>
    private Instant? NextDate(RunState run, ProgramDefinition definition, Step step, bool anotherPracticeDate)
    {
        var zone = Practice.ZoneOf(person);
        var time = run.Touch.FirstDue.InZone(zone).TimeOfDay;
        var date = now.InZone(zone).Date.PlusDays(1);
        while (anotherPracticeDate && LocalClock.At(date + time, zone).InZone(Practice.Zone).Date <= now.InZone(Practice.Zone).Date)
        {
            date = date.PlusDays(1);
        }

        var openings = OpeningsFor(definition, step);
        if (openings.Window is { Roll: Roll.Back or Roll.Nearest } window)
        {
            openings = openings with { Window = window with { Roll = Roll.Forward } };
        }

        return openings.Apply(new Placed(LocalClock.At(date + time, zone), false), now);
    }

    /// <summary>Keeps a commercial touch as long as a pace rule counts it.</summary>
    private void CountAsSent(RunState run, Step step, Channel channel)
    {
        if (engine.LongestPace(channel) is not { } days || DefinitionOf(run).PurposeOf(step) != Purpose.Commercial)
        {
            return;
        }

        // One date more than the longest rule counts, whatever the clocks do in between.
        var oldest = now - Duration.FromDays(days + 1);
        while (sent.Count > 0 && sent[0].At <= oldest)
        {
            sent.RemoveAt(0);
        }

        sent.Add(new SentTouch(now, channel));
    }

    /// <summary>A message that was counted when it was handed over did not go after all.</summary>
    private void CountNoMore(Channel channel) => sent.Remove(new SentTouch(now, channel));
}
