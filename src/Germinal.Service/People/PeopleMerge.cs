using System.Text.Json;
using System.Text.Json.Serialization;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Serialization.SystemTextJson;

namespace Germinal.Service.People;

/// <summary>What a merge would do, in figures and words.</summary>
/// <param name="Moves">How many of each thing move, by name.</param>
/// <param name="Choices">What they differ in, with a choice made already.</param>
/// <param name="Stops">Programs both are in: the run of the one that goes is stopped.</param>
/// <param name="Warnings">What a member should know.</param>
public sealed record MergePreview(
    IReadOnlyDictionary<string, int> Moves,
    IReadOnlyList<MergeChoice> Choices,
    IReadOnlyList<string> Stops,
    IReadOnlyList<string> Warnings
);

/// <summary>
/// Two people that are one (rule 6.2): runs, history and consent move to the one that is kept, the stricter consent wins, and
/// the other is archived. It can be taken back as long as nothing has happened to the one kept since.
/// </summary>
public sealed class PeopleMerge(GerminalDb db, TouchEngine engine, PeopleDesk desk, Instant now, string by)
{
    // What moves, the column that names each row, and the one that names the person.
    private static readonly (string Table, string Id, string Person)[] Tables =
    [
        ("touches", "id", "person_id"),
        ("runs", "id", "person_id"),
        ("messages", "touch_id", "person_id"),
        ("events", "id", "person_id"),
        ("visits", "id", "person_id"),
        ("received", "id", "person_id"),
        ("notices", "id", "person_id"),
        ("consent", "id", "person_id"),
        ("refusals", "id", "person_id"),
        ("opportunities", "id", "person_id"),
        ("appointments", "id", "person_id"),
        ("inquiries", "id", "person_id"),
        ("tasks", "id", "person_id"),
        ("own_words", "touch_id", "person_id"),
        ("submissions", "id", "person_id"),
        ("own_mails", "id", "person_id"),
        ("film_views", "id", "person_id"),
        ("posts", "id", "person_id"),
        ("journal", "id", "concerns_id"),
        ("touches", "id", "reader_id"),
        ("messages", "touch_id", "about_id"),
    ];

    private static string MovedKey(string table, string person) => person == "person_id" ? table : $"{table}.{person}";

    // A relation has two people; that of the two to each other ends with being one.
    private static readonly (string Mine, string Other)[] Sides = [("person_id", "other_id"), ("other_id", "person_id")];

