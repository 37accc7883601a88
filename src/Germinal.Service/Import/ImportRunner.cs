using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Service.Import;

/// <summary>
/// Brings a reviewed file in, in the worker: batch by batch with progress, stoppable, each row whole or not at all. An
/// import that was interrupted goes on where it was.
/// </summary>
public sealed class ImportRunner(IDbContextFactory<GerminalDb> databases)
{
    private const int RowsAtOnce = 500;

    /// <summary>Runs one import that waits, if there is one.</summary>
    /// <param name="stop">Gives up; another run goes on where it was.</param>
    /// <param name="between">What else there is to do after each batch, so that a long file keeps nobody's touches waiting.</param>
    /// <returns>False when none waits.</returns>
    public async Task<bool> RunNextAsync(CancellationToken stop, Func<CancellationToken, Task>? between = null)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        var waiting = await db
            .Imports.IgnoreQueryFilters()
            .AsNoTracking()
            .Where(i => i.Status == "queued" || i.Status == "running")
            .OrderBy(i => i.CreatedAt)
            .FirstOrDefaultAsync(stop);
        if (waiting is null)
        {
            return false;
        }

        db.PracticeId = waiting.PracticeId;

        // One worker brings a file in; its lock goes with its connection, so that another takes over from one that dies.
        await db.Database.OpenConnectionAsync(stop);
        var key = waiting.Id.ToString();
        if (await db.Database.SqlQuery<bool>($"SELECT pg_try_advisory_lock(hashtextextended({key}, 6)) AS \"Value\"").ToListAsync(stop) is not [true])
        {
            return false;
        }

        try
        {
            await RunAsync(db, waiting, between, stop);
        }
        catch (UnreadableFileException e)
        {
            await db
                .Imports.Where(i => i.Id == waiting.Id)
                .ExecuteUpdateAsync(u => u.SetProperty(i => i.Status, "failed").SetProperty(i => i.Error, e.Message), stop);
        }
        finally
        {
            await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_unlock(hashtextextended({key}, 6))", CancellationToken.None);
        }

        return true;
    }

    private async Task RunAsync(GerminalDb db, ImportRow import, Func<CancellationToken, Task>? between, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var plan = await ImportPlan.MakeAsync(db, import, now, stop);
        var zone = LocalClock.Zone(await db.Practices.Where(p => p.Id == db.PracticeId).Select(p => p.ZoneId).SingleAsync(stop)) ?? DateTimeZone.Utc;
        var done = (await db.ImportLines.Where(l => l.ImportId == import.Id).Select(l => l.Line).ToListAsync(stop)).ToHashSet();
        await db
            .Imports.Where(i => i.Id == import.Id)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.Status, "running").SetProperty(i => i.RowsInAll, plan.Rows.Count), stop);
        foreach (var chunk in plan.Rows.Where(r => !done.Contains(r.Row.Line)).Chunk(RowsAtOnce))
        {
            if (!await WriteAsync(import, chunk, zone, now, stop))
            {
                return;
            }

            await (between?.Invoke(stop) ?? Task.CompletedTask);
        }

        await db.Imports.Where(i => i.Id == import.Id).ExecuteUpdateAsync(u => u.SetProperty(i => i.Status, "done"), stop);

        // Whoever is new is looked at by the engine anyway; whoever was filled may have got a date.
        await db
            .States.Where(s =>
                s.NextAlarm > Instant.MinValue && db.ImportLines.Any(l => l.ImportId == import.Id && l.Result == "filled" && l.PersonId == s.PersonId)
            )
            .ExecuteUpdateAsync(u => u.SetProperty(s => s.NextAlarm, Instant.MinValue), stop);
    }

    /// <summary>Writes one batch; if a row of it cannot be written, each row by itself, and that one is left out with why.</summary>
    /// <returns>False when a member asked for the import to stop.</returns>
    private async Task<bool> WriteAsync(ImportRow import, IReadOnlyList<PlannedRow> rows, DateTimeZone zone, Instant now, CancellationToken stop)
    {
        try
        {
            return await WriteTogetherAsync(import, rows, zone, now, stop);
        }
        catch (Exception e) when (IsOfTheRows(e) && rows.Count > 1)
        {
            foreach (var row in rows)
            {
                if (!await WriteAsync(import, [row], zone, now, stop))
                {
                    return false;
                }
            }

            return true;
        }
        catch (Exception e) when (IsOfTheRows(e))
        {
            var why = Say($"The row could not be written: {e.InnerException?.Message ?? e.Message}");
            return await WriteTogetherAsync(
                import,
                [rows[0] with { Result = RowResult.LeftOut, PersonId = null, Fills = [], Row = rows[0].Row with { LeftOut = why } }],
                zone,
                now,
                stop
            );
        }
    }

    /// <summary>The database takes one of the rows for wrong; anything else is no fault of the file.</summary>
    private static bool IsOfTheRows(Exception e) => e is DbUpdateException or PostgresException { IsTransient: false };

    private async Task<bool> WriteTogetherAsync(ImportRow import, IReadOnlyList<PlannedRow> rows, DateTimeZone zone, Instant now, CancellationToken stop)
    {
        await using var batch = await databases.CreateDbContextAsync(stop);
        batch.PracticeId = import.PracticeId;
        await using var transaction = await batch.Database.BeginTransactionAsync(stop);
        var row = await batch.Imports.FromSql($"SELECT * FROM imports WHERE id = {import.Id} FOR UPDATE").SingleAsync(stop);
        if (row.StopAsked || row.Status != "running")
        {
            row.Status = row.Status == "running" ? "stopped" : row.Status;
            await batch.SaveChangesAsync(stop);
            await transaction.CommitAsync(stop);
            return false;
        }

        await new ImportWriter(batch, row, zone, now).WriteAsync(rows, stop);
        await batch.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return true;
    }
}

