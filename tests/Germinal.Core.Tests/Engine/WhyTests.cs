using Germinal.Core.Engine;
using Germinal.Core.Time;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Every recorded reason becomes a sentence a practitioner reads.</summary>
public sealed class WhyTests
{
    private static readonly Instant Monday = At("2027-03-01T09:30");

    [Theory]
    [InlineData(CheckKind.RunGoing, true, "", "The program was still going for them.")]
    [InlineData(CheckKind.RunGoing, false, "", "The program had stopped for them.")]
    [InlineData(CheckKind.PersonReachable, true, "", "Ida Rowan may be contacted.")]
    [InlineData(CheckKind.PersonReachable, false, "died", "Ida Rowan has died.")]
    [InlineData(CheckKind.PersonReachable, false, "archived", "Ida Rowan is archived.")]
    [InlineData(CheckKind.PersonReachable, false, "do-not-contact", "Ida Rowan is marked “do not contact”.")]
    [InlineData(CheckKind.OnlyIf, true, "none", "The step is for everybody on the program.")]
    [InlineData(CheckKind.OnlyIf, true, "rule", "They match what the step asks for.")]
    [InlineData(CheckKind.OnlyIf, false, "rule", "They do not match what the step asks for.")]
    [InlineData(CheckKind.HasAddress, true, "ida@example.com|email", "The email address is ida@example.com.")]
    [InlineData(CheckKind.HasAddress, false, "|email", "There is no email address on their page.")]
    [InlineData(CheckKind.HasAddress, false, "ida@|email", "“ida@” is not a well-formed email address.")]
    [InlineData(CheckKind.HasAddress, false, "|call", "There is no number on their page.")]
    [InlineData(CheckKind.NotSuppressed, true, "ida@example.com", "Nothing sent there has come back.")]
    [InlineData(CheckKind.NotSuppressed, true, "+12075550101", "Nothing says that the number is wrong.")]
    [InlineData(CheckKind.NotSuppressed, true, "12 Quay Lane|post", "Nothing posted there has come back.")]
    [InlineData(CheckKind.NotSuppressed, false, "ida@example.com", "Mail to ida@example.com came back before, so nothing is sent there.")]
    [InlineData(CheckKind.Consent, true, "email|allowed||", "They may be emailed: the practice needs no consent for this and they have not said no.")]
    [InlineData(
        CheckKind.Consent,
        true,
        "email|allowed|express|web form|2027-02-01T15:00:00Z",
        "They may be emailed: they said so (web form, Mon 1 February, 10:00)."
    )]
    [InlineData(
        CheckKind.Consent,
        true,
        "call|allowed|inquiry|web form|2027-02-01T15:00:00Z",
        "They may be called: they inquired (web form, Mon 1 February, 10:00)."
    )]
    [InlineData(
        CheckKind.Consent,
        true,
        "post|allowed|client|the plan|2027-02-01T15:00:00Z",
        "They may be written to: they are a client (the plan, Mon 1 February, 10:00)."
    )]
    [InlineData(
        CheckKind.Consent,
        false,
        "email|withdrawn|express|the phone|2027-02-01T15:00:00Z",
        "They may not be emailed: they said no (the phone, Mon 1 February, 10:00)."
    )]
    [InlineData(CheckKind.Consent, false, "text|missing||", "They may not be texted: nobody has recorded that they said yes.")]
    [InlineData(
        CheckKind.Consent,
        false,
        "email|missing|inquiry|web form|2027-02-01T15:00:00Z",
        "They may not be emailed: what they gave has run out (web form, Mon 1 February, 10:00)."
    )]
    [InlineData(CheckKind.InTime, true, "|", "It may come however late.")]
    [InlineData(CheckKind.InTime, true, "P3D|2027-03-04T15:04:00Z", "It came in time: it had until Thu 4 March, 10:04.")]
    [InlineData(CheckKind.InTime, false, "P3D|2027-03-04T15:04:00Z", "It came too late: it had until Thu 4 March, 10:04.")]
    [InlineData(CheckKind.WindowOpen, true, "09:30:00|America/New_York", "The program may act then; it was 9:30 on their clock.")]
    [InlineData(CheckKind.WindowOpen, false, "22:00:00|America/New_York", "The program may not act then; it was 22:00 on their clock.")]
    [InlineData(CheckKind.CanBeFilled, true, "", "Every merge field has a value.")]
    [InlineData(
        CheckKind.CanBeFilled,
        false,
        "cannot-fill|person.first_name|person.stage",
        "It cannot be filled: nothing to put for “person.first_name” and “person.stage”."
    )]
    [InlineData(CheckKind.CanBeFilled, false, "no-sender", "Nobody can sign it: they have no owner and the practice names nobody to stand in.")]
    public void A_check_says_what_it_found(CheckKind kind, bool passed, string found, string expected)
    {
        var sentence = Why.Of(new Check(kind, passed, found.Split('|')), "Ida Rowan", NewYork);
        Assert.Equal(expected, sentence.Text);
        Assert.Equal(passed ? "passed" : "failed", sentence.Tone);
    }

