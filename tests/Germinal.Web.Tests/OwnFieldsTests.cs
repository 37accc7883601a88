using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Germinal.Web.Tests;

/// <summary>Fields the practice names itself: under the settings, on a person, in rules and letters; renamed, and taken out.</summary>
public sealed class OwnFieldsTests(Site site) : IClassFixture<Site>
{
    private static readonly object[] Fields =
    [
        new { key = "", name = "Net worth", kind = "money", options = Array.Empty<string>() },
        new { key = "", name = "Home", kind = "choice", options = new[] { "Flat", "House" } },
        new { key = "", name = "Member", kind = "yes-no", options = Array.Empty<string>() },
    ];

    private static async Task<JsonObject> SettingsAsync(Member member, object fields)
    {
        var now = JsonNode.Parse((await member.GetAsync("/api/practice")).GetRawText())!.AsObject();
        now["mailOut"] = now["mailIn"] = null;
        now["postalAddress"] = "12 Quay Lane";
        now["ownFields"] = JsonSerializer.SerializeToNode(fields);
        return now;
    }

    private static async Task SaveAsync(Member member, object fields) =>
        await member.DoAsync("/api/practice", await SettingsAsync(member, fields), HttpMethod.Put);

    private static async Task<(Guid Id, int Edition)> PersonAsync(Member member, string last)
    {
        var made = await member.DoAsync("/api/people", new { firstName = "Own", lastName = last });
        return (made.GetProperty("id").GetGuid(), (await member.GetAsync($"/api/people/{made.GetProperty("id").GetGuid()}")).GetProperty("edition").GetInt32());
    }

    private static object Edit(int edition, object custom) => new { edition, fields = new { custom } };

    private static Dictionary<string, string?> ValuesOf(JsonElement person) =>
        person.GetProperty("own").EnumerateArray().ToDictionary(f => f.GetProperty("key").GetString()!, f => f.GetProperty("value").GetString());

