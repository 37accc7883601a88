using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>An occasion's start for one person: when, and the occasion it belongs to.</summary>
/// <param name="ProgramId">The program it starts.</param>
/// <param name="Occasion">The occasion and its observed date.</param>
/// <param name="At">The moment of the start.</param>
public sealed record OccasionStart(Guid ProgramId, OccasionRef Occasion, Instant At);

/// <summary>Section 4: when occasions start programs.</summary>
public static class Occasions
{
    /// <summary>The key of rule 4.2 within one person: one run per program, occasion and occasion year.</summary>
    public static string Key(Guid programId, string occasion, int year) =>
        $"{programId:N}/{occasion.ToLowerInvariant()}/{year.ToString(CultureInfo.InvariantCulture)}";

    /// <summary>The key of an occasion's run; an appointment is its own key (rule 4.4).</summary>
    internal static string Key(Guid programId, OccasionRef occasion) =>
        occasion.Moment is null ? Key(programId, occasion.Name, occasion.Date.Year) : $"{programId:N}/appointment/{occasion.Name}";

    /// <summary>
    /// The starts of a program's occasion triggers for one person whose moment lies in [<paramref name="from"/>, <paramref name="to"/>).
    /// </summary>
    public static IEnumerable<OccasionStart> Between(ProgramVersion program, Practice practice, PersonFacts person, Instant from, Instant to)
    {
        var zone = practice.ClockOf(program.Definition, person);
        foreach (var trigger in program.Definition.StartsWhen.OfType<OccasionTrigger>())
        {
            if (DateOf(person, trigger) is not { } date)
            {
                continue;
            }

            var (first, last) = Years(trigger, date, from.InZone(zone).Year, to.InZone(zone).Year);
            for (var year = first; year <= last; year++)
            {
                if (Start(program, trigger, practice, date, year, zone) is { } start && start.At >= from && start.At < to)
                {
                    yield return start;
                }
            }
        }
    }

    /// <summary>The first start of one trigger later than a moment and not later than another; null when there is none.</summary>
    internal static OccasionStart? Next(ProgramVersion program, OccasionTrigger trigger, Practice practice, PersonFacts person, Instant after, Instant until)
    {
        if (DateOf(person, trigger) is not { } date)
        {
            return null;
        }

        var zone = practice.ClockOf(program.Definition, person);
        var (first, last) = Years(trigger, date, after.InZone(zone).Year, until.InZone(zone).Year);
        for (var year = first; year <= last; year++)
        {
            if (Start(program, trigger, practice, date, year, zone) is { } start && start.At > after && start.At <= until)
            {
                return start;
            }
        }

        return null;
    }

    private static KeyDate? DateOf(PersonFacts person, OccasionTrigger trigger)
    {
        foreach (var date in person.KeyDates)
        {
            if (string.Equals(date.Name, trigger.Date, StringComparison.OrdinalIgnoreCase))
            {
                return date;
            }
        }

        return null;
    }

    /// <summary>The years whose occasion may start between two; the offset may carry the start into a neighbouring one.</summary>
    private static (int First, int Last) Years(OccasionTrigger trigger, KeyDate date, int from, int to)
    {
        var margin = 1 + Math.Abs(trigger.Offset.Dates.Years) + (Math.Abs(trigger.Offset.Dates.Months) / 12) + (Math.Abs(trigger.Offset.WholeDays) / 365);
        return date.Yearly ? (from - margin, to + margin) : (date.Date.Year ?? 0, date.Date.Year ?? -1);
    }

    /// <summary>The start in one year, or null when that year does not count (rule 4.2).</summary>
    private static OccasionStart? Start(ProgramVersion program, OccasionTrigger trigger, Practice practice, KeyDate date, int year, DateTimeZone zone)
    {
        if (date.Date.Year > year || (trigger.Years.Count > 0 && (date.Date.YearsIn(year) is not { } age || !trigger.Years.Contains(age))))
        {
            return null;
        }

        var observed = date.Date.In(year, practice.LeapDay);
        var at = LocalClock.At(trigger.Offset.AddDates(observed) + program.Definition.TimeFor(null), zone);
        return new OccasionStart(program.ProgramId, new OccasionRef(trigger.Date, observed), at);
    }
}
