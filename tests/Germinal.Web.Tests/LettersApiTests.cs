using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>Letters kept by name, steps that follow them, and how each member signs.</summary>
public sealed class LettersApiTests(Site site) : IClassFixture<Site>
{
    private static object Letter(string name, string subject = "s", string body = "<p>b</p>", int? edition = null) => new { name, subject, body, edition };

    private static async Task<JsonElement> TakeAsync(Member member, string name, string step) =>
        (
            await member.DoAsync(
                "/api/programs/files",
                new { files = new[] { new { name = "f", text = $$"""{"format":"germinal.program/1","name":"{{name}}","startsWhen":[{"kind":"by-hand"}],"steps":[{{step}}]}""" } } }
            )
        )[0];

    private static string Follows(string letter) => $$"""{"id":"a","kind":"email","letter":"{{letter}}"}""";

    [Fact]
    public async Task A_letter_is_kept_found_copied_renamed_with_those_who_follow_it_and_thrown_away_only_when_nobody_does()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/letters", Letter("Spring news", "Hello {{ person.first_name }}", "<p>First words of spring</p>"));
        var id = made.GetProperty("id").GetString()!;
        var program = await TakeAsync(ada, "Follows spring", Follows("spring NEWS"));
        Assert.DoesNotContain(program.GetProperty("findings").EnumerateArray(), f => !f.GetProperty("isWarning").GetBoolean());
        var line = (await ada.GetAsync("/api/letters")).EnumerateArray().Single(l => l.GetProperty("id").GetString() == id);
        Assert.Equal("First words of spring", line.GetProperty("begins").GetString());
        Assert.Equal("Follows spring", line.GetProperty("uses")[0].GetProperty("program").GetString());

        var renamed = await ada.DoAsync($"/api/letters/{id}", Letter("Summer news", "Hello", "<p>x</p>", 1), HttpMethod.Put);
        Assert.Equal(2, renamed.GetProperty("edition").GetInt32());
        var draft = (await ada.GetAsync($"/api/programs/{program.GetProperty("id").GetString()}")).GetProperty("draft");
        Assert.Equal("Summer news", draft.GetProperty("steps")[0].GetProperty("letter").GetString());

