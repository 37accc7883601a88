using System.Text;
using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Service.Incoming;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Mail and texts that are larger, deeper or stranger than anybody writes; and whose they are.</summary>
public sealed class HostileMailTests
{
    private static MimeMessage Mail(string from, string subject, TextPart body) =>
        new([new MailboxAddress("Ida", from)], [new MailboxAddress("us", "us@example.com")], subject, body) { MessageId = $"{Guid.NewGuid():N}@example.com" };

    [Fact]
    public async Task Long_mail_is_kept_to_a_length_with_the_whole_beside_it()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var words = string.Concat(Enumerable.Repeat("all the words there are, ", 40_000));
        await new MailReception(world.Database, world.Replies).TakeAsync(
            Mail("ida@example.com", new string('s', 9_000), new TextPart("plain") { Text = words }),
            [],
            world.Practice,
            default
        );
        await using var db = world.Db();
        var row = await db.Received.SingleAsync();
        Assert.Equal((ida.Id, true, true), (row.PersonId, row.Text.Length <= IncomingText.Most, row.Subject.Length <= IncomingText.Line));
        var whole = await db.ReceivedFiles.SingleAsync();
        Assert.Equal(row.Id, whole.ReceivedId);
        using var again = MimeMessage.Load(new MemoryStream(whole.Content));
        Assert.Equal(words.Trim(), again.TextBody!.Replace("\r\n", "", StringComparison.Ordinal).Replace("\n", "", StringComparison.Ordinal).Trim());

