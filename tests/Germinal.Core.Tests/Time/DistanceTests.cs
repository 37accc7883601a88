using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Tests.Time;

public sealed class DistanceTests
{
    [Theory]
    [InlineData("P8D"), InlineData("P1M"), InlineData("-P1D"), InlineData("PT2H"), InlineData("P1DT2H"), InlineData("P1Y2M3W4DT5H6M7S"), InlineData("+P1D")]
    public void Rule_1_3_reads_durations_with_one_sign(string text) => Assert.NotNull(Distance.TryParse(text));

    [Theory]
    [
        InlineData("P1DT"),
        InlineData("P"),
        InlineData("PT"),
        InlineData("1D"),
        InlineData("P-1D"),
        InlineData("P1D-T2H"),
        InlineData("P1.5D"),
        InlineData("p1d"),
        InlineData(""),
        InlineData("P1H")
    ]
    public void Rule_1_3_refuses_what_is_not_one(string text) => Assert.Null(Distance.TryParse(text));

    [Theory]
    [InlineData("2027-01-31", "P1M", "2027-02-28")]
    [InlineData("2028-01-31", "P1M", "2028-02-29")]
    [InlineData("2028-02-29", "P1Y", "2029-02-28")]
    [InlineData("2027-03-31", "-P1M", "2027-02-28")]
    [InlineData("2027-12-31", "P2M", "2028-02-29")]
    [InlineData("2027-01-01", "P2W", "2027-01-15")]
    public void Rule_1_3_a_day_the_month_does_not_have_becomes_its_last(string date, string offset, string expected)
    {
        var iso = NodaTime.Text.LocalDatePattern.Iso;
        Assert.Equal(expected, iso.Format(Distance.Parse(offset).AddDates(iso.Parse(date).Value)));
    }

    [Fact]
    public void Rule_1_3_hours_are_elapsed_and_days_keep_the_clock_across_a_change()
    {
        // New York springs forward on 14 March 2027 (IANA tz database): that day has 23 hours.
        var before = Given.At("2027-03-13T12:00");
        Assert.Equal(Given.At("2027-03-14T12:00"), Distance.Parse("P1D").AddTo(before, Given.NewYork));
        Assert.Equal(Given.At("2027-03-14T13:00"), Distance.Parse("PT24H").AddTo(before, Given.NewYork));
        Assert.Equal(Given.At("2027-03-14T14:00"), Distance.Parse("P1DT2H").AddTo(before, Given.NewYork));
    }

    // Clock changes of 2027 from the IANA tz database; RFC 5545 §3.3.5 says how the gap and the fold are read.
    [Theory]
    [InlineData("America/New_York", "2027-03-14T02:30", "2027-03-14T07:30Z")]
    [InlineData("America/New_York", "2027-11-07T01:30", "2027-11-07T05:30Z")]
    [InlineData("Europe/London", "2027-03-28T01:30", "2027-03-28T01:30Z")]
    [InlineData("Europe/London", "2027-10-31T01:30", "2027-10-31T00:30Z")]
    [InlineData("Australia/Sydney", "2027-10-03T02:30", "2027-10-02T16:30Z")]
    [InlineData("Australia/Sydney", "2027-04-04T02:30", "2027-04-03T15:30Z")]
    [InlineData("America/Phoenix", "2027-03-14T02:30", "2027-03-14T09:30Z")]
    public void Rule_1_2_gaps_move_forward_by_their_length_and_folds_take_the_earlier(string zone, string local, string instant)
    {
        var at = Given.At(local, DateTimeZoneProviders.Tzdb[zone]);
        Assert.Equal(instant, NodaTime.Text.InstantPattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm'Z'").Format(at));
    }
}
