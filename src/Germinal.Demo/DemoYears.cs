using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Demo;

/// <summary>
/// Two years of the demo practice, lived through by the engine itself: every touch in them was decided and sent like any
/// other, and what people did about it came back by mail, web and text from the stand-in recipients. What members do is drawn
/// from the same fixed seed.
/// </summary>
/// <param name="databases">The database.</param>
/// <param name="room">The engine.</param>
/// <param name="http">Its base address is the stand-ins'.</param>
public sealed class DemoYears(IDbContextFactory<GerminalDb> databases, EngineRoom room, HttpClient http)
{
    private static readonly LocalDate LastFriday = new(2027, 2, 26);

    private readonly Random random = new(DemoPractice.Seed + 1);
    private readonly DemoPeople make = new(
        new Random(DemoPractice.Seed + 2),
        DemoPractice.Practice,
        [.. DemoPractice.Members.Select(m => DemoPractice.MemberOf(m.Name))],
        1000
    );
    private readonly List<Guid> toAnswer = [];
    private List<Guid> keepInTouch = [];
    private List<Guid> lightly = [];
    private List<Guid> readers = [];
    private List<Guid> referrers = [];

    /// <summary>Lives through the years.</summary>
    /// <param name="report">Told how far it is.</param>
    /// <param name="until">Where to end early, for a look at a part; null: to the end.</param>
    /// <param name="stop">Gives up.</param>
    public async Task LiveAsync(Action<string> report, LocalDate? until, CancellationToken stop)
    {
        await using (var db = await OpenAsync(stop))
        {
            var clients = await db
                .People.Where(p => p.Stage == "Planning/Client" && p.Email != null)
                .OrderBy(p => p.SearchText)
                .Select(p => p.Id)
                .ToListAsync(stop);
            var others = await db.People.Where(p => p.Stage == null && p.Email != null).OrderBy(p => p.SearchText).Select(p => p.Id).ToListAsync(stop);
            keepInTouch = [.. clients.Take(150)];
            readers = [.. clients.Skip(100).Take(90)];
            referrers = [.. clients.Skip(190).Take(14)];
            lightly = [.. others.Take(70)];
        }

        var last = until ?? LastFriday.PlusDays(2);
        for (var day = DemoPractice.FirstDay; day <= last; day = day.PlusDays(1))
        {
            if (day.Day == 1)
            {
                report(YearMonthPattern.CreateWithInvariantCulture("MMMM uuuu").Format(day.ToYearMonth()));
            }

            if (day.DayOfWeek is IsoDayOfWeek.Saturday or IsoDayOfWeek.Sunday)
            {
                await MoveAsync(day + new LocalTime(20, 30), stop);
                continue;
            }

            await LiveDayAsync(day, stop);
        }

        if (until is null)
        {
            await MoveAsync(DemoPractice.End.InZone(DemoPractice.Zone).LocalDateTime, stop);
            await LookThroughAsync(await OpenAsync(stop), keep: 2, stop);
        }
    }

    private async Task LiveDayAsync(LocalDate day, CancellationToken stop)
    {
        var ten = await MoveAsync(day + new LocalTime(10, 4), stop);
        await using (var db = await OpenAsync(stop))
        {
            await LookThroughAsync(db, keep: 0, stop);
            await DemoBroadcasts.SendAsync(db, day, ten, stop);
            await AnswerAsync(db, day, ten, stop);
            await SignUpAsync(db, ten, stop);
            var friday = day == LastFriday;
            var thursday = day == LastFriday.PlusDays(-1);
            for (
                var n = friday
                    ? 2
                    : Math.Max(
                        thursday ? 1 : 0,
                        random.Next(100) switch
                        {
                            < 62 => 0,
                            < 94 => 1,
                            _ => 2,
                        }
                    );
                n > 0;
                n--
            )
            {
                // On the last Friday two leave the first box of the form empty.
                await InquireAsync(db, ten, noName: friday, stop);
            }
        }

        var noon = await MoveAsync(day + new LocalTime(12, 20), stop);
        await using (var db = await OpenAsync(stop))
        {
            await GoOnAsync(db, day, noon, stop);
            if (random.Next(100) < 3)
            {
                var leaver = keepInTouch[random.Next(keepInTouch.Count)];
                await Desk(db, "Tomas Brandt", noon)
                    .AddConsentAsync(leaver, "email", "commercial", null, false, "express", "told Tomas on the phone", "too many letters", stop);
            }
        }

        var four = await MoveAsync(day + new LocalTime(16, 10), stop);
        await using (var db = await OpenAsync(stop))
        {
            await DoTasksAsync(db, day, four, stop);
        }

        await MoveAsync(day + new LocalTime(21, 0), stop);
    }

