using System.Globalization;
using System.Text;
using Germinal.Core.Words;
using Germinal.Service.Meetings;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>
/// Times to choose from as HTML: day after day, each opened by a press and without script. The page's script puts them into the reader's own zone and
/// says which that is.
/// </summary>
public static class MeetingHtml
{
    /// <summary>The field of the chosen time.</summary>
    public const string TimeField = "g.time";

    /// <summary>The field of the reader's zone.</summary>
    public const string ZoneField = "g.zone";

    /// <summary>The most days of one page; later ones are a link away.</summary>
    public const int MostDays = 14;

    private static LocalDatePattern Day => Tongue.Spoken.Dates.LongDay;

    /// <summary>The times, and the way to later ones.</summary>
    /// <param name="free">Those that can be chosen, in order.</param>
    /// <param name="from">The first day that is shown; null for the first there is.</param>
    /// <param name="zone">The practice's: what is said without script.</param>
    /// <param name="chosen">Which is chosen already.</param>
    /// <param name="address">Where the page is, with its own parameters, for later days.</param>
    /// <param name="problem">What is wrong with the choice; null for nothing.</param>
    public static string Times(IReadOnlyList<Instant> free, LocalDate? from, DateTimeZone zone, Instant? chosen, string address, string? problem)
    {
        var days = free.GroupBy(t => t.InZone(zone).Date).Where(d => from is not { } first || d.Key >= first).Take(MostDays + 1).ToList();
        // What the page's script says in the place of this: it knows the reader's zone, and so which times are of one day.
        var words = $" data-zone=\"{PublicPages.Encode(Say($"These are times of your own zone, {"{zone}"}."))}\" data-one=\"{PublicPages.Encode(Said("1 time"))}\" data-many=\"{PublicPages.Encode(Say($"{"{n}"} times"))}\"";
        var html = new StringBuilder("<div class=\"q\" id=\"q-time\"><fieldset class=\"times\"").Append(words).Append(problem is null ? "" : " aria-describedby=\"e-time\" aria-invalid=\"true\"").Append(CultureInfo.InvariantCulture, $"><legend>{Said("When suits you?")}</legend>");
        html.Append(CultureInfo.InvariantCulture, $"<p class=\"help zone\">{Say($"These are times of {PublicPages.Encode(zone.Id)}.")}</p>");
        foreach (var (day, place) in days.Take(MostDays).Select((d, i) => (d, i)))
        {
            var opened = chosen is { } at ? day.Contains(at) : place == 0;
            var count = day.Count();
            html.Append(CultureInfo.InvariantCulture, $"<details name=\"day\"{(opened ? " open" : "")}><summary>{Day.Format(day.Key)} <span>{(count == 1 ? Said("1 time") : Say($"{count} times"))}</span></summary><div>");
            foreach (var time in day)
            {
                var iso = InstantPattern.ExtendedIso.Format(time);
                html.Append(CultureInfo.InvariantCulture, $"<label><input type=\"radio\" name=\"{TimeField}\" value=\"{iso}\"{(time == chosen ? " checked" : "")}> <time datetime=\"{iso}\">{Tongue.Spoken.Dates.Time.Format(time.InZone(zone).TimeOfDay)}</time></label>");
            }

            html.Append("</div></details>");
        }

        if (days.Count == 0)
        {
            html.Append(CultureInfo.InvariantCulture, $"<p>{Said("No time can be chosen at the moment. Write to us or ring us; we find one.")}</p>");
        }

        html.Append("</fieldset>");
        if (days.Count > MostDays)
        {
            html.Append(CultureInfo.InvariantCulture, $"<p><a href=\"{PublicPages.Encode(address)}{(address.Contains('?', StringComparison.Ordinal) ? "&amp;" : "?")}from={LocalDatePattern.Iso.Format(days[MostDays].Key)}\">{Said("Later days")}</a></p>");
        }

        if (problem is not null)
        {
            html.Append("<p class=\"error\" id=\"e-time\">").Append(PublicPages.Encode(problem)).Append("</p>");
        }

        return html.Append("<input type=\"hidden\" name=\"").Append(ZoneField).Append("\"></div>").ToString();
    }

    /// <summary>A moment in words that the page's script says in the reader's zone.</summary>
    public static string Moment(Instant at, DateTimeZone zone) => $"<time datetime=\"{InstantPattern.ExtendedIso.Format(at)}\">{PublicPages.Encode(MeetingMail.MomentOf(at, zone))}</time>";
}
