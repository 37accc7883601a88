using Germinal.Service.Engine;
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
    /// <summary>Opens an opportunity; the person enters its stage.</summary>
    public async Task<OpportunityRow> OpenOpportunityAsync(Guid person, string title, string stage, Guid? owner, CancellationToken stop)
    {
        var row = new OpportunityRow { Id = Guid.CreateVersion7(), PracticeId = db.PracticeId!.Value, PersonId = person, Title = title, Stage = stage, OwnerId = owner, OpenedAt = now };
        db.Opportunities.Add(row);
        db.Events.Add(desk.NewEvent(person, EventKinds.OpportunityOpened, new() { ["opportunity"] = row.Id.ToString(), ["title"] = title, ["stage"] = stage }));
        await db.SaveChangesAsync(stop);
        await desk.MoveStageAsync([person], stage, stop);
        return row;
    }

    /// <summary>Moves an opportunity to another stage, and the person with it.</summary>
    public async Task MoveOpportunityAsync(OpportunityRow row, string stage, CancellationToken stop)
    {
        row.Stage = stage;
        await db.SaveChangesAsync(stop);
        await desk.MoveStageAsync([row.PersonId], stage, stop);
    }

    /// <summary>Closes an opportunity as won or lost; the reason of a loss is kept at the person, where rules read it.</summary>
    public async Task CloseOpportunityAsync(OpportunityRow row, bool won, string? reason, CancellationToken stop)
    {
        row.Status = won ? "won" : "lost";
        row.LostReason = won ? null : reason;
        row.ClosedAt = now;
        if (!won && reason is not null)
        {
            var person = await db.People.SingleAsync(p => p.Id == row.PersonId, stop);
            person.LostReason = reason;
        }

        db.Events.Add(desk.NewEvent(row.PersonId, won ? EventKinds.Won : EventKinds.Lost, new() { ["opportunity"] = row.Id.ToString(), ["title"] = row.Title, ["reason"] = reason ?? "" }));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Books an appointment.</summary>
    public async Task<AppointmentRow> BookAsync(Guid person, string type, Instant at, string? place, Guid? with, CancellationToken stop)
    {
        var row = new AppointmentRow { Id = Guid.CreateVersion7(), PracticeId = db.PracticeId!.Value, PersonId = person, Type = type, At = at, Place = place, WithId = with };
        db.Appointments.Add(row);
        Note(row, EventKinds.AppointmentBooked);
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>Moves an appointment; what counts from it is planned anew (rule 4.4).</summary>
    public async Task MoveAsync(AppointmentRow row, Instant at, CancellationToken stop)
    {
        row.At = at;
        Note(row, EventKinds.AppointmentMoved);
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Cancels an appointment; its runs stop.</summary>
    public async Task CancelAsync(AppointmentRow row, CancellationToken stop)
    {
        row.CancelledAt = now;
        Note(row, EventKinds.AppointmentCancelled);
        await db.SaveChangesAsync(stop);
    }

    private void Note(AppointmentRow row, string kind) => db.Events.Add(desk.NewEvent(row.PersonId, kind, new()
    {
        ["appointment"] = row.Id.ToString(), ["type"] = row.Type, ["moment"] = InstantPattern.ExtendedIso.Format(row.At),
    }));

    /// <summary>Somebody asked for something.</summary>
    /// <param name="person">Who.</param>
    /// <param name="form">The form, or null.</param>
    /// <param name="how">form, email, text, phone or hand.</param>
    /// <param name="text">What they wrote or said.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<InquiryRow> InquireAsync(Guid person, string? form, string how, string text, CancellationToken stop)
    {
        var row = new InquiryRow { Id = Guid.CreateVersion7(), PracticeId = db.PracticeId!.Value, PersonId = person, Form = form, How = how, Text = text, ReceivedAt = now };
        db.Inquiries.Add(row);
        db.Events.Add(desk.NewEvent(person, EventKinds.InquiryReceived, new() { ["inquiry"] = row.Id.ToString(), ["form"] = form ?? "", ["how"] = how, ["text"] = text }));
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>A person's open inquiries have been answered, however it was done.</summary>
    /// <returns>How many there were.</returns>
    public async Task<int> AnswerAsync(Guid person, string by, CancellationToken stop)
    {
        var open = await db.Inquiries.Where(i => i.PersonId == person && i.AnsweredAt == null).ToListAsync(stop);
        foreach (var inquiry in open)
        {
            (inquiry.AnsweredAt, inquiry.AnsweredBy) = (now, by);
        }

        if (open.Count > 0)
        {
            db.Events.Add(desk.NewEvent(person, EventKinds.InquiryAnswered, []));
            await db.SaveChangesAsync(stop);
        }

        return open.Count;
    }
}