        var refused = await ada.SendAsync(HttpMethod.Delete, $"/api/letters/{id}");
        Assert.Equal(HttpStatusCode.Conflict, refused.StatusCode);
        Assert.Contains("Follows spring", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var copy = await ada.DoAsync($"/api/letters/{id}/copy");
        Assert.Equal("Summer news 2", copy.GetProperty("name").GetString());
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, $"/api/letters/{copy.GetProperty("id").GetString()}")).StatusCode);
    }

    [Fact]
    public async Task A_step_follows_its_letter_in_what_is_read_and_a_letter_that_is_not_there_keeps_it_from_being_switched_on()
    {
        var ada = await site.SignedInAsync("ada");
        var program = await TakeAsync(ada, "Waits for a letter", Follows("Not yet"));
        var id = program.GetProperty("id").GetString();
        Assert.Equal("/steps/0/letter", program.GetProperty("findings")[0].GetProperty("pointer").GetString());
        var (status, message) = await ada.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false }, "/steps/0/letter");
        Assert.Equal((400, true), (status, message.Contains("Not yet", StringComparison.Ordinal)));

        await ada.DoAsync("/api/letters", Letter("Not yet", "Now it is", "<p>words of the letter</p>"));
        await ada.DoAsync("/api/people", new { firstName = "Standa", lastName = "Reader", email = "reader@example.com" });
        var preview = await ada.GetAsync($"/api/programs/{id}/preview");
        Assert.Equal("Now it is", preview.GetProperty("letter").GetProperty("subject").GetString());
        Assert.Contains("words of the letter", preview.GetProperty("letter").GetProperty("page").GetString(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false });
    }

    [Fact]
    public async Task Of_two_who_change_a_letter_one_is_told_and_of_ten_of_one_name_one_is_kept()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/letters", Letter("Contested"));
        var path = $"/api/letters/{made.GetProperty("id").GetString()}";
        var saves = await Task.WhenAll(Enumerable.Range(0, 10).Select(i => ada.SendAsync(HttpMethod.Put, path, Letter("Contested", $"s{i}", "<p>b</p>", 1))));
        Assert.Equal(1, saves.Count(s => s.StatusCode == HttpStatusCode.OK));
        Assert.All(saves.Where(s => s.StatusCode != HttpStatusCode.OK), s => Assert.Equal(HttpStatusCode.Conflict, s.StatusCode));
        var creates = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/letters", Letter("Only once"))));
        Assert.Equal(1, creates.Count(s => s.StatusCode == HttpStatusCode.OK));
        Assert.All(creates.Where(s => s.StatusCode != HttpStatusCode.OK), s => Assert.Equal(HttpStatusCode.BadRequest, s.StatusCode));
    }

    [Fact]
    public async Task A_letter_in_use_is_not_kept_broken_and_one_that_nobody_uses_may_be()
    {
        var ada = await site.SignedInAsync("ada");
        var free = await ada.DoAsync("/api/letters", Letter("Half written", "{{ person.", "<p>{{ nothing.here }}</p>"));
        Assert.NotEmpty(free.GetProperty("findings").EnumerateArray());
        var used = await ada.DoAsync("/api/letters", Letter("In use"));
        await TakeAsync(ada, "Uses it", Follows("In use"));
        var (status, _) = await ada.RefusedAsync($"/api/letters/{used.GetProperty("id").GetString()}", Letter("In use", "{{ person.", "x", 1), "/subject", HttpMethod.Put);
        Assert.Equal(400, status);
    }

    [Theory]
    [InlineData("", "s", "b", "name")]
    [InlineData("n\0", "s", "b", null)]
    [InlineData("<script>x</script>", "<b>s</b>", "<script>alert(1)</script><p onclick=x>y</p>", null)]
    public async Task Hostile_words_are_refused_or_read_without_harm(string name, string subject, string body, string? field)
    {
        var ada = await site.SignedInAsync("ada");
        var answer = await ada.PostAsync("/api/letters", Letter(name, subject, body));
        Assert.True(answer.StatusCode is HttpStatusCode.OK or HttpStatusCode.BadRequest, answer.StatusCode.ToString());
        if (field is not null)
        {
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        }

        if (answer.StatusCode == HttpStatusCode.OK)
        {
            var read = await ada.DoAsync("/api/letters/read", new { subject, body, move = 0 });
            Assert.DoesNotMatch("<script|onclick", read.GetProperty("page").GetString()! + read.GetProperty("html").GetString());
        }
    }

    [Fact]
    public async Task Another_practice_sees_and_changes_none_of_it()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/letters", Letter("Ours alone"));
        var path = $"/api/letters/{made.GetProperty("id").GetString()}";
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Get, path)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Put, path, Letter("x", edition: 1))).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, path)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync(path + "/copy")).StatusCode);
        Assert.DoesNotContain((await other.GetAsync("/api/letters")).EnumerateArray(), l => l.GetProperty("name").GetString() == "Ours alone");
    }

    [Fact]
    public async Task A_member_signs_in_their_own_words_and_only_with_a_picture_of_the_practice()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(
            HttpStatusCode.NoContent,
            (await ada.SendAsync(HttpMethod.Put, "/api/sign-off", new { words = "Warmly,\nAda <b>Quill</b>", photograph = (string?)null })).StatusCode
        );
        Assert.Equal("Warmly,\nAda <b>Quill</b>", (await ada.GetAsync("/api/sign-off")).GetProperty("words").GetString());
        foreach (var photograph in new[] { "/i/" + Guid.NewGuid(), "https://example.com/x.png", "/i/../x" })
        {
            var (status, _) = await ada.RefusedAsync("/api/sign-off", new { words = "", photograph }, "photograph", HttpMethod.Put);
            Assert.Equal(400, status);
        }

        await ada.SendAsync(HttpMethod.Put, "/api/sign-off", new { words = "" });
        Assert.Equal("", (await ada.GetAsync("/api/sign-off")).GetProperty("words").GetString());
    }

    [Fact]
    public async Task Six_layouts_are_offered()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(6, (await ada.GetAsync("/api/letters/layouts")).GetArrayLength());
    }
}
