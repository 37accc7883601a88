using System.Text.Json.Nodes;
using Germinal.Core.Files;
using Germinal.Core.Forms;
using Json.Schema;

namespace Germinal.Cli.Tests;

/// <summary>The published schemas and the readers say the same of every example and of every mutation that breaks it.</summary>
public sealed class SchemaTests
{
    private static readonly JsonSchema Programs = JsonSchema.FromText(FileSchemas.Program);
    private static readonly JsonSchema Practices = JsonSchema.FromText(FileSchemas.Practice);
    private static readonly JsonSchema Forms = JsonSchema.FromText(FileSchemas.Form);

    private static readonly string EveryQuestion = File.ReadAllText(Path.Combine(Cli.Case, "ask-us.form.json"));

    private static EvaluationResults Evaluate(JsonSchema schema, string json) =>
        schema.Evaluate(JsonNode.Parse(json), new EvaluationOptions { OutputFormat = OutputFormat.List });

    private static string Demo
    {
        get
        {
            var folder = AppContext.BaseDirectory;
            while (!File.Exists(Path.Combine(folder, "Germinal.slnx")))
            {
                folder = Path.GetDirectoryName(folder)!;
            }

            return Path.Combine(folder, "demo", "programs");
        }
    }

    /// <summary>One of everything the format knows.</summary>
    private const string Everything = """
        {"format":"germinal.program/1","name":"Everything","description":"d","group":"g","purpose":"commercial","topic":"t","policy":"p","voice":"we","priority":20,"clock":"practice","at":"09:30",
         "window":{"days":["mon","sun"],"from":"09:00","to":"17:30","holidays":"ignore","roll":"nearest"},
         "startsWhen":[{"kind":"by-hand"},{"kind":"tag-added","tag":"x"},{"kind":"list-joined","list":"x"},{"kind":"stage-entered","stage":"A/B"},{"kind":"stage-age","stage":"A/B","after":"P30D"},
           {"kind":"inquiry-received","form":"f"},{"kind":"inquiry-unanswered","after":"P3D","workingDays":true},{"kind":"opportunity-won"},{"kind":"opportunity-lost","reason":"r"},
           {"kind":"occasion","date":"birthday","offset":"-P7D","years":[60,65],"grace":3},{"kind":"appointment","type":"t","offset":"-PT24H"},{"kind":"link-followed","link":"l"},
           {"kind":"text-keyword","word":"w"},{"kind":"program-finished","program":"Everything"},{"kind":"person-added","source":"s"}],
         "onlyIf":{"all":[{"field":"email","op":"exists"},{"not":{"field":"tags","op":"has","value":"client"}},{"any":[{"field":"age","op":"more","value":60},{"field":"stage","op":"in","value":["A/B"]},
           {"field":"added","op":"in-last","value":"P30D"},{"field":"birthday","op":"month-is","value":3},{"field":"custom:x","op":"before","value":"2027-01-01"},{"field":"date:wedding","op":"missing"}]}]},
         "again":{"kind":"after-finished","gap":"P180D"},"startLimit":10,"holdOut":5,
         "stopsWhen":[{"kind":"replied","channel":"text"},{"kind":"inquired"},{"kind":"stage-entered","stage":"A/B"},{"kind":"stage-left","stage":"A/B"},{"kind":"opportunity-won"},{"kind":"opportunity-lost"},
           {"kind":"tag-added","tag":"x"},{"kind":"list-left","list":"x"},{"kind":"link-followed"},{"kind":"call-ended","outcome":"o"},{"kind":"form-sent","form":"f"},{"kind":"appointment-booked"},{"kind":"on","date":"2028-01-01"}],
         "keepTasks":true,"paceLifted":"because","linkParameters":{"from":"germinal"},
         "steps":[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"b","attachments":["Our prices.pdf"],"lateLimit":"P3D","purpose":"transactional","topic":"u","sender":"ada","to":"owner","onePerHousehold":true,"onlyIf":{"field":"email","op":"exists"}},
           {"id":"b","kind":"text","when":{"from":"previous","offset":"PT2H"},"body":"b","to":{"relation":"solicitor"}},{"id":"c","kind":"call","when":{"from":"occasion","offset":"-P1D","at":"10:00"},"script":"x","slack":"P2D","holds":true},
           {"id":"d","kind":"note","when":{"from":"on","date":"2027-12-24"},"body":"b"},{"id":"e","kind":"task","when":{"from":"yearly","date":"--12-24","at":"08:00"},"title":"t"},
           {"id":"g","kind":"tell-me","when":{"from":"key-date","date":"birthday","offset":"P1M"},"body":"b"},
           {"id":"h","kind":"change","set":[{"tag":"x"},{"tagOff":"y"},{"list":"x"},{"listOff":"y"},{"stage":"A/B"},{"field":"custom:n","value":"v"}]},{"id":"h2","kind":"change","set":{"tag":"z"}},
           {"id":"i","kind":"fork","if":{"kind":"opened","step":"a"},"within":"P4D","then":[{"id":"i1","kind":"fork","if":{"kind":"link-followed","step":"b","link":"l"}}],"else":[{"id":"i2","kind":"fork","if":{"field":"tags","op":"has","value":"x"}}]},
           {"id":"j","kind":"fork","if":{"kind":"replied"}},{"id":"k","kind":"fork","if":{"kind":"bounced","step":"a"}},{"id":"l","kind":"fork","if":{"kind":"call-ended","step":"c","outcome":"o"}},{"id":"m","kind":"fork","if":{"kind":"form-sent","form":"f"}},
           {"id":"n","kind":"split","passages":[{"share":50,"steps":[]},{"share":50,"steps":[{"id":"o","kind":"end"}]}]},{"id":"p","kind":"hand-over","program":"Everything","when":{"from":"previous","offset":"P1D"}},
           {"id":"q","kind":"email","subject":"s","body":"b","otherwise":{"id":"q2","kind":"text","body":"b","otherwise":{"id":"q3","kind":"note","body":"b"}}}]}
        """;

