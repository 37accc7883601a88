using System.Net;
using System.Text.Json;
using Germinal.Channels;
using Germinal.Web.Endpoints;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Letters that are shown to everybody as pages: the same words written once, with a form in them.</summary>
public sealed class LandingsApiTests(Site site) : IClassFixture<Site>
{
    private const string Browser = "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101";
    private static int pages;

    private PublicLinks Links => site.Services.GetRequiredService<PublicLinks>();

    private HttpClient Anybody(string agent = Browser)
    {
        var client = site.CreateClient(new() { AllowAutoRedirect = false, BaseAddress = new Uri("https://localhost") });
        client.DefaultRequestHeaders.UserAgent.ParseAdd(agent);
        return client;
    }

    /// <summary>A form that everybody can open; the last part of its address.</summary>
    private static async Task<string> FormAsync(Member ada)
    {
        var name = $"Page form {Interlocked.Increment(ref pages)}";
        var id = (await ada.DoAsync("/api/forms", new { name })).GetProperty("id").GetString();
        var draft = new
        {
            format = "germinal.form/1",
            name,
            title = $"Ask by {name}",
            inquiryWhen = new[] { "words" },
            questions = new object[]
            {
                new { id = "name", kind = "text", ask = "First name", required = true, into = "first-name" },
                new { id = "mail", kind = "email", ask = "Email", required = true, into = "email" },
                new { id = "words", kind = "long-text", ask = "Your question" },
            },
        };
        await ada.DoAsync($"/api/forms/{id}", new { edition = 1, draft }, HttpMethod.Put);
        return (await ada.DoAsync($"/api/forms/{id}/show")).GetProperty("slug").GetString()!;
    }

    private static string BodyWith(string form) => $"<p>Hello {{{{ person.first_name | default: \"and welcome\" }}}}.</p><h2>What it is</h2><div data-part=\"form\" data-of=\"{form}\"></div><p><a href=\"https://example.com/more\">More</a></p>";

    private static async Task<(string Letter, JsonElement Page)> PageAsync(Member ada, string body)
    {
        var name = $"Page letter {Interlocked.Increment(ref pages)}";
        var letter = (await ada.DoAsync("/api/letters", new { name, subject = $"About {name}", body })).GetProperty("id").GetString()!;
        return (letter, await ada.DoAsync("/api/pages", new { letter }));
    }

    private static string IdOf(JsonElement page) => page.GetProperty("id").GetString()!;

    private static string PathOf(JsonElement page) => new Uri(page.GetProperty("address").GetString()!).PathAndQuery;

    [Fact]
    public async Task One_letter_is_a_letter_with_a_button_and_a_page_with_the_form()
    {
        var ada = await site.SignedInAsync("ada");
        var form = await FormAsync(ada);
        var (_, page) = await PageAsync(ada, BodyWith(form));
        Assert.Equal("[]", page.GetProperty("findings").ToString());
        await ada.DoAsync($"/api/pages/{IdOf(page)}", new { edition = 1, title = "Ask & be answered", description = "What one <b>asks</b>" }, HttpMethod.Put);
        await ada.DoAsync($"/api/pages/{IdOf(page)}/show", new { });

        using var anybody = Anybody();
        var seen = await anybody.GetStringAsync(PathOf(page));
        Assert.Contains("<p>Hello and welcome.</p>", seen, StringComparison.Ordinal);
        int At(string words) => seen.IndexOf(words, StringComparison.Ordinal);
        Assert.InRange(At($"action=\"/form/{form}\""), At("What it is"), At(">More</a>"));
        Assert.Contains("<meta property=\"og:title\" content=\"Ask &amp; be answered\">", seen, StringComparison.Ordinal);
        Assert.Contains("<meta name=\"description\" content=\"What one &lt;b&gt;asks&lt;/b&gt;\">", seen, StringComparison.Ordinal);
        Assert.Contains($"<link rel=\"canonical\" href=\"{page.GetProperty("address").GetString()}\">", seen, StringComparison.Ordinal);
        Assert.Equal(2, seen.Split("<h1>").Length);

        await using (var db = site.Db())
        {
            db.People.Add(new Store.Rows.PersonRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, FirstName = "Reads", Email = $"reads{form}@example.com", AddedAt = Site.Now });
            await db.SaveChangesAsync();
        }

