using System.Collections.Frozen;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Service.Inquiries;

/// <summary>When a practice is reached, from its settings (rule 17.6).</summary>
public static class ReachedHours
{
    /// <summary>Its hours; nine to half past five on its working days where it has said nothing.</summary>
    public static WorkingHours Of(PracticeSettings settings, Practice practice)
    {
        if (settings.Reached.Count == 0)
        {
            return WorkingHours.Usual(practice.Calendar, practice.Zone);
        }

        var hours = settings.Reached.ToFrozenDictionary(
            r => PracticeReading.DayOf(r.Day),
            r => (TimesOfDay.Form.Parse(r.From).Value, TimesOfDay.Form.Parse(r.To).Value)
        );
        return new WorkingHours(practice.Calendar, hours, practice.Zone);
    }

    /// <summary>What is wrong with hours as they were written, with the place of each; nothing where they can be used.</summary>
    public static IEnumerable<string> Problems(IReadOnlyList<ReachedSettings> reached)
    {
        foreach (var day in reached)
        {
            if (!PracticeReading.IsDay(day.Day) || reached.Count(r => r.Day == day.Day) > 1)
            {
                yield return Say($"“{day.Day}” is no week day, or stands twice; mon, tue, wed, thu, fri, sat and sun are.");
            }

            var (from, to) = (TimesOfDay.Form.Parse(day.From), TimesOfDay.Form.Parse(day.To));
            if (!from.Success || !to.Success || to.Value <= from.Value)
            {
                yield return Say($"“{day.From}” to “{day.To}” are no hours of a day; 09:00 to 17:30 would be.");
            }
        }
    }

    /// <summary>How late an inquiry is that still waits: 0, 1 (late) or 2 (very late), by working days as spans of rule 5.1 are counted.</summary>
    public static int Lateness(PracticeSettings settings, Practice practice, Instant received, Instant now)
    {
        bool Over(int days)
        {
            var at = received.InZone(practice.Zone);
            return practice.Calendar.WorkingDayAfter(at.Date, days) is { } day && now >= LocalClock.At(day + at.TimeOfDay, practice.Zone);
        }

        return Over(settings.InquiryVeryLateDays) ? 2
            : Over(settings.InquiryLateDays) ? 1
            : 0;
    }
}
