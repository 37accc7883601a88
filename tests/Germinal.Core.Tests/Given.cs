using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Tests;

/// <summary>Small worlds for the tests: a practice in New York, people, programs written as program files.</summary>
internal static class Given
{
    public static readonly DateTimeZone NewYork = DateTimeZoneProviders.Tzdb["America/New_York"];
    public static readonly DateTimeZone Denver = DateTimeZoneProviders.Tzdb["America/Denver"];
    public static readonly Member Ada = new(Guid.Parse("aaaaaaaa-0000-0000-0000-000000000001"), "Ada Quill", "ada@example.com");

    public static Practice Practice(LeapDay leapDay = LeapDay.Feb28, params LocalDate[] holidays) =>
        new()
        {
            Name = "Example",
            Zone = NewYork,
            LeapDay = leapDay,
            Calendar = WorkCalendar.MondayToFriday with { Holidays = holidays.ToFrozenSet() },
            Consent = new ConsentRules(
                new Dictionary<Channel, ConsentPolicy> { [Channel.Call] = ConsentPolicy.Open, [Channel.Post] = ConsentPolicy.Open }.ToFrozenDictionary()
            ),
            Members = [Ada],
            PostalAddress = "12 Quay Lane\nPort Averil, ME 04999",
        };

    public static PersonFacts Person(string name = "Ida", DateTimeZone? zone = null, string? birthday = null) =>
        new()
        {
            Id = StableId.Of(Guid.Empty, name),
            FirstName = name,
            LastName = "Rowan",
            Email = $"{name.ToLowerInvariant()}@example.com",
            Mobile = "+12075550101",
            Zone = zone,
            OwnerId = Ada.Id,
            Consent = [Yes(Channel.Email)],
            KeyDates = birthday is null ? [] : [new KeyDate("birthday", YearlyDate.TryParse(birthday)!.Value, true)],
        };

    public static ConsentEntry Yes(Channel channel, string? at = null) =>
        new(channel, Purpose.Commercial, null, true, ConsentBasis.Express, At(at ?? "2020-01-01T00:00"), "said so");

    public static ConsentEntry No(Channel channel, string? at = null) =>
        new(channel, Purpose.Commercial, null, false, ConsentBasis.Express, At(at ?? "2020-01-01T00:00"), "said no");

    /// <summary>A local time of New York, or of another zone, as an instant.</summary>
    public static Instant At(string local, DateTimeZone? zone = null) =>
        LocalClock.At(LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(local).Value, zone ?? NewYork);

    /// <summary>A program from a program file; keys that matter to a test only.</summary>
    public static ProgramDefinition Program(string name, string more, string steps)
    {
        var reading = ProgramFile.Read($$"""{"format":"germinal.program/1","name":"{{name}}",{{(more.Length > 0 ? more + "," : "")}}"steps":[{{steps}}]}""");
        Assert.True(reading.Program is not null, string.Join("; ", reading.Errors.Select(e => $"{e.Pointer} {e.Message}")));
        return reading.Program;
    }

    public static string Email(string id, string when, string more = "") =>
        $$"""{"id":"{{id}}","kind":"email","when":{{{when}}},"subject":"s","body":"b"{{(more.Length > 0 ? "," + more : "")}}}""";

    public static string Call(string id, string when, string more = "") =>
        $$"""{"id":"{{id}}","kind":"call","when":{{{when}}},"script":"x"{{(more.Length > 0 ? "," + more : "")}}}""";

    public static string HandOver(string id, string when, string program) =>
        $$"""{"id":"{{id}}","kind":"hand-over","when":{{{when}}},"program":"{{program}}"}""";

    public static Guid IdOf(ProgramDefinition program) => StableId.Of(Guid.Empty, "program/" + program.Name);

    public static TouchEngine EngineWith(Practice practice, params ProgramDefinition[] programs) => EngineWith(practice, new FillsEverything(), programs);

    public static TouchEngine EngineWith(Practice practice, ITemplates templates, params ProgramDefinition[] programs)
    {
        var versions = programs.Select(p => new ProgramVersion(IdOf(p), 1, p)).ToList();
        return new TouchEngine(practice, new ProgramShelf(versions, versions.Select(v => new ProgramOn(v, Instant.MinValue))), templates);
    }

