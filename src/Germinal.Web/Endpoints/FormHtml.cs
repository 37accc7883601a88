using System.Globalization;
using System.Text;
using Germinal.Core.Forms;
using Germinal.Core.Practices;
using Germinal.Core.Words;
using Germinal.Service.Forms;
using Germinal.Store.Rows;

namespace Germinal.Web.Endpoints;

/// <summary>How a form is shown.</summary>
/// <param name="Action">Where it is sent to; null for a preview, which is sent nowhere.</param>
/// <param name="Token">The page's mark; null for a preview.</param>
/// <param name="Framed">Whether it stands in another page.</param>
/// <param name="Reader">Who it is shown to, as their link says it; null for anybody.</param>
/// <param name="Known">By question, what is known of the reader already, in words nobody else can use.</param>
/// <param name="CameFrom">The page it stands in.</param>
/// <param name="Sent">What was sent, where it has to be put right.</param>
/// <param name="Problems">By question, what has to be put right.</param>
/// <param name="Word">A word above it; null for none.</param>
/// <param name="Choose">What is to be chosen before its questions, as HTML; empty for nothing.</param>
/// <param name="Press">What its button says.</param>
public sealed record FormShowing(
    string? Action,
    string? Token,
    bool Framed = false,
    string? Reader = null,
    IReadOnlyDictionary<string, string>? Known = null,
    string? CameFrom = null,
    IReadOnlyDictionary<string, IReadOnlyList<string>>? Sent = null,
    IReadOnlyDictionary<string, string>? Problems = null,
    string? Word = null,
    string Choose = "",
    string Press = "Send"
);

/// <summary>
/// Public pages of forms as HTML: works without script, by keyboard, on a phone, in the practice's colour. Fields of the page's own have names with a
/// dot, which no question has.
/// </summary>
public static class FormHtml
{
    /// <summary>The page's mark.</summary>
    public const string TokenField = "g.token";

    /// <summary>What its script worked out.</summary>
    public const string WorkField = "g.work";

    /// <summary>A field nobody sees; who fills it is no person.</summary>
    public const string HiddenField = "g.website";

    /// <summary>Who it was shown to.</summary>
    public const string ReaderField = "g.reader";

    /// <summary>The page it stands in.</summary>
    public const string FromField = "g.from";

    /// <summary>The path of the page, where a link to it is asked for.</summary>
    public const string PageField = "g.page";

    /// <summary>Whether it stands in another page.</summary>
    public const string FramedField = "g.framed";

    private const int MostAsLines = 7;

    /// <summary>The page.</summary>
    public static string Page(Form form, PracticeRow practice, FormShowing how) => Dress(form.Heading, Inside(form, how), practice, how.Framed, script: how.Action is not null);

