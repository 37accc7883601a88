using System.Collections.Concurrent;
using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text;
using AngleSharp.Dom;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Words;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Channels.Letters;

/// <summary>
/// Puts offers and figures into letters: what stands in their places is plain HTML of a letter, worked out once for a date and an
/// area, and goes the way of everything else that is written. What is lacking is marked, so that it counts only for those who get the
/// passage it stands in.
/// </summary>
public static class LetterPlaces
{
    // Around a sentence of what is lacking. Outside of the marks that bodies are freed of, and found nowhere else.
    private const char LackBegins = '\uE100';
    private const char LackEnds = '\uE101';

    // Of one step: a date and area each. More than a practice has areas and days under way; then it begins anew.
    private const int MostKept = 2_000;

    private static string MonthOf(LocalDate month) => Tongue.Spoken.Dates.Month.Format(month);
    private static readonly ConditionalWeakTable<EmailStep, Placed> Steps = [];

    /// <summary>A step's places as they were worked out from what a practice keeps; when that changes, all of it is worked out anew.</summary>
    /// <param name="Kept">What the practice keeps.</param>
    /// <param name="Fields">The fields its figures ask for.</param>
    private sealed record Placed(KeptThings? Kept, IReadOnlyList<string> Fields)
    {
        public ConcurrentDictionary<string, EmailStep> ByPlace { get; } = new(StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>Fields that can say somebody's area, beside those of the practice's own.</summary>
    public static IReadOnlyList<string> AreaFields { get; } = ["city", "state", "postalCode", "country"];

    /// <summary>Whether a body has places for offers or figures.</summary>
    public static bool MayStandIn(string body) => body.Contains(LetterParts.NameAttribute, StringComparison.OrdinalIgnoreCase);

    /// <summary>The email with everything in its places, as it is for somebody on a day; the very same where it has no places.</summary>
    /// <param name="step">The email.</param>
    /// <param name="person">Whom it is about: figures are those of their area.</param>
    /// <param name="practice">The practice; where nobody has said what it keeps, places stay empty and lack nothing.</param>
    /// <param name="at">When it goes out.</param>
    /// <param name="baseUrl">Where public pages are reached, without a slash at the end.</param>
    public static EmailStep For(EmailStep step, PersonFacts person, Practice practice, Instant at, string baseUrl)
    {
        if (!MayStandIn(step.Body))
        {
            return step;
        }

        // Whoever still works with what was kept before keeps to its own; nothing of it comes among what is worked out now.
        if (!Steps.TryGetValue(step, out var placed) || !ReferenceEquals(placed.Kept, practice.Kept) || placed.ByPlace.Count > MostKept)
        {
            placed = new Placed(practice.Kept, FieldsIn(step.Body));
            Steps.AddOrUpdate(step, placed);
        }

        var date = at.InZone(practice.Zone).Date;
        var areas = placed.Fields.Select(f => AreaOf(person, f));
        return placed.ByPlace.GetOrAdd($"{baseUrl}\n{date}\n{string.Join('\n', areas)}", _ => step with { Body = Put(step.Body, person, practice.Kept ?? KeptThings.None, practice.Kept is not null, date, baseUrl) });
    }

    /// <summary>What is lacking in a filled text, as sentences, and the text without their marks.</summary>
    public static (string Text, IReadOnlyList<string> Lacking) TakeLacking(string text)
    {
        if (!text.Contains(LackBegins, StringComparison.Ordinal))
        {
            return (text, []);
        }

        var lacking = new List<string>();
        var rest = new StringBuilder(text.Length);
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] != LackBegins)
            {
                rest.Append(text[i]);
                continue;
            }

            var end = text.IndexOf(LackEnds, i);
            end = end < 0 ? text.Length : end;
            lacking.Add(System.Net.WebUtility.HtmlDecode(text[(i + 1)..end]));
            i = end;
        }

