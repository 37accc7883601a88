using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using NodaTime;

namespace Germinal.Service.Forms;

/// <summary>What is known of how a form was sent, for telling whether a person sent it.</summary>
/// <param name="HiddenFilled">Whether the field that nobody sees was filled.</param>
/// <param name="Age">How long its page had been open.</param>
/// <param name="IsWorked">Whether the page did its work; without script it does none.</param>
/// <param name="Words">Everything that was written.</param>
/// <param name="SameWords">How often the same was sent by this form within a day.</param>
/// <param name="OfAddress">How many forms its address has sent within a day.</param>
/// <param name="TooMany">Whether more came, of its client or by this form, than are taken in an hour.</param>
public sealed record SentHow(bool HiddenFilled, Duration Age, bool IsWorked, string Words, int SameWords, int OfAddress, bool TooMany);

/// <summary>
/// What makes doubtful that a person sent a form. It is a guess and says so: what is doubtful waits apart, is never written to, and a member takes it in
/// with one press.
/// </summary>
public static partial class FormDoubts
{
    /// <summary>Nobody reads and fills a form faster.</summary>
    public static readonly Duration Fastest = Duration.FromSeconds(2);

    /// <summary>After so long the page is shown anew, with what was written.</summary>
    public static readonly Duration Longest = Duration.FromHours(12);

    /// <summary>Forms that one address sends within a day.</summary>
    public const int MostOfAddress = 5;

    private const int ManyLinks = 3;
    private const int SameTwice = 2;
    private const int ShortestWords = 20;

    [GeneratedRegex(@"https?://|www\.|\[url|<a\s", RegexOptions.IgnoreCase | RegexOptions.NonBacktracking)]
    private static partial Regex Link();

    /// <summary>Why it is doubtful, in words; empty where it is not.</summary>
    public static string Of(SentHow how)
    {
        var links = Link().Count(how.Words);
        var doubts = new[]
        {
            how.HiddenFilled ? Said("a field was filled that nobody sees") : null,
            how.Age < Fastest ? Say($"it was sent {Math.Max(0, how.Age.TotalSeconds):0.0} seconds after it was shown") : null,
            links >= ManyLinks ? Say($"it has {links.ToString(CultureInfo.InvariantCulture)} links")
                : links > 0 && !how.IsWorked ? Said("it has a link, and was sent without the page's own script")
                : null,
            how.SameWords >= SameTwice ? Said("the same words came before today") : null,
            how.OfAddress >= MostOfAddress ? Said("its address has sent many forms today") : null,
            how.TooMany ? Said("more came within an hour than people send") : null,
        };
        return string.Join("; ", doubts.OfType<string>());
    }

    /// <summary>A print of what was written, by which the same words are known again whatever their spaces and letters' size; empty where it is too short to tell.</summary>
    public static string PrintOf(IEnumerable<string> words)
    {
        var flat = string.Concat(string.Concat(words).Where(char.IsLetterOrDigit)).ToUpperInvariant();
        return flat.Length < ShortestWords ? "" : Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(flat)).AsSpan(0, 12));
    }
}
