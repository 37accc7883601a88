using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>What can be done to people as one act. Closed; stored as its word.</summary>
public enum ActKind
{
    Tag,
    Untag,
    Stage,
    Join,
    Leave,
    Owner,
    Start,
}

/// <summary>How far an act is.</summary>
/// <param name="Id">The act.</param>
/// <param name="Kind">What was done: tag, untag, stage, join, leave, owner, start.</param>
/// <param name="What">The tag, the stage, the list; the member's name; of a start the program's.</param>
/// <param name="By">The member.</param>
/// <param name="At">When.</param>
/// <param name="People">For how many it was something new.</param>
/// <param name="Done">For how many of them the engine has taken it in.</param>
/// <param name="Started">Runs it has started.</param>
/// <param name="Undone">Whether it was taken back.</param>
public sealed record ActState(Guid Id, string Kind, string What, string By, Instant At, int People, int Done, int Started, bool Undone);

/// <summary>What taking an act back came to.</summary>
/// <param name="People">For how many it was taken back.</param>
/// <param name="TakenBack">Runs that are as if they had never been.</param>
/// <param name="Stopped">Runs that were stopped, because something of them had reached the person.</param>
/// <param name="Changed">People for whom somebody has changed the same thing since; it is left as it is.</param>
/// <param name="StaysStopped">Runs that the act stopped, and that stay stopped.</param>
public sealed record ActUndone(int People, int TakenBack, int Stopped, int Changed, int StaysStopped);

/// <summary>
/// What a member does to one person or many at once, in one transaction, and takes back as one. Taking it back sets the facts
/// right and takes back the runs it started, as far as nothing of them has gone out.
/// </summary>
/// <param name="db">A context of the member's practice.</param>
/// <param name="by">The member's name.</param>
/// <param name="now">Practice time.</param>
public sealed class Acts(GerminalDb db, string by, Instant now)
{
    /// <summary>What an act was, from its stored word.</summary>
    internal static ActKind KindOf(ActRow act) => Enum.Parse<ActKind>(act.Kind, ignoreCase: true);

    /// <summary>The word of a kind, as rows and addresses have it.</summary>
    public static string WordOf(ActKind kind) => kind.ToString().ToLowerInvariant();

    private Guid Practice => db.PracticeId!.Value;

    /// <summary>What an act is to one person, for the engine.</summary>
    /// <param name="kind">What is done.</param>
    /// <param name="what">The tag, the stage, the list, or the id of the member or program.</param>
    /// <param name="at">When.</param>
    /// <param name="by">Who does it.</param>
    public static Happening HappeningOf(ActKind kind, string what, Instant at, string by) =>
        kind switch
        {
            ActKind.Tag => new TagPutOn(at, what),
            ActKind.Untag => new TagTakenOff(at, what),
            ActKind.Stage => new EnteredStage(at, what),
            ActKind.Join => new JoinedList(at, what),
            ActKind.Leave => new LeftList(at, what),
            ActKind.Owner => new GivenToOwner(at, Guid.Parse(what)),
            ActKind.Start => new StartedByHand(at, Guid.Parse(what), by),
            _ => throw new ArgumentOutOfRangeException(nameof(kind)),
        };

    /// <summary>Does it to everybody; those for whom it is nothing new are passed over.</summary>
    /// <returns>The act, and for how many it was something new; no act is kept where that is nobody.</returns>
    public async Task<(Guid? Act, int Count)> DoAsync(ActKind kind, string what, Guid[] people, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var act = new ActRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = Practice,
            At = now,
            By = by,
            Kind = WordOf(kind),
            What = what,
        };
        db.Acts.Add(act);
        await db.SaveChangesAsync(stop);
        var desk = new PeopleDesk(db, by, now, act.Id);
        var count = await (
            kind switch
            {
                ActKind.Tag => desk.PutTagAsync(people, what, stop),
                ActKind.Untag => desk.TakeTagAsync(people, what, stop),
                ActKind.Stage => desk.MoveStageAsync(people, what, stop),
                ActKind.Join => desk.JoinListAsync(people, what, stop),
                ActKind.Leave => desk.LeaveListAsync(people, what, stop),
                ActKind.Owner => desk.GiveToAsync(people, Guid.Parse(what), stop),
                ActKind.Start => desk.StartProgramAsync(people, Guid.Parse(what), bySwitchingOn: false, stop),
                _ => throw new ArgumentOutOfRangeException(nameof(kind)),
            }
        );
        if (count == 0)
        {
            return (null, 0);
        }

