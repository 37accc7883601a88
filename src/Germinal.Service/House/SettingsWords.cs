using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Service.House;

/// <summary>What a change of settings was, in words.</summary>
public static class SettingsWords
{
    /// <summary>What things of lists are called by, the first that they have.</summary>
    private static readonly string[] CalledBy = ["name", "role", "day"];

    private const int MostSaid = 4;
    private const int LongestSaid = 60;

    /// <summary>A change in words: <c>when texts and calls begin: 08:00 → 09:00</c>; empty for none.</summary>
    public static string Of(SettingsChangeRow? change)
    {
        if (change is null)
        {
            return "";
        }

        var (before, after) = (JsonNode.Parse(change.Before)!.AsObject(), JsonNode.Parse(change.After)!.AsObject());
        return string.Join("; ", SettingsPart.In(after).Select(p => Of(p, before[p.Key], after[p.Key])));
    }

    private static string Of(SettingsPart part, JsonNode? before, JsonNode? after) =>
        part.Kind == SettingsPartKind.Apart ? Said(part.Title)
        : Difference(before, after) is { Length: > 0 } words ? $"{Said(part.Title)}: {words}"
        : Said(part.Title);

    private static string Difference(JsonNode? before, JsonNode? after) =>
        (before, after) switch
        {
            (JsonArray a, JsonArray b) => OfLists(a, b),
            (JsonObject a, JsonObject b) => string.Join(
                ", ",
                a.Select(p => p.Key).Union(b.Select(p => p.Key)).Where(k => !JsonNode.DeepEquals(a[k], b[k])).Select(k => $"{ContactWords.Many(k)} {Arrow(a[k], b[k])}")
            ),
            _ => Arrow(before, after),
        };

    private static string Arrow(JsonNode? before, JsonNode? after) =>
        (InWords(before), InWords(after)) is ({ } was, { } became) ? $"{was} → {became}" : "";

    /// <summary>A value in words; null for one that says nothing to anybody.</summary>
    private static string? InWords(JsonNode? value) =>
        value switch
        {
            null => Said("none"),
            JsonValue v => v.GetValueKind() switch
            {
                JsonValueKind.True => Said("yes"),
                JsonValueKind.False => Said("no"),
                JsonValueKind.String when v.GetValue<string>() is var text => text.Length == 0 ? Said("none")
                    : Guid.TryParse(text, out _) ? null
                    : Say($"“{Short(text.ReplaceLineEndings(", "))}”"),
                _ => v.ToJsonString(),
            },
            _ => null,
        };

    private static string OfLists(JsonArray before, JsonArray after)
    {
        var (was, became) = (before.Select(Called).ToList(), after.Select(Called).ToList());
        var (came, went) = (became.Except(was, StringComparer.Ordinal).ToList(), was.Except(became, StringComparer.Ordinal).ToList());
        var changed = after.Where(n => n is JsonObject && Called(n) is var name && before.Any(o => Called(o) == name && !JsonNode.DeepEquals(o, n))).Select(Called).ToList();
        string?[] all = [Named(came, n => Say($"now with {n}")), Named(went, n => Say($"without {n}")), Named(changed, n => Say($"changed {n}"))];
        return all.Any(w => w is not null) ? string.Join(", ", all.OfType<string>())
            : was.SequenceEqual(became) ? ""
            : Said("in another order");
    }

    private static string? Named(List<string> names, Func<string, string> say)
    {
        var said = Stretches(names.Where(n => n.Length > 0).Distinct(StringComparer.Ordinal)).ToList();
        return said.Count == 0 ? null : say(string.Join(", ", said.Take(MostSaid)) + (said.Count > MostSaid ? Say($" and {said.Count - MostSaid} more") : ""));
    }

    /// <summary>Days that follow each other as one stretch; what is no day as it is.</summary>
    private static IEnumerable<string> Stretches(IEnumerable<string> names)
    {
        (LocalDate First, LocalDate Last)? stretch = null;
        string InWords((LocalDate First, LocalDate Last) s) => s.First == s.Last ? s.First.Iso() : Say($"{s.First.Iso()} to {s.Last.Iso()}");
        foreach (var name in names)
        {
            var day = Dates.TryParse(name.Trim('“', '”', '„'));
            if (stretch is { } open && day == open.Last.PlusDays(1))
            {
                stretch = (open.First, day.Value);
                continue;
            }

            if (stretch is { } ended)
            {
                yield return InWords(ended);
            }

            stretch = day is { } begins ? (begins, begins) : null;
            if (day is null)
            {
                yield return name;
            }
        }

        if (stretch is { } last)
        {
            yield return InWords(last);
        }
    }

    /// <summary>What an item of a list is called: by its name where it has one, else by what it holds.</summary>
    private static string Called(JsonNode? item) =>
        item switch
        {
            JsonObject o when o["max"] is JsonValue max && o["days"] is JsonValue days => Say(
                $"“{max} in {days.GetValue<int>():one day|# days}: {string.Join(", ", o["channels"]?.AsArray().Select(c => ContactWords.Many($"{c}")) ?? [])}”"
            ),
            JsonObject o => CalledBy.Select(k => o[k]).OfType<JsonValue>().FirstOrDefault() is { } name
                ? $"“{Short(name.ToString())}”"
                : string.Join(' ', o.Select(p => p.Value).SelectMany(v => v is JsonArray list ? list.Select(InWords) : [InWords(v)]).OfType<string>().Where(w => w != "none").Select(w => w.Trim('“', '”'))),
            _ => InWords(item) ?? "",
        };

    private static string Short(string text) => text.Length > LongestSaid ? $"{text[..(LongestSaid - 1)]}…" : text;
}
