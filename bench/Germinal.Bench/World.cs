using System.Collections;
using System.Collections.Frozen;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Bench;

/// <summary>A practice of any size, made as it is asked for: ten programs, people in five zones, a year.</summary>
internal static class World
{
    public static readonly Instant From = LocalClock.At(new LocalDateTime(2027, 1, 1, 0, 0), DateTimeZoneProviders.Tzdb["America/New_York"]);
    public static readonly Instant Until = LocalClock.At(new LocalDateTime(2028, 1, 1, 0, 0), DateTimeZoneProviders.Tzdb["America/New_York"]);

    private static readonly DateTimeZone[] Zones =
    [
        .. new[] { "America/New_York", "America/Chicago", "America/Denver", "America/Los_Angeles", "America/Phoenix" }.Select(z =>
            DateTimeZoneProviders.Tzdb[z]
        ),
    ];

    private static readonly Member Ada = new(Guid.Parse("aaaaaaaa-0000-0000-0000-000000000001"), "Ada Quill", "ada@example.com");

    public static TouchEngine Engine(bool paced, int? texts = null)
    {
        var practice = new Practice
        {
            Name = "Example",
            Zone = Zones[0],
            Calendar = WorkCalendar.MondayToFriday with
            {
                Holidays = new[] { new LocalDate(2027, 5, 31), new LocalDate(2027, 7, 5), new LocalDate(2027, 9, 6) }.ToFrozenSet(),
            },
            Consent = new ConsentRules(
                new Dictionary<Channel, ConsentPolicy> { [Channel.Call] = ConsentPolicy.Open, [Channel.Post] = ConsentPolicy.Open }.ToFrozenDictionary()
            ),
            Pace = paced
                ?
                [
                    new PaceRule(1, 1, new[] { Channel.Email, Channel.Text }.ToFrozenSet()),
                    new PaceRule(3, 7, new[] { Channel.Email, Channel.Text }.ToFrozenSet()),
                ]
                : [],
            DailyLimits = texts is { } n ? new Dictionary<Channel, int> { [Channel.Text] = n }.ToFrozenDictionary() : FrozenDictionary<Channel, int>.Empty,
            Members = [Ada],
        };
        var programs = Enumerable.Range(0, 10).Select(Program).Select(p => new ProgramVersion(StableId.Of(Guid.Empty, p.Name), 1, p)).ToList();
        return new TouchEngine(practice, new ProgramShelf(programs, programs.Select(p => new ProgramOn(p, From))), new LiquidLetters());
    }

    /// <summary>Ten programs of the shapes in use: weekly starts, year-round letters, dates, calls between letters.</summary>
    private static ProgramDefinition Program(int i)
    {
        const string Name = "{{ person.first_name }}";
        string Step(int n, int day) =>
            (n % 6) switch
            {
                4 => $$"""{"id":"s{{n}}","kind":"call","when":{"from":"start","offset":"P{{day}}D"},"script":"Ask {{Name}} how it goes"}""",
                5 => $$"""{"id":"s{{n}}","kind":"text","when":{"from":"start","offset":"P{{day}}D"},"body":"Hello {{Name}}"}""",
                _ =>
                    $$"""{"id":"s{{n}}","kind":"email","when":{"from":"start","offset":"P{{day}}D"},"subject":"For {{Name}}","body":"Dear {{Name}}, {{new string('x', 600)}}"}""",
            };
        var steps =
            i == 9
                ? """{"id":"wish","kind":"email","when":{"from":"occasion","offset":"P0D"},"subject":"For {{ person.first_name }}","body":"b"}"""
                : string.Join(",", Enumerable.Range(0, 8 + (i * 3)).Select(n => Step(n, (n + 1) * (i < 3 ? 7 : 10))));
        var start = i == 9 ? """{"kind":"occasion","date":"birthday","offset":"P0D"}""" : """{"kind":"by-hand"}""";
        var json = $$"""
            {"format":"germinal.program/1","name":"Program {{i}}","priority":{{10 + i}},"at":"{{9 + (i % 6):00}}:30",
            "window":{"days":["mon","tue","wed","thu","fri"],"from":"09:00","to":"17:30"},"startsWhen":[{{start}}],"stopsWhen":[{"kind":"replied"}],"steps":[{{steps}}]}
            """;
        var reading = ProgramFile.Read(json);
        return reading.Program ?? throw new InvalidOperationException(reading.Errors[0].Message);
    }

    public static PersonFacts Person(int i) =>
        new()
        {
            Id = new Guid(i, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10),
            Handle = $"p{i}",
            FirstName = $"Name{i % 977}",
            LastName = "Rowan",
            Email = $"p{i}@example.com",
            Mobile = $"+1207555{i % 10000:0000}",
            Zone = Zones[i % Zones.Length],
            OwnerId = Ada.Id,
            Tags = i % 3 == 0 ? FrozenSet.ToFrozenSet(["client", "vip"], StringComparer.OrdinalIgnoreCase) : PersonFacts.NoTags,
            KeyDates = [new KeyDate("birthday", new YearlyDate(1 + (i % 12), 1 + (i % 28), 1950 + (i % 50)), true)],
            Consent = [Yes(Channel.Email), Yes(Channel.Text)],
        };

    private static ConsentEntry Yes(Channel channel) =>
        new(channel, Purpose.Commercial, null, true, ConsentBasis.Express, NodaConstants.UnixEpoch, "said so");

    /// <summary>People who are made when they are asked for and belong to nobody afterwards; each starts nine programs over the first weeks.</summary>
    public sealed class People(int count, TouchEngine engine) : IReadOnlyList<Actor>
    {
        public int Count => count;

        public Actor this[int index] =>
            new(
                Person(index),
                PersonState.Empty,
                [
                    .. engine
                        .Shelf.On.Where(p => p.Current.Definition.StartsWhen[0] is ByHand)
                        .Select(
                            (p, n) =>
                                new StartedByHand(From + Duration.FromHours(10 + (n * 70)) + Duration.FromMinutes(index % 480), p.Current.ProgramId, "Ada")
                        ),
                ]
            );

        public IEnumerator<Actor> GetEnumerator() => Enumerable.Range(0, count).Select(i => this[i]).GetEnumerator();

        IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
    }
}
