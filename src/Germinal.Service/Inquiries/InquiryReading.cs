using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Inquiries;

/// <summary>An inquiry on the page of those who wait, or below it.</summary>
/// <param name="Id">Which.</param>
/// <param name="Person">Who asks.</param>
/// <param name="How">form, email, text, phone or hand.</param>
/// <param name="Form">The form it came by.</param>
/// <param name="Topic">What it is about.</param>
/// <param name="Text">What they asked; cut where it is long.</param>
/// <param name="ReceivedAt">When.</param>
/// <param name="WaitedMinutes">How long it has waited, or did, in the practice's working hours (rule 17.6).</param>
/// <param name="Late">0, 1 (late) or 2 (very late).</param>
/// <param name="Owner">Who has it; null for nobody.</param>
/// <param name="OwnerName">Their name.</param>
/// <param name="GivenWhy">Why they have it.</param>
/// <param name="Touched">Whether a member has done something about it.</param>
/// <param name="IsNew">Whether they came in with it.</param>
/// <param name="WhatTheyAre">What they are to the practice already, in words.</param>
/// <param name="Email">Their address.</param>
/// <param name="Mobile">Their number.</param>
/// <param name="AnsweredAt">When it was answered; null while it waits.</param>
/// <param name="AnsweredBy">By whom.</param>
/// <param name="Outcome">How it ended.</param>
public sealed record InquiryLine(
    Guid Id,
    PersonRef Person,
    string How,
    string? Form,
    string? Topic,
    string Text,
    string ReceivedAt,
    int WaitedMinutes,
    int Late,
    Guid? Owner,
    string? OwnerName,
    string GivenWhy,
    bool Touched,
    bool IsNew,
    string WhatTheyAre,
    string? Email,
    string? Mobile,
    string? AnsweredAt,
    string? AnsweredBy,
    string? Outcome
);

/// <summary>A point of the curve of how long answers take.</summary>
/// <param name="Minutes">Working minutes.</param>
/// <param name="Waiting">The share that waits longer.</param>
public sealed record WaitPoint(int Minutes, decimal Waiting);

/// <summary>How long answers take (rule 14.4).</summary>
/// <param name="Answered">How many were answered.</param>
/// <param name="Waiting">How many still wait; they are counted as waiting so far.</param>
/// <param name="MedianMinutes">The working minutes by which half are answered; null where that cannot be said yet.</param>
/// <param name="Curve">From all waiting to as few as there are.</param>
public sealed record AnswerTimes(int Answered, int Waiting, int? MedianMinutes, IReadOnlyList<WaitPoint> Curve);

/// <summary>Reads inquiries as pages show them.</summary>
public static class InquiryReading
{
    private const int Excerpt = 600;
    private const int CurvePoints = 120;

    /// <summary>The most inquiries the times are worked out from, the latest.</summary>
    private const int MostForTimes = 5_000;

    /// <summary>Those that are a member's: that they have, or that nobody has of somebody they look after.</summary>
    public static IQueryable<InquiryRow> Of(GerminalDb db, IQueryable<InquiryRow> inquiries, Guid member) =>
        inquiries.Where(i => i.OwnerId == member || (i.OwnerId == null && db.People.Any(p => p.Id == i.PersonId && p.OwnerId == member)));