    [Fact]
    public void Every_example_validates_and_is_read()
    {
        foreach (
            var json in Directory
                .GetFiles(Demo)
                .Select(File.ReadAllText)
                .Append(Everything)
                .Append(File.ReadAllText(Path.Combine(Cli.Case, "start.program.json")))
        )
        {
            Assert.True(Evaluate(Programs, json).IsValid, json);
            var reading = ProgramFile.Read(json);
            Assert.Empty(reading.Errors);
            Assert.True(Evaluate(Programs, ProgramFile.Write(reading.Program!).ToJsonString()).IsValid, ProgramFile.Write(reading.Program!).ToJsonString());
        }

        Assert.True(Evaluate(Forms, EveryQuestion).IsValid);
        Assert.True(Evaluate(Forms, FormFile.Write(FormFile.Read(EveryQuestion).Form!).ToJsonString()).IsValid);
        var practice = File.ReadAllText(Path.Combine(Cli.Case, "practice.json"));
        Assert.True(Evaluate(Practices, practice).IsValid);
        Assert.True(Evaluate(Practices, PracticeFile.Write(PracticeFile.Read(practice).Practice!).ToJsonString()).IsValid);
        Assert.Empty(PracticeFile.Read(practice).Errors);
    }

    [Fact]
    public void Every_value_of_a_wrong_kind_and_every_unknown_key_is_refused_by_both_with_a_pointer_to_it()
    {
        var broken = 0;
        foreach (
            var (json, schema, read) in new (string, JsonSchema, Func<string, IReadOnlyList<Finding>>)[]
            {
                (Everything, Programs, t => ProgramFile.Read(t).Errors),
                (File.ReadAllText(Path.Combine(Cli.Case, "practice.json")), Practices, t => PracticeFile.Read(t).Errors),
                (EveryQuestion, Forms, t => FormFile.Read(t).Errors),
            }
        )
        {
            foreach (var pointer in PointersOf(JsonNode.Parse(json)!, ""))
            {
                foreach (var mutation in new[] { "kind", "key" })
                {
                    var mutated = JsonNode.Parse(json)!;
                    var at = Mutate(mutated, pointer, mutation);
                    if (at is null)
                    {
                        continue;
                    }

                    broken++;
                    var text = mutated.ToJsonString();
                    Assert.False(Evaluate(schema, text).IsValid, $"{at} ({mutation}) passes the schema");
                    Assert.Contains(
                        read(text),
                        e =>
                            e.Pointer == at
                            || e.Pointer.StartsWith(at + "/", StringComparison.Ordinal)
                            || at.StartsWith(e.Pointer + "/", StringComparison.Ordinal)
                    );
                }
            }
        }

        Assert.True(broken > 300, $"only {broken} mutations were tried");
    }

