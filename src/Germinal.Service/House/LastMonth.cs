using System.Collections.Concurrent;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.House;

/// <summary>What went in a stretch of time.</summary>
/// <param name="Emails">Emails.</param>
/// <param name="Texts">Texts.</param>
/// <param name="Calls">Calls that came onto the day sheet.</param>
/// <param name="Notes">Notes by post.</param>
public sealed record WentDto(int Emails, int Texts, int Calls, int Notes)
{
    /// <summary>Of how many went by kind of step.</summary>
    internal static WentDto Of(IReadOnlyDictionary<string, int> kinds) =>
        new(kinds.GetValueOrDefault("email"), kinds.GetValueOrDefault("text"), kinds.GetValueOrDefault("call"), kinds.GetValueOrDefault("note"));
}

/// <summary>What would have been otherwise for a program.</summary>
/// <param name="Name">The program.</param>
/// <param name="AsSet">How many touches of it went, as the settings are.</param>
/// <param name="AsProposed">How many would have.</param>
/// <param name="Later">How many of them on a later day.</param>
/// <param name="Earlier">How many on an earlier one.</param>
public sealed record ProgramThenDto(string Name, int AsSet, int AsProposed, int Later, int Earlier);

/// <summary>What would have been otherwise for somebody.</summary>
/// <param name="Person">Who.</param>
/// <param name="Program">The program whose touch it is, the first of them.</param>
/// <param name="Was">The day on which it goes as the settings are; null where it does not.</param>
/// <param name="Would">The day on which it would have gone; null where it would not have.</param>
public sealed record PersonThenDto(PersonRef Person, string Program, string? Was, string? Would);

/// <summary>What settings would have changed in the thirty days up to last midnight.</summary>
/// <param name="From">Its first day.</param>
/// <param name="Until">Its last day.</param>
/// <param name="Really">What really went.</param>
/// <param name="AsSet">What goes when those days are gone through again with the settings as they are; it differs from what really went by what cannot be known any more.</param>
/// <param name="AsProposed">The same with the settings as they are proposed.</param>
/// <param name="NotAtAll">How many that go as the settings are would not have gone in those days.</param>
/// <param name="Besides">How many would have gone besides.</param>
/// <param name="Later">How many on a later day.</param>
/// <param name="Earlier">How many on an earlier day.</param>
/// <param name="People">How many people it would have concerned.</param>
/// <param name="Why">Why what would not have gone would not, each with how many.</param>
/// <param name="Programs">By program, those for which anything differs.</param>
/// <param name="First">The first of the people, by name.</param>
public sealed record LastMonthDto(
    string From,
    string Until,
    WentDto Really,
    WentDto AsSet,
    WentDto AsProposed,
    int NotAtAll,
    int Besides,
    int Later,
    int Earlier,
    int People,
    IReadOnlyDictionary<string, int> Why,
    IReadOnlyList<ProgramThenDto> Programs,
    IReadOnlyList<PersonThenDto> First
);

/// <summary>
/// Goes through the last thirty days again with the engine (rule 12.1), once with the settings as they are and once as they are proposed, so
/// that what differs comes from the settings alone. Everybody begins where they stood then: at the touch that was next, with what they
/// had been sent before, and reacts as they did: what they opened, followed, answered, how calls ended, when runs were stopped. Nothing
/// starts by itself: the runs are those there were. Facts are those of today; what somebody's tags or stage were then is not known any more.
/// </summary>
/// <param name="engines">For the practice and its programs.</param>
public sealed class LastMonth(Engines engines) : IDisposable
{
    /// <inheritdoc/>
    public void Dispose() => room.Dispose();

    /// <summary>The days it goes through.</summary>
    public const int Days = 30;

    private const int NamesShown = 12;

    // Each takes all cores.
    private readonly SemaphoreSlim room = new(1);

    /// <summary>Works it out.</summary>
    /// <param name="db">A context of whoever asks: it goes over those they see.</param>
    /// <param name="proposed">The practice's row with the settings as they are proposed; nothing of it is saved.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<LastMonthDto> OfAsync(GerminalDb db, PracticeRow proposed, CancellationToken stop)
    {
        await room.WaitAsync(stop);
        try
        {
            var (known, _) = await engines.OfAsync(db, stop);
            var today = (await PracticeClock.NowAsync(db, stop)).InZone(known.Practice.Zone).Date;
            var (first, last) = (today.PlusDays(-Days), today.PlusDays(-1));
            var (from, until) = (known.Practice.Zone.AtStartOfDay(first).ToInstant(), known.Practice.Zone.AtStartOfDay(today).ToInstant());
            var then = PracticeReading.Read(proposed, []);
            var shelf = new ProgramShelf(known.Shelf.Versions, []);
            var asSet = new TouchEngine(known.Practice, shelf, known.Templates);
            var asProposed = new TouchEngine(
                known.Practice with
                {
                    LeapDay = then.LeapDay,
                    Calendar = then.Calendar,
                    QuietHours = then.QuietHours,
                    Consent = then.Consent,
                    Policies = then.Policies,
                    Pace = then.Pace,
                    DailyLimits = then.DailyLimits,
                },
                shelf,
                known.Templates
            );
            var longest = asSet.Practice.Pace.Concat(asProposed.Practice.Pace).Select(p => p.Days).DefaultIfEmpty().Max();
            var beginning = await StoodThen.ReadAsync(db, known, from, until, longest, stop);
            var actors = await ActorsAsync(db, asSet, beginning, stop);
            var (before, after) = await Task.Run(() => (Live(asSet, actors, from, until, stop), Live(asProposed, actors, from, until, stop)), stop);
            return Compare(actors, before, after, asSet.Practice.Zone, beginning.Really, first, last);
        }
        finally
        {
            room.Release();
        }
    }