    /// <summary>Inquiries as lines, in the order given.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="of">The practice, with its settings as they are stored.</param>
    /// <param name="rows">Which.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<InquiryLine>> LinesAsync(GerminalDb db, (Practice Practice, PracticeSettings Settings) of, IReadOnlyList<InquiryRow> rows, Instant now, CancellationToken stop)
    {
        var (practice, settings) = of;
        var hours = ReachedHours.Of(settings, practice);
        var ids = rows.Select(r => r.PersonId).Distinct().ToList();
        var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        var open = (
            await db.Opportunities.AsNoTracking().Where(o => ids.Contains(o.PersonId) && o.Status == "open").OrderBy(o => o.OpenedAt).Select(o => new { o.PersonId, o.Title }).ToListAsync(stop)
        ).ToLookup(o => o.PersonId, o => o.Title);
        return
        [
            .. rows.Select(r =>
            {
                var person = people[r.PersonId];
                return new InquiryLine(
                    r.Id,
                    new PersonRef(person.Id, person.Name),
                    r.How,
                    r.Form,
                    r.Topic,
                    r.Text.Length <= Excerpt ? r.Text : Channels.IncomingText.Keep(r.Text, Excerpt) + " …",
                    r.ReceivedAt.Iso(),
                    (int)hours.Between(r.ReceivedAt, r.AnsweredAt ?? now).TotalMinutes,
                    ReachedHours.Lateness(settings, practice, r.ReceivedAt, r.AnsweredAt ?? now),
                    r.OwnerId ?? person.OwnerId,
                    practice.Members.FirstOrDefault(m => m.Id == (r.OwnerId ?? person.OwnerId))?.Name,
                    r.OwnerId is null && person.OwnerId is not null ? Said("looks after them") : r.GivenWhy,
                    r.TouchedAt is not null,
                    person.AddedAt >= r.ReceivedAt,
                    WhatTheyAre(practice, person, [.. open[person.Id]], person.AddedAt >= r.ReceivedAt),
                    person.Email,
                    person.Mobile,
                    r.AnsweredAt?.Iso(),
                    r.AnsweredBy,
                    r.Outcome
                );
            }),
        ];
    }

    private static string WhatTheyAre(Practice practice, PersonRow person, IReadOnlyList<string> opportunities, bool isNew)
    {
        var parts = new List<string?>
        {
            isNew ? "new" : null,
            person.DoNotContact ? Said("do not contact") : null,
            person.Stage is { } stage ? Why.StageName(stage) : null,
            opportunities.Count > 0 ? Say($"open: {string.Join(", ", opportunities)}") : null,
            practice.Members.FirstOrDefault(m => m.Id == person.OwnerId)?.Name is { } owner && !isNew ? Say($"with {owner}") : null,
            isNew ? null : Say($"known since {person.AddedAt.InZone(practice.Zone).Date:uuuu}"),
        };
        return string.Join(" · ", parts.OfType<string>());
    }

    /// <summary>How long answers take: of those that came in since a moment, those that still wait counted as such.</summary>
    public static async Task<AnswerTimes> TimesAsync(GerminalDb db, (Practice Practice, PracticeSettings Settings) of, Instant since, Instant now, CancellationToken stop)
    {
        var hours = ReachedHours.Of(of.Settings, of.Practice);
        var all = await db
            .Inquiries.AsNoTracking()
            .Where(i => i.ReceivedAt >= since && i.Outcome != InquiryOutcomes.Nothing)
            .OrderByDescending(i => i.ReceivedAt)
            .Take(MostForTimes)
            .Select(i => new { i.ReceivedAt, i.AnsweredAt })
            .ToListAsync(stop);
        var curve = KaplanMeier.Curve(all.Select(i => new Wait((int)hours.Between(i.ReceivedAt, i.AnsweredAt ?? now).TotalMinutes, i.AnsweredAt is not null)));
        var step = Math.Max(1, curve.Count / CurvePoints);
        var answered = all.Count(i => i.AnsweredAt is not null);
        return new AnswerTimes(
            answered,
            all.Count - answered,
            (int?)KaplanMeier.Median(curve),
            [.. curve.Where((_, i) => i % step == 0 || i == curve.Count - 1).Select(s => new WaitPoint((int)s.Time, decimal.Round(s.Waiting, 4)))]
        );
    }

    /// <summary>The working minutes of a usual day, for saying minutes as days.</summary>
    public static int DayMinutes((Practice Practice, PracticeSettings Settings) of)
    {
        var hours = ReachedHours.Of(of.Settings, of.Practice);
        return hours.Hours.Count == 0 ? 8 * 60 : (int)hours.Hours.Values.Average(h => Period.Between(h.From, h.To, PeriodUnits.Minutes).Minutes);
    }
}
