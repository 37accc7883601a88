using System.Net;
using System.Net.Http.Json;
using System.Reflection;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Service;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Hostile and clumsy values, drawn from each endpoint's own schema: an answer at the field, never a 500.</summary>
public sealed class HostileInputTests(Site site) : IClassFixture<Site>
{
    private static readonly string Long = new('x', 5_000_000);

    /// <summary>Longer than any text may be; what is longer still is one way through the server for all fields of a body, which its first one goes.</summary>
    private const int TooLong = 120_000;

    private static JsonNode? Shorter(JsonNode? value) =>
        value is JsonValue v && v.TryGetValue<string>(out var s) && s.Length > TooLong ? s[..TooLong]
        : value is JsonArray { Count: > 2_000 } many ? new JsonArray([.. many.Take(2_000).Select(n => n?.DeepClone())])
        : value?.DeepClone();

    private static IEnumerable<JsonNode?> ValuesFor(string type) =>
        type switch
        {
            "string" =>
            [
                null,
                "",
                "\0",
                "a\0b",
                "\ud800",
                "9999-12-31",
                "0000-00-00",
                "9999-12-31T23:59",
                "P9999Y",
                "-P9999Y",
                "<script>alert(1)</script>",
                "{{ person.first_name",
                "'; DROP TABLE people; --",
                "../../etc/passwd",
                Long,
                "ß‮🙂",
                7,
                new JsonArray("a"),
            ],
            "integer" => [null, -1, 0, int.MaxValue, int.MinValue, 99999999999L, "x", 1.5],
            "boolean" => [null, "x", 3],
            "array" =>
            [
                null,
                new JsonArray(),
                new JsonArray((JsonNode?)null),
                new JsonArray("\0"),
                new JsonArray([.. Enumerable.Range(0, 20_000).Select(i => (JsonNode?)Guid.NewGuid().ToString())]),
                "x",
            ],
            _ => [null, new JsonObject(), new JsonObject { ["\0"] = "\0" }, new JsonObject { [""] = Long }, new JsonArray(), "x"],
        };

    private static JsonNode? Sample(JsonElement schemas, JsonElement schema, string name)
    {
        var of = Resolve(schemas, schema);
        return TypeOf(of) switch
        {
            "string" when of.TryGetProperty("format", out var f) && f.GetString() == "uuid" => Guid.Empty.ToString(),
            "string" => name switch
            {
                "at" => "2027-05-05T10:00",
                "due" => "2027-05-05",
                "to" => "tomorrow",
                "outcome" => "spoke",
                "kind" => "call",
                "how" => "phone",
                "channel" => "email",
                "stage" => "Planning/Inquiry",
                "quietFrom" => "08:00",
                "quietTo" => "20:00",
                "voice" => "I",
                _ => "x",
            },
            "integer" => 1,
            "boolean" => false,
            "array" => new JsonArray(),
            _ => Object(schemas, of),
        };
    }

    private static JsonObject Object(JsonElement schemas, JsonElement schema)
    {
        var made = new JsonObject();
        foreach (var property in schema.TryGetProperty("properties", out var properties) ? properties.EnumerateObject() : default)
        {
            made[property.Name] = Sample(schemas, property.Value, property.Name);
        }

        return made;
    }

    private static JsonElement Resolve(JsonElement schemas, JsonElement schema)
    {
        if (schema.TryGetProperty("oneOf", out var choices))
        {
            return Resolve(
                schemas,
                choices.EnumerateArray().First(c => c.TryGetProperty("$ref", out _) || (c.TryGetProperty("type", out var t) && t.ToString() != "null"))
            );
        }

        return schema.TryGetProperty("$ref", out var r) ? schemas.GetProperty(r.GetString()!.Split('/')[^1]) : schema;
    }

    private static string TypeOf(JsonElement schema) =>
        !schema.TryGetProperty("type", out var type) ? "object"
        : type.ValueKind == JsonValueKind.Array ? type.EnumerateArray().Select(t => t.GetString()!).First(t => t != "null")
        : type.GetString()!;

