using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Channels.Tables;
using Germinal.Service.Engine;
using Germinal.Service.Journal;
using Germinal.Store;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Metadata;
using Microsoft.AspNetCore.Routing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>The journal: everything that was done is told, once, by whom, when and from where; and only to those who may read it.</summary>
public sealed class JournalApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<Guid> PersonAsync(Member member, string first, string last = "Rowan") =>
        (await member.DoAsync("/api/people", new { firstName = first, lastName = last, email = $"{Guid.NewGuid():N}@example.com" })).GetProperty("id").GetGuid();

    private static async Task<List<JsonElement>> LinesAsync(Member member, string query = "") =>
        [.. (await member.GetAsync($"/api/journal{query}")).GetProperty("lines").EnumerateArray()];

    private static string Sentence(JsonElement line) =>
        $"{line.GetProperty("by").GetString()} {line.GetProperty("words").GetString()!.Replace("{}", line.GetProperty("about").GetString(), StringComparison.Ordinal)}";

    private IEnumerable<(RouteEndpoint Endpoint, string Key)> Endpoints() =>
        site
            .Services.GetRequiredService<EndpointDataSource>()
            .Endpoints.OfType<RouteEndpoint>()
            .Where(e => e.RoutePattern.RawText?.StartsWith("/api/", StringComparison.Ordinal) == true && e.RoutePattern.RawText != "/api/{**rest}")
            .SelectMany(e => (e.Metadata.GetMetadata<HttpMethodMetadata>()?.HttpMethods ?? []).Select(m => (e, JournalWords.KeyOf(m, e.RoutePattern.RawText))));

    [Fact]
    public void Every_writing_call_is_told_or_known_to_change_nothing()
    {
        var there = Endpoints().Select(e => e.Key).ToHashSet(StringComparer.Ordinal);
        var writing = there.Where(k => !k.StartsWith("GET ", StringComparison.Ordinal) && !k.StartsWith("HEAD ", StringComparison.Ordinal)).ToList();
        Assert.True(writing.Count > 180, $"only {writing.Count}");
        Assert.Equal([], writing.Where(k => !JournalWords.Told.ContainsKey(k) && !JournalWords.Silent.Contains(k)));
        Assert.Empty(JournalWords.Told.Keys.Intersect(JournalWords.Silent, StringComparer.Ordinal));

        // Nothing is told of calls that are gone; the stand-ins' are there in the demo only.
        Assert.Equal([], JournalWords.Told.Keys.Concat(JournalWords.Silent).Where(k => !there.Contains(k) && !k.Contains("/stand-ins/", StringComparison.Ordinal)));
        foreach (var (key, word) in JournalWords.Told)
        {
            Assert.True(word.Kind is null != word.Words.Contains("{}", StringComparison.Ordinal), key);
            Assert.True(word.Kind is null || JournalSubjects.All.Contains(word.Kind, StringComparer.Ordinal), key);
        }
    }

    [Fact]
    public void What_a_call_makes_is_found_in_its_answer()
    {
        static bool SaysIt(RouteEndpoint endpoint) =>
            endpoint.Metadata.GetOrderedMetadata<IProducesResponseTypeMetadata>().Where(m => m.StatusCode < 300).Select(m => m.Type).FirstOrDefault(t => t is not null && t != typeof(void)) is { } answer
            && (answer == typeof(Guid) || JournalKeeping.IdOf(answer) is not null);
        Assert.Equal([], Endpoints().Where(e => JournalWords.Told.TryGetValue(e.Key, out var word) && word.Key == "=" && !SaysIt(e.Endpoint)).Select(e => e.Key));
    }

    [Fact]
    public async Task Every_kind_of_thing_is_looked_for_where_it_is()
    {
        await using var db = site.Db();
        foreach (var kind in JournalSubjects.All)
        {
            Assert.Null(await JournalSubjects.FindAsync(db, kind, Guid.NewGuid(), default));
        }
    }

    [Fact]
    public async Task A_line_says_who_did_what_to_whom_when_and_from_where()
    {
        var ada = await site.SignedInAsync("ada");
        ada.Http.DefaultRequestHeaders.UserAgent.ParseAdd("Loom/3.1");
        var ida = await PersonAsync(ada, "Ida");
        await ada.DoAsync($"/api/people/{ida}/remarks", new { text = "Likes tea" });
        await ada.DoAsync($"/api/people/{ida}/contact", new { doNotContact = true, reason = "asked me not to" });
        var lines = await LinesAsync(ada, $"?person={ida}");
        Assert.Equal(["Ada Quill said whether Ida Rowan may be contacted", "Ada Quill wrote a remark about Ida Rowan", "Ada Quill added Ida Rowan"], lines.Select(Sentence));
        var said = lines[0];
        Assert.Equal(
            ("no: asked me not to", "done", "person", ida.ToString(), "Loom/3.1"),
            (said.GetProperty("more").GetString(), said.GetProperty("ended").GetString(), said.GetProperty("kind").GetString(), said.GetProperty("person").GetString(), said.GetProperty("fromProgram").GetString())
        );
        Assert.StartsWith("2027-03-01T", said.GetProperty("at").GetString(), StringComparison.Ordinal);
        Assert.Equal("Ida Rowan", (await ada.GetAsync($"/api/journal?person={ida}")).GetProperty("about").GetString());

        // What they are called later changes nothing of what was said.
        var edition = (await ada.GetAsync($"/api/people/{ida}")).GetProperty("edition").GetInt32();
        await ada.DoAsync($"/api/people/{ida}", new { edition, fields = new { firstName = "Idalia", lastName = "Rowan" }, anyway = true }, HttpMethod.Patch);
        Assert.Equal(["Idalia Rowan", "Ida Rowan"], (await LinesAsync(ada, $"?person={ida}")).Take(2).Select(l => l.GetProperty("about").GetString()));
    }

    [Fact]
    public async Task What_was_not_done_leaves_no_line_and_what_one_may_not_leaves_one()
    {
        var (ada, wren) = (await site.SignedInAsync("ada"), await site.SignedInAsync("wren"));
        var ida = await PersonAsync(ada, "Nona");
        await ada.PostAsync($"/api/people/{ida}/remarks", new { text = " " });
        await ada.PostAsync($"/api/people/{Guid.NewGuid()}/remarks", new { text = "to nobody" });
        await ada.PostAsync($"/api/people/{ida}/remarks", new { words = 1 });
        Assert.Equal(["Ada Quill added Nona Rowan"], (await LinesAsync(ada, $"?person={ida}")).Select(Sentence));

        // Ten times in a minute it is said once.
        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => wren.PostAsync($"/api/people/{ida}/erase", new { name = "Nona Rowan" })));
        await wren.PostAsync($"/api/people/{ida}/erase", new { name = "Nona Rowan" });
        var refused = (await LinesAsync(ada, "?find=erased")).Where(l => l.GetProperty("ended").GetString() == "refused").ToList();
        Assert.InRange(refused.Count, 1, 3);
        Assert.All(refused, l => Assert.Equal("Wren Ekholm", l.GetProperty("by").GetString()));
        Assert.Equal("Nona Rowan", (await ada.GetAsync($"/api/people/{ida}")).GetProperty("name").GetString());
    }

    [Fact]
    public async Task Signing_in_is_told_and_so_is_a_wrong_password_of_somebody_there_is()
    {
        var nobody = await site.NobodyAsync();
        foreach (var email in new[] { "tomas@example.com", "nobody.at.all@example.com" })
        {
            Assert.Equal(HttpStatusCode.BadRequest, (await nobody.PostAsync("/api/session", new { email, password = "guessed-it-maybe" })).StatusCode);
        }

        var tomas = await site.SignedInAsync("tomas");
        Assert.True((await tomas.SendAsync(HttpMethod.Delete, "/api/session")).IsSuccessStatusCode);
        var ada = await site.SignedInAsync("ada");
        var lines = (await LinesAsync(ada, "?find=signed")).Where(l => l.GetProperty("by").GetString()!.StartsWith("Tom", StringComparison.Ordinal)).ToList();
        Assert.Equal(["signed out done", "signed in done", "signed in refused"], lines.Take(3).Select(l => $"{l.GetProperty("words").GetString()} {l.GetProperty("ended").GetString()}"));
        Assert.DoesNotContain("nobody.at.all", string.Concat(await LinesAsync(ada)), StringComparison.Ordinal);
        Assert.DoesNotContain("guessed", string.Concat(await LinesAsync(ada)), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_done_to_many_stands_once_and_in_the_journal_of_each()
    {
        var ada = await site.SignedInAsync("ada");
        var (one, other) = (await PersonAsync(ada, "Many"), await PersonAsync(ada, "More"));
        var done = await ada.DoAsync("/api/people/tag", new { ids = new[] { one, other }, tag = "looked after" });
        await ada.DoAsync($"/api/acts/{done.GetProperty("act").GetString()}/undo", null);
        foreach (var person in new[] { one, other })
        {
            var lines = await LinesAsync(ada, $"?person={person}");
            Assert.Equal(["took back what was done to people", "put a tag on people"], lines.Take(2).Select(l => l.GetProperty("words").GetString()));
            Assert.Equal("“looked after”, 2 people", lines[1].GetProperty("more").GetString());
        }
    }

    [Fact]
    public async Task It_is_narrowed_by_member_program_words_and_days_and_read_to_its_end()
    {
        var (ada, wren) = (await site.SignedInAsync("ada"), await site.SignedInAsync("wren"));
        var program = (await ada.DoAsync("/api/programs", new { name = "Journalled" })).GetProperty("id").GetGuid();
        var ida = await PersonAsync(wren, "Paged");
        foreach (var n in Enumerable.Range(1, 130))
        {
            await wren.DoAsync($"/api/people/{ida}/remarks", new { text = $"No {n}" });
        }

        Assert.Equal(["Ada Quill began the program Journalled"], (await LinesAsync(ada, $"?program={program}")).Select(Sentence));
        var member = (await ada.GetAsync("/api/session")).GetProperty("members").EnumerateArray().Single(m => m.GetProperty("name").GetString() == "Wren Ekholm").GetProperty("id").GetGuid();
        Assert.All(await LinesAsync(ada, $"?member={member}"), l => Assert.Equal("Wren Ekholm", l.GetProperty("by").GetString()));
        Assert.Equal(100, (await LinesAsync(ada, $"?member={member}")).Count);
        Assert.NotEmpty(await LinesAsync(ada, "?find=REMARK%20paged"));
        Assert.Empty(await LinesAsync(ada, "?find=remark%20nobodyatall"));
        Assert.Empty(await LinesAsync(ada, "?find=%25_%25"));
        Assert.Empty(await LinesAsync(ada, "?from=2027-03-02"));
        Assert.Empty(await LinesAsync(ada, "?until=2027-02-28"));
        Assert.NotEmpty(await LinesAsync(ada, "?from=2027-03-01&until=9999-12-31"));

        // To its end, each line once.
        var (seen, before) = (new List<long>(), "");
        while (true)
        {
            var page = await ada.GetAsync($"/api/journal?person={ida}{before}");
            seen.AddRange(page.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("id").GetInt64()));
            if (page.GetProperty("next").ValueKind == JsonValueKind.Null)
            {
                break;
            }

            before = $"&before={page.GetProperty("next").GetInt64()}";
        }

        Assert.Equal(131, seen.Count);
        Assert.Equal(seen.Distinct().OrderDescending(), seen);

        // The file has the same lines under the same question.
        var file = await ada.Http.GetStringAsync($"/api/journal/table.csv?person={ida}");
        using var csv = CsvText.Parser(new StringReader(file));
        var rows = 0;
        while (await csv.ReadAsync())
        {
            rows++;
        }

        Assert.Equal(132, rows);
        Assert.Contains("wrote a remark about Paged Rowan", file, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Only_a_principal_reads_it_and_only_their_own_practices()
    {
        var (ada, other, nobody) = (await site.SignedInAsync("ada"), await site.SignedInAsync("ada2"), await site.NobodyAsync());
        var ida = await PersonAsync(ada, "Secluded");
        foreach (var path in new[] { "/api/journal", "/api/journal/table.csv" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await (await site.SignedInAsync("tomas")).SendAsync(HttpMethod.Get, path)).StatusCode);
            Assert.Equal(HttpStatusCode.Forbidden, (await (await site.SignedInAsync("wren")).SendAsync(HttpMethod.Get, path)).StatusCode);
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.SendAsync(HttpMethod.Get, path)).StatusCode);
            var theirs = await other.Http.GetStringAsync($"{path}?person={ida}");
            Assert.DoesNotContain("Secluded", theirs, StringComparison.Ordinal);
            Assert.DoesNotContain("Secluded", await other.Http.GetStringAsync(path), StringComparison.Ordinal);
        }

        // Another practice's person is not named in one's own journal either.
        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"/api/people/{ida}/remarks", new { text = "hello" })).StatusCode);
        Assert.DoesNotContain("Secluded", string.Concat(await LinesAsync(other)), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("from=tomorrow"), InlineData("until=2027-02-30"), InlineData("from=10000-01-01"), InlineData("member=nobody"), InlineData("find=%00x"), InlineData("before=later")]
    public async Task What_cannot_be_asked_is_refused(string query)
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Get, $"/api/journal?{query}")).StatusCode);
        Assert.Equal(query.StartsWith("before", StringComparison.Ordinal) ? HttpStatusCode.OK : HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Get, $"/api/journal/table.csv?{query}")).StatusCode);
    }

    [Fact]
    public async Task Markup_and_long_names_are_kept_as_they_are_and_do_no_harm()
    {
        var ada = await site.SignedInAsync("ada");
        ada.Http.DefaultRequestHeaders.TryAddWithoutValidation("User-Agent", "<img src=x onerror=alert(1)> " + new string('x', 5000));
        var ida = await PersonAsync(ada, "=cmd|' /C calc'!A0<script>");
        var line = (await LinesAsync(ada, $"?person={ida}"))[0];
        Assert.Equal("=cmd|' /C calc'!A0<script> Rowan", line.GetProperty("about").GetString());
        Assert.Equal(300, line.GetProperty("fromProgram").GetString()!.Length);

        // No cell of the file is read as a formula.
        var file = await ada.Http.GetStringAsync($"/api/journal/table.csv?person={ida}");
        Assert.DoesNotMatch("(?m)(^|,)\"?[=+@-]", file);
    }

    [Fact]
    public async Task Ten_at_once_leave_ten_lines()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Tenfold");
        await Task.WhenAll(Enumerable.Range(0, 10).Select(n => ada.DoAsync($"/api/people/{ida}/remarks", new { text = $"{n}" })));
        Assert.Equal(11, (await LinesAsync(ada, $"?person={ida}")).Count(l => l.GetProperty("ended").GetString() == "done"));
    }

    [Fact]
    public async Task Whoever_is_erased_is_named_no_more_and_that_they_were_erased_is()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Forgotten");
        await ada.DoAsync($"/api/people/{ida}/consent", new { channel = "email", @in = true, reason = "Forgotten said so" });
        await ada.DoAsync($"/api/people/{ida}/erase", new { name = "Forgotten Rowan" });
        Assert.Empty(await LinesAsync(ada, $"?person={ida}"));
        var lines = await LinesAsync(ada);
        Assert.DoesNotContain("Forgotten", string.Concat(lines), StringComparison.Ordinal);
        Assert.DoesNotContain(ida.ToString(), string.Concat(lines), StringComparison.Ordinal);
        Assert.Equal("Ada Quill erased somebody who was erased", Sentence(lines.First(l => l.GetProperty("words").GetString() == "erased {}" && l.GetProperty("ended").GetString() == "done")));
    }

    [Fact]
    public async Task Of_two_that_became_one_the_one_has_both_journals()
    {
        var ada = await site.SignedInAsync("ada");
        var (kept, gone) = (await PersonAsync(ada, "Kept"), await PersonAsync(ada, "Gone"));
        await ada.DoAsync($"/api/people/{gone}/remarks", new { text = "before" });
        await ada.DoAsync($"/api/people/{kept}/merge", new { other = gone });
        Assert.Contains("Ada Quill wrote a remark about Gone Rowan", (await LinesAsync(ada, $"?person={kept}")).Select(Sentence));
    }

    [Fact]
    public async Task Settings_say_which_parts_were_changed_and_keep_what_their_page_does_not_show()
    {
        var ada = await site.SignedInAsync("ada2");
        await ada.DoAsync("/api/sending/keys", new { domain = "example.com" });
        await ada.DoAsync("/api/sending/brake", new { on = true, bouncePercent = 7, complaintPercent = 0.2 }, HttpMethod.Put);
        var settings = JsonNode.Parse((await ada.GetAsync("/api/practice")).GetRawText())!.AsObject();
        settings["postalAddress"] = "12 Larkspur Row, Portland ME 04101";
        settings["keepJournalMonths"] = 36;
        await ada.DoAsync("/api/practice", settings, HttpMethod.Put);
        var line = (await LinesAsync(ada, "?find=settings"))[0];
        Assert.Matches("^postal address: “.*” → “12 Larkspur Row, Portland ME 04101”; how long the journal is kept: 24 → 36$", line.GetProperty("more").GetString());
        Assert.Equal(36, (await ada.GetAsync("/api/journal")).GetProperty("keptMonths").GetInt32());

        // Keys, the brake and whatever else has a page of its own stay.
        var health = await ada.GetAsync("/api/sending");
        Assert.Equal(7, health.GetProperty("brake").GetProperty("bouncePercent").GetDecimal());
        Assert.Single(health.GetProperty("own")[0].GetProperty("keys").EnumerateArray());
        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", With(settings, "keepJournalMonths", -1), "keepJournalMonths", HttpMethod.Put)).Status);
    }

    private static JsonObject With(JsonObject settings, string key, JsonNode value)
    {
        var other = settings.DeepClone().AsObject();
        other[key] = value;
        return other;
    }

    [Fact]
    public async Task Lines_are_kept_as_long_as_the_practice_says()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Aged");
        await using var db = site.Db();
        await EventRetention.ForgetAsync(db, Site.Now + NodaTime.Duration.FromDays(700), default);
        Assert.NotEmpty(await LinesAsync(ada, $"?person={ida}"));
        await EventRetention.ForgetAsync(db, Site.Now + NodaTime.Duration.FromDays(760), default);
        Assert.Empty(await LinesAsync(ada, $"?person={ida}"));
    }

    [Fact]
    public async Task What_breaks_off_leaves_a_line_of_which_nobody_knows_how_it_ended()
    {
        await using var scope = site.Services.CreateAsyncScope();
        await using var db = site.Db();
        var ada = await db.Users.SingleAsync(u => u.Email == "ada@example.com");
        var endpoint = Endpoints().Single(e => e.Key == "POST /api/notes/printed").Endpoint;
        var http = new DefaultHttpContext { RequestServices = scope.ServiceProvider };
        http.Request.Method = "POST";
        http.SetEndpoint(endpoint);
        http.User = new(
            new System.Security.Claims.ClaimsIdentity(
                [
                    new(System.Security.Claims.ClaimTypes.NameIdentifier, ada.Id.ToString()),
                    new("germinal:practice", site.Practice.ToString()),
                    new("germinal:name", ada.Name),
                    new(System.Security.Claims.ClaimTypes.Role, ada.Role),
                ],
                "test"
            )
        );
        scope.ServiceProvider.GetRequiredService<GerminalDb>().PracticeId = site.Practice;
        async Task<int> BegunAsync(Exception e)
        {
            var count = await db.Journal.CountAsync(j => j.Words == "printed notes to write" && j.Ended == "begun");
            await Assert.ThrowsAsync(e.GetType(), async () => await new JournalKeeping().InvokeAsync(new DefaultEndpointFilterInvocationContext(http), _ => throw e));
            return await db.Journal.CountAsync(j => j.Words == "printed notes to write" && j.Ended == "begun") - count;
        }

        Assert.Equal(1, await BegunAsync(new OperationCanceledException()));
        Assert.Equal(1, await BegunAsync(new InvalidOperationException("a mistake of ours")));
        Assert.Equal(0, await BegunAsync(new DbUpdateConcurrencyException()));
        Assert.Equal(0, await BegunAsync(new BadHttpRequestException("not readable")));
    }
}
