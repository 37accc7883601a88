using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>
/// The programs of the trade, as files that ship with the demo. What they hold is common practice, no source; what the
/// calendar makes of them is worked out here by other means.
/// </summary>
public sealed class CommonPracticeTests
{
    private static ProgramDefinition File(string name)
    {
        var reading = ProgramFile.Read(System.IO.File.ReadAllText(Path.Combine(HouseTests.Root, "demo", "programs", $"{name}.program.json")));
        Assert.Empty(reading.Errors);
        return reading.Program!;
    }

    private static readonly PersonFacts Ida = Person(birthday: "1990-03-01") with
    {
        Address = "12 Quay Lane",
        Consent = [Yes(Channel.Email), Yes(Channel.Text), Yes(Channel.Post)],
    };

    private static string Date(RehearsedTouch t) =>
        t.At.InZone(NewYork).LocalDateTime.ToString("ddd MM-dd HH:mm", System.Globalization.CultureInfo.InvariantCulture);

    private static List<RehearsedTouch> Lived(ProgramDefinition[] programs, string from, string until, params Happening[] events) =>
        [.. Touches(EngineWith(Practice(), programs), [new Actor(Ida, PersonState.Empty, events)], from, until).Where(t => t.SettledAt is not null)];

    [Fact]
    public void Eight_weeks_have_eight_touches_and_finished_they_roll_into_the_year()
    {
        var touches = Lived(
            [File("eight-touches"), File("year-of-touches")],
            "2027-02-01T00:00",
            "2028-06-01T00:00",
            new TagPutOn(At("2027-02-03T11:00"), "new")
        );
        var eight = touches.Where(t => t.Program.Definition.Name == "Eight touches").ToList();
        Assert.Equal(["email", "call", "email", "email", "email", "email", "note", "email", "hand-over"], eight.Select(t => t.Step.Kind));
        // A Wednesday start: each week the same day at half past nine, the first at once.
        Assert.Equal("Wed 02-03 11:00", Date(eight[0]));
        Assert.All(
            eight.Skip(1).SkipLast(1),
            t => Assert.Equal((IsoDayOfWeek.Wednesday, new LocalTime(9, 30)), (t.At.InZone(NewYork).DayOfWeek, t.At.InZone(NewYork).TimeOfDay))
        );
        var year = touches.Where(t => t.Program.Definition.Name == "Year of touches").ToList();
        Assert.Equal(36, year.Count);
        Assert.Equal((29, 4, 3), (year.Count(t => t.Step is EmailStep), year.Count(t => t.Step is CallStep), year.Count(t => t.Step is NoteStep)));
        Assert.InRange(Period.DaysBetween(year[0].At.InZone(NewYork).Date, year[^1].At.InZone(NewYork).Date), 340, 366);
        Assert.All(year, t => Assert.InRange((int)t.At.InZone(NewYork).DayOfWeek, 1, 5));
    }

    [Fact]
    public void A_market_letter_every_29_days_falls_a_week_day_later_each_time_in_three_wordings_for_years()
    {
        var letters = Lived([File("market-letter")], "2027-01-01T00:00", "2033-01-01T00:00", new JoinedList(At("2027-01-04T09:00"), "market letter"))
            .Where(t => t.Step is EmailStep)
            .ToList();
        Assert.Equal(Enumerable.Range(0, letters.Count).Select(i => new[] { "first", "second", "third" }[i % 3]), letters.Select(t => t.Step.Id));
        Assert.Equal(75, letters.Count);
        var start = new LocalDate(2027, 1, 4);
        Assert.Equal(
            Enumerable.Range(1, 75).Select(i => start.PlusDays(29 * i) + new LocalTime(10, 0)),
            letters.Select(t => t.At.InZone(NewYork).LocalDateTime)
        );
        Assert.All(
            letters.Zip(letters.Skip(1)),
            p => Assert.Equal(((int)p.First.At.InZone(NewYork).DayOfWeek % 7) + 1, (int)p.Second.At.InZone(NewYork).DayOfWeek)
        );
    }

