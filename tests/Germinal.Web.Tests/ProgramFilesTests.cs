using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Files;
using Germinal.Service.Programs;

namespace Germinal.Web.Tests;

/// <summary>Programs as files: out and in again, several at once, copied, and what is wrong with each said in its place.</summary>
public sealed class ProgramFilesTests(Site site) : IClassFixture<Site>
{
    private static string FileOf(string name, string steps = "", string starts = """{"kind":"by-hand"}""") =>
        $$"""{"format":"germinal.program/1","name":{{JsonSerializer.Serialize(name)}},"startsWhen":[{{starts}}],"steps":[{{steps}}]}""";

    private static string GoesOn(string id, string program) => $$"""{"id":"{{id}}","kind":"hand-over","when":{"from":"previous","offset":"P2D"},"program":{{JsonSerializer.Serialize(program)}}}""";

    private static async Task<List<JsonElement>> TakeAsync(Member member, params (string File, string Text)[] files) =>
        [.. (await member.DoAsync("/api/programs/files", new { files = files.Select(f => new { name = f.File, text = f.Text }) })).EnumerateArray()];

    private static async Task<JsonElement> DraftAsync(Member member, JsonElement taken) =>
        (await member.GetAsync($"/api/programs/{taken.GetProperty("id").GetString()}")).GetProperty("draft");

    private static async Task<string> DownloadAsync(Member member, string? id)
    {
        var answer = await member.Http.GetAsync($"/api/programs/{id}/file");
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.EndsWith(".program.json", answer.Content.Headers.ContentDisposition?.FileName?.Trim('"'), StringComparison.Ordinal);
        return await answer.Content.ReadAsStringAsync();
    }

    [Fact]
    public async Task What_comes_out_goes_in_again_unchanged_but_for_its_name()
    {
        var ada = await site.SignedInAsync("ada");
        var email = """{"id":"a","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Zoë’s “plan” <3","body":"<p>Hello {{ person.first_name }}</p>","to":{"relation":"solicitor"}}""";
        var first = (await TakeAsync(ada, ("one.json", FileOf("Out & in: größer", email))))[0];
        var text = await DownloadAsync(ada, first.GetProperty("id").GetString());
        Assert.Contains("Zoë’s “plan” <3", text, StringComparison.Ordinal);
        Assert.NotNull(ProgramFile.Read(text).Program);
        var again = (await TakeAsync(ada, ("again.json", "\uFEFF" + text)))[0];
        Assert.Equal("Out & in: größer 2", again.GetProperty("name").GetString());
        var (before, after) = (JsonNode.Parse((await DraftAsync(ada, first)).GetRawText())!, JsonNode.Parse((await DraftAsync(ada, again)).GetRawText())!);
        after["name"] = before["name"]!.DeepClone();
        Assert.True(JsonNode.DeepEquals(before, after));
    }

    [Fact]
    public async Task Several_at_once_go_on_with_each_other_under_their_names_here_and_a_wrong_one_keeps_no_other_out()
    {
        var ada = await site.SignedInAsync("ada");
        await TakeAsync(ada, ("x", FileOf("Spring")), ("y", FileOf("Summer")));
        var taken = await TakeAsync(
            ada,
            ("spring.json", FileOf("Spring", GoesOn("a", "summer"))),
            ("broken.json", "{"),
            ("future.json", FileOf("Winter").Replace("program/1", "program/9", StringComparison.Ordinal)),
            ("wrong.json", FileOf("Autumn", """{"id":"a","kind":"pigeon","when":{"from":"start"}}""")),
            ("summer.json", FileOf("Summer", $$"""{"id":"f","kind":"fork","when":{"from":"previous"},"if":{"kind":"replied"},"then":[{{GoesOn("b", "SUMMER")}}],"else":[]}""", """{"kind":"program-finished","program":"Spring"}"""))
        );
        Assert.Equal(["Spring 2", null, null, null, "Summer 2"], taken.Select(t => t.GetProperty("name").GetString()));
        Assert.Equal("Summer 2", (await DraftAsync(ada, taken[0])).GetProperty("steps")[0].GetProperty("program").GetString());
        var summer = await DraftAsync(ada, taken[4]);
        Assert.Equal("Summer 2", summer.GetProperty("steps")[0].GetProperty("then")[0].GetProperty("program").GetString());
        Assert.Equal("Spring 2", summer.GetProperty("startsWhen")[0].GetProperty("program").GetString());
        Assert.StartsWith("This is not JSON", taken[1].GetProperty("findings")[0].GetProperty("message").GetString(), StringComparison.Ordinal);
        Assert.Equal("/format", taken[2].GetProperty("findings")[0].GetProperty("pointer").GetString());
        Assert.Equal("/steps/0/kind", taken[3].GetProperty("findings")[0].GetProperty("pointer").GetString());
        var list = await ada.GetAsync("/api/programs");
        Assert.DoesNotContain(list.EnumerateArray(), p => p.GetProperty("name").GetString() is "Winter" or "Autumn");
        Assert.All(list.EnumerateArray().Where(p => p.GetProperty("name").GetString()!.EndsWith(" 2", StringComparison.Ordinal)), p => Assert.Equal("draft", p.GetProperty("status").GetString()));
    }

