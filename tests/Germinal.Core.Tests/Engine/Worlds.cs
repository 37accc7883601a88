using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>A generated practice with its programs, people and what happens to them.</summary>
internal sealed record World(Practice Practice, IReadOnlyList<ProgramDefinition> Programs, IReadOnlyList<Actor> People)
{
    public TouchEngine Engine { get; } = EngineWith(Practice, new NeedsFirstName(), [.. Programs]);

    public override string ToString() =>
        string.Join(
            '\n',
            Programs.Select(p => ProgramFile.Write(p).ToJsonString()).Concat(People.Select(p => $"{p.Person.Handle}: {string.Join("; ", p.Events)}"))
        );
}

/// <summary>Generators of worlds: small enough to shrink, mixed enough to meet every rule.</summary>
internal static class Worlds
{
    public static readonly Instant Begin = At("2027-02-01T00:00");
    public static readonly Instant End = At("2027-08-01T00:00");

    /// <summary>The one household there is.</summary>
    public static readonly Household Home = new(Guid.Parse("dddddddd-0000-0000-0000-000000000001"), []);

    /// <summary>Those who stand in a relation to people of the worlds; nothing happens to them.</summary>
    public static IReadOnlyList<PersonFacts> Solicitors { get; } =
    [
        Person("Sol", DateTimeZoneProviders.Tzdb["Australia/Sydney"]) with
        {
            Handle = "sol",
            Mobile = "+12075550102",
            Consent = [Yes(Channel.Email), Yes(Channel.Text)],
        },
        Person("Mona") with
        {
            Handle = "mona",
            Mobile = null,
            Address = "7 Quay Lane",
        },
        Person("Zeb") with
        {
            Handle = "zeb",
            Email = null,
            DoNotContact = true,
        },
    ];

    private static readonly Gen<string> When = Gen.OneOf(
        Gen.Select(Pick("start", "previous", "previous", "occasion"), Gen.Int[0, 12], Pick("", ",\"at\":\"07:10\"", ",\"at\":\"16:20\""))
            .Select((from, days, at) => $"\"from\":\"{from}\",\"offset\":\"P{days}D\"{at}"),
        Gen.Int[0, 60].Select(h => $"\"from\":\"previous\",\"offset\":\"PT{h}H\""),
        Pick(
            "\"from\":\"yearly\",\"date\":\"--03-14\"",
            "\"from\":\"on\",\"date\":\"2027-04-04\"",
            "\"from\":\"key-date\",\"date\":\"birthday\",\"offset\":\"-P3D\""
        )
    );

    private static readonly Gen<string> Extras = Pick(
        "",
        "",
        "\"lateLimit\":\"P2D\"",
        "\"purpose\":\"transactional\"",
        "\"topic\":\"news\"",
        "\"onlyIf\":{\"field\":\"tags\",\"op\":\"has\",\"value\":\"warm\"}"
    );

    private static readonly Gen<Func<string, string, string>> Leaf = Gen.Select(
            Pick("email", "email", "text", "call", "note", "task", "tell-me", "tag", "untag", "stage"),
            When,
            Extras,
            Gen.Int[0, 9]
        )
        .Select(
            (kind, when, more, chance) =>
                new Func<string, string, string>(
                    (id, _) =>
                        Given.Step(
                            id,
                            kind switch
                            {
                                "tag" or "untag" or "stage" => "change",
                                _ => kind,
                            },
                            when,
                            (
                                kind switch
                                {
                                    "email" => "\"subject\":\"s\",\"body\":\"b\"",
                                    "call" => $"\"script\":\"x\",\"holds\":{(chance % 2 == 0 ? "true" : "false")}",
                                    "task" => "\"title\":\"t\"",
                                    "tag" => "\"set\":{\"tag\":\"warm\"}",
                                    "untag" => "\"set\":{\"tagOff\":\"warm\"}",
                                    "stage" => "\"set\":{\"stage\":\"Planning/Plan\"}",
                                    _ => "\"body\":\"b\"",
                                }
                            )
                                + (more.Length > 0 ? "," + more : "")
                                + (chance == 1 && kind is ("email" or "text" or "note") ? ",\"to\":{\"relation\":\"solicitor\"}" : "")
                                + (chance == 2 && kind is "email" ? ",\"to\":\"owner\"" : "")
                                + (chance == 0 && kind is ("email" or "text" or "call" or "note") ? ",\"onePerHousehold\":true" : "")
                        )
                )
        );