    [Fact]
    public async Task The_list_of_people_and_what_is_done_to_those_who_fit_go_by_any_rule()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, (object[])[.. Fields, new { key = "", name = "Likes", kind = "choices", options = new[] { "Tax", "Trusts", "Wine" } }]);
        foreach (var (last, likes) in new[] { ("Onefit", "Wine;Tax"), ("Twofit", "Wine"), ("Threefit", "") })
        {
            var (id, edition) = await PersonAsync(ada, last);
            await ada.DoAsync($"/api/people/{id}", Edit(edition, new Dictionary<string, string> { ["Likes"] = likes }), HttpMethod.Patch);
        }

        async Task<string[]> NamesAsync(string who) =>
            [
                .. (await ada.GetAsync($"/api/people?search=fit&who={Uri.EscapeDataString(who)}")).GetProperty("rows").EnumerateArray().Select(p => p.GetProperty("name").GetString()!),
            ];
        const string Wine = """{"field":"custom:Likes","op":"has","value":"wine"}""";
        Assert.Equal(["Own Onefit", "Own Twofit"], await NamesAsync(Wine));
        Assert.Equal(["Own Onefit"], await NamesAsync("""{"all":[{"field":"custom:likes","op":"in","value":["Trusts","Tax"]}]}"""));
        Assert.Equal(["Own Threefit"], await NamesAsync("""{"field":"custom:Likes","op":"has-not","value":"Wine"}"""));
        Assert.Equal(2, (await ada.GetAsync($"/api/people/count?search=fit&who={Uri.EscapeDataString(Wine)}")).GetProperty("count").GetInt32());
        await ada.DoAsync("/api/people/tag", new { matching = new { search = "fit", who = Wine }, tag = "Cellar" });
        Assert.Equal(["Own Onefit", "Own Twofit"], await NamesAsync("""{"field":"tags","op":"has","value":"cellar"}"""));

        // What is no rule says so, in one shape, and does nothing.
        foreach (var wrong in new[] { "{", "7", "[]", "{}", """{"field":"shoe","op":"is","value":"9"}""", """{"all":[{"field":"email"}]}""", new string('[', 1500) })
        {
            foreach (var path in new[] { "/api/people", "/api/people/count" })
            {
                var (status, message) = await ada.RefusedAsync($"{path}?who={Uri.EscapeDataString(wrong)}", null, "who", HttpMethod.Get);
                Assert.Equal((400, "Who is meant cannot be read"), (status, message[..Math.Min(27, message.Length)]));
            }

            Assert.Equal(400, (await ada.RefusedAsync("/api/people/tag", new { matching = new { who = wrong }, tag = "Wrong" }, "who")).Status);
        }

        Assert.Empty(await NamesAsync("""{"field":"tags","op":"has","value":"wrong"}"""));
    }

    [Fact]
    public async Task A_field_is_named_filled_in_used_renamed_and_taken_out_and_nothing_is_lost()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Fields);
        var session = await ada.GetAsync("/api/session");
        Assert.Equal(["Net worth", "Home", "Member"], session.GetProperty("ownFields").EnumerateArray().Select(f => f.GetProperty("key").GetString()));
        Assert.Contains(
            (await ada.GetAsync("/api/programs/fields")).EnumerateArray(),
            f => f.GetProperty("field").GetString() == "person.custom['Net worth']" && f.GetProperty("meaning").GetString() == "their Net worth"
        );

        var (id, edition) = await PersonAsync(ada, "Fields");
        var saved = await ada.DoAsync(
            $"/api/people/{id}",
            Edit(edition, new Dictionary<string, string> { ["net worth"] = "$450,000", ["Home"] = "house", ["Member"] = "" }),
            HttpMethod.Patch
        );
        Assert.Equal(("450000", "House", null), (ValuesOf(saved)["Net worth"], ValuesOf(saved)["Home"], ValuesOf(saved)["Member"]));

        // It stands in a letter and in a rule: the margin of the program fills it in for the person.
        var program = (await ada.DoAsync("/api/programs", new { name = "Own fields" })).GetProperty("id").GetString();
        var draft = JsonNode.Parse((await ada.GetAsync($"/api/programs/{program}")).GetProperty("draft").GetRawText())!.AsObject();
        draft["onlyIf"] = JsonNode.Parse("""{"all":[{"field":"custom:Net worth","op":"more","value":400000}]}""");
        draft["steps"] = JsonNode.Parse(
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"You have {{ person.custom['Net worth'] }} in a {{ person.custom.Home }}."}]"""
        );
        var number = (await ada.GetAsync($"/api/programs/{program}")).GetProperty("draftNumber").GetInt32();
        var answer = await ada.DoAsync($"/api/programs/{program}/draft", new { draftNumber = number, draft }, HttpMethod.Put);
        Assert.DoesNotContain(answer.GetProperty("findings").EnumerateArray(), f => !f.GetProperty("isWarning").GetBoolean());
        var preview = await ada.GetAsync($"/api/programs/{program}/preview?person={id}&step=a");
        Assert.Contains("You have 450000 in a House.", preview.GetProperty("letter").GetProperty("html").GetString(), StringComparison.Ordinal);

        // Renamed: what uses it still does.
        await SaveAsync(
            ada,
            new object[]
            {
                new { key = "Net worth", name = "Wealth", kind = "money", options = Array.Empty<string>() },
                Fields[1],
                Fields[2],
            }
        );
        var person = await ada.GetAsync($"/api/people/{id}");
        var renamed = person.GetProperty("own").EnumerateArray().Single(f => f.GetProperty("key").GetString() == "Net worth");
        Assert.Equal(("Wealth", "450000"), (renamed.GetProperty("name").GetString(), renamed.GetProperty("value").GetString()));

        // Taken out: who uses it is said before; the value stays, and can be emptied.
        var uses = await ada.GetAsync("/api/practice/fields/uses?key=net%20worth");
        Assert.Equal(1, uses.GetProperty("people").GetInt32());
        Assert.Equal(["Own fields"], uses.GetProperty("programs").EnumerateArray().Select(p => p.GetString()));
        await SaveAsync(ada, Fields.Skip(1));
        person = await ada.GetAsync($"/api/people/{id}");
        var gone = person.GetProperty("own").EnumerateArray().Single(f => f.GetProperty("gone").GetBoolean());
        Assert.Equal(("Net worth", "450000"), (gone.GetProperty("key").GetString(), gone.GetProperty("value").GetString()));
        edition = person.GetProperty("edition").GetInt32();
        var (_, message) = await ada.RefusedAsync($"/api/people/{id}", Edit(edition, new Dictionary<string, string> { ["Net worth"] = "1" }), "custom.Net worth", HttpMethod.Patch);
        Assert.Contains("There is no field “Net worth”", message, StringComparison.Ordinal);
        saved = await ada.DoAsync($"/api/people/{id}", Edit(edition, new Dictionary<string, string> { ["Net worth"] = "" }), HttpMethod.Patch);
        Assert.DoesNotContain("Net worth", ValuesOf(saved).Keys);
        Assert.Equal("House", ValuesOf(saved)["Home"]);
    }

    [Fact]
    public async Task Who_uses_a_date_or_a_field_is_said_segments_too()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Fields);
        var (id, edition) = await PersonAsync(ada, "Lease");
        await ada.DoAsync($"/api/people/{id}", new { edition, fields = new { dates = new Dictionary<string, string> { ["Lease ends"] = "2028-05-01" } } }, HttpMethod.Patch);
        await ada.DoAsync("/api/segments", new { name = "Leases", rule = new { field = "date:lease ends", op = "exists" } });
        await ada.DoAsync("/api/segments", new { name = "Members", rule = new { field = "custom:Member", op = "is", value = "yes" } });
        var program = (await ada.DoAsync("/api/programs", new { name = "Lease runs out" })).GetProperty("id").GetString();
        var page = await ada.GetAsync($"/api/programs/{program}");
        var draft = JsonNode.Parse(page.GetProperty("draft").GetRawText())!.AsObject();
        draft["steps"] = JsonNode.Parse("""[{"id":"a","kind":"task","when":{"from":"key-date","date":"lease ends","offset":"-P30D"},"title":"ask"}]""");
        await ada.DoAsync($"/api/programs/{program}/draft", new { draftNumber = page.GetProperty("draftNumber").GetInt32(), draft }, HttpMethod.Put);
        static string[] Names(JsonElement uses) => [.. uses.GetProperty("programs").EnumerateArray().Select(p => p.GetString()!)];
        var uses = await ada.GetAsync("/api/practice/dates/uses?name=LEASE%20ends");
        Assert.Equal((1, "Lease runs out, Leases"), (uses.GetProperty("people").GetInt32(), string.Join(", ", Names(uses))));
        Assert.Empty(Names(await ada.GetAsync("/api/practice/dates/uses?name=nothing")));
        Assert.Equal(["Members"], Names(await ada.GetAsync("/api/practice/fields/uses?key=member")));
    }

    [Fact]
    public async Task A_policy_is_kept_picked_by_a_program_and_stays_while_it_is_used()
    {
        var ada = await site.SignedInAsync("ada");
        static object Policy(string name, int months = 6) =>
            new
            {
                name,
                openChannels = new[] { "email" },
                inquiryMonths = months,
                clientMonths = 24,
                strictForTransactional = false,
                topics = Array.Empty<string>(),
                footer = "No advice.\nAsk us first.",
            };
        async Task<JsonObject> WithAsync(params object[] policies)
        {
            var settings = await SettingsAsync(ada, Fields);
            settings["policies"] = JsonSerializer.SerializeToNode(policies);
            return settings;
        }

        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", await WithAsync(Policy("Twice"), Policy("TWICE")), "policies", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", await WithAsync(Policy(" ")), "policies", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", await WithAsync(Policy("Long", months: 9999)), "policies", HttpMethod.Put)).Status);
        await ada.DoAsync("/api/practice", await WithAsync(Policy("Invitations")), HttpMethod.Put);

        var program = (await ada.DoAsync("/api/programs", new { name = "By policy" })).GetProperty("id").GetString();
        async Task<JsonElement> DraftAsync(string policy)
        {
            var page = await ada.GetAsync($"/api/programs/{program}");
            var draft = JsonNode.Parse(page.GetProperty("draft").GetRawText())!.AsObject();
            draft["policy"] = policy;
            draft["steps"] = JsonNode.Parse("""[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"Come."}]""");
            return await ada.DoAsync($"/api/programs/{program}/draft", new { draftNumber = page.GetProperty("draftNumber").GetInt32(), draft }, HttpMethod.Put);
        }

        Assert.Contains((await DraftAsync("Gone")).GetProperty("findings").EnumerateArray(), f => f.GetProperty("pointer").GetString() == "/policy");
        Assert.DoesNotContain((await DraftAsync("invitations")).GetProperty("findings").EnumerateArray(), f => f.GetProperty("pointer").GetString() == "/policy");

        var (status, message) = await ada.RefusedAsync("/api/practice", await WithAsync(), "policies", HttpMethod.Put);
        Assert.Equal((400, true), (status, message.Contains("“By policy” goes by", StringComparison.Ordinal)));
        await ada.DoAsync("/api/practice", await WithAsync(Policy("INVITATIONS")), HttpMethod.Put);
    }

    [Fact]
    public async Task The_roles_of_relations_are_the_practices_own_to_name_and_outlive_other_settings()
    {
        var ada = await site.SignedInAsync("ada");
        var roles = (await ada.GetAsync("/api/practice")).GetProperty("relations").EnumerateArray().Select(r => r.GetString()!).ToList();
        Assert.Contains("solicitor / client", roles);
        Assert.Contains("spouse", roles);
        var settings = await SettingsAsync(ada, Fields);
        settings["relations"] = JsonSerializer.SerializeToNode((string[])[.. roles, " broker /  borrower ", "neighbour", "NEIGHBOUR", ""]);
        await ada.DoAsync("/api/practice", settings, HttpMethod.Put);
        // Somebody who knows nothing of roles changes something else.
        settings = await SettingsAsync(ada, Fields);
        settings.Remove("relations");
        await ada.DoAsync("/api/practice", settings, HttpMethod.Put);
        var kept = (await ada.GetAsync("/api/practice")).GetProperty("relations").EnumerateArray().Select(r => r.GetString()!).ToList();
        Assert.Equal([.. roles, "broker / borrower", "neighbour"], kept);
        Assert.Contains((await ada.GetAsync("/api/rules/names?field=relation")).EnumerateArray(), r => r.GetProperty("value").GetString() == "borrower");
    }

    [Fact]
    public async Task A_list_that_is_brought_in_offers_the_practices_fields_and_knows_them_by_name()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Fields);
        var import = (await ada.DoAsync("/api/imports", Member.File("Name;Home;Shoes\nOwn Columns;Castle;42\n"u8.ToArray(), "own.csv"))).GetProperty("id").GetString();
        var review = await ada.GetAsync($"/api/imports/{import}");
        Assert.Equal(["full_name", "custom:Home", ""], review.GetProperty("columns").EnumerateArray().Select(c => c.GetProperty("field").GetString()));
        Assert.Contains(review.GetProperty("choices").EnumerateArray(), c => c.GetProperty("field").GetString() == "custom:Net worth");
        Assert.Contains("Flat, House", review.GetProperty("review").GetProperty("doubts").GetRawText(), StringComparison.Ordinal);
        Assert.Equal(
            400,
            (await ada.RefusedAsync($"/api/imports/{import}/columns", new { columns = new[] { "full_name", "custom:Nobody", "" } }, "columns", HttpMethod.Put)).Status
        );
    }

    [Fact]
    public async Task What_does_not_fit_is_said_at_its_field_and_nothing_is_kept()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Fields);
        var (id, edition) = await PersonAsync(ada, "Wrong");
        foreach (var (key, typed, words) in new[] { ("Net worth", "much", "not a sum"), ("Home", "Castle", "Flat, House"), ("Member", "perhaps", "neither yes nor no") })
        {
            var (status, message) = await ada.RefusedAsync(
                $"/api/people/{id}",
                Edit(edition, new Dictionary<string, string> { ["Home"] = "Flat", [key] = typed }),
                $"custom.{key}",
                HttpMethod.Patch
            );
            Assert.Equal(400, status);
            Assert.Contains(words, message, StringComparison.Ordinal);
        }

        Assert.All(ValuesOf(await ada.GetAsync($"/api/people/{id}")).Values, Assert.Null);
    }

    [Fact]
    public async Task Names_kinds_and_choices_that_cannot_be_are_refused()
    {
        var ada = await site.SignedInAsync("ada");
        object Field(string name, string kind = "text", params string[] options) => new { key = "", name, kind, options };
        foreach (
            var fields in new object[][]
            {
                [Field("")],
                [Field("{{ x }}")],
                [Field("<b>bold</b>")],
                [Field("a.b")],
                [Field("Same"), Field("same")],
                [Field("Home", "choice")],
                [Field("Home", "choice", "a", "A")],
                [Field("Home", "castle")],
            }
        )
        {
            Assert.Equal(400, (await ada.RefusedAsync("/api/practice", await SettingsAsync(ada, fields), "ownFields", HttpMethod.Put)).Status);
        }

        foreach (var name in new[] { "a\0b", new string('x', 5000) })
        {
            var answer = await ada.SendAsync(HttpMethod.Put, "/api/practice", await SettingsAsync(ada, new[] { Field(name) }));
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        }
    }

    [Fact]
    public async Task Dates_the_practice_keeps_are_offered_each_once_and_the_birthday_always()
    {
        var ada = await site.SignedInAsync("ada");
        var body = await SettingsAsync(ada, Fields);
        body["keyDates"] = JsonSerializer.SerializeToNode(new[] { "Lease ends", " lease  ends ", "renewal" });
        await ada.DoAsync("/api/practice", body, HttpMethod.Put);
        Assert.Equal(
            ["birthday", "lease ends", "renewal"],
            (await ada.GetAsync("/api/session")).GetProperty("keyDates").EnumerateArray().Select(d => d.GetString())
        );
        var import = (await ada.DoAsync("/api/imports", Member.File("Name;Lease ends\nOwn Dates;2028-05-01\n"u8.ToArray(), "dates.csv"))).GetProperty("id").GetString();
        Assert.Equal(
            ["full_name", "date:lease ends"],
            (await ada.GetAsync($"/api/imports/{import}")).GetProperty("columns").EnumerateArray().Select(c => c.GetProperty("field").GetString())
        );
        body["keyDates"] = JsonSerializer.SerializeToNode(new[] { new string('x', 41) });
        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", body, "keyDates", HttpMethod.Put)).Status);
        Assert.Equal(
            ["birthday", "client since", "yearly review", "policy renewal", "mortgage fixed until"],
            (await (await site.SignedInAsync("ada2")).GetAsync("/api/session")).GetProperty("keyDates").EnumerateArray().Select(d => d.GetString())
        );
    }

    [Fact]
    public async Task Another_practice_has_fields_of_its_own()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Fields);
        var stranger = await site.SignedInAsync("ada2");
        Assert.Empty((await stranger.GetAsync("/api/session")).GetProperty("ownFields").EnumerateArray());
        Assert.Equal(0, (await stranger.GetAsync("/api/practice/fields/uses?key=Home")).GetProperty("people").GetInt32());
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.SendAsync(HttpMethod.Put, "/api/practice", await SettingsAsync(tomas, Fields))).StatusCode);
    }
}
