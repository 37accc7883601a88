using System.Globalization;
using System.Text;
using AngleSharp.Html.Dom;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Channels.Letters;

/// <summary>
/// Passages of a letter that stand only for some. They are marked once, before anybody is known, and cut out for each reader before
/// merge fields are filled, so that a field without a value in a passage somebody does not get keeps nothing back.
/// </summary>
internal sealed class LetterPassages
{
    // Private-use characters: sanitising, layout and plain text leave them where they stand, and no letter has them.
    private const char Begin = '\uE010';
    private const char Number = '\uE011';
    private const char End = '\uE012';

    private readonly IReadOnlyList<Rule?> rules;

    private LetterPassages(IReadOnlyList<Rule?> rules) => this.rules = rules;

    /// <summary>A letter without any.</summary>
    public static LetterPassages None { get; } = new([]);

    /// <summary>Whether a body may hold passages only for some.</summary>
    public static bool MayStandIn(string body) => body.Contains(LetterParts.RuleAttribute, StringComparison.OrdinalIgnoreCase);

    /// <summary>The body with its passages marked, and their rules.</summary>
    /// <param name="body">HTML, sanitised or not.</param>
    public static (string Marked, LetterPassages Passages) Mark(string body)
    {
        if (!MayStandIn(body))
        {
            return (body, None);
        }

        var document = LetterHtml.Parse(body);
        var passages = Mark(document);
        return (document.Body!.InnerHtml, passages);
    }

    private static LetterPassages Mark(IHtmlDocument document)
    {
        var read = new List<Rule?>();
        foreach (var passage in document.QuerySelectorAll($"[{LetterParts.Attribute}={LetterParts.Only}]").ToList())
        {
            var begin = string.Create(CultureInfo.InvariantCulture, $"{Begin}{read.Count}{Number}");
            read.Add(RuleOf(passage.GetAttribute(LetterParts.RuleAttribute)));
            passage.Before(document.CreateTextNode(begin));
            passage.After(document.CreateTextNode(End.ToString()));
            passage.Replace([.. passage.ChildNodes]);
        }

        return new LetterPassages(read);
    }

    /// <summary>The rule as it is written; null for none that can be read, which checking finds before it is sent.</summary>
    private static Rule? RuleOf(string? written) => RuleReader.Read(written ?? "", []);

    /// <summary>Which of the passages stand for somebody; one whose rule cannot be read stands for nobody.</summary>
    public bool[] StandFor(PersonFacts person, Practice practice, Instant at)
    {
        if (rules.Count == 0)
        {
            return [];
        }

        var moment = practice.RulesAt(at);
        return [.. rules.Select(r => r is not null && RuleJudge.Holds(r, person, moment))];
    }

    /// <summary>A marked text with the passages that stand, and without the others.</summary>
    public static string Cut(string marked, bool[] stand)
    {
        if (stand.Length == 0)
        {
            return marked;
        }

        var text = new StringBuilder(marked.Length);
        var (left, open) = (0, 0);
        for (var i = 0; i < marked.Length; i++)
        {
            switch (marked[i])
            {
                case Begin:
                    var number = marked.IndexOf(Number, i);
                    var stands = stand[int.Parse(marked.AsSpan(i + 1, number - i - 1), NumberStyles.None, CultureInfo.InvariantCulture)];
                    i = number;
                    open++;
                    left = left == 0 && !stands ? open : left;
                    break;
                case End:
                    left = left == open ? 0 : left;
                    open--;
                    break;
                default:
                    if (left == 0)
                    {
                        text.Append(marked[i]);
                    }

                    break;
            }
        }

        return text.ToString();
    }

    /// <summary>A body without the characters that mark things in it.</summary>
    public static string WithoutMarks(string body) =>
        body.AsSpan().IndexOfAnyInRange('\uE000', '\uE0FF') < 0 ? body : string.Concat(body.Where(c => c is < '\uE000' or > '\uE0FF'));
}
