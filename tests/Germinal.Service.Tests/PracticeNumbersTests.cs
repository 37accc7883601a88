using Germinal.Core.Engine;
using Germinal.Service.Numbers;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The practice's numbers of a month, what is said of them, and the people behind them.</summary>
public sealed class PracticeNumbersTests
{
    private static readonly YearMonth February = new(2027, 2);

    private static async Task<PracticeNumbersDto> ReadAsync(World world, YearMonth month, Guid? member = null)
    {
        await using var db = world.Db();
        return await (await PracticeNumbers.ForAsync(db, member, default)).ReadAsync(month, await world.NowAsync(), default);
    }

    private static async Task<List<Guid>> WhoAsync(World world, string what, YearMonth month, Guid? member = null)
    {
        await using var db = world.Db();
        var (from, until) = PracticeNumbers.EndsOf(month, World.Zone);
        return await new NumbersWho(db, ["spoke"], member).Of(what, from, until)!.Select(p => p.Id).ToListAsync();
    }

    private static NumbersRow Row(PracticeNumbersDto numbers, string what) => numbers.Tables.SelectMany(t => t.Rows).Single(r => r.What == what);

    private static async Task InquireAsync(World world, Guid person, params (string At, int Count)[] months)
    {
        await using var db = world.Db();
        foreach (var (at, count) in months)
        {
            db.Inquiries.AddRange(Enumerable.Range(0, count).Select(i => new InquiryRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                PersonId = person,
                How = "phone",
                ReceivedAt = World.At(at) + Duration.FromMinutes(i),
                AnsweredAt = World.At(at) + Duration.FromMinutes(i) + Duration.FromHours(2),
            }));
        }

