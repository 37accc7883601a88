using System.IO.Compression;
using System.Net;
using System.Text;
using System.Text.Json;
using Germinal.Channels;
using Germinal.Channels.Texts;
using Germinal.Service.Incoming;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using MimeKit;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Opportunities, appointments, inquiries, what comes in, settings, merging, handing out and erasing, through the real pipeline.</summary>
public sealed class LiveApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member ada, string first, string? mobile = null) => (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = first,
                    lastName = "Live",
                    email = $"{first.ToLowerInvariant()}@example.com",
                    mobile,
                }
            )
        ).GetProperty("id").GetString()!;

    private static async Task<string[]> ThreadAsync(Member ada, string person) =>
        [.. (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray().Select(l => l.GetProperty("title").GetString()!)];

    [Fact]
    public async Task An_opportunity_is_opened_moved_and_lost_for_a_reason()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Opal");
        Assert.Equal(
            400,
            (await ada.RefusedAsync($"/api/people/{person}/opportunities", new { title = "A plan", stage = "Planning/Nowhere" }, "stage")).Status
        );
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = "A plan", stage = "Planning/Inquiry" });
        var opened = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0];
        var id = opened.GetProperty("id").GetString();
        await ada.DoAsync($"/api/opportunities/{id}/stage", new { stage = "Planning/Client" });
        Assert.Equal("Planning/Client", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());
        Assert.Contains(
            "why it was lost",
            (await ada.RefusedAsync($"/api/opportunities/{id}/close", new { won = false }, "reason")).Message,
            StringComparison.Ordinal
        );
        await ada.DoAsync($"/api/opportunities/{id}/close", new { won = false, reason = "timing" });
        await site.WorkAsync();
        Assert.Contains("“A plan” was lost", await ThreadAsync(ada, person));
        Assert.Equal(404, (int)(await ada.PostAsync($"/api/opportunities/{id}/close", new { won = true })).StatusCode);
        await using var db = site.Db();
        Assert.Equal("timing", (await db.People.SingleAsync(p => p.Id == Guid.Parse(person))).LostReason);
    }

    [Fact]
    public async Task A_ledger_kept_elsewhere_is_shown_first_and_then_added_and_goes_out_again()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Ledger");
        using var content = Member.File(
            Encoding.UTF8.GetBytes(
                "email,channel,decision,at,source\nledger@example.com,post,in,2026-05-04,form\nnobody@example.com,post,in,2026-05-04,form\n"
            ),
            "consent.csv"
        );
        async Task<JsonElement> SendAsync(string query)
        {
            using var form = Member.File(await content.First().ReadAsByteArrayAsync(), "consent.csv");
            return await ada.DoAsync("/api/consent-files" + query, form);
        }

        var shown = await SendAsync("");
        Assert.Equal(
            (1, false, 3),
            (shown.GetProperty("new").GetInt32(), shown.GetProperty("written").GetBoolean(), shown.GetProperty("problems")[0].GetProperty("line").GetInt32())
        );
        Assert.DoesNotContain(
            "post",
            await (await ada.SendAsync(HttpMethod.Get, $"/api/people/{person}/consent.csv")).Content.ReadAsStringAsync(),
            StringComparison.Ordinal
        );
        Assert.True((await SendAsync("?write=true")).GetProperty("written").GetBoolean());
        Assert.Equal(1, (await SendAsync("?write=true")).GetProperty("known").GetInt32());
        var file = await (await ada.SendAsync(HttpMethod.Get, $"/api/people/{person}/consent.csv")).Content.ReadAsStringAsync();
        Assert.Equal("ledger@example.com,,post,commercial,,in,express,2026-05-04T04:00:00Z,form,,", file.Split("\r\n")[1]);
        Assert.Equal(400, (await ada.RefusedAsync("/api/consent-files", Member.File([], "empty.csv"), "file")).Status);
    }

    [Fact]
    public async Task A_touch_that_lacks_consent_is_let_go_with_a_reason_and_a_no_never()
    {
        var ada = await site.SignedInAsync("ada");
        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "Overruled",
            """[{"id":"r","kind":"email","when":{"from":"start","offset":"P2D"},"subject":"Once","body":"b"}]""",
            "{}"
        );
        async Task<(string Person, string Touch)> PlannedAsync(string name)
        {
            var person = await PersonAsync(ada, name);
            await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
            await site.WorkAsync();
            await using var db = site.Db();
            return (person, (await db.Touches.SingleAsync(t => t.PersonId == Guid.Parse(person))).Id.ToString());
        }

        async Task<bool> CanAsync((string Person, string Touch) t) => (await ada.GetAsync($"/api/touches/{t.Touch}")).GetProperty("canOverrule").GetBoolean();
        var lacking = await PlannedAsync("Lacking");
        Assert.True(await CanAsync(lacking));
        Assert.Contains(
            "Write why",
            (await ada.RefusedAsync($"/api/touches/{lacking.Touch}/overrule", new { person = lacking.Person, reason = " " }, "reason")).Message,
            StringComparison.Ordinal
        );
        await ada.DoAsync($"/api/touches/{lacking.Touch}/overrule", new { person = lacking.Person, reason = "asked for it at the door" });
        await site.WorkAsync();
        Assert.False(await CanAsync(lacking));
        Assert.Contains("A message was let go without consent", await ThreadAsync(ada, lacking.Person));

        var refused = await PlannedAsync("Refuser");
        await ada.DoAsync(
            $"/api/people/{refused.Person}/consent",
            new
            {
                channel = "email",
                @in = false,
                reason = "told me",
            }
        );
        await site.WorkAsync();
        Assert.False(await CanAsync(refused));
    }

    [Fact]
    public async Task An_appointment_starts_a_reminder_that_moves_with_it()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Appo");
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        await PeopleApiTests.ProgramAsync(
            ada,
            "Reminder",
            """[{"id":"r","kind":"email","when":{"from":"occasion","offset":"-PT24H"},"subject":"Tomorrow","body":"b"}]""",
            """{"purpose":"transactional","startsWhen":[{"kind":"appointment","type":"review","offset":"-P7D"}]}"""
        );
        Assert.Equal(400, (await ada.RefusedAsync($"/api/people/{person}/appointments", new { type = "review", at = "soon" }, "at")).Status);
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "review", at = "2027-03-04T10:00" });
        await site.WorkAsync();
        async Task<Instant> DueAsync()
        {
            await using var db = site.Db();
            return (await db.Touches.SingleAsync(t => t.PersonId == Guid.Parse(person))).Due;
        }

        Assert.Equal(Instant.FromUtc(2027, 3, 3, 15, 0), await DueAsync());
        var id = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("appointments")[0].GetProperty("id").GetString();
        await ada.DoAsync($"/api/appointments/{id}/move", new { at = "2027-03-16T10:00" });
        await site.WorkAsync();

        // The clocks change on 14 March; a day before stays 24 elapsed hours before.
        Assert.Equal(Instant.FromUtc(2027, 3, 15, 14, 0), await DueAsync());
        await ada.DoAsync($"/api/appointments/{id}/cancel");
        await site.WorkAsync();
        await using var after = site.Db();
        Assert.Equal("appointment-cancelled", (await after.Runs.SingleAsync(r => r.PersonId == Guid.Parse(person))).StopReason);
    }

    [Fact]
    public async Task An_inquiry_waits_on_the_day_sheet_until_it_is_answered()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Inka");
        Assert.Equal(400, (await ada.RefusedAsync($"/api/people/{person}/inquiries", new { how = "pigeon", text = "x" }, "how")).Status);
        await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = "What would a plan cost?" });
        async Task<JsonElement[]> WaitingAsync() =>
            [
                .. (await ada.GetAsync("/api/today"))
                    .GetProperty("waiting")
                    .EnumerateArray()
                    .Where(w => w.GetProperty("person").ValueKind == JsonValueKind.Object && w.GetProperty("person").GetProperty("id").GetString() == person),
            ];
        var waiting = Assert.Single(await WaitingAsync());
        Assert.Equal("inquiry", waiting.GetProperty("kind").GetString());
        await ada.DoAsync($"/api/today/waiting/{waiting.GetProperty("id").GetString()}/seen");
        Assert.Empty(await WaitingAsync());
        await site.WorkAsync();
        Assert.Contains("Their inquiry was answered", await ThreadAsync(ada, person));
    }

    [Fact]
    public async Task A_forged_link_is_404_a_forged_webhook_401_and_of_two_practices_neither_is_told()
    {
        var ada = await site.SignedInAsync("ada");
        var nobody = await site.NobodyAsync();
        foreach (var path in new[] { "/l/AAAA", "/o/AAAA.gif", "/p/AAAA", "/c/AAAA", "/u/AAAA" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync(path)).StatusCode);
        }

        using var request = new HttpRequestMessage(HttpMethod.Post, "/hooks/texts")
        {
            Content = new StringContent(
                "{\"type\":\"message.received\",\"id\":\"x\",\"from\":\"+12075550101\",\"body\":\"STOP\"}",
                Encoding.UTF8,
                "application/json"
            ),
        };
        request.Headers.Add("webhook-id", "n1");
        request.Headers.Add("webhook-timestamp", DateTimeOffset.UtcNow.ToUnixTimeSeconds().ToString(System.Globalization.CultureInfo.InvariantCulture));
        request.Headers.Add("webhook-signature", "v1,AAAA");
        Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.Http.SendAsync(request)).StatusCode);
        await using var db = site.Database.CreateDbContext();
        var notices = await db.Notices.IgnoreQueryFilters().Where(n => n.Kind == "forgery").ToListAsync();
        Assert.Empty(notices);
        Assert.Equal(0, await db.Received.IgnoreQueryFilters().CountAsync(r => r.Key == "text/x"));
        _ = ada;
    }

    [Fact]
    public async Task A_signed_text_of_somebody_unknown_is_given_to_whom_it_belongs()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Tess", "+13035550177");
        var body = JsonSerializer.Serialize(new GatewayNews("message.received", "in-77", null, "+12125550177", "This is my new number", To: "+12075550100"));
        await using (var own = site.Db())
        {
            await own.Database.ExecuteSqlAsync(
                $$"""UPDATE practices SET settings = settings || '{"textNumber":"+12075550100"}'::jsonb WHERE id = {{site.Practice}}"""
            );
        }

        var signer = site.Services.GetRequiredService<WebhookSigner>();
        var time = DateTimeOffset.UtcNow.ToUnixTimeSeconds();
        using var request = new HttpRequestMessage(HttpMethod.Post, "/hooks/texts") { Content = new StringContent(body, Encoding.UTF8, "application/json") };
        request.Headers.Add("webhook-id", "n77");
        request.Headers.Add("webhook-timestamp", time.ToString(System.Globalization.CultureInfo.InvariantCulture));
        request.Headers.Add("webhook-signature", signer.Sign("n77", time, body));
        Assert.Equal(HttpStatusCode.NoContent, (await (await site.NobodyAsync()).Http.SendAsync(request)).StatusCode);
        await using var db = site.Database.CreateDbContext();
        var row = await db.Received.IgnoreQueryFilters().SingleAsync(r => r.Key == "text/in-77");
        Assert.Equal((site.Practice, Guid.Parse(person)), (row.PracticeId, row.GuessId));
        await ada.DoAsync($"/api/today/waiting/m{row.Id}/belongs", new { person });
        await site.WorkAsync();
        Assert.Contains("Answered by text", await ThreadAsync(ada, person));
    }

    [Fact]
    public async Task People_choose_what_they_get_on_their_own_page()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Prefa");
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        await using (var db = site.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == site.Practice);
            practice.Settings = Copy(practice.Settings, ["Market letter", "School fees"]);
            await db.SaveChangesAsync();
        }

        var links = site.Services.GetRequiredService<PublicLinks>();
        var page = new Uri(links.Preferences(Guid.Parse(person))).AbsolutePath;
        var nobody = await site.NobodyAsync();
        var shown = await nobody.Http.GetStringAsync(page);
        Assert.Contains("School fees", shown, StringComparison.Ordinal);
        Assert.DoesNotContain("By text", shown, StringComparison.Ordinal);
        var answer = await nobody.Http.PostAsync(page, new FormUrlEncodedContent(new Dictionary<string, string> { ["email"] = "yes", ["email.0"] = "yes" }));
        Assert.Contains("kept like this", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        await using (var db = site.Db())
        {
            var last = await db.Consent.Where(c => c.PersonId == Guid.Parse(person)).OrderByDescending(c => c.Id).FirstAsync();
            Assert.Equal(("School fees", false), (last.Topic, last.IsIn));
        }

        // Pressed again as it stands, nothing is written.
        var again = await nobody.Http.PostAsync(page, new FormUrlEncodedContent(new Dictionary<string, string> { ["email"] = "yes", ["email.0"] = "yes" }));
        Assert.Contains("Nothing was changed", await again.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        await nobody.Http.PostAsync(page, new FormUrlEncodedContent(new Dictionary<string, string> { ["x"] = "" }));
        Assert.Equal("no", (await ada.GetAsync($"/api/people/{person}")).GetProperty("mayWe")[0].GetProperty("allowed").GetString());
    }

    private static PracticeSettings Copy(PracticeSettings s, List<string> topics) =>
        new()
        {
            HolidaysOf = s.HolidaysOf,
            PostalAddress = s.PostalAddress,
            OpenChannels = s.OpenChannels,
            Pipelines = s.Pipelines,
            Topics = topics,
        };

    [Fact]
    public async Task Settings_are_the_principals_to_change_and_say_what_would_be_right()
    {
        var ada = await site.SignedInAsync("ada");
        var now = await ada.GetAsync("/api/practice");
        object Body(string from = "09:00", int max = 1) =>
            new
            {
                quietFrom = from,
                quietTo = "20:00",
                postalAddress = "12 Quay Lane",
                voice = "we",
                pace = new[]
                {
                    new
                    {
                        max,
                        days = 7,
                        channels = new[] { "email" },
                    },
                },
                dailyLimits = new { text = 100 },
                openChannels = new[] { "call", "post" },
                appointmentTypes = new[] { "review" },
                topics = Array.Empty<string>(),
                seeOpens = false,
                linkParameters = new { utm_source = "letter" },
                keepEventsMonths = 0,
                mailOut = new
                {
                    host = "127.0.0.1",
                    port = 1,
                    security = "none",
                    user = "ada",
                    password = "not-to-be-seen",
                },
            };
        Assert.Contains(
            "narrowed, not widened",
            (await ada.RefusedAsync("/api/practice", Body("07:00"), "quietFrom", HttpMethod.Put)).Message,
            StringComparison.Ordinal
        );
        Assert.Equal(400, (await ada.RefusedAsync("/api/practice", Body(max: 0), "pace", HttpMethod.Put)).Status);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.SendAsync(HttpMethod.Put, "/api/practice", Body())).StatusCode);
        var saved = await ada.DoAsync("/api/practice", Body(), HttpMethod.Put);
        Assert.True(saved.GetProperty("mailOut").GetProperty("hasPassword").GetBoolean());
        Assert.DoesNotContain("not-to-be-seen", saved.GetRawText(), StringComparison.Ordinal);
        await using (var db = site.Db())
        {
            var stored = (await db.Practices.SingleAsync(p => p.Id == site.Practice)).Settings.MailOut!;
            Assert.DoesNotContain("not-to-be-seen", stored.SealedPassword, StringComparison.Ordinal);
        }

        // What stands on the page is tried, not what is kept.
        object Server(int port, string? password = null) =>
            new
            {
                host = "127.0.0.1",
                port,
                security = "none",
                user = "ada",
                password,
            };
        async Task<(bool Worked, string Words)> TryAsync(object server)
        {
            var test = await ada.DoAsync("/api/practice/mail-test", server);
            return (test.GetProperty("worked").GetBoolean(), test.GetProperty("words").GetString()!);
        }

        var (worked, words) = await TryAsync(Server(1));
        Assert.False(worked);
        Assert.Contains("127.0.0.1:1", words, StringComparison.Ordinal);
        Assert.Contains("127.0.0.1:2", (await TryAsync(Server(2, "another"))).Words, StringComparison.Ordinal);
        Assert.Contains("anew", (await ada.RefusedAsync("/api/practice/mail-test", Server(2), "mailOut")).Message, StringComparison.Ordinal);
        Assert.Contains("port from 1", (await ada.RefusedAsync("/api/practice/mail-test", Server(0, "x"), "mailOut")).Message, StringComparison.Ordinal);
        Assert.Contains("anew", (await ada.RefusedAsync("/api/practice/mailbox-test", Server(3), "mailIn")).Message, StringComparison.Ordinal);
        await using (var untouched = site.Db())
        {
            Assert.Equal(1, (await untouched.Practices.SingleAsync(p => p.Id == site.Practice)).Settings.MailOut!.Port);
        }

        _ = now;
        await using var clean = site.Db();
        var row = await clean.Practices.SingleAsync(p => p.Id == site.Practice);
        row.Settings = Copy(row.Settings, ["Market letter", "School fees"]);
        await clean.SaveChangesAsync();
        await Service.Clock.PracticeClock.LookAgainAsync(clean);
    }

    [Fact]
    public async Task What_two_people_differ_in_is_shown_and_chosen_and_goes_back()
    {
        var ada = await site.SignedInAsync("ada");
        var kept = await PersonAsync(ada, "Differa", "+12075550171");
        var other = await PersonAsync(ada, "Differb", "+12075550172");
        await ada.DoAsync("/api/people/stage", new { ids = new[] { other }, stage = "Planning/Client" });
        await ada.DoAsync("/api/people/stage", new { ids = new[] { kept }, stage = "Planning/Inquiry" });
        async Task SetAsync(string id, object fields) =>
            await ada.DoAsync(
                $"/api/people/{id}",
                new { edition = (await ada.GetAsync($"/api/people/{id}")).GetProperty("edition").GetInt32(), fields },
                HttpMethod.Patch
            );
        await SetAsync(kept, new { dates = new { birthday = "--06-14" } });
        await SetAsync(other, new { clearOwner = true, dates = new { birthday = "1975-06-15" } });
        await site.WorkAsync();
        var choices = (await ada.GetAsync($"/api/people/{kept}/merge/{other}"))
            .GetProperty("choices")
            .EnumerateArray()
            .ToDictionary(c => c.GetProperty("key").GetString()!, c => (c.GetProperty("takesOther").GetBoolean(), c.GetProperty("why").GetString()));
        Assert.Equal((true, "the further stage"), choices["stage"]);
        Assert.Equal((false, "the only one there is"), choices["owner"]);
        Assert.Equal((false, "of the one that is kept"), choices["mobile"]);
        Assert.Equal((true, "its year is known"), choices["date:birthday"]);

        var merge = (await ada.DoAsync($"/api/people/{kept}/merge", new { other, take = new[] { "stage", "date:birthday" } })).GetProperty("merge").GetString();
        var one = await ada.GetAsync($"/api/people/{kept}");
        Assert.Equal("Planning/Client", one.GetProperty("stage").GetString());
        Assert.Equal(("+12075550171", "+12075550172"), (one.GetProperty("mobile").GetString(), one.GetProperty("otherPhone").GetString()));
        Assert.Equal("Ada Quill", one.GetProperty("owner").GetString());
        Assert.Equal("1975-06-15", one.GetProperty("dates")[0].GetProperty("date").GetString());

        await ada.DoAsync($"/api/merges/{merge}/undo");
        one = await ada.GetAsync($"/api/people/{kept}");
        Assert.Equal(("Planning/Inquiry", JsonValueKind.Null), (one.GetProperty("stage").GetString(), one.GetProperty("otherPhone").ValueKind));
        Assert.Equal("--06-14", one.GetProperty("dates")[0].GetProperty("date").GetString());
        var two = await ada.GetAsync($"/api/people/{other}");
        Assert.Equal(("Planning/Client", "1975-06-15"), (two.GetProperty("stage").GetString(), two.GetProperty("dates")[0].GetProperty("date").GetString()));
    }

    [Fact]
    public async Task Two_people_become_one_and_two_again()
    {
        var ada = await site.SignedInAsync("ada");
        var kept = await PersonAsync(ada, "Mergea");
        var other = await PersonAsync(ada, "Mergeb", "+12075550144");
        await ada.DoAsync(
            $"/api/people/{kept}/consent",
            new
            {
                channel = "email",
                @in = false,
                reason = "said no",
            }
        );
        await ada.DoAsync(
            $"/api/people/{other}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "said yes later",
            }
        );
        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "Before merging",
            """[{"id":"c","kind":"call","when":{"from":"start","offset":"P9D"},"script":"x"}]""",
            "{}"
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { other }, program });
        await site.WorkAsync();
        var preview = await ada.GetAsync($"/api/people/{kept}/merge/{other}");
        Assert.Equal(1, preview.GetProperty("moves").GetProperty("programs under way").GetInt32());
        var choice = preview.GetProperty("choices").EnumerateArray().Single(c => c.GetProperty("key").GetString() == "mobile");
        Assert.True(choice.GetProperty("takesOther").GetBoolean());
        Assert.Equal("the only one there is", choice.GetProperty("why").GetString());
        var merge = (await ada.DoAsync($"/api/people/{kept}/merge", new { other })).GetProperty("merge").GetString();
        await site.WorkAsync();
        var one = await ada.GetAsync($"/api/people/{kept}");
        Assert.Equal("no", one.GetProperty("mayWe")[0].GetProperty("allowed").GetString());
        Assert.Equal("+12075550144", one.GetProperty("mobile").GetString());
        Assert.Equal(1, one.GetProperty("runs").GetArrayLength());
        Assert.Contains("Mergeb Live was found to be the same person", await ThreadAsync(ada, kept));
        Assert.Equal(409, (int)(await ada.PostAsync($"/api/people/{kept}/merge", new { other })).StatusCode);

        var line = (await ada.GetAsync($"/api/people/{kept}/thread"))
            .GetProperty("past")
            .EnumerateArray()
            .Single(l => l.GetProperty("kind").GetString() == "merged");
        Assert.Equal(merge, line.GetProperty("merge").GetString());
        await ada.DoAsync($"/api/merges/{merge}/undo");
        await site.WorkAsync();
        Assert.Equal(0, (await ada.GetAsync($"/api/people/{kept}")).GetProperty("runs").GetArrayLength());
        var back = await ada.GetAsync($"/api/people/{other}");
        Assert.Equal(1, back.GetProperty("runs").GetArrayLength());
        Assert.Equal("yes", back.GetProperty("mayWe")[0].GetProperty("allowed").GetString());

        // Once something has happened it cannot be taken back.
        var again = (await ada.DoAsync($"/api/people/{kept}/merge", new { other })).GetProperty("merge").GetString();
        await ada.DoAsync(
            "/api/people/start",
            new
            {
                ids = new[] { kept },
                program = await PeopleApiTests.ProgramAsync(
                    ada,
                    "After merging",
                    """[{"id":"c","kind":"call","when":{"from":"start","offset":"P9D"},"script":"x"}]""",
                    "{}"
                ),
            }
        );
        await site.WorkAsync();
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/merges/{again}/undo")).StatusCode);
    }

    [Fact]
    public async Task All_data_is_handed_out_and_erasing_leaves_only_hashes()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Erasa");
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        await using (var db = site.Db())
        {
            var id = Guid.Parse(person);
            db.Messages.Add(
                new MessageRow
                {
                    TouchId = Guid.NewGuid(),
                    PracticeId = site.Practice,
                    PersonId = id,
                    MessageId = "m@example.com",
                    ToAddress = "erasa@example.com",
                    FromName = "Ada Quill",
                    FromAddress = "ada@example.com",
                    Subject = "Grüße",
                    Html = "<p>x</p>",
                    Text = "x",
                    SentAt = Site.Now,
                }
            );
            await db.SaveChangesAsync();
        }

        using var zip = new ZipArchive(new MemoryStream(await ada.Http.GetByteArrayAsync($"/api/people/{person}/export")));
        Assert.Contains(zip.Entries, e => e.Name == "consent.json");
        using var mail = MimeMessage.Load(zip.Entries.Single(e => e.Name.EndsWith(".eml", StringComparison.Ordinal)).Open());
        Assert.Equal("Grüße", mail.Subject);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync($"/api/people/{person}/erase", new { name = "Erasa Live" })).StatusCode);
        Assert.Contains(
            "Erasa Live",
            (await ada.RefusedAsync($"/api/people/{person}/erase", new { name = "Somebody" }, "name")).Message,
            StringComparison.Ordinal
        );
        await ada.DoAsync($"/api/people/{person}/erase", new { name = "erasa live" });
        await using var after = site.Db();
        Assert.False(await after.People.AnyAsync(p => p.Id == Guid.Parse(person)));
        Assert.False(await after.Messages.AnyAsync(m => m.ToAddress == "erasa@example.com"));
        Assert.False(await after.Events.AnyAsync(e => e.PersonId == Guid.Parse(person)));
        var left = await after.Suppressions.SingleAsync(s => s.Reason == "erased");
        Assert.StartsWith("sha256:", left.Address, StringComparison.Ordinal);

        // Brought in again, nothing is sent to them.
        var back = await PersonAsync(ada, "Erasa");
        var facts = await Service.Engine.FactsReading.LoadAsync(after, [Guid.Parse(back)], default);
        Assert.Contains("erasa@example.com", facts[Guid.Parse(back)].Suppressed.AsEnumerable());
    }

    [Fact]
    public async Task Notes_are_printed_as_cards_with_labels_and_calls_stand_in_a_calendar()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Nota");
        await using (var db = site.Db())
        {
            await db
                .People.Where(p => p.Id == Guid.Parse(person))
                .ExecuteUpdateAsync(u =>
                    u.SetProperty(p => p.Address, "1 Mill Lane\nPort Averil, ME 04999")
                        .SetProperty(p => p.OwnerId, db.Users.Single(x => x.Email == "ada@example.com").Id)
                );
        }

        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "Cards",
            """[{"id":"n","kind":"note","when":{"from":"start","offset":"P0D"},"body":"Dear {{ person.first_name }}, ñ é ß"},{"id":"c","kind":"call","when":{"from":"start","offset":"P3D"},"script":"Ask; then, listen"}]""",
            """{"window":{"days":["mon","tue","wed","thu","fri"],"from":"07:00","to":"20:00"}}"""
        );
        Assert.Equal(404, (int)(await ada.Http.GetAsync("/api/notes/print.pdf")).StatusCode);
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        var note = Assert.Single((await ada.GetAsync("/api/notes")).EnumerateArray().ToArray());
        Assert.Equal("Dear Nota, ñ é ß", note.GetProperty("text").GetString());
        var pdf = await ada.Http.GetByteArrayAsync("/api/notes/print.pdf");
        Assert.Equal("%PDF-"u8.ToArray(), pdf[..5]);
        Assert.Equal(
            1,
            (await ada.DoAsync("/api/notes/printed", new { touches = new[] { note.GetProperty("touchId").GetString() } })).GetProperty("count").GetInt32()
        );
        Assert.Equal(404, (int)(await ada.Http.GetAsync("/api/notes/print.pdf")).StatusCode);

        var address = (await ada.DoAsync("/api/calendar-feed")).GetProperty("address").GetString()!;
        var nobody = await site.NobodyAsync();
        var ics = await nobody.Http.GetStringAsync(new Uri(address).AbsolutePath);
        Assert.Contains("SUMMARY:Call Nota Live", ics, StringComparison.Ordinal);
        Assert.Contains("Ask\\; then\\, listen", ics, StringComparison.Ordinal);
        var renewed = (await ada.DoAsync("/api/calendar-feed?renew=true")).GetProperty("address").GetString()!;
        Assert.NotEqual(address, renewed);
        Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync(new Uri(address).AbsolutePath)).StatusCode);
    }

    [Fact]
    public async Task Without_a_worker_the_health_says_so()
    {
        var nobody = await site.NobodyAsync();
        var answer = await nobody.Http.GetAsync("/health/workers");
        Assert.Equal(HttpStatusCode.ServiceUnavailable, answer.StatusCode);
        await using (var db = site.Database.CreateDbContext())
        {
            db.Workers.Add(
                new WorkerRow
                {
                    Id = Guid.NewGuid(),
                    SeenAt = SystemClock.Instance.GetCurrentInstant(),
                    BusySince = SystemClock.Instance.GetCurrentInstant() - Duration.FromMinutes(20),
                }
            );
            await db.SaveChangesAsync();
        }

        Assert.Contains("ten minutes", await nobody.Http.GetStringAsync("/health/workers"), StringComparison.Ordinal);
    }
}
