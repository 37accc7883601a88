using Germinal.Channels;
using Germinal.Channels.Calendars;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Meetings;

/// <summary>A calendar a member keeps elsewhere, as its owner sees it.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">What they call it.</param>
/// <param name="Host">Where it is read; null for a file.</param>
/// <param name="ReadAt">When it was last read well; null for never.</param>
/// <param name="Problem">Why it could not be read last; null where it could.</param>
/// <param name="Busy">How many stretches of the days ahead it takes.</param>
/// <param name="Next">The first of them that has not ended; null for none.</param>
public sealed record OwnCalendarDto(Guid Id, string Name, string? Host, string? ReadAt, string? Problem, int Busy, BusyDto? Next);

/// <summary>A stretch in which somebody is busy.</summary>
public sealed record BusyDto(string From, string Until);

/// <summary>
/// Members' own calendars: read from an address or a file, of which only is kept when they are busy. Busy times stand in the way of times
/// one can choose, and of calls.
/// </summary>
/// <param name="databases">Where they are kept.</param>
/// <param name="fetch">Reads addresses.</param>
/// <param name="secrets">Seals them.</param>
public sealed class OwnCalendars(IDbContextFactory<GerminalDb> databases, OutsideFetch fetch, Secrets secrets)
{
    /// <summary>The most calendars of one member.</summary>
    public const int MostOfOne = 10;

    /// <summary>So many days ahead are read.</summary>
    public const int DaysAhead = 400;

    private const string Accept = "text/calendar, text/plain;q=0.5, */*;q=0.1";
    private const int AtOnce = 20;

    private static readonly Duration Between = Duration.FromMinutes(30);
    private static readonly Duration Longest = Duration.FromHours(12);
    private static readonly Duration Lease = Duration.FromMinutes(2);

    private sealed record Due(Guid PracticeId, Guid Id);

    /// <summary>A member's own.</summary>
    public static async Task<IReadOnlyList<OwnCalendarDto>> OfAsync(GerminalDb db, Guid member, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var rows = await db
            .OwnCalendars.AsNoTracking()
            .Where(c => c.MemberId == member)
            .OrderBy(c => c.Name)
            .ThenBy(c => c.Id)
            .Select(c => new
            {
                Row = c,
                Count = db.BusyTimes.Count(b => b.CalendarId == c.Id && b.Until > now),
                Next = db.BusyTimes.Where(b => b.CalendarId == c.Id && b.Until > now).OrderBy(b => b.From).FirstOrDefault(),
            })
            .ToListAsync(stop);
        return
        [
            .. rows.Select(r => new OwnCalendarDto(
                r.Row.Id,
                r.Row.Name,
                r.Row.Host.Length > 0 ? r.Row.Host : null,
                r.Row.ReadAt?.Iso(),
                r.Row.Problem.Length > 0 ? r.Row.Problem : null,
                r.Count,
                r.Next is { } next ? new BusyDto(next.From.Iso(), next.Until.Iso()) : null
            )),
        ];
    }

    /// <summary>Takes a calendar in and reads it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="member">Whose it is.</param>
    /// <param name="name">What they call it.</param>
    /// <param name="address">Where it is read; null for a file.</param>
    /// <param name="file">The file; null for an address.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong, by field; nothing is kept then.</returns>
    public async Task<(string Field, string Message)?> AddAsync(GerminalDb db, Guid member, string name, string? address, byte[]? file, CancellationToken stop)
    {
        if (await db.OwnCalendars.CountAsync(c => c.MemberId == member, stop) >= MostOfOne)
        {
            return ("name", Say($"You have {MostOfOne} calendars here already. Take one out first."));
        }

        var asked = address is null ? null : OutsideFetch.AddressOf(address);
        if (address is not null && asked is null)
        {
            return ("address", Say($"“{address}” is no address of a calendar. One that begins with https:// or webcal:// would be right."));
        }

        var row = new OwnCalendarRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            MemberId = member,
            Name = name,
            SealedAddress = asked is null ? "" : secrets.Seal(asked.ToString()),
            Host = asked?.Host ?? "",
        };
        if (asked is not null)
        {
            var fetched = await fetch.GetAsync(asked, "", Accept, stop);
            if (fetched.Content is null)
            {
                return ("address", $"{asked.Host}: {fetched.Problem}");
            }

            file = fetched.Content;
        }

        if (await ReadAsync(db, file!, stop) is var (busy, problem) && problem is not null)
        {
            return (asked is null ? "file" : "address", char.ToUpperInvariant(problem[0]) + problem[1..]);
        }

