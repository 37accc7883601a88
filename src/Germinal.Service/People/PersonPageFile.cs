using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using Germinal.Core.Words;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.People;

/// <summary>
/// All that is kept of a person as one page of HTML that anybody can read: who they are, what they allowed, what was written and
/// said, in order of time, and every table behind it. It stands by itself: no script, no style or picture from elsewhere.
/// </summary>
public sealed class PersonPageFile(StringBuilder page)
{
    private static LocalDateTimePattern Moments => Tongue.Spoken.Dates.Moment;

    /// <summary>Columns that say nothing to anybody who reads.</summary>
    private static readonly string[] Inner =
    [
        "practice_id",
        "person_id",
        "sort_name",
        "first_sort",
        "search_text",
        "owner_sort",
        "edition",
        "state",
        "before",
        "after",
        "xmin",
    ];

    /// <summary>Writes the page.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="person">Whose.</param>
    /// <param name="zone">On whose clock times are written.</param>
    /// <param name="tables">Each table's name with its rows, as they are in the JSON files.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<string> WriteAsync(
        GerminalDb db,
        PersonRow person,
        DateTimeZone zone,
        IReadOnlyList<(string Name, IReadOnlyList<JsonElement> Rows)> tables,
        CancellationToken stop
    )
    {
        var file = new PersonPageFile(new StringBuilder());
        file.Begin(person);
        var consent = await db.Consent.IgnoreQueryFilters([GerminalDb.Standing]).AsNoTracking().Where(c => c.PersonId == person.Id).OrderBy(c => c.At).ToListAsync(stop);
        file.Section(
            Said("What they allowed"),
            consent.Select(c =>
                (
                    MomentOf(c.At, zone),
                    Say($"{(c.IsIn ? Said("Yes") : Said("No"))} to {(c.Purpose is null ? Said("everything") : Say($"{c.Purpose} ones"))} by {c.Channel}{(c.Topic is null ? "" : $", {c.Topic}")}. {c.Source}{(c.TakenBackAt is null ? "" : Say($" (taken back by {c.TakenBackBy})"))}")
                )
            )
        );
        var messages = await db.Messages.AsNoTracking().Where(m => m.PersonId == person.Id || m.AboutId == person.Id).OrderBy(m => m.SentAt).ToListAsync(stop);
        file.Section(Said("What was written to them"), messages.Select(m => (MomentOf(m.SentAt, zone), m.Channel == "text" ? m.Text : $"{m.Subject}\n{m.Text}")));
        var received = await db.Received.AsNoTracking().Where(r => r.PersonId == person.Id).OrderBy(r => r.At).ToListAsync(stop);
        file.Section(Said("What they wrote"), received.Select(r => (MomentOf(r.At, zone), $"{r.Subject}\n{r.Text}".Trim())));
        foreach (var (name, rows) in tables)
        {
            file.Table(name, rows);
        }

        return file.End();
    }

    private static string MomentOf(Instant at, DateTimeZone zone) => Moments.Format(at.InZone(zone).LocalDateTime);

    private static string Safe(string text) => WebUtility.HtmlEncode(text);

    private void Begin(PersonRow person)
    {
        page.Append(CultureInfo.InvariantCulture, $$"""
            <!doctype html>
            <html lang="{Tongue.Spoken.Language}">
            <head>
            <meta charset="utf-8">
            <meta name="viewport" content="width=device-width">
            <title>{{Safe(person.Name)}}</title>
            <style>
            body { font: 16px/1.5 Georgia, serif; max-width: 60rem; margin: 2rem auto; padding: 0 1rem; }
            dt { color: #555; margin-top: .6rem; } dd { margin: 0; white-space: pre-wrap; overflow-wrap: anywhere; }
            details { margin: .4rem 0; } summary { cursor: pointer; }
            </style>
            </head>
            <body>
            <h1>{{Safe(person.Name)}}</h1>
            <p>All that is kept about this person. The same stands as data in the files beside this page.</p>

            """
        );
    }

    private void Section(string title, IEnumerable<(string When, string What)> lines)
    {
        page.Append(CultureInfo.InvariantCulture, $"<h2>{Safe(title)}</h2>\n<dl>\n");
        var any = false;
        foreach (var (when, what) in lines)
        {
            any = true;
            page.Append(CultureInfo.InvariantCulture, $"<dt>{Safe(when)}</dt><dd>{Safe(what)}</dd>\n");
        }

        page.Append(any ? "</dl>\n" : $"</dl>\n<p>{Said("Nothing.")}</p>\n");
    }

    private void Table(string name, IReadOnlyList<JsonElement> rows)
    {
        page.Append(CultureInfo.InvariantCulture, $"<details><summary>{Safe(name.Replace('_', ' '))} ({rows.Count})</summary>\n");
        foreach (var row in rows)
        {
            page.Append("<dl>\n");
            foreach (var value in row.EnumerateObject().Where(v => !Inner.Contains(v.Name) && v.Value.ValueKind != JsonValueKind.Null))
            {
                var text = value.Value.ValueKind == JsonValueKind.String ? value.Value.GetString()! : value.Value.GetRawText();
                if (text.Length > 0 && text is not "[]" and not "{}")
                {
                    page.Append(CultureInfo.InvariantCulture, $"<dt>{Safe(value.Name.Replace('_', ' '))}</dt><dd>{Safe(text)}</dd>\n");
                }
            }

            page.Append("</dl>\n");
        }

        page.Append("</details>\n");
    }

    private string End() => page.Append("</body>\n</html>\n").ToString();
}
