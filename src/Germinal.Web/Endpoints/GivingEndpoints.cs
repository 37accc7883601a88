using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Letters;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.House;
using Germinal.Service.Incoming;
using Germinal.Service.Inquiries;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A rule of who gets an inquiry; what is null is not asked about.</summary>
/// <param name="Form">Only by this form.</param>
/// <param name="Topic">Only about this topic.</param>
/// <param name="Area">Only from this town, state or postal code.</param>
/// <param name="To">who-knows-them, first or in-turn.</param>
/// <param name="Members">Among whom.</param>
public sealed record GivingRuleDto(Guid? Form, [AtMost(Lengths.Name)] string? Topic, [AtMost(Lengths.Name)] string? Area, [AtMost(40)] string To, [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<Guid> Members);

/// <summary>When the practice is reached on a week day: mon, tue, …; times are HH:mm.</summary>
public sealed record ReachedDto([AtMost(10)] string Day, [AtMost(10)] string From, [AtMost(10)] string To);

/// <summary>Who is away from one day to another, both included.</summary>
public sealed record AbsenceDto(Guid Id, Guid Member, string From, string Until);

/// <summary>Who stands in for whom.</summary>
public sealed record DeputyDto(Guid Member, Guid? Deputy);

/// <summary>A form by its name.</summary>
public sealed record FormNameDto(Guid Id, string Name);

/// <summary>Who gets inquiries, and when the practice is reached.</summary>
/// <param name="Rules">In order.</param>
/// <param name="Reached">None for nine to half past five on working days.</param>
/// <param name="LateDays">Working days after which one is late.</param>
/// <param name="VeryLateDays">Working days after which it is very late.</param>
/// <param name="DeputyAfterHours">Working hours after which it goes to the deputy; 0 for never.</param>
/// <param name="Absences">Those of today and to come.</param>
/// <param name="Deputies">Who stands in for whom.</param>
/// <param name="Forms">The practice's forms.</param>
/// <param name="Topics">The practice's topics.</param>
/// <param name="Otherwise">Who gets it where no rule says anybody who is there.</param>
/// <param name="Colour">Of public pages.</param>
/// <param name="Picture">Above public pages.</param>
/// <param name="Address">The address to which inquiries are mailed.</param>
/// <param name="Word">The word that a text begins with which is an inquiry.</param>
public sealed record GivingDto(
    IReadOnlyList<GivingRuleDto> Rules,
    IReadOnlyList<ReachedDto> Reached,
    int LateDays,
    int VeryLateDays,
    int DeputyAfterHours,
    IReadOnlyList<AbsenceDto> Absences,
    IReadOnlyList<DeputyDto> Deputies,
    IReadOnlyList<FormNameDto> Forms,
    IReadOnlyList<string> Topics,
    Guid? Otherwise,
    string Colour,
    string? Picture,
    string Address,
    string Word
);

/// <summary>Who gets inquiries: rules, hours, deputies, and who is away.</summary>
public static class GivingEndpoints
{
    public sealed record GivingBody(
        [AtMost(Lengths.Name, Items = 50)] IReadOnlyList<GivingRuleDto>? Rules = null,
        [AtMost(Lengths.Name, Items = 7)] IReadOnlyList<ReachedDto>? Reached = null,
        int LateDays = 3,
        int VeryLateDays = 5,
        int DeputyAfterHours = 4,
        [AtMost(Lengths.Name, Items = 500)] IReadOnlyList<DeputyDto>? Deputies = null,
        [AtMost(Lengths.Name)] string Colour = "",
        [AtMost(Lengths.Name)] string? Picture = null,
        [AtMost(Lengths.Name)] string Address = "",
        [AtMost(40)] string Word = ""
    );

    /// <param name="Member">Who; null for oneself.</param>
    /// <param name="From">The first day.</param>
    /// <param name="Until">The last day.</param>
    public sealed record AbsenceBody(Guid? Member = null, [AtMost(10)] string From = "", [AtMost(10)] string Until = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var giving = app.MapGroup("/api/giving").WithTags("inquiries").RequireAuthorization(Rights.Work);
        giving.MapGet("", Read);
        giving.MapPut("", Save).RequireAuthorization(Rights.ChangeSettings);
        giving.MapPost("/absences", AddAbsence);
        giving.MapDelete("/absences/{id:guid}", RemoveAbsence);
    }

    private static async Task<GivingDto> Read(GerminalDb db, CancellationToken stop)
    {
        var s = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var today = await PracticeClock.TodayAsync(db, stop);
        var absences = await db.Absences.AsNoTracking().Where(a => a.Until >= today).OrderBy(a => a.From).ToListAsync(stop);
        var members = await db.Users.AsNoTracking().Where(m => m.PracticeId == db.PracticeId && m.LeftAt == null).OrderBy(m => m.Name).Select(m => new DeputyDto(m.Id, m.DeputyId)).ToListAsync(stop);
        var forms = await db.Forms.AsNoTracking().OrderBy(f => f.Name).Select(f => new FormNameDto(f.Id, f.Name)).ToListAsync(stop);
        return new GivingDto(
            [.. s.InquiryRules.Select(r => new GivingRuleDto(r.Form, r.Topic, r.Area, r.To, r.Members))],
            [.. s.Reached.Select(r => new ReachedDto(r.Day, r.From, r.To))],
            s.InquiryLateDays,
            s.InquiryVeryLateDays,
            s.DeputyAfterHours,
            [.. absences.Select(a => new AbsenceDto(a.Id, a.MemberId, LocalDatePattern.Iso.Format(a.From), LocalDatePattern.Iso.Format(a.Until)))],
            members,
            forms,
            s.Topics,
            s.FallbackSender,
            s.Colour,
            OwnPictures.AddressOf(s.PictureId),
            s.InquiryAddress,
            s.InquiryWord
        );
    }

    private static async Task<Results<Ok<GivingDto>, ValidationProblem>> Save(GivingBody body, GerminalDb db, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var members = await db.Users.Where(m => m.PracticeId == db.PracticeId).ToListAsync(stop);
        var forms = await db.Forms.AsNoTracking().Select(f => f.Id).ToListAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var row = change.Row;
        List<InquiryRuleSettings> rules =
        [
            .. (body.Rules ?? []).Select(r => new InquiryRuleSettings
            {
                Form = r.Form,
                Topic = Trimmed(r.Topic),
                Area = Trimmed(r.Area),
                To = r.To,
                Members = [.. r.Members],
            }),
        ];
        List<ReachedSettings> reached = [.. (body.Reached ?? []).Select(r => new ReachedSettings { Day = r.Day, From = r.From, To = r.To })];
        var wrong = new List<(string Field, string Message)>();
        wrong.AddRange(rules.SelectMany((rule, i) => Wrong(rule, forms, row.Settings, members).Select(message => ($"rules[{i}]", message))));
        wrong.AddRange(ReachedHours.Problems(reached).Select(message => ("reached", message)));
        if (body.LateDays < 1 || body.VeryLateDays < body.LateDays || body.VeryLateDays > 60)
        {
            wrong.Add(("lateDays", Said("Late is after one working day or more, very late not before late, and at most after 60.")));
        }

        if (body.DeputyAfterHours is < 0 or > 200)
        {
            wrong.Add(("deputyAfterHours", Said("From 0 (never) to 200 working hours.")));
        }

        foreach (var deputy in body.Deputies ?? [])
        {
            if (members.Find(m => m.Id == deputy.Member) is not { } member || (deputy.Deputy is { } stands && (stands == deputy.Member || members.TrueForAll(m => m.Id != stands))))
            {
                wrong.Add(("deputies", Said("Somebody stands in for another member of the practice.")));
                continue;
            }

            member.DeputyId = deputy.Deputy;
        }

        var colour = body.Colour.Trim().ToLowerInvariant();
        if (colour.Length > 0 && Colour.TryParse(colour) is null)
        {
            wrong.Add(("colour", Say($"“{body.Colour}” is no colour; #38662f would be.")));
        }

        Guid? picture = null;
        if (body.Picture is { Length: > 0 } address)
        {
            picture = await OwnPictures.FindAsync(db, address, stop);
            if (picture is null)
            {
                wrong.Add(("picture", OwnPictures.NoSuch));
            }
        }

        var mailed = body.Address.Trim().ToLowerInvariant();
        if (mailed.Length > 0 && !Addresses.IsEmail(mailed))
        {
            wrong.Add(("address", Say($"“{body.Address}” is not an email address; inquiries@example.com would be.")));
        }
        else if (mailed.Length > 0 && await AskedBy.PracticeOfAsync(db, [mailed], stop) is { } other && other != row.Id)
        {
            wrong.Add(("address", Said("This address is taken. Choose one that is yours alone.")));
        }

        var word = body.Word.Trim();
        if (word.Any(c => !char.IsLetterOrDigit(c)) || (word.Length > 0 && OptOutWords.Read(word) != TextWish.None))
        {
            wrong.Add(("word", Said("One word of letters and digits that means nothing else in a text: ASK would do, STOP would not.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        var s = row.Settings;
        (s.InquiryAddress, s.InquiryWord) = (mailed, word);
        (s.InquiryRules, s.Reached, s.InquiryLateDays, s.InquiryVeryLateDays, s.DeputyAfterHours) = (rules, reached, body.LateDays, body.VeryLateDays, body.DeputyAfterHours);
        (s.Colour, s.PictureId) = (colour, picture);
        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await Read(db, stop));
    }

    /// <summary>What was said, without white space around it; null for nothing.</summary>
    internal static string? Trimmed(string? text) => text?.Trim() is { Length: > 0 } said ? said : null;

    private static IEnumerable<string> Wrong(InquiryRuleSettings rule, List<Guid> forms, PracticeSettings settings, List<MemberUser> members)
    {
        if (rule.Form is { } form && !forms.Contains(form))
        {
            yield return Said("There is no such form any more.");
        }

        if (rule.Topic is { } topic && !settings.Topics.Contains(topic, StringComparer.OrdinalIgnoreCase))
        {
            yield return Say($"There is no topic “{topic}”.");
        }

        if (InquiryGiving.Ways.All(w => w.Word != rule.To))
        {
            yield return Say($"“{rule.To}” is none of {string.Join(", ", InquiryGiving.Ways.Select(w => w.Word))}.");
        }
        else if (rule.To != "who-knows-them" && (rule.Members.Count == 0 || rule.Members.Any(m => members.TrueForAll(x => x.Id != m))))
        {
            yield return Said("Say which members, of this practice.");
        }
    }

    /// <summary>Everybody says of themselves when they are away; a principal of anybody.</summary>
    private static async Task<Results<Ok<AbsenceDto>, ValidationProblem, ProblemHttpResult>> AddAbsence(AbsenceBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var member = body.Member ?? caller.Id;
        if (member != caller.Id && !caller.May(Rights.ChangeSettings))
        {
            return Problems.NotYours(Rights.ChangeSettings);
        }

        if (!await db.Users.AnyAsync(m => m.Id == member && m.PracticeId == db.PracticeId, stop))
        {
            return Problems.Field("member", Said("There is no such member."));
        }

        if (Dates.TryParse(body.From) is not { } from || Dates.TryParse(body.Until) is not { } until || until < from)
        {
            return Problems.Field("from", Said("Say the first and the last day, such as 2027-05-03 and 2027-05-07."));
        }

        var row = new AbsenceRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            MemberId = member,
            From = from,
            Until = until,
        };
        db.Absences.Add(row);
        await SaveAsync(db, stop);
        return TypedResults.Ok(new AbsenceDto(row.Id, member, LocalDatePattern.Iso.Format(from), LocalDatePattern.Iso.Format(until)));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> RemoveAbsence(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.Absences.FirstOrDefaultAsync(a => a.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.MemberId != caller.Id && !caller.May(Rights.ChangeSettings))
        {
            return Problems.NotYours(Rights.ChangeSettings);
        }

        db.Absences.Remove(row);
        await SaveAsync(db, stop);
        return TypedResults.NoContent();
    }

    /// <summary>Saves who is away; the engine that knew otherwise is made anew.</summary>
    private static async Task SaveAsync(GerminalDb db, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
    }
}