    /// <summary>A few people a day are put on the longer programs, as a member would who works through a list.</summary>
    private async Task SignUpAsync(GerminalDb db, Instant at, CancellationToken stop)
    {
        Guid[] Next(List<Guid> of, int most)
        {
            var some = of.Take(most).ToArray();
            of.RemoveRange(0, some.Length);
            return some;
        }

        // Those who may leave by phone are drawn from the list while it lasts.
        var wren = Desk(db, "Wren Ekholm", at);
        if (keepInTouch.Count > 20)
        {
            await wren.PutTagAsync(Next(keepInTouch, 2), "Keep in touch", stop);
        }

        await wren.PutTagAsync(Next(lightly, 1), "Lightly", stop);
        await wren.JoinListAsync(Next(readers, 2), "market letter", stop);
        await wren.JoinListAsync(Next(referrers, 1), "referrers", stop);
    }

    /// <summary>Somebody asks by the web form: a new person with an inquiry and an opportunity.</summary>
    private async Task InquireAsync(GerminalDb db, Instant at, bool noName, CancellationToken stop)
    {
        var (person, dates, consent) = make.Make("Planning/Inquiry", at, null);
        while (noName && person.Email is null)
        {
            (person, dates, consent) = make.Make("Planning/Inquiry", at, null);
        }

        (person.Stage, person.StageSince, person.Source) = (null, null, "web form");
        if (noName)
        {
            person.FirstName = null;
            PersonNames.Refresh(person);
        }

        db.People.Add(person);
        db.KeyDates.AddRange(dates);
        db.Consent.AddRange(consent);
        await db.SaveChangesAsync(stop);
        var desk = Desk(db, "web form", at);
        var dealings = new DealingsDesk(db, desk, at);
        await dealings.InquireAsync(person.Id, "first meeting", "form", "I would like to know what a plan would look like for us.", stop);
        (await dealings.OpenOpportunityAsync(person.Id, "A first plan", "Planning/Inquiry", person.OwnerId, stop)).Worth = FeeOf(person.Id);
        await db.SaveChangesAsync(stop);
        toAnswer.Add(person.Id);
    }

    /// <summary>What a plan costs them: 1,200 to 6,000, by their id, so that nothing else of the history depends on it.</summary>
    private static decimal FeeOf(Guid person) => 1_200 + (100 * (int.Parse(person.ToString("N").AsSpan(28), System.Globalization.NumberStyles.HexNumber, System.Globalization.CultureInfo.InvariantCulture) % 49));

    /// <summary>Most inquiries are answered within a day or two; a few are forgotten for a week. In the last days three wait.</summary>
    private async Task AnswerAsync(GerminalDb db, LocalDate day, Instant at, CancellationToken stop)
    {
        if (day > LastFriday.PlusDays(-2))
        {
            return;
        }

        foreach (var person in toAnswer.ToList())
        {
            if (random.Next(100) < 62)
            {
                await new DealingsDesk(db, Desk(db, "Ada Quill", at), at).AnswerAsync(person, "Ada Quill", InquiryOutcomes.Wrote, stop);
                toAnswer.Remove(person);
            }
        }
    }

