using Germinal.Channels.Texts;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What comes in by mail, text and link, from the message to what the engine makes of it, on PostgreSQL.</summary>
public sealed class IncomingTests
{
    private const string OnWarm = "\"at\":\"09:30\",\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";
    private const string Hello =
        """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"<p>See <a href=\"https://example.com/guide\" data-name=\"guide\" data-tag=\"reader\" data-call=\"Ask how it helped\" data-call-in=\"P2D\" data-program=\"Next\" data-opportunity=\"Planning/Inquiry\">the guide</a></p>"}""";
    private const string Later = """{"id":"later","kind":"email","when":{"from":"start","offset":"P5D"},"subject":"Later","body":"b"}""";
    private const string Text = """{"id":"text","kind":"text","when":{"from":"start","offset":"P0D"},"body":"Hello {{ person.first_name }}"}""";

    /// <summary>Somebody to whom the first letter (and text) of a program has just gone.</summary>
    private static async Task<(World World, Guid Ida)> WrittenToAsync(string more, string steps, bool texts = false)
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Next", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", Later);
        await world.ProgramAsync("Eight", more, steps);
        if (texts)
        {
            await world.DoAsync(d => d.AddConsentAsync(ida.Id, "text", "commercial", null, true, "express", "said so", null, default));
        }

        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        return (world, ida.Id);
    }

    private static MimeMessage Mail(World world, string file)
    {
        var id = world.Mail.Sent.First().MessageId;
        var text = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "Mail", file)).Replace("ORIGINAL@example.com", id, StringComparison.Ordinal);
        return MimeMessage.Load(new MemoryStream(System.Text.Encoding.UTF8.GetBytes(text)));
    }

    private static MailReception Reception(World world) => new(world.Database, world.Replies);

    private static async Task<string?> StopReasonAsync(World world)
    {
        await using var db = world.Db();
        return await db.Runs.Where(r => db.Programs.Any(p => p.Id == r.ProgramId && p.Name == "Eight")).Select(r => r.StopReason).SingleAsync();
    }

    [Fact]
    public async Task Rule_6_1_an_answer_by_mail_stops_and_is_kept_with_what_is_new()
    {
        var (world, ida) = await WrittenToAsync(OnWarm + ",\"stopsWhen\":[{\"kind\":\"replied\",\"channel\":\"email\"}]", $"{Hello},{Later}");
        await using var _ = world;
        for (var i = 0; i < 2; i++)
        {
            // The same message delivered twice is one.
            await Reception(world).TakeAsync(Mail(world, "reply-quoted.eml"), [], null, default);
        }

        await world.WorkAsync();
        Assert.Equal("replied", await StopReasonAsync(world));
        await using var db = world.Db();
        var received = await db.Received.SingleAsync();
        Assert.Equal((ida, "reply", "Thursday at ten would suit me.\n\nIda"), (received.PersonId, received.Kind, received.Text));
        Assert.NotEmpty(received.Quoted);
        Assert.Null(received.SeenAt);
        Assert.Equal(World.At("2027-03-01T10:00"), (await db.States.SingleAsync()).LastReplyAt);
    }

    [Fact]
    public async Task Whom_a_letter_names_is_told_of_its_answers_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        Guid tomas;
        await using (var members = world.Db())
        {
            tomas = await members.Users.Where(u => u.PracticeId == world.Practice && u.Name.StartsWith("Tomas")).Select(u => u.Id).SingleAsync();
        }

        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Eight", OnWarm, Hello.Replace("\"kind\":\"email\"", $"\"kind\":\"email\",\"replyTo\":\"{tomas}\"", StringComparison.Ordinal));
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await Reception(world).TakeAsync(Mail(world, "reply-quoted.eml"), [], null, default);
        await Reception(world).TakeAsync(Mail(world, "reply-quoted.eml"), [], null, default);
        await using var db = world.Db();
        var notice = Assert.Single(await db.Notices.AsNoTracking().Where(n => n.Kind == "answer").ToListAsync());
        Assert.Equal((tomas, ida.Id), (notice.MemberId, notice.PersonId));
        Assert.StartsWith("Ida", notice.Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task It_is_the_version_a_letter_went_by_that_names_somebody()
    {
        var (world, _) = await WrittenToAsync(OnWarm, Hello);
        await using var __ = world;
        await using (var db = world.Db())
        {
            var program = await db.Programs.SingleAsync(p => p.Name == "Eight");
            program.Draft = program.Draft.Replace("\"kind\":\"email\"", "\"kind\":\"email\",\"replyTo\":\"practice\"", StringComparison.Ordinal);
            Assert.Equal(2, await Service.Programs.ProgramDesk.PublishAsync(db, program, "Ada Quill", await world.NowAsync(), default));
            Assert.Contains("replyTo", program.Draft, StringComparison.Ordinal);
        }

        await Reception(world).TakeAsync(Mail(world, "reply-quoted.eml"), [], null, default);
        await using var after = world.Db();
        Assert.Single(await after.Received.ToListAsync());
        Assert.DoesNotContain(await after.Notices.ToListAsync(), n => n.Kind == "answer");
    }

    [Fact]
    public async Task An_answer_from_another_address_finds_back_by_the_address_it_was_sent_to()
    {
        var (world, ida) = await WrittenToAsync(OnWarm, Hello);
        await using var _ = world;
        var sent = world.Mail.Sent.First();
        using var answer = new MimeMessage
        {
            Subject = "About Thursday",
            MessageId = "x@example.net",
            Body = new TextPart("plain") { Text = "Yes" },
        };
        answer.From.Add(new MailboxAddress("Office", "office@example.net"));
        await Reception(world).TakeAsync(answer, [sent.ReplyTo.Mailboxes.Single().Address.ToUpperInvariant()], null, default);
        await using var db = world.Db();
        Assert.Equal(ida, (await db.Received.SingleAsync()).PersonId);
    }

    [Fact]
    public async Task An_automatic_answer_stops_nothing()
    {
        var (world, _) = await WrittenToAsync(OnWarm + ",\"stopsWhen\":[{\"kind\":\"replied\"}]", $"{Hello},{Later}");
        await using var __ = world;
        await Reception(world).TakeAsync(Mail(world, "auto-rfc3834.eml"), [], null, default);
        await world.MoveToAsync("2027-03-10T10:00");
        Assert.Equal(2, world.Mail.Sent.Count);
        await using var db = world.Db();
        Assert.Equal("automatic", (await db.Received.SingleAsync()).Kind);
        Assert.Null((await db.States.SingleAsync()).LastReplyAt);
    }

    [Theory]
    [InlineData("dsn-hard.eml", "suppressed"), InlineData("dsn-rfc3464-e1.eml", null)]
    public async Task A_hard_bounce_leaves_the_address_alone_a_soft_one_does_not(string file, string? reason)
    {
        var (world, _) = await WrittenToAsync(OnWarm, $"{Hello},{Later}");
        await using var __ = world;
        await Reception(world).TakeAsync(Mail(world, file), [], null, default);
        await world.MoveToAsync("2027-03-10T10:00");
        var later = (await world.TouchesAsync()).Single(t => t.StepId == "later");
        Assert.Equal(reason, later.Reason);
        await using var db = world.Db();
        Assert.Equal(reason is null ? "soft" : "hard", (await db.Messages.SingleAsync(m => m.Subject == "Hello")).Bounce);
    }

    [Fact]
    public async Task Rule_10_6_a_complaint_takes_effect_at_once()
    {
        var (world, _) = await WrittenToAsync(OnWarm, $"{Hello},{Later}");
        await using var __ = world;
        await Reception(world).TakeAsync(Mail(world, "arf-rfc5965-b1.eml"), [], null, default);
        await world.WorkAsync();
        Assert.Equal("nothing-left-to-send", await StopReasonAsync(world));
        await using var db = world.Db();
        Assert.False((await db.Consent.OrderByDescending(c => c.Id).FirstAsync()).IsIn);
        Assert.Equal("complained", (await db.Suppressions.SingleAsync()).Reason);
    }

    [Fact]
    public async Task Mail_of_somebody_unknown_waits_with_a_guess_whose_it_is()
    {
        var (world, ida) = await WrittenToAsync(OnWarm, Hello);
        await using var _ = world;
        using var mail = new MimeMessage
        {
            Subject = "Question",
            MessageId = "q@example.net",
            Body = new TextPart("plain") { Text = "May I ask" },
        };
        mail.From.Add(new MailboxAddress("Ida Rowan", "ida.rowan@example.net"));
        await Reception(world).TakeAsync(mail, [], world.Practice, default);
        await using var db = world.Db();
        var received = await db.Received.SingleAsync();
        Assert.Equal((null, ida), (received.PersonId, received.GuessId));
    }

    [Theory]
    [
        InlineData("Stop.", "opt-out", "opted-out"),
        InlineData(" opt out ", "opt-out", "opted-out"),
        InlineData("Stop by on Monday", "reply", null),
        InlineData("HELP", "help", null)
    ]
    public async Task Rule_10_6_words_that_end_texts(string body, string kind, string? reason)
    {
        var (world, ida) = await WrittenToAsync(
            OnWarm,
            $"{Text},{Later.Replace("\"email\"", "\"text\"", StringComparison.Ordinal).Replace("\"subject\":\"Later\",", "", StringComparison.Ordinal)},{Hello.Replace("P0D", "P9D", StringComparison.Ordinal)}",
            texts: true
        );
        await using var _ = world;
        Assert.Equal("Hello Ida", Assert.Single(world.Texts.Sent).Body);
        await new TextReception(world.Database, world.Texts).TakeAsync(new GatewayNews("message.received", "in-1", null, "+12075550101", body), default);
        await world.MoveToAsync("2027-03-20T10:00");
        var later = (await world.TouchesAsync()).Single(t => t.StepId == "later");
        Assert.Equal(reason, later.Reason);
        await using var db = world.Db();
        var received = await db.Received.SingleAsync();
        Assert.Equal((ida, kind), (received.PersonId!.Value, received.Kind));
        Assert.Equal(
            kind == "help" ? 3
                : reason is null ? 2
                : 1,
            world.Texts.Sent.Count
        );
        if (kind == "help")
        {
            Assert.Contains(world.Texts.Sent, t => t.Body.Contains("Alder Quay Planning", StringComparison.Ordinal));
        }
    }

    [Fact]
    public async Task A_keyword_starts_a_program_and_start_gives_consent_back()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Guide", "\"startsWhen\":[{\"kind\":\"text-keyword\",\"word\":\"guide\"}]", Text);
        var reception = new TextReception(world.Database, world.Texts);
        await reception.TakeAsync(new GatewayNews("message.received", "in-1", null, "+12075550101", "start"), default);
        await reception.TakeAsync(new GatewayNews("message.received", "in-2", null, "+12075550101", "Guide!"), default);
        await world.WorkAsync();
        Assert.Equal("Hello Ida", Assert.Single(world.Texts.Sent).Body);
        Assert.Equal(ida.Id, (await world.TouchesAsync())[0].PersonId);
    }

    [Fact]
    public async Task A_text_of_an_unknown_number_waits_with_a_guess_and_a_number_that_does_not_exist_is_left_alone()
    {
        var (world, ida) = await WrittenToAsync(
            OnWarm,
            $"{Text},{Text.Replace("\"id\":\"text\"", "\"id\":\"again\"", StringComparison.Ordinal).Replace("P0D", "P5D", StringComparison.Ordinal)}",
            texts: true
        );
        await using var _ = world;
        var reception = new TextReception(world.Database, world.Texts);
        await reception.TakeAsync(new GatewayNews("message.received", "in-1", null, "+13125550101", "It is me"), default);
        var id = "gw-" + world.Texts.Sent.First().Key;
        await reception.TakeAsync(new GatewayNews("message.delivered", id), default);
        await reception.TakeAsync(new GatewayNews("message.failed", id, Permanent: true, Reason: "no such number"), default);
        await world.MoveToAsync("2027-03-10T10:00");
        Assert.Equal("suppressed", (await world.TouchesAsync()).Single(t => t.StepId == "again").Reason);
        await using var db = world.Db();
        var received = await db.Received.SingleAsync();
        Assert.Equal((null, ida), (received.PersonId, received.GuessId));
        Assert.NotNull((await db.Messages.SingleAsync()).DeliveredAt);
    }

    [Fact]
    public async Task Rule_11_5_a_followed_link_sets_off_what_stands_in_it_once_and_a_machine_sets_off_nothing()
    {
        var (world, _) = await WrittenToAsync(
            OnWarm,
            $$"""{{Hello}},{"id":"f","kind":"fork","when":{"from":"previous","offset":"P1D"},"if":{"kind":"link-followed","step":"hello","link":"guide"},"within":"P5D","then":[{"id":"yes","kind":"tell-me","body":"{{"{{ person.first_name }}"}} has read it"}],"else":[]}"""
        );
        await using var __ = world;
        var touch = (await world.TouchesAsync())[0].Id;
        var visits = new LinkVisits(world.Database);
        Assert.Equal("https://example.com/guide", await visits.FollowedAsync(touch, 0, "Mozilla/5.0", false, default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            Assert.True((await db.Visits.SingleAsync()).ByMachine, "it came in the same second");
            Assert.Empty(await db.Tasks.ToListAsync());
        }

        await world.MoveToAsync("2027-03-02T12:00");
        await visits.FollowedAsync(touch, 0, "Mozilla/5.0", false, default);
        await visits.FollowedAsync(touch, 0, "Mozilla/5.0", false, default);
        await visits.FollowedAsync(touch, 0, "SomeScanner/1.0", false, default);
        Assert.Null(await visits.FollowedAsync(touch, 7, "Mozilla/5.0", false, default));
        await world.WorkAsync();
        await using var after = world.Db();
        var person = await after.People.SingleAsync();
        Assert.Contains("reader", person.Tags);
        Assert.Equal("Planning/Inquiry", person.Stage);
        var task = await after.Tasks.SingleAsync();
        Assert.Equal(("call", "Ask how it helped", new LocalDate(2027, 3, 4), world.Ada), (task.Kind, task.Title, task.Due, task.MemberId!.Value));
        Assert.Equal(1, await after.Opportunities.CountAsync());
        Assert.Equal(1, await after.Runs.CountAsync(r => r.ProgramId == after.Programs.Single(p => p.Name == "Next").Id));
        Assert.Equal("Ida has read it", (await after.Notices.SingleAsync()).Text);
        Assert.Equal(World.At("2027-03-02T12:00"), (await after.Messages.SingleAsync(m => m.TouchId == touch)).OpenedAt);
        Assert.Equal([(true, 2), (false, 2)], (await after.Visits.OrderBy(v => v.Id).ToListAsync()).Select(v => (v.ByMachine, v.Count)));
    }

    [Fact]
    public async Task A_letter_opened_is_news_once()
    {
        var (world, _) = await WrittenToAsync(OnWarm, Hello);
        await using var __ = world;
        var touch = (await world.TouchesAsync())[0].Id;
        await world.MoveToAsync("2027-03-01T13:00");
        var visits = new LinkVisits(world.Database);
        await visits.OpenedAsync(touch, "", true, default);
        await visits.OpenedAsync(touch, "Mozilla/5.0", false, default);
        await visits.OpenedAsync(touch, "Mozilla/5.0", false, default);
        await using var db = world.Db();
        Assert.Equal(1, await db.Events.CountAsync(e => e.Kind == EventKinds.Opened));
        Assert.Equal([(true, 1), (false, 2)], (await db.Visits.OrderBy(v => v.Id).ToListAsync()).Select(v => (v.ByMachine, v.Count)));
    }

    [Theory]
    [InlineData(0, true), InlineData(299, true), InlineData(301, false), InlineData(-301, false)]
    public void A_webhook_is_genuine_while_it_is_fresh_and_unaltered(int age, bool genuine)
    {
        var signer = new WebhookSigner([1, 2, 3]);
        var now = Instant.FromUtc(2027, 3, 1, 12, 0);
        var time = now.ToUnixTimeSeconds() - age;
        var signature = signer.Sign("n1", time, "{}");
        Assert.Equal(genuine, signer.IsGenuine("n1", $"{time}", "v1,wrong " + signature, "{}", now));
        Assert.False(signer.IsGenuine("n1", $"{time}", signature, "{ }", now));
        Assert.False(signer.IsGenuine("n2", $"{time}", signature, "{}", now));
        Assert.False(signer.IsGenuine("n1", $"{time + 1}", signature, "{}", now));
        Assert.False(new WebhookSigner([1, 2, 4]).IsGenuine("n1", $"{time}", signature, "{}", now));
        Assert.False(signer.IsGenuine(null, null, null, "{}", now));
    }
}
