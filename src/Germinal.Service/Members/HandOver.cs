using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.House;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Members;

/// <summary>What a member has in hand.</summary>
/// <param name="People">People they look after.</param>
/// <param name="Opportunities">Open ones.</param>
/// <param name="Inquiries">That wait for an answer.</param>
/// <param name="Tasks">Open ones on their own day sheet.</param>
/// <param name="Calls">Calls and notes of programs planned for people they look after; they go with the people.</param>
/// <param name="Programs">They see to.</param>
/// <param name="Broadcasts">They wrote, and that were not sent yet.</param>
/// <param name="Pages">Pages of times at which they can be met; taken away, not handed over.</param>
/// <param name="DeputyOf">For whom they stand in.</param>
/// <param name="NamedIn">Programs that name them, as who signs or who calls: there somebody else is to be named by hand.</param>
public sealed record Holdings(
    int People,
    int Opportunities,
    int Inquiries,
    int Tasks,
    int Calls,
    int Programs,
    int Broadcasts,
    int Pages,
    IReadOnlyList<string> DeputyOf,
    IReadOnlyList<string> NamedIn
);

/// <summary>Hands what one member has in hand over to another, in one sitting.</summary>
public static class HandOver
{
    /// <summary>What a member has in hand now.</summary>
    public static async Task<Holdings> LookAsync(GerminalDb db, Guid member, CancellationToken stop)
    {
        var texts = await ProgramTexts.AllAsync(db, stop);
        return new Holdings(
            await db.People.CountAsync(p => p.OwnerId == member, stop),
            await db.Opportunities.CountAsync(o => o.OwnerId == member && o.ClosedAt == null, stop),
            await db.Inquiries.CountAsync(i => i.OwnerId == member && i.AnsweredAt == null, stop),
            await db.Tasks.CountAsync(t => t.MemberId == member && t.DoneAt == null, stop),
            await db
                .Touches.Where(t => (t.Status == TouchStatus.Planned || t.Status == TouchStatus.Open) && (t.Kind == "call" || t.Kind == "note" || t.Kind == "task"))
                .Join(db.People.Where(p => p.OwnerId == member), t => t.PersonId, p => p.Id, (t, _) => t.Id)
                .CountAsync(stop),
            await db.Programs.CountAsync(p => p.OwnerId == member, stop),
            await db.Broadcasts.CountAsync(b => b.MemberId == member && b.BeganAt == null, stop),
            await db.MeetingPages.CountAsync(m => m.MemberId == member, stop),
            await db.Users.Where(u => u.PracticeId == db.PracticeId && u.DeputyId == member && u.LeftAt == null).OrderBy(u => u.Name).Select(u => u.Name).ToListAsync(stop),
            [.. texts.Where(t => t.Text.Contains(member.ToString(), StringComparison.OrdinalIgnoreCase)).Select(t => t.Name).Distinct().Order(StringComparer.CurrentCulture)]
        );
    }

    /// <summary>Hands everything over. People are given as one act, which can be taken back; doing it twice does nothing new.</summary>
    /// <param name="db">The practice's.</param>
    /// <param name="from">Who has it.</param>
    /// <param name="to">Who gets it: another member, who is there.</param>
    /// <param name="by">Who does it.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The act by which people were given; null where there were none.</returns>
    public static async Task<Guid?> DoAsync(GerminalDb db, Guid from, Guid to, string by, Instant now, CancellationToken stop)
    {
        var people = await db.People.Where(p => p.OwnerId == from).Select(p => p.Id).ToArrayAsync(stop);
        var act = people.Length == 0 ? null : (await new Acts(db, by, now).DoAsync(ActKind.Owner, to.ToString(), people, stop)).Act;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Opportunities.Where(o => o.OwnerId == from && o.ClosedAt == null).ExecuteUpdateAsync(u => u.SetProperty(o => o.OwnerId, to), stop);
        await db
            .Inquiries.Where(i => i.OwnerId == from && i.AnsweredAt == null)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.OwnerId, to).SetProperty(i => i.GivenWhy, Said("it was handed over")), stop);
        await db.Tasks.Where(t => t.MemberId == from && t.DoneAt == null).ExecuteUpdateAsync(u => u.SetProperty(t => t.MemberId, to), stop);
        await db.ProgramsAndBroadcasts.Where(p => p.OwnerId == from).ExecuteUpdateAsync(u => u.SetProperty(p => p.OwnerId, to), stop);
        await db.Broadcasts.Where(b => b.MemberId == from && b.BeganAt == null).ExecuteUpdateAsync(u => u.SetProperty(b => b.MemberId, to), stop);

        // Whoever they stood in for has the other to stand in for them; of two who stood in for each other nobody is left.
        await db
            .Users.Where(u => u.PracticeId == db.PracticeId && u.DeputyId == from)
            .ExecuteUpdateAsync(u => u.SetProperty(m => m.DeputyId, m => m.Id == to ? null : to), stop);
        var settings = await SettingsChange.LockAsync(db, stop);
        var row = settings.Row;
        if (row.Settings.FallbackSender == from)
        {
            row.Settings.FallbackSender = to;
        }

        foreach (var rule in row.Settings.InquiryRules)
        {
            rule.Members = [.. rule.Members.Select(m => m == from ? to : m).Distinct()];
        }

        await settings.SaveAsync(stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        return act;
    }
}