    [Fact]
    public async Task A_program_is_copied_with_its_loop_and_the_list_says_what_starts_it()
    {
        var ada = await site.SignedInAsync("ada");
        var made = (await TakeAsync(ada, ("l", FileOf("Looping", GoesOn("a", "Looping"), """{"kind":"tag-added","tag":"warm"}""").Replace("\"startsWhen\"", "\"group\":\"Rounds\",\"startsWhen\"", StringComparison.Ordinal))))[0];
        var copy = await ada.DoAsync($"/api/programs/{made.GetProperty("id").GetString()}/copy");
        Assert.Equal("Looping 2", copy.GetProperty("name").GetString());
        Assert.Equal("Looping 2", (await DraftAsync(ada, copy)).GetProperty("steps")[0].GetProperty("program").GetString());
        var line = (await ada.GetAsync("/api/programs")).EnumerateArray().Single(p => p.GetProperty("name").GetString() == "Looping 2");
        Assert.Equal(("Rounds", "warm"), (line.GetProperty("group").GetString(), line.GetProperty("starts")[0].GetProperty("tag").GetString()));
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/programs/{Guid.NewGuid()}/copy")).StatusCode);
    }

    [Fact]
    public async Task Somebody_hostile_or_clumsy_gets_an_answer_and_changes_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var before = (await ada.GetAsync("/api/programs")).GetArrayLength();
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { files = Array.Empty<object>() }, "files")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { files = Enumerable.Repeat(new { name = "a", text = "{}" }, 51) }, "files")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { files = new object?[] { null } }, "files")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { }, "files")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { files = new[] { new { name = "a", text = "\u0000" } } }, "files")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/files", new { files = new[] { new { name = "a", text = new string('x', 1_000_001) } } }, "files")).Status);
        foreach (var text in new[] { "", "[]", "null", "\"\"", new string('[', 5000), FileOf(""), FileOf(new string('n', 81)), FileOf("M", new string('{', 200)) })
        {
            var taken = Assert.Single(await TakeAsync(ada, ("<img src=x onerror=alert(1)>", text)));
            Assert.Equal(JsonValueKind.Null, taken.GetProperty("id").ValueKind);
            Assert.NotEqual(0, taken.GetProperty("findings").GetArrayLength());
        }

        Assert.Equal(before, (await ada.GetAsync("/api/programs")).GetArrayLength());

        // Ten at once under one name: each has one of its own or is told to look again, and none is lost half.
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/programs/files", new { files = new[] { new { name = "t", text = FileOf("Ten") } } })));
        Assert.All(answers, a => Assert.True(a.StatusCode is HttpStatusCode.OK or HttpStatusCode.Conflict, a.StatusCode.ToString()));
        Assert.Equal(before + answers.Count(a => a.StatusCode == HttpStatusCode.OK), (await ada.GetAsync("/api/programs")).GetArrayLength());
    }

    // Rule 11.3; the lengths are of 3GPP TS 23.038: 160 septets alone, 70 units beyond the alphabet.
    [Fact]
    public async Task A_text_is_measured_as_somebody_would_get_it()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Măra", lastName = "Measured" })).GetProperty("id").GetString();
        async Task<(string?, int, int, string?, string?, string?)> OfAsync(string text, string? who = null)
        {
            var l = await ada.DoAsync("/api/programs/text-length", new { text, person = who });
            return (
                l.GetProperty("encoding").GetString(),
                l.GetProperty("characters").GetInt32(),
                l.GetProperty("parts").GetInt32(),
                l.GetProperty("beyond").GetString(),
                l.GetProperty("words").GetString(),
                l.GetProperty("lack").GetString()
            );
        }

        Assert.Equal(("GSM-7", 4, 1, "", "abc€", null), await OfAsync("abc€"));
        Assert.Equal(("GSM-7", 161, 2), await OfAsync(new string('a', 161)) is var (e, c, p, _, _, _) ? (e, c, p) : default);
        Assert.Equal(("UCS-2", 8, 1, "ă", "Hi, Măra", null), await OfAsync("Hi, {{ person.first_name }}", person));
        Assert.Equal("nothing to put for “person.stage”", (await OfAsync("{{ person.stage }}", person)).Item6);
        Assert.Equal("{{ broken", (await OfAsync("{{ broken", person)).Item5);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync("/api/programs/text-length", new { text = "a", person = Guid.NewGuid() })).StatusCode);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/text-length", new { text = new string('x', 20_001) }, "text")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs/text-length", new { text = "\u0000" }, "text")).Status);
    }

    [Fact]
    public void A_free_name_is_as_short_as_a_name_may_be()
    {
        var longest = new string('n', ProgramsTaken.LongestName);
        Assert.Equal("A", ProgramsTaken.FreeName("A", new HashSet<string>()));
        Assert.Equal("A 3", ProgramsTaken.FreeName("A", new HashSet<string> { "A", "A 2" }));
        var free = ProgramsTaken.FreeName(longest, new HashSet<string> { longest });
        Assert.Equal((ProgramsTaken.LongestName, true), (free.Length, free.EndsWith("n 2", StringComparison.Ordinal)));
    }
}
