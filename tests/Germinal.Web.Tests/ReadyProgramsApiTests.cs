using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>Ready programs: read, taken with their questions answered, put on the shelf; and whose program it is.</summary>
public sealed class ReadyProgramsApiTests(Site site) : IClassFixture<Site>
{
    private static object Answers(params (string Id, string? Value)[] answers) => new { answers = answers.Select(a => new { id = a.Id, value = a.Value }) };

    private static async Task<string> NewAsync(Member member, string name, string steps = """{"id":"a","kind":"email","when":{"from":"start"},"subject":"s","body":"b"}""") =>
        (
            await member.DoAsync(
                "/api/programs/files",
                new { files = new[] { new { name = "f", text = $$"""{"format":"germinal.program/1","name":"{{name}}","startsWhen":[{"kind":"by-hand"}],"steps":[{{steps}}]}""" } } }
            )
        )[0].GetProperty("id").GetString()!;

    [Fact]
    public async Task One_is_read_as_somebody_of_ones_own_would_get_it_and_the_next()
    {
        var ada = await site.SignedInAsync("ada");
        var list = await ada.GetAsync("/api/ready-programs");
        Assert.InRange(list.GetArrayLength(), 16, 100);
        var one = await ada.GetAsync("/api/ready-programs/eight-weeks-buyer");
        Assert.Equal(JsonValueKind.Array, one.GetProperty("questions").ValueKind);
        // Where nobody is there yet, somebody made up reads it.
        var nobody = await (await site.SignedInAsync("ada2")).GetAsync("/api/ready-programs/eight-weeks-buyer/read");
        Assert.Equal("Ida Lind", nobody.GetProperty("person").GetProperty("name").GetString());
        var standa = (await ada.DoAsync("/api/people", new { firstName = "Standa", lastName = "Still", email = "standa@example.com" })).GetProperty("id").GetString();
        var read = await ada.GetAsync($"/api/ready-programs/eight-weeks-buyer/read?person={standa}");
        Assert.Equal(8, read.GetProperty("steps").GetArrayLength());
        Assert.Equal("Standa Still", read.GetProperty("person").GetProperty("name").GetString());
        var first = read.GetProperty("steps")[0];
        Assert.Contains(read.GetProperty("person").GetProperty("name").GetString()!.Split(' ')[0], first.GetProperty("subject").GetString(), StringComparison.Ordinal);
        var we = await ada.GetAsync($"/api/ready-programs/eight-weeks-buyer/read?voice=we&person={standa}");
        Assert.NotEqual(first.GetProperty("text").GetString(), we.GetProperty("steps")[0].GetProperty("text").GetString());
        var next = await ada.GetAsync($"/api/ready-programs/eight-weeks-buyer/read?move=1&person={read.GetProperty("person").GetProperty("id").GetString()}");
        Assert.True(next.TryGetProperty("person", out _));
        foreach (var key in new[] { "nothing", Guid.NewGuid().ToString(), "../x" })
        {
            Assert.True((int)(await ada.SendAsync(HttpMethod.Get, $"/api/ready-programs/{key}")).StatusCode is 404 or 400);
        }
    }

    [Fact]
    public async Task It_is_taken_with_its_questions_answered_and_what_is_missing_is_said_at_its_question()
    {
        var ada = await site.SignedInAsync("ada");
        var (status, message) = await ada.RefusedAsync("/api/ready-programs/welcome/take", Answers(("at", "10:15")), "/answers/start");
        Assert.Equal(400, status);
        Assert.Contains("needs an answer", message, StringComparison.Ordinal);
        var taken = await ada.DoAsync("/api/ready-programs/welcome/take", Answers(("start", "Planning/Client"), ("at", "10:15"), ("voice", "we, as a house")));
        var draft = (await ada.GetAsync($"/api/programs/{taken.GetProperty("id").GetString()}")).GetProperty("draft");
        Assert.Equal("Planning/Client", draft.GetProperty("startsWhen")[0].GetProperty("stage").GetString());
        Assert.Equal("10:15", draft.GetProperty("at").GetString());
        Assert.Equal("we", draft.GetProperty("voice").GetString());
        Assert.False(draft.TryGetProperty("questions", out _));
        var again = await ada.DoAsync("/api/ready-programs/welcome/take", Answers(("start", "Planning/Client")));
        Assert.EndsWith(" 2", again.GetProperty("name").GetString(), StringComparison.Ordinal);
        foreach (var wrong in new[] { ("at", "25:99"), ("voice", "they"), ("days", "Someday") })
        {
            Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/ready-programs/welcome/take", Answers(("start", "Planning/Client"), wrong))).StatusCode);
        }
    }

