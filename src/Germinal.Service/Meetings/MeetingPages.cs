using Germinal.Core.Appointments;
using Germinal.Core.Forms;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Meetings;

/// <summary>Pages on which one chooses a time to meet a member: found, read, and looked through before they are kept.</summary>
public static class MeetingPages
{
    /// <summary>The most spans of hours a page has.</summary>
    public const int MostSpans = 42;

    /// <summary>The page at an address, in whatever practice; the context sees that practice's rows from then on. Null where there is none, nobody sees it, or its member has gone.</summary>
    public static async Task<MeetingPageRow?> FindAsync(GerminalDb db, string slug, CancellationToken stop)
    {
        var page = await db.MeetingPages.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(p => p.Slug == slug && p.Shown && db.OpenPractices.Contains(p.PracticeId), stop);
        if (page is null || !await IsThereAsync(db, page, stop))
        {
            return null;
        }

        db.PracticeId = page.PracticeId;
        return page;
    }

    private static Task<bool> IsThereAsync(GerminalDb db, MeetingPageRow page, CancellationToken stop) =>
        db.Users.AsNoTracking().AnyAsync(m => m.Id == page.MemberId && m.PracticeId == page.PracticeId && m.BlockedAt == null, stop);

    /// <summary>When its member can be met.</summary>
    public static FreeHours HoursOf(MeetingPageRow page) =>
        new(
            page.Hours.GroupBy(h => PracticeReading.DayOf(h.Day)).ToDictionary(g => g.Key, g => (IReadOnlyList<(LocalTime, LocalTime)>)[.. g.Select(h => (TimesOfDay.Form.Parse(h.From).Value, TimesOfDay.Form.Parse(h.To).Value))]),
            page.Minutes,
            page.GapMinutes,
            Duration.FromHours(page.NoticeHours),
            page.MostADay,
            page.AheadDays
        );

    /// <summary>What it asks whoever chooses a time, as a form: who they are, and what it is about.</summary>
    public static Form Asks(MeetingPageRow page) =>
        new()
        {
            Name = page.Title,
            Words = page.Words,
            Questions =
            [
                new FormQuestion { Id = "first-name", Kind = QuestionKind.Text, Ask = Said("Your first name"), Required = true, Into = new AnswerPlace("first-name") },
                new FormQuestion { Id = "last-name", Kind = QuestionKind.Text, Ask = Said("Your last name"), Into = new AnswerPlace("last-name") },
                new FormQuestion { Id = "email", Kind = QuestionKind.Email, Ask = Said("Your email address"), Required = true, Into = new AnswerPlace("email"), Help = Said("We send you a mail with the time, and a link to move or cancel it.") },
                new FormQuestion { Id = "mobile", Kind = QuestionKind.Phone, Ask = Said("Your telephone number"), Into = new AnswerPlace("mobile") },
                new FormQuestion { Id = AboutQuestion, Kind = QuestionKind.LongText, Ask = Said("What is it about?") },
            ],
        };

    /// <summary>The question of what it is about.</summary>
    public const string AboutQuestion = "about";

    /// <summary>What is wrong with a page as it was written, with the field of each; nothing where it can be used.</summary>
    public static IEnumerable<(string Field, string Message)> Problems(MeetingPageRow page, PracticeSettings settings)
    {
        if (page.Title.Length is 0 or > 120)
        {
            yield return ("title", Said("Give it a title, of at most 120 letters: “A first meeting with Ada”, say."));
        }

        if (!settings.AppointmentTypes.Contains(page.Type, StringComparer.Ordinal))
        {
            yield return ("type", settings.AppointmentTypes.Count == 0 ? Said("The practice has no kinds of appointments yet; add one under Settings.") : Say($"There is no kind of appointment “{page.Type}”; {string.Join(", ", settings.AppointmentTypes)} are."));
        }

        foreach (var (field, value, least, most, what) in new[]
        {
            ("minutes", page.Minutes, 5, 480, Said("minutes, how long a meeting is")),
            ("gapMinutes", page.GapMinutes, 0, 240, Said("minutes between two meetings")),
            ("noticeHours", page.NoticeHours, 0, 720, Said("hours, how long before it a meeting can be chosen at the latest")),
            ("mostADay", page.MostADay ?? 1, 1, 50, Said("meetings a day")),
            ("aheadDays", page.AheadDays, 1, 365, Said("days ahead")),
        })
        {
            if (value < least || value > most)
            {
                yield return (field, Say($"From {least} to {most} {what}."));
            }
        }

        foreach (var problem in HourProblems(page.Hours).Distinct())
        {
            yield return ("hours", problem);
        }
    }

    private static IEnumerable<string> HourProblems(List<ReachedSettings> hours)
    {
        if (hours.Count > MostSpans)
        {
            yield return Say($"At most {MostSpans} spans of hours.");
        }

        foreach (var span in hours)
        {
            var (from, to) = (TimesOfDay.Form.Parse(span.From), TimesOfDay.Form.Parse(span.To));
            if (!PracticeReading.IsDay(span.Day))
            {
                yield return Say($"“{span.Day}” is no week day; mon, tue, wed, thu, fri, sat and sun are.");
            }
            else if (!from.Success || !to.Success || to.Value <= from.Value)
            {
                yield return Say($"“{span.From}” to “{span.To}” are no hours of a day; 09:00 to 12:00 would be.");
            }
            else if (hours.Any(o => !ReferenceEquals(o, span) && o.Day == span.Day && TimesOfDay.Form.Parse(o.From) is { Success: true } a && TimesOfDay.Form.Parse(o.To) is { Success: true } b && a.Value < to.Value && from.Value < b.Value))
            {
                yield return Say($"Two spans of “{span.Day}” are of the same hours. Put them together, or part them.");
            }
        }
    }
}
