using Germinal.Channels.Post;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;
using NodaTime.Text;
using PhoneNumbers;

namespace Germinal.Service.Today;

/// <summary>A day sheet in words, as it is printed and as it goes by mail.</summary>
public static class DayInWords
{
    /// <summary>Words of a script or an answer that stand in a line; the rest is on the page.</summary>
    private const int MostWords = 280;

    /// <summary>“Mon 1 March 2027”, and whose it is.</summary>
    /// <param name="day">The sheet.</param>
    /// <param name="whose">A member's name; null for everybody's.</param>
    public static string Title(TodayDto day, string? whose)
    {
        var date = At(day.Now).InZone(Zone(day)).Date;
        return whose is null ? Phrases.Day(date) : $"{Phrases.Day(date)}, {whose}";
    }

    /// <summary>Its four stretches.</summary>
    public static IReadOnlyList<DayPrintStretch> Stretches(TodayDto day)
    {
        var (zone, now) = (Zone(day), At(day.Now));
        string When(string at) => Near(At(at), now, zone);
        return
        [
            new DayPrintStretch(
                Titled(Said("Calls"), day.CallsInAll, day.Calls.Count),
                [
                    .. day.Calls.Select(c => new DayPrintLine(
                        c.OwnTask && At(c.Due).InZone(zone).Date == now.InZone(zone).Date ? "" : When(c.Due),
                        string.Join("   ", new[] { c.Person?.Name ?? Said("For the practice"), NumberOf(c), c.TheirTime is null ? "" : Say($"{c.TheirTime} there") }.Where(w => w.Length > 0)),
                        Short(c.Post?.Words ?? c.Script),
                        string.Join(", ", new[] { c.Kind is "call" or "task" ? "" : KindOf(c), c.Post?.Place ?? "", c.Program }.Where(w => w.Length > 0)),
                        true
                    )),
                ],
                Said("No calls today.")
            ),
            new DayPrintStretch(
                Titled(Said("Going out today"), day.GoingToday, day.GoingToday),
                [
                    .. day
                        .Going.Where(g => g.IsToday && !g.Held && g.WillNot is null)
                        .GroupBy(g => (g.ProgramId, g.StepId))
                        .Select(g => new DayPrintLine(
                            When(g.First().Due),
                            g.First().Subject,
                            "",
                            CountOf(day, g.Key.ProgramId, g.Key.StepId, g.Count()) is > 1 and var n ? Say($"{g.First().Program}, to {n} people") : Say($"{g.First().Program}, to {g.First().Person.Name}"),
                            false
                        )),
                ],
                Said("Nothing goes out today.")
            ),
            new DayPrintStretch(
                Titled(Said("Waiting for you"), day.WaitingInAll, day.Waiting.Count),
                [.. day.Waiting.Select(w => new DayPrintLine(When(w.At), w.Person?.Name ?? Said("Somebody unknown"), Short(w.Text), "", true))],
                Said("Nobody waits for you.")
            ),
            new DayPrintStretch(
                Titled(Said("Needs mending"), day.MendingInAll, day.Mending.Count),
                [.. day.Mending.Select(m => new DayPrintLine(When(m.Due), m.Person.Name, m.Subject.Length > 0 ? $"“{m.Subject}”: {m.Problem}" : m.Problem, "", true))],
                Said("Everything can go as it is.")
            ),
        ];
    }

    private static string KindOf(CallDto call) => call.Kind == "note" ? Said("note") : Said("post");

    private static string Titled(string title, int inAll, int shown) => inAll > shown ? Say($"{title}: {shown} of {inAll}") : inAll > 0 ? $"{title}: {inAll}" : title;

    private static int CountOf(TodayDto day, Guid program, string step, int shown) =>
        Math.Max(shown, day.GoingCounts.Where(c => c.IsToday && c.ProgramId == program && c.StepId == step).Sum(c => c.Count));

    /// <summary>The number as it is dialled from anywhere; as it is kept where nobody knows how to write it.</summary>
    private static string NumberOf(CallDto call)
    {
        if (call.Number is not { } number)
        {
            return call.Kind == "call" ? Said("no number") : "";
        }

        var extension = call.Extension is { Length: > 0 } more ? Say($" ext. {more}") : "";
        try
        {
            var phones = PhoneNumberUtil.GetInstance();
            return phones.Format(phones.Parse(number, null), PhoneNumberFormat.INTERNATIONAL) + extension;
        }
        catch (NumberParseException)
        {
            return number + extension;
        }
    }

    private static LocalDatePattern ShortDay => Tongue.Spoken.Dates.ShortDay;

    /// <summary>The time of today; of another day its date, short enough for the edge of a sheet.</summary>
    private static string Near(Instant at, Instant now, DateTimeZone zone) =>
        at.InZone(zone).Date == now.InZone(zone).Date ? Phrases.Time(at.InZone(zone).TimeOfDay) : ShortDay.Format(at.InZone(zone).Date);

    private static string Short(string text)
    {
        var line = string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return line.Length <= MostWords ? line : Channels.IncomingText.Keep(line, MostWords - 1) + "…";
    }

    private static Instant At(string moment) => InstantPattern.General.Parse(moment).Value;

    private static DateTimeZone Zone(TodayDto day) => LocalClock.Zone(day.Zone) ?? DateTimeZone.Utc;
}
