using Germinal.Channels.Texts;
using Germinal.Core.Messages;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>Takes in what the text gateway tells: delivered, failed, and what people answer (rule 10.6).</summary>
public sealed class TextReception(IDbContextFactory<GerminalDb> databases, ITextGateway gateway)
{
    /// <summary>Takes one piece of news in. News that was taken in before changes nothing.</summary>
    public async Task TakeAsync(GatewayNews news, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        switch (news.Type)
        {
            case "message.delivered":
                await DeliveredAsync(db, news, stop);
                break;
            case "message.failed":
                await FailedAsync(db, news, stop);
                break;
            case "message.received" when news.From is not null:
                await ReceivedAsync(db, news, stop);
                break;
        }
    }

    private static async Task DeliveredAsync(GerminalDb db, GatewayNews news, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        await db.Messages.IgnoreQueryFilters().Where(m => m.MessageId == news.Id && m.Channel == "text" && m.DeliveredAt == null).ExecuteUpdateAsync(u => u.SetProperty(m => m.DeliveredAt, now), stop);
    }

    private static async Task FailedAsync(GerminalDb db, GatewayNews news, CancellationToken stop)
    {
        if (await TouchOf.FindAsync(db, [news.Id], stop) is not { Message.BouncedAt: null } touch)
        {
            return;
        }

        await Bounces.TakeAsync(db, touch, news.Permanent, "invalid-number", news.Reason ?? "", stop);
    }

    private async Task ReceivedAsync(GerminalDb db, GatewayNews news, CancellationToken stop)
    {
        var (from, body) = (news.From!, news.Body ?? "");
        var last = await TouchOf.LastToAsync(db, "text", from, stop);
        var person = last?.PersonId ?? await db.People.IgnoreQueryFilters().Where(p => p.Mobile == from && !p.Archived).OrderBy(p => p.Id).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
        db.PracticeId = last?.PracticeId ?? (person is { } known
            ? await db.People.IgnoreQueryFilters().Where(p => p.Id == known).Select(p => p.PracticeId).SingleAsync(stop)
            : await db.Practices.OrderBy(p => p.Id).Select(p => p.Id).FirstOrDefaultAsync(stop));
        var key = $"text/{news.Id}";
        if (await db.Received.AnyAsync(r => r.Key == key, stop))
        {
            return;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var wish = OptOutWords.Read(body);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var row = new ReceivedRow
        {
            PracticeId = db.PracticeId.Value, PersonId = person, GuessId = person is null ? await GuessAsync(db, from, stop) : null, Channel = "text", FromAddress = from, Text = body.Trim(), At = now, Key = key,
            TouchId = last?.TouchId, Kind = wish switch { TextWish.Stop => "opt-out", TextWish.Start => "opt-in", TextWish.Help => "help", _ => "reply" }, SeenAt = wish == TextWish.None ? null : now,
        };
        db.Received.Add(row);
        if (wish is TextWish.Stop && person is null)
        {
            // Nobody we know; the number itself is left alone from now on.
            await Bounces.SuppressAsync(db, from, "opted-out", now, stop);
        }

        if (person is { } id)
        {
            await TakeWishAsync(db, id, wish, body, last, stop);
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        if (wish == TextWish.Help)
        {
            var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
            await gateway.SendAsync(new OutgoingText($"help-{news.Id}", from, $"This is {practice.Name}. Answer STOP and you get no more texts from us."), stop);
        }
    }

    private static async Task TakeWishAsync(GerminalDb db, Guid person, TextWish wish, string body, TouchOf? last, CancellationToken stop)
    {
        var desk = new PeopleDesk(db, "the recipient", await PracticeClock.NowAsync(db, stop));
        switch (wish)
        {
            case TextWish.Stop:
                await desk.AddConsentAsync(person, "text", null, null, false, "express", $"answered “{body.Trim()}”", null, stop);
                break;
            case TextWish.Start:
                await desk.AddConsentAsync(person, "text", null, null, true, "express", $"answered “{body.Trim()}”", null, stop);
                break;
            case TextWish.None:
                db.Events.Add(desk.NewEvent(person, EventKinds.TextedWord, new() { ["word"] = string.Concat(body.Where(char.IsLetterOrDigit)) }));
                var said = ("text", body.Trim());
                db.Events.Add(desk.NewEvent(person, EventKinds.Replied, last is null ? new() { ["channel"] = "text", ["text"] = body.Trim() } : last.Data(("channel", "text"), said)));
                break;
        }
    }

    /// <summary>Whose an unknown number may be: somebody with it as their other number, or one that differs in the country or area only.</summary>
    private static Task<Guid?> GuessAsync(GerminalDb db, string number, CancellationToken stop)
    {
        var tail = number.Length > 7 ? number[^7..] : number;
        return db.People.Where(p => p.OtherPhone == number || (p.Mobile != null && p.Mobile.EndsWith(tail)) || (p.OtherPhone != null && p.OtherPhone.EndsWith(tail)))
            .OrderByDescending(p => p.OtherPhone == number).ThenByDescending(p => p.State!.LastTouchAt).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
    }
}
