using Germinal.Channels.Letters;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using NodaTime;

namespace Germinal.Cli.Output;

/// <summary>The calls on the day sheets for a calendar, each a VTODO of RFC 5545.</summary>
internal static class IcsOutput
{
    public static void Write(IEnumerable<TouchLine> lines, Practice practice, LiquidLetters letters, TextWriter output)
    {
        var calendar = new Calendar { ProductId = "-//Germinal//rehearsal//EN" };
        foreach (var line in lines.Where(l => l.Touch is { Step: CallStep, Outcome: Core.Engine.Outcome.Open or Core.Engine.Outcome.Done }))
        {
            var call = (CallStep)line.Touch.Step;
            var due = line.Touch.Due;
            var last =
                practice.Calendar.WorkingDayAfter(due.InZone(practice.ZoneOf(line.Person)).Date, call.Slack.WholeDays)
                ?? due.InZone(practice.ZoneOf(line.Person)).Date;
            calendar.Todos.Add(
                new Todo
                {
                    Uid = $"{line.Touch.TouchId:D}@germinal.example.com",
                    DtStamp = Utc(line.Touch.At),
                    DtStart = Utc(due),
                    Due = Utc(Core.Time.LocalClock.At(last.At(new LocalTime(21, 0)), practice.ZoneOf(line.Person))),
                    Summary = $"Call {line.Person.Name}",
                    Description = letters.FillText(call.Script, line.Person, practice, practice.SenderFor(line.Person, call), due, []),
                    Status = line.Touch.Outcome == Core.Engine.Outcome.Done ? "COMPLETED" : "NEEDS-ACTION",
                }
            );
        }

        output.Write(new CalendarSerializer().SerializeToString(calendar));
    }

    private static CalDateTime Utc(Instant moment) => new(moment.ToDateTimeUtc(), "UTC");
}
