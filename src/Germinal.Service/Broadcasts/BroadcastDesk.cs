using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Broadcasts;

/// <summary>What is done with broadcasts: looked over, sent, taken back before they begin, paused, stopped.</summary>
/// <param name="programs">Looks over the program it becomes.</param>
public sealed class BroadcastDesk(ProgramDesk programs)
{
    // Where a broadcast stands, as its row says.
    public const string Draft = "draft";
    public const string Waiting = "waiting";
    public const string Going = "going";
    public const string Paused = "paused";
    public const string Stopped = "stopped";
    public const string Done = "done";

    /// <summary>Everything that keeps a broadcast from being sent, and what a member should know.</summary>
    public async Task<IReadOnlyList<Finding>> FindingsAsync(GerminalDb db, BroadcastRow row, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var plan = row.Plan;
        var today = now.InZone(practice.Zone).Date;
        var wrong = BroadcastCheck.Findings(plan, today).ToList();
        wrong.AddRange(await WhoFindingsAsync(db, plan, stop));
        if (plan.Repeat is { } repeat && TaskRepeats.Problem(repeat.Rule, today) is { } problem)
        {
            wrong.Add(new Finding("/repeat/rule", problem));
        }

        if (plan.Repeat is not null && plan.When.Kind == BroadcastWhen.Now)
        {
            wrong.Add(new Finding("/when/kind", Said("What repeats has a day and a time; say when the first goes.")));
        }

        if (wrong.Count > 0)
        {
            return wrong;
        }

        if (plan.When.Kind != BroadcastWhen.Now && await BeginsAsync(db, practice, plan, now, stop) is { } begins && begins < now)
        {
            wrong.Add(new Finding("/when/time", Said("That moment is over. Choose a later one, or send it now.")));
        }

        // What is wrong with its words is found where programs are looked over; it stands at the way it belongs to.
        var found = await programs.FindingsAsync(db, row.ProgramId ?? row.Id, BroadcastProgram.Of(row.Name, plan), stop);
        wrong.AddRange(found.Select(f => f with { Pointer = WayPointer(f.Pointer) }).Distinct());
        wrong.AddRange(await BroadcastAddresses.HeavyAsync(db, plan, stop));
        return wrong;
    }

    /// <summary>When it begins: at once, at its moment, or when its local time first comes for anybody it is for.</summary>
    public static async Task<Instant> BeginsAsync(GerminalDb db, Practice practice, BroadcastPlan plan, Instant now, CancellationToken stop)
    {
        if (plan.When.Kind == BroadcastWhen.Now)
        {
            return now;
        }

        var local = LocalDatePattern.Iso.Parse(plan.When.Date).Value + TimesOfDay.Form.Parse(plan.When.Time).Value;
        if (plan.When.Kind == BroadcastWhen.Moment)
        {
            return LocalClock.At(local, practice.Zone);
        }

        var zones = await BroadcastAudience.ZonesAsync(db, plan, now, stop);
        return zones.Select(z => LocalClock.At(local, (z is null ? null : LocalClock.Zone(z)) ?? practice.Zone)).DefaultIfEmpty(LocalClock.At(local, practice.Zone)).Min();
    }

