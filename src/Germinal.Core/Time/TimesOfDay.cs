using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Time;

/// <summary>A time of day as files and pages write it: <c>08:30</c>, whatever the machine's language.</summary>
public static class TimesOfDay
{
    /// <summary>Reads and writes <c>HH:mm</c>.</summary>
    public static LocalTimePattern Form { get; } = LocalTimePattern.CreateWithInvariantCulture("HH:mm");

    /// <summary>Writes a time of day.</summary>
    public static string Text(LocalTime time) => Form.Format(time);
}
