using Germinal.Channels;
using Germinal.Service.Clock;
using Germinal.Service.Incoming;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Forms;

/// <summary>
/// Links that show a page with all that is known of its reader. They are mailed to the address a letter went to, so that whoever has only been passed the letter
/// never comes by one; each works until the end of the next day.
/// </summary>
public static class OwnLinks
{
    /// <summary>Where one is asked for.</summary>
    public const string Root = "/mine";

    private static readonly LocalDate First = new(2020, 1, 1);
    private static readonly Duration Between = Duration.FromHours(1);

    private static ushort DayOf(Instant now) => (ushort)Period.DaysBetween(First, now.InUtc().Date);

    /// <summary>Whether a link of a day works at a moment.</summary>
    public static bool Works(int day, Instant now) => DayOf(now) - day is 0 or 1;

    /// <summary>Mails one, at most one an hour; where there is nobody to mail it to any more, nothing is said of it.</summary>
    /// <param name="db">Any context.</param>
    /// <param name="links">Where we are.</param>
    /// <param name="touch">The message whose link led to the page.</param>
    /// <param name="page">The page's path.</param>
    /// <param name="works">How long that message's links show a page as its reader's.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task MailAsync(GerminalDb db, PublicLinks links, Guid touch, string page, Duration works, CancellationToken stop)
    {
        if (await TouchOf.FindAsync(db, touch, stop) is not { } found)
        {
            return;
        }

        db.PracticeId = found.PracticeId;
        var now = await PracticeClock.NowAsync(db, stop);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({$"own-link/{found.PersonId}"}, 0))", stop);
        var hour = now - Between;
        if (
            found.Message.SentAt + works < now
            || await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == found.PersonId && !p.Archived, stop) is not { Email: { } address } person
            || await db.Suppressions.AnyAsync(s => s.Address == address, stop)
            || await db.OwnMails.AnyAsync(m => m.PersonId == person.Id && m.Kind == OwnMailKinds.OwnLink && m.CreatedAt > hour, stop)
        )
        {
            return;
        }

        var practice = await db.OwnPracticeAsync(stop);
        db.OwnMails.Add(
            new OwnMailRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = found.PracticeId,
                Kind = OwnMailKinds.OwnLink,
                PersonId = person.Id,
                MemberId = person.OwnerId,
                ToName = person.Name,
                ToAddress = address,
                Subject = Say($"Your page with {practice.Name}"),
                Text = string.Join(
                    "\n\n",
                    Say($"Hello {person.FirstName ?? person.Name},"),
                    Said("this link shows the page with all that we have of you. It works until tomorrow; keep it to yourself:"),
                    $"{links.BaseUrl}{page}?by={links.ConfirmedReader(touch, DayOf(now))}",
                    Said("If you did not ask for it, do nothing: whoever did has seen none of it."),
                    $"{practice.Name}\n{practice.Settings.PostalAddress}"
                ),
                CreatedAt = now,
                NextTry = SystemClock.Instance.GetCurrentInstant(),
            }
        );
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
    }
}
