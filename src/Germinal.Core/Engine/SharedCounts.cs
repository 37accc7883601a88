using System.Collections.Concurrent;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// Who gets a place under the daily limits and start limits of a rehearsal. People concern each other through these counts
/// only, so everybody is first run as if there were room for all, and what they ask is noted. Then the dates are gone
/// through in order: where more ask than there are places, the last one to get a place is found, and those who asked after
/// it are run again knowing so. A date that has been gone through never changes, because whoever runs again asks the same
/// up to the place they did not get. What is kept is one line for each thing asked, not the people.
/// </summary>
internal sealed class SharedCounts
{
    private readonly record struct Asked(Counter Counter, AskOrder Order, bool Takes, int Person);

    private readonly TouchEngine engine;
    private readonly IReadOnlyList<Actor> people;
    private readonly Instant from;
    private readonly Instant until;
    private readonly CancellationToken stop;

    /// <summary>The last who gets a place, of counts where not all do; null where nobody does.</summary>
    private readonly ConcurrentDictionary<Counter, AskOrder?> last = new();

    private readonly SortedDictionary<LocalDate, Dictionary<Counter, List<Asked>>> dates = [];

    private SharedCounts(TouchEngine engine, IReadOnlyList<Actor> people, Instant from, Instant until, CancellationToken stop)
    {
        this.engine = engine;
        this.people = people;
        this.from = from;
        this.until = until;
        this.stop = stop;
    }

    /// <summary>Finds out who gets a place.</summary>
    public static SharedCounts Settle(TouchEngine engine, IReadOnlyList<Actor> people, Instant from, Instant until, CancellationToken stop)
    {
        var counts = new SharedCounts(engine, people, from, until, stop);
        if (!counts.AnyRunsFull())
        {
            return counts;
        }

        counts.Run([.. Enumerable.Range(0, people.Count)]);
        LocalDate? date = null;
        while (counts.DateAfter(date) is { } next)
        {
            counts.Settle(next);
            date = next;
        }

        counts.dates.Clear();
        return counts;
    }

    /// <summary>
    /// Everybody as if there were room for all, only counting: where nothing is asked for more often than there are places, all
    /// have one and nobody has to be put in order.
    /// </summary>
    private bool AnyRunsFull()
    {
        var asked = new ConcurrentDictionary<Counter, int>();
        Rehearsal.OnAllCores(
            people.Count,
            () => new Tally(),
            (i, tally) => new PersonRehearsal(engine, people[i], from, until, tally, keeps: false).RunToHorizon(),
            tally =>
            {
                foreach (var (counter, times) in tally.Asked)
                {
                    asked.AddOrUpdate(counter, times, (_, before) => before + times);
                }
            },
            stop
        );
        return asked.Any(a => a.Value > a.Key.Limit);
    }

    /// <summary>The answers for one person's run.</summary>
    public ICounters Answers() => new Log(last, null, 0);

    /// <summary>One who asked no later than the last who gets a place; or the very touch that has it.</summary>
    private static bool HasPlace(AskOrder order, AskOrder? last) => last is { } place && (order <= place || order.IsAgain(place));

    private LocalDate? DateAfter(LocalDate? date)
    {
        foreach (var known in dates.Keys)
        {
            if (date is null || known > date)
            {
                return known;
            }
        }

        return null;
    }

    private void Settle(LocalDate date)
    {
        while (FirstFull(date) is { } full)
        {
            last[full.Counter] = full.Last;
            var refused = dates[date][full.Counter].Where(a => !HasPlace(a.Order, full.Last)).Select(a => a.Person).Distinct().ToArray();
            Forget(date, refused);
            Run(refused);
        }
    }

    /// <summary>
    /// The count of a date in which somebody asks after its last place, the one that runs full first: what was asked before
    /// that can change no more.
    /// </summary>
    private (Counter Counter, AskOrder? Last)? FirstFull(LocalDate date)
    {
        (Counter Counter, AskOrder? Last)? first = null;
        AskOrder? firstRefused = null;
        foreach (var (counter, asked) in dates[date])
        {
            if (last.ContainsKey(counter))
            {
                continue;
            }

            asked.Sort((a, b) => a.Order.CompareTo(b.Order));
            var places = 0;
            AskOrder? lastPlace = null;
            foreach (var ask in asked)
            {
                if (lastPlace is { } held && ask.Order.IsAgain(held))
                {
                    continue;
                }

                if (places >= counter.Limit)
                {
                    if (firstRefused is null || ask.Order < firstRefused)
                    {
                        firstRefused = ask.Order;
                        first = (counter, lastPlace);
                    }

                    break;
                }

                if (ask.Takes)
                {
                    places++;
                    lastPlace = ask.Order;
                }
            }
        }

        return first;
    }

    private void Forget(LocalDate fromDate, int[] who)
    {
        var gone = who.ToHashSet();
        foreach (var (date, counts) in dates)
        {
            if (date >= fromDate)
            {
                foreach (var asked in counts.Values)
                {
                    asked.RemoveAll(a => gone.Contains(a.Person));
                }
            }
        }

        again = fromDate;
    }

    private LocalDate again = LocalDate.MinIsoValue;

    /// <summary>Runs people with what is known so far and notes what they ask, from the date that is being settled on.</summary>
    private void Run(int[] who)
    {
        var bag = new ConcurrentBag<List<Asked>>();
        Rehearsal.OnAllCores(
            who.Length,
            () => new List<Asked>(),
            (i, notes) => new PersonRehearsal(engine, people[who[i]], from, until, new Log(last, notes, who[i]), keeps: false).RunToHorizon(),
            bag.Add,
            stop
        );
        foreach (var ask in bag.SelectMany(n => n).Where(a => a.Counter.Date >= again))
        {
            if (!dates.TryGetValue(ask.Counter.Date, out var counts))
            {
                dates[ask.Counter.Date] = counts = [];
            }

            if (!counts.TryGetValue(ask.Counter, out var asked))
            {
                counts[ask.Counter] = asked = [];
            }

            asked.Add(ask);
        }
    }

    private sealed class Log(ConcurrentDictionary<Counter, AskOrder?> last, List<Asked>? notes, int person) : ICounters
    {
        public bool Ask(Counter counter, AskOrder order, bool takes)
        {
            notes?.Add(new Asked(counter, order, takes, person));
            return !last.TryGetValue(counter, out var place) || HasPlace(order, place);
        }
    }
}
