using System.Net;
using System.Text.Json;
using Germinal.Service.Inquiries;
using Germinal.Service.Incoming;
using Germinal.Service.Mails;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using MimeKit;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Inquiries: who gets them, what is done about them, how long they wait (rule 17.6).</summary>
public sealed class InquiriesApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<(string Id, string Person)> AskAsync(Member member, string name, string text = "What would a plan cost?", string more = "@example.com")
    {
        var taken = await member.DoAsync("/api/inquiries", new { name = $"{name} Asks", email = $"{name.ToLowerInvariant()}{more}", how = "phone", text });
        return (taken.GetProperty("id").GetString()!, taken.GetProperty("person").GetString()!);
    }

    private static async Task<JsonElement?> LineAsync(Member member, string id, string query = "")
    {
        var found = (await member.GetAsync("/api/inquiries" + query)).GetProperty("rows").EnumerateArray().Where(r => r.GetProperty("id").GetString() == id).ToList();
        return found.Count == 0 ? null : found[0];
    }

    [Fact]
    public async Task One_is_taken_in_by_hand_of_somebody_new_found_or_known()
    {
        var ada = await site.SignedInAsync("ada");
        var (first, person) = await AskAsync(ada, "Hanna");
        var (second, same) = await AskAsync(ada, "Hanna", "And another thing");
        Assert.Equal(person, same);
        var third = await ada.DoAsync("/api/inquiries", new { person, how = "hand", text = "At the door" });
        Assert.Equal(person, third.GetProperty("person").GetString());
        var line = (await LineAsync(ada, first))!.Value;
        Assert.Equal("new", line.GetProperty("whatTheyAre").GetString()!.Split(" · ")[0]);
        Assert.NotNull(await LineAsync(ada, second));
        Assert.Equal(400, (await ada.RefusedAsync("/api/inquiries", new { name = "", text = "x" }, "name")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/inquiries", new { name = "X", email = "no", text = "x" }, "email")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/inquiries", new { name = "X", how = "smoke", text = "x" }, "how")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/inquiries", new { name = "X", text = " " }, "text")).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync("/api/inquiries", new { person = Guid.NewGuid(), text = "x" })).StatusCode);
    }

    [Fact]
    public async Task Ten_calls_at_once_of_one_caller_are_of_one_person()
    {
        var ada = await site.SignedInAsync("ada");
        await Task.WhenAll(Enumerable.Range(0, 10).Select(i => AskAsync(ada, "Tenfold", $"Call {i}")));
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == "tenfold@example.com");
        Assert.Equal(10, await db.Inquiries.CountAsync(i => i.PersonId == person.Id));
    }

    [Fact]
    public async Task An_answer_goes_by_mail_once_into_the_thread_of_theirs_and_ends_it()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, person) = await AskAsync(ada, "Mailer");
        await using (var db = site.Db())
        {
            var received = new ReceivedRow { PracticeId = site.Practice, PersonId = Guid.Parse(person), Channel = "email", Kind = "reply", FromAddress = "mailer@example.com", Subject = "Your fees", At = Site.Now, Key = "mail/abc.1@example.com" };
            db.Received.Add(received);
            await db.SaveChangesAsync();
            await db.Inquiries.Where(i => i.Id == Guid.Parse(id)).ExecuteUpdateAsync(u => u.SetProperty(i => i.ReceivedId, received.Id));
        }

        Assert.Equal(400, (await ada.RefusedAsync($"/api/inquiries/{id}/answer", new { }, "words")).Status);
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/inquiries/{id}/answer", new { words = "Dear Mailer,\n\nnothing at first." })));
        Assert.Single(answers, a => a.StatusCode == HttpStatusCode.NoContent);
        Assert.Equal(9, answers.Count(a => a.StatusCode == HttpStatusCode.Conflict));
        await using var after = site.Db();
        var mail = await after.OwnMails.SingleAsync(m => m.InquiryId == Guid.Parse(id));
        Assert.Equal(("Re: Your fees", "abc.1@example.com", OwnMailKinds.Written), (mail.Subject, mail.InReplyTo, mail.Kind));
        var practice = await Service.Engine.PracticeReading.LoadAsync(after, default);
        using var message = OwnMail.Build(mail, practice.Members.First(m => m.Id == mail.MemberId), practice.Zone, "answer.x@example.com");
        Assert.Equal(("abc.1@example.com", "abc.1@example.com"), (message.InReplyTo, message.References.Single()));
        Assert.Equal("answer.x@example.com", message.ReplyTo.Mailboxes.Single().Address);
        var inquiry = await after.Inquiries.SingleAsync(i => i.Id == Guid.Parse(id));
        Assert.Equal((InquiryOutcomes.Wrote, "Ada Quill"), (inquiry.Outcome, inquiry.AnsweredBy));
        Assert.Null(await LineAsync(ada, id));
        var answered = await ada.GetAsync("/api/inquiries/answered");
        Assert.Contains(answered.GetProperty("rows").EnumerateArray(), r => r.GetProperty("id").GetString() == id);
        Assert.True(answered.GetProperty("times").GetProperty("answered").GetInt32() > 0);
        Assert.Contains("nothing at first", (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").ToString(), StringComparison.Ordinal);

        // What they answer to it comes back to them, by the address alone.
        var replies = site.Services.GetRequiredService<Channels.Mail.ReplyAddresses>();
        using var back = new MimeMessage { Subject = "Re: Your fees", Body = new TextPart("plain") { Text = "Thank you!" } };
        back.From.Add(new MailboxAddress("", "quite.another@example.com"));
        back.InReplyTo = OwnMail.MessageIdOf(mail, practice.Members.First(m => m.Id == mail.MemberId));
        await site.Services.GetRequiredService<MailReception>().TakeAsync(back, replies.Of(Channels.Mail.ReplyUse.Answer, mail.Id) is { } address ? [address] : [], null, default);
        var came = await after.Received.SingleAsync(r => r.OwnMailId == mail.Id);
        Assert.Equal(Guid.Parse(person), came.PersonId);
    }

    [Fact]
    public async Task A_letter_is_filled_in_for_them_and_what_may_not_go_says_why()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync("/api/letters", new { name = "First answer", subject = "For {{ person.first_name }}", body = "<p>Dear {{ person.first_name }}</p>" });
        var letter = (await ada.GetAsync("/api/letters")).EnumerateArray().First(l => l.GetProperty("name").GetString() == "First answer").GetProperty("id").GetString();
        var (id, person) = await AskAsync(ada, "Letta");
        var ready = await ada.DoAsync($"/api/inquiries/{id}/ready", new { letter });
        Assert.Equal("For Letta", ready.GetProperty("subject").GetString());
        await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = true, reason = "asked us to" });
        Assert.Contains("do not contact", (await ada.RefusedAsync($"/api/inquiries/{id}/answer", new { letter }, "letter")).Message, StringComparison.Ordinal);
        Assert.Contains("do not contact", (await ada.GetAsync($"/api/inquiries/{id}")).GetProperty("mayNotWrite").GetString(), StringComparison.Ordinal);

        var (other, otherPerson) = await AskAsync(ada, "Gone");
        await using var db = site.Db();
        db.Suppressions.Add(new SuppressionRow { PracticeId = site.Practice, Address = "gone@example.com", Reason = "bounced", At = Site.Now });
        await db.SaveChangesAsync();
        Assert.Contains("bounced", (await ada.RefusedAsync($"/api/inquiries/{other}/answer", new { words = "x" }, "words")).Message, StringComparison.Ordinal);
        Assert.False(await db.OwnMails.AnyAsync(m => m.PersonId == Guid.Parse(person) || m.PersonId == Guid.Parse(otherPerson)));
    }

    [Fact]
    public async Task A_call_ends_it_where_they_were_reached_and_only_touches_it_where_not()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, person) = await AskAsync(ada, "Caller");
        await ada.DoAsync($"/api/inquiries/{id}/called", new { reached = false, remark = "engaged" });
        Assert.True((await LineAsync(ada, id))!.Value.GetProperty("touched").GetBoolean());
        await ada.DoAsync($"/api/inquiries/{id}/called", new { reached = true });
        Assert.Null(await LineAsync(ada, id));
        await using var db = site.Db();
        Assert.Equal(InquiryOutcomes.Called, (await db.Inquiries.SingleAsync(i => i.Id == Guid.Parse(id))).Outcome);

        // A call of one's own does so too.
        var (second, _) = await AskAsync(ada, "Caller", "Once more");
        await ada.DoAsync($"/api/people/{person}/tasks", new { kind = "call", title = "Ring", due = "2027-03-01" });
        var task = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("tasks")[0].GetProperty("id").GetString();
        await ada.DoAsync($"/api/tasks/{task}/done", new { outcome = "spoke" });
        Assert.Null(await LineAsync(ada, second));
    }

    [Fact]
    public async Task What_is_marked_can_be_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, _) = await AskAsync(ada, "Marked");
        await ada.DoAsync($"/api/inquiries/{id}/nothing");
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/inquiries/{id}/answered")).StatusCode);
        await ada.DoAsync($"/api/today/waiting/i{id}/unseen");
        Assert.NotNull(await LineAsync(ada, id));
    }

    [Fact]
    public async Task A_mail_to_the_inquiry_address_is_one_and_what_no_person_wrote_is_none()
    {
        var ada = await site.SignedInAsync("ada");
        var kept = await ada.DoAsync("/api/giving", new { address = "Inquiries@Practice.example.com", word = "ASK" }, HttpMethod.Put);
        Assert.Equal("inquiries@practice.example.com", kept.GetProperty("address").GetString());
        var stranger = await site.SignedInAsync("ada2");
        Assert.Contains("taken", (await stranger.RefusedAsync("/api/giving", new { address = "inquiries@practice.example.com" }, "address", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { word = "STOP" }, "word", HttpMethod.Put)).Status);
        var reception = site.Services.GetRequiredService<MailReception>();
        async Task MailAsync(string from, string subject, Action<MimeMessage>? more = null)
        {
            using var message = new MimeMessage { Subject = subject, Body = new TextPart("plain") { Text = "What does a plan cost?" } };
            message.From.Add(new MailboxAddress("Petra Post", from));
            message.To.Add(new MailboxAddress("", "inquiries@practice.example.com"));
            more?.Invoke(message);
            await reception.TakeAsync(message, ["inquiries@practice.example.com"], null, default);
            await reception.TakeAsync(message, ["inquiries@practice.example.com"], null, default);
        }

        await MailAsync("petra.post@example.com", "A plan");
        await MailAsync("away@example.com", "Out of office", m => m.Headers.Add("Auto-Submitted", "auto-replied"));
        await MailAsync("news@example.com", "Our news", m => m.Headers.Add("List-Unsubscribe", "<https://example.com/u>"));
        await MailAsync("ada@example.com", "From ourselves");
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == "petra.post@example.com");
        Assert.Equal(("Petra", "Post"), (person.FirstName, person.LastName));
        var inquiry = await db.Inquiries.SingleAsync(i => i.PersonId == person.Id);
        Assert.Equal(("email", "A plan\nWhat does a plan cost?"), (inquiry.How, inquiry.Text));
        Assert.NotNull(inquiry.ReceivedId);
        Assert.False(await db.People.AnyAsync(p => p.Email == "away@example.com" || p.Email == "news@example.com" || p.Email == "ada@example.com"));

        // It stands once, among the inquiries, and is answered in its thread.
        Assert.DoesNotContain((await ada.GetAsync("/api/today")).GetProperty("waiting").EnumerateArray(), w => w.GetProperty("id").GetString() == $"m{inquiry.ReceivedId}");
        await ada.DoAsync($"/api/inquiries/{inquiry.Id}/answer", new { words = "Nothing at first." });
        Assert.Equal("Re: A plan", (await db.OwnMails.SingleAsync(m => m.InquiryId == inquiry.Id)).Subject);

        // The same by a text with the word.
        var texts = site.Services.GetRequiredService<TextReception>();
        await db.Practices.Where(p => p.Id == site.Practice).LoadAsync();
        db.People.Add(new PersonRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, FirstName = "Tess", Mobile = "+12075550177", AddedAt = Site.Now });
        await db.SaveChangesAsync();
        foreach (var (key, body) in new[] { ("t1", "ask: may I call you?"), ("t2", "asking for nothing"), ("t1", "ask: may I call you?") })
        {
            await texts.TakeAsync(new Channels.Texts.GatewayNews("message.received", key, From: "+12075550177", Body: body), default);
        }

        var tess = await db.People.SingleAsync(p => p.Mobile == "+12075550177");
        Assert.Equal("text", (await db.Inquiries.SingleAsync(i => i.PersonId == tess.Id)).How);
    }

    [Fact]
    public async Task No_other_practice_sees_or_touches_one()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, _) = await AskAsync(ada, "Secret");
        var stranger = await site.SignedInAsync("ada2");
        Assert.Null(await LineAsync(stranger, id));
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync($"/api/inquiries/{id}")).StatusCode);
        foreach (var act in new[] { "answered", "nothing", "touched", "called", "give", "answer", "ready" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/inquiries/{id}/{act}", new { })).StatusCode);
        }

        Assert.NotNull(await LineAsync(ada, id));
    }
}