    /// <summary>Opportunities go on: meetings are made and moved, plans drafted, some are won, some lost.</summary>
    private async Task GoOnAsync(GerminalDb db, LocalDate day, Instant at, CancellationToken stop)
    {
        var dealings = new DealingsDesk(db, Desk(db, "Ada Quill", at), at);
        var open = await db.Opportunities.Where(o => o.Status == "open").OrderBy(o => o.OpenedAt).ThenBy(o => o.PersonId).ToListAsync(stop);
        foreach (var opportunity in open)
        {
            var roll = random.Next(1000);
            switch (opportunity.Stage)
            {
                case "Planning/Inquiry" when roll < 30:
                    await dealings.MoveOpportunityAsync(opportunity, "Planning/First meeting", stop);
                    await dealings.BookAsync(
                        opportunity.PersonId,
                        "first meeting",
                        LocalClock.At(day.PlusDays(random.Next(3, 12)) + new LocalTime(9 + random.Next(8), 0), DemoPractice.Zone),
                        "the office",
                        null,
                        stop
                    );
                    break;
                case "Planning/Inquiry" when roll < 36:
                    await dealings.CloseOpportunityAsync(opportunity, false, random.Next(2) == 0 ? "no reply" : "timing", stop);
                    break;
                case "Planning/First meeting" when roll < 45:
                    await dealings.MoveOpportunityAsync(opportunity, "Planning/Plan drafted", stop);
                    break;
                case "Planning/First meeting" when roll < 58:
                    await dealings.CloseOpportunityAsync(
                        opportunity,
                        false,
                        random.Next(3) switch
                        {
                            0 => "fees",
                            1 => "went elsewhere",
                            _ => "timing",
                        },
                        stop
                    );
                    break;
                case "Planning/Plan drafted" when roll < 90:
                    await dealings.MoveOpportunityAsync(opportunity, "Planning/Proposal", stop);
                    break;
                case "Planning/Proposal" when roll < 60:
                    await dealings.CloseOpportunityAsync(opportunity, true, null, stop);
                    await Desk(db, "Ada Quill", at).PutTagAsync([opportunity.PersonId], "Client", stop);
                    await Desk(db, "Ada Quill", at).MoveStageAsync([opportunity.PersonId], "Planning/Client", stop);
                    break;
                case "Planning/Proposal" when roll < 85:
                    await dealings.CloseOpportunityAsync(opportunity, false, random.Next(2) == 0 ? "fees" : "timing", stop);
                    break;
            }
        }
    }

