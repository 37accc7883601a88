using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Rule 4.4: appointments.</summary>
public sealed class AppointmentTests
{
    // A reminder 24 hours before: common practice, no source.
    private static readonly ProgramDefinition Reminder = Program(
        "Reminder",
        """
        "purpose":"transactional","startsWhen":[{"kind":"appointment","offset":"-P7D"}],"at":"08:00"
        """,
        Email("remind", "\"from\":\"occasion\",\"offset\":\"-PT24H\"") + "," + Email("thanks", "\"from\":\"occasion\",\"offset\":\"P7D\"")
    );

    private static readonly TouchEngine Engine = EngineWith(Practice(), Reminder);

    private static AppointmentMade Made(string at, string moment, bool moved = false) => new(At(at), "viewing@1", "viewing", At(moment), moved);

    private static IReadOnlyList<string> Lived(params Happening[] events) => Given.Lived(Engine, Person(), "2027-02-01T00:00", "2027-06-01T00:00", events);

    [Fact]
    public void Rule_4_4_the_run_starts_before_the_appointment_and_steps_count_from_its_moment() =>
        Assert.Equal(["remind sent 2027-03-09T14:00", "thanks sent 2027-03-17T08:00"], Lived(Made("2027-03-01T10:00", "2027-03-10T14:00")));

    [Fact]
    public void Rule_4_4_moving_plans_anew_what_has_not_settled_across_a_clock_change()
    {
        // Moved onto the day after clocks go forward (14 March 2027, IANA tz): 24 hours before 14:00 EDT on Sunday is 13:00 EST on Saturday.
        Assert.Equal(
            ["remind sent 2027-03-13T13:00", "thanks sent 2027-03-21T08:00"],
            Lived(Made("2027-03-01T10:00", "2027-03-10T14:00"), Made("2027-03-04T10:00", "2027-03-14T14:00", moved: true))
        );
    }

    [Fact]
    public void Rule_4_4_what_has_settled_never_changes() =>
        Assert.Equal(
            ["remind sent 2027-03-09T14:00", "thanks sent 2027-03-27T08:00"],
            Lived(Made("2027-03-01T10:00", "2027-03-10T14:00"), Made("2027-03-10T09:00", "2027-03-20T14:00", moved: true))
        );

    [Fact]
    public void Rule_4_4_cancelling_stops_the_run_and_one_not_begun_never_begins()
    {
        Assert.Equal(
            ["remind cancelled appointment-cancelled 2027-03-05T10:00"],
            Lived(Made("2027-03-01T10:00", "2027-03-10T14:00"), new AppointmentCancelled(At("2027-03-05T10:00"), "viewing@1"))
        );
        Assert.Empty(Lived(Made("2027-03-01T10:00", "2027-05-10T14:00"), new AppointmentCancelled(At("2027-03-05T10:00"), "", "viewing")));
    }

    [Fact]
    public void An_appointment_made_at_short_notice_still_gets_its_reminder_and_one_long_past_does_not()
    {
        Assert.Equal(["remind sent 2027-03-09T14:00", "thanks sent 2027-03-17T08:00"], Lived(Made("2027-03-08T10:00", "2027-03-10T14:00")));
        // Less than a day ahead: the reminder goes at once.
        Assert.Equal("remind sent 2027-03-10T08:00", Lived(Made("2027-03-10T08:00", "2027-03-10T14:00"))[0]);
        Assert.Empty(Lived(Made("2027-03-20T10:00", "2027-03-10T14:00")));
    }

    [Fact]
    public void Rule_4_4_each_appointment_has_a_run_of_its_own_and_one_of_another_type_has_none()
    {
        Assert.Equal(
            4,
            Lived(
                new AppointmentMade(At("2027-03-01T10:00"), "a", "viewing", At("2027-03-20T14:00")),
                new AppointmentMade(At("2027-03-01T10:00"), "b", "viewing", At("2027-03-22T14:00"))
            ).Count
        );
        var viewings = Program(
            "Viewings",
            """
            "startsWhen":[{"kind":"appointment","type":"viewing","offset":"-P1D"}]
            """,
            Email("a", AtOnce)
        );
        Assert.Empty(
            Given.Lived(
                EngineWith(Practice(), viewings),
                Person(),
                "2027-02-01T00:00",
                "2027-06-01T00:00",
                new AppointmentMade(At("2027-03-01T10:00"), "a", "signing", At("2027-03-20T14:00"))
            )
        );
    }
}