    /// <summary>Every place of a body, each of the values there one after the other, the rest as it should be.</summary>
    private static IEnumerable<(string Place, JsonNode? Body)> Bodies(JsonElement schemas, JsonElement schema)
    {
        var of = Resolve(schemas, schema);
        foreach (var value in ValuesFor("object"))
        {
            yield return ("", value);
        }

        var large = new HashSet<string>();
        foreach (var property in of.TryGetProperty("properties", out var properties) ? properties.EnumerateObject() : default)
        {
            var inner = Resolve(schemas, property.Value);
            var first = large.Add(TypeOf(inner));
            foreach (var value in ValuesFor(TypeOf(inner)))
            {
                var body = Object(schemas, of);
                body[property.Name] = first ? value?.DeepClone() : Shorter(value);
                yield return (property.Name, body);
            }

            if (TypeOf(inner) == "object" && inner.TryGetProperty("properties", out _))
            {
                foreach (var (place, value) in Bodies(schemas, inner))
                {
                    var body = Object(schemas, of);
                    body[property.Name] = value?.DeepClone();
                    yield return ($"{property.Name}.{place}", body);
                }
            }
        }
    }

    private static readonly string[] HostileQueries =
    [
        "%00",
        "a%00b",
        "9999-12-31",
        "-1",
        "99999999999",
        "%F0%9F%99%82",
        "P9999Y",
        "%ED%A0%80",
        "'",
        "%25%5F%5C",
        "AAAA",
        "",
    ];

    [Fact]
    public async Task No_input_is_a_mistake_of_ours()
    {
        // Wrong passwords are among what is sent: whoever sends them cannot sign in again for ten minutes, so it is nobody of the other tests.
        var ada = await site.SignedInAsync("ada2");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Ida", email = "ida@example.com" })).GetProperty("id").GetString()!;
        var program = (await ada.DoAsync("/api/programs", new { name = "P" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = "o", stage = "Planning/Inquiry" });
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "a", at = "2027-05-04T10:00" });
        await ada.DoAsync(
            $"/api/people/{person}/tasks",
            new
            {
                kind = "task",
                title = "t",
                due = "2027-05-04",
            }
        );
        var dealings = await ada.GetAsync($"/api/people/{person}/dealings");
        string IdOf(string what) => dealings.GetProperty(what)[0].GetProperty("id").GetString()!;
        var document = await ada.GetAsync("/openapi/v1.json");
        var schemas = document.GetProperty("components").GetProperty("schemas");
        var (sent, failures) = (0, new List<string>());
        async Task SendAsync(HttpMethod method, string url, JsonNode? body, string what)
        {
            // Written by hand: the serializer would refuse to write half a character.
            var text = body?.ToJsonString() ?? "null";
            var answer = await ada.SendAsync(method, url, method == HttpMethod.Get ? null : new StringContent(text, Encoding.UTF8, "application/json"));
            sent++;
            if ((int)answer.StatusCode >= 500)
            {
                failures.Add($"{method} {url} {what}: {(int)answer.StatusCode} {(text.Length > 200 ? text[..200] : text)}");
            }
        }

        foreach (
            var path in document
                .GetProperty("paths")
                .EnumerateObject()
                .Where(p => !p.Name.StartsWith("/api/stand-ins", StringComparison.Ordinal) && p.Name is not "/api/session" and not "/api/clock/move")
        )
        {
            var id = path.Name.Split('/')[2] switch
            {
                "people" => person,
                "programs" => program,
                "opportunities" => IdOf("opportunities"),
                "appointments" => IdOf("appointments"),
                "tasks" => IdOf("tasks"),
                "today" => "r1",
                _ => Guid.NewGuid().ToString(),
            };
            var url = path
                .Name.Replace("{id}", id, StringComparison.Ordinal)
                .Replace("{other}", Guid.NewGuid().ToString(), StringComparison.Ordinal)
                .Replace("{run}", Guid.NewGuid().ToString(), StringComparison.Ordinal);
            foreach (var verb in path.Value.EnumerateObject())
            {
                var method = new HttpMethod(verb.Name.ToUpperInvariant());
                if (
                    path.Name.EndsWith("/erase", StringComparison.Ordinal)
                    || path.Name.EndsWith("/mail-test", StringComparison.Ordinal)
                    || path.Name.EndsWith("/mailbox-test", StringComparison.Ordinal)
                )
                {
                    continue;
                }

                if (verb.Value.TryGetProperty("parameters", out var parameters))
                {
                    foreach (
                        var parameter in parameters
                            .EnumerateArray()
                            .Where(p => p.GetProperty("in").GetString() == "query")
                            .Select(p => p.GetProperty("name").GetString())
                    )
                    {
                        foreach (var value in HostileQueries)
                        {
                            await SendAsync(method, $"{url}?{parameter}={value}", new JsonObject(), "");
                        }
                    }
                }

                if (path.Name.Contains("{id}", StringComparison.Ordinal))
                {
                    foreach (var value in new[] { "99999999999999999999", "m99999999999999999999", "i-", "%F0%9F%99%82", "-1" })
                    {
                        await SendAsync(
                            method,
                            path.Name.Replace("{id}", value, StringComparison.Ordinal)
                                .Replace("{run}", value, StringComparison.Ordinal)
                                .Replace("{other}", value, StringComparison.Ordinal),
                            new JsonObject(),
                            ""
                        );
                    }
                }

                if (
                    verb.Value.TryGetProperty("requestBody", out var request)
                    && request.GetProperty("content").TryGetProperty("application/json", out var json)
                )
                {
                    foreach (var (place, body) in Bodies(schemas, json.GetProperty("schema")))
                    {
                        await SendAsync(method, url, body, place);
                    }
                }
            }
        }