    /// <summary>Calls are made, notes posted, tasks done; on the last Friday as many calls are left as fill Monday's sheet, and the last week's notes are written then.</summary>
    private async Task DoTasksAsync(GerminalDb db, LocalDate day, Instant at, CancellationToken stop)
    {
        var open = await db.Touches.Where(t => t.Status == TouchStatus.Open).OrderBy(t => t.Due).ThenBy(t => t.Id).ToListAsync(stop);
        var left = 0;
        if (day == LastFriday)
        {
            var monday = LocalClock.At(LastFriday.PlusDays(4).AtMidnight(), DemoPractice.Zone);
            left = Math.Max(0, 10 - await db.Touches.CountAsync(t => t.Status == TouchStatus.Planned && t.Kind == "call" && t.Due < monday, stop));
        }

        var found = new List<Guid>();
        var calls = open.Where(t => t.Kind == "call").ToList();
        foreach (var touch in open)
        {
            var isCall = touch.Kind == "call";
            if (isCall && day == LastFriday ? calls.IndexOf(touch) >= calls.Count - left : random.Next(100) >= 88 || (touch.Kind == "note" && day > LastFriday.PlusDays(-7)))
            {
                continue;
            }

            var outcome = !isCall
                ? (touch.Kind == "note" ? "posted" : "done")
                : random.Next(100) switch
                {
                    < 45 => "spoke",
                    < 75 => "left word",
                    < 95 => "no answer",
                    _ => "not interested",
                };
            (touch.Status, touch.CallOutcome, touch.ClosedAt) = (TouchStatus.Done, outcome, at);
            db.Events.Add(
                Desk(db, random.Next(2) == 0 ? "Ada Quill" : "Tomas Brandt", at)
                    .NewEvent(touch.PersonId, new TaskEnded(at, touch.Id, outcome))
            );
            if (touch.StepId == "find-a-date" && outcome == "spoke")
            {
                found.Add(touch.PersonId);
            }
        }

        foreach (var task in await db.Tasks.Where(t => t.DoneAt == null && t.Due <= day).ToListAsync(stop))
        {
            (task.DoneAt, task.Outcome) = (at, "spoke");
        }

        await db.SaveChangesAsync(stop);
        foreach (var person in found)
        {
            // Two to four weeks on, on a working day, in the morning or after lunch.
            var review = day.PlusDays(random.Next(14, 29));
            review = review.DayOfWeek >= IsoDayOfWeek.Saturday ? review.PlusDays(2) : review;
            var hour = random.Next(2) == 0 ? new LocalTime(10, 0) : new LocalTime(14, 30);
            await new DealingsDesk(db, Desk(db, "Wren Ekholm", at), at).BookAsync(
                person,
                "yearly review",
                Core.Time.LocalClock.At(review + hour, DemoPractice.Zone),
                "12 Quay Lane",
                null,
                stop
            );
        }
    }

    /// <summary>What came in and was told is looked at; the newest answers are left for Monday morning.</summary>
    private static async Task LookThroughAsync(GerminalDb db, int keep, CancellationToken stop)
    {
        var now = await Service.Clock.PracticeClock.NowAsync(db, stop);
        var kept = await db
            .Received.Where(r => r.Kind == "reply" && r.PersonId != null)
            .OrderByDescending(r => r.At)
            .ThenByDescending(r => r.Id)
            .Select(r => r.Id)
            .Take(keep)
            .ToListAsync(stop);
        await db.Received.Where(r => r.SeenAt == null && !kept.Contains(r.Id)).ExecuteUpdateAsync(u => u.SetProperty(r => r.SeenAt, now), stop);
        await db.Received.Where(r => kept.Contains(r.Id)).ExecuteUpdateAsync(u => u.SetProperty(r => r.SeenAt, (Instant?)null), stop);
        await db.Notices.Where(n => n.SeenAt == null).ExecuteUpdateAsync(u => u.SetProperty(n => n.SeenAt, now), stop);
        await db.Refusals.Where(r => r.DismissedAt == null).ExecuteUpdateAsync(u => u.SetProperty(r => r.DismissedAt, now), stop);
    }

    private static PeopleDesk Desk(GerminalDb db, string member, Instant at) => new(db, member, at);

    private async Task<GerminalDb> OpenAsync(CancellationToken stop)
    {
        var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = DemoPractice.Practice;
        return db;
    }

    /// <summary>Lets the engine run to a moment, then the recipients do what they do up to it, and the engine takes that in.</summary>
    private async Task<Instant> MoveAsync(LocalDateTime local, CancellationToken stop)
    {
        var target = LocalClock.At(local, DemoPractice.Zone);
        await using (var db = await databases.CreateDbContextAsync(stop))
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, c => c.Now).SetProperty(c => c.MoveTo, target), stop);
        }

        await room.WorkAsync(stop);
        using var response = await http.PostAsync(
            new Uri($"recipients/live?until={Uri.EscapeDataString(InstantPattern.General.Format(target))}", UriKind.Relative),
            null,
            stop
        );
        response.EnsureSuccessStatusCode();
        while (await room.WorkAsync(stop))
        {
            // Until nothing is left of what they set off.
        }

        return target;
    }
}
