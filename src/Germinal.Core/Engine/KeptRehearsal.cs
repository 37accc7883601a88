using System.Collections.Concurrent;
using System.Runtime.InteropServices;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// The rehearsal of many people, kept: whoever has changed is rehearsed again, and nobody else for as long as there is room for all. Where a
/// shared count runs full (rules 3.7, 5.5, 9.3) people concern each other, and all of them are rehearsed again.
/// </summary>
/// <typeparam name="T">What is kept of each person's touches.</typeparam>
/// <param name="engine">The engine with the practice's programs.</param>
/// <param name="until">The horizon, itself excluded.</param>
/// <param name="keep">What is kept of a person's touches, settled and still planned; called from several threads at once.</param>
public sealed class KeptRehearsal<T>(TouchEngine engine, Instant until, Func<Actor, IReadOnlyList<RehearsedTouch>, T> keep)
{
    private sealed record One(Actor Actor, T Kept, Dictionary<Counter, int> Asked);

    private readonly Dictionary<Guid, One> people = [];

    /// <summary>How often everybody asks for each count, as if there were room for all.</summary>
    private readonly Dictionary<Counter, int> asked = [];

    /// <summary>What everybody gets where there is not room for all; null where there is.</summary>
    private Dictionary<Guid, T>? tight;

    /// <summary>Everybody who is among them, with what is kept of them.</summary>
    public IEnumerable<(Actor Actor, T Kept)> All => people.Values.Select(p => (p.Actor, tight is null ? p.Kept : tight[p.Actor.Person.Id]));

    /// <summary>Rehearses those who are new or have changed.</summary>
    /// <param name="now">The moment it begins at for them, which is that of their states.</param>
    /// <param name="changed">Them, as they are now.</param>
    /// <param name="gone">Those who are no longer among them.</param>
    /// <param name="stop">Stops it; what is kept is then not to be used any more.</param>
    public void Change(Instant now, IReadOnlyList<Actor> changed, IReadOnlyCollection<Guid> gone, CancellationToken stop)
    {
        foreach (var id in gone.Concat(changed.Select(a => a.Person.Id)))
        {
            if (people.Remove(id, out var before))
            {
                Count(before.Asked, -1);
            }
        }

        var found = new ConcurrentBag<One>();
        Rehearsal.OnAllCores(
            changed.Count,
            static () => 0,
            (i, _) =>
            {
                var tally = new Tally();
                var one = new PersonRehearsal(engine, changed[i], now, until, engine.SharesCounts ? tally : null);
                one.RunToHorizon();
                found.Add(new One(changed[i], keep(changed[i], [.. one.Touches, .. one.Pending()]), tally.Asked));
            },
            static _ => { },
            stop
        );
        foreach (var one in found)
        {
            people[one.Actor.Person.Id] = one;
            Count(one.Asked, 1);
        }

        tight = asked.Any(a => a.Value > a.Key.Limit) ? WithoutRoomForAll(now, stop) : null;
    }

    private void Count(Dictionary<Counter, int> some, int by)
    {
        foreach (var (counter, times) in some)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(asked, counter, out _) += by * times;
        }
    }

    private Dictionary<Guid, T> WithoutRoomForAll(Instant now, CancellationToken stop)
    {
        var found = new ConcurrentDictionary<Guid, T>();
        Rehearsal.OfMany(engine, [.. people.Values.Select(p => p.Actor)], now, until, (_, actor, touches) => found[actor.Person.Id] = keep(actor, touches), null, stop);
        return new Dictionary<Guid, T>(found);
    }
}
