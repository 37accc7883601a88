using Germinal.Core.Time;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Evaluation;
using NodaTime;

namespace Germinal.Service.Tasks;

/// <summary>
/// When a task comes again: a recurrence rule of RFC 5545 whose smallest step is a day. It has no <c>COUNT</c>, since what is done is what counts;
/// <c>UNTIL</c> ends it.
/// </summary>
public static class TaskRepeats
{
    /// <summary>Letters of a rule.</summary>
    public const int Longest = 200;

    /// <summary>The widest interval, in days, weeks, months or years.</summary>
    private const int Widest = 400;

    /// <summary>So many steps in which nothing falls are looked through before a rule is taken to fall on no date.</summary>
    private const int MostEmptySteps = 1000;

    /// <summary>What is wrong with a rule; null where nothing is.</summary>
    /// <param name="rule">The rule, without the word <c>RRULE</c>.</param>
    /// <param name="from">The task's first day.</param>
    public static string? Problem(string rule, LocalDate from)
    {
        if (Parse(rule) is not { } pattern)
        {
            return Say($"“{rule}” is no rule by which something comes again; FREQ=WEEKLY;INTERVAL=2 would be.");
        }

        if (pattern.Frequency is not (FrequencyType.Daily or FrequencyType.Weekly or FrequencyType.Monthly or FrequencyType.Yearly) || pattern.ByHour.Count + pattern.ByMinute.Count + pattern.BySecond.Count > 0)
        {
            return Said("A task comes again by the day, week, month or year (FREQ=DAILY, WEEKLY, MONTHLY or YEARLY), not by the hour.");
        }

        if (pattern.Interval is < 1 or > Widest)
        {
            return Say($"Its INTERVAL is from 1 to {Widest}.");
        }

        if (pattern.Count is not null)
        {
            return Said("A task comes again until it is taken out or until a day: UNTIL=20271231 would be right in the place of COUNT.");
        }

        return Next(rule, from, from) is null && pattern.Until is null ? Said("This rule falls on no date at all.") : null;
    }

    /// <summary>The first date of a rule after a date; null where it has ended.</summary>
    /// <param name="rule">The rule.</param>
    /// <param name="from">The day from which it counts.</param>
    /// <param name="after">The date after which.</param>
    public static LocalDate? Next(string rule, LocalDate from, LocalDate after)
    {
        if (Parse(rule) is not { } pattern)
        {
            return null;
        }

        var task = new CalendarEvent { DtStart = new CalDateTime(from.Year, from.Month, from.Day), RecurrenceRule = pattern };
        var start = LocalDate.Max(from, after);
        try
        {
            return task.GetOccurrences(new CalDateTime(start.Year, start.Month, start.Day), new EvaluationOptions { MaxUnmatchedIncrementsLimit = MostEmptySteps })
                .Select(o => o.Period.StartTime)
                .Select(t => (LocalDate?)new LocalDate(t.Year, t.Month, t.Day))
                .FirstOrDefault(d => d > after && Dates.IsMeant(d.Value));
        }
        catch (EvaluationException)
        {
            // It falls on no date for as long as anybody looks.
            return null;
        }
    }

    /// <summary>A rule in words, as far as it is one of those that people choose: “every two weeks”.</summary>
    public static string Words(string rule)
    {
        if (Parse(rule) is not { } pattern)
        {
            return Said("again by a rule");
        }

        var plain = pattern.ByMonthDay.Count + pattern.ByMonth.Count + pattern.ByYearDay.Count + pattern.ByWeekNo.Count + pattern.BySetPosition.Count == 0;
        var unit = pattern.Frequency switch
        {
            FrequencyType.Daily => "day",
            FrequencyType.Weekly => "week",
            FrequencyType.Monthly => "month",
            _ => "year",
        };
        if (!plain || (pattern.ByDay.Count > 0 && pattern.Frequency != FrequencyType.Weekly))
        {
            return Said("again by a rule");
        }

        var every = pattern.Interval == 1 ? Say($"every {unit}") : Say($"every {pattern.Interval} {unit}s");
        return pattern.ByDay.Count == 0 ? every : $"{every} on {string.Join(", ", pattern.ByDay.Select(d => d.DayOfWeek.ToString()))}";
    }

    private static RecurrencePattern? Parse(string rule)
    {
        try
        {
            if (rule.Length is 0 or > Longest || !rule.Contains("FREQ=", StringComparison.OrdinalIgnoreCase))
            {
                return null;
            }

            // A day it cannot read the package takes for none.
            var pattern = new RecurrencePattern(rule);
            return pattern.Until is null && rule.Contains("UNTIL=", StringComparison.OrdinalIgnoreCase) ? null : pattern;
        }
        catch (Exception e) when (e is ArgumentException or FormatException or OverflowException or IndexOutOfRangeException or InvalidOperationException)
        {
            // The package says with many kinds of exception that it cannot read something.
            return null;
        }
    }
}