        await db.SaveChangesAsync();
    }

    private static (string, int)[] Year(int each, int last) =>
        [.. Enumerable.Range(0, 12).Select(i => (new YearMonth(2026, 2).PlusMonths(i)).OnDayOfMonth(9).ToString("uuuu-MM-dd", null) + "T10:00").Select((at, i) => (at, each + (i % 3))), ("2027-02-09T10:00", last)];

    /// <summary>A month begins and ends at midnight where the practice is: New York, five hours behind in winter.</summary>
    [Fact]
    public async Task Months_are_those_of_the_practices_own_clock()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await InquireAsync(world, ida.Id, ("2027-02-01T00:00", 1), ("2027-02-28T23:59", 1), ("2027-01-31T23:59", 1), ("2027-03-01T00:00", 1));
        var numbers = await ReadAsync(world, February);
        var row = Row(numbers, "inquiries");
        Assert.Equal(("2027-02", true), (numbers.Month, numbers.Running));
        Assert.Equal(["2027-01", "2027-02", "2027-03"], numbers.Months.TakeLast(3));
        Assert.Equal([1m, 2m, 1m], row.Values.TakeLast(3).Select(v => v!.Value));
        Assert.Equal(14, row.Values.Count);
        Assert.Equal(13, (await ReadAsync(world, February.PlusMonths(-1))).Months.Count);
    }

    [Fact]
    public async Task A_jump_is_said_first_and_what_goes_up_and_down_is_not()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await InquireAsync(world, ida.Id, Year(6, 30));
        var numbers = await ReadAsync(world, February);
        var said = Assert.Single(numbers.Sentences, s => s.What == "inquiries");
        Assert.Equal("30 inquiries came in, against 7 in a usual month.", said.Text);
        Assert.InRange(said.P, 0, 0.01);
        Assert.InRange(numbers.Looked, 5, 30);
        Assert.Equal([ida.Id], await WhoAsync(world, "inquiries", February));

        await using var calm = await World.AtAsync("2027-03-01T10:00");
        await InquireAsync(calm, (await calm.PersonAsync("Ida")).Id, Year(6, 8));
        Assert.Empty((await ReadAsync(calm, February)).Sentences);
    }

    /// <summary>Under six months nothing is said, however great the difference.</summary>
    [Fact]
    public async Task A_practice_that_has_just_begun_is_told_nothing_yet()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await InquireAsync(world, (await world.PersonAsync("Ida", p => p.AddedAt = World.At("2026-12-01T10:00"))).Id, ("2026-12-09T10:00", 1), ("2027-02-09T10:00", 90));
        var numbers = await ReadAsync(world, February);
        Assert.Empty(numbers.Sentences);
        Assert.Equal(0, numbers.Looked);
        Assert.Equal(90, Row(numbers, "inquiries").Values[PracticeNumbers.Before]);
    }

    [Fact]
    public async Task Each_number_is_of_the_people_behind_it_and_a_members_of_those_they_look_after()
    {
        await using var world = await World.AtAsync("2027-03-10T10:00");
        Guid ada, tomas;
        await using (var db = world.Db())
        {
            ada = await db.Users.Where(u => u.Name == "Ada Quill" && u.PracticeId == world.Practice).Select(u => u.Id).SingleAsync();
            tomas = Guid.NewGuid();
        }

        var hers = await world.PersonAsync("Ida", p => p.OwnerId = ada);
        var his = await world.PersonAsync("Ole", p => p.OwnerId = null);
        await using (var db = world.Db())
        {
            foreach (var person in new[] { hers, his })
            {
                db.Opportunities.Add(new OpportunityRow { Id = Guid.NewGuid(), PracticeId = world.Practice, PersonId = person.Id, Title = "A plan", Stage = "Planning/Client", Status = "won", Worth = 1000.10m, OpenedAt = World.At("2027-02-02T10:00"), ClosedAt = World.At("2027-02-20T10:00") });
                db.Appointments.Add(new AppointmentRow { Id = Guid.NewGuid(), PracticeId = world.Practice, PersonId = person.Id, Type = "first meeting", At = World.At("2027-02-10T10:00"), Minutes = 45, MissedAt = person == his ? World.At("2027-02-10T11:00") : null });
                db.Consent.Add(new ConsentRow { PracticeId = world.Practice, PersonId = person.Id, Channel = "email", Purpose = "commercial", IsIn = false, At = World.At("2027-02-11T10:00"), Source = person == his ? "one-click in their mail program" : "told Ada", Reason = person == his ? "touch 7f" : "too many letters" });
                db.Tasks.Add(new TaskRow { Id = Guid.NewGuid(), PracticeId = world.Practice, PersonId = person.Id, Kind = "call", Title = "ring", Due = new LocalDate(2027, 2, 12), CreatedAt = World.At("2027-02-01T10:00"), DoneAt = World.At("2027-02-12T10:00"), Outcome = person == his ? "no answer" : "spoke" });
            }

            // Taken back, it is no no.
            db.Consent.Add(new ConsentRow { PracticeId = world.Practice, PersonId = hers.Id, Channel = "text", IsIn = false, At = World.At("2027-02-11T10:00"), Source = "told Ada", TakenBackAt = World.At("2027-02-12T10:00") });
            await db.SaveChangesAsync();
        }

        decimal? Of(PracticeNumbersDto numbers, string what) => Row(numbers, what).Values[PracticeNumbers.Before];
        var all = await ReadAsync(world, February);
        Assert.Equal((2m, 2000.20m, 2m, 1m), (Of(all, "won"), Of(all, "won-money"), Of(all, "appointments"), Of(all, "missed")));
        Assert.Equal((2m, 1m, 0.8m), (Of(all, "call"), Of(all, "reached"), Of(all, "meeting-hours")));
        Assert.Equal((2m, 1m, 1m), (Of(all, "left"), Of(all, "left:too many letters"), Of(all, "left:one-click in their mail program")));
        var mine = await ReadAsync(world, February, ada);
        Assert.Equal((1m, 1000.10m, 1m, 0m, 1m), (Of(mine, "won"), Of(mine, "won-money"), Of(mine, "appointments"), Of(mine, "missed"), Of(mine, "reached")));
        Assert.Equal(0m, Of(await ReadAsync(world, February, tomas), "won"));

        foreach (var (what, people) in new (string, Guid[])[] { ("won", [hers.Id, his.Id]), ("missed", [his.Id]), ("reached", [hers.Id]), ("left:too many letters", [hers.Id]), ("left:one-click in their mail program", [his.Id]), ("opportunities", [hers.Id, his.Id]) })
        {
            Assert.Equal(people.Order(), (await WhoAsync(world, what, February)).Order());
            Assert.Equal(people.Where(p => p == hers.Id), await WhoAsync(world, what, February, ada));
            Assert.Empty(await WhoAsync(world, what, February.PlusMonths(-1)));
        }
    }

    /// <summary>What went and what came of it, from messages the engine has really sent; each number has as many messages behind it as the rows say.</summary>
    [Fact]
    public async Task What_went_is_counted_as_it_went()
    {
        await using var world = await World.AtAsync("2027-02-10T08:00");
        var program = await world.ProgramAsync("Letters", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"A","body":"b"}""");
        var people = new List<Guid>();
        foreach (var n in Enumerable.Range(0, 40))
        {
            people.Add((await world.PersonAsync($"P{n}")).Id);
        }

        await world.DoAsync(d => d.StartProgramAsync([.. people], program, false, default));
        await world.MoveToAsync("2027-03-02T10:00");
        await using (var db = world.Db())
        {
            Guid[] some = [.. people.Take(12)];
            await db.Messages.Where(m => some.Contains(m.PersonId)).ExecuteUpdateAsync(u => u.SetProperty(m => m.OpenedAt, World.At("2027-03-01T10:00")));
            await db.Messages.Where(m => m.PersonId == people[39]).ExecuteUpdateAsync(u => u.SetProperty(m => m.BouncedAt, World.At("2027-02-10T10:00")));
        }

        var numbers = await ReadAsync(world, February);
        var opened = Row(numbers, "opened");
        Assert.Equal(40, Row(numbers, "email").Values[PracticeNumbers.Before]);
        Assert.Equal((12, 39), (opened.Line!.Number, opened.Line.Of));
        Assert.Equal(39, opened.Of![PracticeNumbers.Before]);
        Assert.InRange(opened.Line.Low, 0.17, 0.19);
        Assert.Equal(people.Take(12).Order(), (await WhoAsync(world, "opened", February)).Order());
        Assert.Equal([people[39]], await WhoAsync(world, "bounced", February));
    }

    /// <summary>Who could be written to at the end of a month is read from the ledger as it stood then.</summary>
    [Fact]
    public async Task Reach_is_read_from_the_ledger_as_it_stood()
    {
        await using var world = await World.AtAsync("2027-03-10T10:00");
        var ida = await world.PersonAsync("Ida", p => p.AddedAt = World.At("2026-11-10T10:00"), consent: false);
        await using (var db = world.Db())
        {
            ConsentRow Said(bool isIn, string at) => new() { PracticeId = world.Practice, PersonId = ida.Id, Channel = "email", Purpose = "commercial", IsIn = isIn, At = World.At(at), Source = "told Ada" };
            db.Consent.AddRange(Said(true, "2026-12-05T10:00"), Said(false, "2027-02-05T10:00"));
            await db.SaveChangesAsync();
            var table = await NumbersReach.ReadAsync(db, PracticeNumbers.Shown(February, new LocalDate(2027, 3, 10)), World.Zone, null, await world.NowAsync(), default);
            var email = table.Rows.Single(r => r.What == "reach:email").Values;
            Assert.Equal([0m, 1m, 1m, 0m, 0m], email.TakeLast(5).Select(v => v!.Value));
        }
    }

    [Fact]
    public async Task The_monthly_letter_goes_once_on_the_first_working_day_and_says_what_the_page_says()
    {
        await using var world = await World.AtAsync("2027-02-20T10:00");
        var ida = await world.PersonAsync("Ida");
        await InquireAsync(world, ida.Id, Year(6, 30));
        await using (var db = world.Db())
        {
            var ada = await db.Users.SingleAsync(u => u.Name == "Ada Quill" && u.PracticeId == world.Practice);
            ada.MonthlyDue = MonthlyLetters.NextAfter(await world.NowAsync(), await Engine.PracticeReading.LoadAsync(db, default));
            Assert.Equal(World.At("2027-03-01T07:00"), ada.MonthlyDue);
            await db.SaveChangesAsync();
        }

        await world.MoveToAsync("2027-03-01T06:59");
        await world.WorkAsync();
        Assert.DoesNotContain(world.Mail.Sent, m => m.Subject!.StartsWith("Results", StringComparison.Ordinal));
        await world.MoveToAsync("2027-03-01T07:00");
        await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => Task.Run(() => world.NewRoom().WorkAsync(default))));
        await world.MoveToAsync("2027-04-09T09:00");
        await world.WorkAsync();

        // The clock stops where the next one is due.
        var next = Assert.Single(world.Mail.Sent, m => m.Subject == "Results of March 2027");
        Assert.Equal(World.At("2027-04-01T07:00").ToDateTimeOffset(), next.Date);
        var letter = Assert.Single(world.Mail.Sent, m => m.Subject == "Results of February 2027");
        Assert.Contains("* 30 inquiries came in, against 7 in a usual month.", letter.TextBody, StringComparison.Ordinal);
        Assert.Contains("/results?month=2027-02", letter.TextBody, StringComparison.Ordinal);
        Assert.All(letter.TextBody!.Split('\n'), line => Assert.True(line.TrimEnd('\r').Length <= 78, line));

        // The first of May 2027 is a Saturday.
        await using var again = world.Db();
        Assert.Equal(World.At("2027-05-03T07:00"), MonthlyLetters.NextAfter(World.At("2027-04-20T10:00"), await Engine.PracticeReading.LoadAsync(again, default)));
    }
}
