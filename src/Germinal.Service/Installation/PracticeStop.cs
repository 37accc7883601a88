using Germinal.Service.Clock;
using Germinal.Service.Journal;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Installation;

/// <summary>
/// A practice that is stopped: nobody of it signs in, nothing of it goes out or is shown to everybody, and nothing is fetched for it. What people say is still taken: answers, a STOP, what they want
/// on the page of their own wishes. Started again, it goes on where it was; what should have gone meanwhile is late by its rules (3.3, 5.2). By the machine's clock.
/// </summary>
public static class PracticeStop
{
    /// <summary>Stops it; its principals are told by mail, from the installation. Said again, the words are the new ones.</summary>
    /// <param name="db">A context of the house, in the caller's transaction.</param>
    /// <param name="mails">To tell them.</param>
    /// <param name="practice">Which.</param>
    /// <param name="by">Whoever says so.</param>
    /// <param name="why">As its members read it.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The practice's name; null where there is none.</returns>
    public static async Task<string?> StopAsync(GerminalDb db, MemberMails mails, Guid practice, (Guid Id, string Name) by, string why, CancellationToken stop)
    {
        if (await LockedAsync(db, practice, stop) is not { } row)
        {
            return null;
        }

        var anew = row.StoppedAt is null;
        row.StoppedAt ??= SystemClock.Instance.GetCurrentInstant();
        row.StoppedWhy = why;
        await db.SaveChangesAsync(stop);
        if (anew)
        {
            foreach (var principal in await PrincipalsAsync(db, practice, stop))
            {
                await mails.PracticeStoppedAsync(db, principal, by, row.Name, why, stop);
            }
        }

        await NoteAsync(db, practice, by, Say($"stopped the practice, as keeper of the installation: {why}"), stop);
        return row.Name;
    }

    /// <summary>Lets it go on.</summary>
    /// <returns>The practice's name; null where there is none.</returns>
    public static async Task<string?> StartAsync(GerminalDb db, MemberMails mails, Guid practice, (Guid Id, string Name) by, CancellationToken stop)
    {
        if (await LockedAsync(db, practice, stop) is not { } row)
        {
            return null;
        }

        if (row.StoppedAt is null)
        {
            return row.Name;
        }

        (row.StoppedAt, row.StoppedWhy) = (null, "");
        await db.SaveChangesAsync(stop);
        foreach (var principal in await PrincipalsAsync(db, practice, stop))
        {
            await mails.PracticeGoesOnAsync(db, principal, by, row.Name, stop);
        }

        await NoteAsync(db, practice, by, Said("let the practice go on, as keeper of the installation"), stop);
        return row.Name;
    }

    private static Task<PracticeRow?> LockedAsync(GerminalDb db, Guid practice, CancellationToken stop) =>
        db.Practices.FromSql($"SELECT * FROM practices WHERE id = {practice} AND id <> {PracticeRow.House} FOR UPDATE").AsTracking().SingleOrDefaultAsync(stop);

    private static Task<List<MemberUser>> PrincipalsAsync(GerminalDb db, Guid practice, CancellationToken stop) =>
        db.Users.AsNoTracking().Where(m => m.PracticeId == practice && m.Role == "principal" && m.LeftAt == null && m.PasswordHash != null).OrderBy(m => m.Id).ToListAsync(stop);

    /// <summary>Its own journal tells it too.</summary>
    private static async Task NoteAsync(GerminalDb db, Guid practice, (Guid Id, string Name) by, string words, CancellationToken stop)
    {
        db.Journal.Add(
            new JournalRow
            {
                PracticeId = practice,
                At = await PracticeClock.NowAsync(db, stop),
                MemberId = by.Id,
                By = by.Name,
                Words = words,
                Ended = JournalReading.Done,
            }
        );
        await db.SaveChangesAsync(stop);
    }
}
