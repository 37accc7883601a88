using System.Globalization;
using System.Text;
using Germinal.Channels.Letters;
using Germinal.Core.Practices;
using Germinal.Core.Words;
using Germinal.Service.Clock;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>The public page of a table of figures, at an address that stays: always the newest, for whoever follows a letter to it.</summary>
public static class FigurePages
{
    private static LocalDatePattern MonthAndYear => Tongue.Spoken.Dates.Month;

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/g/{key}", Page).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapGet("/g/{key}/curve.png", Curve).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
    }

    private static async Task<(FigureTable Table, LocalDate Today)?> FindAsync(string key, GerminalDb db, CancellationToken stop)
    {
        if (await db.FigureTables.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(t => t.Key == key, stop) is not { } row)
        {
            return null;
        }

        db.PracticeId = row.PracticeId;
        return (await KeptReading.TableAsync(db, row, stop), await PracticeClock.TodayAsync(db, stop));
    }

    private static async Task<IResult> Page(string key, GerminalDb db, CancellationToken stop)
    {
        if (await FindAsync(key, db, stop) is not { } found)
        {
            return PublicPages.NotOurs();
        }

        var (table, today) = found;
        var html = new StringBuilder();
        foreach (var area in table.Areas.Keys.Order(StringComparer.OrdinalIgnoreCase))
        {
            var readings = table.Read(area, today);
            if (readings.Count == 0)
            {
                continue;
            }

            html.Append("<h2>").Append(PublicPages.Encode(area)).Append("</h2><table><thead><tr><th scope=\"col\">")
                .Append(MonthAndYear.Format(readings.Max(r => r.Newest.Month)))
                .Append(CultureInfo.InvariantCulture, $"</th><th scope=\"col\">{Said("now")}</th><th scope=\"col\">{Said("in a month")}</th><th scope=\"col\">{Said("in a year")}</th></tr></thead><tbody>");
            foreach (var reading in readings)
            {
                string[] cells = [reading.Measure.Say(reading.Newest.Value), reading.OnMonth ?? "–", reading.OnYear ?? "–"];
                html.Append("<tr><th scope=\"row\">").Append(PublicPages.Encode(reading.Measure.Name)).Append("</th><td>");
                html.AppendJoin("</td><td>", cells.Select(PublicPages.Encode)).Append("</td></tr>");
            }

            html.Append("</tbody></table>");
        }

        return PublicPages.Html(table.Name, html.Length > 0 ? html.ToString() : $"<p>{Said("There are no figures yet.")}</p>");
    }

    private static async Task<IResult> Curve(string key, string? area, string? of, string? to, GerminalDb db, HttpContext http, CancellationToken stop)
    {
        if (await FindAsync(key, db, stop) is not { } found || YearMonthPattern.Iso.Parse(to ?? "") is not { Success: true, Value: var month } || month.Year is < 1900 or > 2200)
        {
            return Results.NotFound();
        }

        var reading = found.Table.Read(area ?? "", month.OnDayOfMonth(1)).FirstOrDefault(r => string.Equals(r.Measure.Name, of, StringComparison.OrdinalIgnoreCase));
        if (reading is null)
        {
            return Results.NotFound();
        }

        http.Response.Headers.CacheControl = "public, max-age=86400";
        return Results.Bytes(FigureCurve.Draw(reading.Course), "image/png");
    }
}