    [Theory]
    [InlineData(CauseKind.Broadcast, "Ada Quill", "Ada Quill sent “P” to many at once, and they were among them when it began on Mon 1 March, 9:30.")]
    [InlineData(CauseKind.Tag, "warm", "The tag “warm” was put on Mon 1 March, 9:30, which starts “P”.")]
    [InlineData(CauseKind.Stage, "Planning/Inquiry", "They reached the stage Inquiry on Mon 1 March, 9:30, which starts “P”.")]
    [InlineData(CauseKind.Occasion, "birthday", "Their birthday started “P” on Mon 1 March, 9:30.")]
    [InlineData(CauseKind.SwitchedOn, "Ada", "They qualified when “P” was switched on, Mon 1 March, 9:30.")]
    [InlineData(CauseKind.HandOver, "First", "“First” handed over to “P” on Mon 1 March, 9:30.")]
    [InlineData(CauseKind.Loop, "P", "“P” began anew on Mon 1 March, 9:30.")]
    [InlineData(CauseKind.Hand, "Ada Quill", "Ada Quill started “P” by hand on Mon 1 March, 9:30.")]
    public void A_run_says_what_started_it(CauseKind kind, string detail, string expected) =>
        Assert.Equal(expected, Why.Started(new StartCause(kind, detail), "P", Monday, NewYork).Text);

    [Theory]
    [InlineData("start", "P0D", "2027-03-01T14:30:00Z", false, "It is due at once when the program starts: Mon 1 March, 9:30.")]
    [InlineData("start", "P7D", "2027-02-22T15:04:00Z", false, "It falls 7 days after the start on Mon 22 February, 10:04: Mon 1 March, 9:30.")]
    [InlineData("previous", "P0D", "2027-03-01T14:30:00Z", false, "It follows the step before at once: Mon 1 March, 9:30.")]
    [InlineData(
        "previous",
        "P1D",
        "2027-02-26T14:30:00Z",
        true,
        "It falls a day after the step before, which settled on Fri 26 February, 9:30: Mon 1 March, 9:30, the next time the program may act."
    )]
    [InlineData("occasion", "P0D", "2027-03-01", false, "It falls on the occasion itself, Mon 1 March 2027: Mon 1 March, 9:30.")]
    [InlineData("occasion", "-P1D", "2027-03-02", false, "It falls a day before the occasion on Tue 2 March 2027: Mon 1 March, 9:30.")]
    [InlineData("key-date", "P0D", "renewal 2027-03-01", false, "It is placed by their renewal: Mon 1 March, 9:30.")]
    [InlineData("on", "2027-03-01", "", false, "It is placed on the date 2027-03-01: Mon 1 March, 9:30.")]
    public void A_touch_says_how_its_date_came_about(string place, string offset, string since, bool moved, string expected) =>
        Assert.Equal(expected, Why.Planned(new PlanReason(place, offset, since, moved), Monday, NewYork).Text);

