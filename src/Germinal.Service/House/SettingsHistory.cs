using System.Text.Json.Nodes;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Pipelines;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.House;

/// <summary>A change of settings, as it is shown.</summary>
/// <param name="Id">Its id.</param>
/// <param name="At">When, practice time.</param>
/// <param name="By">Who did it; empty where it was the application itself.</param>
/// <param name="Words">What was changed.</param>
/// <param name="Page">The page on which that stands.</param>
/// <param name="TakesBack">Whether it took an earlier one back.</param>
/// <param name="TakenBack">Whether it was taken back.</param>
/// <param name="InTheWay">Why it cannot be taken back from here; null where it can, as far as can be told before.</param>
public sealed record SettingsChangeDto(long Id, string At, string By, string Words, string Page, bool TakesBack, bool TakenBack, string? InTheWay);

/// <summary>The last changes of a practice's settings, and how each is taken back.</summary>
/// <param name="programs">For the programs that ask for how calls end.</param>
public sealed class SettingsHistory(ProgramDesk programs)
{
    /// <summary>So many are kept.</summary>
    public const int Most = 10;

    /// <summary>The last changes, the newest first.</summary>
    public static async Task<IReadOnlyList<SettingsChangeDto>> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var changes = await db.SettingsChanges.AsNoTracking().OrderByDescending(c => c.Id).Take(Most).ToListAsync(stop);
        var names = await db.Users.AsNoTracking().Where(u => u.PracticeId == db.PracticeId).Select(u => new { u.Id, u.Name }).ToDictionaryAsync(u => u.Id, u => u.Name, stop);
        var now = SettingsChange.Parts(await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop));
        return
        [
            .. changes.Select(c => new SettingsChangeDto(
                c.Id,
                c.At.Iso(),
                c.MemberId is { } by ? names.GetValueOrDefault(by, "") : "",
                SettingsWords.Of(c),
                SettingsPart.In(JsonNode.Parse(c.After)!.AsObject())[0].Page,
                changes.Exists(o => o.TakenBackBy == c.Id),
                c.TakenBackBy is not null,
                c.TakenBackBy is null ? InTheWay(c, now) : null
            )),
        ];
    }

    /// <summary>Takes a change back: what it changed becomes as it was, and that is a change of its own. Nothing else is touched.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="id">The change.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Whether there is such a change; what stands in the way of taking it back, null where it was done; and what was changed, in words.</returns>
    public async Task<(bool Found, string? Problem, string Words)> TakeBackAsync(GerminalDb db, long id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        if (await db.SettingsChanges.SingleOrDefaultAsync(c => c.Id == id, stop) is not { } row)
        {
            return (false, null, "");
        }

        var parts = SettingsChange.Parts(change.Row);
        if (row.TakenBackBy is not null)
        {
            return (true, Said("This has been taken back already."), "");
        }

        if (InTheWay(row, parts) is { } wrong)
        {
            return (true, wrong, "");
        }

        var before = JsonNode.Parse(row.Before)!.AsObject();
        foreach (var (key, value) in before)
        {
            parts[key] = value?.DeepClone();
        }

        (change.Row.Name, change.Row.ZoneId) = (parts["name"]!.GetValue<string>(), parts["zoneId"]!.GetValue<string>());
        parts.Remove("name");
        parts.Remove("zoneId");
        var restored = GerminalDb.FromJson<PracticeSettings>(parts.ToJsonString());
        if (await MissedAsync(db, change.Settings, restored, [.. before.Select(p => p.Key)], stop) is { } missed)
        {
            // Nothing of it is kept.
            db.ChangeTracker.Clear();
            return (true, missed, "");
        }

        change.Row.Settings = restored;
        var done = await change.SaveAsync(row, stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        return (true, null, SettingsWords.Of(done));
    }

    /// <summary>Lets go of all but the last ones.</summary>
    internal static Task ForgetAsync(GerminalDb db, CancellationToken stop) =>
        db.SettingsChanges.Where(c => c.Id < db.SettingsChanges.OrderByDescending(o => o.Id).Select(o => o.Id).Take(Most).Min()).ExecuteDeleteAsync(stop);

    /// <summary>What stands in the way as the settings are now: what cannot be taken back at all, and what was changed again since.</summary>
    private static string? InTheWay(SettingsChangeRow change, JsonObject now)
    {
        var after = JsonNode.Parse(change.After)!.AsObject();
        var parts = SettingsPart.In(after);
        if (parts.FirstOrDefault(p => p.Kind == SettingsPartKind.Apart) is { } apart)
        {
            return Say($"What was before of “{Said(apart.Title)}” is not kept; set it anew on its page.");
        }

        return parts.FirstOrDefault(p => !JsonNode.DeepEquals(after[p.Key], now[p.Key])) is { } again ? Say($"“{Said(again.Title)}” was changed again since; take that back first.") : null;
    }

    /// <summary>What would be missed if some parts became as they were: something that programs or people use and that would be gone.</summary>
    private async Task<string?> MissedAsync(GerminalDb db, PracticeSettings now, PracticeSettings restored, IReadOnlyCollection<string> parts, CancellationToken stop)
    {
        if (parts.Contains("policies") && await PolicyUses.MissedAsync(db, now, [.. restored.Policies.Select(p => p.Name)], stop) is { } policy)
        {
            return policy;
        }

        if (
            (parts.Contains("pipelines") || parts.Contains("lostReasons"))
            && (await StageNames.WrongAsync(db, restored.Pipelines, restored.LostReasons, stop)).Select(w => w.Message).FirstOrDefault() is { } stage
        )
        {
            return stage;
        }

        if (
            parts.Contains("callOutcomes")
            && (await CallOutcomes.WrongAsync(db, now, restored, restored.CallOutcomes, (await programs.EngineAsync(db, stop)).Shelf, stop)).Select(w => w.Message).FirstOrDefault() is { } call
        )
        {
            return call;
        }

        var members = await db.Users.AsNoTracking().Where(u => u.PracticeId == db.PracticeId && u.LeftAt == null).Select(u => u.Id).ToListAsync(stop);
        var named = (parts.Contains("inquiryRules") ? restored.InquiryRules.SelectMany(r => r.Members) : []).Concat(
            parts.Contains("fallbackSender") && restored.FallbackSender is { } signs ? [signs] : []
        );
        return named.Except(members).Any() ? Said("It names somebody who has left; set it anew on its page.")
            : parts.Contains("pictureId") && restored.PictureId is { } picture && !await db.Images.AnyAsync(i => i.Id == picture, stop) ? Said("The picture is no longer there; choose one anew on its page.")
            : null;
    }
}
