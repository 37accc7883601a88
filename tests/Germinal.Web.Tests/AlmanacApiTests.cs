using System.Net;
using System.Text.Json;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>The almanac, and moving what is in it.</summary>
public sealed class AlmanacApiTests(Site site) : IClassFixture<Site>
{
    private const string Steps = """
        [{"id":"a","kind":"email","when":{"from":"start","offset":"P7D"},"subject":"Hello {{ person.first_name }}","body":"<p>b</p>"},
         {"id":"b","kind":"call","when":{"from":"previous","offset":"P7D"},"script":"Ask","slack":"P0D"},
         {"id":"c","kind":"email","when":{"from":"previous","offset":"P7D"},"subject":"Next","body":"<p>b</p>"}]
        """;

    private static int numbers = 10;

    private static async Task<string> PersonAsync(Member ada, string first, string? birthday = null)
    {
        var id = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Almana", email = $"{first.ToLowerInvariant()}@example.com", mobile = $"207 555 01{Interlocked.Increment(ref numbers):00}" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{id}/consent", new { channel = "email", @in = true, reason = "told me" });
        await ada.DoAsync($"/api/people/{id}/consent", new { channel = "call", @in = true, reason = "told me" });
        if (birthday is not null)
        {
            await ada.DoAsync($"/api/people/{id}", new { edition = (await ada.GetAsync($"/api/people/{id}")).GetProperty("edition").GetInt32(), keyDates = new[] { new { name = "birthday", date = birthday } } }, HttpMethod.Patch);
        }

