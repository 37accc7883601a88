using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.People;

/// <summary>
/// What goes on between a person and the practice: opportunities, appointments and inquiries. Each change and its event are
/// written together; the caller saves, or commits.
/// </summary>
public sealed class DealingsDesk(GerminalDb db, PeopleDesk desk, Instant now)
{
    /// <summary>Opens an opportunity; the person's stage follows it forward (rule 5.8). The caller has a transaction open.</summary>
    public async Task<OpportunityRow> OpenOpportunityAsync(Guid person, string title, string stage, Guid? owner, CancellationToken stop)
    {
        var row = new OpportunityRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            PersonId = person,
            Title = title,
            Stage = stage,
            StageBefore = await StageOfAsync(person, stop),
            OwnerId = owner,
            OpenedAt = now,
            StageSince = now,
        };
        db.Opportunities.Add(row);
        Note(row, "open");
        db.Events.Add(
            desk.NewNote(person, EventKinds.OpportunityOpened, ("opportunity", row.Id.ToString()), ("title", title), ("stage", stage))
        );
        await FollowAsync(row, row.StageBefore, stop);
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>Moves an opportunity to another stage; the person's stage follows it forward (rule 5.8). The caller has a transaction open.</summary>
    public async Task MoveOpportunityAsync(OpportunityRow row, string stage, CancellationToken stop)
    {
        if (row.Stage == stage)
        {
            return;
        }

        (row.Stage, row.StageSince) = (stage, now);
        Note(row, "open");
        await FollowAsync(row, await StageOfAsync(row.PersonId, stop), stop);
        await db.SaveChangesAsync(stop);
    }

    private void Note(OpportunityRow row, string status, Instant? at = null) =>
        db.OpportunityMoves.Add(
            new OpportunityMoveRow
            {
                PracticeId = row.PracticeId,
                OpportunityId = row.Id,
                At = at ?? now,
                Stage = row.Stage,
                Status = status,
            }
        );

    private Task<string?> StageOfAsync(Guid person, CancellationToken stop) =>
        db.People.Where(p => p.Id == person).Select(p => p.Stage).FirstOrDefaultAsync(stop);

    private IReadOnlyList<Pipeline>? pipelines;

    private async Task<IReadOnlyList<Pipeline>> PipelinesAsync(CancellationToken stop) => pipelines ??= (await PracticeReading.LoadAsync(db, stop)).Pipelines;

    private async Task FollowAsync(OpportunityRow row, string? standing, CancellationToken stop)
    {
        if (StageFollowing.Entering(await PipelinesAsync(stop), standing, row.Stage) is { } stage)
        {
            await desk.MoveStageAsync([row.PersonId], stage, stop);
            row.MovedTo = stage;
        }
    }

    /// <summary>
    /// Closes an opportunity as won or lost: won moves the person to the pipeline's last stage, lost puts them back where they stood when it was
    /// opened (rule 5.8). The reason of a loss is kept at the person, where rules read it. The caller has a transaction open.
    /// </summary>
    /// <param name="row">The opportunity.</param>
    /// <param name="won">Won, else lost.</param>
    /// <param name="reason">Why it was lost; null for one that was won.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="worth">What it brought; null leaves what it was said to be worth.</param>
    /// <param name="on">When, where that was not now.</param>
    /// <returns>False where it was closed already.</returns>
    public async Task<bool> CloseOpportunityAsync(OpportunityRow row, bool won, string? reason, CancellationToken stop, decimal? worth = null, Instant? on = null)
    {
        var (status, lost, closed) = (won ? "won" : "lost", won ? null : reason, on ?? now);
        if (
            await db
                .Opportunities.Where(o => o.Id == row.Id && o.Status == "open")
                .ExecuteUpdateAsync(u => u.SetProperty(o => o.Status, status).SetProperty(o => o.LostReason, lost).SetProperty(o => o.ClosedAt, closed).SetProperty(o => o.Worth, o => worth ?? o.Worth), stop)
            == 0
        )
        {
            return false;
        }

        // Nothing of its way lies before what came last.
        Note(row, status, Instant.Max(closed, row.StageSince));
        if (lost is not null)
        {
            await db.People.Where(p => p.Id == row.PersonId).ExecuteUpdateAsync(u => u.SetProperty(p => p.LostReason, lost), stop);
        }

        var standing = await StageOfAsync(row.PersonId, stop);
        db.Events.Add(
            desk.NewEvent(row.PersonId, won ? new Won(now) : new Lost(now, reason), ("opportunity", row.Id.ToString()), ("title", row.Title))
        );
        await db.SaveChangesAsync(stop);
        if (won && StageFollowing.Won(await PipelinesAsync(stop), standing, row.Stage) is { } last)
        {
            await desk.MoveStageAsync([row.PersonId], last, stop);
        }
        else if (!won && StageFollowing.LostPutsBack(standing, row.MovedTo))
        {
            await desk.MoveStageAsync([row.PersonId], row.StageBefore, stop);
        }

        return true;
    }