    /// <summary>Sends it: from now on it waits for its moment, and does not change any more.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="row">The broadcast, with which nothing is wrong.</param>
    /// <param name="by">The member.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task SendAsync(GerminalDb db, BroadcastRow row, string by, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var begins = await BeginsAsync(db, practice, row.Plan, now, stop);
        var name = await FreeNameAsync(db, row.Name, stop);
        var definition = ProgramFile.Write(BroadcastProgram.Of(name, row.Plan)).ToJsonString();
        var program = new ProgramRow
        {
            // The broadcast's own: who falls on which version is by the program's id, and was shown before it was sent.
            Id = row.Id,
            PracticeId = row.PracticeId,
            Name = name,
            Draft = definition,
            DraftBy = by,
            Broadcast = true,
            Status = "on",
            OnSince = now,
            CurrentVersion = 1,
            CreatedAt = now,
            OwnerId = row.MemberId,
        };
        db.Add(program);
        db.ProgramVersions.Add(new ProgramVersionRow { ProgramId = program.Id, Version = 1, PracticeId = row.PracticeId, Definition = definition, PublishedAt = now, By = by });
        (row.Status, row.ProgramId, row.BeginsAt, row.SentBy) = (Waiting, program.Id, begins, by);
        row.Edition++;
        if (row.Plan.Repeat is not null)
        {
            row.SeriesId ??= row.Id;
            row.SeriesDate ??= begins.InZone(practice.Zone).Date;
        }

        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
    }

    /// <summary>Takes back one that has not begun: it is a draft again.</summary>
    /// <returns>False where it has begun, or is none that waits.</returns>
    public static async Task<bool> TakeBackAsync(GerminalDb db, Guid id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { Status: Waiting } row)
        {
            return false;
        }

        await TakeBackAsync(db, row, stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    private static async Task TakeBackAsync(GerminalDb db, BroadcastRow row, CancellationToken stop)
    {
        var program = row.ProgramId;
        (row.Status, row.ProgramId, row.BeginsAt, row.SentBy) = (Draft, null, null, null);
        row.Edition++;
        await db.SaveChangesAsync(stop);
        await db.ProgramVersions.Where(v => v.ProgramId == program).ExecuteDeleteAsync(stop);
        await db.ProgramsAndBroadcasts.Where(p => p.Id == program).ExecuteDeleteAsync(stop);
    }

    /// <summary>Nothing of any of them goes by itself any more: those that wait are drafts again, those that are going are held. In the caller's transaction.</summary>
    internal static async Task HoldAllAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        foreach (var row in await db.Broadcasts.AsTracking().Where(b => b.Status == Waiting).ToListAsync(stop))
        {
            await TakeBackAsync(db, row, stop);
        }

        foreach (var row in await db.Broadcasts.AsTracking().Where(b => b.Status == Going).ToListAsync(stop))
        {
            await SetPausedAsync(db, row, true, now, stop);
        }
    }

    private static async Task SetPausedAsync(GerminalDb db, BroadcastRow row, bool paused, Instant now, CancellationToken stop)
    {
        row.Status = paused ? Paused : Going;
        var program = await db.ProgramsAndBroadcasts.SingleAsync(p => p.Id == row.ProgramId, stop);
        await ProgramDesk.SetPausedAsync(db, program, paused, null, now, stop);
    }

    /// <summary>Holds one that is going, or lets it go on (rule 13.2).</summary>
    /// <returns>False where it is not going, or not held.</returns>
    public static async Task<bool> PauseAsync(GerminalDb db, Guid id, bool paused, Instant now, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { } row || row.Status != (paused ? Going : Paused))
        {
            return false;
        }

        await SetPausedAsync(db, row, paused, now, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>Stops one for good: what has not gone does not go.</summary>
    /// <returns>False where there is nothing to stop.</returns>
    public static async Task<bool> StopAsync(GerminalDb db, Guid id, string by, Instant now, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await LockedAsync(db, id, stop) is not { Status: Waiting or Going or Paused } row)
        {
            return false;
        }

        var program = await db.ProgramsAndBroadcasts.SingleAsync(p => p.Id == row.ProgramId, stop);
        await NeverStartsAsync(db, program.Id, now, stop);
        await ProgramDesk.ForAllRunsAsync(db, program, new ProgramStoppedByHand(now, program.Id), by, stop);
        (row.Status, row.EndedAt, row.DecideAt) = (Stopped, now, null);
        // Its runs are stopped by the engine one by one, which a pause would keep it from.
        (program.Status, program.PausedUntil) = (Over, null);
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>The status of a program whose broadcast is over.</summary>
    internal const string Over = "over";

    /// <summary>A draft that goes once more, with another subject, to those who did not open this one.</summary>
    /// <returns>Null where there has been one already, or it is not one that can.</returns>
    public static async Task<BroadcastRow?> AgainAsync(GerminalDb db, BroadcastRow row, string subject, Guid member, string by, Instant now, CancellationToken stop)
    {
        if (row.BeganAt is null || row.AgainOf is not null || row.Plan.WayOf("email") is not { } email || await db.Broadcasts.AnyAsync(b => b.AgainOf == row.Id, stop))
        {
            return null;
        }

        var again = new BroadcastRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = row.PracticeId,
            Name = await FreeTitleAsync(db, Say($"{row.Name}, again"), stop),
            AgainOf = row.Id,
            MemberId = member,
            By = by,
            CreatedAt = now,
            Plan = row.Plan with
            {
                To = new BroadcastTo { Kind = "recipients", Broadcast = row.Id, Did = "not-opened" },
                With = [],
                Ways = [email with { Subject = subject }],
                When = new BroadcastWhen(),
                Test = null,
                Repeat = null,
                LetGo = [],
            },
        };
        db.Broadcasts.Add(again);
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateException e) when (e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation })
        {
            // Asked for twice at one moment: one of the two has it.
            return null;
        }

        return again;
    }

    /// <summary>A name no broadcast has yet.</summary>
    public static async Task<string> FreeTitleAsync(GerminalDb db, string wanted, CancellationToken stop)
    {
        var taken = await db.Broadcasts.AsNoTracking().Where(b => b.Name.StartsWith(wanted)).Select(b => b.Name).ToListAsync(stop);
        return FreeName.Of(wanted, taken);
    }

    private static async Task<string> FreeNameAsync(GerminalDb db, string wanted, CancellationToken stop)
    {
        var taken = await db.ProgramsAndBroadcasts.AsNoTracking().Where(p => p.Name.StartsWith(wanted)).Select(p => p.Name).ToListAsync(stop);
        return FreeName.Of(wanted, taken);
    }

    /// <summary>The row, locked until the transaction ends, so that of several who do something with it one after the other does.</summary>
    public static Task<BroadcastRow?> LockedAsync(GerminalDb db, Guid id, CancellationToken stop) =>
        db.Broadcasts.FromSql($"SELECT * FROM broadcasts WHERE id = {id} AND practice_id = {db.PracticeId} FOR UPDATE").AsTracking().FirstOrDefaultAsync(stop);

    /// <summary>Starts of a program that the engine has not taken in never happen.</summary>
    private static Task NeverStartsAsync(GerminalDb db, Guid program, Instant now, CancellationToken stop)
    {
        var text = program.ToString();
        return db.Database.ExecuteSqlAsync(
            $"UPDATE events SET handled_at = {now} WHERE practice_id = {db.PracticeId} AND handled_at IS NULL AND kind = {EventKinds.Start} AND data ->> 'program' = {text}",
            stop
        );
    }

    private static async Task<IReadOnlyList<Finding>> WhoFindingsAsync(GerminalDb db, BroadcastPlan plan, CancellationToken stop)
    {
        var wrong = new List<Finding>();
        var (to, name) = (plan.To, plan.To.Name);
        if (to.Kind == "segment" && name.Length > 0 && !await db.Segments.AnyAsync(s => s.MemberId == null && s.Name == name, stop))
        {
            wrong.Add(new Finding("/to/name", Say($"There is no segment “{name}” any more. Choose another.")));
        }

        if (to.Kind == "list" && name.Length > 0 && !await db.Lists.AnyAsync(l => l.Name == name, stop))
        {
            wrong.Add(new Finding("/to/name", Say($"There is no list “{name}” any more. Choose another.")));
        }

        if (to.Kind == "recipients" && to.Broadcast is { } earlier && !await db.Broadcasts.AnyAsync(b => b.Id == earlier && b.BeganAt != null, stop))
        {
            wrong.Add(new Finding("/to/broadcast", Said("That broadcast has not gone to anybody yet. Choose one that has.")));
        }

        if (plan.PartOf is { } part && !await db.Programs.AnyAsync(p => p.Id == part, stop))
        {
            wrong.Add(new Finding("/partOf", Said("There is no such program any more. Choose another, or none.")));
        }

        return wrong;
    }

    /// <summary>Where something in the broadcast's program stands in its plan.</summary>
    private static string WayPointer(string pointer)
    {
        if (!pointer.StartsWith("/steps/", StringComparison.Ordinal))
        {
            return pointer == "/startsWhen" ? "" : pointer;
        }

        var way = pointer.Split('/').Count(p => p == "otherwise");
        var last = pointer[(pointer.LastIndexOf('/') + 1)..];
        return FormattableString.Invariant($"/ways/{way}{(last is "subject" or "body" or "attachments" ? "/" + last : "")}");
    }
}