        var letter = await ada.DoAsync("/api/letters/read", new { subject = "x", body = BodyWith(form), move = 0 });
        Assert.Contains($"href=\"https://germinal.example.com/form/{form}\"", letter.GetProperty("page").GetString(), StringComparison.Ordinal);
        Assert.Contains($"(https://germinal.example.com/form/{form})", letter.GetProperty("text").GetString(), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Null, letter.GetProperty("lack").ValueKind);
    }

    [Fact]
    public async Task What_brought_somebody_to_the_form_of_a_page_stands_on_their_inquiry()
    {
        var ada = await site.SignedInAsync("ada");
        var form = await FormAsync(ada);
        var (_, page) = await PageAsync(ada, BodyWith(form));
        await ada.DoAsync($"/api/pages/{IdOf(page)}/show", new { });
        var (person, touch, program) = await WrittenTo.SomebodyAsync(site, "Pagona", "Reader", "pagona.reader@example.com");
        using var anybody = Anybody();
        var seen = await anybody.GetStringAsync($"{PathOf(page)}?by={Links.Reader(touch)}");
        Assert.Contains("<p>Hello Pagona.</p>", seen, StringComparison.Ordinal);
        Assert.DoesNotContain("pagona.reader", seen, StringComparison.Ordinal);
        string Value(string field) => System.Text.RegularExpressions.Regex.Match(seen, $"name=\"{field}\" value=\"([^\"]*)\"").Groups[1].Value;
        Assert.Equal(page.GetProperty("address").GetString(), Value("g.from"));

        // As a browser sends it, a while later.
        var token = site.Services.GetRequiredService<FormTokens>().Make(await IdOfFormAsync(form), SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(30));
        using var content = new FormUrlEncodedContent([new(FormHtml.TokenField, token), new(FormHtml.ReaderField, Value("g.reader")), new(FormHtml.FromField, Value("g.from")), new("name", "Pagona"), new("words", "By your page")]);
        Assert.Equal(HttpStatusCode.OK, (await anybody.PostAsync($"/form/{form}", content)).StatusCode);
        await using var db = site.Db();
        var inquiry = await db.Inquiries.SingleAsync(i => i.PersonId == person);
        Assert.Equal(touch, inquiry.TouchId);
        var told = (await ada.GetAsync($"/api/inquiries/{inquiry.Id}")).GetProperty("came").GetString();
        var name = await db.Programs.Where(p => p.Id == program).Select(p => p.Name).SingleAsync();
        Assert.Equal($"by the letter “News” of “{name}”, on {page.GetProperty("address").GetString()}", told);

        // And on the page itself.
        var after = await ada.GetAsync($"/api/pages/{IdOf(page)}");
        Assert.Equal(1, after.GetProperty("sent").GetInt32());
        Assert.Equal((name, 1), (after.GetProperty("visits")[0].GetProperty("program").GetString(), after.GetProperty("visits")[0].GetProperty("count").GetInt32()));
    }

    private async Task<Guid> IdOfFormAsync(string slug)
    {
        await using var db = site.Db();
        return await db.Forms.Where(f => f.Slug == slug).Select(f => f.Id).SingleAsync();
    }

    [Fact]
    public async Task It_is_shown_taken_back_and_seen_in_its_versions()
    {
        var ada = await site.SignedInAsync("ada");
        var (letter, page) = await PageAsync(ada, "<p>First words.</p>");
        var (id, path) = (IdOf(page), PathOf(page));
        using var anybody = Anybody();
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync(path)).StatusCode);
        await ada.DoAsync($"/api/pages/{id}/show", new { });
        Assert.Contains("First words.", await anybody.GetStringAsync(path), StringComparison.Ordinal);

        // What is written on in the letter nobody sees before it is shown again.
        var kept = await ada.GetAsync($"/api/letters/{letter}");
        await ada.DoAsync($"/api/letters/{letter}", new { name = kept.GetProperty("name").GetString(), subject = "s", body = "<p>Second words.</p>", edition = 1 }, HttpMethod.Put);
        Assert.Contains("First words.", await anybody.GetStringAsync(path), StringComparison.Ordinal);
        Assert.True((await ada.GetAsync($"/api/pages/{id}")).GetProperty("changed").GetBoolean());
        Assert.Contains("Second words.", (await ada.GetAsync($"/api/pages/{id}/seen")).GetProperty("page").GetString(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/pages/{id}/show", new { });
        Assert.Contains("Second words.", await anybody.GetStringAsync(path), StringComparison.Ordinal);

        Assert.Contains("First words.", (await ada.GetAsync($"/api/pages/{id}/seen?version=1")).GetProperty("page").GetString(), StringComparison.Ordinal);
        var again = await ada.DoAsync($"/api/pages/{id}/show", new { version = 1 });
        Assert.Equal((1, 2), (again.GetProperty("shownVersion").GetInt32(), again.GetProperty("versions").GetArrayLength()));
        Assert.Contains("First words.", await anybody.GetStringAsync(path), StringComparison.Ordinal);

        // One that everybody sees keeps its letter from being thrown away.
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Delete, $"/api/letters/{letter}")).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Delete, $"/api/pages/{id}")).StatusCode);
        await ada.DoAsync($"/api/pages/{id}/hide");
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync(path)).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, $"/api/letters/{letter}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Get, $"/api/pages/{id}")).StatusCode);
    }

    [Fact]
    public async Task Shown_ten_times_at_once_its_versions_are_in_order()
    {
        var ada = await site.SignedInAsync("ada");
        var (letter, page) = await PageAsync(ada, "<p>Words.</p>");
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/pages/{IdOf(page)}/show", new { })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a.StatusCode));
        var after = await ada.GetAsync($"/api/pages/{IdOf(page)}");
        Assert.Equal(Enumerable.Range(1, 10).Reverse(), after.GetProperty("versions").EnumerateArray().Select(v => v.GetProperty("version").GetInt32()));
        var made = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.DoAsync("/api/pages", new { letter })));
        Assert.All(made, m => Assert.Equal(IdOf(page), IdOf(m)));
    }

    [Fact]
    public async Task Visits_are_counted_without_a_cookie_and_none_of_machines_or_members()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, page) = await PageAsync(ada, "<p>Words.</p>");
        await ada.DoAsync($"/api/pages/{IdOf(page)}/show", new { });
        using var anybody = Anybody();
        var answers = await Task.WhenAll(Enumerable.Range(0, 20).Select(_ => anybody.GetAsync(PathOf(page))));
        Assert.All(answers, a => Assert.False(a.Headers.Contains("Set-Cookie")));
        using var machine = Anybody("Examplebot/1.0");
        await machine.GetStringAsync(PathOf(page));
        using var ahead = new HttpRequestMessage(HttpMethod.Get, PathOf(page));
        ahead.Headers.Add("Sec-Purpose", "prefetch");
        await anybody.SendAsync(ahead);
        await ada.SendAsync(HttpMethod.Get, PathOf(page));
        var visits = (await ada.GetAsync($"/api/pages/{IdOf(page)}")).GetProperty("visits");
        Assert.Equal((1, 20), (visits.GetArrayLength(), visits[0].GetProperty("count").GetInt32()));
        Assert.Equal(JsonValueKind.Null, visits[0].GetProperty("program").ValueKind);
    }

    [Theory]
    [InlineData("<p>Dear {{ person.first_name }},</p>", "Nobody is known on a page")]
    [InlineData("<p><a href=\"{{ confirm_link }}\">Yes</a></p>", "a page has no reader")]
    [InlineData("<div data-part=\"form\" data-of=\"nowhere\"></div>", "There is no form “nowhere”")]
    [InlineData("<p>{{ person.first_nme }}</p>", "There is no field")]
    public async Task What_cannot_stand_on_a_page_is_said_and_keeps_it_from_being_shown(string body, string said)
    {
        var ada = await site.SignedInAsync("ada");
        var (_, page) = await PageAsync(ada, body);
        Assert.Contains(said, page.GetProperty("findings").ToString(), StringComparison.Ordinal);
        var answer = await ada.PostAsync($"/api/pages/{IdOf(page)}/show", new { });
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
    }

    [Fact]
    public async Task A_form_that_is_taken_back_leaves_the_page_and_one_of_another_practice_never_stands_in_it()
    {
        var ada = await site.SignedInAsync("ada");
        var form = await FormAsync(ada);
        var (_, page) = await PageAsync(ada, BodyWith(form));
        await ada.DoAsync($"/api/pages/{IdOf(page)}/show", new { });
        await ada.DoAsync($"/api/forms/{await IdOfFormAsync(form)}/hide", null);
        using var anybody = Anybody();
        var seen = await anybody.GetStringAsync(PathOf(page));
        Assert.DoesNotContain("<form", seen, StringComparison.Ordinal);
        Assert.Contains("More", seen, StringComparison.Ordinal);

        var stranger = await site.SignedInAsync("ada2");
        var theirs = await FormAsync(stranger);
        var (_, taken) = await PageAsync(ada, BodyWith(theirs));
        Assert.Contains($"There is no form “{theirs}”", taken.GetProperty("findings").ToString(), StringComparison.Ordinal);
        Assert.DoesNotContain("<form", (await ada.GetAsync($"/api/pages/{IdOf(taken)}/seen")).GetProperty("page").GetString(), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Get, $"/api/pages/{IdOf(page)}")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await stranger.PostAsync("/api/pages", new { letter = page.GetProperty("letter").GetString() })).StatusCode);
    }

    [Fact]
    public async Task An_assistant_writes_it_and_does_not_show_it()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, page) = await PageAsync(ada, "<p>Words.</p>");
        var wren = await site.SignedInAsync("wren");
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/pages/{IdOf(page)}/show", new { })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/pages/{IdOf(page)}/hide")).StatusCode);
    }

    [Fact]
    public async Task Markup_that_runs_stands_on_no_page()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, page) = await PageAsync(ada, "<p onclick=\"x()\">Hello<script>alert(1)</script><img src=x onerror=alert(1)><iframe src=\"https://example.com\"></iframe></p>\uE110");
        await ada.DoAsync($"/api/pages/{IdOf(page)}", new { edition = 1, title = "<script>alert(2)</script>", description = "\"><script>alert(3)</script>" }, HttpMethod.Put);
        await ada.DoAsync($"/api/pages/{IdOf(page)}/show", new { });
        using var anybody = Anybody();
        var seen = await anybody.GetStringAsync(PathOf(page));
        Assert.All(new[] { "<script>alert", "onclick", "onerror", "<iframe", "\uE110" }, bad => Assert.DoesNotContain(bad, seen, StringComparison.Ordinal));
    }

    [Fact]
    public async Task An_older_edition_and_a_picture_of_nobody_are_refused()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, page) = await PageAsync(ada, "<p>Words.</p>");
        await ada.DoAsync($"/api/pages/{IdOf(page)}", new { edition = 1, title = "Title" }, HttpMethod.Put);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Put, $"/api/pages/{IdOf(page)}", new { edition = 1, title = "Older" })).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Put, $"/api/pages/{IdOf(page)}", new { edition = 2, title = "T", picture = "/i/" + Guid.NewGuid() })).StatusCode);
        var empty = await ada.DoAsync($"/api/pages/{IdOf(page)}", new { edition = 2, title = " " }, HttpMethod.Put);
        Assert.Contains("needs a title", empty.GetProperty("findings").ToString(), StringComparison.Ordinal);
    }
}