    private static async Task<List<Actor>> ActorsAsync(GerminalDb db, TouchEngine engine, StoodThen then, CancellationToken stop)
    {
        var actors = new List<Actor>();
        foreach (var chunk in then.States.Keys.Chunk(1000))
        {
            var facts = await FactsReading.LoadAsync(db, chunk, stop, engine);
            actors.AddRange(chunk.Where(facts.ContainsKey).Select(p => new Actor(facts[p], then.States[p], then.Events(p))));
        }

        return actors;
    }

    /// <summary>What becomes of each touch.</summary>
    private static ConcurrentDictionary<Guid, RehearsedTouch> Live(TouchEngine engine, List<Actor> actors, Instant from, Instant until, CancellationToken stop)
    {
        var touches = new ConcurrentDictionary<Guid, RehearsedTouch>();
        Rehearsal.OfMany(
            engine,
            actors,
            from,
            until,
            (_, _, found) =>
            {
                foreach (var touch in found.Where(t => t.Step.Channel is not null))
                {
                    touches[touch.TouchId] = touch;
                }
            },
            null,
            stop
        );
        return touches;
    }

    private static bool Goes(RehearsedTouch? touch) => touch?.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done;

    private static LastMonthDto Compare(
        List<Actor> actors,
        ConcurrentDictionary<Guid, RehearsedTouch> before,
        ConcurrentDictionary<Guid, RehearsedTouch> after,
        DateTimeZone zone,
        WentDto really,
        LocalDate first,
        LocalDate last
    )
    {
        var owners = actors.SelectMany(a => a.State.Runs.Select(r => (r.Id, a.Person))).ToDictionary(r => r.Id, r => r.Person);
        var (notAtAll, besides, later, earlier) = (0, 0, 0, 0);
        var programs = new Dictionary<Guid, ProgramThenDto>();
        var why = new Dictionary<string, int>(StringComparer.Ordinal);
        var people = new SortedDictionary<(string Name, Guid Id), PersonThenDto>();
        LocalDate DayOf(RehearsedTouch touch) => touch.At.InZone(zone).Date;
        foreach (var id in before.Keys.Union(after.Keys))
        {
            var (a, b) = (before.GetValueOrDefault(id), after.GetValueOrDefault(id));
            var (did, would) = (Goes(a), Goes(b));
            var touch = (a ?? b)!;
            var program = programs.GetValueOrDefault(touch.Program.ProgramId) ?? new ProgramThenDto(touch.Program.Definition.Name, 0, 0, 0, 0);
            program = program with { AsSet = program.AsSet + (did ? 1 : 0), AsProposed = program.AsProposed + (would ? 1 : 0) };
            LocalDate? was = did ? DayOf(a!) : null;
            LocalDate? then = would ? DayOf(b!) : null;
            if (did && would && was != then)
            {
                (later, earlier) = then > was ? (later + 1, earlier) : (later, earlier + 1);
                program = then > was ? program with { Later = program.Later + 1 } : program with { Earlier = program.Earlier + 1 };
            }
            else if (did && !would)
            {
                notAtAll++;
                var reason = b?.Reason is { } said ? Why.Reason(said) : Said("what comes before it had to wait");
                why[reason] = why.GetValueOrDefault(reason) + 1;
            }
            else if (would && !did)
            {
                besides++;
            }

            programs[touch.Program.ProgramId] = program;
            if (was != then && owners.TryGetValue(touch.RunId, out var person))
            {
                people.TryAdd((person.Name, person.Id), new PersonThenDto(new PersonRef(person.Id, person.Name), touch.Program.Definition.Name, was?.Iso(), then?.Iso()));
            }
        }

        return new LastMonthDto(
            first.Iso(),
            last.Iso(),
            really,
            Count(before.Values),
            Count(after.Values),
            notAtAll,
            besides,
            later,
            earlier,
            people.Count,
            why,
            [
                .. programs
                    .Values.Where(p => p.AsSet != p.AsProposed || p.Later + p.Earlier > 0)
                    .OrderBy(p => p.Name, StringComparer.CurrentCultureIgnoreCase)
                    .Select(p => new ProgramThenDto(p.Name, p.AsSet, p.AsProposed, p.Later, p.Earlier)),
            ],
            [.. people.Values.Take(NamesShown)]
        );
    }

    private static WentDto Count(IEnumerable<RehearsedTouch> touches) => WentDto.Of(touches.Where(Goes).CountBy(t => t.Step.Kind).ToDictionary());
}