    /// <summary>The closed set of reasons the engine gives; each has words of its own.</summary>
    [Theory]
    [
        InlineData("not-for"),
        InlineData("no-address"),
        InlineData("suppressed"),
        InlineData("no-consent"),
        InlineData("opted-out"),
        InlineData("late"),
        InlineData("cannot-fill"),
        InlineData("no-sender"),
        InlineData("given-up")
    ]
    [
        InlineData("window-never-opens"),
        InlineData("date-passed"),
        InlineData("no-occasion"),
        InlineData("no-key-date"),
        InlineData("already-running"),
        InlineData("already-been"),
        InlineData("too-soon"),
        InlineData("do-not-contact")
    ]
    [
        InlineData("program-off"),
        InlineData("nothing-left-to-send"),
        InlineData("replied"),
        InlineData("stage-entered"),
        InlineData("tag-added"),
        InlineData("by-hand"),
        InlineData("dropped"),
        InlineData("died"),
        InlineData("archived"),
        InlineData("window"),
        InlineData("refused-by-server")
    ]
    public void A_reason_has_words(string reason)
    {
        var words = Why.Reason(reason);
        Assert.NotEqual(reason, words);
        Assert.DoesNotContain('-', words);
    }

    [Theory]
    [
        InlineData("P0D", "at once"),
        InlineData("P1D", "a day"),
        InlineData("-P7D", "7 days"),
        InlineData("P1M", "a month"),
        InlineData("P2W", "2 weeks"),
        InlineData("P1Y6M", "a year and 6 months"),
        InlineData("PT2H", "2 hours"),
        InlineData("P1DT1H", "a day and an hour"),
        InlineData("PT90M", "an hour and 30 minutes")
    ]
    public void A_distance_is_said_as_people_say_it(string offset, string expected) => Assert.Equal(expected, Phrases.Span(Distance.Parse(offset)));

    [Fact]
    public void Dates_are_said_on_the_clock_of_their_zone()
    {
        Assert.Equal("Mon 1 March, 9:30", Phrases.Moment(Monday, NewYork));
        Assert.Equal("Mon 1 March, 7:30", Phrases.Moment(Monday, Denver));
        Assert.Equal("Tue 2 March, 1:30", Phrases.Moment(Monday, DateTimeZoneProviders.Tzdb["Australia/Sydney"]));
    }

    /// <summary>Whatever started a run, whatever kept a touch back, has a sentence of its own: no word is left to stand for itself.</summary>
    [Fact]
    public void Every_cause_and_every_reason_has_a_sentence()
    {
        Assert.Equal(
            Enum.GetValues<CauseKind>().Length,
            Enum.GetValues<CauseKind>().Select(c => Why.Started(new StartCause(c, "x"), "P", Monday, NewYork).Text).Distinct(StringComparer.Ordinal).Count()
        );
        Assert.All(
            Enum.GetValues<Reason>(),
            reason =>
            {
                Assert.Equal(reason, Reasons.Read(reason.Word()));
                Assert.Equal(reason.Phrase(), Why.Reason(reason.Word()));
                Assert.True(reason.Phrase().Length > reason.Word().Length / 2 && reason.Phrase() != reason.Word(), reason.Word());
            }
        );
        Assert.Equal(Enum.GetValues<Reason>().Length, Enum.GetValues<Reason>().Select(r => r.Phrase()).Distinct(StringComparer.Ordinal).Count());
    }

    [Fact]
    public void Every_status_has_a_word_and_every_outcome_a_status()
    {
        Assert.All(Enum.GetValues<TouchStatus>(), status => Assert.Equal(status, TouchStatuses.Read(status.Word())));
        Assert.All(
            Enum.GetValues<Outcome>(),
            outcome => Assert.Equal(outcome == Outcome.Blocked ? "GivenUp" : outcome.ToString(), TouchStatuses.Of(outcome).ToString())
        );
    }
}