/// <summary>Who gets inquiries, on a site of its own: the rules are the practice's.</summary>
public sealed class GivingApiTests(Site site) : IClassFixture<Site>
{
    private static object Body(params object[] rules) => new { rules, reached = Array.Empty<object>(), lateDays = 3, veryLateDays = 5, deputyAfterHours = 4 };

    private async Task<Dictionary<string, Guid>> MembersAsync()
    {
        await using var db = site.Db();
        return await db.Users.Where(u => u.PracticeId == site.Practice).ToDictionaryAsync(u => u.Email!.Split('@')[0], u => u.Id);
    }

    private static async Task<(string? Owner, string Why)> AskAsync(Member member, string name)
    {
        var taken = await member.DoAsync("/api/inquiries", new { name = $"{name} Given", email = $"{name.ToLowerInvariant()}@example.com", text = "x" });
        var line = (await member.GetAsync($"/api/inquiries/{taken.GetProperty("id").GetString()}")).GetProperty("line");
        return (line.GetProperty("owner").GetString(), line.GetProperty("givenWhy").GetString()!);
    }

    [Fact]
    public async Task The_first_rule_that_names_somebody_who_is_there_decides_and_the_deputy_gets_what_nobody_touches()
    {
        var ada = await site.SignedInAsync("ada");
        var who = await MembersAsync();
        var (tomas, wren) = (who["tomas"], who["wren"]);

        // In turn among two.
        await ada.DoAsync("/api/giving", Body(new { form = (Guid?)null, topic = (string?)null, area = (string?)null, to = "in-turn", members = new[] { tomas, wren } }), HttpMethod.Put);
        var turns = new List<string?>();
        for (var i = 0; i < 2; i++)
        {
            turns.Add((await AskAsync(ada, $"Turn{i}")).Owner);
        }

        Assert.Equal(new[] { tomas.ToString(), wren.ToString() }.Order(StringComparer.Ordinal), turns.OfType<string>().Order(StringComparer.Ordinal));

        // Whoever is away has none; their absence is their own or a principal's to say.
        var wrens = await site.SignedInAsync("wren");
        Assert.Equal(HttpStatusCode.Forbidden, (await wrens.PostAsync("/api/giving/absences", new { member = tomas, from = "2027-03-01", until = "2027-03-03" })).StatusCode);
        Assert.Equal(400, (await wrens.RefusedAsync("/api/giving/absences", new { from = "2027-03-03", until = "2027-03-01" }, "from")).Status);
        var absence = (await wrens.DoAsync("/api/giving/absences", new { from = "2027-03-01", until = "2027-03-03" })).GetProperty("id").GetString();
        for (var i = 0; i < 3; i++)
        {
            Assert.Equal(tomas.ToString(), (await AskAsync(ada, $"Away{i}")).Owner);
        }

        // Where nobody of a rule is there, whoever stands in; the sentence says so.
        await ada.DoAsync("/api/giving", new { rules = new[] { new { form = (Guid?)null, topic = (string?)null, area = (string?)null, to = "first", members = new[] { wren } } }, lateDays = 3, veryLateDays = 5, deputyAfterHours = 4, deputies = new[] { new { member = wren, deputy = tomas } } }, HttpMethod.Put);
        var (owner, why) = await AskAsync(ada, "Standin");
        Assert.Equal(tomas.ToString(), owner);
        Assert.Contains("who is away", why, StringComparison.Ordinal);
        await wrens.DoAsync($"/api/giving/absences/{absence}", null, HttpMethod.Delete);

        // Nobody touches it for four working hours: the deputy gets it, and both are told. Touched, it stays.
        var taken = await ada.DoAsync("/api/inquiries", new { name = "Untouched Given", email = "untouched@example.com", text = "x" });
        var touched = await ada.DoAsync("/api/inquiries", new { name = "Touched Given", email = "touched@example.com", text = "x" });
        var (id, other) = (taken.GetProperty("id").GetGuid(), touched.GetProperty("id").GetGuid());
        await ada.DoAsync($"/api/inquiries/{other}/touched");
        await using var db = site.Db();

        // Asked at a quarter past eight, before the practice is reached: four hours after nine.
        Assert.Equal(Instant.FromUtc(2027, 3, 1, 18, 0), (await db.Inquiries.AsNoTracking().SingleAsync(i => i.Id == id)).DeputyAt);
        await InquiryGiving.DeputiesAsync(site.Database, site.Practice, Instant.FromUtc(2027, 3, 1, 17, 59), default);
        Assert.Equal(wren, (await db.Inquiries.AsNoTracking().SingleAsync(i => i.Id == id)).OwnerId);
        var both = await Task.WhenAll(Enumerable.Range(0, 5).Select(_ => InquiryGiving.DeputiesAsync(site.Database, site.Practice, Instant.FromUtc(2027, 3, 1, 18, 0), default)));
        Assert.Contains(true, both);
        Assert.Equal(tomas, (await db.Inquiries.AsNoTracking().SingleAsync(i => i.Id == id)).OwnerId);
        Assert.Equal(wren, (await db.Inquiries.AsNoTracking().SingleAsync(i => i.Id == other)).OwnerId);
        var told = await db.Notices.Where(n => n.Key!.StartsWith($"deputy/{id}")).Select(n => n.MemberId).ToListAsync();
        Assert.Equal(new Guid?[] { tomas, wren }.Order(), told.Order());

        // By hand into other hands: theirs to touch, and told.
        await ada.DoAsync($"/api/inquiries/{id}/give", new { member = wren });
        Assert.Equal(400, (await ada.RefusedAsync($"/api/inquiries/{id}/give", new { member = Guid.NewGuid() }, "member")).Status);
        Assert.True(await db.Notices.AnyAsync(n => n.MemberId == wren && n.Text == "Ada Quill gave you an inquiry."));
    }

