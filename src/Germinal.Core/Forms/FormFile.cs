using System.Text.Json.Nodes;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Forms;

/// <summary>A form read from JSON, or everything that is wrong with it.</summary>
public sealed record FormReading(Form? Form, IReadOnlyList<Finding> Errors);

/// <summary>Reads and writes the form file, format <c>germinal.form/1</c>. A file with any error is refused whole, with every error listed.</summary>
public static class FormFile
{
    /// <summary>The format's name and version.</summary>
    public const string Format = "germinal.form/1";

    private const int MostSubmissions = 1_000_000;

    /// <summary>Reads a form file.</summary>
    /// <param name="json">The file's text.</param>
    public static FormReading Read(string json)
    {
        var errors = new List<Finding>();
        using var document = JsonObjectReader.Parse(json, errors);
        if (document is null || JsonObjectReader.For(document.RootElement, "", errors) is not { } root)
        {
            return new FormReading(null, errors);
        }

        root.Format(Format);
        var form = new Form
        {
            Name = root.Needed("name"),
            Title = root.Text("title") ?? "",
            Words = root.Text("words") ?? "",
            Questions = root.List("questions", ReadQuestion),
            InquiryWhen = root.Texts("inquiryWhen"),
            Known = root.Choice("known", KnownValues.Fill, FormWords.Known),
            DoubleOptIn = root.Flag("doubleOptIn"),
            Opens = ReadMoment(root, "opens"),
            Closes = ReadMoment(root, "closes"),
            Most = root.Has("most") ? root.Number("most", 1, 1, MostSubmissions) : null,
            WaitingList = root.Flag("waitingList"),
            Closed = root.Text("closed") ?? "",
            Thanks = root.Text("thanks") ?? "",
            GoOn = root.Text("goOn"),
            Tags = root.Texts("tags"),
            List = root.Text("list"),
            Topic = root.Text("topic"),
            Program = root.Text("program"),
            Opportunity = root.Text("opportunity"),
            AnswersItself = root.Choice("answersItself", AnswersItself.Never, FormWords.Answers),
            AnswerLetter = root.Text("answerLetter"),
        };
        root.Done();
        errors.AddRange(FormCheck.Errors(form));
        return new FormReading(errors.Count == 0 ? form : null, errors);
    }

    private static Instant? ReadMoment(JsonObjectReader root, string key)
    {
        if (root.Text(key) is not { } text)
        {
            return null;
        }

        return InstantPattern.ExtendedIso.Parse(text) is { Success: true, Value: var moment }
            ? moment
            : root.Bad<Instant?>(key, Say($"“{text}” is no moment; 2027-05-13T18:30:00Z would be."));
    }

    private static FormQuestion? ReadQuestion(JsonObjectReader o)
    {
        var question = new FormQuestion
        {
            Id = o.Needed("id"),
            Kind = o.Choice("kind", QuestionKind.Text, FormWords.Kinds),
            Ask = o.Needed("ask"),
            Help = o.Text("help"),
            Required = o.Flag("required"),
            Options = o.Texts("options"),
            ShownIf = o.Object("shownIf") is { } shown ? ReadShownIf(shown) : null,
            Into = o.Text("into") is { } field ? new AnswerPlace(field) : null,
            Consent = o.Object("consent") is { } consent ? ReadConsent(consent) : null,
            Value = o.Text("value"),
        };
        o.Done();
        return question;
    }

    private static ShownIf ReadShownIf(JsonObjectReader o)
    {
        var shown = new ShownIf(o.Needed("question"), o.Texts("answers"));
        o.Done();
        return shown;
    }

    private static FormConsent ReadConsent(JsonObjectReader o)
    {
        var consent = new FormConsent(o.Choice("channel", Channel.Email, ContactWords.Channels), o.Text("topic"));
        o.Done();
        return consent;
    }

    /// <summary>The form as a file that is read again as it stands.</summary>
    public static JsonObject Write(Form form)
    {
        var file = new JsonObject { ["format"] = Format, ["name"] = form.Name };
        Put(file, "title", form.Title);
        Put(file, "words", form.Words);
        file["questions"] = new JsonArray([.. form.Questions.Select(q => (JsonNode)Write(q))]);
        Put(file, "inquiryWhen", form.InquiryWhen);
        file["known"] = FormWords.Known.First(k => k.Value == form.Known).Word;
        file["doubleOptIn"] = form.DoubleOptIn;
        Put(file, "opens", form.Opens is { } opens ? InstantPattern.ExtendedIso.Format(opens) : null);
        Put(file, "closes", form.Closes is { } closes ? InstantPattern.ExtendedIso.Format(closes) : null);
        if (form.Most is { } most)
        {
            file["most"] = most;
        }

        file["waitingList"] = form.WaitingList;
        Put(file, "closed", form.Closed);
        Put(file, "thanks", form.Thanks);
        Put(file, "goOn", form.GoOn);
        Put(file, "tags", form.Tags);
        Put(file, "list", form.List);
        Put(file, "topic", form.Topic);
        Put(file, "program", form.Program);
        Put(file, "opportunity", form.Opportunity);
        file["answersItself"] = FormWords.Answers.First(a => a.Value == form.AnswersItself).Word;
        Put(file, "answerLetter", form.AnswerLetter);
        return file;
    }

    private static JsonObject Write(FormQuestion question)
    {
        var o = new JsonObject
        {
            ["id"] = question.Id,
            ["kind"] = FormWords.Of(question.Kind),
            ["ask"] = question.Ask,
        };
        Put(o, "help", question.Help);
        if (question.Required)
        {
            o["required"] = true;
        }

        Put(o, "options", question.Options);
        if (question.ShownIf is { } shown)
        {
            o["shownIf"] = new JsonObject { ["question"] = shown.Question };
            Put(o["shownIf"]!.AsObject(), "answers", shown.Answers);
        }

        Put(o, "into", question.Into?.Field);
        if (question.Consent is { } consent)
        {
            o["consent"] = new JsonObject { ["channel"] = ContactWords.Of(consent.Channel) };
            Put(o["consent"]!.AsObject(), "topic", consent.Topic);
        }

        Put(o, "value", question.Value);
        return o;
    }

    private static void Put(JsonObject o, string key, string? text)
    {
        if (!string.IsNullOrEmpty(text))
        {
            o[key] = text;
        }
    }

    private static void Put(JsonObject o, string key, IReadOnlyList<string> texts)
    {
        if (texts.Count > 0)
        {
            o[key] = new JsonArray([.. texts.Select(t => (JsonNode)t)]);
        }
    }
}
