using System.Runtime.InteropServices;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Rules 9.1 and 9.2: how much one person gets, and where a touch goes that must wait.</summary>
internal static class Pacing
{
    /// <summary>No date is longer on any clock; what is due later than that is due on another date.</summary>
    private static readonly Duration LongestDay = Duration.FromHours(49);

    /// <summary>The first pace rule that holds a touch back, and how many it counted; null where none does.</summary>
    /// <param name="touch">The touch; only commercial ones are held.</param>
    /// <param name="sent">The commercial touches that were sent, oldest first.</param>
    /// <param name="runs">The person's runs: what ranks before the touch on the same date counts as if sent.</param>
    /// <param name="dueOf">When a run's touch is judged next as things stand; null where it is not.</param>
    public static HeldByPace? Holds(Judging touch, List<SentTouch> sent, List<Going> runs, Func<Going, Instant?> dueOf)
    {
        if (touch.Program.PurposeOf(touch.Step) != Purpose.Commercial)
        {
            return null;
        }

        var zone = touch.Practice.ZoneOf(touch.Person);
        LocalDate? today = null;
        foreach (var rule in touch.Practice.Pace)
        {
            if (!rule.Channels.Contains(touch.Step.Channel!.Value))
            {
                continue;
            }

            today ??= touch.Now.InZone(zone).Date;
            var count = Sent(rule, touch, sent, today.Value);
            if (count >= rule.Max)
            {
                return new HeldByPace(rule, count, FreeOn(touch, sent, zone));
            }

            count += Ahead(rule, touch, runs, dueOf, today.Value);
            if (count >= rule.Max)
            {
                return new HeldByPace(rule, count, null);
            }
        }

        return null;
    }

    /// <summary>
    /// Rule 9.2: the next local date at the time of day of the first due moment, through section 2 again, forward. After a
    /// daily limit it is also another date of the practice.
    /// </summary>
    public static Instant? NextDate(Judging touch, Openings openings, bool anotherPracticeDate)
    {
        var (practice, now) = (touch.Practice, touch.Now);
        var zone = practice.ZoneOf(touch.Person);
        var time = touch.Run.FirstDue.InZone(zone).TimeOfDay;
        var date = now.InZone(zone).Date.PlusDays(1);
        while (anotherPracticeDate && LocalClock.At(date + time, zone).InZone(practice.Zone).Date <= now.InZone(practice.Zone).Date)
        {
            date = date.PlusDays(1);
        }

        if (openings.Window is { Roll: Roll.Back or Roll.Nearest } window)
        {
            openings = openings with { Window = window with { Roll = Roll.Forward } };
        }

        return openings.Apply(new Placed(LocalClock.At(date + time, zone), false), now);
    }

    /// <summary>Rule 9.2's rank among touches of one person: priority, due moment, program name, step order; two runs by number.</summary>
    public static int Rank(Going a, Instant dueOfA, Going b, Instant dueOfB)
    {
        var by = a.Definition.Priority.CompareTo(b.Definition.Priority);
        by = by != 0 ? by : dueOfA.CompareTo(dueOfB);
        by = by != 0 ? by : StringComparer.OrdinalIgnoreCase.Compare(a.Definition.Name, b.Definition.Name);
        by = by != 0 ? by : a.StepIndex.CompareTo(b.StepIndex);
        return by != 0 ? by : a.Number.CompareTo(b.Number);
    }

    /// <summary>Keeps a commercial touch among those that were sent, and lets go of what no rule counts any more.</summary>
    /// <param name="sent">The touches that were sent, oldest first.</param>
    /// <param name="at">When it went.</param>
    /// <param name="channel">Its channel.</param>
    /// <param name="days">Over how many dates the longest rule counts.</param>
    public static void Keep(List<SentTouch> sent, Instant at, Channel channel, int days)
    {
        // One date more than the longest rule counts, whatever the clocks do in between.
        var oldest = at - Duration.FromDays(days + 1);
        var gone = 0;
        while (gone < sent.Count && sent[gone].At <= oldest)
        {
            gone++;
        }

        sent.RemoveRange(0, gone);
        sent.Add(new SentTouch(at, channel));
    }

    private static int Sent(PaceRule rule, Judging touch, List<SentTouch> sent, LocalDate today)
    {
        var count = 0;
        Instant? first = null;
        for (var i = sent.Count - 1; i >= 0; i--)
        {
            first ??= touch.BeginningOf(today.PlusDays(1 - rule.Days));
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

    /// <summary>The first date on which what was sent already fills no rule of the touch's channel by itself.</summary>
    private static LocalDate? FreeOn(Judging touch, List<SentTouch> sent, DateTimeZone zone)
    {
        LocalDate? free = null;
        foreach (var rule in touch.Practice.Pace)
        {
            if (!rule.Channels.Contains(touch.Step.Channel!.Value))
            {
                continue;
            }

            var left = rule.Max;
            for (var i = sent.Count - 1; i >= 0; i--)
            {
                if (rule.Channels.Contains(sent[i].Channel) && --left == 0)
                {
                    var date = sent[i].At.InZone(zone).Date.PlusDays(rule.Days);
                    free = free is { } known ? LocalDate.Max(known, date) : date;
                    break;
                }
            }
        }

        return free;
    }

    /// <summary>Rule 9.2: a touch planned for the same date that ranks before this one counts as if sent.</summary>
    private static int Ahead(PaceRule rule, Judging touch, List<Going> runs, Func<Going, Instant?> dueOf, LocalDate today)
    {
        var count = 0;
        Instant? midnight = null;
        foreach (var other in CollectionsMarshal.AsSpan(runs))
        {
            if (other.Phase != TouchPhase.Planned || ReferenceEquals(other, touch.Run) || (!other.Sleeps && other.Due - touch.Now > LongestDay))
            {
                continue;
            }

            var step = other.Step;
            if (
                step is { Channel: { } channel, To: null }
                && rule.Channels.Contains(channel)
                && other.Definition.PurposeOf(step) == Purpose.Commercial
                && other.Definition.Priority <= touch.Program.Priority
                && dueOf(other) is { } due
                && Rank(other, due, touch.Run, touch.Run.Due) < 0
                && due < (midnight ??= touch.BeginningOf(today.PlusDays(1)))
            )
            {
                count++;
            }
        }

        return count;
    }
}