    /// <summary>A form as it stands in a page: its words, what is wrong, and its questions.</summary>
    public static string Inside(Form form, FormShowing how)
    {
        var body = new StringBuilder();
        if (how.Word is { } word)
        {
            body.Append("<p role=\"status\"><b>").Append(PublicPages.Encode(word)).Append("</b></p>");
        }

        if (how.Problems is { Count: > 0 } problems)
        {
            body.Append(CultureInfo.InvariantCulture, $"<div role=\"alert\" tabindex=\"-1\" autofocus class=\"wrong\"><p><b>{Said("This has to be put right:")}</b></p><ul>");
            foreach (var question in form.Questions.Where(q => problems.ContainsKey(q.Id)))
            {
                body.Append("<li><a href=\"#q-").Append(question.Id).Append("\">").Append(PublicPages.Encode(question.Ask)).Append("</a>: ").Append(PublicPages.Encode(problems[question.Id])).Append("</li>");
            }

            body.Append("</ul></div>");
        }

        body.Append(Paragraphs(form.Words));
        var files = form.Questions.Any(q => q.Kind == QuestionKind.File);
        body.Append("<form id=\"form\" method=\"post\"").Append(how.Action is { } action ? $" action=\"{PublicPages.Encode(action)}\"" : " onsubmit=\"return false\"").Append(files ? " enctype=\"multipart/form-data\"" : "").Append(" novalidate>");
        body.Append(how.Choose);
        foreach (var question in form.Questions)
        {
            Question(body, form, question, how);
        }

        foreach (var (name, value) in new[] { (TokenField, how.Token), (WorkField, ""), (ReaderField, how.Reader), (FromField, how.CameFrom), (FramedField, how.Framed ? "1" : null) })
        {
            if (value is not null)
            {
                body.Append("<input type=\"hidden\" name=\"").Append(name).Append("\" value=\"").Append(PublicPages.Encode(value)).Append("\">");
            }
        }

        // Not shown, not read out, not reached by the keyboard.
        body.Append(CultureInfo.InvariantCulture, $"<div class=\"apart\" aria-hidden=\"true\"><label>{Said("Leave this empty")} <input type=\"text\" name=\"").Append(HiddenField).Append("\" tabindex=\"-1\" autocomplete=\"off\"></label></div>");
        body.Append("<button type=\"submit\">").Append(PublicPages.Encode(how.Press)).Append("</button></form>");
        if (how is { Known.Count: > 0, Reader: { } reader, Action: { } page })
        {
            body.Append("<form method=\"post\" action=\"").Append(OwnLinks.Root).Append(CultureInfo.InvariantCulture, $"\" class=\"mine\"><p class=\"help\">{Said("Some of it is covered, since a letter can be passed on.")}</p>");
            body.Append("<input type=\"hidden\" name=\"").Append(ReaderField).Append("\" value=\"").Append(PublicPages.Encode(reader)).Append("\"><input type=\"hidden\" name=\"").Append(PageField).Append("\" value=\"").Append(PublicPages.Encode(page)).Append("\">");
            body.Append(CultureInfo.InvariantCulture, $"<button type=\"submit\" class=\"plain\">{Said("Mail me a link that shows it all")}</button></form>");
        }

        return body.ToString();
    }

    /// <summary>A page that says something: thanks, closed, confirm.</summary>
    /// <param name="title">Its head.</param>
    /// <param name="html">What it says.</param>
    /// <param name="practice">In whose dress.</param>
    /// <param name="framed">Whether it stands in another page.</param>
    /// <param name="script">Whether its script says moments in the reader's zone.</param>
    public static string Says(string title, string html, PracticeRow practice, bool framed, bool script = false) => Dress(title, html, practice, framed, script || framed);