/// <summary>Writes one batch of planned rows within the caller's transaction.</summary>
internal sealed class ImportWriter(GerminalDb db, ImportRow import, DateTimeZone zone, Instant now)
{
    private readonly PeopleDesk desk = new(db, import.By, now);
    private readonly List<PersonRow> added = [];
    private readonly List<EventRow> events = [];
    private readonly List<KeyDateRow> newDates = [];
    private readonly List<ConsentRow> ledger = [];
    private readonly List<ImportLineRow> lines = [];

    public async Task WriteAsync(IReadOnlyList<PlannedRow> rows, CancellationToken stop)
    {
        var ids = rows.Where(r => r.Result == RowResult.Filled).Select(r => r.PersonId!.Value).Distinct().ToArray();
        var people = await db.People.Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        var newTags = rows.SelectMany(r => r.Row.Tags).Distinct(StringComparer.OrdinalIgnoreCase).ToList();
        await TagNames.EnsureAsync(db, newTags, stop);
        await ListNames.EnsureAsync(db, [.. rows.SelectMany(r => r.Row.Lists)], import.By, Say($"the list {import.FileName}"), now, stop);
        foreach (var given in rows)
        {
            // The person may have been on a row that could not be written.
            var orphan = given.Result == RowResult.Filled && !people.ContainsKey(given.PersonId!.Value);
            var planned = orphan
                ? given with
                {
                    Result = RowResult.LeftOut,
                    PersonId = null,
                    Fills = [],
                    Row = given.Row with { LeftOut = Said("The row it belongs with could not be written.") },
                }
                : given;
            var row = planned.Row;
            if (planned.Result == RowResult.Added)
            {
                var person = new PersonRow
                {
                    Id = planned.PersonId!.Value,
                    PracticeId = import.PracticeId,
                    AddedAt = row.Added ?? now,
                    ImportId = import.Id,
                };
                people[person.Id] = person;
                added.Add(person);
                Fill(person, row, null);
                var line = row.Line.ToString(System.Globalization.CultureInfo.InvariantCulture);
                Write(row.Line, desk.NewNote(person.Id, EventKinds.Imported, ("file", import.FileName), ("line", line)));
                if (row.Note is not null)
                {
                    Write(row.Line, desk.NewNote(person.Id, EventKinds.Remark, ("text", row.Note)));
                }
            }
            else if (planned.Result == RowResult.Filled)
            {
                Fill(people[planned.PersonId!.Value], row, planned.Fills);
            }

            lines.Add(
                new ImportLineRow
                {
                    ImportId = import.Id,
                    Line = row.Line,
                    PracticeId = import.PracticeId,
                    Fingerprint = row.Fingerprint,
                    Result = planned.Result switch
                    {
                        RowResult.Added => "added",
                        RowResult.Filled => "filled",
                        RowResult.Unchanged => "unchanged",
                        _ => "left-out",
                    },
                    PersonId = planned.PersonId,
                    Doubts = [.. row.Doubts.Select(d => d.Text), .. row.LeftOut is { } why ? new[] { why } : []],
                    FilledFields = [.. planned.Fills],
                }
            );
            import.RowsDone++;
            _ = planned.Result switch
            {
                RowResult.Added => import.Added++,
                RowResult.Filled => import.Filled++,
                RowResult.Unchanged => import.Unchanged++,
                _ => import.LeftOut++,
            };
        }

        // What is new goes in by COPY, people first; what was filled is written with the rest of the context.
        await db.CopyAsync(added, stop);
        await db.CopyAsync(newDates, stop);
        await db.CopyAsync(ledger, stop);
        await db.CopyAsync(events, stop);
        await db.CopyAsync(lines, stop);
    }

