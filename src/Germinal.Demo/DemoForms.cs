using System.Security.Cryptography;
using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Forms;
using Germinal.Service.Forms;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>
/// The demo practice's three forms as they have lived through its two years, who gets what comes by them, and what came over the last weekend. Worked out of
/// the people and inquiries there are, so that it is the same each time.
/// </summary>
internal static class DemoForms
{
    private const string By = "Ada Quill";
    private static readonly Instant Sunday = Instant.FromUtc(2027, 3, 1, 2, 10);
    private static readonly Instant MondayMorning = Instant.FromUtc(2027, 3, 1, 12, 41);
    private static readonly string[] About = ["Stopping work", "A house", "Insurance", "Something else"];
    private static readonly string[] Coming = ["Only me", "Two of us"];

    private static FormQuestion First => new() { Id = "name", Kind = QuestionKind.Text, Ask = "Your first name", Required = true, Into = new AnswerPlace("first-name") };

    private static FormQuestion Last => new() { Id = "last-name", Kind = QuestionKind.Text, Ask = "Your last name", Into = new AnswerPlace("last-name") };

    private static FormQuestion Mail => new() { Id = "email", Kind = QuestionKind.Email, Ask = "Your email address", Required = true, Into = new AnswerPlace("email") };

    private static FormQuestion Yes(string ask) => new() { Id = "letters", Kind = QuestionKind.Consent, Ask = ask, Consent = new FormConsent(Channel.Email, null) };

    private static Form Meeting =>
        new()
        {
            Name = "first meeting",
            Title = "A first meeting",
            Words = "An hour at our table, or on the telephone. It costs nothing, and you take a page home with you.",
            Questions =
            [
                First,
                Last,
                Mail,
                new FormQuestion { Id = "phone", Kind = QuestionKind.Phone, Ask = "Your telephone number", Into = new AnswerPlace("mobile"), Help = "Only if you would rather be rung." },
                new FormQuestion { Id = "about", Kind = QuestionKind.Choice, Ask = "What is it about?", Options = About },
                new FormQuestion { Id = "when", Kind = QuestionKind.Text, Ask = "When would you like to stop?", ShownIf = new ShownIf("about", [About[0]]) },
                new FormQuestion { Id = "words", Kind = QuestionKind.LongText, Ask = "What would you like to know?", Required = true },
                Yes("Yes, you may write to me by email about what you do. I can stop it at any time."),
            ],
            InquiryWhen = ["words"],
            Opportunity = "Planning/Inquiry",
            Thanks = "Thank you. One of us writes or rings within a working day.",
        };

    private static Form Letter =>
        new()
        {
            Name = "market letter",
            Title = "The market letter",
            Words = "Once a month: what houses, rates and pensions do around here, on one page.",
            Questions = [First, Last, Mail, Yes("Yes, send me the market letter by email. I can stop it at any time.")],
            DoubleOptIn = true,
            List = "market letter",
        };

    private static Form Talk =>
        new()
        {
            Name = "evening talk",
            Title = "Evening talk: leaving work well",
            Words = "Thursday 22 April, 18:30 to 20:00, the net loft, Port Averil. Bring a question.",
            Questions =
            [
                First,
                Last,
                Mail,
                new FormQuestion { Id = "how-many", Kind = QuestionKind.Choice, Ask = "How many are you?", Options = Coming, Required = true },
                new FormQuestion { Id = "question", Kind = QuestionKind.Text, Ask = "A question you would like answered" },
                Yes("Yes, you may write to me about later talks. I can stop it at any time."),
            ],
            Closes = Instant.FromUtc(2027, 4, 22, 16, 0),
            Most = 40,
            WaitingList = true,
            Tags = ["evening talk"],
            Closed = "The talk is full, or over. There is another one in October.",
        };