    /// <summary>Words as paragraphs; a blank line parts them.</summary>
    public static string Paragraphs(string words) =>
        string.Concat(
            words.ReplaceLineEndings("\n").Split("\n\n", StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Select(p => $"<p>{PublicPages.Encode(p).Replace("\n", "<br>", StringComparison.Ordinal)}</p>")
        );

    /// <summary>A page in the practice's colour, with its picture and name above and its address below.</summary>
    /// <param name="title">Its title.</param>
    /// <param name="body">What stands in it.</param>
    /// <param name="practice">Whose.</param>
    /// <param name="framed">Whether it stands in another page.</param>
    /// <param name="script">Whether it has the pages' script.</param>
    /// <param name="meta">What its head says beside; for search and sharing.</param>
    /// <param name="withTitle">Whether the title stands above what is in it.</param>
    internal static string Dress(string title, string body, PracticeRow practice, bool framed, bool script, string meta = "", bool withTitle = true)
    {
        var colour = Colour.TryParse(practice.Settings.Colour);
        var style = colour is { } own ? $"<style>:root{{--leaf:{own.Hex};--on:{own.On}}}@media (prefers-color-scheme:dark){{:root{{--leaf:{own.OnDark};--on:#14210f}}}}</style>" : "";
        if (Colour.TryParse(practice.Settings.GroundColour) is { } ground)
        {
            style += $"<style>body>header{{background:{ground.Hex};color:{ground.On};padding-bottom:20px}}</style>";
        }

        var head = framed ? "" : $"<header>{(practice.Settings.PictureId is { } picture ? $"<img src=\"/i/{picture}\" alt=\"\">" : "")}<p>{PublicPages.Encode(practice.Name)}</p></header>";
        var foot = framed ? "" : $"<footer>{PublicPages.Encode(practice.Name)}{(practice.Settings.PostalAddress.Length > 0 ? $" · {PublicPages.Encode(practice.Settings.PostalAddress.ReplaceLineEndings(", "))}" : "")}</footer>";
        return $"<!doctype html><html lang=\"{Tongue.Spoken.Language}\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"><title>{PublicPages.Encode(title)}</title>{meta}<link rel=\"stylesheet\" href=\"/public.css\">{style}{(script ? "<script src=\"/form.js\" defer></script>" : "")}</head><body class=\"form{(framed ? " framed" : "")}\">{head}<main>{(withTitle ? $"<h1>{PublicPages.Encode(title)}</h1>" : "")}{body}</main>{foot}</body></html>";
    }

    private static void Question(StringBuilder body, Form form, FormQuestion q, FormShowing how)
    {
        var sent = how.Sent?.GetValueOrDefault(q.Id) ?? [];
        if (q.Kind == QuestionKind.Hidden)
        {
            var value = sent.Count > 0 ? sent[0] : q.Value;
            if (value is not null)
            {
                body.Append("<input type=\"hidden\" name=\"").Append(q.Id).Append("\" value=\"").Append(PublicPages.Encode(value)).Append("\">");
            }

            return;
        }

        var problem = how.Problems?.GetValueOrDefault(q.Id);
        var known = how.Known?.GetValueOrDefault(q.Id);
        body.Append("<div class=\"q\" id=\"q-").Append(q.Id).Append('"');
        if (q.ShownIf is { } shown)
        {
            body.Append(" data-if=\"").Append(shown.Question).Append("\" data-answers=\"").Append(PublicPages.Encode(string.Join(';', shown.Answers))).Append('"');
        }

        body.Append('>');
        if (q.ShownIf is { } only && form.Questions.FirstOrDefault(x => x.Id == only.Question) is { } before)
        {
            var answers = string.Join(Said(" or "), only.Answers.Select(a => Say($"“{a}”")));
            body.Append("<p class=\"only\">").Append(PublicPages.Encode(answers.Length > 0 ? Say($"Only if “{before.Ask}” is {answers}:") : Say($"Only if “{before.Ask}” is answered:"))).Append("</p>");
        }

        var notes = new List<string>();
        if (q.Help is { Length: > 0 })
        {
            notes.Add($"h-{q.Id}");
        }

        if (problem is not null)
        {
            notes.Add($"e-{q.Id}");
        }

        var described = notes.Count > 0 ? $" aria-describedby=\"{string.Join(' ', notes)}\"" : "";
        var invalid = problem is null ? "" : " aria-invalid=\"true\"";
        var needed = q.Required && known is null ? " aria-required=\"true\"" : "";
        Field(body, q, sent, known, described + invalid, needed);
        if (q.Help is { Length: > 0 } help)
        {
            body.Append("<p class=\"help\" id=\"h-").Append(q.Id).Append("\">").Append(PublicPages.Encode(help)).Append("</p>");
        }

        if (problem is not null)
        {
            body.Append("<p class=\"error\" id=\"e-").Append(q.Id).Append("\">").Append(PublicPages.Encode(problem)).Append("</p>");
        }

        body.Append("</div>");
    }

    private static void Field(StringBuilder body, FormQuestion q, IReadOnlyList<string> sent, string? known, string more, string needed)
    {
        var ask = PublicPages.Encode(q.Ask) + (q.Kind == QuestionKind.Consent ? "" : q.Required ? "" : $" <span class=\"may\">{Said("(if you like)")}</span>");
        var first = sent.Count > 0 ? PublicPages.Encode(sent[0]) : "";
        var id = q.Id;
        switch (q.Kind)
        {
            case QuestionKind.Consent:
                body.Append(CultureInfo.InvariantCulture, $"<label class=\"box\"><input type=\"checkbox\" name=\"{id}\" value=\"yes\"{(sent.Count > 0 ? " checked" : "")}{more}> <span>{ask}</span></label>");
                return;
            case QuestionKind.Choices:
                Boxes(body, q, "checkbox", q.Options, sent, ask, more);
                return;
            case QuestionKind.YesNo:
                Boxes(body, q, "radio", ["yes", "no"], sent, ask, more);
                return;
            case QuestionKind.Choice when q.Options.Count <= MostAsLines:
                Boxes(body, q, "radio", q.Options, sent, ask, more);
                return;
            case QuestionKind.Choice:
                body.Append(CultureInfo.InvariantCulture, $"<label for=\"f-{id}\">{ask}</label><select id=\"f-{id}\" name=\"{id}\"{more}{needed}><option value=\"\"></option>");
                foreach (var option in q.Options)
                {
                    body.Append("<option").Append(Chosen(sent, option) ? " selected" : "").Append('>').Append(PublicPages.Encode(option)).Append("</option>");
                }

                body.Append("</select>");
                return;
            case QuestionKind.LongText or QuestionKind.Address:
                body.Append(CultureInfo.InvariantCulture, $"<label for=\"f-{id}\">{ask}</label><textarea id=\"f-{id}\" name=\"{id}\" rows=\"{(q.Kind == QuestionKind.Address ? 3 : 5)}\" maxlength=\"{FormAnswers.LongestAnswer}\"{Complete(q)}{more}{needed}{Placeholder(known)}>{first}</textarea>");
                return;
            default:
                var type = q.Kind switch
                {
                    QuestionKind.Email => "email",
                    QuestionKind.Phone => "tel",
                    QuestionKind.Date => "date",
                    QuestionKind.File => "file",
                    _ => "text",
                };
                var mode = q.Kind == QuestionKind.Number ? " inputmode=\"decimal\"" : "";
                body.Append(CultureInfo.InvariantCulture, $"<label for=\"f-{id}\">{ask}</label><input id=\"f-{id}\" type=\"{type}\" name=\"{id}\"{(q.Kind == QuestionKind.File ? "" : $" value=\"{first}\"")}{mode}{Complete(q)}{more}{needed}{Placeholder(known)}>");
                if (known is not null)
                {
                    body.Append(CultureInfo.InvariantCulture, $"<p class=\"help\">{Said("We have")} ").Append(PublicPages.Encode(known)).Append(". Leave it empty where that still holds.</p>");
                }

                return;
        }
    }

    private static string Placeholder(string? known) => known is null ? "" : $" placeholder=\"{PublicPages.Encode(known)}\"";

    private static bool Chosen(IReadOnlyList<string> sent, string option) => sent.Any(s => s.Split(';').Contains(option, StringComparer.OrdinalIgnoreCase));

    private static void Boxes(StringBuilder body, FormQuestion q, string type, IReadOnlyList<string> options, IReadOnlyList<string> sent, string ask, string more)
    {
        body.Append(CultureInfo.InvariantCulture, $"<fieldset{more}><legend>{ask}</legend>");
        foreach (var option in options)
        {
            body.Append(CultureInfo.InvariantCulture, $"<label class=\"box\"><input type=\"{type}\" name=\"{q.Id}\" value=\"{PublicPages.Encode(option)}\"{(Chosen(sent, option) ? " checked" : "")}> <span>{PublicPages.Encode(option)}</span></label>");
        }

        body.Append("</fieldset>");
    }

    /// <summary>What a browser may fill in by itself (HTML, autofill detail tokens; WCAG 1.3.5).</summary>
    private static string Complete(FormQuestion q) =>
        q.Into?.Field switch
        {
            "first-name" => " autocomplete=\"given-name\"",
            "last-name" => " autocomplete=\"family-name\"",
            "email" => " autocomplete=\"email\"",
            "mobile" => " autocomplete=\"tel\"",
            "address" => " autocomplete=\"street-address\"",
            _ => "",
        };
}
