using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>The touch that something which came in is about, with the message it sent; the person is who read that.</summary>
public sealed record TouchOf(Guid PracticeId, Guid PersonId, Guid TouchId, Guid ProgramId, string StepId, MessageRow Message)
{
    /// <summary>The touch of an id, if its message went out; null else. Looks over all practices.</summary>
    public static Task<TouchOf?> FindAsync(GerminalDb db, Guid touchId, CancellationToken stop) =>
        FirstAsync(db, db.Messages.IgnoreQueryFilters().Where(m => m.TouchId == touchId), stop);

    /// <summary>The touch whose message has one of these ids, the first of them first; null for none.</summary>
    public static async Task<TouchOf?> FindAsync(GerminalDb db, IReadOnlyList<string> messageIds, CancellationToken stop)
    {
        foreach (var id in messageIds)
        {
            if (await FirstAsync(db, db.Messages.IgnoreQueryFilters().Where(m => m.MessageId == id), stop) is { } found)
            {
                return found;
            }
        }

        return null;
    }

    /// <summary>The last message of a channel that went to an address; null for none.</summary>
    public static Task<TouchOf?> LastToAsync(GerminalDb db, string channel, string address, CancellationToken stop) =>
        FirstAsync(db, db.Messages.IgnoreQueryFilters().Where(m => m.ToAddress == address && m.Channel == channel).OrderByDescending(m => m.SentAt), stop);

    // What a member does with a message is nothing a person did: nothing of theirs is about it.
    private static async Task<TouchOf?> FirstAsync(GerminalDb db, IQueryable<MessageRow> messages, CancellationToken stop)
    {
        var found = await messages
            .Where(m => m.MemberId == null)
            .Join(
                db.Touches.IgnoreQueryFilters(),
                m => m.TouchId,
                t => t.Id,
                (m, t) =>
                    new
                    {
                        Message = m,
                        t.ProgramId,
                        t.StepId,
                    }
            )
            .FirstOrDefaultAsync(stop);
        return found is null
            ? null
            : new TouchOf(found.Message.PracticeId, found.Message.PersonId, found.Message.TouchId, found.ProgramId, found.StepId, found.Message);
    }

    /// <summary>Names the touch in an event's words.</summary>
    public (string Key, string Value) Word => ("touch", TouchId.ToString());

    /// <summary>The same of a touch that may not be known; then no word.</summary>
    public static (string Key, string Value)[] WordsOf(TouchOf? touch) => touch is null ? [] : [touch.Word];
}