    /// <summary>Lives it through, once; a practice that has forms already is left alone.</summary>
    public static async Task LiveAsync(GerminalDb db, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        if (await db.Forms.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var (meeting, letter, talk) = (Shown(db, Meeting, 0), Shown(db, Letter, 0), Shown(db, Talk, 27));
        await GivingAsync(db, meeting.Id, stop);
        await db.SaveChangesAsync(stop);
        await InquiriesAsync(db, meeting, stop);
        var readers = await db.People.AsNoTracking().Where(p => p.Lists.Contains("market letter") && p.Email != null && p.FirstName != null).OrderBy(p => p.AddedAt).ThenBy(p => p.Id).Take(120).ToListAsync(stop);
        foreach (var (person, i) in readers.Select((p, i) => (p, i)))
        {
            var row = Sent(db, letter, Letter, person, person.AddedAt + Duration.FromHours(3 + (i * 7 % 400)), []);
            (row.AskedAt, row.ConfirmedAt) = (row.At, row.At + Duration.FromMinutes(4 + (i * 11 % 300)));
        }

        foreach (var (person, i) in readers.Take(27).Select((p, i) => (p, i)))
        {
            Sent(db, talk, Talk, person, Instant.FromUtc(2027, 2, 8, 15, 0) + Duration.FromHours(i * 17), [("how-many", Coming[i % 3 == 0 ? 1 : 0]), .. i % 4 == 0 ? [("question", "What if one of us stops earlier?")] : Array.Empty<(string, string)>()]);
        }

        await db.SaveChangesAsync(stop);
        await WeekendAsync(db, stop);
        await transaction.CommitAsync(stop);
    }

    private static FormRow Shown(GerminalDb db, Form form, int taken)
    {
        var file = Core.Forms.FormFile.Write(form).ToJsonString();
        var row = new FormRow
        {
            Id = IdOf($"form/{form.Name}"),
            PracticeId = DemoPractice.Practice,
            Name = form.Name,
            Slug = form.Name.Replace(' ', '-'),
            Draft = file,
            Shown = file,
            ShownVersion = 1,
            Taken = taken,
            By = By,
            ChangedAt = Instant.FromUtc(2025, 3, 3, 14, 0),
        };
        db.Forms.Add(row);
        return row;
    }

    // The same ids each time, so that what links to them does.
    private static Guid IdOf(string name) => new(SHA256.HashData(Encoding.UTF8.GetBytes($"germinal demo/{name}")).AsSpan(0, 16));

    private static SubmissionRow Sent(GerminalDb db, FormRow form, Form asks, PersonRow person, Instant at, IEnumerable<(string Question, string Value)> more)
    {
        (string Question, string? Value)[] known = [("name", person.FirstName), ("last-name", person.LastName), ("email", person.Email), .. more.Select(m => (m.Question, (string?)m.Value)), ("letters", "yes")];
        var row = new SubmissionRow
        {
            Id = IdOf($"sent/{form.Name}/{person.Id}/{at}"),
            PracticeId = DemoPractice.Practice,
            FormId = form.Id,
            Key = IdOf($"key/{form.Name}/{person.Id}/{at}").ToString("N"),
            At = at,
            Status = SubmissionStates.Taken,
            Version = 1,
            Answers = [.. asks.Questions.Where(q => known.Any(k => k.Question == q.Id && k.Value is not null)).Select(q => new SubmittedAnswer(q.Id, q.Ask, known.First(k => k.Question == q.Id).Value!))],
            Email = person.Email,
            PersonId = person.Id,
            CameFrom = "https://alder-quay.example.com/",
        };
        db.Submissions.Add(row);
        return row;
    }

    /// <summary>What was asked by the form in two years, as it was sent; each of those who still wait is with whoever looks after them.</summary>
    private static async Task InquiriesAsync(GerminalDb db, FormRow form, CancellationToken stop)
    {
        var inquiries = await db.Inquiries.Where(i => i.Form == form.Name).OrderBy(i => i.ReceivedAt).ToListAsync(stop);
        var ids = inquiries.Select(i => i.PersonId).ToList();
        var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        foreach (var (inquiry, i) in inquiries.Select((x, i) => (x, i)))
        {
            var person = people[inquiry.PersonId];
            var row = Sent(db, form, Meeting, person, inquiry.ReceivedAt, [("about", About[i * 5 % 7 % About.Length]), ("words", inquiry.Text)]);
            inquiry.SubmissionId = row.Id;
            inquiry.OwnerId = person.OwnerId;
            inquiry.GivenWhy = person.OwnerId is null ? "" : "it was their turn";
        }
    }

    private static async Task GivingAsync(GerminalDb db, Guid meeting, CancellationToken stop)
    {
        var members = await db.Users.AsNoTracking().Where(u => u.PracticeId == DemoPractice.Practice).ToDictionaryAsync(u => u.Name, u => u.Id, stop);
        var practice = await db.Practices.SingleAsync(p => p.Id == DemoPractice.Practice, stop);
        practice.Settings.InquiryRules =
        [
            new InquiryRuleSettings { To = "who-knows-them" },
            new InquiryRuleSettings { Form = meeting, To = "in-turn", Members = [members["Ada Quill"], members["Tomas Brandt"]] },
        ];
        practice.Settings.InquiryAddress = "inquiries@alder-quay.example.com";
        practice.Settings.Colour = "#245a6b";
        db.Entry(practice).Property(p => p.Settings).IsModified = true;
    }

    /// <summary>On Sunday evening somebody known wrote to the inquiry address; on Monday, before anybody was in, somebody rang and left word.</summary>
    private static async Task WeekendAsync(GerminalDb db, CancellationToken stop)
    {
        var known = await db.People.AsNoTracking().Where(p => p.Stage == "Planning/Client" && p.Email != null && p.FirstName != null && p.OwnerId != null && !p.DoNotContact).OrderBy(p => p.SortName).ThenBy(p => p.Id).Take(2).ToListAsync(stop);
        if (known is not [var writes, var rings])
        {
            return;
        }

        var received = new ReceivedRow
        {
            PracticeId = DemoPractice.Practice,
            PersonId = writes.Id,
            Channel = "email",
            Kind = "reply",
            FromAddress = writes.Email!,
            Subject = "Our daughter’s first house",
            Text = "She has found one, and the bank wants an answer by Friday. May she come to you, or is that too soon?",
            At = Sunday,
            Key = $"mail/sunday.{writes.Id:N}@example.com",
            SeenAt = Sunday,
        };
        db.Received.Add(received);
        await db.SaveChangesAsync(stop);
        await AskAsync(db, writes, "email", $"{received.Subject}\n{received.Text}", Sunday, received.Id, stop);
        await AskAsync(db, rings, "phone", "Left word: please ring about the policy renewal, before noon if it can be.", MondayMorning, null, stop);
    }

    private static Task<InquiryRow> AskAsync(GerminalDb db, PersonRow person, string how, string words, Instant at, long? received, CancellationToken stop) =>
        new DealingsDesk(db, new PeopleDesk(db, "the sender", at), at).InquireAsync(person.Id, null, how, words, stop, new Arrival(ReceivedId: received));
}
