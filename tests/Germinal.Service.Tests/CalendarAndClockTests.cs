using Germinal.Core.Contact;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

public sealed class CalendarAndClockTests
{
    private const string Birthday = "\"at\":\"09:30\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]";
    private const string Wish =
        """{"id":"wish","kind":"email","when":{"from":"occasion","offset":"P0D"},"subject":"Happy returns, {{ person.first_name }}","body":"b"}""";

    [Fact]
    public async Task An_occasion_is_written_once_at_its_moment_however_often_the_calendar_is_looked_at()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        await world.PersonAsync("Ida", birthday: "1980-03-02");
        await world.ProgramAsync("Birthday", Birthday, Wish);
        await world.MoveToAsync("2027-03-02T12:00");
        for (var i = 0; i < 3; i++)
        {
            await using var again = world.Db();
            await PracticeClock.LookAgainAsync(again);
            await world.WorkAsync();
        }

        await using var db = world.Db();
        var row = await db.Events.SingleAsync(e => e.Kind == EventKinds.Occasion);
        Assert.Equal(World.At("2027-03-02T09:30"), row.At);
        Assert.Single(world.Mail.Sent);
    }

    [Fact]
    public async Task A_birthday_corrected_after_the_sweep_is_not_celebrated_on_the_wrong_day()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        var ida = await world.PersonAsync("Ida", birthday: "1980-03-02");
        await world.ProgramAsync("Birthday", Birthday, Wish);
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await db.KeyDates.Where(d => d.PersonId == ida.Id).ExecuteUpdateAsync(u => u.SetProperty(d => d.Month, 9));
            await PracticeClock.LookAgainAsync(db, [ida.Id]);
        }

        await world.MoveToAsync("2027-03-05T08:00");
        Assert.Empty(world.Mail.Sent);
    }

    [Fact]
    public async Task Birthdays_before_the_program_was_switched_on_were_not_missed()
    {
        await using var world = await World.AtAsync("2027-03-02T08:00");
        await world.PersonAsync("Ida", birthday: "1980-03-01");
        await world.ProgramAsync("Birthday", Birthday, Wish);
        await world.MoveToAsync("2027-03-05T08:00");
        Assert.Empty(world.Mail.Sent);
    }

    [Fact]
    public async Task A_year_of_birthdays_across_the_clock_change_each_on_its_day_at_its_hour()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        await world.PersonAsync("Spring", birthday: "1980-03-14");
        await world.PersonAsync("Autumn", birthday: "--11-07");
        await world.PersonAsync("West", p => p.ZoneId = "America/Los_Angeles", "1990-07-04");
        await world.ProgramAsync("Birthday", Birthday, Wish);
        await world.MoveToAsync("2028-03-20T08:00");
        var touches = (await world.TouchesAsync()).Select(t => t.SettledAt!.Value).ToList();
        Assert.Equal([World.At("2027-03-14T09:30"), World.At("2027-07-04T12:30"), World.At("2027-11-07T09:30"), World.At("2028-03-14T09:30")], touches);
    }

    [Fact]
    public async Task A_move_that_is_stopped_stands_where_it_was_and_can_be_continued()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var program = await world.ProgramAsync(
            "P",
            "\"at\":\"09:30\"",
            string.Join(
                ",",
                Enumerable
                    .Range(1, 20)
                    .Select(d => $$"""{"id":"s{{d}}","kind":"email","when":{"from":"start","offset":"P{{d}}D"},"subject":"s{{d}}","body":"b"}""")
            )
        );
        await world.DoAsync(d => d.StartProgramAsync([ida.Id], program, false, default));
        world.Mail.Answers = m =>
        {
            if (m.Subject == "s5")
            {
                using var db = world.Db();
                db.Clock.ExecuteUpdate(u => u.SetProperty(c => c.StopAsked, true));
            }

            return new Channels.ProviderAnswer(Channels.ProviderResult.Sent, "ok");
        };
        await world.MoveToAsync("2027-04-01T10:00");
        Assert.Equal(World.At("2027-03-06T09:30"), await world.NowAsync());
        Assert.Equal(5, world.Mail.Sent.Count);
        world.Mail.Answers = _ => new Channels.ProviderAnswer(Channels.ProviderResult.Sent, "ok");
        await world.MoveToAsync("2027-04-01T10:00");
        Assert.Equal(World.At("2027-04-01T10:00"), await world.NowAsync());
        Assert.Equal(Enumerable.Range(1, 20).Select(d => $"s{d}"), world.Mail.Sent.Select(m => m.Subject));
    }

    [Fact]
    public async Task A_real_clock_is_the_machines()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Real, true));
        var now = await PracticeClock.NowAsync(db);
        Assert.InRange((SystemClock.Instance.GetCurrentInstant() - now).TotalSeconds, -5, 5);
    }

    [Fact]
    public async Task The_settings_of_a_practice_reach_the_engine()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        var row = await db.Practices.SingleAsync(p => p.Id == world.Practice);
        row.Settings = new Store.Rows.PracticeSettings
        {
            LeapDay = "mar1",
            WorkingDays = ["mon", "tue"],
            HolidaysOf = "US",
            Closed = [new LocalDate(2027, 12, 28)],
            QuietFrom = "10:00",
            QuietTo = "23:00",
            OpenChannels = ["call"],
            InquiryMonths = 3,
            ClientMonths = 18,
            FallbackSender = world.Ada,
        };
        await db.SaveChangesAsync();
        db.ChangeTracker.Clear();
        var practice = await PracticeReading.LoadAsync(db, default);
        Assert.Equal(Core.Time.LeapDay.Mar1, practice.LeapDay);
        Assert.True(practice.Calendar.IsWorkingDay(new LocalDate(2027, 3, 2)));
        Assert.False(practice.Calendar.IsWorkingDay(new LocalDate(2027, 3, 3)));
        Assert.True(practice.Calendar.IsFree(new LocalDate(2027, 12, 28)));
        Assert.True(practice.Calendar.IsFree(new LocalDate(2027, 5, 31)));
        Assert.Equal((new LocalTime(10, 0), new LocalTime(21, 0)), (practice.QuietHours.From, practice.QuietHours.To));
        Assert.Equal(Core.Contact.ConsentPolicy.Open, practice.Consent.For(Core.Contact.Channel.Call));
        Assert.Equal(Core.Contact.ConsentPolicy.Strict, practice.Consent.For(Core.Contact.Channel.Email));
        Assert.Equal("Ada Quill", practice.SenderFor(new Core.Contact.PersonFacts { Id = Guid.NewGuid() })?.Name);
    }

    [Fact]
    public async Task Facts_are_loaded_whole_and_apart()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => (p.Tags, p.Stage, p.ZoneId) = (["Client", "VIP"], "Planning/Client", "America/Denver"), "1975-06-14");
        var bo = await world.PersonAsync("Bo", consent: false);
        await using var db = world.Db();
        db.Suppressions.Add(
            new Store.Rows.SuppressionRow
            {
                PracticeId = world.Practice,
                Address = "bo@example.com",
                Reason = "bounced",
                At = World.At("2027-01-01T00:00"),
            }
        );
        await db.SaveChangesAsync();
        var facts = await FactsReading.LoadAsync(db, [ida.Id, bo.Id, Guid.NewGuid()], default);
        Assert.Equal(2, facts.Count);
        Assert.Contains("VIP", facts[ida.Id].Tags.AsEnumerable());
        Assert.Equal("America/Denver", facts[ida.Id].Zone?.Id);
        Assert.Equal(new Core.Time.YearlyDate(6, 14, 1975), facts[ida.Id].KeyDates.Single().Date);
        Assert.Single(facts[ida.Id].Consent);
        Assert.Empty(facts[bo.Id].Consent);
        Assert.Contains("bo@example.com", facts[bo.Id].Suppressed.AsEnumerable());
    }

    /// <summary>The calendar is worked out again in slices; a worker that dies between two is followed by one that goes on where it was.</summary>
    [Fact]
    public async Task Looking_again_goes_on_where_it_was_and_reaches_everybody()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        foreach (var name in new[] { "Ida", "Bo", "Cleo" })
        {
            await world.PersonAsync(name, birthday: "1980-06-02");
        }

        await world.WorkAsync();
        await using var db = world.Db();
        var people = await db.States.OrderBy(s => s.PersonId).Select(s => s.PersonId).ToListAsync();
        await db.States.ExecuteUpdateAsync(u => u.SetProperty(s => s.NextAlarm, World.At("2027-06-01T08:00")));
        await PracticeClock.LookAgainAsync(db);

        // As a worker leaves it that died after the first.
        await db.Practices.ExecuteUpdateAsync(u => u.SetProperty(p => p.LookAgainAfter, people[0]));
        Assert.True(await PracticeClock.LookAgainSliceAsync(db, world.Practice));
        Assert.False(await PracticeClock.LookAgainSliceAsync(db, world.Practice));
        Assert.Equal(
            [World.At("2027-06-01T08:00"), Instant.MinValue, Instant.MinValue],
            await db.States.OrderBy(s => s.PersonId).Select(s => s.NextAlarm).ToListAsync()
        );
        Assert.Null((await db.Practices.AsNoTracking().SingleAsync(p => p.Id == world.Practice)).LookAgainAfter);

        // And by itself, as often as it takes.
        await PracticeClock.LookAgainAsync(db);
        await world.WorkAsync();
        Assert.DoesNotContain(World.At("2027-06-01T08:00"), await db.States.Select(s => s.NextAlarm).ToListAsync());
    }
}
