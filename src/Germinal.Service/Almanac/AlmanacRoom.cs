using System.Collections.Concurrent;
using System.Runtime.InteropServices;
using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Programs;
using Germinal.Store;
using NodaTime;

namespace Germinal.Service.Almanac;

/// <summary>What comes for everybody of a practice, from a moment to a horizon.</summary>
/// <param name="Engine">The practice's engine it was rehearsed with.</param>
/// <param name="From">The moment it begins.</param>
/// <param name="People">Those for whom something can come, by id.</param>
/// <param name="ByPerson">What comes for each of them, in order of time.</param>
/// <param name="ByDay">What comes on each day, in no order.</param>
/// <param name="Calls">Everybody's calls on their days: those that stand on the sheet already, and those that come.</param>
public sealed record Foreseen(
    TouchEngine Engine,
    Instant From,
    IReadOnlyDictionary<Guid, PersonFacts> People,
    IReadOnlyDictionary<Guid, IReadOnlyList<ComingTouch>> ByPerson,
    IReadOnlyDictionary<LocalDate, List<ComingTouch>> ByDay,
    IReadOnlyList<CallAt> Calls
)
{
    /// <summary>The program that is laid over it, as if it were on; null for what does come.</summary>
    public Guid? WhatIf { get; init; }

    /// <summary>What pages have been made of it already, by what they asked for.</summary>
    internal ConcurrentDictionary<(AlmanacFilter Filter, LocalDate First, LocalDate Last), AlmanacParts> Worked { get; } = [];

    /// <summary>Everything that comes, in no order.</summary>
    public IEnumerable<ComingTouch> All => ByDay.Values.SelectMany(d => d);

    /// <summary>Puts what comes for each of them in order, with the calls on their days.</summary>
    internal static async Task<Foreseen> OfAsync(
        GerminalDb db,
        TouchEngine engine,
        Instant now,
        IEnumerable<(PersonFacts Person, IReadOnlyList<ComingTouch> Coming)> all,
        CancellationToken stop
    )
    {
        var (people, byPerson, byDay) = (new Dictionary<Guid, PersonFacts>(), new Dictionary<Guid, IReadOnlyList<ComingTouch>>(), new Dictionary<LocalDate, List<ComingTouch>>());
        foreach (var (person, touches) in all)
        {
            (people[person.Id], byPerson[person.Id]) = (person, touches);
            foreach (var touch in touches)
            {
                (CollectionsMarshal.GetValueRefOrAddDefault(byDay, touch.Date, out _) ??= []).Add(touch);
            }
        }

        var found = new Foreseen(engine, now, people, byPerson, byDay, []);
        return found with { Calls = await AlmanacCalling.PlaceAsync(db, found, now.InZone(engine.Practice.Zone).Date, stop) };
    }
}

/// <summary>
/// The rehearsal of everything that is on, kept warm in this process: what has not changed since the last look is not rehearsed again.
/// Nothing of it is saved.
/// </summary>
/// <param name="desk">For the practice's engine.</param>
public sealed class AlmanacRoom(ProgramDesk desk) : IDisposable
{
    /// <summary>How far it looks: a year of whole weeks, and the rest of this one.</summary>
    public const int Weeks = 53;

    private const int MostPractices = 16;
    private static readonly TimeSpan ReadAnewAfter = TimeSpan.FromMinutes(15);

    // Of each practice, and of each that sees only some of its people.
    private readonly ConcurrentDictionary<(Guid Practice, string? Sees), Kept> rooms = [];

    private sealed class Kept : IDisposable
    {
        public readonly SemaphoreSlim Gate = new(1);
        public readonly AlmanacPeople People = new();
        public KeptRehearsal<IReadOnlyList<ComingTouch>>? Rehearsal;
        public Foreseen? Found;
        public DateTime ReadAt;
        public DateTime UsedAt = DateTime.UtcNow;

        public void Dispose() => Gate.Dispose();
    }

    /// <summary>What comes, as things stand now.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="stop">Gives up; what was worked out stays for the next.</param>
    public async Task<Foreseen> OfAsync(GerminalDb db, CancellationToken stop)
    {
        var kept = rooms.GetOrAdd((db.PracticeId!.Value, db.Sees), _ => new Kept());
        await kept.Gate.WaitAsync(stop);
        try
        {
            kept.UsedAt = DateTime.UtcNow;
            return kept.Found = await FreshAsync(kept, db, stop);
        }
        catch
        {
            // Whatever was begun is not to be built on.
            (kept.Found, kept.ReadAt) = (null, default);
            throw;
        }
        finally
        {
            kept.Gate.Release();
            Forget();
        }
    }

    private async Task<Foreseen> FreshAsync(Kept kept, GerminalDb db, CancellationToken stop)
    {
        var engine = await desk.EngineAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var zone = engine.Practice.Zone;
        var today = now.InZone(zone).Date;
        var until = HorizonOf(today, zone);
        var isSame = kept.Found is { } before && ReferenceEquals(before.Engine, engine) && before.From <= now && before.From.InZone(zone).Date == today;
        if (!isSame || DateTime.UtcNow - kept.ReadAt > ReadAnewAfter)
        {
            // What is read of people depends on what the engine asks.
            kept.People.Forget();
            (kept.ReadAt, isSame) = (DateTime.UtcNow, false);
        }

        var (read, gone) = await kept.People.RefreshAsync(db, engine, until, stop);
        if (isSame && read.Count == 0 && gone.Count == 0)
        {
            return kept.Found!;
        }

        var rehearsal = kept.Rehearsal = isSame ? kept.Rehearsal! : new KeptRehearsal<IReadOnlyList<ComingTouch>>(engine, until, (actor, touches) => ComingTouch.Of(engine.Practice, actor, touches, until));
        await Task.Run(() => rehearsal.Change(now, read, gone, stop), stop);
        return await Foreseen.OfAsync(db, engine, now, rehearsal.All.Select(p => (p.Item1.Person, p.Item2)), stop);
    }

    /// <summary>Where it ends, looked at from a day.</summary>
    internal static Instant HorizonOf(LocalDate today, DateTimeZone zone) => today.Monday().PlusWeeks(Weeks).AtStartOfDayInZone(zone).ToInstant();

    /// <summary>What nobody has asked for the longest goes first.</summary>
    private void Forget()
    {
        foreach (var (practice, _) in rooms.OrderBy(r => r.Value.UsedAt).Take(Math.Max(0, rooms.Count - MostPractices)).ToList())
        {
            rooms.TryRemove(practice, out _);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var kept in rooms.Values)
        {
            kept.Dispose();
        }
    }
}
