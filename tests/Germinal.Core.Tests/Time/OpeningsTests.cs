using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests.Time;

/// <summary>Section 2: window and quiet hours.</summary>
public sealed class OpeningsTests
{
    private static readonly FrozenSet<IsoDayOfWeek> Week = WorkCalendar.MondayToFriday.WorkingDays;

    private static Window Window(Roll roll = Roll.Forward, bool skip = true) => new(Week, new LocalTime(9, 0), new LocalTime(17, 30), skip, roll);

    private static Openings Openings(Window? window, QuietHours? quiet = null, DateTimeZone? person = null, params LocalDate[] holidays) =>
        new(window, quiet, WorkCalendar.MondayToFriday with { Holidays = holidays.ToFrozenSet() }, Given.NewYork, person ?? Given.NewYork);

    private static string Apply(Openings openings, string local, bool exact = false, string planning = "2027-01-01T00:00") =>
        openings.Apply(new Placed(Given.At(local), exact), Given.At(planning)) is { } at
            ? at.InZone(Given.NewYork).LocalDateTime.ToString("ddd dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture)
            : "never";

    // March 2027: the 6th and 7th are a Saturday and a Sunday.
    [Theory]
    [InlineData(Roll.Forward, "2027-03-06T10:00", "Mon 08T10:00")]
    [InlineData(Roll.Back, "2027-03-07T10:00", "Fri 05T10:00")]
    [InlineData(Roll.Nearest, "2027-03-06T10:00", "Fri 05T10:00")]
    [InlineData(Roll.Nearest, "2027-03-07T10:00", "Mon 08T10:00")]
    [InlineData(Roll.Keep, "2027-03-06T22:00", "Sat 06T22:00")]
    public void Rule_2_2_a_date_that_is_not_permitted_rolls(Roll roll, string planned, string expected) =>
        Assert.Equal(expected, Apply(Openings(Window(roll)), planned));

    [Fact]
    public void Rule_2_2_a_tie_of_nearest_goes_forward()
    {
        // Only Monday and Friday: Wednesday is two days from either.
        var window = Window(Roll.Nearest) with
        {
            Days = new[] { IsoDayOfWeek.Monday, IsoDayOfWeek.Friday }.ToFrozenSet(),
        };
        Assert.Equal("Fri 05T10:00", Apply(Openings(window), "2027-03-03T10:00"));
    }

    [Fact]
    public void Rule_2_2_a_roll_back_before_the_moment_of_planning_goes_forward() =>
        Assert.Equal("Mon 08T10:00", Apply(Openings(Window(Roll.Back)), "2027-03-06T10:00", planning: "2027-03-06T08:00"));

    [Fact]
    public void Rule_2_2_an_exact_moment_rolls_only_forward_and_takes_the_start_of_the_window() =>
        Assert.Equal("Mon 08T09:00", Apply(Openings(Window(Roll.Back)), "2027-03-06T14:12", exact: true));

    [Theory]
    [InlineData("2027-03-08T08:59", "Mon 08T09:00")]
    [InlineData("2027-03-08T09:00", "Mon 08T09:00")]
    [InlineData("2027-03-08T17:29", "Mon 08T17:29")]
    [InlineData("2027-03-08T17:30", "Tue 09T09:00")]
    [InlineData("2027-03-05T18:00", "Mon 08T09:00")]
    public void Rule_2_3_the_time_of_day_moves_into_the_window(string planned, string expected) => Assert.Equal(expected, Apply(Openings(Window()), planned));

    [Fact]
    public void Rule_2_1_holidays_are_left_out_unless_the_window_ignores_them()
    {
        // Memorial Day 2027 is 31 May (5 U.S.C. 6103).
        var memorial = new LocalDate(2027, 5, 31);
        Assert.Equal("Tue 01T10:00", Apply(Openings(Window(), null, null, memorial), "2027-05-31T10:00"));
        Assert.Equal("Mon 31T10:00", Apply(Openings(Window(skip: false), null, null, memorial), "2027-05-31T10:00"));
    }

    [Fact]
    public void Rule_1_5_what_lies_before_planning_becomes_that_moment_kept_exactly() =>
        Assert.Equal("Mon 08T11:07", Apply(Openings(Window()), "2027-03-01T09:30", planning: "2027-03-08T11:07"));

    // 47 CFR 64.1200(c)(1): no telephone solicitation before 8 a.m. or after 9 p.m. at the called party's location (from memory).
    [Theory]
    [InlineData("2027-03-08T07:59:59", "2027-03-08T08:00:00")]
    [InlineData("2027-03-08T08:00:00", "2027-03-08T08:00:00")]
    [InlineData("2027-03-08T20:59:59", "2027-03-08T20:59:59")]
    [InlineData("2027-03-08T21:00:00", "2027-03-09T08:00:00")]
    public void Rule_2_4_quiet_hours_end_at_eight_and_begin_at_nine_on_the_persons_clock(string local, string expected)
    {
        var form = NodaTime.Text.LocalDateTimePattern.GeneralIso;
        var moment = LocalClock.At(form.Parse(local).Value, Given.Denver);
        var open = Openings(null, QuietHours.Widest, Given.Denver).Apply(new Placed(moment, false), Instant.MinValue);
        Assert.Equal(expected, form.Format(open!.Value.InZone(Given.Denver).LocalDateTime));
    }

    [Fact]
    public void Rule_2_4_a_practice_may_narrow_but_never_widen()
    {
        Assert.Equal(QuietHours.Widest, new QuietHours(new LocalTime(6, 0), new LocalTime(23, 0)));
        Assert.Equal(new LocalTime(10, 0), new QuietHours(new LocalTime(10, 0), new LocalTime(19, 0)).From);
    }

    [Fact]
    public void Rule_2_4_keep_does_not_lift_quiet_hours() =>
        Assert.Equal("Tue 09T08:00", Apply(Openings(Window(Roll.Keep), QuietHours.Widest), "2027-03-08T22:00"));

    [Fact]
    public void Rule_2_4_a_window_and_quiet_hours_that_never_meet_never_open()
    {
        // Nine to ten in New York is ten to eleven at night in Tokyo.
        var window = Window() with
        {
            From = new LocalTime(9, 0),
            To = new LocalTime(10, 0),
        };
        Assert.Equal("never", Apply(Openings(window, QuietHours.Widest, DateTimeZoneProviders.Tzdb["Asia/Tokyo"]), "2027-03-08T09:30"));
    }

    [Fact]
    public void Section_2_holds_for_any_moment()
    {
        var zones = new[] { "America/New_York", "America/Phoenix", "Australia/Sydney", "Europe/London", "America/Los_Angeles" }
            .Select(z => DateTimeZoneProviders.Tzdb[z])
            .ToArray();
        var year = (long)Duration.FromDays(800).TotalMinutes;
        Gen.Select(
                Gen.Long[0, year],
                Gen.Bool,
                Given.Pick(zones),
                Given.Pick(Roll.Forward, Roll.Back, Roll.Nearest),
                Gen.Int[6, 14],
                Gen.Int[1, 8],
                Gen.Int[-600, 600]
            )
            .Sample(
                (minute, exact, zone, roll, from, hours, ahead) =>
                {
                    var window = new Window(Week, new LocalTime(from, 0), new LocalTime(from + hours, 0), true, roll);
                    var openings = Openings(window, QuietHours.Widest, zone, new LocalDate(2027, 5, 31), new LocalDate(2027, 7, 5));
                    var moment = Instant.FromUtc(2027, 1, 1, 0, 0) + Duration.FromMinutes(minute);
                    var planning = moment - Duration.FromMinutes(ahead);
                    var due = openings.Apply(new Placed(moment, exact), planning);
                    return due is not { } at || (openings.IsOpen(at) && at >= planning && QuietHours.Widest.Allows(at.InZone(zone).TimeOfDay));
                },
                iter: 5000
            );
    }
}
