using Germinal.Core.Broadcasts;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Broadcasts;

/// <summary>People who do not get a broadcast, for one reason.</summary>
/// <param name="Reason">In words.</param>
/// <param name="Word">The reason's word; <c>no-consent</c> is the one a member may overrule (rule 10.5).</param>
/// <param name="Count">How many.</param>
/// <param name="People">The first of them by name.</param>
public sealed record BroadcastHeld(string Reason, string Word, int Count, IReadOnlyList<PersonRef> People);

/// <summary>How many go by one way.</summary>
public sealed record BroadcastBy(string Kind, int Count);

/// <summary>How many go on one day of the practice.</summary>
public sealed record BroadcastDay(string Date, int Count);

/// <summary>What would come of a broadcast if it were sent: the engine lived through it, nothing was sent.</summary>
/// <param name="People">For how many it is.</param>
/// <param name="LookedAt">How many of them were gone through; fewer where there are very many.</param>
/// <param name="Goes">How many get it.</param>
/// <param name="By">By which way.</param>
/// <param name="Held">Who does not, and why.</param>
/// <param name="Begins">When it begins.</param>
/// <param name="First">When the first goes; null where none does.</param>
/// <param name="Last">When the last goes.</param>
/// <param name="Days">How many on which day: a daily limit or pace spreads them.</param>
/// <param name="Price">What it costs, in the practice's money; null where no prices are set.</param>
/// <param name="Currency">The currency's code (ISO 4217).</param>
public sealed record BroadcastForecast(
    int People,
    int LookedAt,
    int Goes,
    IReadOnlyList<BroadcastBy> By,
    IReadOnlyList<BroadcastHeld> Held,
    string Begins,
    string? First,
    string? Last,
    IReadOnlyList<BroadcastDay> Days,
    decimal? Price,
    string Currency
);

/// <summary>Looks what a broadcast would do before it is sent, by a rehearsal of everybody it is for with everything else that comes for them (rule 12.1).</summary>
/// <param name="desk">For the engine with it on.</param>
/// <param name="letters">For how long texts are.</param>
public sealed class BroadcastLook(ProgramDesk desk, LetterDesk letters)
{
    /// <summary>The most people one look goes through.</summary>
    public const int MostPeople = 20_000;

    private const int Named = 60;

    // What waits for pace or a daily limit moves on by days; a broadcast that is late after three is looked at for longer.
    private static readonly Duration LookedOn = Duration.FromDays(10);

    /// <summary>Rehearses it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="row">The broadcast; nothing may be wrong with its plan.</param>
    /// <param name="begins">When it would begin.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<BroadcastForecast> OfAsync(GerminalDb db, BroadcastRow row, Instant begins, Instant now, CancellationToken stop)
    {
        var program = BroadcastProgram.Of(row.Name, row.Plan);
        var id = row.ProgramId ?? row.Id;
        var engine = await desk.EngineWithAsync(db, id, program, now, stop);
        var all = await BroadcastAudience.IdsAsync(db, engine, row.Plan, begins, stop);
        var prices = MessagePrices.Of((await db.OwnPracticeAsync(stop)).Settings);
        var adding = new Adding(engine, id, begins, prices, (step, person, at) => letters.Fill(step, person, engine.Practice, at));
        var mine = all.Take(MostPeople).ToHashSet();

        // Where a day holds only so many messages, everybody else's count too.
        var others = engine.SharesCounts ? await db.People.AsNoTracking().OrderBy(p => p.Id).Select(p => p.Id).Take(MostPeople).ToListAsync(stop) : [];
        var on = engine.Shelf.On.First(p => p.Current.ProgramId == id).Current;
        IReadOnlyList<Happening> HappensTo(Guid person) =>
            mine.Contains(person) ? [.. row.Plan.LetGo.Where(l => l.Person == person).Select(l => Overruled(on, l, begins)), new StartedByHand(begins, id, "", ByBroadcast: true)] : [];
        var actors = await ActorReading.ReadAsync(db, engine, mine.Concat(others.Where(o => !mine.Contains(o))), HappensTo, stop).ToListAsync(stop);

        void Take(int at, Actor actor, IReadOnlyList<RehearsedTouch> touches)
        {
            if (mine.Contains(actor.Person.Id))
            {
                adding.Take(actor, touches);
            }
        }

        await Task.Run(() => Rehearsal.OfMany(engine, actors, now, begins + LookedOn, Take, null, stop), stop);
        return adding.Result(all.Count);
    }

