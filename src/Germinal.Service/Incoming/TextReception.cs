using Germinal.Channels;
using Germinal.Channels.Texts;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Messages;
using Germinal.Service.Clock;
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
        await db
            .Messages.IgnoreQueryFilters()
            .Where(m => m.MessageId == news.Id && m.Channel == "text" && m.DeliveredAt == null)
            .ExecuteUpdateAsync(u => u.SetProperty(m => m.DeliveredAt, now), stop);
    }

    private static async Task FailedAsync(GerminalDb db, GatewayNews news, CancellationToken stop)
    {
        if (await TouchOf.FindAsync(db, [news.Id], stop) is not { Message.BouncedAt: null } touch)
        {
            return;
        }

        await Bounces.TakeAsync(db, touch, news.Permanent, "invalid-number", IncomingText.KeepLine(news.Reason), stop);
    }

    private async Task ReceivedAsync(GerminalDb db, GatewayNews news, CancellationToken stop)
    {
        var (from, body) = (IncomingText.KeepLine(news.From, 40), IncomingText.Keep(news.Body).Trim());
        var wish = OptOutWords.Read(body);
        if (wish is TextWish.Stop)
        {
            await StopAsync(db, from, body, stop);
        }

        if (await PracticeOfAsync(db, news, from, stop) is not { } practice)
        {
            // Nobody's number, and nobody anybody knows: a STOP has counted, anything else is for nobody.
            return;
        }

        db.PracticeId = practice.Id;
        var last = practice.Last?.PracticeId == practice.Id ? practice.Last : null;
        var person =
            last?.PersonId
            ?? await db.People.Where(p => p.Mobile == from && !p.Archived).OrderBy(p => p.Id).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var row = new ReceivedRow
        {
            PracticeId = practice.Id,
            PersonId = person,
            GuessId = person is null ? await GuessAsync(db, from, stop) : null,
            Channel = "text",
            FromAddress = from,
            Text = body,
            At = now,
            Key = $"text/{IncomingText.KeepLine(news.Id, 200)}",
            TouchId = last?.TouchId,
            Kind = wish switch
            {
                TextWish.Stop => "opt-out",
                TextWish.Start => "opt-in",
                TextWish.Help => "help",
                _ => "reply",
            },
            SeenAt = wish == TextWish.None ? null : now,
        };
        if (await db.Received.AnyAsync(r => r.Key == row.Key, stop))
        {
            return;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        db.Received.Add(row);
        if (person is { } id)
        {
            await TakeWishAsync(db, id, wish, body, last, stop);
        }

        await db.SaveChangesAsync(stop);
        if (wish == TextWish.None && AskedBy.IsAsking(await WordOfAsync(db, practice.Id, stop), body))
        {
            await AskedBy.TextAsync(db, row, new PeopleDesk(db, Said("the sender"), now), stop);
        }

        await transaction.CommitAsync(stop);
        if (wish == TextWish.Help)
        {
            var us = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == practice.Id, stop);
            var number = us.Settings.TextNumber is { Length: > 0 } own ? own : null;
            await gateway.SendAsync(
                new OutgoingText($"help-{news.Id}", from, Say($"This is {us.Name}. Answer STOP and you get no more texts from us."), number),
                stop
            );
        }
    }

    private static async Task<string> WordOfAsync(GerminalDb db, Guid practice, CancellationToken stop) =>
        (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == practice, stop)).Settings.InquiryWord;

    private sealed record Practice(Guid Id, TouchOf? Last);

    /// <summary>
    /// Whose a text is: the practice's whose number it came to; where the gateway has one number for all, that of the last text
    /// that went to the sender, or the only one that knows them; nobody's where that cannot be told.
    /// </summary>
    private static async Task<Practice?> PracticeOfAsync(GerminalDb db, GatewayNews news, string from, CancellationToken stop)
    {
        var last = await TouchOf.LastToAsync(db, "text", from, stop);
        if (news.To is { Length: > 0 } to && (await db.Practices.AsNoTracking().ToListAsync(stop)).Find(p => p.Settings.TextNumber == to) is { } numbered)
        {
            return new Practice(numbered.Id, last);
        }

        if (last is not null)
        {
            return new Practice(last.PracticeId, last);
        }

        var knowing = await db
            .People.IgnoreQueryFilters()
            .Where(p => p.Mobile == from && !p.Archived)
            .Select(p => p.PracticeId)
            .Distinct()
            .Take(2)
            .ToListAsync(stop);
        return
            (
                knowing.Count == 1 ? knowing[0]
                : knowing.Count == 0 ? await TheOnlyPractice.OfAsync(db, stop)
                : null
            )
                is { } only
            ? new Practice(only, null)
            : null;
    }

    /// <summary>
    /// A STOP counts for everybody of that number, whoever the text was meant for: their texts stop, and the number is left
    /// alone by every practice that shares it (rule 10.6).
    /// </summary>
    private static async Task StopAsync(GerminalDb db, string from, string body, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var owners = await db.People.IgnoreQueryFilters().Where(p => p.Mobile == from).Select(p => new { p.Id, p.PracticeId }).ToListAsync(stop);
        foreach (var of in owners.GroupBy(o => o.PracticeId))
        {
            db.PracticeId = of.Key;
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            foreach (var person in of.Where(o => !AlreadyOut(db, o.Id)))
            {
                await new PeopleDesk(db, Said("the recipient"), now).AddConsentAsync(
                    person.Id,
                    "text",
                    null,
                    null,
                    false,
                    "express",
                    Say($"answered “{body}”"),
                    null,
                    stop
                );
            }

            await transaction.CommitAsync(stop);
        }

        if (owners.Count == 0)
        {
            // Nobody has it; whoever comes with it later is left alone.
            foreach (var practice in await db.Practices.AsNoTracking().Select(p => p.Id).ToListAsync(stop))
            {
                db.PracticeId = practice;
                await Bounces.SuppressAsync(db, from, "opted-out", now, stop);
            }
        }

        db.PracticeId = null;
    }

    /// <summary>Whether the newest word on texts is a no to everything already; news that comes twice is written once.</summary>
    private static bool AlreadyOut(GerminalDb db, Guid person) =>
        db
            .Consent.Where(c => c.PersonId == person && c.Channel == "text" && c.Topic == null)
            .OrderByDescending(c => c.At)
            .ThenByDescending(c => c.Id)
            .Take(1)
            .Any(c => !c.IsIn && c.Purpose == null);

    private static async Task TakeWishAsync(GerminalDb db, Guid person, TextWish wish, string body, TouchOf? last, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var desk = new PeopleDesk(db, Said("the recipient"), now);
        switch (wish)
        {
            case TextWish.Stop:
                // Taken in for everybody of the number.
                break;
            case TextWish.Start:
                await desk.AddConsentAsync(person, "text", null, null, true, "express", Say($"answered “{body.Trim()}”"), null, stop);
                break;
            case TextWish.None:
                db.Events.Add(desk.NewEvent(person, new TextedWord(now, string.Concat(body.Where(char.IsLetterOrDigit)))));
                db.Events.Add(
                    desk.NewEvent(
                        person,
                        new Replied(now, Channel.Text, last?.ProgramId, last?.StepId),
                        [.. TouchOf.WordsOf(last), ("text", body.Trim())]
                    )
                );
                break;
        }
    }

    /// <summary>Whose an unknown number may be: somebody with it as their other number, or one that differs in the country or area only.</summary>
    private static Task<Guid?> GuessAsync(GerminalDb db, string number, CancellationToken stop)
    {
        var tail = number.Length > 7 ? number[^7..] : number;
        return db
            .People.Where(p =>
                p.OtherPhone == number || (p.Mobile != null && p.Mobile.EndsWith(tail)) || (p.OtherPhone != null && p.OtherPhone.EndsWith(tail))
            )
            .OrderByDescending(p => p.OtherPhone == number)
            .ThenByDescending(p => p.Memory!.LastTouchAt)
            .Select(p => (Guid?)p.Id)
            .FirstOrDefaultAsync(stop);
    }
}
