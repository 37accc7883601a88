namespace Germinal.Core.Messages;

/// <summary>What a whole text message says about further texts (rule 10.6).</summary>
public enum TextWish
{
    /// <summary>Nothing.</summary>
    None,

    /// <summary>No more texts.</summary>
    Stop,

    /// <summary>Texts again.</summary>
    Start,

    /// <summary>Who is this?</summary>
    Help,
}

/// <summary>The words that take consent for texts back or give it again.</summary>
public static class OptOutWords
{
    // 47 CFR 64.1200(a)(10) names these; STOPALL, and those of the other two lists, are common practice, no source.
    private static readonly string[] Stops = ["STOP", "QUIT", "END", "REVOKE", "OPTOUT", "CANCEL", "UNSUBSCRIBE", "STOPALL"];
    private static readonly string[] Starts = ["START", "UNSTOP", "YES"];

    /// <summary>What a reply wishes, but for case, spaces and punctuation; more words around it make it an answer to read.</summary>
    public static TextWish Read(string text)
    {
        var word = string.Concat(text.Where(char.IsLetterOrDigit)).ToUpperInvariant();
        if (Stops.Contains(word, StringComparer.Ordinal))
        {
            return TextWish.Stop;
        }

        return Starts.Contains(word, StringComparer.Ordinal) ? TextWish.Start
            : word == "HELP" ? TextWish.Help
            : TextWish.None;
    }
}
