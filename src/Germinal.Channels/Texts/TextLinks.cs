using System.Collections.Frozen;
using System.Text.RegularExpressions;
using Germinal.Channels.Letters;
using Germinal.Core.Messages;

namespace Germinal.Channels.Texts;

/// <summary>The links of a text message, which cost characters: each leads over a short address of ours, and is noticed when it is followed.</summary>
public static partial class TextLinks
{
    // What ends a sentence, or a bracket around an address, is none of the address.
    private static readonly char[] NotTheirs = ['.', ',', ';', ':', '!', '?', ')', ']', '}', '\'', '’', '”'];

    [GeneratedRegex(@"https?://[^\s<>""“”]+", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Address();

    /// <summary>A filled text with other addresses in the place of its links.</summary>
    /// <param name="words">The text.</param>
    /// <param name="address">The address for the link at a place, from 0.</param>
    /// <returns>The text, and where its links lead.</returns>
    public static (string Words, IReadOnlyList<WrittenLink> Links) Shorten(string words, Func<int, string> address)
    {
        if (!words.Contains("://", StringComparison.Ordinal))
        {
            return (words, []);
        }

        var links = new List<WrittenLink>();
        var shortened = Address()
            .Replace(
                words,
                found =>
                {
                    var leads = found.Value.TrimEnd(NotTheirs);
                    if (leads.StartsWith(MergeFields.ConfirmationPlace, StringComparison.Ordinal) || LinkAddress.Problem(leads) is not null)
                    {
                        return found.Value;
                    }

                    links.Add(new WrittenLink(leads, leads, FrozenDictionary<string, string>.Empty));
                    return address(links.Count - 1) + found.Value[leads.Length..];
                }
            );
        return (shortened, links);
    }
}
