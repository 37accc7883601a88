using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Inquiries;
using Germinal.Service.Letters;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Stored settings to the practice the engine reads.</summary>
public static class PracticeReading
{
    private static readonly string[] DayNames = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

    /// <summary>Loads the context's practice with its members.</summary>
    public static async Task<Practice> LoadAsync(GerminalDb db, CancellationToken stop) => (await LoadWithSettingsAsync(db, stop)).Practice;

    /// <summary>The same, with the settings as they are stored.</summary>
    public static async Task<(Practice Practice, PracticeSettings Settings)> LoadWithSettingsAsync(GerminalDb db, CancellationToken stop)
    {
        var row = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var members = await db
            .Users.AsNoTracking()
            .Where(m => m.PracticeId == db.PracticeId && m.LeftAt == null)
            .OrderBy(m => m.Name)
            .Select(m => new
            {
                m.Id,
                m.Name,
                Email = m.SendsFrom != "" ? m.SendsFrom : m.Email!,
                m.Capacity,
                m.SignOff,
                m.PhotographId,
                m.DeputyId,
            })
            .ToListAsync(stop);
        var accounts = await db.MailAccounts.AsNoTracking().ToDictionaryAsync(a => a.MemberId, a => new { a.Address, a.PerDay }, stop);
        var absences = (await db.Absences.AsNoTracking().OrderBy(a => a.From).ToListAsync(stop)).ToLookup(a => a.MemberId, a => new Absence(a.From, a.Until));
        var hours = ReachedHours.Of(row.Settings, Read(row));
        var busy = (
            await db.BusyTimes.AsNoTracking().Select(b => new { b.MemberId, b.From, b.Until }).ToListAsync(stop)
        ).ToLookup(b => b.MemberId, b => new Interval(b.From, b.Until));
        var practice = Read(
            row,
            [
                .. members.Select(m => new Member(m.Id, m.Name, accounts.GetValueOrDefault(m.Id)?.Address ?? m.Email)
                {
                    MostEmails = accounts.GetValueOrDefault(m.Id)?.PerDay,
                    Capacity = CapacityOf(m.Capacity),
                    SignOff = m.SignOff,
                    Absences = [.. absences[m.Id]],
                    Busy = busy.Contains(m.Id) ? BusyDays.Of(hours, busy[m.Id]) : FrozenDictionary<LocalDate, FreeShare>.Empty,
                    DeputyId = m.DeputyId,
                    Photograph = m.PhotographId is { } picture ? $"/i/{picture}" : null,
                }),
            ]
        );
        return (practice with { Segments = await SegmentShelf.RulesAsync(db, stop), Kept = await KeptReading.LoadAsync(db, stop) }, row.Settings);
    }

    private static FrozenDictionary<IsoDayOfWeek, int>? CapacityOf(Dictionary<string, int> stored) =>
        stored.Count == 0 ? null : stored.ToFrozenDictionary(c => DayOf(c.Key), c => c.Value);

    /// <summary>The week day of its stored word: mon, tue, …</summary>
    public static IsoDayOfWeek DayOf(string name) => (IsoDayOfWeek)(Array.IndexOf(DayNames, name) + 1);

    /// <summary>The stored word of a week day.</summary>
    public static string WordOf(IsoDayOfWeek day) => DayNames[(int)day - 1];

    /// <summary>Whether it is the word of a week day.</summary>
    public static bool IsDay(string name) => DayNames.Contains(name, StringComparer.Ordinal);

    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<PracticeRow, Practice> WithoutMembers = [];

    /// <summary>A practice row without its members, worked out once for each time it was loaded.</summary>
    public static Practice Read(PracticeRow row) => WithoutMembers.GetValue(row, static r => Read(r, []));

    /// <summary>A practice row and its members as the core knows them.</summary>
    public static Practice Read(PracticeRow row, IReadOnlyList<Member> members)
    {
        var s = row.Settings;
        var days = s.WorkingDays.Select(DayOf).ToFrozenSet();
        return new Practice
        {
            Name = row.Name,
            Tongue = Tongue.NamedElseBritish(s.Tongue),
            Zone = LocalClock.Zone(row.ZoneId) ?? DateTimeZone.Utc,
            LeapDay = s.LeapDay == "mar1" ? LeapDay.Mar1 : LeapDay.Feb28,
            Calendar = new WorkCalendar(days, s.Holidays.Concat(PublicHolidays.Of(s.HolidaysOf)).ToFrozenSet(), s.Closed.ToFrozenSet()),
            QuietHours = new QuietHours(TimesOfDay.Form.Parse(s.QuietFrom).Value, TimesOfDay.Form.Parse(s.QuietTo).Value),
            Consent = new ConsentRules(
                s.OpenChannels.ToFrozenDictionary(Words.ChannelOf, _ => ConsentPolicy.Open),
                s.InquiryMonths,
                s.ClientMonths,
                s.StrictForTransactional
            ),
            Policies = s.Policies.ToFrozenDictionary(
                p => p.Name,
                p => new SendingPolicy(
                    p.Name,
                    new ConsentRules(
                        p.OpenChannels.ToFrozenDictionary(Words.ChannelOf, _ => ConsentPolicy.Open),
                        p.InquiryMonths,
                        p.ClientMonths,
                        p.StrictForTransactional
                    ),
                    p.Topics,
                    p.Footer
                ),
                StringComparer.OrdinalIgnoreCase
            ),
            Pace = [.. s.Pace.Select(p => new PaceRule(p.Max, p.Days, p.Channels.Select(Words.ChannelOf).ToFrozenSet()))],
            DailyLimits = s.DailyLimits.ToFrozenDictionary(l => Words.ChannelOf(l.Key), l => l.Value),
            Pipelines = [.. s.Pipelines.Select(p => new Pipeline(p.Name, p.Stages))],
            Voice = s.Voice == "we" ? Voice.We : Voice.I,
            PostalAddress = s.PostalAddress,
            Members = members,
            FallbackSender = s.FallbackSender,
            Itself = Practice.AsSender(row.Id, row.Name, s.OwnAddress),
        };
    }
}
