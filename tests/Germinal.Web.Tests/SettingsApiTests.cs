using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Service.House;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Settings, changed part by part; the last ten changes told and taken back.</summary>
public sealed class SettingsApiTests(Site site) : IClassFixture<Site>
{
    private const string Path = "/api/practice";

    private static Task<JsonElement> ChangeAsync(Member member, object part) => member.DoAsync(Path, part, HttpMethod.Put);

    private static async Task<List<JsonElement>> ChangesAsync(Member member) => [.. (await member.GetAsync($"{Path}/changes")).EnumerateArray()];

    private static string Words(JsonElement change) => change.GetProperty("words").GetString()!;

    private static async Task<(HttpStatusCode Status, string Words)> TakeBackAsync(Member member, long id)
    {
        using var answer = await member.PostAsync($"{Path}/changes/{id}/undo");
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
    }

    private static long Id(JsonElement change) => change.GetProperty("id").GetInt64();

    [Fact]
    public void Every_setting_there_is_has_a_name_and_a_page()
    {
        var stored = JsonNode.Parse(GerminalDb.ToJson(new PracticeSettings())!)!.AsObject().Select(p => p.Key).Concat(["name", "zoneId"]);
        Assert.Equal(stored.Order(StringComparer.Ordinal), SettingsPart.All.Select(p => p.Key).Order(StringComparer.Ordinal));
        Assert.All(SettingsPart.All.Where(p => p.Kind != SettingsPartKind.Standing), p => Assert.True(p is { Title.Length: > 0, Page.Length: > 0 }, p.Key));
    }

    [Theory]
    [InlineData("en-GB", "now with “7 in one day: email, texts”, “30 in 90 days: calls”")]
    [InlineData("de-DE", "jetzt mit „7 in einem Tag: E-Mail, SMS“, „30 in 90 Tagen: Anrufe“")]
    public async Task How_often_one_is_written_to_is_told_in_whole_words(string language, string words)
    {
        var ada = await site.SignedInAsync("ada");
        var pace = (await ada.GetAsync(Path)).GetProperty("pace");
        var more = new[] { (7, 1, "email text"), (30, 90, "call") }.Select(r => new { max = r.Item1, days = r.Item2, channels = r.Item3.Split(' ') });
        await ChangeAsync(ada, new { pace = pace.EnumerateArray().Cast<object>().Concat(more).ToArray() });
        ada.Http.DefaultRequestHeaders.Add("Accept-Language", language);
        Assert.Contains(words, Words((await ChangesAsync(ada))[0]), StringComparison.Ordinal);
        ada.Http.DefaultRequestHeaders.Remove("Accept-Language");
        await ChangeAsync(ada, new { pace });
    }

    [Fact]
    public async Task What_is_not_said_stays_and_each_change_is_told_and_taken_back_by_itself()
    {
        var ada = await site.SignedInAsync("ada");
        var before = await ada.GetAsync(Path);
        await ChangeAsync(ada, new { topics = new[] { "Markets", "School fees" } });
        await ChangeAsync(ada, new { quietFrom = "10:00", closed = new[] { "2027-12-24", "2027-12-27", "2027-12-24" } });
        var after = await ada.GetAsync(Path);
        var changed = new[] { "topics", "quietFrom", "closed" };
        foreach (var part in before.EnumerateObject().Where(p => !changed.Contains(p.Name, StringComparer.Ordinal)))
        {
            Assert.Equal(part.Value.GetRawText(), after.GetProperty(part.Name).GetRawText());
        }

        Assert.Equal(["2027-12-24", "2027-12-27"], after.GetProperty("closed").EnumerateArray().Select(d => d.GetString()));
        var told = await ChangesAsync(ada);
        Assert.Equal("Ada Quill", told[0].GetProperty("by").GetString());
        Assert.Contains("when texts and calls begin: “08:00” → “10:00”", Words(told[0]), StringComparison.Ordinal);
        Assert.Contains("closing days: now with 2027-12-24, 2027-12-27", Words(told[0]), StringComparison.Ordinal);
        Assert.Contains("topics: now with “Markets”, “School fees”", Words(told[1]), StringComparison.Ordinal);
        var german = await site.SignedInAsync("ada");
        german.Http.DefaultRequestHeaders.Add("Accept-Language", "de-DE");
        Assert.Contains("geschlossene Tage: jetzt mit 2027-12-24, 2027-12-27", Words((await ChangesAsync(german))[0]), StringComparison.Ordinal);
        Assert.Contains(
            (await ada.GetAsync("/api/journal")).GetProperty("lines").EnumerateArray(),
            l => l.GetProperty("more").GetString()!.Contains("“08:00” → “10:00”", StringComparison.Ordinal)
        );

        // The one before the last is taken back, and the last one stays.
        Assert.Equal(HttpStatusCode.OK, (await TakeBackAsync(ada, Id(told[1]))).Status);
        var now = await ada.GetAsync(Path);
        Assert.Equal(before.GetProperty("topics").GetRawText(), now.GetProperty("topics").GetRawText());
        Assert.Equal("10:00", now.GetProperty("quietFrom").GetString());
        var again = await ChangesAsync(ada);
        Assert.True(again[0].GetProperty("takesBack").GetBoolean());
        Assert.True(again[2].GetProperty("takenBack").GetBoolean());

        // Taken back once; and what takes back is taken back as well.
        Assert.Equal(HttpStatusCode.Conflict, (await TakeBackAsync(ada, Id(told[1]))).Status);
        Assert.Equal(HttpStatusCode.OK, (await TakeBackAsync(ada, Id(again[0]))).Status);
        Assert.Equal(2, (await ada.GetAsync(Path)).GetProperty("topics").GetArrayLength());

        // What was changed again since is not lost.
        await ChangeAsync(ada, new { quietFrom = "11:00" });
        var (status, words) = await TakeBackAsync(ada, Id(told[0]));
        Assert.Equal(HttpStatusCode.Conflict, status);
        Assert.Contains("changed again since", words, StringComparison.Ordinal);
        Assert.Contains("changed again since", (await ChangesAsync(ada)).Single(c => Id(c) == Id(told[0])).GetProperty("inTheWay").GetString()!, StringComparison.Ordinal);
        Assert.Equal("11:00", (await ada.GetAsync(Path)).GetProperty("quietFrom").GetString());
        await ChangeAsync(ada, new { quietFrom = "08:00", closed = Array.Empty<string>(), topics = Array.Empty<string>() });
    }

