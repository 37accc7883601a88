using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Service.Broadcasts;
using Germinal.Store.Rows;
using Germinal.Web.Endpoints;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Broadcasts over HTTP: written, looked over, sent, read for what they did; and who may what.</summary>
public sealed class BroadcastsApiTests(Site site) : IClassFixture<Site>
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    private static async Task<Guid> PersonAsync(Member ada, string first, bool consent = true)
    {
        var made = await ada.DoAsync("/api/people", new { firstName = first, lastName = "Broadcast", email = $"{first.ToLowerInvariant()}.{Guid.NewGuid():N}@example.com", anyway = true });
        var id = made.GetProperty("id").GetGuid();
        if (consent)
        {
            await ada.DoAsync($"/api/people/{id}/consent", new { channel = "email", @in = true, reason = "said so" });
        }

        return id;
    }

    private static object Plan(IEnumerable<Guid> people, string subject = "Rates in March", object? when = null, object? more = null)
    {
        var plan = JsonSerializer.SerializeToNode(
            new
            {
                to = new { kind = "people", people },
                ways = new[] { new { kind = "email", subject, body = "<p>Good day, {{ person.first_name }}.</p>" } },
                when = when ?? new { kind = "now" },
            },
            Json
        )!.AsObject();
        foreach (var (key, value) in JsonSerializer.SerializeToNode(more ?? new { }, Json)!.AsObject())
        {
            plan[key] = value?.DeepClone();
        }

        return plan;
    }

    private static async Task<JsonElement> WrittenAsync(Member ada, object plan, string name = "") => await ada.DoAsync("/api/broadcasts", new { name, plan });

    /// <summary>No mail server stands by here: what would have been sent is written down as it would be.</summary>
    private async Task ArrivedAsync(JsonElement broadcast)
    {
        await using var db = site.Db();
        var id = broadcast.GetProperty("id").GetGuid();
        var program = await db.Broadcasts.Where(b => b.Id == id).Select(b => b.ProgramId).SingleAsync();
        foreach (var touch in await db.Touches.Where(t => t.ProgramId == program && t.Status != TouchStatus.Skipped).ToListAsync())
        {
            (touch.Status, touch.SettledAt) = (TouchStatus.Sent, Site.Now);
            db.Messages.Add(
                new MessageRow { TouchId = touch.Id, PracticeId = site.Practice, PersonId = touch.PersonId, ProgramId = touch.ProgramId, StepId = touch.StepId, MessageId = touch.Id.ToString(), ToAddress = "x@example.com", FromAddress = "ada@example.com", FromName = "Ada", Subject = "Rates", Html = "", Text = "", SentAt = Site.Now }
            );
        }

        await db.SaveChangesAsync();
    }

    private static string Address(JsonElement broadcast, string more = "") => $"/api/broadcasts/{broadcast.GetProperty("id").GetString()}{more}";

    private static int Edition(JsonElement broadcast) => broadcast.GetProperty("edition").GetInt32();

    [Fact]
    public async Task From_the_first_word_to_the_numbers()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, nela) = (await PersonAsync(ada, "Ida"), await PersonAsync(ada, "Nela", consent: false));
        var made = await WrittenAsync(ada, new { });
        Assert.Equal(["/to/name", "/ways"], made.GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("pointer").GetString()));
        Assert.Equal(400, (int)(await ada.SendAsync(HttpMethod.Get, Address(made, "/forecast"))).StatusCode);
        Assert.Equal(400, (await ada.RefusedAsync(Address(made, "/send"), new { edition = Edition(made) }, "/ways")).Status);

        var saved = await ada.DoAsync(Address(made), new { edition = Edition(made), name = "Rates", plan = Plan([ida, nela]) }, HttpMethod.Put);
        Assert.Empty(saved.GetProperty("findings").EnumerateArray());
        var forecast = await ada.GetAsync(Address(made, "/forecast"));
        Assert.Equal((2, 1), (forecast.GetProperty("people").GetInt32(), forecast.GetProperty("goes").GetInt32()));
        var held = Assert.Single(forecast.GetProperty("held").EnumerateArray());
        Assert.Equal(("no-consent", "Nela Broadcast"), (held.GetProperty("word").GetString(), held.GetProperty("people")[0].GetProperty("name").GetString()));

        var read = await ada.GetAsync(Address(made, "/as-read?nth=0"));
        Assert.Contains("Good day, Ida.", read.GetProperty("page").GetString(), StringComparison.Ordinal);
        Assert.NotEqual("", (await ada.GetAsync(Address(made, "/as-read?nth=-1"))).GetProperty("heldBack").GetString());
        Assert.Equal(400, (int)(await ada.PostAsync(Address(made, "/trial"), new { nth = 0, to = new[] { Guid.NewGuid() } })).StatusCode);

        var sent = await ada.DoAsync(Address(made, "/send"), new { edition = Edition(saved) });
        Assert.Equal("waiting", sent.GetProperty("status").GetString());
        Assert.Equal(made.GetProperty("id").GetString(), (await ada.GetAsync($"/api/broadcasts/of/{made.GetProperty("id").GetString()}")).GetProperty("id").GetString());
        Assert.Equal(HttpStatusCode.NotFound, (await (await site.SignedInAsync("ada2")).SendAsync(HttpMethod.Get, $"/api/broadcasts/of/{made.GetProperty("id").GetString()}")).StatusCode);
        await site.WorkAsync();
        await ArrivedAsync(made);
        var numbers = await ada.GetAsync(Address(made, "/numbers"));
        Assert.Equal((2, 1, 1), (numbers.GetProperty("people").GetInt32(), numbers.GetProperty("sent").GetInt32(), numbers.GetProperty("delivered").GetInt32()));
        Assert.Equal("Ida Broadcast", (await ada.GetAsync(Address(made, "/who?what=sent"))).GetProperty("people")[0].GetProperty("name").GetString());
        Assert.Equal("going", (await ada.GetAsync(Address(made))).GetProperty("status").GetString());
        Assert.Contains((await ada.GetAsync("/api/broadcasts")).EnumerateArray(), b => b.GetProperty("name").GetString() == "Rates" && b.GetProperty("sent").GetInt32() == 1);

        // It is no program, and stands in nobody's way there.
        Assert.DoesNotContain((await ada.GetAsync("/api/programs")).EnumerateArray(), p => p.GetProperty("name").GetString() == "Rates");
        Assert.Contains("Rates", (await ada.GetAsync($"/api/people/{ida}/thread")).ToString(), StringComparison.Ordinal);

        // Sent is sent.
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Put, Address(made), new { edition = Edition(sent), name = "Other", plan = Plan([ida]) })).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Delete, Address(made))).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync(Address(made, "/take-back"))).StatusCode);

        // The people behind a number go on a list, and calls stand on the sheet of who looks after them.
        Assert.Equal(1, (await ada.DoAsync(Address(made, "/who/list"), new { what = "not-opened", list = "Not opened" })).GetProperty("count").GetInt32());
        Assert.Equal(1, (await ada.DoAsync(Address(made, "/who/calls"), new { what = "sent", title = "Ask about the rates" })).GetProperty("count").GetInt32());
        Assert.Equal(400, (await ada.RefusedAsync(Address(made, "/who/calls"), new { what = "sent", title = "x", on = "9999-01-01" }, "on")).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Get, Address(made, "/who?what=anything"))).StatusCode);

        var again = await ada.DoAsync(Address(made, "/again"), new { subject = "Once more" });
        Assert.Equal("not-opened", again.GetProperty("plan").GetProperty("to").GetProperty("did").GetString());
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync(Address(made, "/again"), new { subject = "A third time" })).StatusCode);
    }

    [Fact]
    public async Task Sent_by_ten_at_once_it_goes_once()
    {
        var ada = await site.SignedInAsync("ada");
        var one = await WrittenAsync(ada, Plan([await PersonAsync(ada, "Once")]), "Ten at once");
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync(Address(one, "/send"), new { edition = Edition(one) })));
        Assert.Single(answers, a => a.StatusCode == HttpStatusCode.OK);
        Assert.All(answers.Where(a => a.StatusCode != HttpStatusCode.OK), a => Assert.Equal(HttpStatusCode.Conflict, a.StatusCode));
        await site.WorkAsync();
        await ArrivedAsync(one);
        Assert.Equal(1, (await ada.GetAsync(Address(one, "/numbers"))).GetProperty("sent").GetInt32());
    }

    [Fact]
    public async Task Of_ten_who_save_one_edition_one_does()
    {
        var ada = await site.SignedInAsync("ada");
        var one = await WrittenAsync(ada, Plan([await PersonAsync(ada, "Saved")]));
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(n => ada.SendAsync(HttpMethod.Put, Address(one), new { edition = Edition(one), name = $"Version {n}", plan = Plan([], $"Subject {n}") })));
        Assert.Single(answers, a => a.StatusCode == HttpStatusCode.OK);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync(Address(one, "/send"), new { edition = Edition(one) })).StatusCode);
    }

    [Fact]
    public async Task An_assistant_writes_and_does_not_send_or_overrule()
    {
        var (ada, wren) = (await site.SignedInAsync("ada"), await site.SignedInAsync("wren"));
        var nobody = await PersonAsync(ada, "Unasked", consent: false);
        var letGo = new[] { new { person = nobody, reason = "asked me" } };
        var one = await WrittenAsync(wren, Plan([nobody], more: new { letGo }));
        Assert.Empty(one.GetProperty("plan").GetProperty("letGo").EnumerateArray());
        foreach (var act in new[] { "send", "take-back", "pause", "resume", "stop" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync(Address(one, "/" + act), new { edition = Edition(one) })).StatusCode);
        }

        // Who may, whose name stands beside the reason; an assistant who saves it later takes nobody's place.
        var saved = await ada.DoAsync(Address(one), new { edition = Edition(one), name = "Let go", plan = Plan([nobody], more: new { letGo }) }, HttpMethod.Put);
        Assert.Equal("Ada Quill", saved.GetProperty("plan").GetProperty("letGo")[0].GetProperty("by").GetString());
        saved = await wren.DoAsync(Address(one), new { edition = Edition(saved), name = "Let go", plan = Plan([nobody], "Other", more: new { letGo }) }, HttpMethod.Put);
        Assert.Equal("Ada Quill", saved.GetProperty("plan").GetProperty("letGo")[0].GetProperty("by").GetString());
        Assert.Equal(1, (await ada.GetAsync(Address(one, "/forecast"))).GetProperty("goes").GetInt32());
    }

    [Fact]
    public async Task Another_practice_sees_nothing_of_it()
    {
        var (ada, other) = (await site.SignedInAsync("ada"), await site.SignedInAsync("ada2"));
        var one = await WrittenAsync(ada, Plan([await PersonAsync(ada, "Ours")]), "Ours alone");
        foreach (var path in new[] { "", "/forecast", "/as-read", "/numbers", "/who?what=sent" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Get, Address(one, path))).StatusCode);
        }

        foreach (var path in new[] { "/send", "/take-back", "/pause", "/resume", "/stop", "/trial", "/links", "/again", "/who/list", "/who/calls" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync(Address(one, path), new { })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, Address(one))).StatusCode);
        Assert.DoesNotContain((await other.GetAsync("/api/broadcasts")).EnumerateArray(), b => b.GetProperty("name").GetString() == "Ours alone");

        // Nor does a plan that names another practice's people or broadcast reach them.
        var (theirs, ours) = (await PersonAsync(other, "Theirs"), await PersonAsync(ada, "Mine"));
        var mixed = await WrittenAsync(ada, Plan([theirs, ours]));
        Assert.Equal(1, (await ada.GetAsync(Address(mixed, "/forecast"))).GetProperty("people").GetInt32());
        Assert.DoesNotContain("Theirs", (await ada.GetAsync(Address(mixed))).ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Markup_nothing_and_the_year_9999_are_answered_at_the_field()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Hostile");
        var one = await WrittenAsync(ada, Plan([ida], "<script>alert(1)</script>", new { kind = "moment", date = "9999-12-31", time = "09:30" }), "<b>bold</b>");
        Assert.Contains("/when/date", one.GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("pointer").GetString()));
        Assert.Equal(400, (int)(await ada.SendAsync(HttpMethod.Put, Address(one), new { edition = Edition(one), name = "a\0b", plan = Plan([ida]) })).StatusCode);
        Assert.Equal(400, (int)(await ada.SendAsync(HttpMethod.Put, Address(one), new { edition = Edition(one), name = "x", plan = (object?)null })).StatusCode);
        Assert.Equal(400, (int)(await ada.SendAsync(HttpMethod.Put, Address(one), new { edition = Edition(one), name = "x", plan = Plan([ida], new string('x', 500_000)) })).StatusCode);
        Assert.Equal(400, (int)(await ada.SendAsync(HttpMethod.Put, Address(one), new { edition = Edition(one), name = "x", plan = Plan(Enumerable.Range(0, 3000).Select(_ => Guid.NewGuid())) })).StatusCode);

        // A template that does not read is found where it stands, and is not sent.
        var broken = await ada.DoAsync(Address(one), new { edition = Edition(one), name = "x", plan = Plan([ida], "Rates {{ person.") }, HttpMethod.Put);
        Assert.Contains("/ways/0/subject", broken.GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("pointer").GetString()));
        Assert.Equal(400, (int)(await ada.PostAsync(Address(one, "/send"), new { edition = Edition(broken) })).StatusCode);
    }

    /// <summary>What a page sends is what the core keeps, field by field: neither has one the other has not.</summary>
    [Fact]
    public void The_body_and_the_plan_have_the_same_fields()
    {
        var (body, plan) = (Fields(JsonSerializer.SerializeToNode(Whole(), Json)!), Fields(JsonSerializer.SerializeToNode(Whole().ToPlan(), Json)!));
        Assert.Equal(body.Order(StringComparer.Ordinal), plan.Where(p => p != "/letGo/by").Order(StringComparer.Ordinal));

        static PlanBody Whole() =>
            new()
            {
                Ways = [new PlanBody.WayBody("email", "s", "b") { Attachments = ["a"] }],
                Test = new PlanBody.TestBody { Others = [new PlanBody.VersionBody("x")] },
                Goal = new PlanBody.GoalBody(),
                LetGo = [new PlanBody.LetGoBody(Guid.NewGuid(), "why")],
                Repeat = new PlanBody.RepeatBody("FREQ=DAILY"),
            };

        static IEnumerable<string> Fields(JsonNode node, string at = "") =>
            node switch
            {
                JsonObject o => o.SelectMany(p => Fields(p.Value ?? JsonValue.Create("")!, $"{at}/{p.Key}").Append($"{at}/{p.Key}")),
                JsonArray a => a.OfType<JsonNode>().SelectMany(n => Fields(n, at)),
                _ => [],
            };
    }

    [Fact]
    public async Task What_waits_for_its_moment_stands_in_the_almanac_until_it_is_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var (one, two) = (await PersonAsync(ada, "Foreseen"), await PersonAsync(ada, "Unforeseen", consent: false));
        var made = await WrittenAsync(ada, Plan([one, two], when: new { kind = "moment", date = "2027-03-08", time = "09:30" }), "In the almanac");
        await ada.DoAsync(Address(made, "/send"), new { edition = Edition(made) });
        await site.WorkAsync();
        async Task<string[]> ThatDayAsync() =>
            [
                .. (await ada.GetAsync("/api/almanac?days=31"))
                    .GetProperty("days")
                    .EnumerateArray()
                    .Where(d => d.GetProperty("date").GetString() == "2027-03-08")
                    .SelectMany(d => d.GetProperty("groups").EnumerateArray())
                    .Where(g => g.GetProperty("program").GetString() == "In the almanac")
                    .Select(g => $"{g.GetProperty("kind").GetString()} {g.GetProperty("goes").GetInt32()} {g.GetProperty("willNot").GetInt32()}"),
            ];
        Assert.Equal(["email 1 1"], await ThatDayAsync());
        await ada.DoAsync(Address(made, "/take-back"));
        Assert.Empty(await ThatDayAsync());
    }

    [Fact]
    public async Task What_waits_for_a_yes_says_so_in_the_list()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Monthly");
        var one = await WrittenAsync(ada, Plan([ida], when: new { kind = "moment", date = "2027-03-04", time = "09:30" }, more: new { repeat = new { rule = "FREQ=MONTHLY", byItself = false } }), "Monthly letter");
        Assert.Empty(one.GetProperty("findings").EnumerateArray());
        Assert.Contains("Good day, Monthly.", (await ada.GetAsync(Address(one, "/as-read"))).GetProperty("page").GetString(), StringComparison.Ordinal);
        var wrong = await ada.DoAsync(Address(one), new { edition = Edition(one), name = "Monthly letter", plan = Plan([ida], when: new { kind = "moment", date = "2027-03-04", time = "09:30" }, more: new { repeat = new { rule = "EVERY NOW AND THEN" } }) }, HttpMethod.Put);
        Assert.Equal("/repeat/rule", wrong.GetProperty("findings")[0].GetProperty("pointer").GetString());
        Assert.Equal("draft", (await ada.GetAsync("/api/broadcasts")).EnumerateArray().Single(b => b.GetProperty("name").GetString() == "Monthly letter").GetProperty("status").GetString());
        await using var db = site.Db();
        Assert.Equal(BroadcastDesk.Draft, await db.Broadcasts.Where(b => b.Name == "Monthly letter").Select(b => b.Status).SingleAsync());
        Assert.Equal(BroadcastPlanKinds, BroadcastTo.Kinds);
    }

    private static readonly string[] BroadcastPlanKinds = ["segment", "list", "people", "recipients"];
}