    [Fact]
    public void An_inquiry_is_followed_up_after_3_and_after_5_working_days_only_while_nobody_answers()
    {
        var both = new[] { File("inquiry-follow-up-first"), File("inquiry-follow-up-second") };
        var inquired = new Inquired(At("2027-03-04T16:45"), "web"); // a Thursday
        Assert.Equal(
            ["tell Tue 03-09 16:45", "ask Tue 03-09 16:45", "tell Thu 03-11 16:45", "ask Thu 03-11 16:45"],
            Lived(both, "2027-03-01T00:00", "2027-05-01T00:00", inquired).Select(t => $"{t.Step.Id} {Date(t)}")
        );
        Assert.Equal(2, Lived(both, "2027-03-01T00:00", "2027-05-01T00:00", inquired, new InquiriesAnswered(At("2027-03-10T09:00"))).Count);
        Assert.Empty(Lived(both, "2027-03-01T00:00", "2027-05-01T00:00", inquired, new InquiriesAnswered(At("2027-03-05T09:00"))));
    }

    [Fact]
    public void A_reminder_goes_24_hours_before_an_appointment_that_is_moved_across_a_clock_change()
    {
        // London 28 March 2027, New York 14 March 2027 (IANA tz).
        var touches = Lived(
            [File("appointment-reminder")],
            "2027-03-01T00:00",
            "2027-05-01T00:00",
            new AppointmentMade(At("2027-03-02T10:00"), "1", "first meeting", At("2027-03-12T15:00")),
            new AppointmentMade(At("2027-03-05T10:00"), "1", "first meeting", At("2027-03-14T15:00"), Moved: true)
        );
        Assert.Equal(["remind Sat 03-13 14:00", "thanks Sun 03-21 10:00"], touches.Select(t => $"{t.Step.Id} {Date(t)}"));
        Assert.Equal(Duration.FromHours(24), At("2027-03-14T15:00") - touches[0].At);
    }

    [Fact]
    public void A_birthday_greeting_goes_the_day_before_in_leap_years_too()
    {
        // Born on 1 March: the day before is 28 February, and 29 February in 2028.
        Assert.Equal(
            ["Sun 02-28 17:00", "Tue 02-29 17:00", "Wed 02-28 17:00"],
            Lived([File("birthday-eve")], "2027-01-01T00:00", "2029-12-31T00:00").Select(Date)
        );
    }

    [Fact]
    public void A_sign_up_series_goes_on_days_1_3_and_7()
    {
        var touches = Lived(
            [File("sign-up-series")],
            "2027-03-01T00:00",
            "2027-05-01T00:00",
            new Inquired(At("2027-03-04T22:10"), "sign-up"),
            new Inquired(At("2027-03-05T22:10"), "other")
        );
        Assert.Equal(["Fri 03-05 09:30", "Sun 03-07 09:30", "Thu 03-11 09:30"], touches.Select(Date));
    }

    [Fact]
    public void Lost_for_timing_is_taken_up_after_six_months()
    {
        var touches = Lived(
            [File("lost-for-timing")],
            "2027-01-01T00:00",
            "2028-05-01T00:00",
            new Lost(At("2027-08-31T10:00"), "timing"),
            new Lost(At("2027-09-30T10:00"), "price")
        );
        // Six months after 31 August is 29 February in 2028 (rule 1.3).
        Assert.Equal(["again Tue 02-29 09:30", "call Fri 03-03 09:30"], touches.Select(t => $"{t.Step.Id} {Date(t)}"));
    }

    [Fact]
    public void Every_program_that_ships_reads_checks_and_writes_back()
    {
        var all = Directory
            .GetFiles(Path.Combine(HouseTests.Root, "demo", "programs"))
            .Select(f => Path.GetFileName(f).Replace(".program.json", "", StringComparison.Ordinal))
            .Select(File)
            .ToList();
        Assert.True(all.Count >= 13);
        Assert.Empty(ProgramCheck.LoopFindings(all));
        foreach (var program in all)
        {
            // Nothing but that ages need a year, which is so for every program that counts them.
            Assert.DoesNotContain(ProgramCheck
                    .Findings(program, all.Select(p => p.Name).ToHashSet(StringComparer.OrdinalIgnoreCase), _ => [])
, f => !(f.IsWarning && f.Message.Contains("has no year is left out", StringComparison.Ordinal)));
            var again = ProgramFile.Write(program).ToJsonString();
            Assert.Equal(again, ProgramFile.Write(ProgramFile.Read(again).Program!).ToJsonString());
        }
    }
}
