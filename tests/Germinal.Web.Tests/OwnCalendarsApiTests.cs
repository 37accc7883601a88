using System.Net;
using System.Text;
using System.Text.Json;
using Germinal.Service.Meetings;
using Microsoft.AspNetCore.Http;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>Members' own calendars: only when they are busy is kept, and it is in the way of times and of calls.</summary>
public sealed class OwnCalendarsApiTests(Site site) : IClassFixture<Site>
{
    private static string Calendar(params string[] spans) =>
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Example//EN\r\n"
        + string.Concat(spans.Select(s => $"BEGIN:VEVENT\r\nUID:{Guid.NewGuid()}\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;TZID=America/New_York:{s.Split('/')[0]}\r\nDTEND;TZID=America/New_York:{s.Split('/')[1]}\r\nSUMMARY:A secret\r\nEND:VEVENT\r\n"))
        + "END:VCALENDAR\r\n";

    private static async Task<JsonElement> FileAsync(Member member, string calendar, string name = "mine.ics")
    {
        using var form = Member.File(Encoding.UTF8.GetBytes(calendar), name);
        return await member.DoAsync("/api/own-calendars/file", form);
    }

    [Fact]
    public async Task A_busy_hour_is_no_time_to_choose_and_takes_its_share_of_the_calls()
    {
        var tomas = await site.SignedInAsync("tomas");
        await using (var db = site.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == site.Practice);
            practice.Settings.AppointmentTypes = ["first meeting"];
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }

        var page = (await tomas.DoAsync("/api/meetings", new { title = "A first meeting" }));
        var id = page.GetProperty("id").GetString()!;
        async Task<List<string>> FreeAsync()
        {
            var found = (await tomas.GetAsync("/api/meetings")).GetProperty("pages").EnumerateArray().Single(p => p.GetProperty("id").GetString() == id);
            return [.. found.GetProperty("next").EnumerateArray().Select(t => t.GetString()!)];
        }

        var before = await FreeAsync();
        var first = DateTimeOffset.Parse(before[0], System.Globalization.CultureInfo.InvariantCulture);
        var local = TimeZoneInfo.ConvertTime(first, TimeZoneInfo.FindSystemTimeZoneById("America/New_York"));
        var own = Assert.Single((await FileAsync(tomas, Calendar($"{local:yyyyMMdd'T'HHmmss}/{local.AddMinutes(30):yyyyMMdd'T'HHmmss}"))).EnumerateArray());
        Assert.Equal((1, "mine"), (own.GetProperty("busy").GetInt32(), own.GetProperty("name").GetString()));
        var after = await FreeAsync();
        Assert.DoesNotContain(before[0], after);

        // What it is stands nowhere; and nobody else sees that there is one.
        await using (var db = site.Db())
        {
            Assert.Equal("", (await db.OwnCalendars.SingleAsync(c => c.Id == Guid.Parse(own.GetProperty("id").GetString()!))).SealedAddress);
        }