    /// <summary>A member starts a program now.</summary>
    public static StartedByHand Start(ProgramDefinition program, string at) => new(At(at), IdOf(program), "Ada");

    /// <summary>Rehearses one start and shows each touch as “step outcome local-time”.</summary>
    public static IReadOnlyList<string> Rehearsed(TouchEngine engine, PersonFacts person, Happening first, string until)
    {
        var zone = engine.Practice.ZoneOf(person);
        return
        [
            .. Rehearsal
                .Of(engine, person, PersonState.Empty, first.At, At(until), first)
                .Select(t =>
                    $"{t.Step.Id} {(t.Outcome?.ToString() ?? "planned").ToLowerInvariant()}{(t.Reason is null ? "" : " " + t.Reason)} {(t.SettledAt ?? t.Due).InZone(zone).LocalDateTime.ToString("uuuu-MM-dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture)}"
                ),
        ];
    }

    /// <summary>Lives through events from a moment to a horizon and shows each touch as “step outcome reason local-time”, in order of time.</summary>
    public static IReadOnlyList<string> Lived(TouchEngine engine, PersonFacts person, string from, string until, params Happening[] events) =>
        [.. Touches(engine, [new Actor(person, PersonState.Empty, events)], from, until).Select(t => Line(engine, person, t))];

    /// <summary>Everybody's settled touches and those still waiting, in the order they are printed in.</summary>
    public static IReadOnlyList<RehearsedTouch> Touches(TouchEngine engine, IReadOnlyList<Actor> people, string from, string until)
    {
        var all = new System.Collections.Concurrent.ConcurrentBag<(string Person, RehearsedTouch Touch)>();
        Rehearsal.OfMany(
            engine,
            people,
            At(from),
            At(until),
            (_, actor, touches) =>
            {
                foreach (var touch in touches)
                {
                    all.Add((actor.Person.Handle, touch));
                }
            },
            null,
            CancellationToken.None
        );
        return
        [
            .. all.OrderBy(t => t.Touch.At)
                .ThenBy(t => t.Person, StringComparer.Ordinal)
                .ThenBy(t => t.Touch.Program.Definition.Name)
                .ThenBy(t => t.Touch.Run)
                .ThenBy(t => t.Touch.Place.Index)
                .Select(t => t.Touch),
        ];
    }

    public static string Line(TouchEngine engine, PersonFacts person, RehearsedTouch t) =>
        $"{t.Step.Id} {(t.Outcome?.ToString() ?? "planned").ToLowerInvariant()}{(t.Reason is null ? "" : " " + t.Reason)} {t.At.InZone(engine.Practice.ZoneOf(person)).LocalDateTime.ToString("uuuu-MM-dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture)}";

    public static string Text(string id, string when, string more = "") =>
        $$"""{"id":"{{id}}","kind":"text","when":{{{when}}},"body":"b"{{(more.Length > 0 ? "," + more : "")}}}""";

    /// <summary>Any step by its kind; what else it needs comes with <paramref name="more"/>.</summary>
    public static string Step(string id, string kind, string when, string more) => $$"""{"id":"{{id}}","kind":"{{kind}}","when":{{{when}}},{{more}}}""";

    public const string Daily = "\"from\":\"previous\",\"offset\":\"P1D\"";
    public const string AtOnce = "\"from\":\"previous\",\"offset\":\"P0D\"";

    /// <summary>Starts when the tag comes on.</summary>
    public static string OnTag(string tag) =>
        $$"""
            "startsWhen":[{"kind":"tag-added","tag":"{{tag}}"}]
            """;

    /// <summary>One of a few values.</summary>
    public static CsCheck.Gen<T> Pick<T>(params T[] values) => CsCheck.Gen.Int[0, values.Length - 1].Select(i => values[i]);

    internal sealed class FillsEverything : ITemplates
    {
        public IReadOnlyList<string> FieldsOf(Step step) => [];

        public IReadOnlyList<string> Missing(Step step, Addressed to, Practice practice, Member? sender, Instant at) => [];
    }

    internal sealed class NeedsFirstName : ITemplates
    {
        public IReadOnlyList<string> FieldsOf(Step step) => ["person.first_name"];

        public IReadOnlyList<string> Missing(Step step, Addressed to, Practice practice, Member? sender, Instant at) =>
            to.Person.FirstName is null ? ["person.first_name"] : [];
    }
}
