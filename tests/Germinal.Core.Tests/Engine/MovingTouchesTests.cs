using Germinal.Core.Engine;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>A member moves a touch to another date (ours).</summary>
public sealed class MovingTouchesTests
{
    private static readonly string TwoLetters = Email("a", "\"from\":\"start\",\"offset\":\"P1D\"") + "," + Email("b", "\"from\":\"previous\",\"offset\":\"P1D\"");

    private static (TouchEngine Engine, PersonState State) Started(string steps, string more = "")
    {
        var program = Program("P", more, steps);
        var engine = EngineWith(Practice(), program);
        return (engine, engine.React(Person(), PersonState.Empty, Start(program, "2027-03-01T10:00")).State);
    }

    private static List<(string Step, string When)> Sent(TouchEngine engine, PersonState state) =>
        [.. Rehearsal.Of(engine, Person(), state, At("2027-03-01T11:00"), At("2027-06-01T00:00")).Select(t => (t.Step.Id, Local(t.At)))];

    private static string Local(Instant at) => at.InZone(NewYork).LocalDateTime.ToString("MM-dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture);

    [Fact]
    public void It_goes_on_that_date_at_its_time_and_what_follows_counts_from_there()
    {
        var (engine, state) = Started(TwoLetters);
        Assert.Equal([("a", "03-02T09:00"), ("b", "03-03T09:00")], Sent(engine, state));
        var moved = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), state.Runs[0].TouchId, new LocalDate(2027, 3, 10)));
        Assert.Contains(moved.Effects, e => e is TouchDayChanged { Day: { Day: 10 }, Due: not null });
        Assert.Equal([("a", "03-10T09:00"), ("b", "03-11T09:00")], Sent(engine, moved.State));

        // And back.
        var back = engine.React(Person(), moved.State, new TouchMovedTo(At("2027-03-01T12:00"), state.Runs[0].TouchId, null)).State;
        Assert.Equal([("a", "03-02T09:00"), ("b", "03-03T09:00")], Sent(engine, back));
        Assert.Empty(back.Moves);
    }

    [Fact]
    public void One_that_is_not_planned_yet_goes_on_the_date_it_was_moved_to()
    {
        var (engine, state) = Started(TwoLetters);
        var foreseen = Rehearsal.Of(engine, Person(), state, At("2027-03-01T11:00"), At("2027-06-01T00:00")).First(t => t.Step.Id == "b").TouchId;
        state = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), foreseen, new LocalDate(2027, 4, 5))).State;
        Assert.Equal([("a", "03-02T09:00"), ("b", "04-05T09:00")], Sent(engine, state));

        // Once it has settled nothing is remembered of it.
        var after = engine.Judge(Person(), state, At("2027-03-02T09:00"));
        var handed = Assert.Single(after.Effects.OfType<TouchHanded>());
        Assert.Equal("a", handed.StepId);
        Assert.NotEmpty(after.State.Moves);
    }

    [Fact]
    public void Its_window_and_quiet_hours_hold_there_too()
    {
        // 13 March 2027 is a Saturday; the window is Monday to Friday.
        var (engine, state) = Started(TwoLetters, """ "window":{"days":["mon","tue","wed","thu","fri"],"from":"09:00","to":"17:00"} """);
        state = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), state.Runs[0].TouchId, new LocalDate(2027, 3, 13))).State;
        Assert.Equal("03-15T09:00", Sent(engine, state)[0].When);
    }

    [Fact]
    public void Its_late_limit_counts_from_its_first_due_moment()
    {
        var (engine, state) = Started(Email("a", "\"from\":\"start\",\"offset\":\"P1D\"", "\"lateLimit\":\"P3D\""));
        var touch = state.Runs[0].TouchId;
        var inTime = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), touch, new LocalDate(2027, 3, 5))).State;
        Assert.Null(Rehearsal.Of(engine, Person(), inTime, At("2027-03-01T11:00"), At("2027-06-01T00:00"))[0].WillNot);
        var late = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), touch, new LocalDate(2027, 3, 6))).State;
        Assert.Equal("late", Rehearsal.Of(engine, Person(), late, At("2027-03-01T11:00"), At("2027-06-01T00:00"))[0].Reason);
    }

    [Fact]
    public void Moved_to_today_it_goes_at_once_or_when_it_may()
    {
        var (engine, state) = Started(TwoLetters);
        state = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), state.Runs[0].TouchId, new LocalDate(2027, 3, 1))).State;
        Assert.Equal(At("2027-03-01T11:00"), state.Runs[0].Touch.Due);
    }

    [Fact]
    public void A_call_on_the_sheet_only_changes_its_day_there()
    {
        var (engine, state) = Started(Call("c", "\"from\":\"start\",\"offset\":\"P0D\""));
        state = engine.Judge(Person(), state, At("2027-03-01T11:00")).State;
        var open = Assert.Single(state.OpenTasks).TouchId;
        var moved = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T12:00"), open, new LocalDate(2027, 3, 4)));
        Assert.Contains(new TouchDayChanged(open, new LocalDate(2027, 3, 4), null), moved.Effects);
        Assert.Empty(moved.State.Moves);
    }

    [Fact]
    public void What_is_remembered_survives_saving()
    {
        var (engine, state) = Started(TwoLetters);
        state = engine.React(Person(), state, new TouchMovedTo(At("2027-03-01T11:00"), state.Runs[0].TouchId, new LocalDate(2027, 3, 10))).State;
        Assert.Equal(state.Moves, PersonStateJson.Read(PersonStateJson.Write(state)).Moves);
    }
}