    /// <summary>The key tells the import's own lines of the log from what members did since.</summary>
    private void Write(int line, EventRow said)
    {
        said.Key = $"import/{import.Id:N}/{line}/{said.Kind}";
        events.Add(said);
    }

    /// <summary>Fills the named blanks, or with null all of them.</summary>
    private void Fill(PersonRow p, ImportedRow row, IReadOnlyList<string>? only)
    {
        bool Wants(string field) => only is null || only.Contains(field, StringComparer.OrdinalIgnoreCase);
        p.FirstName = Wants("first_name") ? row.FirstName : p.FirstName;
        p.LastName = Wants("last_name") ? row.LastName : p.LastName;
        p.Email = Wants("email") ? row.Email : p.Email;
        p.OtherEmail = Wants("other_email") ? row.OtherEmail : p.OtherEmail;
        (p.Mobile, p.MobileExtension) = Wants("mobile") ? (row.Mobile, row.MobileExtension) : (p.Mobile, p.MobileExtension);
        (p.OtherPhone, p.OtherPhoneExtension) = Wants("other_phone") ? (row.OtherPhone, row.OtherPhoneExtension) : (p.OtherPhone, p.OtherPhoneExtension);
        p.Address = Wants("address") ? row.Address : p.Address;
        p.Source = Wants("source") ? row.Source : p.Source;
        p.OwnerId = Wants("owner") ? row.OwnerId : p.OwnerId;
        if (row.DoNotContact is not null && Wants("do_not_contact"))
        {
            p.DoNotContact = true;
            p.DoNotContactReason = row.DoNotContact;
            p.DoNotContactToConfirm = row.DoNotContactToConfirm;
        }

        p.ZoneId = Wants("zone") ? row.ZoneId : p.ZoneId;
        if (row.Stage is not null && Wants("stage"))
        {
            (p.Stage, p.StageSince) = (row.Stage, now);
        }

        p.Lists = [.. p.Lists, .. row.Lists.Where(l => Wants("list:" + l) && !p.Lists.Contains(l, StringComparer.OrdinalIgnoreCase))];

        p.Tags = [.. p.Tags, .. row.Tags.Where(t => Wants("tag:" + t) && !p.Tags.Contains(t, StringComparer.OrdinalIgnoreCase))];
        var own = row.Own.Where(f => Wants(ImportField.OwnPrefix + f.Key)).ToList();
        if (own.Count > 0)
        {
            p.Custom = p.Custom.Concat(own).ToDictionary(StringComparer.OrdinalIgnoreCase);
        }

        foreach (var (name, date) in row.Dates.Where(d => Wants("date:" + d.Key)))
        {
            newDates.Add(
                new KeyDateRow
                {
                    PersonId = p.Id,
                    PracticeId = p.PracticeId,
                    Name = name,
                    Month = date.Month,
                    Day = date.Day,
                    Year = date.Year,
                    Yearly = true,
                }
            );
        }

        foreach (var (channel, said) in row.Consent.Where(c => Wants(KnownPeople.ConsentFill(ContactWords.Of(c.Key), c.Value.In))))
        {
            ledger.Add(
                new ConsentRow
                {
                    PracticeId = p.PracticeId,
                    PersonId = p.Id,
                    Channel = ContactWords.Of(channel),
                    Purpose = "commercial",
                    IsIn = said.In,
                    Basis = ContactWords.Of(said.Basis),
                    At = said.Since is { } since ? LocalClock.At(since.AtMidnight(), zone) : now,
                    Source = Say($"import, {import.FileName}, row {row.Line}"),
                    By = import.By,
                    Evidence = import.Id.ToString(),
                }
            );
            if (only is not null && !said.In)
            {
                Write(row.Line, desk.NewEvent(p.Id, new ConsentGiven(now, channel, In: false)));
            }
        }

        if (only is not null && row.DoNotContact is not null && Wants("do_not_contact"))
        {
            Write(row.Line, desk.NewEvent(p.Id, new LeftForGood(now, "do-not-contact"), ("reason", row.DoNotContact)));
        }

        PersonNames.Refresh(p);
    }
}
