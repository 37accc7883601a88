using Germinal.Channels.Mail;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Sending;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using MimeKit.Cryptography;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The brake, and the keys mail is signed with.</summary>
public sealed class SendingTests
{
    private const string Letter = """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"A","body":"b"}""";

    private static async Task ChangeAsync(World world, Action<PracticeSettings> change)
    {
        await using var db = world.Db();
        await using var transaction = await db.Database.BeginTransactionAsync();
        var settings = await SettingsChange.LockAsync(db, default);
        change(settings.Settings);
        await settings.SaveAsync(default);
        await transaction.CommitAsync();
    }

    private static async Task<bool> LookAsync(World world)
    {
        await using var db = world.Db();
        return await BrakeWatch.LookAsync(db, default);
    }

    /// <summary>One letter that really went, and as many more like it as are wanted.</summary>
    private static async Task<World> SentAsync(int messages)
    {
        var world = await World.AtAsync("2027-03-01T12:00");
        await NewsAsync(world, "Noa");
        await using var db = world.Db();
        var one = await db.Messages.AsNoTracking().SingleAsync();
        foreach (var _ in Enumerable.Range(1, messages - 1))
        {
            db.Messages.Add(new MessageRow
            {
                TouchId = Guid.NewGuid(),
                PracticeId = one.PracticeId,
                PersonId = one.PersonId,
                ProgramId = one.ProgramId,
                StepId = one.StepId,
                MessageId = Guid.NewGuid().ToString("N"),
                ToAddress = one.ToAddress,
                FromName = one.FromName,
                FromAddress = one.FromAddress,
                Subject = one.Subject,
                Html = one.Html,
                Text = one.Text,
                SentAt = one.SentAt,
            });
        }

        await db.SaveChangesAsync();
        return world;
    }