    [Fact]
    public async Task What_cannot_be_kept_is_said_at_its_place_and_only_a_principal_keeps_it()
    {
        var ada = await site.SignedInAsync("ada");
        var wren = await site.SignedInAsync("wren");
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Put, "/api/giving", Body())).StatusCode);
        object Rule(string to, Guid[] members, string? topic = null, Guid? form = null) => new { form, topic, area = (string?)null, to, members };
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", Body(Rule("nobody", [])), "rules[0]", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", Body(Rule("first", [])), "rules[0]", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", Body(Rule("first", [Guid.NewGuid()])), "rules[0]", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", Body(Rule("who-knows-them", [], form: Guid.NewGuid())), "rules[0]", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", Body(Rule("who-knows-them", [], "no topic")), "rules[0]", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { reached = new[] { new { day = "mon", from = "18:00", to = "09:00" } } }, "reached", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { lateDays = 5, veryLateDays = 3 }, "lateDays", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { deputyAfterHours = -1 }, "deputyAfterHours", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { colour = "green" }, "colour", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/giving", new { picture = "/i/" + Guid.NewGuid() }, "picture", HttpMethod.Put)).Status);
        var kept = await ada.DoAsync("/api/giving", new { reached = new[] { new { day = "mon", from = "10:00", to = "12:00" } }, colour = "#AA3300" }, HttpMethod.Put);
        Assert.Equal("#aa3300", kept.GetProperty("colour").GetString());
    }

    [Fact]
    public void Times_that_are_late_turn_by_working_days()
    {
        // Friday half past four, on a clock two days of which are no working days.
        var practice = Service.Engine.PracticeReading.Read(new PracticeRow { Name = "P", ZoneId = "America/New_York" }, []);
        var received = Instant.FromUtc(2027, 2, 26, 21, 30);
        var settings = new PracticeSettings();
        int At(int day, int hour, int minute = 0) => ReachedHours.Lateness(settings, practice, received, Instant.FromUtc(2027, 3, day, hour, minute));
        Assert.Equal((0, 0, 1, 1, 2), (At(1, 15), At(3, 21, 29), At(3, 21, 30), At(5, 21, 29), At(5, 21, 30)));
    }
}