    private static readonly Gen<Func<string, string, string>> Branch = Gen.Select(
            Leaf,
            Leaf,
            When,
            Pick("", ",\"within\":\"P3D\"", ",\"within\":\"PT30H\""),
            Gen.Int[0, 3]
        )
        .Select(
            (yes, no, when, within, question) =>
                new Func<string, string, string>(
                    (id, before) =>
                        question == 0
                            ? Given.Step(
                                id,
                                "split",
                                when,
                                $"\"passages\":[{{\"share\":50,\"steps\":[{yes(id + "y", before)}]}},{{\"share\":50,\"steps\":[]}}]"
                            )
                            : Given.Step(
                                id,
                                "fork",
                                when,
                                $"\"if\":{(question == 1 || before.Length == 0 ? "{\"kind\":\"replied\"}" : question == 2 ? "{\"field\":\"tags\",\"op\":\"has\",\"value\":\"warm\"}" : $"{{\"kind\":\"opened\",\"step\":\"{before}\"}}")}{within},\"then\":[{yes(id + "y", before)}],\"else\":[{no(id + "n", before)}]"
                            )
                )
        );

    private static readonly Gen<string> Settings = Gen.Select(
            Pick("forward", "back", "nearest", "keep"),
            Pick("person", "practice"),
            Gen.Bool,
            Gen.Int[7, 12],
            Pick("never", "each-time", "after-finished"),
            Pick(0, 0, 30),
            Pick(
                "\"kind\":\"tag-added\",\"tag\":\"warm\"",
                "\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"-P2D\"",
                "\"kind\":\"stage-entered\",\"stage\":\"Planning/Plan\"",
                "\"kind\":\"stage-age\",\"stage\":\"Planning/Plan\",\"after\":\"P9D\"",
                "\"kind\":\"inquiry-received\",\"form\":\"contact\"",
                "\"kind\":\"inquiry-unanswered\",\"after\":\"P2D\"",
                "\"kind\":\"appointment\",\"type\":\"review\",\"offset\":\"-P2D\"",
                "\"kind\":\"opportunity-lost\",\"reason\":\"timing\""
            ),
            Pick(
                "",
                "{\"kind\":\"replied\"}",
                "{\"kind\":\"tag-added\",\"tag\":\"cold\"}",
                "{\"kind\":\"appointment-booked\",\"type\":\"review\"}",
                "{\"kind\":\"opportunity-won\"}"
            )
        )
        .Select(
            (roll, clock, window, from, again, holdOut, start, stop) =>
                $"\"at\":\"09:30\",\"clock\":\"{clock}\",\"again\":\"{again}\",\"holdOut\":{holdOut},\"startsWhen\":[{{{start}}},{{\"kind\":\"by-hand\"}}],\"stopsWhen\":[{stop}]"
                + (
                    window
                        ? $",\"window\":{{\"days\":[\"mon\",\"wed\",\"fri\"],\"from\":\"{from:00}:00\",\"to\":\"{from + 6:00}:00\",\"roll\":\"{roll}\"}}"
                        : ""
                )
        );

    private static readonly Gen<Func<string, ProgramDefinition>> OneProgram = Gen.Select(
            Settings,
            Gen.Frequency((4, Leaf), (1, Branch)).Array[1, 5],
            Gen.Int[1, 3],
            Gen.Int[0, 3]
        )
        .Select(
            (settings, steps, priority, limit) =>
                new Func<string, ProgramDefinition>(name =>
                {
                    var emails = "";
                    var written = new List<string>();
                    foreach (var (step, i) in steps.Select((s, i) => (s, i)))
                    {
                        written.Add(step($"s{i}", emails));
                        emails =
                            written[^1].Contains("\"kind\":\"email\"", StringComparison.Ordinal)
                            && !written[^1].Contains("\"passages\"", StringComparison.Ordinal)
                            && !written[^1].Contains("\"else\"", StringComparison.Ordinal)
                                ? $"s{i}"
                                : emails;
                    }

                    return Program(name, $"\"priority\":{priority},{(limit == 0 ? "\"startLimit\":1," : "")}{settings}", string.Join(",", written));
                })
        );

    private static readonly Gen<(int Hour, int What)[]> Events = Gen.Select(Gen.Int[0, 150 * 24], Gen.Int[0, 19])
        .Array[0, 10]
        .Select(e => e.OrderBy(x => x.Item1).ToArray());

    private static Happening EventOf(int hour, int what, IReadOnlyList<ProgramDefinition> programs)
    {
        var at = Begin + Duration.FromHours(hour) + Duration.FromMinutes(17);
        var first = IdOf(programs[0]);
        return what switch
        {
            0 => new Replied(at, Channel.Email),
            1 => new StartedByHand(at, first, "Ada"),
            2 => new TagPutOn(at, "warm"),
            3 => new TagPutOn(at, "cold"),
            4 => new TagTakenOff(at, "warm"),
            5 => new EnteredStage(at, "Planning/Plan"),
            6 => new ConsentGiven(at, Channel.Email, false),
            7 => new ConsentGiven(at, Channel.Text, true),
            8 => new Opened(at, first, "s0"),
            9 => new StepTaskEnded(at, IdOf(programs[^1]), "s1", "spoke"),
            10 => new ProgramPaused(at, first),
            11 => new ProgramResumed(at, first),
            12 => new Inquired(at, "contact"),
            13 => new InquiriesAnswered(at),
            14 or 15 => new AppointmentMade(at, $"a{hour}", "review", at + Duration.FromDays(6)),
            16 => new AppointmentMade(at, "", "review", at + Duration.FromDays(9), Moved: true),
            17 => new AppointmentCancelled(at, "", "review"),
            18 => new Lost(at, "timing"),
            19 => new Won(at),
            _ => new EnteredStage(at, "Planning/Client"),
        };
    }

    private static readonly Gen<(PersonFacts Person, (int Hour, int What)[] Events)> OnePerson = Gen.Select(
            Pick(NewYork, Denver, DateTimeZoneProviders.Tzdb["Australia/Sydney"], DateTimeZoneProviders.Tzdb["Europe/London"]),
            Gen.Int[0, 4],
            Gen.Bool,
            Pick("1975-03-14", "--02-28", "1960-06-02"),
            Pick(null, Home, Home),
            Events
        )
        .Select(
            (zone, consent, named, born, home, events) =>
                (
                    Person("X", zone, born) with
                    {
                        FirstName = named ? "Ida" : null,
                        Address = "12 Quay Lane",
                        Household = home,
                        Relations = [.. Solicitors.Take(consent).Select(s => new RelationTo("solicitor", s.Id) { Other = s })],
                        Consent =
                        [
                            .. new[]
                            {
                                consent > 0 ? Yes(Channel.Email) : null,
                                consent > 1 ? Yes(Channel.Text) : null,
                                consent > 2 ? Yes(Channel.Post) : null,
                            }.OfType<ConsentEntry>(),
                        ],
                    },
                    events
                )
        );

    private static readonly Gen<Practice> Practices = Gen.Select(Gen.Int[0, 3], Gen.Int[0, 2], Gen.Bool)
        .Select(
            (pace, texts, narrow) =>
                Practice(holidays: new LocalDate(2027, 3, 15)) with
                {
                    Members = [Ada with { MostEmails = narrow && texts == 2 ? 1 : null }],
                    Pace =
                        pace < 2
                            ? []
                            :
                            [
                                new PaceRule(1, 1, new[] { Channel.Email, Channel.Text }.ToFrozenSet()),
                                new PaceRule(pace, 7, new[] { Channel.Email }.ToFrozenSet()),
                            ],
                    DailyLimits =
                        texts == 0
                            ? FrozenDictionary<Channel, int>.Empty
                            : new Dictionary<Channel, int> { [Channel.Text] = texts, [Channel.Email] = texts }.ToFrozenDictionary(),
                    QuietHours = narrow ? new QuietHours(new LocalTime(9, 0), new LocalTime(18, 0)) : QuietHours.Widest,
                }
        );

    /// <summary>One to three programs and one to four people in a practice.</summary>
    public static readonly Gen<World> Any = Gen.Select(Practices, OneProgram.Array[1, 3], OnePerson.Array[1, 4])
        .Select(
            (practice, programs, people) =>
            {
                var definitions = programs.Select((p, i) => p($"P{i}")).ToList();
                return new World(
                    practice,
                    definitions,
                    [
                        .. people.Select(
                            (p, i) =>
                                new Actor(
                                    p.Person with
                                    {
                                        Id = StableId.Of(Guid.Empty, $"p{i}"),
                                        Handle = $"p{i}",
                                    },
                                    PersonState.Empty,
                                    [.. p.Events.Select(e => EventOf(e.Hour, e.What, definitions))]
                                )
                        ),
                    ]
                );
            }
        );
}
