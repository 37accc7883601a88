namespace Germinal.Channels.Letters;

/// <summary>
/// What stands in a letter beside words: each part is an element with <c>data-part</c>, so that a body stays plain HTML that any
/// tool can read, and one that knows no parts still shows its words.
/// </summary>
public static class LetterParts
{
    /// <summary>The attribute that says what an element is.</summary>
    public const string Attribute = "data-part";

    /// <summary>A paragraph that holds one link, shown as a button.</summary>
    public const string Button = "button";

    /// <summary>A stretch of two or three <see cref="Column"/>s beside each other; one below the other on a phone.</summary>
    public const string Columns = "columns";

    /// <summary>One of them.</summary>
    public const string Column = "column";

    /// <summary>A passage only for those over whom the rule in <see cref="RuleAttribute"/> holds, of whom the program is about.</summary>
    public const string Only = "only";

    /// <summary>The rule of a passage, as a program file writes rules.</summary>
    public const string RuleAttribute = "data-rule";

    /// <summary>Where the sender signs, in the words and with the photograph they keep.</summary>
    public const string SignOff = "sign-off";

    /// <summary>Where a picture stands: <c>left</c>, <c>middle</c> or <c>right</c>.</summary>
    public const string AlignAttribute = "data-align";
}
