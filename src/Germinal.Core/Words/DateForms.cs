using System.Globalization;
using NodaTime.Text;

namespace Germinal.Core.Words;

/// <summary>How a tongue writes dates and times.</summary>
public sealed class DateForms
{
    internal DateForms(CultureInfo culture, string dayAndMonth, string date, string time)
    {
        // British English alone has no comma between the day of the week and the date.
        var ofWeek = culture.Name == "en-GB" ? "ddd" : "ddd,";
        Day = LocalDatePattern.Create($"{ofWeek} {dayAndMonth}", culture);
        DayWithYear = LocalDatePattern.Create($"{ofWeek} {date}", culture);
        ShortDay = LocalDatePattern.Create($"{ofWeek} {dayAndMonth.Replace("MMMM", "MMM", StringComparison.Ordinal)}", culture);
        LongDay = LocalDatePattern.Create($"dddd, {dayAndMonth}", culture);
        LongDayWithYear = LocalDatePattern.Create($"dddd, {date}", culture);
        DayAndMonth = LocalDatePattern.Create(dayAndMonth, culture);
        Date = LocalDatePattern.Create(date, culture);
        Month = LocalDatePattern.Create("MMMM uuuu", culture);
        ShortMonth = LocalDatePattern.Create("MMM uuuu", culture);
        Moment = LocalDateTimePattern.Create($"{date}, {(time == "H:mm" ? "HH:mm" : time)}", culture);
        LongMoment = LocalDateTimePattern.Create($"dddd, {date}, {(time == "H:mm" ? "HH:mm" : time)}", culture);
        Time = LocalTimePattern.Create(time, culture);
    }

    /// <summary>“Tue 9 March”.</summary>
    public LocalDatePattern Day { get; }

    /// <summary>“Tue 9 March 2027”.</summary>
    public LocalDatePattern DayWithYear { get; }

    /// <summary>“Tuesday, 9 March”.</summary>
    public LocalDatePattern LongDay { get; }

    /// <summary>“Tuesday, 9 March 2027”.</summary>
    public LocalDatePattern LongDayWithYear { get; }

    /// <summary>“9 March”.</summary>
    public LocalDatePattern DayAndMonth { get; }

    /// <summary>“9 March 2027”.</summary>
    public LocalDatePattern Date { get; }

    /// <summary>“March 2027”.</summary>
    public LocalDatePattern Month { get; }

    /// <summary>“Mar 2027”.</summary>
    public LocalDatePattern ShortMonth { get; }

    /// <summary>“9 March 2027, 09:30”.</summary>
    public LocalDateTimePattern Moment { get; }

    /// <summary>“Tuesday, 9 March 2027, 09:30”.</summary>
    public LocalDateTimePattern LongMoment { get; }

    /// <summary>“9 Mar”, after its week day: “Tue 9 Mar”.</summary>
    public LocalDatePattern ShortDay { get; }

    /// <summary>“9:30”.</summary>
    public LocalTimePattern Time { get; }
}
