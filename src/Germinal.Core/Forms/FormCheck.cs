using System.Globalization;
using System.Text.RegularExpressions;
using Germinal.Core.Files;

namespace Germinal.Core.Forms;

/// <summary>What is wrong with a form itself, whatever the practice has.</summary>
public static partial class FormCheck
{
    /// <summary>The most questions a form has.</summary>
    public const int MostQuestions = 60;

    [GeneratedRegex("^[a-z][a-z0-9-]{0,39}\\z", RegexOptions.NonBacktracking)]
    private static partial Regex IdForm();

    /// <summary>What keeps it from being used, each with its place.</summary>
    public static IEnumerable<Finding> Errors(Form form)
    {
        if (form.Questions.Count is 0 or > MostQuestions)
        {
            yield return new Finding("/questions", Say($"A form asks from one to {MostQuestions} questions."));
        }

        for (var i = 0; i < form.Questions.Count; i++)
        {
            var pointer = string.Create(CultureInfo.InvariantCulture, $"/questions/{i}");
            foreach (var (key, message) in Of(form.Questions[i], [.. form.Questions.Take(i)]))
            {
                yield return new Finding($"{pointer}/{key}", message);
            }
        }

        foreach (var missing in form.InquiryWhen.Where(id => form.Questions.All(q => q.Id != id)))
        {
            yield return new Finding("/inquiryWhen", Say($"There is no question “{missing}”."));
        }

        if (!form.Questions.Any(Reaches))
        {
            yield return new Finding("/questions", Said("Nobody could be found by it: ask for an email address or a telephone number, and put it into email or mobile."));
        }

        if (form.DoubleOptIn && !form.Questions.Any(q => q is { Kind: QuestionKind.Email, Required: true, ShownIf: null }))
        {
            yield return new Finding("/doubleOptIn", Said("To be confirmed by mail it has to ask everybody for an email address."));
        }

        if (form.GoOn is { } address && !(Uri.TryCreate(address, UriKind.Absolute, out var uri) && uri.Scheme == Uri.UriSchemeHttps))
        {
            yield return new Finding("/goOn", Say($"“{address}” is no address to go on to; https://example.com/thanks would be."));
        }

        if (form.Opens is { } opens && form.Closes is { } closes && closes <= opens)
        {
            yield return new Finding("/closes", Said("It closes before it opens."));
        }

        if (form.AnswersItself != AnswersItself.Never && form.AnswerLetter is null)
        {
            yield return new Finding("/answerLetter", Said("It answers by itself, and no letter says what."));
        }
    }

    /// <summary>True for a question whose answer says how somebody is reached.</summary>
    private static bool Reaches(FormQuestion question) =>
        (question.Kind == QuestionKind.Email && question.Into?.Field == "email") || (question.Kind == QuestionKind.Phone && question.Into?.Field == "mobile");

    private static IEnumerable<(string Key, string Message)> Of(FormQuestion question, IReadOnlyList<FormQuestion> before)
    {
        if (!IdForm().IsMatch(question.Id))
        {
            yield return ("id", Say($"“{question.Id}” is no id: small letters, digits and hyphens, at most 40, beginning with a letter."));
        }
        else if (before.Any(b => b.Id == question.Id))
        {
            yield return ("id", Say($"Two questions have the id “{question.Id}”."));
        }

        var chooses = question.Kind is QuestionKind.Choice or QuestionKind.Choices;
        if (chooses && question.Options.Count == 0)
        {
            yield return ("options", Said("It offers nothing to choose from."));
        }

        if (!chooses && question.Options.Count > 0)
        {
            yield return ("options", Said("Only a choice has options."));
        }

        if (question.Options.Any(o => string.IsNullOrWhiteSpace(o) || o.Contains(';', StringComparison.Ordinal)))
        {
            yield return ("options", Said("An option is empty or has a semicolon; several answers are parted by it."));
        }

        if (question.Options.Count != question.Options.Distinct(StringComparer.OrdinalIgnoreCase).Count())
        {
            yield return ("options", Said("An option stands twice."));
        }

        if (question.Kind == QuestionKind.Consent && question.Consent is null)
        {
            yield return ("consent", Said("It does not say for which channel it gives consent."));
        }

        if (question.Kind != QuestionKind.Consent && question.Consent is not null)
        {
            yield return ("consent", Said("Only a consent gives consent."));
        }

        if (question is { Kind: QuestionKind.Consent, Required: true })
        {
            // Consent that has to be given to be answered is not given freely (Regulation (EU) 2016/679, article 7(4)).
            yield return ("required", Said("Consent is given freely: it cannot be required."));
        }

        if (question is { Kind: QuestionKind.Hidden, Required: true } or { Kind: QuestionKind.Hidden, ShownIf: not null })
        {
            yield return ("kind", Said("What is hidden is not asked: it can neither be required nor depend on an answer."));
        }

        if (question.Into is { } into && !IsPlace(into.Field))
        {
            yield return ("into", Say($"“{into.Field}” is no place at a person; {string.Join(", ", FormWords.PersonFields)}, custom:KEY or date:NAME would be."));
        }

        if (question.ShownIf is { } shown && before.FirstOrDefault(b => b.Id == shown.Question) is var asked)
        {
            if (asked is null)
            {
                yield return ("shownIf", Say($"There is no question “{shown.Question}” before it."));
            }
            else if (asked.Options.Count > 0 && shown.Answers.FirstOrDefault(a => !asked.Options.Contains(a, StringComparer.OrdinalIgnoreCase)) is { } never)
            {
                yield return ("shownIf", Say($"“{shown.Question}” is never answered with “{never}”."));
            }
        }
    }

    private static bool IsPlace(string field) =>
        FormWords.PersonFields.Contains(field, StringComparer.Ordinal)
        || (field.StartsWith(FormWords.OwnField, StringComparison.Ordinal) && field.Length > FormWords.OwnField.Length)
        || (field.StartsWith(FormWords.KeyDate, StringComparison.Ordinal) && field.Length > FormWords.KeyDate.Length);
}
