using Germinal.Channels;
using Germinal.Service.Mails;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Mails that no program planned: each goes once, whatever happens to the line and the workers.</summary>
public sealed class OwnMailTests : IAsyncLifetime
{
    private World world = null!;
    private Guid practice;
    private Guid ada;

    public async Task InitializeAsync()
    {
        world = await World.AtAsync("2027-03-01T08:15");
        (practice, ada) = (world.Practice, world.Ada);
    }

    public async Task DisposeAsync() => await world.DisposeAsync();

    private async Task<Guid> MailAsync(string kind = OwnMailKinds.Written, Guid? member = null)
    {
        await using var db = world.Database.For(practice);
        var row = new OwnMailRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = practice,
            Kind = kind,
            MemberId = member ?? ada,
            ToAddress = "ida@example.com",
            ToName = "Ida",
            Subject = "Re: a plan",
            Text = "Dear Ida",
            InReplyTo = "a@example.com",
            References = ["a@example.com"],
            CreatedAt = Instant.FromUtc(2027, 3, 1, 13, 15),
        };
        db.OwnMails.Add(row);
        await db.SaveChangesAsync();
        return row.Id;
    }

    private async Task<OwnMailRow> RowAsync(Guid id)
    {
        await using var db = world.Database.For(practice);
        return await db.OwnMails.SingleAsync(m => m.Id == id);
    }

    private async Task DueAsync(Guid id)
    {
        await using var db = world.Database.For(practice);
        await db.OwnMails.Where(m => m.Id == id).ExecuteUpdateAsync(u => u.SetProperty(m => m.NextTry, Instant.MinValue));
    }

    [Fact]
    public async Task Ten_workers_send_one_once_in_its_members_name()
    {
        var id = await MailAsync();
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => world.NewOwnMails().SendDueAsync(practice, default)));
        var sent = Assert.Single(world.Mail.Sent);
        Assert.Equal(("Re: a plan", "a@example.com", "Ada Quill"), (sent.Subject, sent.InReplyTo, sent.From.Mailboxes.Single().Name));
        Assert.Null(sent.Headers["Auto-Submitted"]);
        Assert.Equal(id, world.Replies.TryRead(sent.ReplyTo.Mailboxes.Single().Address)!.Value.TouchId);
        var row = await RowAsync(id);
        Assert.Equal((OwnMailStatus.Sent, 1), (row.Status, row.Attempts));
        Assert.False(await world.NewOwnMails().SendDueAsync(practice, default));
    }

    [Fact]
    public async Task What_a_machine_wrote_says_so()
    {
        await MailAsync(OwnMailKinds.ByItself, Guid.NewGuid());
        await world.NewOwnMails().SendDueAsync(practice, default);
        var sent = Assert.Single(world.Mail.Sent);
        Assert.Equal("auto-replied", sent.Headers["Auto-Submitted"]);
        Assert.NotEmpty(sent.From.Mailboxes.Single().Address);
    }

    [Fact]
    public async Task A_server_that_is_away_is_asked_again()
    {
        var id = await MailAsync();
        world.Mail.Answers = _ => ProviderAnswer.Away("not now");
        await world.NewOwnMails().SendDueAsync(practice, default);
        Assert.Equal((OwnMailStatus.Waiting, "not now"), ((await RowAsync(id)).Status, (await RowAsync(id)).LastAnswer));
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 kept");
        await DueAsync(id);
        await world.NewOwnMails().SendDueAsync(practice, default);
        Assert.Equal(OwnMailStatus.Sent, (await RowAsync(id)).Status);
        Assert.Single(world.Mail.Sent);
    }

    [Fact]
    public async Task What_a_server_does_not_want_is_told_to_its_member()
    {
        var id = await MailAsync();
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Refused, "550 no such box");
        await world.NewOwnMails().SendDueAsync(practice, default);
        Assert.Equal(OwnMailStatus.Refused, (await RowAsync(id)).Status);
        await using var db = world.Database.For(practice);
        var told = await db.Notices.SingleAsync();
        Assert.Equal(ada, told.MemberId);
        Assert.Contains("550 no such box", told.Text, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(LookUpResult.Found, OwnMailStatus.Sent, 0)]
    [InlineData(LookUpResult.NotThere, OwnMailStatus.Sent, 1)]
    [InlineData(LookUpResult.CannotSay, OwnMailStatus.Uncertain, 0)]
    public async Task Where_the_line_drops_or_the_worker_dies_the_server_is_asked(LookUpResult knows, string status, int sent)
    {
        var id = await MailAsync();
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Unknown, "the line was lost");
        await world.NewOwnMails().SendDueAsync(practice, default);
        Assert.Equal(OwnMailStatus.Handing, (await RowAsync(id)).Status);
        world.Mail.Knows = _ => knows;
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 kept");
        await DueAsync(id);
        await world.NewOwnMails().SendDueAsync(practice, default);
        Assert.Equal(status, (await RowAsync(id)).Status);
        Assert.Equal(sent, world.Mail.Sent.Count);
    }
}