        return id;
    }

    private async Task<string> StartedAsync(Member ada, string name, params string[] people)
    {
        var program = await PeopleApiTests.ProgramAsync(ada, name, Steps, """{"at":"09:30"}""");
        await ada.DoAsync("/api/people/start", new { ids = people, program });
        await site.WorkAsync();
        return program;
    }

    private static JsonElement Day(JsonElement almanac, string date) => almanac.GetProperty("days").EnumerateArray().Single(d => d.GetProperty("date").GetString() == date);

    private static JsonElement? GroupOf(JsonElement almanac, string date, string program) =>
        Day(almanac, date).GetProperty("groups").EnumerateArray().Where(g => g.GetProperty("programId").GetString() == program).Select(g => (JsonElement?)g).FirstOrDefault();

    [Fact]
    public async Task Messages_are_grouped_calls_are_counted_against_what_a_member_can_make_and_groups_open_to_names()
    {
        var ada = await site.SignedInAsync("ada");
        var (one, two) = (await PersonAsync(ada, "Groua"), await PersonAsync(ada, "Groub"));
        var program = await StartedAsync(ada, "Grouped", one, two);
        var almanac = await ada.GetAsync($"/api/almanac?days=31&program={program}");

        var group = GroupOf(almanac, "2027-03-08", program)!.Value;
        Assert.Equal(("Hello …", 2, 0), (group.GetProperty("words").GetString(), group.GetProperty("goes").GetInt32(), group.GetProperty("willNot").GetInt32()));
        Assert.Equal("2027-03-08T14:30:00Z", group.GetProperty("first").GetString());
        var calls = Assert.Single(Day(almanac, "2027-03-15").GetProperty("calls").EnumerateArray());
        Assert.Equal((2, "Ada Quill"), (calls.GetProperty("calls").GetInt32(), calls.GetProperty("member").GetString()));
        Assert.NotNull(GroupOf(almanac, "2027-03-22", program));

        // The year: this week has nothing, the next two letters, then two calls, then two letters.
        Assert.Equal(
            [(0, 0), (2, 0), (0, 2), (2, 0), (0, 0)],
            almanac.GetProperty("weeks").EnumerateArray().Take(5).Select(w => (w.GetProperty("messages").GetInt32(), w.GetProperty("calls").GetInt32()))
        );
        Assert.Equal(53, almanac.GetProperty("weeks").GetArrayLength());

        var names = await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a");
        Assert.Equal(["Groua Almana", "Groub Almana"], names.GetProperty("names").EnumerateArray().Select(n => n.GetProperty("person").GetProperty("name").GetString()).Order());
        var called = await ada.GetAsync($"/api/almanac/names?date=2027-03-15&program={program}&member={calls.GetProperty("memberId").GetString()}");
        Assert.Equal(2, called.GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task A_whole_group_is_held_let_go_dropped_moved_and_each_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var (one, two) = (await PersonAsync(ada, "Holda"), await PersonAsync(ada, "Holdb"));
        var program = await StartedAsync(ada, "Whole groups", one, two);
        async Task<(int Goes, int Held)> StandsAsync(string date = "2027-03-08")
        {
            await site.WorkAsync();
            return GroupOf(await ada.GetAsync($"/api/almanac?days=31&program={program}"), date, program) is { } g ? (g.GetProperty("goes").GetInt32(), g.GetProperty("held").GetInt32()) : (0, 0);
        }

        Task<JsonElement> DoAsync(string how, string? to = null, string date = "2027-03-08") => ada.DoAsync("/api/almanac/group", new { date, program, step = "a", how, to });
        Task<JsonElement> BackAsync(string how, JsonElement done) =>
            ada.DoAsync("/api/almanac/group/undo", new { how, touches = done.GetProperty("touches"), events = done.GetProperty("events"), before = done.GetProperty("before").GetString() });

        // One that was held by itself stays held when holding all is taken back.
        var third = (await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a")).GetProperty("names")[0];
        await ada.DoAsync($"/api/touches/{third.GetProperty("touchId").GetString()}/hold?person={third.GetProperty("person").GetProperty("id").GetString()}");
        Assert.Equal((1, 1), await StandsAsync());
        var rest = await DoAsync("hold");
        Assert.Equal(1, rest.GetProperty("count").GetInt32());
        await BackAsync("hold", rest);
        Assert.Equal((1, 1), await StandsAsync());
        await ada.DoAsync($"/api/touches/{third.GetProperty("touchId").GetString()}/release?person={third.GetProperty("person").GetProperty("id").GetString()}");
        Assert.Equal((2, 0), await StandsAsync());

        var held = await DoAsync("hold");
        Assert.Equal(2, held.GetProperty("count").GetInt32());
        Assert.Equal((0, 2), await StandsAsync());
        await BackAsync("hold", held);
        Assert.Equal((2, 0), await StandsAsync());

        var moved = await DoAsync("move", "2027-03-11");
        Assert.Equal((0, 0), await StandsAsync());
        Assert.Equal((2, 0), await StandsAsync("2027-03-11"));

        // What follows counts from there.
        Assert.Equal(2, Assert.Single(Day(await ada.GetAsync($"/api/almanac?days=31&program={program}"), "2027-03-18").GetProperty("calls").EnumerateArray()).GetProperty("calls").GetInt32());
        await BackAsync("move", moved);
        Assert.Equal((2, 0), await StandsAsync());

        var dropped = await DoAsync("drop");
        Assert.Equal((0, 0), await StandsAsync());
        Assert.Equal(2, (await BackAsync("drop", dropped)).GetProperty("count").GetInt32());
        Assert.Equal((2, 0), await StandsAsync());
    }

    /// <summary>A program that is being written stands in the almanac as if it were on, beside what comes anyway; and once it is on, just that comes.</summary>
    [Fact]
    public async Task What_if_lays_a_program_over_it_and_comes_true_when_it_is_switched_on()
    {
        var ada = await site.SignedInAsync("ada");
        var (one, two) = (await PersonAsync(ada, "Whatifa"), await PersonAsync(ada, "Whatifb"));
        var anyway = await StartedAsync(ada, "Comes anyway", one);
        var laid = (await ada.DoAsync("/api/programs", new { name = "Laid over" })).GetProperty("id").GetString()!;
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{laid}")).GetProperty("draft").GetRawText())!;
        (draft["steps"], draft["at"]) = (System.Text.Json.Nodes.JsonNode.Parse(Steps), "09:30");
        draft["startsWhen"] = System.Text.Json.Nodes.JsonNode.Parse("""[{"kind":"tag-added","tag":"laid"}]""");
        await ada.DoAsync("/api/people/tag", new { ids = new[] { one, two }, tag = "laid" });

        // As it is first written it has no steps: that is said, and what to do.
        Assert.Contains("could not be switched on yet", (await ada.RefusedAsync($"/api/almanac?whatIf={laid}", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);
        Assert.Contains("not here any more", (await ada.RefusedAsync($"/api/almanac?whatIf={Guid.NewGuid()}", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);
        await ada.DoAsync($"/api/programs/{laid}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        await site.WorkAsync();

        var almanac = await ada.GetAsync($"/api/almanac?days=31&whatIf={laid}");
        Assert.Equal("Laid over", almanac.GetProperty("whatIf").GetString());
        var group = GroupOf(almanac, "2027-03-08", laid)!.Value;
        Assert.Equal(2, group.GetProperty("goes").GetInt32());
        Assert.Equal(1, GroupOf(almanac, "2027-03-08", anyway)!.Value.GetProperty("goes").GetInt32());
        Assert.Equal([0, 2, 2, 2, 0], almanac.GetProperty("weeks").EnumerateArray().Take(5).Select(w => w.GetProperty("ifItWere").GetInt32()));
        var names = await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={laid}&step=a&whatIf={laid}");
        Assert.Equal(2, names.GetProperty("count").GetInt32());

        // Nothing of it is there as it is, and nothing was begun.
        var asItIs = await ada.GetAsync("/api/almanac?days=31");
        Assert.Null(GroupOf(asItIs, "2027-03-08", laid));
        Assert.All(asItIs.GetProperty("weeks").EnumerateArray(), w => Assert.Equal(0, w.GetProperty("ifItWere").GetInt32()));
        Assert.Equal(0, (await ada.GetAsync($"/api/programs/{laid}")).GetProperty("onIt").GetInt32());

        // Another practice has no such program to lay over.
        var stranger = await site.SignedInAsync("ada2");
        Assert.Contains("not here any more", (await stranger.RefusedAsync($"/api/almanac?whatIf={laid}", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);

        await ada.DoAsync($"/api/programs/{laid}/switch-on", new { draftNumber = 2, alsoThese = true });
        await site.WorkAsync();
        var on = await ada.GetAsync("/api/almanac?days=31");
        Assert.Equal(
            almanac.GetProperty("days").EnumerateArray().Select(d => d.GetProperty("groups").GetRawText()),
            on.GetProperty("days").EnumerateArray().Select(d => d.GetProperty("groups").GetRawText())
        );
    }

    [Fact]
    public async Task One_touch_is_moved_says_so_and_goes_on_that_day()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Mova");
        var program = await StartedAsync(ada, "Moving one", person);
        var touch = (await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a")).GetProperty("names")[0].GetProperty("touchId").GetString()!;

        var done = await ada.DoAsync($"/api/touches/{touch}/move", new { person, to = "2027-03-23" });
        Assert.Equal("2027-03-23T13:30:00Z", done.GetProperty("at").GetString());
        Assert.Equal(JsonValueKind.Null, done.GetProperty("before").ValueKind);
        var read = await ada.GetAsync($"/api/touches/{touch}?person={person}");
        Assert.Equal("2027-03-23", read.GetProperty("movedTo").GetString());
        Assert.Contains(read.GetProperty("why").EnumerateArray(), w => w.GetProperty("text").GetString() == "A member moved it to Tue 23 March 2027.");

        // One that is only foreseen moves as well; and back.
        var later = (await ada.GetAsync($"/api/almanac/names?date=2027-04-06&ofProgram={program}&step=c")).GetProperty("names")[0].GetProperty("touchId").GetString()!;
        await ada.DoAsync($"/api/touches/{later}/move", new { person, to = "2027-04-20" });
        Assert.NotNull(GroupOf(await ada.GetAsync($"/api/almanac?from=2027-04-20&days=1&program={program}"), "2027-04-20", program));
        Assert.Equal("2027-04-20", (await ada.DoAsync($"/api/touches/{later}/move", new { person, to = (string?)null })).GetProperty("before").GetString());

        Assert.Contains("is over", (await ada.RefusedAsync($"/api/touches/{touch}/move", new { person, to = "2027-02-28" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("is no date", (await ada.RefusedAsync($"/api/touches/{touch}/move", new { person, to = "soon" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("a year away", (await ada.RefusedAsync($"/api/touches/{touch}/move", new { person, to = "2199-01-01" }, "")).Message, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/touches/{touch}/move", new { person = Guid.NewGuid(), to = "2027-03-20" })).StatusCode);
    }

    [Fact]
    public async Task A_call_on_the_sheet_is_moved_to_another_day_and_stands_there()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Callmova");
        var program = await PeopleApiTests.ProgramAsync(ada, "A call at once", """[{"id":"a","kind":"call","when":{"from":"start","offset":"P0D"},"script":"Ask"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        async Task<JsonElement?> CallAsync() =>
            (await ada.GetAsync("/api/today")).GetProperty("calls").EnumerateArray().Where(c => c.GetProperty("person").GetProperty("id").GetString() == person).Select(c => (JsonElement?)c).FirstOrDefault();

        // The practice calls from nine; it is a quarter past eight, so it is due today.
        var call = (await CallAsync())!.Value.GetProperty("touchId").GetString()!;
        await ada.DoAsync($"/api/touches/{call}/move", new { person, to = "2027-03-04" });
        Assert.Null(await CallAsync());
        Assert.Equal(1, Assert.Single(Day(await ada.GetAsync($"/api/almanac?program={program}"), "2027-03-04").GetProperty("calls").EnumerateArray()).GetProperty("calls").GetInt32());
        await ada.DoAsync($"/api/touches/{call}/move", new { person, to = (string?)null });
        Assert.NotNull(await CallAsync());
    }

    [Fact]
    public async Task Birthdays_appointments_and_holidays_stand_on_their_day()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Dayla");
        await using (var db = site.Db())
        {
            db.KeyDates.Add(new KeyDateRow { PracticeId = site.Practice, PersonId = Guid.Parse(person), Name = "birthday", Month = 3, Day = 12, Year = 1977, Yearly = true });
            await db.SaveChangesAsync();
        }

        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "review", at = "2027-03-12T10:00" });
        var day = Day(await ada.GetAsync("/api/almanac"), "2027-03-12");
        var birthday = Assert.Single(day.GetProperty("occasions").EnumerateArray());
        Assert.Equal((1, 50), (birthday.GetProperty("count").GetInt32(), birthday.GetProperty("people")[0].GetProperty("years").GetInt32()));
        Assert.Equal("review", Assert.Single(day.GetProperty("appointments").EnumerateArray()).GetProperty("type").GetString());
        Assert.False(Day(await ada.GetAsync("/api/almanac"), "2027-03-13").GetProperty("isWorkingDay").GetBoolean());
    }

    [Fact]
    public async Task Filters_leave_what_they_say_and_another_members_own_segment_has_nobody()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Filtera");
        var program = await StartedAsync(ada, "Filtered", person);
        Assert.Null(GroupOf(await ada.GetAsync("/api/almanac?kind=call"), "2027-03-08", program));
        Assert.NotNull(GroupOf(await ada.GetAsync("/api/almanac?kind=email"), "2027-03-08", program));
        Assert.Null(GroupOf(await ada.GetAsync($"/api/almanac?member={Guid.NewGuid()}"), "2027-03-08", program));
        var rule = JsonSerializer.Deserialize<JsonElement>("""{"field":"first_name","op":"is","value":"Filtera"}""");
        var own = (await ada.DoAsync("/api/segments", new { name = "Only mine", rule, mine = true })).GetProperty("id").GetString();
        Assert.Equal(1, GroupOf(await ada.GetAsync($"/api/almanac?segment={own}"), "2027-03-08", program)?.GetProperty("goes").GetInt32());
        var tomas = await site.SignedInAsync("tomas");
        Assert.Null(GroupOf(await tomas.GetAsync($"/api/almanac?segment={own}"), "2027-03-08", program));
    }

    [Fact]
    public async Task Another_practice_sees_nothing_and_moves_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Secreta");
        var program = await StartedAsync(ada, "Secret", person);
        var touch = (await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a")).GetProperty("names")[0].GetProperty("touchId").GetString()!;
        var stranger = await site.SignedInAsync("ada2");
        Assert.All((await stranger.GetAsync("/api/almanac")).GetProperty("days").EnumerateArray(), d => Assert.Empty(d.GetProperty("groups").EnumerateArray()));
        Assert.Equal(0, (await stranger.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a")).GetProperty("count").GetInt32());
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/touches/{touch}/move", new { person, to = "2027-03-20" })).StatusCode);
        var undo = await stranger.DoAsync("/api/almanac/group/undo", new { how = "hold", touches = new[] { new { person, touch } }, events = Array.Empty<long>() });
        Assert.Equal((0, 1), (undo.GetProperty("count").GetInt32(), undo.GetProperty("tooLate").GetInt32()));
    }

    [Fact]
    public async Task Ten_at_once_and_nonsense_do_no_harm()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Tena");
        var program = await StartedAsync(ada, "Ten times", person);
        var touch = (await ada.GetAsync($"/api/almanac/names?date=2027-03-08&ofProgram={program}&step=a")).GetProperty("names")[0].GetProperty("touchId").GetString()!;
        await Task.WhenAll(Enumerable.Range(9, 10).Select(d => ada.DoAsync($"/api/touches/{touch}/move", new { person, to = $"2027-03-{d:00}" })));
        Assert.Equal(1, Enumerable.Range(9, 10).Count(d => GroupOf(ada.GetAsync($"/api/almanac?days=31&program={program}").Result, $"2027-03-{d:00}", program) is not null));
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.GetAsync("/api/almanac")));

        Assert.Contains("is no date", (await ada.RefusedAsync("/api/almanac?from=9999-99-99", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);
        Assert.Contains("is no date", (await ada.RefusedAsync("/api/almanac/group", new { date = "never", program, step = "a", how = "hold" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("hold, release, drop, move", (await ada.RefusedAsync("/api/almanac/group", new { date = "2027-03-08", program, step = "a", how = "burn" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("Say to which day", (await ada.RefusedAsync("/api/almanac/group", new { date = "2027-03-08", program, step = "a", how = "move" }, "")).Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Nobody_is_forgotten_who_has_nothing_only_far_things_or_only_what_cannot_reach_them()
    {
        var ada = await site.SignedInAsync("ada");
        var (nothing, near, far, cannot) = (await PersonAsync(ada, "Nothinga"), await PersonAsync(ada, "Neara"), await PersonAsync(ada, "Fara"), await PersonAsync(ada, "Cannota"));
        await StartedAsync(ada, "Near", near);
        var later = await PeopleApiTests.ProgramAsync(ada, "Far", """[{"id":"a","kind":"email","when":{"from":"start","offset":"P200D"},"subject":"s","body":"<p>b</p>"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { far }, program = later });
        var letters = await PeopleApiTests.ProgramAsync(ada, "No way", """[{"id":"a","kind":"email","when":{"from":"start","offset":"P5D"},"subject":"s","body":"<p>b</p>"}]""");
        await ada.DoAsync($"/api/people/{cannot}", new { edition = (await ada.GetAsync($"/api/people/{cannot}")).GetProperty("edition").GetInt32(), fields = new { email = "" } }, HttpMethod.Patch);
        await ada.DoAsync("/api/people/start", new { ids = new[] { cannot }, program = letters });
        await site.WorkAsync();

        async Task<List<string>> OfAsync(string kind) =>
            [.. (await ada.GetAsync($"/api/almanac/forgotten?kind={kind}")).GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("person").GetProperty("id").GetString()!)];
        Assert.Contains(nothing, await OfAsync("nothing"));
        Assert.Contains(far, await OfAsync("far"));
        Assert.Contains(cannot, await OfAsync("cannot"));
        var forgotten = (await OfAsync("nothing")).Concat(await OfAsync("far")).Concat(await OfAsync("cannot")).ToList();
        Assert.DoesNotContain(near, forgotten);

        // A call that waits on the sheet is something; and so is a meeting.
        await ada.DoAsync($"/api/people/{nothing}/tasks", new { kind = "call", title = "Ask", due = "2027-03-20" });
        await ada.DoAsync($"/api/people/{far}/appointments", new { type = "review", at = "2027-03-19T10:00" });
        Assert.DoesNotContain(nothing, await OfAsync("nothing"));
        Assert.DoesNotContain(far, await OfAsync("far"));
        Assert.Contains("nothing, far, cannot", (await ada.RefusedAsync("/api/almanac/forgotten?kind=lost", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);
    }
}
