using Germinal.Core.Contact;
using Germinal.Core.Practices;

namespace Germinal.Core.Forms;

/// <summary>What somebody sent by a form, as it was understood.</summary>
/// <param name="Values">
/// By question: what was answered, in the form it is kept in; several choices parted by <c>;</c>, a consent that was given <c>yes</c>. Questions that were not
/// asked, or not answered, are not there.
/// </param>
/// <param name="Problems">By question: what is wrong, and what would be right; with any, the form is not taken.</param>
public sealed record FormAnswers(IReadOnlyDictionary<string, string> Values, IReadOnlyDictionary<string, string> Problems)
{
    /// <summary>The most letters of a long answer.</summary>
    public const int LongestAnswer = 5_000;

    private const int LongestLine = 300;

    /// <summary>Whether it is an inquiry: everything is answered that the form names for that (rule 17.1).</summary>
    public bool IsInquiry(Form form) => form.InquiryWhen.Count > 0 && form.InquiryWhen.All(Values.ContainsKey);

    /// <summary>What goes to the person: by place, the value.</summary>
    public IEnumerable<(AnswerPlace Place, string Value)> ForPerson(Form form) =>
        from question in form.Questions
        where question.Into is not null && Values.ContainsKey(question.Id)
        select (question.Into, Values[question.Id]);

    /// <summary>The consent that was given, each with the wording it was given to.</summary>
    public IEnumerable<(FormConsent Consent, string Wording)> Consent(Form form) =>
        from question in form.Questions
        where question.Consent is not null && Values.GetValueOrDefault(question.Id) == "yes"
        select (question.Consent, question.Ask);

    /// <summary>
    /// Reads what was posted. A question that is not asked, because of what was answered before it, is not read and not required, whatever was
    /// posted for it; what a form does not know is left alone.
    /// </summary>
    /// <param name="form">The form.</param>
    /// <param name="posted">By question, each value in its order; files by their name.</param>
    /// <param name="phone">A number as it was typed to E.164; null for one that is none.</param>
    public static FormAnswers Read(Form form, IReadOnlyDictionary<string, IReadOnlyList<string>> posted, Func<string, string?> phone)
    {
        var values = new Dictionary<string, string>(StringComparer.Ordinal);
        var problems = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var question in form.Questions.Where(q => IsAsked(q, values)))
        {
            var given = posted.GetValueOrDefault(question.Id, []).Select(Clean).Where(v => v.Length > 0).ToList();
            if (given.Count == 0 && question is { Kind: QuestionKind.Hidden, Value: { } own })
            {
                given = [own];
            }

            if (given.Count == 0)
            {
                if (question.Required)
                {
                    problems[question.Id] = Said("This has to be answered.");
                }

                continue;
            }

            var (value, problem) = Kept(question, given, phone);
            if (problem is not null)
            {
                problems[question.Id] = problem;
            }
            else if (value is { Length: > 0 })
            {
                values[question.Id] = value;
            }
        }

        return new FormAnswers(values, problems);
    }

    /// <summary>Whether a question is asked, given what the earlier ones were answered with.</summary>
    public static bool IsAsked(FormQuestion question, IReadOnlyDictionary<string, string> before) =>
        question.ShownIf is not { } shown
        || (
            before.TryGetValue(shown.Question, out var answer)
            && (shown.Answers.Count == 0 || answer.Split(';').Any(a => shown.Answers.Contains(a, StringComparer.OrdinalIgnoreCase)))
        );

    /// <summary>Words without what no line or letter has: control signs but for line feeds.</summary>
    private static string Clean(string typed) =>
        string.Concat(typed.ReplaceLineEndings("\n").Where(c => c == '\n' || !char.IsControl(c))).Trim();

    private static (string? Kept, string? Problem) Kept(FormQuestion question, List<string> given, Func<string, string?> phone)
    {
        var first = given[0];
        var longest = question.Kind is QuestionKind.LongText or QuestionKind.Address ? LongestAnswer : LongestLine;
        if (given.Any(g => g.Length > longest))
        {
            return (null, Say($"At most {longest:N0} letters can stand here."));
        }

        return question.Kind switch
        {
            QuestionKind.Email => Addresses.IsEmail(first.ToLowerInvariant()) ? (first.ToLowerInvariant(), null) : (null, Say($"“{first}” is not an email address; ida@example.com would be.")),
            QuestionKind.Phone => phone(first) is { } number ? (number, null) : (null, Say($"“{first}” is not a telephone number; (207) 555-0101 would be.")),
            QuestionKind.Choice => AsField(question, OwnFieldKind.Choice).Read(first),
            QuestionKind.Choices => AsField(question, OwnFieldKind.Choices).Read(string.Join(';', given)),
            QuestionKind.Date => AsField(question, OwnFieldKind.Date).Read(first),
            QuestionKind.YesNo => AsField(question, OwnFieldKind.YesNo).Read(first),
            QuestionKind.Number => AsField(question, OwnFieldKind.Number).Read(first),
            // A box that is posted at all is ticked (HTML: the value a box is sent with when it is checked).
            QuestionKind.Consent => first is "no" or "false" or "off" or "0" ? ("", null) : ("yes", null),
            QuestionKind.LongText or QuestionKind.Address => (first, null),
            _ => (first.ReplaceLineEndings(" "), null),
        };
    }

    /// <summary>Answers of these kinds are read as fields of the practice's own are.</summary>
    private static OwnField AsField(FormQuestion question, OwnFieldKind kind) => new(question.Id, question.Ask, kind, question.Options);
}