        var machine = SystemClock.Instance.GetCurrentInstant();
        (row.ReadAt, row.NextRead) = (machine, asked is null ? null : machine + Between);
        db.OwnCalendars.Add(row);
        await KeepAsync(db, row, busy, stop);
        return null;
    }

    /// <summary>Takes one out, with all it took of the days.</summary>
    /// <returns>False where the member has no such calendar.</returns>
    public static async Task<bool> RemoveAsync(GerminalDb db, Guid member, Guid id, CancellationToken stop)
    {
        if (await db.OwnCalendars.Where(c => c.Id == id && c.MemberId == member).ExecuteDeleteAsync(stop) == 0)
        {
            return false;
        }

        // Capacity is read with the practice.
        await PracticeClock.ReadAnewAsync(db, stop);
        return true;
    }

    /// <summary>Reads those whose time it is, of all practices. One that fails keeps what it took, says so, and is tried later and later.</summary>
    /// <param name="onlyOf">Only this one, due or not; null for all that are due.</param>
    /// <param name="stop">Gives up.</param>
    public async Task ReadDueAsync(Guid? onlyOf, CancellationToken stop)
    {
        var machine = SystemClock.Instance.GetCurrentInstant();
        List<Due> due;
        await using (var db = await databases.CreateDbContextAsync(stop))
        {
            // Whoever takes one has it for a while: another worker does not ask the same server at the same moment.
            due = await db
                .Database.SqlQuery<Due>(
                    $"""
                    UPDATE own_calendars SET next_read = {machine + Lease}
                    WHERE id IN (SELECT id FROM own_calendars WHERE (next_read <= {machine} AND {onlyOf}::uuid IS NULL AND practice_id NOT IN (SELECT id FROM practices WHERE stopped_at IS NOT NULL)) OR (id = {onlyOf} AND next_read IS NOT NULL) ORDER BY next_read LIMIT {AtOnce} FOR UPDATE SKIP LOCKED)
                    RETURNING practice_id, id
                    """
                )
                .ToListAsync(stop);
        }

        foreach (var (practice, id) in due)
        {
            await using var db = await databases.CreateDbContextAsync(stop);
            db.PracticeId = practice;
            await ReadAgainAsync(db, id, stop);
        }
    }

    private async Task ReadAgainAsync(GerminalDb db, Guid id, CancellationToken stop)
    {
        if (await db.OwnCalendars.FirstOrDefaultAsync(c => c.Id == id, stop) is not { } row)
        {
            return;
        }

        // It is read again even where nothing changed: the days go on.
        var fetched = secrets.Unseal(row.SealedAddress) is { } address ? await fetch.GetAsync(new Uri(address), "", Accept, stop) : new Fetched(null, "", Said("its address cannot be read any more. Take it out, and add it again."));
        var problem = fetched.Problem;
        IReadOnlyList<Interval> busy = [];
        if (fetched.Content is { } file)
        {
            (busy, problem) = await ReadAsync(db, file, stop);
        }

        var machine = SystemClock.Instance.GetCurrentInstant();
        if (problem is not null)
        {
            row.Failures++;
            (row.Problem, row.NextRead) = ($"{row.Host}: {problem}", machine + Duration.Min(Longest, Between * (1L << Math.Min(row.Failures, 6))));
            await db.SaveChangesAsync(stop);
            return;
        }

        (row.Failures, row.Problem, row.ReadAt, row.NextRead) = (0, "", machine, machine + Between);
        await KeepAsync(db, row, busy, stop);
    }

    private static async Task<(IReadOnlyList<Interval> Busy, string? Problem)> ReadAsync(GerminalDb db, byte[] file, CancellationToken stop)
    {
        var zone = LocalClock.Zone((await db.OwnPracticeAsync(stop)).ZoneId) ?? DateTimeZone.Utc;
        var from = (await PracticeClock.NowAsync(db, stop)).InZone(zone).Date;
        var until = from.PlusDays(DaysAhead);
        var problem = BusyCalendar.Read(file, zone, from.AtStartOfDayInZone(zone).ToInstant(), until.AtStartOfDayInZone(zone).ToInstant(), out var busy);
        return (busy, problem);
    }

    /// <summary>Puts what it takes in the place of what it took; where that is another, calls are placed anew.</summary>
    private static async Task KeepAsync(GerminalDb db, OwnCalendarRow row, IReadOnlyList<Interval> busy, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.SaveChangesAsync(stop);
        var before = await db.BusyTimes.AsNoTracking().Where(b => b.CalendarId == row.Id).OrderBy(b => b.From).Select(b => new { b.From, b.Until }).ToListAsync(stop);
        if (!before.Select(b => new Interval(b.From, b.Until)).SequenceEqual(busy))
        {
            await db.BusyTimes.Where(b => b.CalendarId == row.Id).ExecuteDeleteAsync(stop);
            var (froms, untils) = (busy.Select(b => b.Start).ToArray(), busy.Select(b => b.End).ToArray());
            await db.Database.ExecuteSqlAsync(
                $"""
                INSERT INTO busy_times (practice_id, calendar_id, member_id, "from", until)
                SELECT {row.PracticeId}, {row.Id}, {row.MemberId}, f, u FROM unnest({froms}, {untils}) AS b(f, u)
                """,
                stop
            );
            await PracticeClock.ReadAnewAsync(db, stop);
        }

        await transaction.CommitAsync(stop);
    }
}
