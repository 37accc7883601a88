using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Today;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The morning letter.</summary>
public sealed class MorningLetterTests
{
    private static async Task ChooseAsync(World world, string name, string? hour)
    {
        await using var db = world.Db();
        var member = await db.Users.SingleAsync(u => u.Name == name && u.PracticeId == world.Practice);
        MorningLetters.Choose(member, hour is null ? null : MorningLetters.Hour(hour), await PracticeReading.LoadAsync(db, default), await world.NowAsync());
        await db.SaveChangesAsync();
    }

    private static List<MimeMessage> Letters(World world) => [.. world.Mail.Sent.Where(m => m.Headers["Auto-Submitted"] is not null)];

    [Fact]
    public async Task It_goes_at_its_hour_on_working_days_once_with_what_the_day_holds()
    {
        await using var world = await World.AtAsync("2027-03-05T18:00");
        var ida = await world.PersonAsync("Ida", p => p.Mobile = "+12075550101");
        var done = await world.ProgramAsync("Soon over", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"a","kind":"end","when":{"from":"start","offset":"P0D"}}""");
        var calls = await world.ProgramAsync("Calls", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"a","kind":"call","when":{"from":"start","offset":"P3D"},"script":"Ask {{ person.first_name }} how the roof is, and whether the man with the ladder came, and what he said when he did","slack":"P0D"}""");
        await world.DoAsync(desk => desk.StartProgramAsync([ida.Id], done, false, default));
        await world.DoAsync(desk => desk.StartProgramAsync([ida.Id], calls, false, default));
        await ChooseAsync(world, "Ada Quill", "07:30");

        // Friday evening; nothing on Saturday and Sunday, one on Monday, however many workers look.
        await world.MoveToAsync("2027-03-08T07:29");
        await world.WorkAsync();
        Assert.Empty(Letters(world));
        await world.MoveToAsync("2027-03-08T07:30");
        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => Task.Run(() => world.NewRoom().WorkAsync(default))));
        await world.WorkAsync();
        var letter = Assert.Single(Letters(world));
        Assert.Equal("ada@example.com", letter.To.Mailboxes.Single().Address);
        Assert.Equal("Mon 8 March 2027", letter.Subject);
        Assert.Contains("CALLS: 1", letter.TextBody, StringComparison.Ordinal);
        Assert.Contains("Ida Rowan", letter.TextBody, StringComparison.Ordinal);
        Assert.Contains("“Soon over” finished", letter.TextBody, StringComparison.Ordinal);
        Assert.Contains("https://germinal.example.com/", letter.TextBody, StringComparison.Ordinal);
        Assert.All(letter.TextBody!.Split('\n'), line => Assert.True(line.TrimEnd('\r').Length <= 78, line));
        await world.MoveToAsync("2027-03-09T08:00");
        await world.WorkAsync();
        Assert.Equal(2, Letters(world).Count);
    }

    [Fact]
    public async Task Whoever_is_away_blocked_or_does_not_want_it_gets_none()
    {
        await using var world = await World.AtAsync("2027-03-08T07:00");
        await ChooseAsync(world, "Ada Quill", "07:30");
        await using (var db = world.Db())
        {
            var ada = await db.Users.SingleAsync(u => u.Name == "Ada Quill" && u.PracticeId == world.Practice);
            db.Absences.Add(new AbsenceRow { Id = Guid.NewGuid(), PracticeId = world.Practice, MemberId = ada.Id, From = new LocalDate(2027, 3, 8), Until = new LocalDate(2027, 3, 9) });
            await db.SaveChangesAsync();
        }

        await world.MoveToAsync("2027-03-09T12:00");
        await world.WorkAsync();
        Assert.Empty(Letters(world));
        await world.MoveToAsync("2027-03-10T12:00");
        await world.WorkAsync();
        Assert.Single(Letters(world));
        await ChooseAsync(world, "Ada Quill", null);
        await world.MoveToAsync("2027-03-12T12:00");
        await world.WorkAsync();
        Assert.Single(Letters(world));
    }

    [Fact]
    public void Its_next_moment_keeps_the_hour_over_a_change_of_clocks_and_holidays()
    {
        var practice = new Practice { Name = "Alder & Quay", Zone = World.Zone, Calendar = WorkCalendar.MondayToFriday with { Closed = System.Collections.Frozen.FrozenSet.ToFrozenSet([new LocalDate(2027, 3, 15)]) } };
        var hour = new LocalTime(7, 30);

        // Clocks go forward on Sunday, 14 March 2027; Monday is a closing day.
        Assert.Equal(World.At("2027-03-12T07:30"), MorningLetters.NextAfter(World.At("2027-03-12T07:29"), hour, practice));
        Assert.Equal(World.At("2027-03-16T07:30"), MorningLetters.NextAfter(World.At("2027-03-12T07:30"), hour, practice));
        Assert.Null(MorningLetters.Hour("25:00"));
        Assert.Null(MorningLetters.Hour("half past seven"));
    }
}
