using System.Globalization;
using Germinal.Channels;
using Germinal.Channels.Calendars;
using Germinal.Core.Practices;
using Germinal.Core.Words;
using Germinal.Service.Mails;
using Germinal.Store.Rows;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Meetings;

/// <summary>What became of an appointment that was chosen on a page. Closed.</summary>
public enum MeetingNews
{
    Made,
    Moved,
    Cancelled,
}

/// <summary>The mail that tells somebody of the appointment they chose, with its iCalendar object (RFC 6047).</summary>
public static class MeetingMail
{
    private static LocalDateTimePattern DayAndTime => Tongue.Spoken.Dates.LongMoment;

    /// <summary>The zone an appointment is said in: that of whoever chose it, else the practice's.</summary>
    public static DateTimeZone ZoneOf(AppointmentRow row, Practice practice) => (row.ReaderZone is { } id ? DateTimeZoneProviders.Tzdb.GetZoneOrNull(id) : null) ?? practice.Zone;

    /// <summary>When it is, in words: <c>Tuesday, 2 March 2027, 10:00 (America/New_York)</c>.</summary>
    public static string MomentOf(Instant at, DateTimeZone zone) => $"{DayAndTime.Format(at.InZone(zone).LocalDateTime)} ({zone.Id})";

    /// <summary>The iCalendar object of an appointment; null where it has nobody to be told, or nobody to tell it.</summary>
    public static string? Calendar(AppointmentRow row, PersonRow person, Practice practice, string change, Instant now) =>
        practice.Members.FirstOrDefault(m => m.Id == row.WithId) is { } member && person.Email is { } address
            ? AppointmentCalendar.Write(
                new CalendarAppointment(
                    row.Id,
                    row.Sequence,
                    $"{row.Type}: {member.Name}, {practice.Name}",
                    Say($"To move or cancel it: {change}"),
                    row.Place,
                    row.At,
                    row.Minutes,
                    (member.Name, member.Email),
                    (person.Name, address)
                ),
                row.CancelledAt is not null,
                now
            )
            : null;

    /// <summary>The mail.</summary>
    public static OwnMailRow Write(AppointmentRow row, PersonRow person, Practice practice, MeetingNews news, PublicLinks links, Instant now)
    {
        using var spoken = (Tongue.Named(person.Tongue) ?? practice.Tongue).Speak();
        var member = practice.Members.FirstOrDefault(m => m.Id == row.WithId);
        var (when, change) = (MomentOf(row.At, ZoneOf(row, practice)), links.Appointment(row.Id));
        var (head, first) = news switch
        {
            MeetingNews.Made => ($"{row.Type}: {when}", Said("This is the time you chose:")),
            MeetingNews.Moved => (Say($"Moved: {row.Type}, {when}"), Said("Your appointment is now at this time:")),
            _ => (Say($"Cancelled: {row.Type}, {when}"), Said("This appointment does not take place:")),
        };
        string?[] lines =
        [
            Say($"Hello {person.FirstName ?? person.Name},"),
            "",
            first,
            "",
            $"{row.Type}{(member is null ? "" : Say($" with {member.Name}"))}",
            Say($"{when}, {row.Minutes.ToString(CultureInfo.InvariantCulture)} minutes"),
            row.Place,
            "",
            news == MeetingNews.Cancelled ? null : Say($"To move or cancel it, follow this link: {change}"),
            news == MeetingNews.Cancelled ? null : "",
            practice.Name,
            practice.PostalAddress,
        ];
        return new OwnMailRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = row.PracticeId,
            Kind = OwnMailKinds.Appointment,
            PersonId = person.Id,
            MemberId = row.WithId,
            ToName = person.Name,
            ToAddress = person.Email!,
            Subject = head,
            Text = string.Join('\n', lines.OfType<string>()),
            Calendar = Calendar(row, person, practice, change, now) ?? "",
            CreatedAt = now,
            NextTry = SystemClock.Instance.GetCurrentInstant(),
        };
    }
}
