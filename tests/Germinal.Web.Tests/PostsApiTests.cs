using System.Net;
using System.Text.Json;
using System.Xml.Linq;
using Germinal.Service.Posts;
using Microsoft.AspNetCore.Http;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Posts: on the day sheet, by the gateway, in the feed; and others' feeds.</summary>
public sealed class PostsApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<JsonElement> PostAsync(Member ada, string words, string on = "2027-03-01", bool byItself = false, string place = "", bool inFeed = true)
    {
        var all = await ada.DoAsync("/api/posts", new { words, on, byItself, place, inFeed });
        return all.GetProperty("coming").EnumerateArray().Single(p => p.GetProperty("words").GetString() == words);
    }

    private static async Task<JsonElement?> FindAsync(Member ada, string id, string where = "coming") =>
        (await ada.GetAsync("/api/posts")).GetProperty(where).EnumerateArray().Where(p => p.GetProperty("id").GetString() == id).Select(p => (JsonElement?)p).FirstOrDefault();

    private static async Task<List<JsonElement>> OnSheetAsync(Member ada) => [.. (await ada.GetAsync("/api/today")).GetProperty("calls").EnumerateArray().Where(c => c.GetProperty("kind").GetString() == "post")];

    private async Task HandAsync(int workers = 1)
    {
        await using (var db = site.Db())
        {
            await db.Posts.Where(p => p.Status == "waiting" || p.Status == "handing").ExecuteUpdateAsync(u => u.SetProperty(p => p.NextTry, Instant.FromUtc(2020, 1, 1, 0, 0)));
        }

        var posts = site.Services.GetRequiredService<PostHanding>();
        await Task.WhenAll(Enumerable.Range(0, workers).Select(_ => posts.HandDueAsync(default)));
    }

    [Fact]
    public async Task One_that_a_member_writes_stands_on_their_sheet_is_done_undone_and_stands_in_the_feed()
    {
        var ada = await site.SignedInAsync("ada");
        var words = "Open house\n\nSaturday at ten & <b>coffee</b>";
        var post = await PostAsync(ada, words, place: "our window");
        var id = post.GetProperty("id").GetString()!;
        await PostAsync(ada, "Not before June", "2027-06-01");
        var call = Assert.Single(await OnSheetAsync(ada), c => c.GetProperty("script").GetString() == "Open house");
        Assert.True(call.GetProperty("ownTask").GetBoolean());
        Assert.Equal((words, "our window"), (call.GetProperty("post").GetProperty("words").GetString(), call.GetProperty("post").GetProperty("place").GetString()));
        Assert.DoesNotContain((await ada.GetAsync("/api/tasks")).GetProperty("tasks").EnumerateArray(), t => t.GetProperty("title").GetString() == "Open house");

        var task = call.GetProperty("touchId").GetString()!;
        await ada.DoAsync($"/api/tasks/{task}/done", new { outcome = "done" });
        Assert.NotNull(await FindAsync(ada, id, "standing"));
        var nobody = await site.NobodyAsync();
        var feed = await nobody.Http.GetAsync($"/feed/{site.Practice}");
        Assert.Equal("application/atom+xml", feed.Content.Headers.ContentType!.MediaType);
        var entries = XDocument.Parse(await feed.Content.ReadAsStringAsync()).Root!.Elements().Where(e => e.Name.LocalName == "entry").ToList();
        Assert.Contains(entries, e => e.Elements().Single(x => x.Name.LocalName == "content").Value == "<p>Open house</p><p>Saturday at ten &amp; &lt;b&gt;coffee&lt;/b&gt;</p>");
        Assert.DoesNotContain(entries, e => e.Value.Contains("June", StringComparison.Ordinal));
        await ada.DoAsync($"/api/tasks/{task}/undo");
        Assert.NotNull(await FindAsync(ada, id));
        Assert.DoesNotContain("Open house", await nobody.Http.GetStringAsync($"/feed/{site.Practice}"), StringComparison.Ordinal);

        // In other words; and taken out.
        await ada.DoAsync($"/api/posts/{id}", new { words = "Open house on Sunday", on = "2027-03-02", place = "the paper" }, HttpMethod.Put);
        var changed = (await FindAsync(ada, id))!.Value;
        Assert.Equal(("Open house on Sunday", "2027-03-02", "the paper"), (changed.GetProperty("words").GetString(), changed.GetProperty("on").GetString(), changed.GetProperty("place").GetString()));
        Assert.DoesNotContain(await OnSheetAsync(ada), c => c.GetProperty("touchId").GetString() == task);
        await ada.DoAsync($"/api/posts/{id}", null, HttpMethod.Delete);
        Assert.Null(await FindAsync(ada, id));
        Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync($"/feed/{Guid.NewGuid()}")).StatusCode);
    }

    [Fact]
    public async Task A_step_of_a_program_puts_one_on_the_sheet_filled_for_whom_it_is_about()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Posta", lastName = "About", email = "posta@example.com" })).GetProperty("id").GetString()!;
        var program = await PeopleApiTests.ProgramAsync(ada, "New on the market", """[{"id":"a","kind":"post","when":{"from":"start","offset":"P0D"},"body":"Welcome, {{ person.first_name }}!","place":"our window","pictureWords":"A house"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        var call = Assert.Single(await OnSheetAsync(ada), c => c.GetProperty("program").GetString() == "New on the market");
        Assert.Equal(("Welcome, Posta!", "our window", false), (call.GetProperty("post").GetProperty("words").GetString(), call.GetProperty("post").GetProperty("place").GetString(), call.GetProperty("ownTask").GetBoolean()));
        await ada.DoAsync($"/api/touches/{call.GetProperty("touchId").GetString()}/done", new { outcome = "done" });
        var stands = Assert.Single((await ada.GetAsync("/api/posts")).GetProperty("standing").EnumerateArray(), p => p.GetProperty("words").GetString() == "Welcome, Posta!");
        Assert.Equal((person, "New on the market"), (stands.GetProperty("person").GetProperty("id").GetString(), stands.GetProperty("program").GetString()));
        Assert.Contains("A program wrote", (await ada.RefusedAsync($"/api/posts/{stands.GetProperty("id").GetString()}", new { words = "x", on = "2027-03-01" }, "", HttpMethod.Put)).Message, StringComparison.Ordinal);

        // Read back, the step is what was written.
        var draft = (await ada.GetAsync($"/api/programs/{program}")).GetProperty("draft").GetProperty("steps")[0];
        Assert.Equal(("post", "our window", "A house"), (draft.GetProperty("kind").GetString(), draft.GetProperty("place").GetString(), draft.GetProperty("pictureWords").GetString()));
    }

    [Fact]
    public async Task By_itself_it_goes_to_the_gateway_once_however_that_answers()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Contains("no gateway", (await ada.RefusedAsync("/api/posts", new { words = "x", on = "2027-03-01", byItself = true }, "byItself")).Message, StringComparison.Ordinal);
        var (posted, answers) = (new List<(string Key, string Body, string Token)>(), new Queue<int>());
        await using var elsewhere = await Elsewhere.StartAsync(async http =>
        {
            var key = http.Request.Headers["Idempotency-Key"].ToString();
            if (http.Request.Method == "GET")
            {
                var known = posted.Exists(p => http.Request.Path.Value!.EndsWith(p.Key, StringComparison.Ordinal));
                http.Response.StatusCode = known ? 200 : 404;
                await http.Response.WriteAsync(known ? "{\"address\":\"https://board.example.com/found\"}" : "{}");
                return;
            }

            var body = await new StreamReader(http.Request.Body).ReadToEndAsync();
            var status = answers.Count > 0 ? answers.Dequeue() : 201;
            if (status is 201 or 500)
            {
                posted.Add((key, body, http.Request.Headers.Authorization.ToString()));
            }

            http.Response.StatusCode = status;
            http.Response.ContentType = "application/json";
            await http.Response.WriteAsync(status == 201 ? "{\"address\":\"https://board.example.com/1\"}" : $"{{\"detail\":\"It says {status}\"}}");
        });
        Assert.Contains("no address of a gateway", (await ada.RefusedAsync("/api/posts/gateway", new { address = "board" }, "address", HttpMethod.Put)).Message, StringComparison.Ordinal);
        var set = await ada.DoAsync("/api/posts/gateway", new { address = elsewhere.Address, token = "let-me-in" }, HttpMethod.Put);
        Assert.Equal($"{elsewhere.Address}/", set.GetProperty("gateway").GetString());
        Assert.DoesNotContain("let-me-in", set.GetRawText(), StringComparison.Ordinal);

        // Not now; then well. One whose day has not come stays.
        answers.Enqueue(503);
        var one = (await PostAsync(ada, "Goes by itself", byItself: true, place: "the board")).GetProperty("id").GetString()!;
        var later = (await PostAsync(ada, "Goes in June", "2027-06-01", byItself: true)).GetProperty("id").GetString()!;
        await HandAsync();
        Assert.Equal("It says 503", (await FindAsync(ada, one))!.Value.GetProperty("problem").GetString());
        Assert.Contains(await OnSheetAsync(ada), c => c.GetProperty("post").GetProperty("problem").GetString() == "It says 503");
        await HandAsync(workers: 4);
        var stands = (await FindAsync(ada, one, "standing"))!.Value;
        Assert.Equal("https://board.example.com/1", stands.GetProperty("address").GetString());
        Assert.DoesNotContain(await OnSheetAsync(ada), c => c.GetProperty("script").GetString() == "Goes by itself");
        var (key, body, token) = Assert.Single(posted);
        Assert.Equal((one, "Bearer let-me-in"), (key, token));
        Assert.Equal("""{"words":"Goes by itself","place":"the board"}""", body);
        Assert.NotNull(await FindAsync(ada, later));

        // The gateway breaks off having taken it: it is asked, and gets it once.
        answers.Enqueue(500);
        var broken = (await PostAsync(ada, "Breaks off", byItself: true)).GetProperty("id").GetString()!;
        await HandAsync();
        Assert.NotNull(await FindAsync(ada, broken));
        await HandAsync();
        Assert.Equal("https://board.example.com/found", (await FindAsync(ada, broken, "standing"))!.Value.GetProperty("address").GetString());
        Assert.Single(posted, p => p.Key == broken);

        // It will not have it: that is said, and in other words it is asked again.
        answers.Enqueue(422);
        var refused = (await PostAsync(ada, "Too long for it", byItself: true)).GetProperty("id").GetString()!;
        await HandAsync();
        await HandAsync();
        Assert.True((await FindAsync(ada, refused))!.Value.GetProperty("isRefused").GetBoolean());
        await ada.DoAsync($"/api/posts/{refused}", new { words = "Shorter", on = "2027-03-01", byItself = true }, HttpMethod.Put);
        await HandAsync();
        Assert.NotNull(await FindAsync(ada, refused, "standing"));

        // A step's as well.
        var person = (await ada.DoAsync("/api/people", new { firstName = "Gata", lastName = "Way", email = "gata@example.com" })).GetProperty("id").GetString()!;
        var program = await PeopleApiTests.ProgramAsync(ada, "By itself", """[{"id":"a","kind":"post","when":{"from":"start","offset":"P0D"},"body":"For {{ person.first_name }}","byItself":true}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        await HandAsync();
        Assert.DoesNotContain(posted, p => p.Body.Contains("For Gata", StringComparison.Ordinal));

        // It is a quarter past eight; from nine on it stands on the sheet.
        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + Duration.FromHours(2)));
        }

        await site.WorkAsync();
        await HandAsync();
        Assert.Contains(posted, p => p.Body.Contains("For Gata", StringComparison.Ordinal));
        Assert.DoesNotContain(await OnSheetAsync(ada), c => c.GetProperty("program").GetString() == "By itself");

        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now));
        }

        // A token goes to whom it was given for and to nobody else.
        await ada.DoAsync("/api/posts/gateway", new { address = elsewhere.Address.Replace("127.0.0.1", "localhost", StringComparison.Ordinal) }, HttpMethod.Put);
        await PostAsync(ada, "Without a token", byItself: true);
        await HandAsync();
        Assert.Equal("", posted[^1].Token);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.SendAsync(HttpMethod.Put, "/api/posts/gateway", new { address = "" })).StatusCode);
        Assert.Equal(JsonValueKind.Null, (await ada.DoAsync("/api/posts/gateway", new { address = "" }, HttpMethod.Put)).GetProperty("gateway").ValueKind);
    }

    [Fact]
    public async Task What_is_wrong_with_a_post_is_said_and_another_practice_has_none_of_it()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var (field, body, says) in new (string, object, string)[]
        {
            ("words", new { words = " ", on = "2027-03-01" }, "Write what it says"),
            ("on", new { words = "x", on = "soon" }, "no date"),
            ("on", new { words = "x", on = "9999-01-01" }, "no date"),
            ("on", new { words = "x", on = "2040-01-01" }, "five years"),
            ("picture", new { words = "x", on = "2027-03-01", picture = $"/i/{Guid.NewGuid()}" }, "no such picture"),
            ("member", new { words = "x", on = "2027-03-01", member = Guid.NewGuid() }, "no such member"),
        })
        {
            Assert.Contains(says, (await ada.RefusedAsync("/api/posts", body, field)).Message, StringComparison.Ordinal);
        }

        var id = (await PostAsync(ada, "Only ours")).GetProperty("id").GetString()!;
        var stranger = await site.SignedInAsync("ada2");
        Assert.Null(await FindAsync(stranger, id));
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Delete, $"/api/posts/{id}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Put, $"/api/posts/{id}", new { words = "x", on = "2027-03-01" })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/posts/{id}/again")).StatusCode);
    }

    [Fact]
    public async Task Feeds_of_others_are_read_once_and_again_and_what_runs_is_left_out()
    {
        var ada = await site.SignedInAsync("ada");
        var items = "<item><title>First</title><guid>1</guid><description>&lt;script&gt;x&lt;/script&gt;words</description></item>";
        await using var elsewhere = await Elsewhere.StartAsync(http => http.Response.WriteAsync(http.Request.Path == "/page" ? "<html>" : $"<rss version=\"2.0\"><channel><title>News of elsewhere</title>{items}</channel></rss>"));
        Assert.Contains("no feed", (await ada.RefusedAsync("/api/ideas", new { address = $"{elsewhere.Address}/page" }, "address")).Message, StringComparison.Ordinal);
        Assert.Contains("no address of a feed", (await ada.RefusedAsync("/api/ideas", new { }, "address")).Message, StringComparison.Ordinal);
        var read = await ada.DoAsync("/api/ideas", new { address = $"{elsewhere.Address}/feed" });
        var feed = Assert.Single(read.GetProperty("feeds").EnumerateArray());
        Assert.Equal("News of elsewhere", feed.GetProperty("title").GetString());
        Assert.Equal("words", Assert.Single(read.GetProperty("ideas").EnumerateArray()).GetProperty("words").GetString());
        Assert.Contains("already", (await ada.RefusedAsync("/api/ideas", new { address = $"{elsewhere.Address}/feed" }, "address")).Message, StringComparison.Ordinal);

        items = "<item><title>Second</title><guid>2</guid></item>" + items;
        await using (var db = site.Db())
        {
            await db.IdeaFeeds.ExecuteUpdateAsync(u => u.SetProperty(f => f.NextRead, Instant.FromUtc(2020, 1, 1, 0, 0)));
        }

        var desk = site.Services.GetRequiredService<IdeaDesk>();
        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => desk.ReadDueAsync(default)));
        Assert.Equal(["First", "Second"], (await ada.GetAsync("/api/ideas")).GetProperty("ideas").EnumerateArray().Select(i => i.GetProperty("title").GetString()).Order(StringComparer.Ordinal));
        var stranger = await site.SignedInAsync("ada2");
        Assert.Empty((await stranger.GetAsync("/api/ideas")).GetProperty("ideas").EnumerateArray());
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Delete, $"/api/ideas/{feed.GetProperty("id").GetString()}")).StatusCode);
        Assert.Empty((await ada.DoAsync($"/api/ideas/{feed.GetProperty("id").GetString()}", null, HttpMethod.Delete)).GetProperty("ideas").EnumerateArray());
    }
}
