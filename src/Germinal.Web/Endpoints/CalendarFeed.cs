using System.Security.Cryptography;
using Germinal.Channels.Calendars;
using Germinal.Channels.Letters;
using Germinal.Core.Programs;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Keys;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Duration = NodaTime.Duration;

namespace Germinal.Web.Endpoints;

/// <summary>The address of a member's calendar feed.</summary>
public sealed record FeedDto(string Address);

/// <summary>
/// A member's calls, tasks and appointments as an iCalendar feed (RFC 5545) that calendar programs subscribe to. The address
/// is secret: it carries 128 random bits, and a new one puts the old out of use.
/// </summary>
public static class CalendarFeed
{
    private static readonly Duration Ahead = Duration.FromDays(90);
    private static readonly Duration Behind = Duration.FromDays(30);

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapPost(
                "/api/calendar-feed",
                async (GerminalDb db, Caller caller, Channels.PublicLinks links, bool? renew, CancellationToken stop) =>
                {
                    var member = await db.Users.SingleAsync(u => u.Id == caller.Id && u.PracticeId == caller.PracticeId, stop);
                    if (member.FeedKey is null || renew == true)
                    {
                        member.FeedKey = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
                        await db.SaveChangesAsync(stop);
                    }

                    return new FeedDto($"{links.BaseUrl}/calendars/{member.FeedKey}.ics");
                }
            )
            .WithTags("calendar")
            .ForMembersOnly()
            .RequireAuthorization(Rights.Work);
        app.MapGet("/calendars/{key}.ics", Read).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
    }

    private static async Task<IResult> Read(string key, GerminalDb db, ProgramDesk programs, HttpContext http, CancellationToken stop)
    {
        if (key.Length != 32 || await db.Users.AsNoTracking().FirstOrDefaultAsync(u => u.FeedKey == key, stop) is not { } member)
        {
            return Results.NotFound();
        }

        db.PracticeId = member.PracticeId;
        http.Response.Headers.CacheControl = "private, max-age=300";
        return Results.Text(await WriteAsync(db, programs, member, stop), "text/calendar; charset=utf-8");
    }

    private static async Task<string> WriteAsync(GerminalDb db, ProgramDesk programs, MemberUser member, CancellationToken stop)
    {
        var engine = await programs.EngineAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var (from, until) = (now - Behind, now + Ahead);
        var own = db.People.Where(p => p.OwnerId == member.Id || (p.OwnerId == null && engine.Practice.FallbackSender == member.Id));
        var touches = await db
            .Touches.AsNoTracking()
            .Where(t =>
                TaskStep.Kinds.Contains(t.Kind)
                && (t.Status == TouchStatus.Open || t.Status == TouchStatus.Planned)
                && t.Due < until
                && own.Any(p => p.Id == t.PersonId)
            )
            .OrderBy(t => t.Due)
            .ThenBy(t => t.Id)
            .Take(1000)
            .ToListAsync(stop);
        var tasks = await db.Tasks.AsNoTracking().Where(t => t.MemberId == member.Id && t.DoneAt == null).OrderBy(t => t.Due).Take(500).ToListAsync(stop);
        var appointments = await db
            .Appointments.AsNoTracking()
            .Where(a => a.At > from && a.At < until && (a.WithId == member.Id || own.Any(p => p.Id == a.PersonId)))
            .OrderBy(a => a.At)
            .Take(500)
            .ToListAsync(stop);
        var facts = await FactsReading.LoadAsync(
            db,
            [.. touches.Select(t => t.PersonId).Concat(tasks.Select(t => t.PersonId).OfType<Guid>()).Concat(appointments.Select(a => a.PersonId)).Distinct()],
            stop
        );
        var liquid = (LiquidLetters)engine.Templates;
        var calendar = new Calendar { ProductId = "-//Germinal//Calls and appointments//EN" };
        calendar.AddProperty("X-WR-CALNAME", Say($"{member.Name}: calls and appointments"));
        foreach (var touch in touches)
        {
            var person = facts[touch.PersonId];
            var step = engine.Shelf.Find(touch.ProgramId, touch.Version).Definition.StepOf(touch.StepId)!;
            var day = touch.Due.InZone(engine.Practice.Zone).Date;
            calendar.Events.Add(
                AllDay(
                    touch.Id,
                    day,
                    now,
                    $"{Verb(touch.Kind)} {person.Name}",
                    liquid.FillText(step.Templates[0].Text, person, engine.Practice, engine.Practice.SenderFor(person), now, []),
                    person.AddressOf(Channel.Call)
                )
            );
        }

        foreach (var task in tasks)
        {
            var about = task.PersonId is { } id ? facts[id] : null;
            calendar.Events.Add(AllDay(task.Id, task.Due, now, about is null ? task.Title : $"{Verb(task.Kind)} {about.Name}", task.Title, about?.AddressOf(Channel.Call)));
        }

        foreach (var appointment in appointments)
        {
            calendar.Events.Add(
                new CalendarEvent
                {
                    Uid = AppointmentCalendar.UidOf(appointment.Id),
                    Sequence = appointment.Sequence,
                    DtStamp = AppointmentCalendar.At(now),
                    Start = AppointmentCalendar.At(appointment.At),
                    End = AppointmentCalendar.At(appointment.At + Duration.FromMinutes(appointment.Minutes)),
                    Summary = $"{appointment.Type}: {facts[appointment.PersonId].Name}",
                    Location = appointment.Place,
                    Status = appointment.CancelledAt is null ? "CONFIRMED" : "CANCELLED",
                }
            );
        }

        return new CalendarSerializer().SerializeToString(calendar)!;
    }

    private static string Verb(string kind) =>
        kind switch
        {
            "call" => "Call",
            "note" => Said("Write to"),
            _ => "For",
        };

    private static CalendarEvent AllDay(Guid id, LocalDate day, Instant now, string summary, string words, string? number) =>
        new()
        {
            Uid = AppointmentCalendar.UidOf(id),
            DtStamp = AppointmentCalendar.At(now),
            Start = new CalDateTime(day.Year, day.Month, day.Day),
            End = new CalDateTime(day.PlusDays(1).Year, day.PlusDays(1).Month, day.PlusDays(1).Day),
            Summary = summary,
            Description = number is null ? words : $"{words}\n{number}",
            Transparency = "TRANSPARENT",
        };
}
