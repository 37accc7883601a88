using System.Collections.Concurrent;
using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>What goes out in one week, of the program and of everything else that is on.</summary>
/// <param name="Begins">Its Monday, as a date.</param>
/// <param name="Messages">Emails, texts and notes of the program.</param>
/// <param name="Calls">Its calls.</param>
/// <param name="MessagesAnyway">Emails, texts and notes of all other programs.</param>
/// <param name="CallsAnyway">Their calls.</param>
public sealed record RehearsedWeek(string Begins, int Messages, int Calls, int MessagesAnyway, int CallsAnyway);

/// <summary>A member's calls against what they can make.</summary>
/// <param name="Name">The member; “nobody” for calls that have no owner.</param>
/// <param name="Calls">Calls of the program.</param>
/// <param name="Anyway">Calls of all other programs.</param>
/// <param name="Over">Days on which more calls stand than they can make, with how many.</param>
public sealed record RehearsedCalls(string Name, int Calls, int Anyway, IReadOnlyList<OverDay> Over);

/// <summary>A day on which more calls stand than a member can make.</summary>
public sealed record OverDay(string Day, int Calls);

/// <summary>Touches that would not go, for one reason.</summary>
/// <param name="Reason">In words.</param>
/// <param name="Touches">How many touches.</param>
/// <param name="Count">How many people.</param>
/// <param name="People">The first of them, by name.</param>
public sealed record HeldBack(string Reason, int Touches, int Count, IReadOnlyList<PersonRef> People);

/// <summary>Somebody who gets something, and how much.</summary>
public sealed record WhoGets(PersonRef Person, int Touches, int HeldBack);

/// <summary>A program rehearsed over everybody it would start for, beside everything else that is on.</summary>
/// <param name="From">The moment it begins.</param>
/// <param name="Until">The moment it ends.</param>
/// <param name="LookedAt">How many people were gone through.</param>
/// <param name="Starting">How many it starts for in that time.</param>
/// <param name="Finished">How many come to its end in that time.</param>
/// <param name="Counts">How many of its touches go, by kind of step.</param>
/// <param name="Weeks">Week by week.</param>
/// <param name="Members">Calls, by member.</param>
/// <param name="Held">What would not go, and why.</param>
/// <param name="Who">Who gets it, the first by name.</param>
/// <param name="Price">What the messages of the program cost, in the practice's money; null where no prices are set.</param>
/// <param name="Currency">The currency's code.</param>
public sealed record RehearsalResult(
    string From,
    string Until,
    int LookedAt,
    int Starting,
    int Finished,
    IReadOnlyDictionary<string, int> Counts,
    IReadOnlyList<RehearsedWeek> Weeks,
    IReadOnlyList<RehearsedCalls> Members,
    IReadOnlyList<HeldBack> Held,
    IReadOnlyList<WhoGets> Who,
    decimal? Price,
    string Currency
);

/// <summary>Rehearses a program's draft over a practice: the engine on a virtual clock, nothing sent or saved (rule 12.1).</summary>
/// <param name="desk">For who would start.</param>
/// <param name="letters">For how long texts are.</param>
public sealed class ProgramRehearsal(ProgramDesk desk, LetterDesk letters)
{
    /// <summary>The most people one rehearsal goes through.</summary>
    public const int MostPeople = 20_000;

    private const int NamesShown = 12;
    private const int PeopleShown = 300;
    private const int DaysShown = 20;

    /// <summary>Whom a program starts for by itself as time goes by, without anything they do.</summary>
    private static bool StartsByTime(ProgramDefinition program) => program.StartsWhen.Any(t => t is OccasionTrigger or AppointmentTrigger or StageAge or InquiryUnanswered);