        Assert.True(failures.Count == 0, string.Join("\n", failures.Take(30)));
        Assert.True(sent > 2000, $"only {sent} were sent");

        // What was accepted can be read again: every page stands.
        foreach (
            var path in new[]
            {
                "/api/today",
                "/api/people",
                "/api/programs",
                "/api/practice",
                "/api/imports",
                "/api/notes",
                $"/api/people/{person}",
                $"/api/people/{person}/thread",
                $"/api/people/{person}/dealings",
                $"/api/programs/{program}",
                $"/api/programs/{program}/check",
            }
        )
        {
            await ada.GetAsync(path);
        }
    }

    /// <summary>The rule that makes the answers above come from the field: no text of a body is without a length.</summary>
    [Fact]
    public void Every_text_of_a_body_says_how_long_it_may_be()
    {
        var bodies = typeof(Rights)
            .Assembly.GetTypes()
            .Where(t => t.Name.EndsWith("Body", StringComparison.Ordinal) || t.Name is "Selection" or "NewPerson" or "NewProgram" or "PersonFields")
            .Where(t => t.Name != "TextBody")
            .ToList();
        Assert.True(bodies.Count > 25, $"only {bodies.Count} bodies");
        foreach (var body in bodies)
        {
            foreach (var parameter in body.GetConstructors().MaxBy(c => c.GetParameters().Length)!.GetParameters())
            {
                var type = Nullable.GetUnderlyingType(parameter.ParameterType) ?? parameter.ParameterType;
                var hasText = type == typeof(string) || (type.IsGenericType && typeof(System.Collections.IEnumerable).IsAssignableFrom(type));
                Assert.True(!hasText || parameter.GetCustomAttribute<AtMostAttribute>() is not null, $"{body.Name}.{parameter.Name} has no [AtMost]");
            }
        }
    }

    [Theory]
    [InlineData("/api/people", "firstName", 201), InlineData("/api/people/{id}/remarks", "text", 20_001)]
    public async Task What_is_too_long_is_said_at_its_field(string path, string field, int length)
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Ida" })).GetProperty("id").GetString()!;
        var (status, message) = await ada.RefusedAsync(
            path.Replace("{id}", person, StringComparison.Ordinal),
            new Dictionary<string, string> { [field] = new('x', length) },
            field
        );
        Assert.Equal(400, status);
        Assert.Contains("letters long", message, StringComparison.Ordinal);
        (status, message) = await ada.RefusedAsync(
            path.Replace("{id}", person, StringComparison.Ordinal),
            new Dictionary<string, string> { [field] = "a\0b" },
            field
        );
        Assert.Equal(400, status);
        Assert.Contains("NUL", message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_kept_of_a_long_message_says_where_the_whole_of_it_is_and_only_to_its_practice()
    {
        await using (var db = site.Db())
        {
            var row = new ReceivedRow
            {
                PracticeId = site.Practice,
                Channel = "email",
                Kind = "reply",
                Key = "long",
                FromAddress = "long@example.com",
                Text = new string('x', 100_000),
                At = Site.Now,
            };
            db.ReceivedFiles.Add(
                new ReceivedFileRow
                {
                    PracticeId = site.Practice,
                    Received = row,
                    ContentType = "message/rfc822",
                    Content = "<script>it is a file</script>"u8.ToArray(),
                }
            );
            db.Received.Add(
                new ReceivedRow
                {
                    PracticeId = site.Practice,
                    Channel = "email",
                    Kind = "reply",
                    Key = "short",
                    FromAddress = "short@example.com",
                    Text = "short",
                    At = Site.Now,
                }
            );
            await db.SaveChangesAsync();
        }

        var ada = await site.SignedInAsync("ada");
        var waiting = (await ada.GetAsync("/api/today"))
            .GetProperty("waiting")
            .EnumerateArray()
            .ToLookup(w => w.GetProperty("text").GetString()!.Split(' ')[0], w => w.GetProperty("whole").GetString());
        Assert.Null(Assert.Single(waiting["short@example.com"]));
        var whole = Assert.Single(waiting["long@example.com"])!;
        var file = await ada.Http.GetAsync(whole);
        Assert.Equal("<script>it is a file</script>", await file.Content.ReadAsStringAsync());
        Assert.Equal(
            ("application/octet-stream", "attachment"),
            (file.Content.Headers.ContentType!.MediaType, file.Content.Headers.ContentDisposition!.DispositionType)
        );
        Assert.Equal(HttpStatusCode.NotFound, (await (await site.SignedInAsync("tomas2")).Http.GetAsync(whole)).StatusCode);
    }

    /// <summary>One letter that throws used to take Today, the thread and the check down for the whole practice.</summary>
    [Fact]
    public async Task A_letter_that_throws_is_a_line_in_place_on_every_page()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = "Thea",
                    lastName = "Throws",
                    email = "thea@example.com",
                }
            )
        ).GetProperty("id").GetString()!;
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        var id = (await ada.DoAsync("/api/programs", new { name = "Throwing" })).GetProperty("id").GetString()!;
        var page = await ada.GetAsync($"/api/programs/{id}");
        JsonNode DraftWith(string body)
        {
            var draft = JsonNode.Parse(page.GetProperty("draft").GetRawText())!;
            draft["steps"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "a",
                    ["kind"] = "email",
                    ["when"] = new JsonObject { ["from"] = "start", ["offset"] = "P1D" },
                    ["subject"] = body,
                    ["body"] = body,
                }
            );
            return draft;
        }

        // Always wrong: a finding as soon as it is saved, and it is never switched on.
        var saved = await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft = DraftWith("{{ 1 | divided_by: 0 }}") }, HttpMethod.Put);
        Assert.Contains("divides by zero", saved.GetProperty("findings").GetRawText(), StringComparison.Ordinal);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await ada.PostAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = false })).StatusCode
        );

        // Wrong for some: found for them, blocked when due, said on every page.
        saved = await ada.DoAsync(
            $"/api/programs/{id}/draft",
            new { draftNumber = 2, draft = DraftWith("Hello {{ 10 | divided_by: person.custom.count }}") },
            HttpMethod.Put
        );
        Assert.Equal("[]", saved.GetProperty("findings").GetRawText());
        await using (var db = site.Db())
        {
            var row = await db.People.SingleAsync(p => p.Id == Guid.Parse(person));
            row.Custom = new() { ["count"] = "0" };
            await db.SaveChangesAsync();
        }

        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 3, alsoThese = false });
        Assert.Contains("divides by zero", (await ada.GetAsync($"/api/programs/{id}/check")).GetRawText(), StringComparison.OrdinalIgnoreCase);
        Assert.Contains(
            "divides by zero",
            (await ada.GetAsync($"/api/programs/{id}/preview?person={person}")).GetProperty("letter").GetProperty("lack").GetString(),
            StringComparison.Ordinal
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program = id });
        await site.WorkAsync();
        Assert.Contains("divides by zero", (await ada.GetAsync("/api/today")).GetProperty("going").GetRawText(), StringComparison.Ordinal);
        await ada.GetAsync($"/api/people/{person}/thread");
        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + NodaTime.Duration.FromHours(75)));
        }

        await site.WorkAsync();
        var today = await ada.GetAsync("/api/today");
        var mending = today.GetProperty("mending").EnumerateArray().Single(m => m.GetProperty("person").GetProperty("id").GetString() == person);
        Assert.Contains("divides by zero", mending.GetProperty("problem").GetString(), StringComparison.Ordinal);
        Assert.Contains(
            "divides by zero",
            (await ada.GetAsync($"/api/touches/{mending.GetProperty("touchId").GetString()}?person={person}")).GetRawText(),
            StringComparison.Ordinal
        );
        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now));
        }
    }
}
