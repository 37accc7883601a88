using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Service.Broadcasts;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>
/// The twelve broadcasts of the demo's two years, each written and sent on its day as a member would: what became of them is what the engine and the
/// recipients made of them.
/// </summary>
public static class DemoBroadcasts
{
    private const string Clients = "Clients";
    private const string NotYet = "Not clients yet";
    private const string Everybody = "Everybody we may write to";

    private sealed record Sending(LocalDate On, string Name, string To, BroadcastWay[] Ways, string? Topic = null, BroadcastTest? Test = null, BroadcastGoal? Goal = null, string? PaceLifted = null);

    private static readonly BroadcastGoal Meeting = new("appointment");

    /// <summary>Two Tuesdays or Thursdays in four months, over two years.</summary>
    private static readonly Sending[] All =
    [
        new(new LocalDate(2025, 4, 8), "The tax year and you", Clients, [Letter("What the new tax year means for you", "the allowances begin anew this month. Two of them are lost if they are not used by the end of the year.", "https://example.com/tax-year")]),
        new(new LocalDate(2025, 6, 10), "Evening talk in June", Everybody, [Letter("An evening about first homes", "on the 24th we speak about buying a first home: what a lender asks, and what it costs beside the price.", "https://example.com/first-homes"), Note("We speak about first homes on the 24th at seven. Come, and bring whoever is looking.")], "First home", Goal: Meeting),
        new(
            new LocalDate(2025, 9, 16),
            "Rates in September",
            Everybody,
            [Letter("Loan rates in September", "rates have moved for the first time since spring. Here is what that means for those whose loan is fixed until next year.", "https://example.com/rates-september")],
            "Market letter",
            new BroadcastTest { Others = [new BroadcastVersion("{{ person.first_name | default: \"Hello\" }}, what the rates mean for you")], Share = 80, Span = "PT30H" }
        ),
        new(new LocalDate(2025, 11, 4), "School fees, an afternoon", NotYet, [Letter("School fees: an afternoon for parents", "on the 18th we look at what schools cost over the years, and how others set it aside.", "https://example.com/school-fees")], "School fees", Goal: Meeting),
        new(new LocalDate(2025, 12, 11), "Closed between the years", Clients, [Letter("When we are closed", "between the years our door is shut; in an emergency Ada is there by telephone.", "https://example.com/closed")], PaceLifted: "they have to know before the holidays"),
        new(new LocalDate(2026, 2, 10), "Yearly papers", Clients, [Letter("The papers for your return", "most papers for last year’s return are out by now. This is the list we go by.", "https://example.com/papers")]),
        new(new LocalDate(2026, 4, 14), "Pension check in April", Everybody, [Letter("A pension check, an hour long", "in April we keep Thursdays free for pension checks: an hour, your last statement, and a page to take home.", "https://example.com/pension-check")], "Retirement", Goal: Meeting),
        new(new LocalDate(2026, 6, 9), "Evening talk on retirement", NotYet, [Letter("An evening about retiring", "on the 23rd we speak about the years before and after the last day at work.", "https://example.com/retiring")], "Retirement", Goal: Meeting),
        new(
            new LocalDate(2026, 9, 15),
            "Rates a year on",
            Everybody,
            [Letter("Loan rates, a year on", "a year ago rates had begun to move. This is where they stand, and who should look at their loan now.", "https://example.com/rates-year")],
            "Market letter",
            new BroadcastTest { Others = [new BroadcastVersion("Where loan rates stand now")], Share = 60, Span = "PT5H" }
        ),
        new(new LocalDate(2026, 11, 10), "Protection for families", NotYet, [Letter("If one income falls away", "four questions show whether a family is covered. We have put them on a page.", "https://example.com/protection")], "Protection"),
        new(new LocalDate(2026, 12, 10), "Closed between the years again", Clients, [Letter("When we are closed this year", "our door is shut from the 24th to the 2nd; in an emergency Tomas is there by telephone.", "https://example.com/closed-again")], PaceLifted: "they have to know before the holidays"),
        new(new LocalDate(2027, 2, 9), "Rates in February", Everybody, [Letter("Loan rates in February", "three lenders have come down again. If your loan is fixed until summer, now is the time to ask.", "https://example.com/rates-february")], "Market letter", Goal: new BroadcastGoal("won")),
    ];

    private static BroadcastWay Letter(string subject, string news, string more) =>
        new()
        {
            Kind = "email",
            Subject = subject,
            Body = $"<p>Good day {{{{ person.first_name | default: \"to you\" }}}},</p><p>{news}</p><p><a href=\"{more}\">Read on</a></p><p>If you would like to talk about it, answer this letter or call me.</p><p>{{{{ sender.name }}}}</p>",
        };

    private static BroadcastWay Note(string words) => new() { Kind = "note", Body = words };

    /// <summary>Sends what is to be sent on a day, if anything is.</summary>
    /// <param name="db">A context of the demo practice.</param>
    /// <param name="day">The day.</param>
    /// <param name="now">The moment, practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task SendAsync(GerminalDb db, LocalDate day, Instant now, CancellationToken stop)
    {
        if (All.FirstOrDefault(s => s.On == day) is not { } sending)
        {
            return;
        }

        await KeepSegmentsAsync(db, now, stop);
        var row = new BroadcastRow
        {
            // By its name, so that the same people get the same version however often the years are lived through.
            Id = StableId.Of(DemoPractice.Practice, sending.Name),
            PracticeId = DemoPractice.Practice,
            Name = sending.Name,
            MemberId = DemoPractice.MemberOf("Ada Quill"),
            By = "Ada Quill",
            CreatedAt = now,
            Plan = new BroadcastPlan
            {
                To = new BroadcastTo { Kind = "segment", Name = sending.To },
                Ways = sending.Ways,
                Topic = sending.Topic,
                Test = sending.Test,
                Goal = sending.Goal,
                PaceLifted = sending.PaceLifted,
            },
        };
        db.Broadcasts.Add(row);
        await db.SaveChangesAsync(stop);
        await BroadcastDesk.SendAsync(db, row, "Ada Quill", now, stop);
    }

    private static async Task KeepSegmentsAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var clients = new Leaf("stage", RuleOp.Is, ["Planning/Client"]);
        foreach (var (name, rule) in new (string, Rule)[] { (Clients, clients), (NotYet, new AllOf([new Leaf("email", RuleOp.Exists, []), new Not(clients)])), (Everybody, new Leaf("email", RuleOp.Exists, [])) })
        {
            if (!await db.Segments.AnyAsync(s => s.Name == name, stop))
            {
                db.Segments.Add(new SegmentRow { Id = Guid.CreateVersion7(), PracticeId = DemoPractice.Practice, Name = name, Rule = RuleReader.Write(rule).ToJsonString(), CreatedAt = now, By = "Ada Quill" });
            }
        }

        await db.SaveChangesAsync(stop);
    }
}
