using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>The invitation to the evening talk: one letter, shown as a page as well, with the talk's form in it.</summary>
internal static class DemoLandings
{
    private const string By = "Ada Quill";
    private const string Title = "Leaving work well: an evening talk";

    private const string Body = """
        <p>Hello {{ person.first_name | default: "and welcome" }},</p>
        <p>stopping work is a sum one does once, and most of us do it too late. On an evening in April we do it together: what comes in, what goes out, and what the house is for.</p>
        <div data-part="offer" data-of="Evening talk: what the house is worth"></div>
        <h2>What we do in ninety minutes</h2>
        <ul><li>The three numbers to know before the last working day</li><li>When a pension is worth waiting for, and when not</li><li>Your questions, as many as there is wine for</li></ul>
        <div data-part="form" data-of="evening-talk"></div>
        <div data-part="sign-off"></div>
        """;

    private static readonly Instant Written = Instant.FromUtc(2027, 2, 1, 15, 0);

    /// <summary>Makes it, once; a practice that keeps letters already is left alone.</summary>
    public static async Task MakeAsync(GerminalDb db, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        if (await db.Letters.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        var letter = new LetterRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = DemoPractice.Practice,
            Name = "invitation to the evening talk",
            Subject = Title,
            Body = Body,
            By = By,
            ChangedAt = Written,
        };
        var page = new LandingRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = DemoPractice.Practice,
            LetterId = letter.Id,
            Slug = "evening-talk",
            Title = Title,
            Description = "Thursday 22 April, 18:30, the net loft, Port Averil. Free; bring a friend, bring a question.",
            ShownVersion = 1,
            By = By,
            ChangedAt = Written,
        };
        db.Letters.Add(letter);
        db.Landings.Add(page);
        db.LandingVersions.Add(
            new LandingVersionRow
            {
                LandingId = page.Id,
                Version = 1,
                PracticeId = DemoPractice.Practice,
                Title = Title,
                Description = page.Description,
                Body = Body,
                By = By,
                At = Written,
            }
        );

        // Four weeks of visits, more of them while the invitation was fresh.
        var first = new LocalDate(2027, 2, 1);
        db.LandingVisits.AddRange(
            Enumerable.Range(0, 28).Select(i => new LandingVisitRow
            {
                LandingId = page.Id,
                PracticeId = DemoPractice.Practice,
                Date = first.PlusDays(i),
                Count = 3 + (i * 5 % 7) + Math.Max(0, 12 - i),
            })
        );
        await db.SaveChangesAsync(stop);
    }
}