        var ada = await site.SignedInAsync("ada");
        Assert.DoesNotContain((await ada.GetAsync("/api/own-calendars")).EnumerateArray(), c => c.GetProperty("id").GetString() == own.GetProperty("id").GetString());
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Delete, $"/api/own-calendars/{own.GetProperty("id").GetString()}")).StatusCode);
        Assert.Empty((await tomas.DoAsync($"/api/own-calendars/{own.GetProperty("id").GetString()}", null, HttpMethod.Delete)).EnumerateArray());
        Assert.Contains(before[0], await FreeAsync());
    }

    [Fact]
    public async Task A_day_that_is_full_has_room_for_no_call()
    {
        var ada = await site.SignedInAsync("ada");
        var people = new List<string>();
        foreach (var first in new[] { "Busya", "Busyb" })
        {
            var person = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Called", email = $"{first}@example.com", mobile = $"207 555 01{70 + people.Count}" })).GetProperty("id").GetString()!;
            await ada.DoAsync($"/api/people/{person}/consent", new { channel = "call", @in = true, reason = "told me" });
            people.Add(person);
        }

        // Five a day, from Monday to Friday; on Thursday the eleventh of March she is away from her table all day.
        await using (var db = site.Db())
        {
            var member = await db.Users.SingleAsync(u => u.Email == "ada@example.com");
            member.Capacity = new[] { "mon", "tue", "wed", "thu", "fri" }.ToDictionary(d => d, _ => 5);
            await db.SaveChangesAsync();
            await db.Practices.ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1));
        }

        var program = await PeopleApiTests.ProgramAsync(ada, "Calls on a Thursday", """[{"id":"a","kind":"call","when":{"from":"start","offset":"P10D"},"script":"Ask","slack":"P2D"}]""");
        await ada.DoAsync("/api/people/start", new { ids = people, program });
        await site.WorkAsync();
        async Task<Dictionary<string, (int Calls, int? Room)>> CallsAsync() =>
            (await ada.GetAsync($"/api/almanac?from=2027-03-08&days=10&program={program}"))
                .GetProperty("days")
                .EnumerateArray()
                .SelectMany(d => d.GetProperty("calls").EnumerateArray().Select(c => (Day: d.GetProperty("date").GetString()!, Calls: c.GetProperty("calls").GetInt32(), Room: c.GetProperty("room"))))
                .ToDictionary(c => c.Day, c => (c.Calls, c.Room.ValueKind == JsonValueKind.Null ? null : (int?)c.Room.GetInt32()));
        Assert.Equal((2, (int?)5), (await CallsAsync())["2027-03-11"]);
        await FileAsync(ada, Calendar("20270311T080000/20270311T190000", "20270312T090000/20270312T153000"));
        var placed = await CallsAsync();
        Assert.False(placed.ContainsKey("2027-03-11"));

        // On Friday two of eight and a half hours are left: room for one. The other waits for Monday.
        Assert.Equal((1, (int?)1), placed["2027-03-12"]);
        Assert.Equal((1, (int?)5), placed["2027-03-15"]);
    }

    [Fact]
    public async Task An_address_is_read_again_keeps_what_it_took_while_it_fails_and_is_sealed()
    {
        var wren = await site.SignedInAsync("wren");
        var (calendar, status, asked) = (Calendar("20270405T090000/20270405T100000"), 200, 0);
        await using var elsewhere = await Elsewhere.StartAsync(async http =>
        {
            asked++;
            http.Response.StatusCode = status;
            await http.Response.WriteAsync(status == 200 ? calendar : "");
        });
        var address = $"{elsewhere.Address}/secret-place.ics";
        var own = Assert.Single((await wren.DoAsync("/api/own-calendars", new { name = "At home", address })).EnumerateArray());
        var id = own.GetProperty("id").GetString()!;
        Assert.Equal(("At home", "127.0.0.1", 1), (own.GetProperty("name").GetString(), own.GetProperty("host").GetString(), own.GetProperty("busy").GetInt32()));
        Assert.DoesNotContain("secret-place", (await wren.GetAsync("/api/own-calendars")).GetRawText(), StringComparison.Ordinal);
        await using (var db = site.Db())
        {
            Assert.DoesNotContain("secret-place", (await db.OwnCalendars.SingleAsync(c => c.Id == Guid.Parse(id))).SealedAddress, StringComparison.Ordinal);
        }

        calendar = Calendar("20270405T090000/20270405T100000", "20270406T090000/20270406T100000");
        Assert.Equal(2, Assert.Single((await wren.DoAsync($"/api/own-calendars/{id}/read")).EnumerateArray()).GetProperty("busy").GetInt32());

        // Not due, it is left alone; due, several workers ask once.
        var reader = site.Services.GetRequiredService<OwnCalendars>();
        var before = asked;
        await reader.ReadDueAsync(null, default);
        Assert.Equal(before, asked);
        await using (var db = site.Db())
        {
            await db.OwnCalendars.ExecuteUpdateAsync(u => u.SetProperty(c => c.NextRead, c => c.NextRead == null ? null : NodaTime.Instant.FromUtc(2020, 1, 1, 0, 0)));
        }

        await Task.WhenAll(Enumerable.Range(0, 5).Select(_ => reader.ReadDueAsync(null, default)));
        Assert.Equal(before + 1, asked);

        status = 500;
        var failed = Assert.Single((await wren.DoAsync($"/api/own-calendars/{id}/read")).EnumerateArray());
        Assert.Contains("answers 500", failed.GetProperty("problem").GetString(), StringComparison.Ordinal);
        Assert.Equal(2, failed.GetProperty("busy").GetInt32());
        status = 200;
        Assert.Equal(JsonValueKind.Null, Assert.Single((await wren.DoAsync($"/api/own-calendars/{id}/read")).EnumerateArray()).GetProperty("problem").ValueKind);
    }

    [Fact]
    public async Task What_is_no_calendar_is_said_and_not_kept()
    {
        var ada = await site.SignedInAsync("ada2");
        Assert.Contains("no address of a calendar", (await ada.RefusedAsync("/api/own-calendars", new { address = "mine" }, "address")).Message, StringComparison.Ordinal);
        Assert.Contains("no address of a calendar", (await ada.RefusedAsync("/api/own-calendars", new { }, "address")).Message, StringComparison.Ordinal);
        await using var elsewhere = await Elsewhere.StartAsync(http => http.Response.WriteAsync("<html>sign in</html>"));
        Assert.Contains("This is no calendar", (await ada.RefusedAsync("/api/own-calendars", new { address = elsewhere.Address }, "address")).Message, StringComparison.Ordinal);
        Assert.Contains("no calendar", (await ada.RefusedAsync("/api/own-calendars/file", Member.File("x"u8.ToArray(), "a.ics"), "file")).Message, StringComparison.Ordinal);
        Assert.Contains("empty", (await ada.RefusedAsync("/api/own-calendars/file", Member.File([], "a.ics"), "file")).Message, StringComparison.Ordinal);
        Assert.Empty((await ada.GetAsync("/api/own-calendars")).EnumerateArray());
        for (var i = 0; i < OwnCalendars.MostOfOne; i++)
        {
            await FileAsync(ada, Calendar("20270405T090000/20270405T100000"), $"{i}.ics");
        }

        Assert.Contains("10 calendars", (await ada.RefusedAsync("/api/own-calendars/file", Member.File(Encoding.UTF8.GetBytes(Calendar()), "a.ics"), "name")).Message, StringComparison.Ordinal);
    }
}