    /// <summary>Rule 10.5 for one of a broadcast's recipients: the touch by the first way is let go.</summary>
    internal static ConsentOverruled Overruled(ProgramVersion program, LetGo letGo, Instant at)
    {
        var first = program.Definition.Steps[0] is SplitStep split ? split.Passages[Shares.PassageOf(program.ProgramId, split, letGo.Person)].Steps[0] : program.Definition.Steps[0];
        return new ConsentOverruled(at, TouchState.IdOf(RunState.IdOf(letGo.Person, program.ProgramId, 1), first.Id), letGo.By, letGo.Reason);
    }

    /// <summary>Adds up what comes, from several threads at once.</summary>
    private sealed class Adding(TouchEngine engine, Guid id, Instant begins, MessagePrices prices, Func<TextStep, PersonFacts, Instant, string> fill)
    {
        private readonly Lock gate = new();
        private readonly Dictionary<string, int> by = new(StringComparer.Ordinal);
        private readonly SortedDictionary<LocalDate, int> days = [];
        private readonly Dictionary<string, (int Count, SortedSet<(string Name, Guid Id)> First)> held = new(StringComparer.Ordinal);
        private int lookedAt;
        private int goes;
        private decimal price;
        private Instant? first;
        private Instant? last;

        public void Take(Actor actor, IReadOnlyList<RehearsedTouch> touches)
        {
            var mine = touches.Where(t => t.Program.ProgramId == id && t.Step.Channel is not null).ToList();
            lock (gate)
            {
                lookedAt++;
                if (mine.Find(t => t.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done) is { } went)
                {
                    goes++;
                    by[went.Step.Kind] = by.GetValueOrDefault(went.Step.Kind) + 1;
                    var date = went.At.InZone(engine.Practice.Zone).Date;
                    days[date] = days.GetValueOrDefault(date) + 1;
                    (first, last) = (Min(first, went.At), Max(last, went.At));
                    price += prices.Of(went.Step, () => fill((TextStep)went.Step, actor.Person, went.At));
                }
                else
                {
                    Hold(actor, mine.FirstOrDefault(t => t.Reason is not null)?.Reason ?? RefusalOf(actor));
                }
            }
        }

        /// <summary>Why it does not even start for somebody.</summary>
        private string RefusalOf(Actor actor) =>
            engine.React(actor.Person, actor.State, new StartedByHand(begins, id, "", ByBroadcast: true)).Effects.OfType<StartRefused>().FirstOrDefault()?.Reason ?? Reason.Late.Word();

        private void Hold(Actor actor, string reason)
        {
            var (count, names) = held.GetValueOrDefault(reason, (0, []));
            names.Add((actor.Person.Name, actor.Person.Id));
            if (names.Count > Named)
            {
                names.Remove(names.Max);
            }

            held[reason] = (count + 1, names);
        }

        public BroadcastForecast Result(int people) =>
            new(
                people,
                lookedAt,
                goes,
                [.. by.OrderByDescending(b => b.Value).Select(b => new BroadcastBy(b.Key, b.Value))],
                [.. held.OrderByDescending(h => h.Value.Count).ThenBy(h => h.Key, StringComparer.Ordinal).Select(h => new BroadcastHeld(Why.Reason(h.Key), h.Key, h.Value.Count, [.. h.Value.First.Select(p => new PersonRef(p.Id, p.Name))]))],
                begins.Iso(),
                first?.Iso(),
                last?.Iso(),
                [.. days.Select(d => new BroadcastDay(d.Key.Iso(), d.Value))],
                prices.IsSet ? price : null,
                prices.Currency
            );

        private static Instant Min(Instant? a, Instant b) => a is { } known && known < b ? known : b;

        private static Instant Max(Instant? a, Instant b) => a is { } known && known > b ? known : b;
    }
}
