using System.Text;
using Germinal.Channels.Calendars;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Calendars as others write them (RFC 5545), read for when somebody is busy.</summary>
public sealed class BusyCalendarTests
{
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private static readonly Instant From = Instant.FromUtc(2027, 3, 1, 5, 0);
    private static readonly Instant Until = Instant.FromUtc(2027, 4, 1, 4, 0);

    private static (string? Problem, IReadOnlyList<Interval> Busy) Read(string events, string head = "")
    {
        var file = $"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Example//EN\n{head}{events}\nEND:VCALENDAR\n".ReplaceLineEndings("\r\n");
        return (BusyCalendar.Read(Encoding.UTF8.GetBytes(file), Zone, From, Until, out var busy), busy);
    }

    private static string Event(string lines) => $"BEGIN:VEVENT\nUID:{Guid.NewGuid()}\nDTSTAMP:20270101T000000Z\n{lines}\nEND:VEVENT\n";

    private static Interval Between(int day, int from, int until) => new(new LocalDateTime(2027, 3, day, from, 0).InZoneStrictly(Zone).ToInstant(), new LocalDateTime(2027, 3, day, until, 0).InZoneStrictly(Zone).ToInstant());

    [Fact]
    public void Times_are_read_in_their_zone_in_none_and_whole_days()
    {
        var (problem, busy) = Read(
            Event("DTSTART;TZID=America/New_York:20270302T090000\nDTEND;TZID=America/New_York:20270302T100000\nSUMMARY:Nobody's business")
                + Event("DTSTART:20270303T150000Z\nDURATION:PT1H")
                + Event("DTSTART:20270304T090000\nDTEND:20270304T110000")
                + Event("DTSTART;VALUE=DATE:20270308\nDTEND;VALUE=DATE:20270309")
                + Event("DTSTART;TZID=Nowhere/Known:20270309T090000\nDTEND;TZID=Nowhere/Known:20270309T100000")
        );
        Assert.Null(problem);
        Assert.Equal([Between(2, 9, 10), Between(3, 10, 11), Between(4, 9, 11), new Interval(Between(8, 0, 1).Start, Between(9, 0, 1).Start), Between(9, 9, 10)], busy);
    }

    [Fact]
    public void What_is_free_or_called_off_takes_nothing_and_what_overlaps_counts_once()
    {
        var (_, busy) = Read(
            Event("DTSTART:20270302T140000Z\nDTEND:20270302T160000Z")
                + Event("DTSTART:20270302T150000Z\nDTEND:20270302T170000Z")
                + Event("DTSTART:20270303T140000Z\nDTEND:20270303T150000Z\nTRANSP:TRANSPARENT")
                + Event("DTSTART:20270304T140000Z\nDTEND:20270304T150000Z\nSTATUS:CANCELLED")
                + Event("DTSTART:20270305T140000Z")
                + Event("DTSTART:20260101T140000Z\nDTEND:20260101T150000Z")
                + Event("DTSTART:20280101T140000Z\nDTEND:20280101T150000Z")
        );
        Assert.Equal([Between(2, 9, 12)], busy);
    }

    /// <summary>Each Tuesday at nine on the clock, over the change of clocks on 14 March; the second moved, the third taken out (RFC 5545, 3.8.4.4 and 3.8.5.1).</summary>
    [Fact]
    public void What_comes_again_keeps_to_the_clock_with_its_exceptions()
    {
        var id = Guid.NewGuid();
        var (_, busy) = Read(
            $"BEGIN:VEVENT\nUID:{id}\nDTSTAMP:20270101T000000Z\nDTSTART;TZID=America/New_York:20270105T090000\nDTEND;TZID=America/New_York:20270105T100000\nRRULE:FREQ=WEEKLY\nEXDATE;TZID=America/New_York:20270316T090000\nEND:VEVENT\n"
                + $"BEGIN:VEVENT\nUID:{id}\nDTSTAMP:20270101T000000Z\nRECURRENCE-ID;TZID=America/New_York:20270309T090000\nDTSTART;TZID=America/New_York:20270310T150000\nDTEND;TZID=America/New_York:20270310T160000\nEND:VEVENT\n"
        );
        Assert.Equal([Between(2, 9, 10), Between(10, 15, 16), Between(23, 9, 10), Between(30, 9, 10)], busy);
    }

    [Theory]
    [InlineData("")]
    [InlineData("hello")]
    [InlineData("<html><body>sign in</body></html>")]
    public void What_is_no_calendar_is_said(string file)
    {
        Assert.Contains("no calendar", BusyCalendar.Read(Encoding.UTF8.GetBytes(file), Zone, From, Until, out var busy), StringComparison.Ordinal);
        Assert.Empty(busy);
    }

    [Theory]
    [InlineData("DTSTART:99991231T235959Z\nDTEND:99991231T235959Z")]
    [InlineData("DTSTART:garbage\nDTEND:more")]
    [InlineData("DTSTART:20270302T090000Z\nDTEND:20270101T090000Z")]
    [InlineData("DTSTART:20270302T090000Z\nDURATION:P99999999D")]
    [InlineData("DTSTART:00010101T000000Z\nDTEND:00010101T010000Z\nRRULE:FREQ=YEARLY")]
    [InlineData("DTSTART:20270302T090000Z\nDTEND:20270302T100000Z\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")]
    [InlineData("DTSTART:20270302T090000Z\nDTEND:20270302T090001Z\nRRULE:FREQ=SECONDLY")]
    public void What_is_written_to_hurt_is_survived(string lines)
    {
        var (problem, busy) = Read(Event(lines) + Event("DTSTART:20270310T140000Z\nDTEND:20270310T150000Z"));
        Assert.True(problem is not null || busy.Count <= BusyCalendar.Most);
    }
}
