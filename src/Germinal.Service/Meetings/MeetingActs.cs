using Germinal.Channels;
using Germinal.Core.Forms;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Incoming;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Meetings;

/// <summary>What somebody chose on a page.</summary>
/// <param name="At">The time.</param>
/// <param name="Answers">Who they are, and what it is about.</param>
/// <param name="Key">The mark of the page; sent twice, it is one appointment.</param>
/// <param name="Proven">Whom the link in a letter proves them to be; null for nobody.</param>
/// <param name="TouchId">The message whose link led here; null for none.</param>
/// <param name="Zone">Their zone, where their page says it.</param>
public sealed record MeetingWish(Instant At, FormAnswers Answers, string Key, Guid? Proven, Guid? TouchId, string? Zone);

/// <summary>What became of it. Closed.</summary>
public enum MeetingOutcome
{
    Done,

    /// <summary>Somebody has the time by now, or it can be chosen no more.</summary>
    Taken,

    /// <summary>As many are to come already as one address may have.</summary>
    TooMany,

    /// <summary>It is over: it has been, or was cancelled.</summary>
    Over,
}

/// <summary>Makes, moves and cancels appointments that are chosen on pages, and tells both sides; each in the caller's transaction.</summary>
public sealed class MeetingActs(PublicLinks links)
{
    /// <summary>The most appointments to come of one address.</summary>
    public const int MostToCome = 3;

    private static string By => Said("the sender");