    private static readonly JsonSerializerOptions Json = new JsonSerializerOptions(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter() },
    }.ConfigureForNodaTime(DateTimeZoneProviders.Tzdb);

    private sealed record Before(
        PersonRow Kept,
        PersonRow Merged,
        string KeptState,
        string MergedState,
        string StateAfter,
        Dictionary<string, string[]> Moved,
        string[] MovedDates,
        long[] AddedConsent,
        RunState[] StoppedRuns,
        KeyDateRow[]? ReplacedDates = null
    );

    /// <summary>What merging would do; nothing is changed.</summary>
    public async Task<MergePreview> PreviewAsync(PersonRow kept, PersonRow merged, CancellationToken stop)
    {
        var moves = new Dictionary<string, int>
        {
            ["messages"] = await db.Messages.CountAsync(m => m.PersonId == merged.Id, stop),
            [Said("programs under way")] = await db.Runs.CountAsync(r => r.PersonId == merged.Id && r.EndedAt == null, stop),
            ["touches"] = await db.Touches.CountAsync(t => t.PersonId == merged.Id, stop),
            [Said("consent entries")] = await db.Consent.CountAsync(c => c.PersonId == merged.Id, stop),
            ["opportunities"] = await db.Opportunities.CountAsync(o => o.PersonId == merged.Id, stop),
        };
        var both = await db
            .Runs.Where(r =>
                r.PersonId == merged.Id && r.EndedAt == null && db.Runs.Any(k => k.PersonId == kept.Id && k.ProgramId == r.ProgramId && k.EndedAt == null)
            )
            .Join(db.ProgramsAndBroadcasts, r => r.ProgramId, p => p.Id, (r, p) => p.Name)
            .Distinct()
            .ToListAsync(stop);
        var warnings = new List<string>();
        if (kept.Email is not null && merged.Email is not null && kept.Email != merged.Email)
        {
            warnings.Add(Said("The address that is not taken is kept as their other one."));
        }

        if (kept.Mobile is not null && merged.Mobile is not null && kept.Mobile != merged.Mobile)
        {
            warnings.Add(Said("The number that is not taken is kept as their other one."));
        }

        if (merged.DoNotContact && !kept.DoNotContact)
        {
            warnings.Add(Said("The other is marked “do not contact”; so will this person be."));
        }

        return new MergePreview(moves, await ChoicesAsync(kept, merged, stop), both, warnings);
    }

    private async Task<List<MergeChoice>> ChoicesAsync(PersonRow kept, PersonRow merged, CancellationToken stop)
    {
        var members = engine.Practice.Members.ToDictionary(m => m.Id.ToString(), m => m.Name);
        string? Shown(MergedField field, PersonRow p) =>
            field.Value(p) is not { Length: > 0 } value ? null
            : field.Key == MergedField.Owner ? members.GetValueOrDefault(value, Said("somebody who has left"))
            : field.Key == MergedField.Stage ? Why.StageName(value)
            : value;
        var choices = new List<MergeChoice>();
        foreach (var field in MergedField.All)
        {
            if (field.Choose(kept, merged, engine.Practice.Pipelines) is { } choice)
            {
                choices.Add(new MergeChoice(field.Key, Said(field.Label), Shown(field, kept), Shown(field, merged), choice.TakesOther, choice.Why));
            }
        }

        foreach (var (mine, theirs) in await DatesOfBothAsync(kept.Id, merged.Id, stop))
        {
            var (takesOther, why) = MergedDates.Choose(mine, theirs);
            choices.Add(
                new MergeChoice(MergedDates.Prefix + mine.Name, mine.Name, MergedDates.Words(mine), MergedDates.Words(theirs), takesOther, why)
            );
        }

        return choices;
    }

    /// <summary>Key dates both have by the same name, with different days.</summary>
    private async Task<List<(KeyDateRow Mine, KeyDateRow Theirs)>> DatesOfBothAsync(Guid kept, Guid merged, CancellationToken stop)
    {
        var dates = await db.KeyDates.AsNoTracking().Where(d => d.PersonId == kept || d.PersonId == merged).OrderBy(d => d.Name).ToListAsync(stop);
        return
        [
            .. dates
                .Where(d => d.PersonId == kept)
                .Join(dates.Where(d => d.PersonId == merged), d => d.Name, d => d.Name, (mine, theirs) => (mine, theirs))
                .Where(d => MergedDates.Words(d.mine) != MergedDates.Words(d.theirs)),
        ];
    }

    /// <summary>Merges. The caller has begun a transaction and commits it.</summary>
    /// <param name="kept">The one that is kept.</param>
    /// <param name="merged">The one that goes.</param>
    /// <param name="fromOther">Keys of the fields whose value is taken from the one that goes; null for the choices already made.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<MergeRow> MergeAsync(PersonRow kept, PersonRow merged, IReadOnlySet<string>? fromOther, CancellationToken stop)
    {
        fromOther ??= (await ChoicesAsync(kept, merged, stop)).Where(c => c.TakesOther).Select(c => c.Key).ToHashSet(StringComparer.Ordinal);
        var mergeId = Guid.CreateVersion7();
        var pair = new[] { kept.Id, merged.Id };
        await db.Database.ExecuteSqlAsync($"SELECT 1 FROM person_states WHERE person_id = ANY({pair}) ORDER BY person_id FOR UPDATE", stop);
        var states = await db.States.AsNoTracking().Where(s => pair.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        var (keptJson, mergedJson) = (JsonSerializer.Serialize(kept, Json), JsonSerializer.Serialize(merged, Json));
        var (keptState, mergedState) = (states[kept.Id].State, states[merged.Id].State);
        var facts = await FactsReading.LoadAsync(db, pair, stop);

        var moved = new Dictionary<string, string[]>();
        foreach (var (table, id, person) in Tables)
        {
#pragma warning disable EF1002 // Table and column names are the constants above.
            moved[MovedKey(table, person)] =
            [
                .. await db
                    .Database.SqlQueryRaw<string>(
                        $"UPDATE {table} SET {person} = {{0}} WHERE {person} = {{1}} RETURNING {id}::text AS \"Value\"",
                        kept.Id,
                        merged.Id
                    )
                    .ToListAsync(stop),
            ];
#pragma warning restore EF1002
        }

        foreach (var (mine, other) in Sides)
        {
#pragma warning disable EF1002 // Column names are the constants above.
            moved["relations." + mine] =
            [
                .. await db
                    .Database.SqlQueryRaw<string>(
                        $$"""
                        UPDATE relations r SET {{mine}} = {0} WHERE {{mine}} = {1} AND {{other}} <> {0}
                        AND NOT EXISTS (SELECT 1 FROM relations k WHERE k.person_id IN ({0}, r.{{other}}) AND k.other_id IN ({0}, r.{{other}}) AND lower(k.role) = lower(r.role))
                        RETURNING r.id::text AS "Value"
                        """,
                        kept.Id,
                        merged.Id
                    )
                    .ToListAsync(stop),
            ];
#pragma warning restore EF1002
        }

        var replaced = (await DatesOfBothAsync(kept.Id, merged.Id, stop))
            .Select(d => d.Mine)
            .Where(d => fromOther.Contains(MergedDates.Prefix + d.Name))
            .ToArray();
        var given = replaced.Select(d => d.Name).ToArray();
        await db.KeyDates.Where(d => d.PersonId == kept.Id && given.Contains(d.Name)).ExecuteDeleteAsync(stop);

        var dates = await db
            .Database.SqlQuery<string>(
                $"""
                UPDATE key_dates d SET person_id = {kept.Id} WHERE person_id = {merged.Id} AND NOT EXISTS (SELECT 1 FROM key_dates k WHERE k.person_id = {kept.Id} AND k.name = d.name)
                RETURNING d.name AS "Value"
                """
            )
            .ToListAsync(stop);
        var added = await KeepStricterAsync(kept.Id, facts[kept.Id], facts[merged.Id], stop);
        var joined = Merging.Join(PersonStateJson.Read(keptState), PersonStateJson.Read(mergedState), now);
        Join(kept, merged, fromOther);
        merged.Archived = true;
        db.Events.Add(desk.NewEvent(kept.Id, new FactsChanged(now)));
        db.Events.Add(desk.NewNote(kept.Id, EventKinds.Merged, ("name", facts[merged.Id].Name), ("merge", mergeId.ToString())));
        db.Events.Add(desk.NewEvent(merged.Id, new LeftForGood(now, "merged"), ("into", kept.Id.ToString())));
        var recorder = new Recorder(db, engine);
        recorder.TakeWhole(states[kept.Id], joined.Kept, joined.Effects, now);
        recorder.TakeWhole(states[merged.Id], PersonState.Empty, [], Instant.MaxValue);
        var before = new Before(
            JsonSerializer.Deserialize<PersonRow>(keptJson, Json)!,
            JsonSerializer.Deserialize<PersonRow>(mergedJson, Json)!,
            keptState,
            mergedState,
            states[kept.Id].State,
            moved,
            [.. dates],
            added,
            [.. joined.Stopped],
            replaced
        );
        var row = new MergeRow
        {
            Id = mergeId,
            PracticeId = db.PracticeId!.Value,
            KeptId = kept.Id,
            MergedId = merged.Id,
            At = now,
            By = by,
            Before = JsonSerializer.Serialize(before, Json),
        };
        db.Merges.Add(row);
        await recorder.WriteAsync(Instant.MinValue, stop);
        return row;
    }

    private static void Join(PersonRow kept, PersonRow merged, IReadOnlySet<string> fromOther)
    {
        string?[] emails = [kept.Email, merged.Email, kept.OtherEmail, merged.OtherEmail];
        (string? Number, string? Extension)[] phones =
        [
            (kept.Mobile, kept.MobileExtension),
            (merged.Mobile, merged.MobileExtension),
            (kept.OtherPhone, kept.OtherPhoneExtension),
            (merged.OtherPhone, merged.OtherPhoneExtension),
        ];
        foreach (var field in MergedField.All.Where(f => fromOther.Contains(f.Key)))
        {
            field.Copy(merged, kept);
        }

        // What was not chosen stays their other address and number.
        kept.OtherEmail = emails.FirstOrDefault(e => e is not null && !string.Equals(e, kept.Email, StringComparison.OrdinalIgnoreCase));
        (kept.OtherPhone, kept.OtherPhoneExtension) = phones.FirstOrDefault(p => p.Number is not null && p.Number != kept.Mobile);
        kept.Tags = [.. kept.Tags.Union(merged.Tags, StringComparer.OrdinalIgnoreCase)];
        kept.Lists = [.. kept.Lists.Union(merged.Lists, StringComparer.OrdinalIgnoreCase)];
        kept.Custom = merged.Custom.Concat(kept.Custom).GroupBy(c => c.Key, StringComparer.OrdinalIgnoreCase).ToDictionary(g => g.Key, g => g.Last().Value);
        kept.DoNotContactUntil = StricterEnd(kept, merged);
        kept.DoNotContact |= merged.DoNotContact;
        kept.DoNotContactReason ??= merged.DoNotContactReason;
        kept.Died |= merged.Died;
        kept.HouseholdId ??= merged.HouseholdId;
        merged.HouseholdId = null;
        kept.AddedAt = Instant.Min(kept.AddedAt, merged.AddedAt);
        PersonNames.Refresh(kept);
        kept.Edition++;
    }

    /// <summary>Until when neither is to be contacted: the later of two dates, and no date at all where one of them is for good.</summary>
    private static LocalDate? StricterEnd(PersonRow kept, PersonRow merged)
    {
        var ends = new[] { kept, merged }.Where(p => p.DoNotContact).Select(p => p.DoNotContactUntil).ToList();
        return ends.Count == 0 || ends.Contains(null) ? null : ends.Max();
    }

    /// <summary>Where one of the two had said no, a no stands at the end of the joined ledger, whatever is newer in it.</summary>
    private async Task<long[]> KeepStricterAsync(Guid kept, PersonFacts a, PersonFacts b, CancellationToken stop)
    {
        var rows = new List<ConsentRow>();
        foreach (var channel in Enum.GetValues<Channel>())
        {
            var topics = a.Consent.Concat(b.Consent).Where(c => c.Channel == channel).Select(c => c.Topic).Append(null).Distinct();
            foreach (var topic in topics)
            {
                foreach (var purpose in new[] { Purpose.Commercial, Purpose.Transactional })
                {
                    bool SaidNo(PersonFacts p) =>
                        ConsentLedger.Read(p.Consent, engine.Practice.Consent, channel, purpose, topic, now, engine.Practice.Zone).Verdict
                        == ConsentVerdict.Withdrawn;
                    if (SaidNo(a) != SaidNo(b))
                    {
                        rows.Add(
                            new ConsentRow
                            {
                                PracticeId = db.PracticeId!.Value,
                                PersonId = kept,
                                Channel = ContactWords.Of(channel),
                                Purpose = ContactWords.Of(purpose),
                                Topic = topic,
                                IsIn = false,
                                At = now,
                                Source = Said("one of two people that were merged had said no"),
                                By = by,
                            }
                        );
                    }
                }
            }
        }

        db.Consent.AddRange(rows);
        await db.SaveChangesAsync(stop);
        return [.. rows.Select(r => r.Id)];
    }

    /// <summary>Takes a merge back. The caller has begun a transaction and commits it.</summary>
    /// <returns>Why it cannot be taken back; null when it was.</returns>
    public async Task<string?> UndoAsync(MergeRow merge, CancellationToken stop)
    {
        var before = JsonSerializer.Deserialize<Before>(merge.Before, Json)!;
        var pair = new[] { merge.KeptId, merge.MergedId };
        await db.Database.ExecuteSqlAsync($"SELECT 1 FROM person_states WHERE person_id = ANY({pair}) ORDER BY person_id FOR UPDATE", stop);
        var states = await db.States.AsNoTracking().Where(s => pair.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        if (
            PersonStateJson.Read(states[merge.KeptId].State) is var standing
            && PersonStateJson.Write(standing) != PersonStateJson.Write(PersonStateJson.Read(before.StateAfter))
        )
        {
            return Said("Since then something has happened to this person: a message went, a program started or stopped. Taking the merge back could send things twice, so it stays.");
        }

        foreach (var (table, id, person) in Tables.Where(t => before.Moved.ContainsKey(MovedKey(t.Table, t.Person))))
        {
#pragma warning disable EF1002
            await db.Database.ExecuteSqlRawAsync(
                $"UPDATE {table} SET {person} = {{0}} WHERE {person} = {{1}} AND {id}::text = ANY({{2}})",
                [merge.MergedId, merge.KeptId, before.Moved[MovedKey(table, person)]],
                stop
            );
#pragma warning restore EF1002
        }

        foreach (var (mine, _) in Sides.Where(s => before.Moved.ContainsKey("relations." + s.Mine)))
        {
#pragma warning disable EF1002
            await db.Database.ExecuteSqlRawAsync(
                $"UPDATE relations SET {mine} = {{0}} WHERE {mine} = {{1}} AND id::text = ANY({{2}})",
                [merge.MergedId, merge.KeptId, before.Moved["relations." + mine]],
                stop
            );
#pragma warning restore EF1002
        }

        await db
            .KeyDates.Where(d => d.PersonId == merge.KeptId && before.MovedDates.Contains(d.Name))
            .ExecuteUpdateAsync(u => u.SetProperty(d => d.PersonId, merge.MergedId), stop);
        db.KeyDates.AddRange(before.ReplacedDates ?? []);
        await db.Consent.Where(c => before.AddedConsent.Contains(c.Id)).ExecuteDeleteAsync(stop);
        var recorder = new Recorder(db, engine);
        foreach (var (old, state) in new[] { (before.Kept, before.KeptState), (before.Merged, before.MergedState) })
        {
            var row = await db.People.SingleAsync(p => p.Id == old.Id, stop);
            foreach (var field in MergedField.All)
            {
                field.Copy(old, row);
            }

            (row.OtherEmail, row.OtherPhone, row.OtherPhoneExtension) = (old.OtherEmail, old.OtherPhone, old.OtherPhoneExtension);
            (row.Tags, row.Lists, row.Custom, row.DoNotContact, row.DoNotContactReason, row.DoNotContactUntil, row.Died, row.Archived, row.AddedAt) = (
                old.Tags,
                old.Lists,
                old.Custom,
                old.DoNotContact,
                old.DoNotContactReason,
                old.DoNotContactUntil,
                old.Died,
                old.Archived,
                old.AddedAt
            );
            row.HouseholdId = await db.Households.AnyAsync(h => h.Id == old.HouseholdId, stop) ? old.HouseholdId : null;
            row.Edition++;
            PersonNames.Refresh(row);
            recorder.TakeWhole(states[old.Id], PersonStateJson.Read(state), old.Id == merge.MergedId ? Merging.Part(before.StoppedRuns) : [], now);
            db.Events.Add(desk.NewEvent(old.Id, new FactsChanged(now)));
        }

        merge.UndoneAt = now;
        await recorder.WriteAsync(Instant.MinValue, stop);
        return null;
    }
}