    [Fact]
    public async Task What_programs_and_people_use_is_not_taken_away_by_taking_back()
    {
        var ada = await site.SignedInAsync("ada");
        var stages = await ada.GetAsync("/api/stages");
        var pipeline = stages.GetProperty("pipelines")[0];
        var names = pipeline.GetProperty("stages").EnumerateArray().Select(s => s.GetProperty("name").GetString()!).ToList();
        var reasons = stages.GetProperty("reasons").EnumerateArray().Select(r => r.GetProperty("name").GetString()!).ToList();
        await ada.DoAsync("/api/stages", new { pipelines = new[] { new { name = pipeline.GetProperty("name").GetString(), stages = (string[])[.. names, "Looked at"] } }, reasons }, HttpMethod.Put);
        var change = (await ChangesAsync(ada))[0];
        Assert.Contains("pipelines and stages", Words(change), StringComparison.Ordinal);
        var made = await ada.DoAsync("/api/people", new { firstName = "Stands", lastName = "There" });
        await ada.DoAsync("/api/people/stage", new { ids = new[] { made.GetProperty("id").GetGuid() }, stage = $"{pipeline.GetProperty("name").GetString()}/Looked at" });
        var (status, words) = await TakeBackAsync(ada, Id(change));
        Assert.Equal(HttpStatusCode.Conflict, status);
        Assert.Contains("one person stands in it", words, StringComparison.Ordinal);
        Assert.Contains("Looked at", (await ada.GetAsync("/api/stages")).GetRawText(), StringComparison.Ordinal);

        // A server's password is nowhere among what is kept of a change, and nothing of it is taken back from there.
        await ChangeAsync(ada, new { mailOut = new { host = "127.0.0.1", port = 25, security = "none", user = "ada", password = "not-to-be-seen" } });
        var server = (await ChangesAsync(ada))[0];
        Assert.Equal("mail server", Words(server));
        Assert.Contains("set it anew", (await TakeBackAsync(ada, Id(server))).Words, StringComparison.Ordinal);
        await using var db = site.Db();
        Assert.DoesNotContain("sealed", string.Concat(await db.SettingsChanges.Select(c => c.Before + c.After).ToListAsync()), StringComparison.OrdinalIgnoreCase);
        await ChangeAsync(ada, new { mailOut = new { host = "" } });
    }