        // What a person writes needs no file.
        await new MailReception(world.Database, world.Replies).TakeAsync(
            Mail("ida@example.com", "Yes", new TextPart("plain") { Text = "Yes, please." }),
            [],
            world.Practice,
            default
        );
        Assert.Equal(1, await db.ReceivedFiles.CountAsync());
    }

    [Theory]
    [InlineData("deep"), InlineData("fonts"), InlineData("quotes"), InlineData("nul"), InlineData("encoding"), InlineData("half a character")]
    public async Task Strange_mail_is_taken_in(string what)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida");
        using var message = what switch
        {
            "deep" => Mail("ida@example.com", "deep", new TextPart("html") { Text = string.Concat(Enumerable.Repeat("<div>", 25_000)) + "words" }),
            "fonts" => Mail(
                "ida@example.com",
                "fonts",
                new TextPart("html") { Text = string.Concat(Enumerable.Range(0, 25_000).Select(i => $"<p><font size={i}>words ")) }
            ),
            "quotes" => Mail("ida@example.com", "quotes", new TextPart("plain") { Text = string.Concat(Enumerable.Repeat("> words\n\n", 11_000)) }),
            "nul" => Mail("ida@example.com", "n\0ul", new TextPart("plain") { Text = "wo\0rds" }),
            "encoding" => Raw(
                "From: ida@example.com\r\nMessage-ID: <e@example.com>\r\nSubject: =?utf-8?B?////?= \xff\xfe\r\nContent-Type: text/plain; charset=no-such-thing\r\n\r\nwords \xff\xfe\xed\xa0\x80\r\n"
            ),
            _ => Mail("ida@example.com", "half \ud800", new TextPart("plain") { Text = "words" }),
        };
        await new MailReception(world.Database, world.Replies).TakeAsync(message, [], world.Practice, default);
        await world.WorkAsync();
        await using var db = world.Db();
        var row = await db.Received.SingleAsync();
        Assert.Contains("words", row.Text + row.Quoted, StringComparison.Ordinal);
        Assert.DoesNotContain('\0', row.Text + row.Subject);
        Assert.NotEmpty(await db.Events.Where(e => e.Kind == Engine.EventKinds.Replied && e.HandledAt != null).ToListAsync());
    }

    private static MimeMessage Raw(string text) => MimeMessage.Load(new MemoryStream(Encoding.Latin1.GetBytes(text)));

    private static async Task<Guid> OtherPracticeAsync(World world, string mobile)
    {
        var (other, _, _) = await world.Database.PracticeAsync(World.At("2027-03-01T10:00"), "2");
        await using var db = world.Database.For(other);
        db.People.Add(
            new PersonRow
            {
                Id = Guid.NewGuid(),
                PracticeId = other,
                FirstName = "Ida",
                Mobile = mobile,
                Email = "ida@example.com",
                AddedAt = World.At("2027-01-01T10:00"),
            }
        );
        await db.SaveChangesAsync();
        return other;
    }

    [Fact]
    public async Task A_text_belongs_to_whose_number_it_came_to_else_to_the_only_one_that_shares_the_installations_else_to_nobody()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida");
        var other = await OtherPracticeAsync(world, "+12075550101");
        await using (var db = world.Database.For(other))
        {
            await db.Database.ExecuteSqlAsync(
                $$"""UPDATE practices SET settings = settings || '{"textNumber":"+12075550199"}'::jsonb WHERE id = {{other}}"""
            );
        }

        var reception = new TextReception(world.Database, world.Texts);
        await reception.TakeAsync(new GatewayNews("message.received", "1", From: "+12075550101", Body: "Hello", To: "+12075550199"), default);
        await reception.TakeAsync(new GatewayNews("message.received", "2", From: "+12075550101", Body: "For whom?"), default);
        await reception.TakeAsync(new GatewayNews("message.received", "3", From: "+19995550101", Body: "Who am I?"), default);
        await using var all = world.Database.CreateDbContext();
        var rows = await all.Received.IgnoreQueryFilters().OrderBy(r => r.Id).Select(r => new { r.PracticeId, r.Text }).ToListAsync();
        Assert.Equal([(other, "Hello"), (world.Practice, "Who am I?")], rows.Select(r => (r.PracticeId, r.Text)));

        // Where two share it, nobody can tell.
        await world.Database.PracticeAsync(World.At("2027-03-01T10:00"), "3");
        await reception.TakeAsync(new GatewayNews("message.received", "4", From: "+19995550102", Body: "And I?"), default);
        Assert.Equal(2, await all.Received.IgnoreQueryFilters().CountAsync());
    }

    [Fact]
    public async Task Mail_that_came_to_no_mailbox_and_is_about_no_letter_belongs_to_nobody()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida");
        using var message = Mail("ida@example.com", "Hello", new TextPart("plain") { Text = "Hello" });
        await new MailReception(world.Database, world.Replies).TakeAsync(message, [], null, default);
        await using var db = world.Database.CreateDbContext();
        Assert.Equal(0, await db.Received.IgnoreQueryFilters().CountAsync());
    }

    [Fact]
    public async Task Rule_10_6_stop_counts_for_everybody_of_the_number_and_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var bo = await world.PersonAsync("Bo");
        var other = await OtherPracticeAsync(world, "+12075550101");
        var reception = new TextReception(world.Database, world.Texts);
        for (var i = 0; i < 3; i++)
        {
            await reception.TakeAsync(new GatewayNews("message.received", "1", From: "+12075550101", Body: "Stop."), default);
        }

        await using var db = world.Database.CreateDbContext();
        var said = await db.Consent.IgnoreQueryFilters().Where(c => c.Channel == "text").ToListAsync();
        Assert.Equal(3, said.Count);
        Assert.All(said, c => Assert.True(!c.IsIn && c.Purpose == null));
        Assert.Superset(new HashSet<Guid> { ida.Id, bo.Id }, said.Select(c => c.PersonId).ToHashSet());
        Assert.Contains(said, c => c.PracticeId == other);

        // A number nobody has is left alone by everybody from now on.
        await reception.TakeAsync(new GatewayNews("message.received", "2", From: "+19995550155", Body: "STOP"), default);
        Assert.Equal(2, await db.Suppressions.IgnoreQueryFilters().CountAsync(s => s.Address == "+19995550155"));
    }

    [Fact]
    public async Task Repeated_openings_are_counted_and_simultaneous_follows_make_one_call()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "P",
            "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]",
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"<p><a href=\"https://example.com/\" data-call=\"Ask\">x</a></p>"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        var touch = (await world.TouchesAsync()).Single().Id;
        await using var db = world.Db();
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, World.At("2027-03-01T11:00")));
        var visits = new LinkVisits(world.Database);
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => Task.Run(() => visits.FollowedAsync(touch, 0, "Browser", false, default))));
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => Task.Run(() => visits.OpenedAsync(touch, "Browser", false, default))));
        Assert.Equal(1, await db.Tasks.CountAsync());
        Assert.Equal([10, 10], await db.Visits.Select(v => v.Count).ToListAsync());
        Assert.Equal(1, await db.Events.CountAsync(e => e.Kind == Engine.EventKinds.LinkFollowed));
        Assert.Equal(1, await db.Events.CountAsync(e => e.Kind == Engine.EventKinds.Opened));

        // Followed again the next day is news, and sets nothing off a second time.
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, World.At("2027-03-02T11:00")));
        await visits.FollowedAsync(touch, 0, "Browser", false, default);
        Assert.Equal(2, await db.Events.CountAsync(e => e.Kind == Engine.EventKinds.LinkFollowed));
        Assert.Equal(1, await db.Tasks.CountAsync());
    }

    [Theory]
    [
        InlineData("127.0.0.1", true),
        InlineData("10.1.2.3", true),
        InlineData("172.16.0.1", true),
        InlineData("192.168.1.1", true),
        InlineData("169.254.169.254", true),
        InlineData("100.64.0.1", true),
        InlineData("0.0.0.0", true)
    ]
    [
        InlineData("::1", true),
        InlineData("fe80::1", true),
        InlineData("fd00::1", true),
        InlineData("::ffff:127.0.0.1", true),
        InlineData("203.0.113.7", false),
        InlineData("2001:db8::1", false),
        InlineData("172.32.0.1", false)
    ]
    public void Addresses_inside_are_told_from_those_outside(string address, bool inside) =>
        Assert.Equal(inside, ServerLine.IsPrivate(System.Net.IPAddress.Parse(address)));

    [Fact]
    public async Task A_practices_server_on_this_machine_is_refused_and_no_banner_comes_back()
    {
        using var server = new BreakingServer { CutAt = "EHLO" };
        using var message = Mail("ada@example.com", "s", new TextPart("plain") { Text = "t" });
        using var http = new HttpClient();
        using var strict = new SmtpTransport(new MailServer("127.0.0.1", 1, 1, null), http, new ServerLine(false));
        foreach (var host in new[] { "127.0.0.1", "localhost", "::1" })
        {
            var answer = await strict.SendAsync(message, null, new MailServer(host, server.Port, 1, null, "none"), default);
            Assert.True(answer.IsAway);
            Assert.Contains("private network", answer.Words, StringComparison.Ordinal);
        }

        Assert.Equal(0, server.Connections);
        using var open = new SmtpTransport(new MailServer("127.0.0.1", 1, 1, null), http, new ServerLine(true));
        var words = (await open.SendAsync(message, null, new MailServer("127.0.0.1", server.Port, 1, null, "none"), default)).Words;
        Assert.DoesNotContain("220", words, StringComparison.Ordinal);
        Assert.Contains("does not speak as a mail server", words, StringComparison.Ordinal);
    }
}
