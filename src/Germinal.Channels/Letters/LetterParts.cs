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

    /// <summary>An offer of the practice, named by <see cref="NameAttribute"/>, shown as it is on the day the letter goes.</summary>
    public const string Offer = "offer";

    /// <summary>Figures of a table of the practice, named by <see cref="NameAttribute"/>, for the reader's area or a fixed one.</summary>
    public const string Figures = "figures";

    /// <summary>A form, named by <see cref="NameAttribute"/> with the last part of its address: in a letter the way to it, on a public page the form itself.</summary>
    public const string Form = "form";

    /// <summary>What an offer, a table of figures or a form is called.</summary>
    public const string NameAttribute = "data-of";

    /// <summary>Of figures: what says the area, a word of <see cref="LetterPlaces.AreaFields"/> or the key of a field of the practice's own.</summary>
    public const string FieldAttribute = "data-field";

    /// <summary>Of figures: the area itself, in the place of <see cref="FieldAttribute"/>.</summary>
    public const string AreaAttribute = "data-area";

    /// <summary>Of figures: <see cref="Hold"/> where a letter to somebody without any is held back; left out otherwise.</summary>
    public const string MissingAttribute = "data-missing";

    /// <summary>The word for holding a letter back.</summary>
    public const string Hold = "hold";

    /// <summary>Where a picture stands: <c>left</c>, <c>middle</c> or <c>right</c>.</summary>
    public const string AlignAttribute = "data-align";
}
