using System.Text.Json;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>
/// What a member does to people. Each change and its event are written in one transaction; the reactor takes it from there.
/// All of it works on many people at once.
/// </summary>
/// <param name="db">A context of the member's practice.</param>
/// <param name="by">The member's name.</param>
/// <param name="now">Practice time.</param>
public sealed class PeopleDesk(GerminalDb db, string by, Instant now)
{
    private Guid Practice => db.PracticeId!.Value;

    /// <summary>Puts a tag on those who do not have it; for them it is an event (rule 5.1).</summary>
    /// <returns>How many it was put on.</returns>
    public async Task<int> PutTagAsync(Guid[] people, string tag, CancellationToken stop)
    {
        var name = await TagNames.SpellingAsync(db, tag, stop);
        return await ChangeAsync(
            $"UPDATE people SET tags = array_append(tags, {name}) WHERE practice_id = {Practice} AND id = ANY({people}) AND NOT tags @> ARRAY[{name}] RETURNING id",
            EventKinds.TagAdded, new() { ["tag"] = name }, stop);
    }

    /// <summary>Takes a tag off.</summary>
    public Task<int> TakeTagAsync(Guid[] people, string tag, CancellationToken stop) => ChangeAsync(
        $"UPDATE people SET tags = array_remove(tags, {tag}) WHERE practice_id = {Practice} AND id = ANY({people}) AND tags @> ARRAY[{tag}] RETURNING id",
        EventKinds.TagRemoved, new() { ["tag"] = tag }, stop);

    /// <summary>Moves people to a stage; those who stand in it already are no event (rule 5.1).</summary>
    public Task<int> MoveStageAsync(Guid[] people, string stage, CancellationToken stop) => ChangeAsync(
        $"UPDATE people SET stage = {stage}, stage_since = {now} WHERE practice_id = {Practice} AND id = ANY({people}) AND stage IS DISTINCT FROM {stage} RETURNING id",
        EventKinds.StageEntered, new() { ["stage"] = stage }, stop);

    /// <summary>Asks for a program to be started; whether it starts is the engine's to say.</summary>
    public Task<int> StartProgramAsync(Guid[] people, Guid program, bool bySwitchingOn, CancellationToken stop) => ChangeAsync(
        $"SELECT id FROM people WHERE practice_id = {Practice} AND id = ANY({people})",
        EventKinds.Start, new() { ["program"] = program.ToString(), ["how"] = bySwitchingOn ? "switched-on" : "hand" }, stop);

    /// <summary>Writes an event about one person.</summary>
    public async Task RecordAsync(Guid person, string kind, Dictionary<string, string> data, CancellationToken stop)
    {
        db.Events.Add(NewEvent(person, kind, data));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>An event that is saved together with the caller's other changes.</summary>
    public EventRow NewEvent(Guid person, string kind, Dictionary<string, string> data) => new()
    {
        PracticeId = Practice, PersonId = person, At = now, Kind = kind, Data = data, By = by, HandledAt = EventKinds.IsForReadingOnly(kind) ? now : null,
    };

    /// <summary>Adds an entry to the ledger, with its event.</summary>
    public async Task AddConsentAsync(Guid person, string channel, string? purpose, string? topic, bool isIn, string basis, string source, string? reason, CancellationToken stop)
    {
        db.Consent.Add(new ConsentRow { PracticeId = Practice, PersonId = person, Channel = channel, Purpose = purpose, Topic = topic, IsIn = isIn, Basis = basis, At = now, Source = source, Reason = reason, By = by });
        db.Events.Add(NewEvent(person, isIn ? EventKinds.OptedIn : EventKinds.OptedOut, new() { ["channel"] = channel, ["source"] = source }));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Runs a set-based change and writes an event for each person it gave back, in one transaction.</summary>
    private async Task<int> ChangeAsync(FormattableString change, string kind, Dictionary<string, string> data, CancellationToken stop)
    {
        await using var transaction = db.Database.CurrentTransaction is null ? await db.Database.BeginTransactionAsync(stop) : null;
        var sql = change.Format.Replace("RETURNING id", "RETURNING id AS \"Value\"", StringComparison.Ordinal).Replace("SELECT id FROM", "SELECT id AS \"Value\" FROM", StringComparison.Ordinal);
        var ids = (await db.Database.SqlQueryRaw<Guid>(sql, [.. change.GetArguments().Select(a => a!)]).ToListAsync(stop)).ToArray();
        var json = JsonSerializer.Serialize(data);
        var handled = EventKinds.IsForReadingOnly(kind) ? now : (Instant?)null;
        await db.Database.ExecuteSqlAsync(
            $"INSERT INTO events (practice_id, person_id, at, kind, data, by, handled_at) SELECT {Practice}, id, {now}, {kind}, {json}::jsonb, {by}, {handled} FROM unnest({ids}) AS t(id)",
            stop);
        if (transaction is not null)
        {
            await transaction.CommitAsync(stop);
        }

        return ids.Length;
    }
}
