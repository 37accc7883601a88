using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Import;

/// <summary>Takes a whole import back, as long as nobody has worked with its people.</summary>
public static class ImportUndo
{
    /// <summary>
    /// The names of up to five people that somebody has worked with since, and how many there are. A run that a date of theirs has
    /// started counts only once something of it has gone out.
    /// </summary>
    public static async Task<(int Count, IReadOnlyList<string> Names)> WorkedWithAsync(GerminalDb db, Guid importId, CancellationToken stop)
    {
        var touched = db.ImportLines.Where(l => l.ImportId == importId && (l.Result == "added" || l.Result == "filled")).Select(l => l.PersonId!.Value);
        var at = (await db.Imports.AsNoTracking().SingleAsync(i => i.Id == importId, stop)).CreatedAt;
        var gone = GoneOut.Of(db);
        var worked = db.People.Where(p =>
            touched.Contains(p.Id)
            && (
                gone.Any(t => t.PersonId == p.Id && db.Runs.Any(r => r.Id == t.RunId && r.StartedAt >= at))
                || (p.ImportId == importId && p.Edition > 1)
                || db.Events.Any(e => e.PersonId == p.Id && e.At >= at && e.Key == null && e.Kind != EventKinds.Occasion)
            )
        );
        var names = await worked.OrderBy(p => p.SortName).Take(5).Select(p => (p.FirstName + " " + p.LastName).Trim()).ToListAsync(stop);
        return (names.Count == 0 ? 0 : await worked.CountAsync(stop), names);
    }

    /// <summary>
    /// Removes who was added, empties what was filled, takes the file's consent entries out, and takes back the runs that dates have
    /// started since. The caller has checked.
    /// </summary>
    public static async Task UndoAsync(GerminalDb db, Guid importId, string by, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await Clock.PracticeClock.NowAsync(db, stop);
        var began = await db.Imports.Where(i => i.Id == importId).Select(i => i.CreatedAt).SingleAsync(stop);
        var desk = new PeopleDesk(db, by, now);
        var started = await db
            .Runs.AsNoTracking()
            .Where(r =>
                r.EndedAt == null
                && r.StartedAt >= began
                && db.ImportLines.Any(l => l.ImportId == importId && l.Result == "filled" && l.PersonId == r.PersonId)
            )
            .ToListAsync(stop);
        db.Events.AddRange(
            started.Where(r => r.Cause.Kind == CauseKind.Occasion).Select(r => desk.NewEvent(r.PersonId, new StartTakenBack(now, r.Id, by)))
        );
        var filled = await db.ImportLines.Where(l => l.ImportId == importId && l.Result == "filled").ToListAsync(stop);
        var evidence = importId.ToString();
        await db.Consent.Where(c => c.Evidence == evidence).ExecuteDeleteAsync(stop);
        await db.People.Where(p => p.ImportId == importId).ExecuteDeleteAsync(stop);
        var ids = filled.Select(l => l.PersonId!.Value).Distinct().ToArray();
        var people = await db.People.Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        foreach (var line in filled.Where(l => people.ContainsKey(l.PersonId!.Value)))
        {
            var p = people[line.PersonId!.Value];
            foreach (var field in line.FilledFields)
            {
                switch (field)
                {
                    case "first_name":
                        p.FirstName = null;
                        break;
                    case "last_name":
                        p.LastName = null;
                        break;
                    case "email":
                        p.Email = null;
                        break;
                    case "other_email":
                        p.OtherEmail = null;
                        break;
                    case "mobile":
                        (p.Mobile, p.MobileExtension) = (null, null);
                        break;
                    case "other_phone":
                        (p.OtherPhone, p.OtherPhoneExtension) = (null, null);
                        break;
                    case "address":
                        p.Address = null;
                        break;
                    case "source":
                        p.Source = null;
                        break;
                    case "owner":
                        p.OwnerId = null;
                        break;
                    case "zone":
                        p.ZoneId = null;
                        break;
                    case "stage":
                        (p.Stage, p.StageSince) = (null, null);
                        break;
                    case var list when list.StartsWith("list:", StringComparison.Ordinal):
                        p.Lists = [.. p.Lists.Where(l => !string.Equals(l, list[5..], StringComparison.OrdinalIgnoreCase))];
                        break;
                    case "do_not_contact":
                        (p.DoNotContact, p.DoNotContactReason, p.DoNotContactToConfirm) = (false, null, false);
                        break;
                    case var tag when tag.StartsWith("tag:", StringComparison.Ordinal):
                        p.Tags = [.. p.Tags.Where(t => !string.Equals(t, tag[4..], StringComparison.OrdinalIgnoreCase))];
                        break;
                    case var own when own.StartsWith(ImportField.OwnPrefix, StringComparison.Ordinal):
                        var key = own[ImportField.OwnPrefix.Length..];
                        p.Custom = p.Custom.Where(c => !string.Equals(c.Key, key, StringComparison.OrdinalIgnoreCase)).ToDictionary();
                        break;
                    case var date when date.StartsWith("date:", StringComparison.Ordinal):
                        var name = date[5..];
                        await db.KeyDates.Where(d => d.PersonId == p.Id && d.Name == name).ExecuteDeleteAsync(stop);
                        break;
                }
            }

            PersonNames.Refresh(p);
        }

        await db.ImportLines.Where(l => l.ImportId == importId).ExecuteUpdateAsync(u => u.SetProperty(l => l.PersonId, (Guid?)null), stop);
        var import = await db.Imports.SingleAsync(i => i.Id == importId, stop);
        import.Status = "undone";
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
    }
}