    /// <summary>Rehearses it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="id">The program.</param>
    /// <param name="program">Its draft, its letters filled in.</param>
    /// <param name="from">Practice time.</param>
    /// <param name="until">The end.</param>
    /// <param name="prices">What messages cost.</param>
    /// <param name="progress">Told how many of how many people are done.</param>
    /// <param name="stop">Stops it.</param>
    public async Task<RehearsalResult> RunAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        Instant from,
        Instant until,
        MessagePrices prices,
        Action<int, int> progress,
        CancellationToken stop
    )
    {
        var engine = await desk.EngineWithAsync(db, id, program, from, stop);
        var starting = (await desk.WhoStartsAsync(db, id, program, from, stop)).Starting.Select(s => s.Id).ToHashSet();
        var actors = await ActorsAsync(db, engine, id, starting, from, stop);
        progress(0, actors.Count);
        var counting = new Counting(engine.Practice.AsFor(program), id, letters, prices);
        var done = 0;
        await Task.Run(
            () =>
                Rehearsal.OfMany(
                    engine,
                    actors,
                    from,
                    until,
                    (_, actor, touches) =>
                    {
                        counting.Take(actor.Person, touches);
                        progress(Interlocked.Increment(ref done), actors.Count);
                    },
                    null,
                    stop
                ),
            stop
        );
        return counting.Result(from, until, actors.Count);
    }

    /// <summary>What would come for everybody if the program were on, of this program and of the others.</summary>
    /// <inheritdoc cref="RunAsync"/>
    /// <returns>The engine with it on, and everybody with what comes for them, who has nothing left out.</returns>
    public async Task<(TouchEngine Engine, IReadOnlyList<(PersonFacts Person, IReadOnlyList<ComingTouch> Coming)> All)> ComingAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        Instant from,
        Instant until,
        CancellationToken stop
    )
    {
        var engine = await desk.EngineWithAsync(db, id, program, from, stop);
        var starting = (await desk.WhoStartsAsync(db, id, program, from, stop)).Starting.Select(s => s.Id).ToHashSet();
        var actors = await ActorsAsync(db, engine, id, starting, from, stop);
        var all = new ConcurrentBag<(PersonFacts, IReadOnlyList<ComingTouch>)>();
        void Take(int at, Actor actor, IReadOnlyList<RehearsedTouch> touches)
        {
            if (ComingTouch.Of(engine.Practice, actor, touches, until) is { Count: > 0 } coming)
            {
                all.Add((actor.Person, coming));
            }
        }

        await Task.Run(() => Rehearsal.OfMany(engine, actors, from, until, Take, null, stop), stop);
        return (engine, [.. all]);
    }

    /// <summary>Everything that comes for one person, of this program and of the others; those it would not start for by itself have it started now.</summary>
    /// <returns>Null where there is no such person.</returns>
    public async Task<IReadOnlyList<(string Program, bool Here, RehearsedTouch Touch)>?> OfOneAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        Guid person,
        Instant from,
        Instant until,
        CancellationToken stop
    )
    {
        if (!await db.People.AnyAsync(p => p.Id == person, stop))
        {
            return null;
        }

        var engine = await desk.EngineWithAsync(db, id, program, from, stop);
        var facts = (await FactsReading.LoadAsync(db, [person], stop, engine))[person];
        var json = await db.States.AsNoTracking().Where(s => s.PersonId == person).Select(s => s.State).FirstOrDefaultAsync(stop);
        Happening? first = StartsByTime(program) ? null : new StartedByHand(from, id, "", true);
        return
        [
            .. Rehearsal
                .Of(engine, facts, json is null ? PersonState.Empty : PersonStateJson.Read(json), from, until, first, 500)
                .Select(t => (t.Program.Definition.Name, t.Program.ProgramId == id, t)),
        ];
    }

    private static async Task<IReadOnlyList<Actor>> ActorsAsync(
        GerminalDb db,
        TouchEngine engine,
        Guid id,
        HashSet<Guid> starting,
        Instant from,
        CancellationToken stop
    )
    {
        var ids = await db.People.AsNoTracking().OrderBy(p => p.SortName).ThenBy(p => p.Id).Select(p => p.Id).Take(MostPeople).ToListAsync(stop);
        var known = ids.ToHashSet();
        ids.AddRange(starting.Where(s => !known.Contains(s)));
        return await ActorReading.ReadAsync(db, engine, ids, person => starting.Contains(person) ? [new StartedByHand(from, id, "", true)] : [], stop).ToListAsync(stop);
    }

    /// <summary>Adds up what comes, from several threads at once.</summary>
    private sealed class Counting(Practice practice, Guid id, LetterDesk letters, MessagePrices prices)
    {
        private readonly Lock gate = new();
        private readonly SortedDictionary<LocalDate, int[]> weeks = [];
        private readonly Dictionary<string, int> counts = new(StringComparer.Ordinal);
        private readonly Dictionary<string, (int Touches, HashSet<Guid> Ids, SortedSet<(string Name, Guid Id)> First)> held = new(StringComparer.Ordinal);
        private readonly Dictionary<Guid, List<(CallToPlace Call, bool Here)>> calls = [];
        private readonly List<WhoGets> who = [];
        private int starting;
        private int finished;
        private decimal price;

        public void Take(PersonFacts person, IReadOnlyList<RehearsedTouch> touches)
        {
            lock (gate)
            {
                var (gets, kept) = (0, 0);
                var runs = new HashSet<Guid>();
                var open = new HashSet<Guid>();
                foreach (var touch in touches)
                {
                    var here = touch.Program.ProgramId == id;
                    if (here)
                    {
                        runs.Add(touch.RunId);
                    }

                    if (touch.Outcome is null)
                    {
                        open.Add(touch.RunId);
                        continue;
                    }

                    if (touch.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done)
                    {
                        gets += Goes(person, touch, here) && here ? 1 : 0;
                    }
                    else if (here && touch.Outcome is Outcome.Skipped or Outcome.Blocked or Outcome.Cancelled)
                    {
                        kept += Held(person, touch) ? 1 : 0;
                    }
                }

                starting += runs.Count > 0 ? 1 : 0;
                finished += runs.Count > 0 && !runs.Overlaps(open) ? 1 : 0;
                if (runs.Count > 0)
                {
                    who.Add(new WhoGets(new PersonRef(person.Id, person.Name), gets, kept));
                }
            }
        }

        /// <summary>Counts what goes; false for what reaches nobody, such as a change.</summary>
        private bool Goes(PersonFacts person, RehearsedTouch touch, bool here)
        {
            var date = touch.At.InZone(practice.Zone).Date;
            if (touch.Step is CallStep call)
            {
                var owner = practice.SenderFor(person)?.Id ?? Guid.Empty;
                if (!calls.TryGetValue(owner, out var list))
                {
                    calls[owner] = list = [];
                }

                list.Add((new CallToPlace(touch.TouchId, date, CallDays.SlackOf(call)), here));
            }

            if (touch.Step.Channel is not { } channel)
            {
                return false;
            }

            var week = Week(date);
            week[(here ? 0 : 2) + (channel == Channel.Call ? 1 : 0)]++;
            if (here)
            {
                counts[touch.Step.Kind] = counts.GetValueOrDefault(touch.Step.Kind) + 1;
                price += PriceOf(person, touch);
            }

            return true;
        }

        private decimal PriceOf(PersonFacts person, RehearsedTouch touch) =>
            prices.Of(touch.Step, () => letters.Fill((TextStep)touch.Step, person, practice, touch.At));

        private int[] Week(LocalDate date)
        {
            var monday = date.Monday();
            if (!weeks.TryGetValue(monday, out var week))
            {
                weeks[monday] = week = new int[4];
            }

            return week;
        }

        /// <summary>Counts what is held back; false for what only ended with its run.</summary>
        private bool Held(PersonFacts person, RehearsedTouch touch)
        {
            if (touch.Reason is not { } reason || touch.Step.Channel is null || reason == Reason.NotFor.Word())
            {
                return false;
            }

            var words = Why.Reason(reason);
            if (!held.TryGetValue(words, out var group))
            {
                group = (0, [], []);
            }

            group.Ids.Add(person.Id);
            group.First.Add((person.Name, person.Id));
            if (group.First.Count > NamesShown)
            {
                group.First.Remove(group.First.Max);
            }

            held[words] = group with { Touches = group.Touches + 1 };
            return true;
        }

        public RehearsalResult Result(Instant from, Instant until, int lookedAt) =>
            new(
                from.Iso(),
                until.Iso(),
                lookedAt,
                starting,
                finished,
                counts,
                [.. weeks.Select(w => new RehearsedWeek(w.Key.Iso(), w.Value[0], w.Value[1], w.Value[2], w.Value[3]))],
                [.. calls.Select(c => CallsOf(c.Key, c.Value)).OrderByDescending(c => c.Calls).ThenBy(c => c.Name, StringComparer.Ordinal)],
                [
                    .. held.OrderByDescending(h => h.Value.Ids.Count)
                        .ThenBy(h => h.Key, StringComparer.Ordinal)
                        .Select(h => new HeldBack(h.Key, h.Value.Touches, h.Value.Ids.Count, [.. h.Value.First.Select(p => new PersonRef(p.Id, p.Name))])),
                ],
                [.. who.OrderBy(w => w.Person.Name, StringComparer.Ordinal).ThenBy(w => w.Person.Id).Take(PeopleShown)],
                prices.IsSet ? price : null,
                prices.Currency
            );

        private RehearsedCalls CallsOf(Guid member, List<(CallToPlace Call, bool Here)> placed)
        {
            var owner = practice.Members.FirstOrDefault(m => m.Id == member);
            var days = CallSheet
                .Place(placed.Select(p => p.Call), owner, practice.Calendar)
                .GroupBy(p => p.Day)
                .Where(g => g.Any(p => p.OverCapacity))
                .OrderBy(g => g.Key)
                .Select(g => new OverDay(g.Key.Iso(), g.Count()))
                .Take(DaysShown);
            return new RehearsedCalls(owner?.Name ?? Said("nobody"), placed.Count(p => p.Here), placed.Count(p => !p.Here), [.. days]);
        }
    }
}
