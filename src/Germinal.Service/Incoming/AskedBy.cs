using Germinal.Core.Contact;
using Germinal.Service.Import;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>Mails to a practice's inquiry address, and texts with its word, that are inquiries: by somebody known, or by somebody new.</summary>
public static class AskedBy
{
    /// <summary>The practice whose inquiry address is among some; null for none.</summary>
    public static async Task<Guid?> PracticeOfAsync(GerminalDb db, IEnumerable<string> addresses, CancellationToken stop)
    {
        string[] low = [.. addresses.Select(a => a.ToLowerInvariant()).Where(a => a.Length > 0).Distinct(StringComparer.Ordinal)];
        if (low.Length == 0)
        {
            return null;
        }

        var found = await db
            .Database.SqlQuery<Guid>($"""SELECT id AS "Value" FROM practices WHERE settings ->> 'inquiryAddress' = ANY({low}) ORDER BY id LIMIT 1""")
            .ToListAsync(stop);
        return found is [var practice] ? practice : null;
    }

    /// <summary>Makes a mail an inquiry. The caller has a transaction open, and has saved the row.</summary>
    public static async Task MailAsync(GerminalDb db, ReceivedRow row, string fromName, PeopleDesk desk, CancellationToken stop)
    {
        var (first, last) = CellReading.Names("", "", CellReading.Clean(fromName.Contains('@', StringComparison.Ordinal) ? "" : fromName));
        var words = row.Subject.Length > 0 ? $"{row.Subject}\n{row.Text}" : row.Text;
        await TakeAsync(db, row, new Asking(first, last, row.FromAddress, null), Channel.Email, words, desk, stop);
    }

    /// <summary>Whether a text begins with the practice's word.</summary>
    public static bool IsAsking(string word, string body) =>
        word.Length > 0 && string.Equals(body.TrimStart().Split((char[]?)null, 2)[0].Trim('.', ',', '!', ':', '?'), word, StringComparison.OrdinalIgnoreCase);

    /// <summary>Makes a text an inquiry. The caller has a transaction open, and has saved the row.</summary>
    public static Task TextAsync(GerminalDb db, ReceivedRow row, PeopleDesk desk, CancellationToken stop) =>
        TakeAsync(db, row, new Asking(null, null, null, row.FromAddress), Channel.Text, row.Text, desk, stop);

    private static async Task TakeAsync(GerminalDb db, ReceivedRow row, Asking asking, Channel channel, string words, PeopleDesk desk, CancellationToken stop)
    {
        var how = ContactWords.Of(channel);
        PersonRow? made = null;
        if (row.PersonId is null)
        {
            await WhoAsks.LockAsync(db, asking, stop);
            var (person, isNew) = await WhoAsks.FindOrMakeAsync(db, desk, asking, Say($"asked by {how}"), stop);
            row.PersonId = person.Id;
            made = isNew ? person : null;
        }

        // It stands among the inquiries; it is not shown as an answer that waits beside that.
        row.SeenAt = desk.Now;
        row.GuessId = null;
        await db.SaveChangesAsync(stop);
        await new DealingsDesk(db, desk, desk.Now).InquireAsync(row.PersonId.Value, null, how, words.Trim(), stop, new Arrival(ReceivedId: row.Id, OfSomebodyNew: made is not null));
        await InquiryConsent.AddAsync(db, desk, row.PersonId.Value, channel, Say($"asked by {how}"), words.Trim(), stop);
    }
}