    [Fact]
    public async Task Ten_are_kept_and_of_ten_who_take_one_back_at_once_one_does()
    {
        var ada = await site.SignedInAsync("ada");
        for (var i = 1; i <= 13; i++)
        {
            await ChangeAsync(ada, new { keepEventsMonths = i });
        }

        var changes = await ChangesAsync(ada);
        Assert.Equal(SettingsHistory.Most, changes.Count);
        await using (var db = site.Db())
        {
            Assert.Equal(SettingsHistory.Most, await db.SettingsChanges.CountAsync());
        }

        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => TakeBackAsync(ada, Id(changes[0]))));
        Assert.Single(answers, a => a.Status == HttpStatusCode.OK);
        Assert.Equal(9, answers.Count(a => a.Status == HttpStatusCode.Conflict));
        Assert.Equal(12, (await ada.GetAsync(Path)).GetProperty("keepEventsMonths").GetInt32());

        // Ten who change different parts at once all have theirs.
        await Task.WhenAll(
            ChangeAsync(ada, new { keepEventsMonths = 0 }),
            ChangeAsync(ada, new { keepJournalMonths = 36 }),
            ChangeAsync(ada, new { clientMonths = 30 }),
            ChangeAsync(ada, new { voice = "we" }),
            ada.DoAsync("/api/tasks/sets", new { sets = new[] { new { name = "New client", tasks = new[] { new { kind = "task", title = "Write down what they said", days = 1 } } } } }, HttpMethod.Put)
        );
        var now = await ada.GetAsync(Path);
        Assert.Equal((0, 36, 30, "we"), (now.GetProperty("keepEventsMonths").GetInt32(), now.GetProperty("keepJournalMonths").GetInt32(), now.GetProperty("clientMonths").GetInt32(), now.GetProperty("voice").GetString()));
        Assert.Contains("New client", (await ada.GetAsync("/api/tasks")).GetRawText(), StringComparison.Ordinal);
        await ChangeAsync(ada, new { keepJournalMonths = 24, clientMonths = 24, voice = "I" });
    }

    [Fact]
    public async Task Only_a_principal_of_the_practice_and_nobody_with_what_cannot_be()
    {
        var ada = await site.SignedInAsync("ada");
        await ChangeAsync(ada, new { keepEventsMonths = 5 });
        var id = Id((await ChangesAsync(ada))[0]);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.SendAsync(HttpMethod.Get, $"{Path}/changes")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await TakeBackAsync(tomas, id)).Status);
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync($"{Path}/last-month", new { })).StatusCode);
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await TakeBackAsync(other, id)).Status);
        Assert.DoesNotContain(await ChangesAsync(other), c => Id(c) == id);
        foreach (
            var (field, part) in new (string, object)[]
            {
                ("workingDays", new { workingDays = Array.Empty<string>() }),
                ("workingDays", new { workingDays = new[] { "xyz" } }),
                ("country", new { country = "XX" }),
                ("closed", new { closed = new[] { "2027-02-30" } }),
                ("closed", new { closed = new[] { "9999-12-31", "never" } }),
                ("holidays", new { holidays = new[] { "\0" } }),
                ("name", new { name = " " }),
                ("zone", new { zone = "Nowhere/There" }),
                ("leapDay", new { leapDay = "may1" }),
                ("dateOrder", new { dateOrder = "ydm" }),
                ("phoneRegion", new { phoneRegion = "QQ" }),
                ("clientMonths", new { clientMonths = 9999 }),
                ("quietTo", new { quietTo = "07:59" }),
            }
        )
        {
            foreach (var (path, method) in new[] { (Path, HttpMethod.Put), ($"{Path}/last-month", HttpMethod.Post) })
            {
                using var answer = await ada.SendAsync(method, path, part);
                Assert.True(answer.StatusCode == HttpStatusCode.BadRequest, $"{path} {field} {answer.StatusCode}");
                Assert.Contains($"\"{field}", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
            }
        }

        // The end is held against the beginning that is kept.
        Assert.Equal(400, (await ada.RefusedAsync(Path, new { quietTo = "08:00" }, "quietTo", HttpMethod.Put)).Status);
        Assert.Equal(5, (await ada.GetAsync(Path)).GetProperty("keepEventsMonths").GetInt32());
    }

    [Fact]
    public async Task The_last_month_is_gone_through_and_nothing_is_kept_of_it()
    {
        var ada = await site.SignedInAsync("ada");
        var before = (await ada.GetAsync(Path)).GetRawText();
        var month = await ada.DoAsync($"{Path}/last-month", new { pace = new[] { new { max = 1, days = 30, channels = new[] { "email" } } } });
        Assert.Equal("2027-01-30", month.GetProperty("from").GetString());
        Assert.Equal("2027-02-28", month.GetProperty("until").GetString());
        Assert.Equal(before, (await ada.GetAsync(Path)).GetRawText());
        Assert.Equal(HttpStatusCode.OK, (await ada.PostAsync($"{Path}/last-month", new { })).StatusCode);
    }
}
