using System.Text.Json;
using Germinal.Channels;
using Germinal.Core.Engine;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>Rule 3.6 on the pages: both threads, the touch, the note to print, the way out in the letter, and the checks.</summary>
public sealed class ReadersApiTests(Site site) : IClassFixture<Site>
{
    private const string Steps = """
        [{"id":"a","kind":"note","when":{"from":"start","offset":"P0D"},"body":"Dear {{ to.first_name }}, about {{ person.first_name }}","to":{"relation":"solicitor"}},
         {"id":"b","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"About {{ person.first_name }}","body":"Dear {{ to.first_name }}","to":{"relation":"solicitor"}}]
        """;

    private static async Task<string> PersonAsync(Member member, string first, string? address = null)
    {
        var id = (await member.DoAsync("/api/people", new { firstName = first, lastName = "Reading", email = $"{first}.reading@example.com" })).GetProperty("id").GetString()!;
        if (address is not null)
        {
            await member.DoAsync($"/api/people/{id}", new { edition = 1, fields = new { address } }, HttpMethod.Patch);
        }

        return id;
    }

    private static IEnumerable<(string? Title, string? Beside)> Lines(JsonElement thread, string which) =>
        thread.GetProperty(which).EnumerateArray().Where(l => l.GetProperty("touchId").ValueKind == JsonValueKind.String).Select(l => (l.GetProperty("title").GetString(), l.GetProperty("beside").GetString()));

    [Fact]
    public async Task What_goes_to_a_solicitor_stands_in_both_threads_and_is_theirs_to_end()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, sol) = (await PersonAsync(ada, "Ida"), await PersonAsync(ada, "Sol", "8 Quay Lane\nPort Averil, ME 04999"));
        await ada.DoAsync($"/api/people/{ida}/relations", new { other = sol, role = "solicitor" });
        await ada.DoAsync($"/api/people/{sol}/consent", new { channel = "email", @in = true, reason = "said so" });
        await ada.DoAsync($"/api/people/{sol}/consent", new { channel = "post", @in = true, reason = "said so" });
        var program = await PeopleApiTests.ProgramAsync(ada, "To solicitors", Steps);
        await ada.DoAsync("/api/people/start", new { ids = new[] { ida }, program });
        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + NodaTime.Duration.FromHours(2)));
        }

        await site.WorkAsync();

        // The note on the sheet is for Sol, at Sol's address.
        var note = (await ada.GetAsync("/api/notes")).EnumerateArray().Single(n => n.GetProperty("person").GetProperty("id").GetString() == ida);
        Assert.Equal("Dear Sol, about Ida", note.GetProperty("text").GetString());
        Assert.StartsWith("8 Quay Lane", note.GetProperty("address").GetString(), StringComparison.Ordinal);
        var (ofIda, ofSol) = (await ada.GetAsync($"/api/people/{ida}/thread"), await ada.GetAsync($"/api/people/{sol}/thread"));
        Assert.Equal([("Note: Dear Sol, about Ida", "to Sol Reading")], Lines(ofIda, "past"));
        Assert.Equal([("Note: Dear Sol, about Ida", "about Ida Reading")], Lines(ofSol, "past"));
        Assert.Equal([("About Ida", "to Sol Reading")], Lines(ofIda, "coming"));
        var coming = ofIda.GetProperty("coming")[0].GetProperty("touchId").GetString();
        var touch = await ada.GetAsync($"/api/touches/{coming}?person={ida}");
        Assert.Equal("<p>Dear Sol</p>", touch.GetProperty("html").GetString());
        Assert.Equal("sol.reading@example.com", touch.GetProperty("to").GetString(), ignoreCase: true);

        // Done by mistake, it is put back, and stands there once.
        await ada.DoAsync($"/api/touches/{note.GetProperty("touchId").GetString()}/done", new { outcome = "posted" });
        await ada.DoAsync($"/api/touches/{note.GetProperty("touchId").GetString()}/undo");
        Assert.Single((await ada.GetAsync("/api/notes")).EnumerateArray(), n => n.GetProperty("person").GetProperty("id").GetString() == ida);

        // Whoever follows the way out of that letter is Sol, and Ida has said nothing.
        await using var after = site.Db();
        var id = Guid.Parse(coming!);
        await after.Touches.Where(t => t.Id == id).ExecuteUpdateAsync(u => u.SetProperty(t => t.ReaderId, Guid.Parse(sol)));
        var link = $"/u/{site.Services.GetRequiredService<PublicLinks>().Token(id)}";
        var nobody = await site.NobodyAsync();
        var oneClick = new FormUrlEncodedContent(new Dictionary<string, string> { ["List-Unsubscribe"] = "One-Click" });
        Assert.True((await nobody.SendAsync(HttpMethod.Post, link, oneClick, guarded: false)).IsSuccessStatusCode);
        Assert.Equal(Guid.Parse(sol), (await after.Consent.SingleAsync(c => !c.IsIn)).PersonId);
        Assert.Contains("s…@example.com", await (await nobody.Http.GetAsync(link)).Content.ReadAsStringAsync(), StringComparison.OrdinalIgnoreCase);
    }

    [Fact]
    public async Task What_could_not_be_filled_for_a_reader_goes_once_their_gap_is_filled()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, sol) = (await PersonAsync(ada, "Idabelle"), await PersonAsync(ada, ""));
        await ada.DoAsync($"/api/people/{ida}/relations", new { other = sol, role = "solicitor" });
        await ada.DoAsync($"/api/people/{sol}/consent", new { channel = "email", @in = true, reason = "said so" });
        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "To one without a name",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"Dear {{ to.first_name }}","to":{"relation":"solicitor"}}]"""
        );
        await using var db = site.Db();
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + NodaTime.Duration.FromHours(2)));
        await ada.DoAsync("/api/people/start", new { ids = new[] { ida }, program });
        await site.WorkAsync();
        Task<TouchStatus> StatusAsync() => db.Touches.AsNoTracking().Where(t => t.PersonId == Guid.Parse(ida)).Select(t => t.Status).SingleAsync();
        Assert.Equal(TouchStatus.Blocked, await StatusAsync());
        var edition = (await ada.GetAsync($"/api/people/{sol}")).GetProperty("edition").GetInt32();
        await ada.DoAsync($"/api/people/{sol}", new { edition, fields = new { firstName = "Soledad" } }, HttpMethod.Patch);
        await site.WorkAsync();
        Assert.NotEqual(TouchStatus.Blocked, await StatusAsync());
    }

    [Fact]
    public async Task The_page_of_a_program_says_where_nobody_would_read_it()
    {
        var ada = await site.SignedInAsync("ada");
        await PersonAsync(ada, "Alona");
        var id = (await ada.DoAsync("/api/programs", new { name = "To nobody" })).GetProperty("id").GetString()!;
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!;
        draft["startsWhen"] = System.Text.Json.Nodes.JsonNode.Parse("""[{"kind":"by-hand"}]""");
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse(Steps.Replace("solicitor", "solicitr", StringComparison.Ordinal));
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        var text = (await ada.GetAsync($"/api/programs/{id}")).GetRawText();
        Assert.Contains("Nobody is anybody’s “solicitr” here", System.Text.RegularExpressions.Regex.Unescape(text), StringComparison.Ordinal);
    }
}