    /// <summary>Makes an appointment where its time is still free: of all who choose one time, one gets it.</summary>
    public async Task<(MeetingOutcome Outcome, AppointmentRow? Row)> BookAsync(GerminalDb db, MeetingPageRow page, MeetingWish wish, Instant now, CancellationToken stop)
    {
        await MeetingTimes.LockAsync(db, page.MemberId, stop);
        if (await db.Appointments.AsNoTracking().FirstOrDefaultAsync(a => a.PageId == page.Id && a.Key == wish.Key, stop) is { } before)
        {
            return (MeetingOutcome.Done, before);
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        if (!(await MeetingTimes.FreeAsync(db, page, practice, now, null, stop)).Contains(wish.At))
        {
            return (MeetingOutcome.Taken, null);
        }

        var form = MeetingPages.Asks(page);
        var asking = FormTaking.AskingOf(form, wish.Answers);
        await WhoAsks.LockAsync(db, asking, stop);
        if (await db.Appointments.CountAsync(a => a.PageId != null && a.CancelledAt == null && a.At > now && db.People.Any(p => p.Id == a.PersonId && p.Email == asking.Email), stop) >= MostToCome)
        {
            return (MeetingOutcome.TooMany, null);
        }

        var desk = new PeopleDesk(db, By, now);
        var (person, isNew) = wish.Proven is { } known
            ? (await db.People.SingleAsync(p => p.Id == known, stop), false)
            : await WhoAsks.FindOrMakeAsync(db, desk, asking, page.Title, stop);
        if (isNew)
        {
            await db.SaveChangesAsync(stop);
        }

        await PersonLock.TakeAsync(db, person.Id, stop);
        await db.Entry(person).ReloadAsync(stop);
        await FormTaking.PutInAsync(db, desk, person, form, wish.Answers, wish.Proven is null ? KnownValues.Fill : KnownValues.TakeOver, stop);
        person.OwnerId ??= isNew ? page.MemberId : null;
        var row = await new DealingsDesk(db, desk, now).BookAsync(person.Id, page.Type, wish.At, page.Place, page.MemberId, stop, booked =>
        {
            (booked.PageId, booked.Key, booked.Minutes, booked.TouchId) = (page.Id, wish.Key, page.Minutes, wish.TouchId);
            booked.Words = wish.Answers.Values.GetValueOrDefault(MeetingPages.AboutQuestion, "");
            booked.ReaderZone = wish.Zone is { } zone && DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is { } found ? found.Id : null;
        });
        await TellAsync(db, row, person, practice, MeetingNews.Made, tellMember: true, now, stop);
        return (MeetingOutcome.Done, row);
    }

    /// <summary>Whoever chose an appointment moves it to another time that is free.</summary>
    public async Task<MeetingOutcome> MoveAsync(GerminalDb db, Guid id, Instant to, Instant now, CancellationToken stop)
    {
        if (await OpenAsync(db, id, now, stop) is not { } open)
        {
            return MeetingOutcome.Over;
        }

        if (open.Row.At == to)
        {
            return MeetingOutcome.Done;
        }

        if (open.Page is not { Shown: true } page || !(await MeetingTimes.FreeAsync(db, page, open.Practice, now, id, stop)).Contains(to))
        {
            return MeetingOutcome.Taken;
        }

        await new DealingsDesk(db, new PeopleDesk(db, By, now), now).MoveAsync(open.Row, to, stop);
        await ToldAsync(db, open.Row, open.Practice, MeetingNews.Moved, byThemselves: true, now, stop);
        return MeetingOutcome.Done;
    }

    /// <summary>Whoever chose an appointment cancels it.</summary>
    public async Task<MeetingOutcome> CancelAsync(GerminalDb db, Guid id, Instant now, CancellationToken stop)
    {
        if (await OpenAsync(db, id, now, stop) is not { } open || !await new DealingsDesk(db, new PeopleDesk(db, By, now), now).CancelAsync(open.Row, stop))
        {
            return MeetingOutcome.Over;
        }

        await ToldAsync(db, open.Row, open.Practice, MeetingNews.Cancelled, byThemselves: true, now, stop);
        return MeetingOutcome.Done;
    }

    /// <summary>Tells whoever chose an appointment that a member moved or cancelled it; of one that a member made nobody is told. The row is as it is now.</summary>
    public async Task ToldByMemberAsync(GerminalDb db, AppointmentRow row, MeetingNews news, Instant now, CancellationToken stop)
    {
        if (row.PageId is not null)
        {
            await ToldAsync(db, row, await PracticeReading.LoadAsync(db, stop), news, byThemselves: false, now, stop);
        }
    }

    private sealed record Open(AppointmentRow Row, MeetingPageRow? Page, Practice Practice);

    /// <summary>An appointment that is still to come, its member's times locked.</summary>
    private static async Task<Open?> OpenAsync(GerminalDb db, Guid id, Instant now, CancellationToken stop)
    {
        if (await db.Appointments.AsNoTracking().FirstOrDefaultAsync(a => a.Id == id, stop) is not { WithId: { } member })
        {
            return null;
        }

        await MeetingTimes.LockAsync(db, member, stop);
        if (await db.Appointments.FirstOrDefaultAsync(a => a.Id == id && a.CancelledAt == null && a.At > now, stop) is not { } row)
        {
            return null;
        }

        var page = await db.MeetingPages.AsNoTracking().FirstOrDefaultAsync(p => p.Id == row.PageId, stop);
        return new Open(row, page, await PracticeReading.LoadAsync(db, stop));
    }

    private async Task ToldAsync(GerminalDb db, AppointmentRow row, Practice practice, MeetingNews news, bool byThemselves, Instant now, CancellationToken stop)
    {
        row.Sequence++;
        var person = await db.People.AsNoTracking().SingleAsync(p => p.Id == row.PersonId, stop);
        await TellAsync(db, row, person, practice, news, byThemselves, now, stop);
    }

    private async Task TellAsync(GerminalDb db, AppointmentRow row, PersonRow person, Practice practice, MeetingNews news, bool tellMember, Instant now, CancellationToken stop)
    {
        var facts = (await FactsReading.LoadAsync(db, [person.Id], stop))[person.Id];
        if (await InquiryActs.MayNotAsync(db, person, facts, practice, now, stop) is null)
        {
            db.OwnMails.Add(MeetingMail.Write(row, person, practice, news, links, now));
        }

        if (tellMember)
        {
            var did = news switch
            {
                MeetingNews.Made => Said("has chosen a time"),
                MeetingNews.Moved => Said("has moved an appointment"),
                _ => Said("has cancelled an appointment"),
            };
            var words = row.Words.Length > 0 && news == MeetingNews.Made ? $" “{row.Words}”" : "";
            await Notices.TellAsync(db, "appointment", row.WithId, person.Id, $"{person.Name} {did}: {row.Type}, {MeetingMail.MomentOf(row.At, practice.Zone)}.{words}", $"appointment/{row.Id}/{row.Sequence}", now, stop);
        }

        await db.SaveChangesAsync(stop);
    }
}