    [Fact]
    public async Task A_program_on_the_shelf_is_whole_for_another_practice_and_only_its_own_takes_it_off()
    {
        var ada = await site.SignedInAsync("ada");
        var other = await site.SignedInAsync("ada2");
        await ada.DoAsync("/api/letters", new { name = "For the shelf", subject = "Kept words", body = "<p>written once</p>" });
        var id = await NewAsync(ada, "Shared one", """{"id":"a","kind":"email","letter":"For the shelf"}""");
        var line = await ada.DoAsync($"/api/programs/{id}/shelf", new { note = "It did well <b>here</b>" });
        var key = line.GetProperty("key").GetString();
        Assert.True(line.GetProperty("mine").GetBoolean());
        var seen = await other.GetAsync($"/api/ready-programs/{key}");
        Assert.False(seen.GetProperty("about").GetProperty("mine").GetBoolean());
        Assert.Equal("Kept words", seen.GetProperty("file").GetProperty("steps")[0].GetProperty("subject").GetString());
        var taken = await other.DoAsync($"/api/ready-programs/{key}/take", Answers());
        Assert.Equal("Shared one", taken.GetProperty("name").GetString());
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, $"/api/ready-programs/{key}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"/api/programs/{id}/shelf", new { note = "" })).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, $"/api/ready-programs/{key}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Delete, "/api/ready-programs/welcome")).StatusCode);
        await other.GetAsync($"/api/programs/{taken.GetProperty("id").GetString()}");
    }

    [Fact]
    public async Task Only_its_owner_and_a_principal_change_a_program()
    {
        var (ada, tomas) = (await site.SignedInAsync("ada"), await site.SignedInAsync("tomas"));
        var id = await NewAsync(ada, "Of Ada");
        var program = await ada.GetAsync($"/api/programs/{id}");
        var save = new { draftNumber = 1, draft = program.GetProperty("draft") };
        var refused = await tomas.SendAsync(HttpMethod.Put, $"/api/programs/{id}/draft", save);
        Assert.Equal(HttpStatusCode.Forbidden, refused.StatusCode);
        Assert.Contains("Ada Quill", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.False((await tomas.GetAsync($"/api/programs/{id}")).GetProperty("mayChange").GetBoolean());
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.SendAsync(HttpMethod.Put, $"/api/programs/{id}/standing", new { hidden = true })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false })).StatusCode);
        var of = await NewAsync(tomas, "Of Tomas");
        Assert.True((await ada.GetAsync($"/api/programs/{of}")).GetProperty("mayChange").GetBoolean());
        Assert.Equal(HttpStatusCode.OK, (await ada.SendAsync(HttpMethod.Put, $"/api/programs/{id}/draft", save)).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Put, $"/api/programs/{id}/standing", new { ownerId = (string?)null })).StatusCode);
        Assert.True((await tomas.GetAsync($"/api/programs/{id}")).GetProperty("mayChange").GetBoolean());
    }

    [Fact]
    public async Task A_program_that_is_on_is_not_put_away_and_one_that_was_is_not_switched_on()
    {
        var ada = await site.SignedInAsync("ada");
        var other = await site.SignedInAsync("ada2");
        var id = await NewAsync(ada, "Put away");
        var standing = $"/api/programs/{id}/standing";
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Put, standing, new { archived = true, hidden = true })).StatusCode);
        Assert.True((await ada.GetAsync("/api/programs")).EnumerateArray().Single(p => p.GetProperty("id").GetString() == id).GetProperty("archived").GetBoolean());
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false })).StatusCode);
        await ada.SendAsync(HttpMethod.Put, standing, new { archived = false });
        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false });
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Put, standing, new { archived = true })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Put, standing, new { archived = true })).StatusCode);
        var (status, _) = await ada.RefusedAsync(standing, new { ownerId = Guid.NewGuid() }, "ownerId", HttpMethod.Put);
        Assert.Equal(400, status);
    }

    [Fact]
    public async Task A_program_is_rehearsed_left_come_back_to_and_seen_by_nobody_else()
    {
        var (ada, other) = (await site.SignedInAsync("ada"), await site.SignedInAsync("ada2"));
        var id = await NewAsync(ada, "Rehearsed");
        var path = $"/api/programs/{id}/rehearsal";
        Assert.Equal(JsonValueKind.Null, (await ada.GetAsync(path)).GetProperty("result").ValueKind);
        await ada.DoAsync(path, new { });
        JsonElement state;
        do
        {
            state = await ada.GetAsync(path);
        } while (state.GetProperty("running").GetBoolean());
        Assert.Equal(JsonValueKind.Object, state.GetProperty("result").ValueKind);
        foreach (var until in new[] { "yesterday", "1999-01-01", "9999-12-31", "2027-02-30" })
        {
            Assert.Equal(400, (await ada.RefusedAsync(path, new { until }, "until")).Status);
        }

        var broken = await NewAsync(ada, "Broken", """{"id":"a","kind":"email","when":{"from":"start"},"subject":"{{ person.","body":"b"}""");
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync($"/api/programs/{broken}/rehearsal", new { })).StatusCode);
        foreach (var call in new[] { HttpMethod.Get, HttpMethod.Delete })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(call, path)).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync(path, new { })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Get, $"{path}/{Guid.NewGuid()}")).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, path)).StatusCode);
        var many = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync(path, new { })));
        Assert.All(many, m => Assert.Equal(HttpStatusCode.OK, m.StatusCode));
    }

    [Fact]
    public async Task A_program_is_walked_through_the_walk_kept_and_none_of_it_seen_by_another_practice()
    {
        var (ada, other) = (await site.SignedInAsync("ada"), await site.SignedInAsync("ada2"));
        var person = (await ada.DoAsync("/api/people", new { firstName = "Wanda", lastName = "Walks", email = "wanda@example.com" })).GetProperty("id").GetString();
        var id = await NewAsync(ada, "Walkable");
        var path = $"/api/programs/{id}";
        var walk = await ada.DoAsync($"{path}/walk", new { person, moves = new[] { new { stepId = "a", act = "answer", hours = 2 } } });
        Assert.Equal("Wanda Walks", walk.GetProperty("person").GetProperty("name").GetString());
        Assert.Equal(1, walk.GetProperty("lines").GetArrayLength());
        await ada.SendAsync(HttpMethod.Post, $"{path}/walks", new { name = "answers", person });
        var kept = (await ada.GetAsync($"{path}/walks"))[0];
        Assert.Equal(0, kept.GetProperty("differences").GetArrayLength());
        Assert.Equal(400, (await ada.RefusedAsync($"{path}/walks", new { name = "answers", person }, "name")).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"{path}/walks", new { name = " ", person }, "name")).Status);

        foreach (
            var moves in new object[]
            {
                new[] { new { stepId = "a", act = "fly" } },
                new[] { new { stepId = "a", act = "follow" } },
                new[] { new { stepId = "a", act = "open", hours = -1 } },
                new[] { new { stepId = "a", act = "open", hours = int.MaxValue } },
                Enumerable.Repeat(new { stepId = "a", act = "open" }, 61),
            }
        )
        {
            Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync($"{path}/walk", new { person, moves })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"{path}/walk", new { person = Guid.NewGuid() })).StatusCode);
        Assert.Equal(400, (await ada.RefusedAsync($"{path}/trial", new { stepId = "nothing", person }, "stepId")).Status);
        foreach (var (call, body) in new (string, object)[] { ("walk", new { }), ("walks", new { name = "x", person }), ("trial", new { stepId = "a" }) })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"{path}/{call}", body)).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Get, $"{path}/walks")).StatusCode);
        var gone = $"{path}/walks/{kept.GetProperty("id").GetString()}";
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, gone)).StatusCode);
        var deleted = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.SendAsync(HttpMethod.Delete, gone)));
        Assert.Equal(1, deleted.Count(d => d.StatusCode == HttpStatusCode.NoContent));
    }
}