    /// <summary>Books an appointment; <paramref name="more"/> puts in what else is known of it before it is saved.</summary>
    public async Task<AppointmentRow> BookAsync(Guid person, string type, Instant at, string? place, Guid? with, CancellationToken stop, Action<AppointmentRow>? more = null)
    {
        var row = new AppointmentRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            PersonId = person,
            Type = type,
            At = at,
            Place = place,
            WithId = with,
        };
        more?.Invoke(row);
        db.Appointments.Add(row);
        db.Events.Add(desk.NewEvent(person, new AppointmentMade(now, row.Id.ToString(), type, at)));
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>Moves an appointment; what counts from it is planned anew (rule 4.4).</summary>
    public async Task MoveAsync(AppointmentRow row, Instant at, CancellationToken stop)
    {
        (row.At, row.MissedAt) = (at, null);
        db.Events.Add(desk.NewEvent(row.PersonId, new AppointmentMade(now, row.Id.ToString(), row.Type, at, Moved: true)));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Cancels an appointment; its runs stop, and the row says so. The caller has a transaction open.</summary>
    /// <returns>False where it was cancelled already.</returns>
    public async Task<bool> CancelAsync(AppointmentRow row, CancellationToken stop)
    {
        if (
            await db.Appointments.Where(a => a.Id == row.Id && a.CancelledAt == null).ExecuteUpdateAsync(u => u.SetProperty(a => a.CancelledAt, now), stop)
            == 0
        )
        {
            return false;
        }

        row.CancelledAt = now;
        db.Events.Add(
            desk.NewEvent(
                row.PersonId,
                new AppointmentCancelled(now, row.Id.ToString(), row.Type),
                ("moment", InstantPattern.ExtendedIso.Format(row.At))
            )
        );
        await db.SaveChangesAsync(stop);
        return true;
    }

    /// <summary>
    /// Notes that they did not come to an appointment that has been, or that they did after all; rules ask for both, and the engine looks at them
    /// anew. The caller has a transaction open.
    /// </summary>
    /// <returns>False where it was noted so already.</returns>
    public async Task<bool> MissedAsync(AppointmentRow row, bool missed, CancellationToken stop)
    {
        var at = missed ? now : (Instant?)null;
        if (
            await db
                .Appointments.Where(a => a.Id == row.Id && a.CancelledAt == null && (a.MissedAt != null) != missed)
                .ExecuteUpdateAsync(u => u.SetProperty(a => a.MissedAt, at), stop) == 0
        )
        {
            return false;
        }

        db.Events.AddRange(
            desk.NewNote(row.PersonId, EventKinds.AppointmentMissed, ("type", row.Type), ("missed", missed ? "yes" : "no")),
            desk.NewEvent(row.PersonId, new FactsChanged(now))
        );
        await db.SaveChangesAsync(stop);
        return true;
    }

    /// <summary>Somebody asked for something.</summary>
    /// <param name="person">Who.</param>
    /// <param name="form">The form, or null.</param>
    /// <param name="how">form, email, text, phone or hand.</param>
    /// <param name="text">What they wrote or said.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="arrival">What else is known of it; null for nothing.</param>
    public async Task<InquiryRow> InquireAsync(Guid person, string? form, string how, string text, CancellationToken stop, Arrival? arrival = null)
    {
        var row = new InquiryRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            PersonId = person,
            Form = form,
            How = how,
            Text = text,
            ReceivedAt = now,
            Topic = arrival?.Topic,
            SubmissionId = arrival?.SubmissionId,
            ReceivedId = arrival?.ReceivedId,
            TouchId = arrival?.TouchId,
        };
        var who = await db.People.FindAsync([person], stop) ?? throw new InvalidOperationException("Nobody is there who asks.");
        await InquiryGiving.GiveAsync(db, row, who, arrival?.FormId, now, stop);
        db.Inquiries.Add(row);
        if (arrival?.OfSomebodyNew == true)
        {
            // Looked after by whoever gets what they ask.
            who.OwnerId ??= row.OwnerId;
        }

        db.Events.Add(
            desk.NewEvent(person, new Inquired(now, form), ("inquiry", row.Id.ToString()), ("how", how), ("text", text))
        );
        await db.SaveStepAsync(stop);
        return row;
    }

    /// <summary>A person's open inquiries have been answered, however it was done. The caller has a transaction open.</summary>
    /// <param name="person">Who asked.</param>
    /// <param name="by">The member, by name.</param>
    /// <param name="outcome">A word of <see cref="InquiryOutcomes"/>.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>How many there were.</returns>
    public async Task<int> AnswerAsync(Guid person, string by, string outcome, CancellationToken stop)
    {
        var answered = await db
            .Inquiries.Where(i => i.PersonId == person && i.AnsweredAt == null)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.AnsweredAt, now).SetProperty(i => i.AnsweredBy, by).SetProperty(i => i.Outcome, outcome), stop);
        if (answered > 0)
        {
            db.Events.Add(desk.NewEvent(person, new InquiriesAnswered(now)));
            await db.SaveChangesAsync(stop);
        }

        return answered;
    }
}