    [Fact]
    public async Task Too_much_that_comes_back_stops_commercial_mail_and_only_that_until_somebody_lets_it_go()
    {
        await using var world = await SentAsync(110);
        Assert.False(await LookAsync(world));
        await using (var db = world.Db())
        {
            var some = await db.Messages.OrderBy(m => m.TouchId).Take(6).Select(m => m.TouchId).ToListAsync();
            await db.Messages.Where(m => some.Contains(m.TouchId)).ExecuteUpdateAsync(u => u.SetProperty(m => m.BouncedAt, World.At("2027-03-01T12:30")));
        }

        // However many look at once, it is stopped and said once.
        var stopped = await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => LookAsync(world)));
        Assert.Single(stopped, s => s);
        await using (var db = world.Db())
        {
            var notice = await db.Notices.SingleAsync(n => n.Kind == "brake");
            Assert.Contains("6 of 110 emails that went came back", notice.Text, StringComparison.Ordinal);
        }

        var news = await world.ProgramAsync("More news", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", Letter);
        var needed = await world.ProgramAsync("Papers", "\"purpose\":\"transactional\",\"startsWhen\":[{\"kind\":\"by-hand\"}]", Letter);
        var ida = await world.PersonAsync("Ida");
        await world.DoAsync(d => d.StartProgramAsync([ida.Id], news, false, default));
        var ole = await world.PersonAsync("Ole");
        await world.DoAsync(d => d.StartProgramAsync([ole.Id], needed, false, default));

        // What is held stands as planned: a moment with it is over, and a clock that is moved goes past it.
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-02T12:00");
        Assert.Equal(2, world.Mail.Sent.Count);
        Assert.Equal(TouchStatus.Planned, (await world.TouchesAsync()).Single(t => t.ProgramId == news).Status);

        await using (var db = world.Db())
        {
            Assert.True(await BrakeWatch.ReleaseAsync(db, World.At("2027-03-02T12:00"), default));
            Assert.False(await BrakeWatch.ReleaseAsync(db, World.At("2027-03-02T12:00"), default));
        }

        await world.WorkAsync();
        Assert.Equal(3, world.Mail.Sent.Count);

        // What went before it was let go counts no more.
        Assert.False(await LookAsync(world));
    }

    [Fact]
    public async Task Who_does_not_want_it_is_not_stopped()
    {
        await using var world = await SentAsync(100);
        await ChangeAsync(world, s => s.Brake.On = false);
        await using var db = world.Db();
        await db.Messages.ExecuteUpdateAsync(u => u.SetProperty(m => m.BouncedAt, World.At("2027-03-01T12:30")));
        Assert.False(await LookAsync(world));
    }

    [Fact]
    public async Task Mail_is_signed_with_the_key_that_is_used_and_keys_take_over_from_each_other()
    {
        await using var world = await SentAsync(1);
        Assert.DoesNotContain(world.Mail.Sent, m => m.Headers.Contains(HeaderId.DkimSignature));
        var secrets = world.Secrets;
        var now = World.At("2027-03-01T12:00");
        await ChangeAsync(world, s =>
        {
            Assert.True(SigningKeys.Make(s, "example.com", secrets, now));
            Assert.False(SigningKeys.Make(s, "example.com", secrets, now));
        });
        await NewsAsync(world, "Ida");

        // It waits for its record: nothing is signed with it yet.
        Assert.DoesNotContain(world.Mail.Sent, m => m.Headers.Contains(HeaderId.DkimSignature));
        await ChangeAsync(world, s => Assert.True(SigningKeys.Use(s, "example.com", "g20270301", now)));
        var first = await NewsAsync(world, "Ole");
        Assert.True(await VerifiesAsync(world, first));

        await ChangeAsync(world, s =>
        {
            Assert.True(SigningKeys.Make(s, "example.com", secrets, now));
            Assert.True(SigningKeys.Use(s, "example.com", "g20270301-2", now));
        });
        var second = await NewsAsync(world, "Una");
        Assert.Contains("s=g20270301-2;", second.Headers[HeaderId.DkimSignature], StringComparison.Ordinal);
        Assert.True(await VerifiesAsync(world, second));

        // What the first signed is still read by its record; its private key is gone.
        Assert.True(await VerifiesAsync(world, first));
        await using var db = world.Db();
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == world.Practice)).Settings;
        Assert.Equal("", settings.SigningKeys.Single(k => k.Selector == "g20270301").SealedKey);
        var shown = SigningKeys.Of(settings, "example.com", now + SigningKeys.Standing);
        Assert.Equal(["g20270301-2", "g20270301"], shown.Select(k => k.Selector));
        Assert.True(shown[1].MayGo);
        Assert.False(SigningKeys.Of(settings, "example.com", now)[1].MayGo);

        // A word that is changed on the way is found out.
        Assert.Contains("Subject", second.Headers[HeaderId.DkimSignature], StringComparison.OrdinalIgnoreCase);
        second.Subject += "!";
        Assert.False(await VerifiesAsync(world, second));
    }

    [Fact]
    public async Task The_practice_itself_signs_from_its_own_address()
    {
        await using var world = await World.AtAsync("2027-03-01T12:00");
        await ChangeAsync(world, s => s.OwnAddress = "office@example.org");
        var program = await world.ProgramAsync("News", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"a","kind":"email","sender":"practice","when":{"from":"start","offset":"P0D"},"subject":"A","body":"<p>{{ sender.name }} writes.</p>"}""");
        var ida = await world.PersonAsync("Ida");
        await world.DoAsync(d => d.StartProgramAsync([ida.Id], program, false, default));
        await world.WorkAsync();
        await using var db = world.Db();
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == world.Practice);
        var sent = Assert.Single(world.Mail.Sent);
        var from = sent.From.Mailboxes.Single();
        Assert.Equal((practice.Name, "office@example.org"), (from.Name, from.Address));
        Assert.Contains($"{practice.Name} writes.", sent.HtmlBody, StringComparison.Ordinal);
        Assert.Contains("example.org", SendingHealth.DomainsOf(await PracticeReading.LoadAsync(db, default)));
    }

    private static async Task<MimeMessage> NewsAsync(World world, string name)
    {
        var before = world.Mail.Sent.Count;
        var program = await world.ProgramAsync($"News for {name}", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Grüße, {{ person.first_name }}","body":"<p>Ein Wort – und noch eins.</p>"}""");
        var person = await world.PersonAsync(name);
        await world.DoAsync(d => d.StartProgramAsync([person.Id], program, false, default));
        await world.Room.WorkAsync(default);
        return world.Mail.Sent.Skip(before).Single();
    }

    /// <summary>MimeKit's verifier, by the records as the page shows them; the browser test asks another one.</summary>
    private static async Task<bool> VerifiesAsync(World world, MimeMessage message)
    {
        await using var db = world.Db();
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == world.Practice)).Settings;
        var header = message.Headers[message.Headers.IndexOf(HeaderId.DkimSignature)];
        return await new DkimVerifier(new Records(SigningKeys.Of(settings, "example.com", await world.NowAsync()))).VerifyAsync(message, header);
    }

    private sealed class Records(IReadOnlyList<SigningKeyDto> keys) : DkimPublicKeyLocatorBase
    {
        public override Org.BouncyCastle.Crypto.AsymmetricKeyParameter LocatePublicKey(string methods, string domain, string selector, CancellationToken cancellationToken = default) =>
            GetPublicKey(keys.Single(k => k.Name == MailRecords.KeyName(domain, selector)).Value);

        public override Task<Org.BouncyCastle.Crypto.AsymmetricKeyParameter> LocatePublicKeyAsync(string methods, string domain, string selector, CancellationToken cancellationToken = default) =>
            Task.FromResult(LocatePublicKey(methods, domain, selector, cancellationToken));
    }
}
