using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>The demo practice's pages for choosing a time, and a time that was chosen on one over the weekend.</summary>
internal static class DemoMeetings
{
    private static readonly Instant Shown = Instant.FromUtc(2026, 9, 7, 14, 0);
    private static readonly Instant Saturday = Instant.FromUtc(2027, 2, 27, 16, 22);
    private static readonly Instant Thursday = Instant.FromUtc(2027, 3, 4, 15, 0);

    /// <summary>Makes them, once; a practice that has some already is left alone.</summary>
    public static async Task MakeAsync(GerminalDb db, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        if (await db.MeetingPages.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        var members = await db.Users.AsNoTracking().Where(u => u.PracticeId == DemoPractice.Practice).ToDictionaryAsync(u => u.Name, u => u.Id, stop);
        string[] mornings = ["mon", "tue", "thu"];
        var first = Page(
            members["Ada Quill"],
            "first-meeting-ada",
            "A first meeting with Ada",
            "first meeting",
            "An hour at our table, or on the telephone. It costs nothing, and you take a page home with you.",
            [.. mornings.Select(d => Span(d, "09:00", "12:00")), Span("wed", "14:00", "18:00")]
        );
        var review = Page(
            members["Tomas Brandt"],
            "yearly-review-tomas",
            "Your yearly review with Tomas",
            "yearly review",
            "Once a year we look at everything together. Bring what came by post.",
            [Span("tue", "13:00", "17:00"), Span("wed", "09:00", "12:00"), Span("thu", "13:00", "17:00")]
        );
        db.MeetingPages.AddRange(first, review);
        await db.SaveChangesAsync(stop);
        if (await db.People.AsNoTracking().Where(p => p.Stage == "Planning/Inquiry" && p.Email != null && p.FirstName != null && !p.DoNotContact).OrderBy(p => p.SortName).ThenBy(p => p.Id).FirstOrDefaultAsync(stop) is { } who)
        {
            var desk = new DealingsDesk(db, new PeopleDesk(db, "the sender", Saturday), Saturday);
            await desk.BookAsync(who.Id, first.Type, Thursday, first.Place, first.MemberId, stop, row =>
            {
                (row.PageId, row.Minutes, row.Words) = (first.Id, first.Minutes, "We would like to know whether we can afford the house by the quay.");
            });
        }
    }

    private static ReachedSettings Span(string day, string from, string to) => new() { Day = day, From = from, To = to };

    private static MeetingPageRow Page(Guid member, string slug, string title, string type, string words, List<ReachedSettings> hours) =>
        new()
        {
            Id = Guid.CreateVersion7(),
            PracticeId = DemoPractice.Practice,
            MemberId = member,
            Slug = slug,
            Title = title,
            Words = words,
            Type = type,
            Place = "at our table, 12 Quay Lane, or by telephone",
            Minutes = 60,
            GapMinutes = 15,
            NoticeHours = 24,
            MostADay = 3,
            AheadDays = 30,
            Hours = hours,
            Shown = true,
            By = "Ada Quill",
            ChangedAt = Shown,
        };
}
