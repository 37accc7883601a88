using Germinal.Core.Contact;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Inquiries;

/// <summary>
/// Whoever asks may be written to about it for the practice's span (rule 10.4, basis <i>inquiry</i>), by the channel they asked by. A no that stands is not turned round by
/// it, and a yes that stands on more is not made shorter.
/// </summary>
public static class InquiryConsent
{
    /// <summary>Adds the entry where it says anything new. The caller has a transaction open, and has saved the person.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="desk">In whose name.</param>
    /// <param name="person">Who asks.</param>
    /// <param name="channel">By which channel they may be reached for it.</param>
    /// <param name="source">Where it was said: <i>the form “Ask us”</i>.</param>
    /// <param name="words">What they asked; the evidence.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="isNew">Whether all there is in their ledger was written by this context.</param>
    public static async Task AddAsync(GerminalDb db, PeopleDesk desk, Guid person, Channel channel, string source, string words, CancellationToken stop, bool isNew = false)
    {
        var practice = PracticeReading.Read(await db.OwnPracticeAsync(stop));
        List<ConsentRow> kept = isNew ? [] : await db.Consent.AsNoTracking().Where(c => c.PersonId == person).ToListAsync(stop);
        var said = kept.UnionBy(Written(db, person), c => c.Id).Select(FactsReading.Entry).ToList();
        var reading = ConsentLedger.Read(said, practice.Consent, channel, Purpose.Commercial, null, desk.Now, practice.Zone);
        if (reading.Verdict == ConsentVerdict.Withdrawn || reading is { Verdict: ConsentVerdict.Allowed, Decided.Basis: not ConsentBasis.Inquiry })
        {
            return;
        }

        await desk.AddConsentAsync(person, ContactWords.Of(channel), ContactWords.Of(Purpose.Commercial), null, true, ContactWords.Of(ConsentBasis.Inquiry), source, null, stop, words);
    }

    /// <summary>What this context has written of their ledger, saved or not. Entries are only ever added, so that nothing has to be looked for that was changed.</summary>
    private static List<ConsentRow> Written(GerminalDb db, Guid person)
    {
        var looks = db.ChangeTracker.AutoDetectChangesEnabled;
        db.ChangeTracker.AutoDetectChangesEnabled = false;
        try
        {
            return [.. db.Consent.Local.Where(c => c.PersonId == person)];
        }
        finally
        {
            db.ChangeTracker.AutoDetectChangesEnabled = looks;
        }
    }
}
