using Germinal.Channels.Mail;
using Germinal.Service.Incoming;
using Germinal.Store;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging.Abstractions;
using MimeKit;

namespace Germinal.Service.Tests;

/// <summary>A mailbox read by IMAP, against Debian's dovecot on loopback; ./test installs it.</summary>
public sealed class ImapTests(Dovecot dovecot) : IClassFixture<Dovecot>
{
    private MailServer Server(string password = "right") => dovecot.Server(password: password);

    private Task DeliverAsync(params MimeMessage[] messages) => dovecot.DeliverAsync("box", null, messages);

    private static MimeMessage Answer(string to, string id, string text)
    {
        var message = new MimeMessage
        {
            Subject = "Re: Hello",
            MessageId = id,
            InReplyTo = to,
            Body = new TextPart("plain") { Text = text },
        };
        message.From.Add(new MailboxAddress("Ida Rowan", "ida@example.com"));
        message.To.Add(new MailboxAddress("Ada Quill", "ada@example.com"));
        return message;
    }

    private static MailboxReader Reader(World world, IDbContextFactory<GerminalDb>? reception = null) =>
        new(
            world.Database,
            new MailReception(reception ?? world.Database, world.Replies),
            new Engine.Secrets(new EphemeralDataProtectionProvider()),
            new ImapDoor(new ServerLine(true)),
            NullLogger<MailboxReader>.Instance
        );

    [Fact]
    public async Task Answers_in_a_mailbox_find_back_by_what_they_answer_and_are_read_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "P",
            "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}],\"stopsWhen\":[{\"kind\":\"replied\"}]",
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"b"},{"id":"b","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Later","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await DeliverAsync(
            Answer(world.Mail.Sent.Single().MessageId!, "one@example.com", "Yes"),
            Answer("unknown@example.net", "two@example.com", "And one more thing")
        );
        for (var i = 0; i < 2; i++)
        {
            Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        }

        await world.WorkAsync();
        await using var db = world.Db();
        var received = await db.Received.OrderBy(r => r.Id).ToListAsync();
        Assert.Equal(["Yes", "And one more thing"], received.Select(r => r.Text));
        Assert.NotNull(received[0].TouchId);
        Assert.Null(received[1].TouchId);
        Assert.All(received, r => Assert.Equal(ida.Id, r.PersonId));
        Assert.Equal("replied", (await db.Runs.SingleAsync()).StopReason);
        await DeliverAsync(Answer("x@example.net", "three@example.com", "Third"));
        Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        Assert.Equal(3, await db.Received.CountAsync());
    }

    [Fact]
    public async Task A_message_that_cannot_be_taken_in_stays_unread_is_told_and_holds_up_none_after_it()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida");
        await DeliverAsync(Answer("x@example.net", "bad@example.com", "First"), Answer("x@example.net", "good@example.com", "Second"));
        var trouble = await Reader(world, new FailsFirst(world.Database)).ReadAsync(world.Practice, Server(), default);
        Assert.Contains("“Re: Hello” could not be taken in", trouble, StringComparison.Ordinal);
        await using var db = world.Db();
        Assert.Equal(["Second"], await db.Received.Select(r => r.Text).ToListAsync());
        Assert.Equal(trouble, (await db.Providers.AsNoTracking().SingleAsync()).Trouble);

        // It is still unread, and taken in as soon as that works.
        Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        Assert.Equal(["Second", "First"], await db.Received.OrderBy(r => r.Id).Select(r => r.Text).ToListAsync());
        Assert.Null((await db.Providers.AsNoTracking().SingleAsync()).Trouble);
    }

    [Fact]
    public async Task A_mailbox_that_refuses_the_password_is_one_line_with_the_servers_words()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        for (var i = 0; i < 2; i++)
        {
            Assert.Contains("does not let “box” in", await Reader(world).ReadAsync(world.Practice, Server("wrong"), default), StringComparison.Ordinal);
        }

        await using (var db = world.Db())
        {
            var line = await db.Providers.SingleAsync();
            Assert.Equal("mail-in", line.Name);
            Assert.Contains("authentication failed", line.Trouble, StringComparison.OrdinalIgnoreCase);
        }

        Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        await using var after = world.Db();
        Assert.Null((await after.Providers.SingleAsync()).Trouble);
    }
}