        await transaction.CommitAsync(stop);
        return (act.Id, count);
    }

    /// <summary>How far an act is; null where there is none such.</summary>
    public async Task<ActState?> ReadAsync(Guid id, CancellationToken stop)
    {
        if (await db.Acts.AsNoTracking().FirstOrDefaultAsync(a => a.Id == id, stop) is not { } act)
        {
            return null;
        }

        var events = db.Events.Where(e => e.ActId == id);
        var (people, done) = (await events.CountAsync(stop), await events.CountAsync(e => e.HandledAt != null, stop));
        var kind = KindOf(act);
        var what = act.What;
        if (kind == ActKind.Start)
        {
            var program = Guid.Parse(what);
            what = await db.ProgramsAndBroadcasts.Where(p => p.Id == program).Select(p => p.Name).FirstOrDefaultAsync(stop) ?? "";
        }
        else if (kind == ActKind.Owner)
        {
            var member = Guid.Parse(what);
            what = await db.Users.Where(u => u.Id == member).Select(u => u.Name).FirstOrDefaultAsync(stop) ?? "";
        }

        return new ActState(id, act.Kind, what, act.By, act.At, people, done, await StartedBy(act).CountAsync(stop), act.UndoneAt is not null);
    }

    /// <summary>Takes an act back. Of several who do so at one moment one does, the others find it done.</summary>
    /// <returns>Null where there is none such, or it was taken back already.</returns>
    public async Task<ActUndone?> UndoAsync(Guid id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (
            await db.Acts.Where(a => a.Id == id && a.UndoneAt == null).ExecuteUpdateAsync(u => u.SetProperty(a => a.UndoneAt, now), stop) == 0
            || await db.Acts.AsNoTracking().FirstOrDefaultAsync(a => a.Id == id, stop) is not { } act
        )
        {
            return null;
        }

        var people = await db.Events.Where(e => e.ActId == id).OrderBy(e => e.PersonId).Select(e => e.PersonId).ToArrayAsync(stop);
        await PersonLock.TakeAsync(db, people, stop);

        // What the engine has not taken in yet it never will.
        await db.Events.Where(e => e.ActId == id && e.HandledAt == null).ExecuteUpdateAsync(u => u.SetProperty(e => e.HandledAt, now), stop);
        var gone = GoneOut.Of(db);
        var runs = await StartedBy(act)
            .Select(r => new
            {
                r.Id,
                r.PersonId,
                Out = gone.Any(t => t.RunId == r.Id),
            })
            .ToListAsync(stop);
        var desk = new PeopleDesk(db, by, now);
        foreach (var run in runs)
        {
            db.Events.Add(desk.NewEvent(run.PersonId, run.Out ? new RunStoppedByHand(now, run.Id, by) : new StartTakenBack(now, run.Id, by)));
        }

        var stays = await db
            .Runs.Where(r => r.StopReason != null && db.Events.Any(e => e.ActId == id && e.PersonId == r.PersonId && e.At == r.EndedAt))
            .CountAsync(stop);
        await db.SaveChangesAsync(stop);
        var reverted = await desk.TakeBackAsync(act, people, stop);
        await transaction.CommitAsync(stop);
        return new ActUndone(reverted, runs.Count(r => !r.Out), runs.Count(r => r.Out), people.Length - reverted, stays);
    }

    /// <summary>The unfinished runs that the act started: they begin at its moment.</summary>
    private IQueryable<RunRow> StartedBy(ActRow act)
    {
        var runs = db.Runs.Where(r => r.EndedAt == null && db.Events.Any(e => e.ActId == act.Id && e.PersonId == r.PersonId && e.At == r.StartedAt));
        if (KindOf(act) == ActKind.Start)
        {
            var program = Guid.Parse(act.What);
            return runs.Where(r => r.ProgramId == program);
        }

        return runs;
    }
}
