using System.Net;
using System.Text.Json;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

public sealed class SecurityTests(Site site) : IClassFixture<Site>
{
    [Fact]
    public async Task Nobody_gets_in_without_signing_in()
    {
        var nobody = await site.NobodyAsync();
        foreach (var path in new[] { "/api/people", "/api/today", "/api/programs", "/api/clock", "/api/imports" })
        {
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.Http.GetAsync(path)).StatusCode);
        }

        Assert.Equal(JsonValueKind.Null, (await nobody.GetAsync("/api/session")).GetProperty("member").ValueKind);
    }

    [Fact]
    public async Task The_schemas_of_the_files_are_open_to_anybody()
    {
        var nobody = await site.NobodyAsync();
        foreach (
            var (path, title) in new[]
            {
                ("/schemas/germinal.program-1.json", "A program, format germinal.program/1"),
                ("/schemas/germinal.practice-1.json", "A practice, format germinal.practice/1"),
                ("/schemas/germinal.form-1.json", "A form, format germinal.form/1"),
            }
        )
        {
            using var schema = JsonDocument.Parse(await nobody.Http.GetStringAsync(path));
            Assert.Equal(
                ("https://json-schema.org/draft/2020-12/schema", title),
                (schema.RootElement.GetProperty("$schema").GetString(), schema.RootElement.GetProperty("title").GetString())
            );
        }
    }

    [Fact]
    public async Task Signing_in_and_out()
    {
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal("Tomas Brandt", (await tomas.GetAsync("/api/session")).GetProperty("member").GetProperty("name").GetString());
        await tomas.DoAsync("/api/session", null, HttpMethod.Delete);
        Assert.Equal(HttpStatusCode.Unauthorized, (await tomas.Http.GetAsync("/api/people")).StatusCode);
    }

    [Fact]
    public async Task Guessing_is_braked_for_the_pair_and_nobody_else_is_locked_out()
    {
        var nobody = await site.NobodyAsync();
        var body = new { email = "tomas2@example.com", password = "wrong" };
        for (var i = 0; i < 8; i++)
        {
            Assert.Contains("go together", (await nobody.RefusedAsync("/api/session", body, "password")).Message, StringComparison.Ordinal);
        }

        var braked = await nobody.PostAsync("/api/session", body);
        Assert.Equal((HttpStatusCode)429, braked.StatusCode);
        Assert.NotNull(braked.Headers.RetryAfter);
        await site.SignedInAsync("ada2");

        // From another machine the same address is free, and a minute is the longest anybody can hold it for everybody.
        using var brake = new SignInBrake(3, 5, 100);
        foreach (var client in new[] { "a", "a", "a", "b", "b" })
        {
            Assert.Null(brake.Try(client, "Ida@example.com"));
            brake.Wrong(client, "ida@example.com");
        }

        Assert.True(brake.Try("a", "ida@example.com") > TimeSpan.FromMinutes(1));
        Assert.True(brake.Try("c", "ida@example.com") <= TimeSpan.FromMinutes(1));
        Assert.Null(brake.Try("a", "bo@example.com"));
    }

    [Fact]
    public async Task Every_writing_call_needs_the_guard()
    {
        var ada = await site.SignedInAsync("ada");
        var answer = await ada.SendAsync(HttpMethod.Post, "/api/people", new { firstName = "Ida" }, guarded: false);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains("Guard missing", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal("old", Assert.Single(answer.Headers.GetValues("X-Germinal-Guard")));
    }

    /// <summary>A member of another practice walks every endpoint that names a thing of this one: 404, and nothing is changed or told.</summary>
    [Fact]
    public async Task A_stranger_finds_nothing_anywhere()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = "Secretname",
                    lastName = "Rowan",
                    email = "secret@example.com",
                }
            )
        ).GetProperty("id").GetString()!;
        var program = (await ada.DoAsync("/api/programs", new { name = "Secretname program" })).GetProperty("id").GetString()!;
        var import = (await ada.DoAsync("/api/imports", Member.File("First name,Email\nSecretname,s2@example.com\n"u8.ToArray(), "secretname.csv")))
            .GetProperty("id")
            .GetString()!;
        await StartedAsync(ada, person);
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = "Secretname plan", stage = "Planning/Inquiry" });
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "Secretname review", at = "2027-05-04T10:00" });
        await ada.DoAsync(
            $"/api/people/{person}/tasks",
            new
            {
                kind = "task",
                title = "Secretname task",
                due = "2027-05-04",
            }
        );
        var segment = (await ada.DoAsync("/api/segments", new { name = "Secretname segment", rule = new { field = "email", op = "exists" } }))
            .GetProperty("id")
            .GetString()!;
        var other = (await ada.DoAsync("/api/people", new { firstName = "Secretname", lastName = "Other" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/household", new { other });
        var relation = (await ada.DoAsync($"/api/people/{person}/relations", new { other, role = "spouse" })).GetProperty("id").GetString()!;
        var dealings = await ada.GetAsync($"/api/people/{person}/dealings");
        string IdOf(string what) => dealings.GetProperty(what)[0].GetProperty("id").GetString()!;
        string touch,
            run;
        await using (var db = site.Db())
        {
            touch = db.Touches.Single(t => t.PersonId == Guid.Parse(person)).Id.ToString();
            run = db.Runs.Single(r => r.PersonId == Guid.Parse(person)).Id.ToString();
        }

        var stranger = await site.SignedInAsync("ada2");
        var document = await stranger.GetAsync("/openapi/v1.json");
        var walked = 0;
        foreach (var path in document.GetProperty("paths").EnumerateObject())
        {
            foreach (var verb in path.Value.EnumerateObject())
            {
                var url = path
                    .Name.Replace("{run}", run, StringComparison.Ordinal)
                    .Replace("{relation}", relation, StringComparison.Ordinal)
                    .Replace("{index}", "0", StringComparison.Ordinal)
                    .Replace("{one}", person, StringComparison.Ordinal);
                var id = url.Split('/')[2] switch
                {
                    "people" or "merges" => person,
                    "programs" => program,
                    "imports" => import,
                    "touches" => touch,
                    "opportunities" => IdOf("opportunities"),
                    "appointments" => IdOf("appointments"),
                    "tasks" => IdOf("tasks"),
                    "segments" => segment,
                    _ => path.Name.Contains("set-aside", StringComparison.Ordinal) ? person : "r1",
                };
                url = url.Replace("{id}", id, StringComparison.Ordinal).Replace("{other}", person, StringComparison.Ordinal);
                if (
                    path.Name.StartsWith("/api/stand-ins", StringComparison.Ordinal)
                    || path.Name == "/api/session"
                    || path.Name.StartsWith("/api/clock/", StringComparison.Ordinal)
                )
                {
                    continue;
                }

                var needsPerson = path.Name.StartsWith("/api/touches", StringComparison.Ordinal) ? $"?person={person}" : "";
                var answer = await stranger.SendAsync(
                    new HttpMethod(verb.Name.ToUpperInvariant()),
                    url + needsPerson,
                    verb.Name == "get" ? null : BodyFor(path.Name)
                );
                var text = await answer.Content.ReadAsStringAsync();
                Assert.DoesNotContain("Secretname", text, StringComparison.OrdinalIgnoreCase);
                if (path.Name.Contains('{', StringComparison.Ordinal))
                {
                    Assert.True(answer.StatusCode == HttpStatusCode.NotFound, $"{verb.Name} {url}: {(int)answer.StatusCode} {text}");
                    walked++;
                }
            }
        }

        Assert.True(walked > 25, $"only {walked} addresses were walked");

        // And many at once changes nobody of another practice.
        Assert.Equal(0, (await stranger.DoAsync("/api/people/tag", new { ids = new[] { person }, tag = "mine" })).GetProperty("count").GetInt32());
        Assert.Equal(
            0,
            (await stranger.DoAsync("/api/people/stage", new { ids = new[] { person }, stage = "Planning/Client" })).GetProperty("count").GetInt32()
        );
    }

    private async Task StartedAsync(Member ada, string person)
    {
        var id = (await ada.DoAsync("/api/programs", new { name = "Calls" })).GetProperty("id").GetString()!;
        var page = await ada.GetAsync($"/api/programs/{id}");
        var draft = System.Text.Json.Nodes.JsonNode.Parse(page.GetProperty("draft").GetRawText())!;
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse("""[{"id":"c","kind":"call","when":{"from":"start","offset":"P9D"},"script":"x"}]""");
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = false });
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program = id });
        await site.WorkAsync();
    }

    private static object BodyFor(string path) =>
        path switch
        {
            "/api/people/{id}" => new { edition = 1, fields = new { firstName = "x" } },
            "/api/people/{id}/household" => new { other = Guid.NewGuid() },
            "/api/people/{id}/relations" => new { other = Guid.NewGuid(), role = "spouse" },
            "/api/segments/{id}" => new
            {
                name = "x",
                rule = new { field = "email", op = "exists" },
                edition = 1,
            },
            "/api/people/{id}/remarks" => new { text = "x" },
            "/api/people/{id}/replies" => new { channel = "email" },
            "/api/people/{id}/contact" => new { doNotContact = true, reason = "x" },
            "/api/people/{id}/consent" => new
            {
                channel = "email",
                @in = true,
                reason = "x",
            },
            "/api/programs/{id}/draft" => new { draftNumber = 1, draft = new { } },
            "/api/programs/{id}/switch-on" => new { draftNumber = 1, alsoThese = false },
            "/api/imports/{id}/columns" => new { columns = new[] { "first_name", "email" } },
            "/api/imports/{id}/sheet" => new { sheet = "x" },
            "/api/imports/{id}/values" => new { field = "owner", value = "x" },
            "/api/imports/{id}/columns/{index}/field" => new
            {
                name = "x",
                kind = "text",
                options = Array.Empty<string>(),
            },
            "/api/lists" => new { name = "x" },
            "/api/people/export/{form}" => new { ids = Array.Empty<Guid>() },
            "/api/touches/{id}/done" or "/api/tasks/{id}/done" => new { outcome = "spoke" },
            "/api/touches/{id}/overrule" => new { person = Guid.NewGuid(), reason = "x" },
            "/api/people/{id}/opportunities" => new { title = "x", stage = "Planning/Inquiry" },
            "/api/people/{id}/appointments" => new { type = "x", at = "2027-05-05T10:00" },
            "/api/people/{id}/inquiries" => new { how = "phone", text = "x" },
            "/api/people/{id}/tasks" => new
            {
                kind = "task",
                title = "x",
                due = "2027-05-05",
            },
            "/api/people/{id}/merge" => new { other = Guid.NewGuid() },
            "/api/people/{id}/erase" => new { name = "x" },
            "/api/opportunities/{id}/stage" => new { stage = "Planning/Client" },
            "/api/opportunities/{id}/close" => new { won = true },
            "/api/appointments/{id}/move" => new { at = "2027-05-05T10:00" },
            "/api/today/waiting/{id}/belongs" => new { person = Guid.NewGuid() },
            _ => new { },
        };

    [Fact]
    public async Task Answers_carry_the_security_headers()
    {
        var answer = await (await site.NobodyAsync()).Http.GetAsync("/health/live");
        Assert.Contains("default-src 'none'", answer.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        Assert.DoesNotContain(
            "'unsafe-inline'",
            answer.Headers.GetValues("Content-Security-Policy").Single().Split("script-src")[1].Split(';')[0],
            StringComparison.Ordinal
        );
        Assert.Equal("nosniff", answer.Headers.GetValues("X-Content-Type-Options").Single());
    }

    [Fact]
    public async Task The_health_addresses_answer()
    {
        var nobody = await site.NobodyAsync();
        Assert.Equal(HttpStatusCode.OK, (await nobody.Http.GetAsync("/health/live")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await nobody.Http.GetAsync("/health/ready")).StatusCode);
    }

    /// <summary>
    /// The front end's client is generated from the committed document; this holds it to the live one. To renew it, run this test
    /// with GERMINAL_WRITE_OPENAPI naming the file, then npm run api.
    /// </summary>
    [Fact]
    public async Task The_committed_OpenAPI_document_is_the_live_one()
    {
        var live = await (await site.NobodyAsync()).GetAsync("/openapi/v1.json");
        if (Environment.GetEnvironmentVariable("GERMINAL_WRITE_OPENAPI") is { Length: > 0 } renew)
        {
            await File.WriteAllTextAsync(
                renew,
                JsonSerializer.Serialize(
                    live,
                    new JsonSerializerOptions
                    {
                        WriteIndented = true,
                        IndentSize = 1,
                        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
                    }
                ) + "\n"
            );
            return;
        }

        var committed = JsonSerializer.Deserialize<JsonElement>(await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "openapi.json")));
        static string[] Shapes(JsonElement d) =>
            [
                .. d.GetProperty("components")
                    .GetProperty("schemas")
                    .EnumerateObject()
                    .Select(s => s.Name + s.Value.GetRawText().Replace(" ", "", StringComparison.Ordinal).Replace("\n", "", StringComparison.Ordinal))
                    .Order(),
            ];
        static string[] Calls(JsonElement d) =>
            [
                .. d.GetProperty("paths")
                    .EnumerateObject()
                    .Where(p => !p.Name.Contains("stand-ins", StringComparison.Ordinal))
                    .Select(s => s.Name + s.Value.GetRawText().Replace(" ", "", StringComparison.Ordinal).Replace("\n", "", StringComparison.Ordinal))
                    .Order(),
            ];
        Assert.Equal(Calls(committed), Calls(live));
        Assert.Empty(Shapes(live).Except(Shapes(committed)));
    }
}
