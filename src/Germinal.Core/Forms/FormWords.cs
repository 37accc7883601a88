namespace Germinal.Core.Forms;

/// <summary>The words that form files use for what is chosen; the one place they stand.</summary>
public static class FormWords
{
    internal static readonly (string Word, QuestionKind Value)[] Kinds =
    [
        ("text", QuestionKind.Text),
        ("long-text", QuestionKind.LongText),
        ("email", QuestionKind.Email),
        ("phone", QuestionKind.Phone),
        ("choice", QuestionKind.Choice),
        ("choices", QuestionKind.Choices),
        ("date", QuestionKind.Date),
        ("yes-no", QuestionKind.YesNo),
        ("number", QuestionKind.Number),
        ("address", QuestionKind.Address),
        ("file", QuestionKind.File),
        ("consent", QuestionKind.Consent),
        ("hidden", QuestionKind.Hidden),
    ];

    internal static readonly (string Word, KnownValues Value)[] Known =
    [
        ("fill", KnownValues.Fill),
        ("take-over", KnownValues.TakeOver),
        ("ask", KnownValues.Ask),
    ];

    internal static readonly (string Word, AnswersItself Value)[] Answers =
    [
        ("never", AnswersItself.Never),
        ("outside-hours", AnswersItself.OutsideHours),
        ("always", AnswersItself.Always),
    ];

    /// <summary>Fields of everybody that an answer can go into, as files name them.</summary>
    public static IReadOnlyList<string> PersonFields { get; } = ["first-name", "last-name", "email", "mobile", "other-phone", "address"];

    /// <summary>Before the key of a field of the practice's own.</summary>
    public const string OwnField = "custom:";

    /// <summary>Before the name of a key date.</summary>
    public const string KeyDate = "date:";

    /// <summary>The word of a kind of question.</summary>
    public static string Of(QuestionKind kind) => Kinds.First(k => k.Value == kind).Word;
}
