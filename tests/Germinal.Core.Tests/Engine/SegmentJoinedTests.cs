using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 5.1, segment joined: who begins to match is started, by an event of theirs or by time, and nobody who matched before.</summary>
public sealed class SegmentJoinedTests
{
    private static readonly Instant Monday = Given.At("2027-03-01T08:00");

    private static ProgramDefinition Waiting(string trigger, string again = "never", string name = "Waits") =>
        Given.Program(
            name,
            $$"""
            "again": "{{again}}", "startsWhen": [ { "kind": "segment-joined", "segment": {{trigger}} } ]
            """,
            """{ "id": "a", "kind": "task", "when": { "from": "start", "offset": "P0D" }, "title": "t" }"""
        );

    private const string Warm = """{ "field": "tags", "op": "has", "value": "warm" }""";

    private static TouchEngine Engine(params ProgramDefinition[] programs) => Given.EngineWith(Given.Practice(), programs);

    /// <summary>The days on which a task of the program came onto the sheet, of somebody with events, from Monday for thirty days.</summary>
    private static IReadOnlyList<string> Lived(TouchEngine engine, PersonFacts person, params Happening[] events) =>
        Given.Lived(engine, person, "2027-03-01T08:00", "2027-03-31T08:00", events);

    private static PersonFacts Tagged(PersonFacts person, params string[] tags) => person with { Tags = tags.ToFrozenSet(StringComparer.OrdinalIgnoreCase) };

    [Fact]
    public void Whoever_begins_to_match_is_started_once_and_again_only_after_having_ceased_to()
    {
        var engine = Engine(Waiting(Warm, "each-time"));
        var ida = Given.Person();
        var first = engine.React(Tagged(ida, "warm"), PersonState.Empty, new FactsChanged(Monday));
        var start = Assert.Single(first.Effects.OfType<RunStarted>());
        Assert.Equal(CauseKind.Segment, start.Cause.Kind);
        Assert.Empty(engine.React(Tagged(ida, "warm"), first.State, new FactsChanged(Monday)).Effects.OfType<RunStarted>());
        var ceased = engine.React(ida, first.State, new TagTakenOff(Monday, "warm"));
        Assert.Empty(ceased.State.Matching);
        Assert.Single(first.State.Matching);
        var done = ceased.State with { Runs = [] };
        Assert.Single(engine.React(Tagged(ida, "WARM"), done, new TagPutOn(Monday, "WARM")).Effects.OfType<RunStarted>());
    }

    [Fact]
    public void A_named_segment_and_the_rule_itself_wait_alike_and_keys_tell_them_apart()
    {
        var one = new SegmentJoined("Warm ones", null);
        var other = new SegmentJoined(null, new Leaf("tags", RuleOp.Has, ["warm"]));
        Assert.Equal(one.Key, new SegmentJoined("WARM ONES", null).Key);
        Assert.Equal(other.Key, new SegmentJoined(null, new Leaf("tags", RuleOp.Has, ["warm"])).Key);
        Assert.NotEqual(one.Key, other.Key);
        var program = Waiting("\"Warm ones\"");
        var engine = Given.EngineWith(
            Given.Practice() with
            {
                Segments = FrozenDictionary.ToFrozenDictionary<string, Rule>([new("warm ONES", other.Asked)], StringComparer.OrdinalIgnoreCase),
            },
            program
        );
        Assert.Single(engine.React(Tagged(Given.Person(), "warm"), PersonState.Empty, new FactsChanged(Monday)).Effects.OfType<RunStarted>());
        Assert.Empty(engine.React(Tagged(Given.Person(), "cold"), PersonState.Empty, new FactsChanged(Monday)).Effects.OfType<RunStarted>());
    }

    [Fact]
    public void Time_alone_makes_somebody_match_at_the_beginning_of_a_date()
    {
        // Added on the first; not within the last ten days from the eleventh on, as the practice's clock counts.
        var engine = Engine(Waiting("""{ "field": "added", "op": "not-in-last", "value": "P10D" }"""));
        var ida = Given.Person() with { Added = Monday };
        Assert.Contains("2027-03-12T", Assert.Single(Lived(engine, ida)), StringComparison.Ordinal);
        Assert.True(engine.Watch.Daily);
        Assert.False(Engine(Waiting(Warm)).Watch.Daily);
    }

    [Fact]
    public void Who_matches_when_it_is_switched_on_has_not_begun_to()
    {
        var version = new ProgramVersion(Guid.NewGuid(), 1, Waiting(Warm));
        var engine = new TouchEngine(Given.Practice(), new ProgramShelf([version], [new ProgramOn(version, Monday)]), new Given.FillsEverything());
        var ida = Tagged(Given.Person(), "warm");
        Assert.Empty(Lived(engine, ida, new TagPutOn(Monday + Duration.FromDays(1), "other")));
        Assert.Single(Lived(engine, ida, new TagTakenOff(Monday + Duration.FromDays(1), "warm"), new TagPutOn(Monday + Duration.FromDays(2), "warm")));
    }

    [Fact]
    public void Archived_people_begin_only_where_the_rule_speaks_of_them_and_what_a_program_sets_counts_as_an_event()
    {
        var engine = Engine(Waiting(Warm));
        Assert.Empty(engine.React(Tagged(Given.Person(), "warm") with { Archived = true }, PersonState.Empty, new FactsChanged(Monday)).State.Matching);
        var sets = Given.Program("Sets", "", """{ "id": "c", "kind": "change", "set": { "tag": "warm" } }""");
        var both = Engine(Waiting(Warm), sets);
        var id = both.Shelf.On.Single(p => p.Current.Definition.Name == "Sets").Current.ProgramId;
        var begun = both.React(Given.Person(), PersonState.Empty, new StartedByHand(Monday, id, "Ada"));
        var after = both.Judge(begun.Person, begun.State, Monday);
        Assert.Contains(after.Effects.OfType<RunStarted>(), s => s.Cause.Kind == CauseKind.Segment);
    }

    [Theory]
    [InlineData("\"Warm ones\"")]
    [InlineData(Warm)]
    [InlineData("""{ "all": [ { "field": "age", "op": "more", "value": "60" }, { "not": { "field": "tags", "op": "has", "value": "x]y" } } ] }""")]
    public void It_is_read_and_written_again_unchanged(string trigger)
    {
        var program = Waiting(trigger);
        var again = ProgramFile.Read(ProgramFile.Write(program).ToJsonString()).Program!;
        Assert.Equal(((SegmentJoined)program.StartsWhen[0]).Key, ((SegmentJoined)again.StartsWhen[0]).Key);
    }

    [Fact]
    public void A_segment_without_a_name_or_a_rule_is_an_error() =>
        Assert.NotEmpty(
            ProgramFile.Read("""{ "format": "germinal.program/1", "name": "x", "startsWhen": [ { "kind": "segment-joined" } ], "steps": [] }""").Errors
        );
}
