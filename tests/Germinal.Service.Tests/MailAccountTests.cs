using Germinal.Channels;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.MailAccounts;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging.Abstractions;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Members' own mail accounts: what goes out by them, what is placed among what was sent, what comes in and what does not. The mailboxes are dovecot's.</summary>
public sealed class MailAccountTests(Dovecot dovecot) : IClassFixture<Dovecot>
{
    private const string AtOnce = """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"<p>b</p>"}""";
    private const string OnWarm = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";

    private static MailServerSettings Settings(World world, string host, int port, string user) =>
        new() { Host = host, Port = port, Security = "none", User = user, SealedPassword = world.Secrets.Seal("right") };

    /// <summary>Ada's account, with mailboxes of her own at dovecot.</summary>
    private async Task<string> AccountAsync(World world, bool takesIn = true, int? perDay = null, params string[] privates)
    {
        var user = $"ada{Guid.NewGuid():N}";
        await using var db = world.Db();
        var server = dovecot.Server();
        db.MailAccounts.Add(
            new MailAccountRow
            {
                MemberId = world.Ada,
                PracticeId = world.Practice,
                Address = "ada.quill@example.org",
                Out = Settings(world, "mail.example.org", 465, user),
                In = Settings(world, server.Host, server.Port, user),
                TakesIn = takesIn,
                PerDay = perDay,
                Private = [.. privates],
            }
        );
        await db.SaveChangesAsync();
        await Clock.PracticeClock.ReadAnewAsync(db, default);
        world.Accounts.Forget(world.Practice);
        return user;
    }

    private static MailAccountReader Reader(World world, IDbContextFactory<GerminalDb>? reception = null) =>
        new(world.Database, world.Accounts, new MailReception(reception ?? world.Database, world.Replies), world.Door, NullLogger<MailAccountReader>.Instance);

    private static async Task ReadAsync(World world)
    {
        await using var db = world.Db();
        Assert.Null(await Reader(world).ReadAsync(await db.MailAccounts.AsNoTracking().SingleAsync(), default));
    }

    private static MimeMessage Mail(string from, string to, string subject, string text, string? about = null)
    {
        var message = new MimeMessage { Subject = subject, MessageId = $"{Guid.NewGuid():N}@example.org", Body = new TextPart("plain") { Text = text } };
        message.From.Add(MailboxAddress.Parse(from));
        message.To.Add(MailboxAddress.Parse(to));
        if (about is not null)
        {
            message.InReplyTo = about;
        }

        return message;
    }

    private static async Task<List<string>> ThreadAsync(World world, Guid person)
    {
        await using var db = world.Db();
        return [.. (await db.Events.AsNoTracking().Where(e => e.PersonId == person && (e.Kind == EventKinds.Replied || e.Kind == EventKinds.Wrote)).OrderBy(e => e.Id).ToListAsync()).Select(e => $"{e.Kind}: {e.Data["text"].Trim()}")];
    }

