using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using NodaTime;
using Duration = NodaTime.Duration;

namespace Germinal.Channels.Calendars;

/// <summary>An appointment as calendars tell each other of it.</summary>
/// <param name="Id">Which; the same as long as it exists, moved or not.</param>
/// <param name="Sequence">How often it was changed since it was first told (RFC 5545, 3.8.7.4).</param>
/// <param name="Summary">One line.</param>
/// <param name="Words">What else is to be known; empty for nothing.</param>
/// <param name="Place">Where; null where nobody has said.</param>
/// <param name="Start">When.</param>
/// <param name="Minutes">How long.</param>
/// <param name="Organizer">The member: name and address.</param>
/// <param name="Attendee">Whom they meet: name and address.</param>
public sealed record CalendarAppointment(
    Guid Id,
    int Sequence,
    string Summary,
    string Words,
    string? Place,
    Instant Start,
    int Minutes,
    (string Name, string Address) Organizer,
    (string Name, string Address) Attendee
);

/// <summary>Appointments as iCalendar objects that ask for a meeting or take it back (RFC 5545; RFC 5546, 3.2.2 and 3.2.5).</summary>
public static class AppointmentCalendar
{
    /// <summary>The method of one that is made or moved.</summary>
    public const string Request = "REQUEST";

    /// <summary>The method of one that is taken back.</summary>
    public const string Cancel = "CANCEL";

    /// <summary>What calendars know an appointment by.</summary>
    public static string UidOf(Guid id) => $"{id}@germinal";

    /// <summary>A moment as a calendar writes it, in UTC.</summary>
    public static CalDateTime At(Instant instant) => new(instant.ToDateTimeUtc());

    /// <summary>The object.</summary>
    /// <param name="appointment">The appointment.</param>
    /// <param name="cancelled">Whether it is taken back.</param>
    /// <param name="now">When it is told.</param>
    public static string Write(CalendarAppointment appointment, bool cancelled, Instant now)
    {
        var calendar = new Calendar { ProductId = "-//Germinal//Appointments//EN", Method = cancelled ? Cancel : Request };
        calendar.Events.Add(
            new CalendarEvent
            {
                Uid = UidOf(appointment.Id),
                Sequence = appointment.Sequence,
                DtStamp = At(now),
                Start = At(appointment.Start),
                End = At(appointment.Start + Duration.FromMinutes(appointment.Minutes)),
                Summary = appointment.Summary,
                Description = appointment.Words.Length > 0 ? appointment.Words : null,
                Location = appointment.Place,
                Status = cancelled ? "CANCELLED" : "CONFIRMED",
                Organizer = new Organizer($"mailto:{appointment.Organizer.Address}") { CommonName = Name(appointment.Organizer.Name) },
                Attendees =
                [
                    new Attendee($"mailto:{appointment.Attendee.Address}")
                    {
                        CommonName = Name(appointment.Attendee.Name),
                        Role = "REQ-PARTICIPANT",

                        // They chose the time themselves: nothing is left to be answered.
                        ParticipationStatus = "ACCEPTED",
                        Rsvp = false,
                    },
                ],
            }
        );
        return new CalendarSerializer().SerializeToString(calendar)!;
    }

    /// <summary>A name as a parameter may carry it: without quotes and control characters (RFC 5545, 3.2).</summary>
    private static string Name(string name) => string.Concat(name.Where(c => c != '"' && !char.IsControl(c)));
}
