using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tasks;

/// <summary>What members do with their own tasks. Each change is one transaction, which the caller has open.</summary>
/// <param name="db">A context of the practice.</param>
/// <param name="by">The member, by name.</param>
/// <param name="member">The member.</param>
/// <param name="now">Practice time.</param>
public sealed class TaskDesk(GerminalDb db, string by, Guid member, Instant now)
{
    /// <summary>Letters of the words with which a task is handed over.</summary>
    public const int LongestWords = 400;

    // Kept as it stands here; said in the language of whoever reads it.
    private static readonly string ByHand = ToSay("written by hand");

    /// <summary>Where a task came from, as it is told.</summary>
    public static string SourceWords(string source) => source == ByHand ? Said(ByHand) : source;

    private readonly PeopleDesk desk = new(db, by, now);

    /// <summary>Writes a task; the caller saves.</summary>
    /// <param name="kind">call or task.</param>
    /// <param name="title">What is to be done.</param>
    /// <param name="due">On which day.</param>
    /// <param name="person">Whom it is about; null for nobody.</param>
    /// <param name="whose">On whose sheet it stands.</param>
    /// <param name="rule">When it comes again; empty for once.</param>
    /// <param name="source">Where it came from, in words.</param>
    public TaskRow Add(string kind, string title, LocalDate due, Guid? person, Guid? whose, string rule = "", string? source = null)
    {
        var row = new TaskRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            PersonId = person,
            MemberId = whose,
            Kind = kind,
            Title = title,
            Due = due,
            Source = source ?? ByHand,
            CreatedAt = now,
            Rule = rule,
            RepeatsFrom = rule.Length > 0 ? due : null,
            SeriesId = rule.Length > 0 ? Guid.CreateVersion7() : null,
        };
        db.Tasks.Add(row);
        return row;
    }

    /// <summary>Makes the tasks of a set, each on its working day; the caller saves.</summary>
    public IReadOnlyList<TaskRow> AddSet(TaskSetSettings set, LocalDate from, WorkCalendar calendar, Guid? person, Guid? whose) =>
        [.. set.Tasks.Select(t => Add(t.Kind, t.Title, calendar.WorkingDayAfter(from, t.Days) ?? from, person, whose, source: Say($"of “{set.Name}”")))];

    /// <summary>Hands an open task over, with a word.</summary>
    public async Task GiveAsync(TaskRow row, Guid to, string name, string words, CancellationToken stop)
    {
        (row.MemberId, row.Source) = (to, words.Length > 0 ? Say($"from {by}: “{words}”") : Say($"from {by}"));
        if (row.PersonId is { } person)
        {
            db.Events.Add(desk.NewNote(person, EventKinds.Remark, ("text", Say($"“{row.Title}” was given to {name}{(words.Length > 0 ? $": {words}" : "")}"))));
        }

        await db.SaveChangesAsync(stop);
    }

    /// <summary>Finishes a task, with what follows it; one that comes again stands on its next day.</summary>
    /// <param name="row">The task.</param>
    /// <param name="outcome">How it ended.</param>
    /// <param name="remark">A remark; null for none.</param>
    /// <param name="reached">Whether somebody was reached.</param>
    /// <param name="next">What follows; null for nothing.</param>
    /// <param name="today">The practice's day.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>False where it was done already.</returns>
    public async Task<bool> FinishAsync(TaskRow row, string outcome, string? remark, bool reached, CallNext? next, LocalDate today, CancellationToken stop)
    {
        if (
            await db.Tasks.Where(t => t.Id == row.Id && t.DoneAt == null).ExecuteUpdateAsync(u => u.SetProperty(t => t.DoneAt, now).SetProperty(t => t.Outcome, outcome), stop)
            == 0
        )
        {
            return false;
        }

        if (row is { RepeatsFrom: { } from, SeriesId: { } series } && TaskRepeats.Next(row.Rule, from, LocalDate.Max(row.Due, today)) is { } again)
        {
            var follower = Add(row.Kind, row.Title, again, row.PersonId, row.MemberId, row.Rule, row.Source);
            (follower.RepeatsFrom, follower.SeriesId) = (from, series);
        }

        if (row.PersonId is { } person)
        {
            (string, string)[] followed = next is not null ? await new CallFollowing(db, by, member, now).DoAsync(person, row.Title, next, today, stop) : [];
            db.Events.Add(
                desk.NewNote(
                    person,
                    EventKinds.Remark,
                    [
                        ("text", $"{(row.Kind == "call" ? "Called" : "Done")}: {row.Title} ({outcome}){(string.IsNullOrWhiteSpace(remark) ? "" : $". {remark.Trim()}")}"),
                        ("task", row.Id.ToString()),
                        .. followed,
                    ]
                )
            );
            await db.SaveChangesAsync(stop);
            if (row.Kind == "call")
            {
                await InquiryActs.CalledAsync(db, person, by, reached, now, stop);
            }
        }

        await db.SaveChangesAsync(stop);
        return true;
    }

    /// <summary>Puts a task that is done back on the sheet, with what followed taken back; its next one of a rule goes.</summary>
    /// <returns>False where it was not done.</returns>
    public async Task<bool> ReopenAsync(TaskRow row, CancellationToken stop)
    {
        if (
            await db
                .Tasks.Where(t => t.Id == row.Id && t.DoneAt != null)
                .ExecuteUpdateAsync(u => u.SetProperty(t => t.DoneAt, (Instant?)null).SetProperty(t => t.Outcome, (string?)null), stop) == 0
        )
        {
            return false;
        }

        if (row.SeriesId is { } series)
        {
            await db.Tasks.Where(t => t.SeriesId == series && t.Id != row.Id && t.DoneAt == null && t.Due > row.Due).ExecuteDeleteAsync(stop);
        }

        if (row.PersonId is { } person)
        {
            if (await CallFollowing.FindAsync(db, person, EventKinds.Remark, "task", row.Id, stop) is { } done)
            {
                await new CallFollowing(db, by, member, now).TakeBackAsync(person, done, stop);
            }

            db.Events.Add(desk.NewTakenBack(person, $"{row.Title} ({row.Outcome})"));
        }

        await db.SaveChangesAsync(stop);
        return true;
    }
}