    [Fact]
    public async Task What_a_member_signs_goes_out_by_their_account_and_lies_once_among_what_they_sent()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world);
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("P", OnWarm, AtOnce);
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        var sent = world.Mail.Sent.Single();
        Assert.Equal(("mail.example.org", user, "right", null), (world.Mail.By.Single().Server!.Host, world.Mail.By.Single().Server!.User, world.Mail.By.Single().Server!.Password, world.Mail.By.Single().ReturnPath));
        Assert.Equal("ada.quill@example.org", sent.From.Mailboxes.Single().Address);

        // What is answered comes to her own mailbox, which is read.
        Assert.Empty(sent.ReplyTo);
        Assert.Equal(1, await world.Copies.PlaceDueAsync(default));
        Assert.Equal(0, await world.Copies.PlaceDueAsync(default));
        var placed = Assert.Single(await dovecot.ReadAsync(user, "Sent"));
        Assert.Equal((sent.MessageId, "Hello"), (placed.MessageId, placed.Subject));

        // Kept again, as after a worker that went away between placing and noting: it is there already.
        await world.Copies.KeepAsync(world.Practice, world.Ada, sent, default);
        Assert.Equal(1, await world.Copies.PlaceDueAsync(default));
        Assert.Single(await dovecot.ReadAsync(user, "Sent"));
    }

    [Fact]
    public async Task A_mailbox_that_is_away_keeps_the_copy_and_ten_workers_place_it_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world);
        var mail = Mail("ada.quill@example.org", "ida@example.com", "Once", "x");
        await world.Copies.KeepAsync(world.Practice, world.Ada, mail, default);
        await using var db = world.Db();
        var own = await db.MailAccounts.AsTracking().SingleAsync();
        var (right, wrong) = (own.In, Settings(world, "127.0.0.1", 9, user));
        own.In = wrong;
        await db.SaveChangesAsync();
        world.Accounts.Forget(world.Practice);
        Assert.Equal(0, await world.Copies.PlaceDueAsync(default));
        Assert.Equal(1, await db.SentCopies.CountAsync());
        own.In = right;
        await db.SaveChangesAsync();
        world.Accounts.Forget(world.Practice);
        await db.SentCopies.ExecuteUpdateAsync(u => u.SetProperty(c => c.NextTry, Instant.FromUtc(2020, 1, 1, 0, 0)));
        var placed = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => world.Copies.PlaceDueAsync(default)));
        Assert.Equal(1, placed.Sum());
        Assert.Single(await dovecot.ReadAsync(user, "Sent"));
    }

    [Fact]
    public async Task An_account_that_is_away_holds_up_its_own_letters_and_nobody_elses()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await AccountAsync(world);
        world.Mail.Answers = m => m.From.Mailboxes.Single().Address == "ada.quill@example.org" ? ProviderAnswer.Away("it does not let us in") : new ProviderAnswer(ProviderResult.Sent, "250 kept");
        var (ida, bo) = (await world.PersonAsync("Ida"), await world.PersonAsync("Bo", p => p.OwnerId = world.Tomas));
        await world.ProgramAsync("P", OnWarm, AtOnce);
        await world.DoAsync(d => d.PutTagAsync([ida.Id, bo.Id], "warm", default));
        await world.WorkAsync();
        Assert.Equal(bo.Email, world.Mail.Sent.Single().To.Mailboxes.Single().Address);
        await using var db = world.Db();
        var line = await db.Providers.AsNoTracking().SingleAsync(p => p.Trouble != null);
        Assert.Equal(("mail-out of Ada Quill", "it does not let us in"), (line.Name, line.Trouble));
    }

    /// <summary>Whoever is away, the practice's server or a member's own, is left alone for a while, and not asked once for every letter that is due.</summary>
    [Theory, InlineData(false), InlineData(true)]
    public async Task A_server_that_is_away_is_not_asked_for_each_letter(bool ownAccount)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        if (ownAccount)
        {
            await AccountAsync(world);
        }

        var asked = 0;
        world.Mail.Answers = _ =>
        {
            Interlocked.Increment(ref asked);
            return ProviderAnswer.Away("nobody is there");
        };
        var first = await world.PersonAsync("First");
        await world.ProgramAsync("P", OnWarm, AtOnce);
        await world.DoAsync(d => d.PutTagAsync([first.Id], "warm", default));
        await world.WorkAsync();
        Assert.Equal(1, asked);
        var more = new List<Guid>();
        for (var i = 0; i < 20; i++)
        {
            more.Add((await world.PersonAsync($"P{i}")).Id);
        }

        await world.DoAsync(d => d.PutTagAsync([.. more], "warm", default));
        await world.WorkAsync();
        Assert.InRange(asked, 1, 2);
    }

    [Fact]
    public async Task So_many_a_day_go_out_by_an_account_and_the_rest_on_the_next()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await AccountAsync(world, perDay: 2);
        var people = new List<Guid>();
        for (var i = 0; i < 5; i++)
        {
            people.Add((await world.PersonAsync($"P{i}")).Id);
        }

        var bo = await world.PersonAsync("Bo", p => p.OwnerId = world.Tomas);
        await world.ProgramAsync("P", OnWarm, AtOnce);
        await world.DoAsync(d => d.PutTagAsync([.. people, bo.Id], "warm", default));
        await world.WorkAsync();
        int OfAda() => world.Mail.Sent.Count(m => m.From.Mailboxes.Single().Address == "ada.quill@example.org");
        Assert.Equal((2, 3), (OfAda(), world.Mail.Sent.Count));
        await world.MoveToAsync("2027-03-02T23:00");
        Assert.Equal(4, OfAda());
        await world.MoveToAsync("2027-03-03T23:00");
        Assert.Equal(5, OfAda());
    }

    [Fact]
    public async Task What_known_people_write_and_what_is_written_to_them_comes_in_and_nothing_else_does()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world, privates: ["@bank.example.net", "Rowing club"]);
        var ida = await world.PersonAsync("Ida");
        var bank = await world.PersonAsync("Teller", p => p.Email = "teller@bank.example.net");
        string from = "ada.quill@example.org", to = ida.Email!;

        // What was there before is nobody's business.
        await dovecot.DeliverAsync(user, null, Mail(to, from, "Old", "an old one"));
        await dovecot.DeliverAsync(user, "Sent", Mail(from, to, "Old", "an old one of mine"));
        await ReadAsync(world);
        await dovecot.DeliverAsync(
            user,
            null,
            Mail(to, from, "New", "they wrote"),
            Mail("unknown@example.net", from, "New", "a stranger"),
            Mail(to, from, "The rowing club", "private by a word"),
            Mail(bank.Email!, from, "New", "private by a domain")
        );
        await dovecot.DeliverAsync(
            user,
            "Sent",
            Mail(from, to, "Re: New", "I wrote"),
            Mail(from, "unknown@example.net", "New", "to a stranger"),
            Mail(from, bank.Email!, "New", "to the bank")
        );
        for (var i = 0; i < 3; i++)
        {
            await ReadAsync(world);
        }

        Assert.Equal(["replied: they wrote", "wrote: I wrote"], await ThreadAsync(world, ida.Id));
        Assert.Empty(await ThreadAsync(world, bank.Id));
        await using var db = world.Db();
        Assert.Equal(1, await db.Received.CountAsync());

        // Of a member who is blocked or has left nothing is read.
        var now = Instant.FromUtc(2027, 3, 1, 0, 0);
        await db.Users.Where(u => u.Id == world.Ada).ExecuteUpdateAsync(u => u.SetProperty(m => m.BlockedAt, now));
        await dovecot.DeliverAsync(user, "Sent", Mail(from, to, "Re: New", "after all"));
        await Reader(world).ReadAllAsync(default);
        Assert.Equal(2, (await ThreadAsync(world, ida.Id)).Count);
        await db.Users.Where(u => u.Id == world.Ada).ExecuteUpdateAsync(u => u.SetProperty(m => m.BlockedAt, (Instant?)null));
        await Reader(world).ReadAllAsync(default);
        Assert.Equal(3, (await ThreadAsync(world, ida.Id)).Count);

        // Nothing in the mailbox was changed: what was not read is not read.
        Assert.Equal(5, (await dovecot.ReadAsync(user, "INBOX")).Count);
    }

    [Fact]
    public async Task One_message_that_cannot_be_taken_in_is_told_and_holds_up_none_after_it_and_an_id_without_end_is_cut()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world);
        var ida = await world.PersonAsync("Ida");
        string from = "ada.quill@example.org", to = ida.Email!;
        await ReadAsync(world);
        await dovecot.DeliverAsync(user, null, Mail(to, from, "A bad one", "a"), Mail(to, from, "A good one", "b"));
        var endless = Mail(from, to, "Re: A good one", "c");
        endless.MessageId = $"{string.Concat(Enumerable.Range(0, 200).Select(_ => Guid.NewGuid().ToString("N")))}@example.org";
        await dovecot.DeliverAsync(user, "Sent", endless, Mail(from, to, "And", "d"));
        await using var db = world.Db();
        var trouble = await Reader(world, new FailsFirst(world.Database)).ReadAsync(await db.MailAccounts.AsNoTracking().SingleAsync(), default);
        Assert.Contains("“A bad one” could not be taken in", trouble, StringComparison.Ordinal);
        Assert.Equal(["replied: b", "wrote: c", "wrote: d"], await ThreadAsync(world, ida.Id));
        await ReadAsync(world);
        Assert.Equal(3, (await ThreadAsync(world, ida.Id)).Count);
    }

    [Fact]
    public async Task A_letter_of_ours_in_the_folder_is_told_once_and_an_answer_to_it_stops_its_program()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world);
        await ReadAsync(world);
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("P", OnWarm + ",\"stopsWhen\":[{\"kind\":\"replied\"}]", AtOnce + """,{"id":"b","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Later","body":"b"}""");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await world.Copies.PlaceDueAsync(default);
        await ReadAsync(world);
        Assert.Empty(await ThreadAsync(world, ida.Id));
        await dovecot.DeliverAsync(user, null, Mail(ida.Email!, "ada.quill@example.org", "Re: Hello", "Yes", world.Mail.Sent.Single().MessageId));
        await ReadAsync(world);
        await world.WorkAsync();
        Assert.Equal(["replied: Yes"], await ThreadAsync(world, ida.Id));
        await using var db = world.Db();
        Assert.Equal("replied", (await db.Runs.SingleAsync()).StopReason);
    }

    [Fact]
    public async Task Where_it_is_not_wanted_nothing_comes_in_but_what_came_back()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var user = await AccountAsync(world, takesIn: false);
        await ReadAsync(world);
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("P", OnWarm, AtOnce);
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();

        // Who does not want it read is answered at the installation, as everybody is.
        Assert.NotEmpty(world.Mail.Sent.Single().ReplyTo);
        await dovecot.DeliverAsync(user, null, Mail(ida.Email!, "ada.quill@example.org", "New", "they wrote"), Bounce(world.Mail.Sent.Single(), ida.Email!));
        await ReadAsync(world);
        Assert.Empty(await ThreadAsync(world, ida.Id));
        await using var db = world.Db();
        Assert.NotNull((await db.Messages.SingleAsync()).BouncedAt);
    }

    /// <summary>A report as RFC 3464 has it.</summary>
    private static MimeMessage Bounce(MimeMessage of, string address)
    {
        var status = new MessageDeliveryStatus();
        status.StatusGroups.Add([]);
        status.StatusGroups[0].Add("Reporting-MTA", "dns; mail.example.org");
        status.StatusGroups.Add([]);
        status.StatusGroups[1].Add("Final-Recipient", $"rfc822; {address}");
        status.StatusGroups[1].Add("Action", "failed");
        status.StatusGroups[1].Add("Status", "5.1.1");
        var report = new MultipartReport("delivery-status") { new TextPart("plain") { Text = "It could not be delivered." }, status, new MessagePart { Message = of } };
        var message = new MimeMessage { Subject = "Undelivered", MessageId = $"{Guid.NewGuid():N}@mail.example.org", Body = report };
        message.From.Add(MailboxAddress.Parse("mailer-daemon@mail.example.org"));
        message.To.Add(MailboxAddress.Parse("ada.quill@example.org"));
        return message;
    }
}
