using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>Reads and writes the JSON of a rule: <c>{"all":[…]}</c>, <c>{"any":[…]}</c>, <c>{"not":…}</c> or a leaf.</summary>
public static class RuleReader
{
    private static readonly (string Word, RuleOp Op)[] Ops =
    [
        ("is", RuleOp.Is),
        ("is-not", RuleOp.IsNot),
        ("in", RuleOp.In),
        ("not-in", RuleOp.NotIn),
        ("has", RuleOp.Has),
        ("has-not", RuleOp.HasNot),
        ("contains", RuleOp.Contains),
        ("starts-with", RuleOp.StartsWith),
        ("exists", RuleOp.Exists),
        ("missing", RuleOp.Missing),
        ("before", RuleOp.Before),
        ("after", RuleOp.After),
        ("less", RuleOp.Less),
        ("more", RuleOp.More),
        ("in-last", RuleOp.InLast),
        ("not-in-last", RuleOp.NotInLast),
        ("month-is", RuleOp.MonthIs),
    ];

    /// <summary>A rule in a text of its own.</summary>
    /// <param name="json">The text.</param>
    /// <param name="errors">Takes what is wrong with it; where anything is, nothing is given back.</param>
    public static Rule? Read(string json, List<Finding> errors)
    {
        try
        {
            using var document = JsonDocument.Parse(json);
            var wrong = new List<Finding>();
            var rule = Read(document.RootElement, "", wrong);
            errors.AddRange(wrong);
            return wrong.Count == 0 ? rule : null;
        }
        catch (JsonException)
        {
            errors.Add(new Finding("", Said("It is no rule that can be read.")));
            return null;
        }
    }

    /// <summary>Reads a rule; findings go to <paramref name="errors"/> with their pointers, and null is given back.</summary>
    public static Rule? Read(JsonElement json, string pointer, List<Finding> errors)
    {
        if (JsonObjectReader.For(json, pointer, errors) is not { } o)
        {
            return null;
        }

        Rule? rule;
        if (o.Has("all") || o.Has("any"))
        {
            var key = o.Has("all") ? "all" : "any";
            var list = o.Raw(key);
            if (list.ValueKind != JsonValueKind.Array)
            {
                return o.Bad<Rule>(key, Say($"“{key}” should be a list of rules."));
            }

            var parts = list.EnumerateArray()
                .Select((part, i) => Read(part, string.Create(CultureInfo.InvariantCulture, $"{pointer}/{key}/{i}"), errors))
                .OfType<Rule>()
                .ToList();
            rule = key == "all" ? new AllOf(parts) : new AnyOf(parts);
        }
        else if (o.Has("not"))
        {
            rule = Read(o.Raw("not"), pointer + "/not", errors) is { } part ? new Not(part) : null;
        }
        else
        {
            rule = ReadLeaf(o);
        }

        o.Done();
        return rule;
    }

    /// <summary>Writes a rule as <see cref="Read(JsonElement, string, List{Finding})"/> reads it.</summary>
    public static JsonNode Write(Rule rule) =>
        rule switch
        {
            AllOf all => new JsonObject { ["all"] = new JsonArray([.. all.Parts.Select(Write)]) },
            AnyOf any => new JsonObject { ["any"] = new JsonArray([.. any.Parts.Select(Write)]) },
            Not not => new JsonObject { ["not"] = Write(not.Part) },
            Leaf leaf => WriteLeaf(leaf),
            _ => throw new ArgumentOutOfRangeException(nameof(rule)),
        };

    private static JsonObject WriteLeaf(Leaf leaf)
    {
        var o = new JsonObject { ["field"] = leaf.Field, ["op"] = Ops.First(p => p.Op == leaf.Op).Word };
        if (leaf.Op is RuleOp.In or RuleOp.NotIn)
        {
            o["value"] = new JsonArray([.. leaf.Values.Select(v => (JsonNode)v)]);
        }
        else if (leaf.Values.Count > 0)
        {
            o["value"] = leaf.Values[0];
        }

        return o;
    }

    private static Leaf? ReadLeaf(JsonObjectReader o)
    {
        var field = o.Needed("field");
        var word = o.Text("op", required: true);
        var known = Array.Find(Ops, p => p.Word == word);
        if (word is not null && known.Word is null)
        {
            o.Unknown<object>("op", word, string.Join(", ", Ops.Select(p => p.Word)));
        }

        var op = known.Op;
        var values = new List<string>();
        if (o.Has("value"))
        {
            var value = o.Raw("value");
            values.AddRange(value.ValueKind == JsonValueKind.Array ? value.EnumerateArray().Select(v => v.ToString()) : [value.ToString()]);
        }

        if (
            known.Word is not null
            && ValueFinding(op, o.Has("value"), o.Has("value") && o.Raw("value").ValueKind == JsonValueKind.Array, values) is { } finding
        )
        {
            o.Bad<object>("value", finding);
        }

        if (field.Length > 0 && RuleField.Of(field) is null)
        {
            return o.Bad<Leaf>("field", Say($"“{field}” is not a field; {string.Join(", ", RuleField.Names)}, relation:NAME, date:NAME and custom:NAME are."));
        }

        return new Leaf(field, op, values);
    }

    /// <summary>What is wrong with a leaf's value for its op, or null.</summary>
    private static string? ValueFinding(RuleOp op, bool given, bool list, List<string> values)
    {
        if (op is RuleOp.Exists or RuleOp.Missing)
        {
            return given ? Said("“exists” and “missing” take no value.") : null;
        }

        if (!given)
        {
            return Said("“value” is missing.");
        }

        if (list != (op is RuleOp.In or RuleOp.NotIn))
        {
            return list ? Said("One value should stand here; a list goes with “in” and “not-in”.") : Said("A list of values should stand here, [\"one\", \"two\"].");
        }

        var leaf = new Leaf("", op, values);
        return op switch
        {
            RuleOp.Before or RuleOp.After when leaf.Date is null => Say($"“{leaf.First}” is not a date; 2027-12-24 would be."),
            RuleOp.Less or RuleOp.More when leaf.Number is null => Say($"“{leaf.First}” is not a number; 65 would be."),
            RuleOp.InLast or RuleOp.NotInLast when leaf.Span is null || leaf.First.StartsWith('-') => Say($"“{leaf.First}” is not a duration; P30D would be."),
            RuleOp.MonthIs when leaf.MonthAt(new LocalDate(2000, 1, 1)) is null => Say($"“{leaf.First}” is not a month; 1 to 12, “this” and “next” are."),
            _ => null,
        };
    }
}