        return (rest.ToString(), lacking);
    }

    /// <summary>What a body takes its places from: the part's kind, what it is called, and its element.</summary>
    public static IReadOnlyList<(string Part, string Name)> In(string body) =>
        MayStandIn(body) ? [.. PlacesOf(LetterHtml.Parse(body)).Select(p => (p.GetAttribute(LetterParts.Attribute)!, p.GetAttribute(LetterParts.NameAttribute) ?? ""))] : [];

    private static IEnumerable<IElement> PlacesOf(IDocument document) =>
        document.QuerySelectorAll($"[{LetterParts.Attribute}={LetterParts.Offer}],[{LetterParts.Attribute}={LetterParts.Figures}],[{LetterParts.Attribute}={LetterParts.Form}]").ToList();

    /// <summary>The fields of people that a body's figures ask for.</summary>
    private static IReadOnlyList<string> FieldsIn(string body) =>
        [.. PlacesOf(LetterHtml.Parse(body)).Select(p => p.GetAttribute(LetterParts.FieldAttribute)).OfType<string>().Distinct(StringComparer.Ordinal)];

    /// <summary>Somebody's area by a field; null where they have no value for it.</summary>
    private static string? AreaOf(PersonFacts person, string field) =>
        field switch
        {
            "city" => person.Place.City,
            "state" => person.Place.State,
            "postalCode" => person.Place.PostalCode,
            "country" => person.Place.Country,
            _ => person.Custom.GetValueOrDefault(field),
        };

    private static string Put(string body, PersonFacts person, KeptThings things, bool known, LocalDate date, string baseUrl)
    {
        var clean = string.Concat(body.Where(c => c is not (LackBegins or LackEnds)));
        var document = LetterHtml.Parse(LetterHtml.FromBody(clean));
        foreach (var place in PlacesOf(document))
        {
            var name = place.GetAttribute(LetterParts.NameAttribute) ?? "";
            var (html, lack) =
                !known ? ("", null)
                : place.GetAttribute(LetterParts.Attribute) == LetterParts.Offer ? OfferIn(things, name, date)
                : place.GetAttribute(LetterParts.Attribute) == LetterParts.Form ? FormIn(things, name, baseUrl)
                : FiguresIn(things, name, place, person, date, baseUrl);
            place.OuterHtml = lack is null ? html : $"<p>{LackBegins}{LetterHtml.Encode(lack)}{LackEnds}</p>";
        }

        return document.Body!.InnerHtml;
    }

    private static (string Html, string? Lack) OfferIn(KeptThings things, string name, LocalDate date)
    {
        var place = OfferPlace.Of(things.Offers, name, date);
        return (place.Shown is { } offer ? HtmlOf(offer) : "", place.Lack);
    }

    /// <summary>A form as it stands in a letter: its name as a button that leads to it.</summary>
    private static (string Html, string? Lack) FormIn(KeptThings things, string slug, string baseUrl) =>
        things.Forms.TryGetValue(slug, out var heading)
            ? ($"<p {LetterParts.Attribute}=\"{LetterParts.Button}\"><a href=\"{LetterHtml.Encode($"{baseUrl}{PublicLinks.FormRoot}/{slug}")}\" data-name=\"{LetterHtml.Encode(heading)}\">{LetterHtml.Encode(heading)}</a></p>", null)
            : ("", NoForm(slug));

    /// <summary>What is said of a form that is not there, or that nobody can open.</summary>
    public static string NoForm(string slug) => Say($"There is no form “{slug}” that everybody can open.");

    // Where the form of a page stands until the page is put together: outside of the marks that bodies are freed of, and freed of here.
    private const string FormMark = "\uE110";

    /// <summary>A body whose first form gives its place up to the form itself, and that form's name; others stay the way to theirs.</summary>
    public static (string Body, string? Form) TakeForm(string body)
    {
        var clean = body.Replace(FormMark, "", StringComparison.Ordinal);
        if (!MayStandIn(clean))
        {
            return (clean, null);
        }

        var document = LetterHtml.Parse(LetterHtml.FromBody(clean));
        if (document.QuerySelector($"[{LetterParts.Attribute}={LetterParts.Form}]") is not { } place)
        {
            return (clean, null);
        }

        var name = place.GetAttribute(LetterParts.NameAttribute) ?? "";
        place.OuterHtml = $"<p>{FormMark}</p>";
        return (document.Body!.InnerHtml, name);
    }

    /// <summary>Words with the form's HTML where <see cref="TakeForm"/> marked its place; at the end where that place has gone with a passage around it.</summary>
    public static string PutForm(string words, string form)
    {
        var mark = $"<p>{FormMark}</p>";
        return words.Contains(mark, StringComparison.Ordinal) ? words.Replace(mark, form, StringComparison.Ordinal) : words + form;
    }

    /// <summary>An offer as it stands in a letter: picture, name, facts, price, until when, and its page as a button.</summary>
    public static string HtmlOf(Offer offer)
    {
        var html = new StringBuilder();
        if (offer.Picture is { } picture)
        {
            html.Append(CultureInfo.InvariantCulture, $"<p><img src=\"{picture}\" alt=\"{LetterHtml.Encode(offer.PictureWords)}\" width=\"544\"></p>");
        }

        html.Append(CultureInfo.InvariantCulture, $"<h3>{LetterHtml.Encode(offer.Name)}</h3>");
        var facts = offer.Facts.ReplaceLineEndings("\n").Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (facts.Length > 0)
        {
            html.Append("<ul>").AppendJoin("", facts.Select(f => $"<li>{LetterHtml.Encode(f)}</li>")).Append("</ul>");
        }

        var until = offer.Until is { } last ? Say($"until {Tongue.Spoken.Dates.Date.Format(last)}") : "";
        string[] said = [offer.Price.Length > 0 ? $"<strong>{LetterHtml.Encode(offer.Price)}</strong>" : "", until];
        if (said.Any(s => s.Length > 0))
        {
            html.Append("<p>").AppendJoin(", ", said.Where(s => s.Length > 0)).Append("</p>");
        }

        if (offer.Page is { } page)
        {
            html.Append(
                CultureInfo.InvariantCulture,
                $"<p {LetterParts.Attribute}=\"{LetterParts.Button}\"><a href=\"{LetterHtml.Encode(page)}\" data-name=\"{LetterHtml.Encode(offer.Name)}\">{Said("See it")}</a></p>"
            );
        }

        return html.ToString();
    }

    private static (string Html, string? Lack) FiguresIn(KeptThings things, string name, IElement place, PersonFacts person, LocalDate date, string baseUrl)
    {
        if (!things.Figures.TryGetValue(name, out var table))
        {
            return ("", Say($"There are no figures “{name}”."));
        }

        var field = place.GetAttribute(LetterParts.FieldAttribute);
        var area = place.GetAttribute(LetterParts.AreaAttribute) ?? (field is null ? null : AreaOf(person, field));
        var readings = area is null ? [] : table.Read(area, date);
        if (readings.Count == 0)
        {
            var hold = place.GetAttribute(LetterParts.MissingAttribute) == LetterParts.Hold;
            return ("", hold ? Say($"There are no figures of “{table.Name}” for {(area is null ? Said("an area nobody knows") : $"“{area}”")}.") : null);
        }

        return (HtmlOf(table, area!.Trim(), readings, baseUrl), null);
    }

    /// <summary>An area's figures as they stand in a letter: a table, the course of the first as a picture, and the way to the newest.</summary>
    private static string HtmlOf(FigureTable table, string area, IReadOnlyList<FigureReading> readings, string baseUrl)
    {
        var html = new StringBuilder();
        html.Append(CultureInfo.InvariantCulture, $"<h3>{LetterHtml.Encode(table.Name)}: {LetterHtml.Encode(area)}, {MonthOf(readings.Max(r => r.Newest.Month))}</h3>");
        html.Append(CultureInfo.InvariantCulture, $"<table><tr><th></th><th></th><th>{Said("in a month")}</th><th>{Said("in a year")}</th></tr>");
        foreach (var reading in readings)
        {
            html.Append(
                CultureInfo.InvariantCulture,
                $"<tr><td>{LetterHtml.Encode(reading.Measure.Name)}</td><td>{LetterHtml.Encode(reading.Measure.Say(reading.Newest.Value))}</td><td>{reading.OnMonth ?? "–"}</td><td>{reading.OnYear ?? "–"}</td></tr>"
            );
        }

        html.Append("</table>");
        var first = readings[0];
        if (first.Course.Count > 2)
        {
            html.Append(CultureInfo.InvariantCulture, $"<p><img src=\"{baseUrl}{CurveAddress(table, area, first)}\" alt=\"{LetterHtml.Encode(InWords(first))}\" width=\"400\"></p>");
        }

        html.Append(CultureInfo.InvariantCulture, $"<p><a href=\"{baseUrl}{PageAddress(table)}\" data-name=\"{LetterHtml.Encode(table.Name)}\">{Said("The newest figures")}</a></p>");
        return html.ToString();
    }

    /// <summary>The lasting address of a table's page, after the base address.</summary>
    public static string PageAddress(FigureTable table) => $"/g/{table.Key}";

    private static string CurveAddress(FigureTable table, string area, FigureReading reading) =>
        $"/g/{table.Key}/curve.png?area={Uri.EscapeDataString(area)}&amp;of={Uri.EscapeDataString(reading.Measure.Name)}&amp;to={LocalDatePattern.Iso.Format(reading.Newest.Month)[..7]}";

    /// <summary>A curve in words, for those who do not see it.</summary>
    public static string InWords(FigureReading reading)
    {
        var (least, most) = (reading.Course.MinBy(f => f.Value), reading.Course.MaxBy(f => f.Value));
        string At(Figure f) => Say($"{reading.Measure.Say(f.Value)} in {MonthOf(f.Month)}");
        return Say($"{reading.Measure.Name}: from {At(reading.Course[0])} to {At(reading.Course[^1])}; least {At(least)}, most {At(most)}.");
    }
}
