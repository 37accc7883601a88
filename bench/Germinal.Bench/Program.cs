using Germinal.Core.Practices;
using System.Diagnostics;
using Germinal.Bench;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.TimeZones;

// Speed of the core as ratios beside the bare tool it stands on. Never part of the tests.
//   dotnet run -c Release --project bench/Germinal.Bench [people]
var people = args.Length > 0 ? int.Parse(args[0], System.Globalization.CultureInfo.InvariantCulture) : 10_000;
if (args is [_, "only" or "paced"])
{
    // One piece of work over and over, for a profiler.
    var engine = World.Engine(paced: args[1] == "paced");
    for (var i = 0; i < 12; i++)
    {
        Rehearse(engine, people);
    }

    return;
}

Console.WriteLine($"{Environment.ProcessorCount} cores, {people:n0} people x 10 programs x 12 months");
Console.WriteLine();
Console.WriteLine(
    "| work | touches | seconds | touches/s | one local moment a touch, bare, one core | ratio | the conversions a touch needs, bare, one core | ratio | the same on all cores | ratio |"
);
Console.WriteLine("|---|---|---|---|---|---|---|---|---|---|");
foreach (var (name, paced) in new[] { ("rehearse, no pace", false), ("rehearse, two pace rules", true) })
{
    var engine = World.Engine(paced);
    Rehearse(engine, Math.Min(people, 2000));
    var (seconds, touches) = Best(() => Rehearse(engine, people));
    var (one, _) = Best(() => Bare(touches, back: 0, parallel: false));
    var (four, _) = Best(() => Bare(touches, back: 3, parallel: false));
    var (all, _) = Best(() => Bare(touches, back: 3, parallel: true));
    Console.WriteLine(
        $"| {name} | {touches:n0} | {seconds:0.00} | {touches / seconds:n0} | {one:0.000} s | {seconds / one:0.0} | {four:0.000} s | {seconds / four:0.0} | {all:0.000} s | {seconds / all:0.0} |"
    );
}

{
    var engine = World.Engine(true, texts: 100_000);
    var (seconds, touches) = Best(() => Rehearse(engine, people));
    Console.WriteLine($"| rehearse, pace and a daily limit that is not reached | {touches:n0} | {seconds:0.00} | {touches / seconds:n0} | | | | | | |");
}

Console.WriteLine();
Console.WriteLine("| people | touches | live memory after | highest working set |");
Console.WriteLine("|---|---|---|---|");
foreach (var n in new[] { people, people * 10 })
{
    var touches = Rehearse(World.Engine(true), n);
    Console.WriteLine($"| {n:n0} | {touches:n0} | {GC.GetTotalMemory(true) / 1e6:0} MB | {Process.GetCurrentProcess().PeakWorkingSet64 / 1e6:0} MB |");
}

Console.WriteLine();
var rule = RuleReader.Read(
    System
        .Text.Json.JsonDocument.Parse(
            """{"all":[{"field":"email","op":"exists"},{"field":"age","op":"more","value":40},{"any":[{"field":"tags","op":"has","value":"VIP"},{"field":"first_name","op":"starts-with","value":"name1"}]},{"not":{"field":"stage","op":"is","value":"Planning/Client"}}]}"""
        )
        .RootElement,
    "",
    []
)!;
var crowd = Enumerable.Range(0, 10_000).Select(World.Person).ToList();
var moment = new RuleMoment(World.From, DateTimeZoneProviders.Tzdb["America/New_York"]);
var (judging, held) = Best(() => Enumerable.Range(0, 50).Sum(_ => (long)crowd.Count(p => RuleJudge.Holds(rule, p, moment))));
Console.WriteLine($"A rule of five leaves judged {50 * crowd.Count / judging:n0} times a second on one core ({held / 50:n0} of {crowd.Count:n0} hold).");

var calls = Enumerable
    .Range(0, 10_000)
    .Select(i => new CallToPlace(StableId.Of(Guid.Empty, $"call {i}"), new LocalDate(2027, 1, 1).PlusDays(i * 37 % 365), i % 5))
    .ToList();
var member = new Member(StableId.Of(Guid.Empty, "member"), "Ada Quill", "ada@example.com")
{
    Capacity = System.Collections.Frozen.FrozenDictionary.ToFrozenDictionary(Enumerable.Range(1, 5).Select(d => new KeyValuePair<IsoDayOfWeek, int>((IsoDayOfWeek)d, 40))),
};
var (placing, over) = Best(() => CallSheet.Place(calls, member, WorkCalendar.MondayToFriday).Count(p => p.OverCapacity));
Console.WriteLine($"10,000 calls placed on days in {placing * 1000:0} ms ({over:n0} over capacity).");

static long Rehearse(TouchEngine engine, int people)
{
    var touches = 0L;
    Rehearsal.OfMany(
        engine,
        new World.People(people, engine),
        World.From,
        World.Until,
        (_, _, t) => Interlocked.Add(ref touches, t.Count(x => x.SettledAt is not null)),
        null,
        default
    );
    return touches;
}

// What any program must do at the least: a date of the year, a time of day, a zone, and the instant they make. An email also
// has to be read back on a clock three times: where it counts from, whether the window permits its date, whether it is
// open when it goes; a text or call twice more.
static long Bare(long touches, int back, bool parallel)
{
    var zones = new[] { "America/New_York", "America/Chicago", "America/Denver", "America/Los_Angeles", "America/Phoenix" }
        .Select(z => DateTimeZoneProviders.Tzdb[z])
        .ToArray();
    var resolver = Resolvers.CreateMappingResolver(Resolvers.ReturnEarlier, Resolvers.ReturnForwardShifted);
    long Some(long from, long to)
    {
        var sum = 0L;
        var first = new LocalDate(2027, 1, 1);
        var time = new LocalTime(9, 30);
        for (var i = from; i < to; i++)
        {
            var moment = zones[i % zones.Length].ResolveLocal(first.PlusDays((int)(i % 365)) + time, resolver).ToInstant();
            for (var n = 0; n < back; n++)
            {
                sum += moment.InZone(zones[i % zones.Length]).LocalDateTime.Hour;
            }

            sum ^= moment.ToUnixTimeTicks();
        }

        return sum;
    }

    if (!parallel)
    {
        return Some(0, touches) | 1;
    }

    var cores = Environment.ProcessorCount;
    var total = 0L;
    Parallel.For(0, cores, c => Interlocked.Add(ref total, Some(touches * c / cores, touches * (c + 1) / cores)));
    return total | 1;
}

static (double Seconds, long Result) Best(Func<long> work)
{
    var best = double.MaxValue;
    var result = 0L;
    for (var i = 0; i < 3; i++)
    {
        var watch = Stopwatch.StartNew();
        result = work();
        best = Math.Min(best, watch.Elapsed.TotalSeconds);
    }

    return (best, result);
}
