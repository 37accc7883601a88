using System.Globalization;
using AngleSharp.Dom;

namespace Germinal.Channels.Letters;

/// <summary>A link as it stands in a letter.</summary>
/// <param name="Address">Where it leads.</param>
/// <param name="Name">What rules and forks call it: its own name, else its address.</param>
/// <param name="Effects">What following it sets off, by the words of <see cref="LetterLinks.EffectWords"/>.</param>
public sealed record WrittenLink(string Address, string Name, IReadOnlyDictionary<string, string> Effects);

/// <summary>
/// The links of a letter and what following them sets off (rule 11.5). That is part of the link itself, as data attributes:
/// <c>data-name</c>, <c>data-tag</c>, <c>data-topic</c>, <c>data-call</c> (the words), <c>data-call-to</c> (owner or deputy),
/// <c>data-call-in</c> (a duration in working days), <c>data-opportunity</c> (<c>Pipeline/Stage</c>), <c>data-program</c>.
/// </summary>
public static class LetterLinks
{
    /// <summary>The effects there are, without <c>data-</c>.</summary>
    public static IReadOnlyList<string> EffectWords { get; } = ["tag", "topic", "call", "call-to", "call-in", "opportunity", "program"];

    /// <summary>Takes the links out of a filled body and puts others in their place.</summary>
    /// <param name="html">Sanitised HTML.</param>
    /// <param name="replace">The address for the link at a place; null leaves the letter's own.</param>
    /// <param name="parameters">Campaign parameters put on each http address that does not have them.</param>
    /// <returns>The HTML without data attributes, and the links in the order they stand in it.</returns>
    public static (string Html, IReadOnlyList<WrittenLink> Links) Rewrite(
        string html,
        Func<int, string>? replace,
        IReadOnlyDictionary<string, string> parameters
    )
    {
        if (!html.Contains("<a ", StringComparison.OrdinalIgnoreCase))
        {
            return (html, []);
        }

        var document = LetterHtml.Parse(html);
        var links = new List<WrittenLink>();
        foreach (var a in document.QuerySelectorAll("a[href]"))
        {
            var written = a.GetAttribute("href")!;
            var address = LinkAddress.Complete(written) ?? written;
            a.SetAttribute("href", address);
            var effects = EffectWords
                .Select(w => (Word: w, Value: a.GetAttribute($"data-{w}")))
                .Where(e => !string.IsNullOrWhiteSpace(e.Value))
                .ToDictionary(e => e.Word, e => e.Value!.Trim(), StringComparer.Ordinal);
            var name = a.GetAttribute("data-name") is { Length: > 0 } given ? given : address;
            foreach (var attribute in a.Attributes.Where(x => x.Name.StartsWith("data-", StringComparison.Ordinal)).Select(x => x.Name).ToArray())
            {
                a.RemoveAttribute(attribute);
            }

            if (!IsFollowed(address))
            {
                continue;
            }

            var leads = WithParameters(address, parameters);
            links.Add(new WrittenLink(leads, name, effects));
            a.SetAttribute("href", replace is null ? leads : replace(links.Count - 1));
        }

        return (document.Body!.InnerHtml, links);
    }

    /// <summary>What the links of a body are called whose following is noticed, as they stand in it.</summary>
    public static IReadOnlyList<string> Names(string body) =>
        body.Contains("<a ", StringComparison.OrdinalIgnoreCase)
            ? [.. Rewrite(body, null, System.Collections.Frozen.FrozenDictionary<string, string>.Empty).Links.Select(l => l.Name)]
            : [];

    /// <summary>Only what is asked for over the web passes the installation, and is noticed.</summary>
    private static bool IsFollowed(string address) =>
        address.StartsWith("http://", StringComparison.OrdinalIgnoreCase) || address.StartsWith("https://", StringComparison.OrdinalIgnoreCase);

    /// <summary>Stands in a body for the address of the link at a place until the address is known; private-use characters, which no address has.</summary>
    internal static string Place(int place) => string.Create(CultureInfo.InvariantCulture, $"\uE000{place}\uE001");

    /// <summary>A body, or its text, with the addresses put in their places.</summary>
    internal static string PutIn(string body, int count, Func<int, string> address)
    {
        for (var i = 0; i < count; i++)
        {
            body = body.Replace(Place(i), address(i), StringComparison.Ordinal);
        }

        return body;
    }

    /// <summary>An http address with campaign parameters added that it does not have.</summary>
    internal static string WithParameters(string address, IReadOnlyDictionary<string, string> parameters)
    {
        if (parameters.Count == 0 || !Uri.TryCreate(address, UriKind.Absolute, out var uri))
        {
            return address;
        }

        var more = parameters
            .Where(p => !uri.Query.Contains(p.Key + "=", StringComparison.Ordinal))
            .Select(p => $"{Uri.EscapeDataString(p.Key)}={Uri.EscapeDataString(p.Value)}")
            .ToList();
        if (more.Count == 0)
        {
            return address;
        }

        var builder = new UriBuilder(uri);
        builder.Query = string.Join('&', new[] { builder.Query.TrimStart('?') }.Where(q => q.Length > 0).Concat(more));
        return builder.Uri.AbsoluteUri;
    }

    /// <summary>What is wrong with a body's links, where they lead and what they set off; empty when nothing is.</summary>
    public static IEnumerable<string> Problems(string body)
    {
        var document = LetterHtml.Parse(body);
        foreach (var a in document.QuerySelectorAll("a[href]"))
        {
            if (LinkAddress.Problem(a.GetAttribute("href")!) is { } nowhere)
            {
                yield return nowhere;
            }

            foreach (var attribute in a.Attributes.Where(x => x.Name.StartsWith("data-", StringComparison.Ordinal)))
            {
                var word = attribute.Name["data-".Length..];
                if (word != "name" && !EffectWords.Contains(word, StringComparer.Ordinal))
                {
                    yield return Say($"A link cannot set off “{word}”; {string.Join(", ", EffectWords)} are what there is.");
                }
            }

            if (a.GetAttribute("data-call-in") is { } span && Core.Time.Distance.TryParse(span) is not { HasTimePart: false })
            {
                yield return Say($"“{span}” is no span of days; P2D would be two working days.");
            }

            if (a.GetAttribute("data-call-to") is { } who && who is not ("owner" or "deputy"))
            {
                yield return Say($"A call goes to the owner or the deputy, not to “{who}”.");
            }
        }
    }
}