    [Theory]
    [InlineData("/startsWhen/4/after", "\"P1DT\"")]
    [InlineData("/steps/1/when/at", "\"09:00\"")]
    [InlineData("/steps/3/when/date", "\"2027-13-24\"")]
    [InlineData("/steps/4/when/date", "\"12-24\"")]
    [InlineData("/startsWhen/9/offset", "\"-PT7H\"")]
    [InlineData("/steps/2/slack", "\"PT2H\"")]
    [InlineData("/priority", "0")]
    [InlineData("/holdOut", "101")]
    [InlineData("/again/kind", "\"sometimes\"")]
    [InlineData("/steps/0/lateLimit", "\"-P1D\"")]
    [InlineData("/onlyIf/all/0/field", "\"e-mail\"")]
    [InlineData("/onlyIf/all/2/any/1/value", "\"A/B\"")]
    [InlineData("/onlyIf/all/2/any/3/value", "13")]
    [InlineData("/steps/13/passages/0/share", "0")]
    public void Values_that_look_right_and_are_not_are_refused_by_both(string pointer, string value)
    {
        var mutated = JsonNode.Parse(Everything)!;
        Set(mutated, pointer, JsonNode.Parse(value));
        Assert.False(Evaluate(Programs, mutated.ToJsonString()).IsValid);
        Assert.Contains(ProgramFile.Read(mutated.ToJsonString()).Errors, e => e.Pointer == pointer);
    }

    [Theory]
    [InlineData("/zone", "\"Mars/Base\"", "There is no zone “Mars/Base”")]
    [InlineData("/quietHours/from", "\"07:00\"", "narrow the hours")]
    [InlineData("/quietHours/to", "\"22:00\"", "narrow the hours")]
    [InlineData("/pace/0/per", "\"PT24H\"", "whole days")]
    [InlineData("/members/0/email", "\"ada at example\"", "not an email address")]
    [InlineData("/holidays/0", "\"31 May\"", "not a date")]
    public void A_practice_with_any_error_is_refused_with_its_pointer_and_remedy(string pointer, string value, string says)
    {
        var mutated = JsonNode.Parse(File.ReadAllText(Path.Combine(Cli.Case, "practice.json")))!;
        Set(mutated, pointer, JsonNode.Parse(value));
        Assert.Contains(
            PracticeFile.Read(mutated.ToJsonString()).Errors,
            e => pointer.StartsWith(e.Pointer, StringComparison.Ordinal) && e.Message.Contains(says, StringComparison.Ordinal)
        );
    }

    private static IEnumerable<string> PointersOf(JsonNode node, string at)
    {
        yield return at;
        var inner = node switch
        {
            JsonObject o => o.Where(p => p.Value is not null).Select(p => (p.Key, Value: p.Value!)),
            JsonArray a => a.Select((v, i) => (i.ToString(System.Globalization.CultureInfo.InvariantCulture), v!)),
            _ => [],
        };
        foreach (var pointer in inner.SelectMany(p => PointersOf(p.Item2, $"{at}/{p.Item1}")))
        {
            yield return pointer;
        }
    }

    /// <summary>Puts something of another kind at a place, or a key nobody knows into an object; null where that cannot break anything.</summary>
    private static string? Mutate(JsonNode root, string pointer, string mutation)
    {
        var node = Find(root, pointer);
        if (mutation == "key")
        {
            if (node is not JsonObject o)
            {
                return null;
            }

            o["nobody-knows"] = 1;
            return pointer;
        }

        // A rule's value may be a number or a text.
        if (pointer.Length == 0 || pointer.EndsWith("/value", StringComparison.Ordinal) || pointer.Contains("/value/", StringComparison.Ordinal))
        {
            return null;
        }

        Set(
            root,
            pointer,
            node is JsonObject ? JsonValue.Create(5)
                : node is JsonArray ? JsonValue.Create("x")
                : new JsonObject { ["nobody-knows"] = 1 }
        );
        return pointer;
    }

    private static JsonNode Find(JsonNode root, string pointer) =>
        pointer
            .Split('/')
            .Skip(1)
            .Aggregate(root, (at, part) => at is JsonArray a ? a[int.Parse(part, System.Globalization.CultureInfo.InvariantCulture)]! : at[part]!);

    private static void Set(JsonNode root, string pointer, JsonNode? value)
    {
        var cut = pointer.LastIndexOf('/');
        var parent = Find(root, pointer[..cut]);
        if (parent is JsonArray array)
        {
            array[int.Parse(pointer[(cut + 1)..], System.Globalization.CultureInfo.InvariantCulture)] = value;
        }
        else
        {
            parent[pointer[(cut + 1)..]] = value;
        }
    }
}
