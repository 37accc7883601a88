using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>
/// Takes back what a member did to one person, for as long as nothing has built on it: a stop, a pause, a drop, “do not
/// contact”, a yes or a no, an inquiry that was answered. The reactor keeps how the person stood before and after.
/// </summary>
public sealed class EventUndo(GerminalDb db, Engines engines, string by)
{
    /// <summary>Why something cannot be taken back any more; what to say to the member.</summary>
    public static string TooLate =>
        Said("Since then something else has happened to this person: a message went, a program started, somebody answered. It can no longer be taken back as a whole; do what is needed by hand.");

    /// <summary>The kinds that can be taken back when a member did them.</summary>
    private static readonly string[] Kinds =
    [
        EventKinds.RunStopped,
        EventKinds.RunPaused,
        EventKinds.RunResumed,
        EventKinds.TouchMarked,
        EventKinds.DoNotContact,
        EventKinds.OptedIn,
        EventKinds.OptedOut,
        EventKinds.InquiryAnswered,
    ];

    /// <summary>
    /// Whether what stood before is worth keeping: it was a member's own act, by itself, of a kind that can be taken back, and nothing
    /// else came of it.
    /// </summary>
    public static bool IsWorthKeeping(EventRow happened, IReadOnlyList<Effect> effects) =>
        happened is { By: not null, ActId: null }
        && Kinds.Contains(happened.Kind)
        && (happened.Kind != EventKinds.TouchMarked || happened.Data.GetValueOrDefault("mark") == "dropped")
        && (happened.Kind is not (EventKinds.OptedIn or EventKinds.OptedOut) || happened.Data.ContainsKey("entry"))
        && TakingBack.IsPossible(effects);

    /// <summary>Takes an event of a person back.</summary>
    /// <param name="person">Whom it is about.</param>
    /// <param name="id">The event.</param>
    /// <param name="what">What it was, in words, for the thread.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null when it was taken back; else why not, in words for the member.</returns>
    public async Task<string?> TakeBackAsync(Guid person, long id, string what, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await PersonLock.TakeAsync(db, person, stop))
        {
            return TooLate;
        }

        var happened = await db.Events.FirstOrDefaultAsync(e => e.Id == id && e.PersonId == person, stop);
        if (happened is null || !Kinds.Contains(happened.Kind))
        {
            return TooLate;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (happened.HandledAt is null)
        {
            // Nobody has taken it in yet, and nobody will.
            happened.HandledAt = now;
        }
        else
        {
            var row = await db.States.AsNoTracking().SingleAsync(s => s.PersonId == person, stop);
            if (
                happened is not { Before: { } before, After: { } after }
                || PersonStateJson.Read(after) is var left && !TakingBack.NothingBuiltOn(PersonStateJson.Read(row.State), left)
            )
            {
                return TooLate;
            }

            var stood = PersonStateJson.Read(before);
            var recorder = new Recorder(db, (await engines.OfAsync(db, stop)).Engine);
            recorder.TakeWhole(row, stood, TakingBack.Effects(stood, left, now), now);
            (happened.Before, happened.After) = (null, null);
            await recorder.WriteAsync(Instant.MinValue, stop);
        }

        await FactsAsync(happened, now, stop);
        db.Events.Add(new PeopleDesk(db, by, now).NewTakenBack(person, what));
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return null;
    }

    /// <summary>What stands of it beside the engine's memory.</summary>
    private async Task FactsAsync(EventRow happened, Instant now, CancellationToken stop)
    {
        switch (happened.Kind)
        {
            case EventKinds.DoNotContact:
                var row = await db.People.SingleAsync(p => p.Id == happened.PersonId, stop);
                (row.DoNotContact, row.DoNotContactReason, row.DoNotContactUntil, row.Died) = (false, null, null, false);
                row.Edition++;
                break;
            case EventKinds.OptedIn or EventKinds.OptedOut:
                var entry = long.Parse(happened.Data["entry"], System.Globalization.CultureInfo.InvariantCulture);
                await db
                    .Consent.Where(c => c.Id == entry && c.PersonId == happened.PersonId)
                    .ExecuteUpdateAsync(u => u.SetProperty(c => c.TakenBackAt, now).SetProperty(c => c.TakenBackBy, by), stop);
                break;
            case EventKinds.InquiryAnswered:
                await db
                    .Inquiries.Where(i => i.PersonId == happened.PersonId && i.AnsweredAt == happened.At)
                    .ExecuteUpdateAsync(u => u.SetProperty(i => i.AnsweredAt, (Instant?)null).SetProperty(i => i.Outcome, (string?)null), stop);
                break;
        }
    }
}
