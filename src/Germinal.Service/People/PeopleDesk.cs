using System.Globalization;
using System.Text.Json;
using Germinal.Core.Engine;
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
/// <param name="act">The act that events of many are part of; null for none.</param>
public sealed class PeopleDesk(GerminalDb db, string by, Instant now, Guid? act = null)
{
    /// <summary>Practice time, the moment of what this desk does.</summary>
    public Instant Now => now;

    private Guid Practice => db.PracticeId!.Value;

    /// <summary>Puts a tag on those who do not have it; for them it is an event (rule 5.1).</summary>
    /// <returns>How many it was put on.</returns>
    public async Task<int> PutTagAsync(Guid[] people, string tag, CancellationToken stop)
    {
        var name = await TagNames.SpellingAsync(db, tag, stop);
        return await ChangeAsync(TagOn(people, name), new TagPutOn(now, name), stop);
    }

    /// <summary>Takes a tag off.</summary>
    public Task<int> TakeTagAsync(Guid[] people, string tag, CancellationToken stop) =>
        ChangeAsync(TagOff(people, tag), new TagTakenOff(now, tag), stop);

    /// <summary>Moves people to a stage; those who stand in it already are no event (rule 5.1). What they left stands in the event.</summary>
    /// <param name="people">The people.</param>
    /// <param name="stage">The stage; null to leave the one they stand in for none.</param>
    /// <param name="stop">Gives up.</param>
    public Task<int> MoveStageAsync(Guid[] people, string? stage, CancellationToken stop) =>
        ChangeAsync(
            $"""
            UPDATE people p SET stage = {stage}::text, stage_since = CASE WHEN {stage}::text IS NULL THEN NULL ELSE {now} END FROM (SELECT id, stage, stage_since FROM people WHERE practice_id = {Practice} AND id = ANY({people}) FOR UPDATE) o
            WHERE p.id = o.id AND o.stage IS DISTINCT FROM {stage}::text RETURNING p.id, jsonb_build_object('left', coalesce(o.stage, ''), 'since', coalesce(o.stage_since::text, ''))
            """,
            new EnteredStage(now, stage ?? ""),
            stop
        );

    /// <summary>Puts people on a list; those who are on it already are no event.</summary>
    public async Task<int> JoinListAsync(Guid[] people, string list, CancellationToken stop)
    {
        var name = await ListNames.SpellingAsync(db, list, by, now, stop);
        return await ChangeAsync(ListOn(people, name), new JoinedList(now, name), stop);
    }

    /// <summary>Takes people off a list.</summary>
    public Task<int> LeaveListAsync(Guid[] people, string list, CancellationToken stop) =>
        ChangeAsync(ListOff(people, list), new LeftList(now, list), stop);

    /// <summary>Gives people into the hands of a member; whom they were with stands in the event.</summary>
    /// <param name="people">The people.</param>
    /// <param name="owner">A member of the practice.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<int> GiveToAsync(Guid[] people, Guid owner, CancellationToken stop)
    {
        var name = await db.Users.Where(u => u.Id == owner).Select(u => u.Name).SingleAsync(stop);
        return await ChangeAsync(
            $"""
            UPDATE people p SET owner_id = {owner} FROM (SELECT id, owner_id FROM people WHERE practice_id = {Practice} AND id = ANY({people}) FOR UPDATE) o
            WHERE p.id = o.id AND o.owner_id IS DISTINCT FROM {owner} RETURNING p.id, jsonb_build_object('left', coalesce(o.owner_id::text, ''))
            """,
            EventKinds.Of(new GivenToOwner(now, owner)).With(("name", name)),
            stop
        );
    }

    /// <summary>Asks for a program to be started; whether it starts is the engine's to say.</summary>
    public Task<int> StartProgramAsync(Guid[] people, Guid program, bool bySwitchingOn, CancellationToken stop) =>
        ChangeAsync(Everybody(people), new StartedByHand(now, program, by, bySwitchingOn), stop);

    /// <summary>
    /// Sets the facts back where they are still as an act left them. For the engine they have changed, and each of these people's
    /// threads says how.
    /// </summary>
    /// <returns>For how many.</returns>
    internal Task<int> TakeBackAsync(ActRow act, Guid[] people, CancellationToken stop) =>
        ChangeAsync(
            Acts.KindOf(act) switch
            {
                ActKind.Tag => TagOff(people, act.What),
                ActKind.Untag => TagOn(people, act.What),
                ActKind.Join => ListOff(people, act.What),
                ActKind.Leave => ListOn(people, act.What),
                ActKind.Stage => $"""
                    UPDATE people p SET stage = nullif(e.data ->> 'left', ''), stage_since = (nullif(e.data ->> 'since', ''))::timestamptz FROM events e
                    WHERE e.act_id = {act.Id} AND e.person_id = p.id AND p.stage = {act.What} RETURNING p.id, NULL::jsonb
                    """,
                ActKind.Owner => $"""
                    UPDATE people p SET owner_id = (nullif(e.data ->> 'left', ''))::uuid FROM events e
                    WHERE e.act_id = {act.Id} AND e.person_id = p.id AND p.owner_id = {Guid.Parse(act.What)} RETURNING p.id, NULL::jsonb
                    """,
                _ => Everybody(people),
            },
            (EventKinds.Undone, new() { ["act"] = act.Kind, ["what"] = act.What }),
            stop
        );

    // The changes themselves, each giving back those it was something new for, whoever makes them and why.
    private FormattableString TagOn(Guid[] people, string tag) =>
        $"UPDATE people SET tags = array_append(tags, {tag}) WHERE practice_id = {Practice} AND id = ANY({people}) AND NOT tags @> ARRAY[{tag}] RETURNING id, NULL::jsonb";

    private FormattableString TagOff(Guid[] people, string tag) =>
        $"UPDATE people SET tags = array_remove(tags, {tag}) WHERE practice_id = {Practice} AND id = ANY({people}) AND tags @> ARRAY[{tag}] RETURNING id, NULL::jsonb";

    private FormattableString ListOn(Guid[] people, string list) =>
        $"""
        UPDATE people SET lists = array_append(lists, {list}) WHERE practice_id = {Practice} AND id = ANY({people})
        AND NOT EXISTS (SELECT 1 FROM unnest(lists) l WHERE lower(l) = lower({list})) RETURNING id, NULL::jsonb
        """;

    private FormattableString ListOff(Guid[] people, string list) =>
        $"""
        UPDATE people SET lists = (SELECT coalesce(array_agg(l), ARRAY[]::text[]) FROM unnest(lists) l WHERE lower(l) <> lower({list})) WHERE practice_id = {Practice} AND id = ANY({people})
        AND EXISTS (SELECT 1 FROM unnest(lists) l WHERE lower(l) = lower({list})) RETURNING id, NULL::jsonb
        """;

    private FormattableString Everybody(Guid[] people) => $"SELECT id, NULL::jsonb FROM people WHERE practice_id = {Practice} AND id = ANY({people})";

    /// <summary>Writes that something happened to one person, with words for people beside it.</summary>
    public async Task RecordAsync(Guid person, Happening happening, CancellationToken stop, params (string Key, string Value)[] words)
    {
        db.Events.Add(NewEvent(person, happening, words));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>An event of something that happened, saved together with the caller's other changes; with words for people beside it.</summary>
    public EventRow NewEvent(Guid person, Happening happening, params (string Key, string Value)[] words) =>
        Row(person, happening.At, EventKinds.Of(happening).With(words), handledAt: null);

    /// <summary>A line of the log that only people read, saved together with the caller's other changes.</summary>
    /// <exception cref="ArgumentException">The engine reads events of this kind.</exception>
    public EventRow NewNote(Guid person, string kind, params (string Key, string Value)[] words) =>
        EventKinds.IsForReadingOnly(kind)
            ? Row(person, now, (kind, words.ToDictionary(w => w.Key, w => w.Value)), now)
            : throw new ArgumentException($"The engine reads “{kind}”: it is written from what happened.", nameof(kind));

    /// <summary>The line that says who somebody lives with or is to another, and that the engine is to look at them anew.</summary>
    /// <param name="person">In whose thread it stands.</param>
    /// <param name="other">Whom it names: it goes when they are erased.</param>
    /// <param name="words">What it says.</param>
    public EventRow[] NewCircleLines(Guid person, Guid other, string words) =>
        [NewNote(person, EventKinds.Circle, ("text", words), ("other", other.ToString())), NewEvent(person, new FactsChanged(now))];

    /// <summary>The line of something that was taken back; the engine looks at the person anew.</summary>
    /// <param name="person">Whom it was about.</param>
    /// <param name="what">What it was, in words.</param>
    public EventRow NewTakenBack(Guid person, string what) => Row(person, now, (EventKinds.Undone, new() { ["what"] = what }), handledAt: null);

    private EventRow Row(Guid person, Instant at, (string Kind, Dictionary<string, string> Data) line, Instant? handledAt) =>
        new()
        {
            PracticeId = Practice,
            PersonId = person,
            At = at,
            Kind = line.Kind,
            Data = line.Data,
            By = by,
            HandledAt = handledAt,
        };

    /// <summary>Adds an entry to the ledger, with its event.</summary>
    /// <returns>The event, by which it can be taken back.</returns>
    public async Task<long> AddConsentAsync(
        Guid person,
        string channel,
        string? purpose,
        string? topic,
        bool isIn,
        string basis,
        string source,
        string? reason,
        CancellationToken stop,
        string? evidence = null
    )
    {
        var entry = new ConsentRow
        {
            Id = await db.NextConsentIdAsync(stop),
            PracticeId = Practice,
            PersonId = person,
            Channel = channel,
            Purpose = purpose,
            Topic = topic,
            IsIn = isIn,
            Basis = basis,
            At = now,
            Source = source,
            Reason = reason,
            By = by,
            Evidence = evidence,
        };
        db.Consent.Add(entry);
        var happened = NewEvent(
            person,
            new ConsentGiven(now, Words.ChannelOf(channel), isIn, Everything: purpose is null),
            ("source", source),
            ("entry", entry.Id.ToString(CultureInfo.InvariantCulture))
        );
        db.Events.Add(happened);
        await db.SaveStepAsync(stop);
        return happened.Id;
    }

    /// <summary>Runs a set-based change and writes an event for each person it gave back, in one statement.</summary>
    /// <param name="change">SQL that gives back each person's id and what else their event says (jsonb, or null).</param>
    /// <param name="happened">What happened to each of them.</param>
    /// <param name="stop">Gives up.</param>
    private Task<int> ChangeAsync(FormattableString change, Happening happened, CancellationToken stop) =>
        ChangeAsync(change, EventKinds.Of(happened), stop);

    private async Task<int> ChangeAsync(FormattableString change, (string Kind, Dictionary<string, string> Data) line, CancellationToken stop)
    {
        var (kind, data) = line;
        var arguments = change.GetArguments().ToList();
        string Place(object? value)
        {
            arguments.Add(value);
            return $"{{{arguments.Count - 1}}}";
        }

        var sql = $"""
            WITH changed(id, more) AS ({change.Format})
            INSERT INTO events (practice_id, person_id, at, act_id, kind, data, by)
            SELECT {Place(Practice)}, id, {Place(now)}, {Place(act)}::uuid, {Place(kind)}, {Place(JsonSerializer.Serialize(data))}::jsonb || coalesce(more, {Place("{}")}::jsonb), {Place(by)} FROM changed
            """;
        return await db.Database.ExecuteSqlRawAsync(sql, arguments.Select(a => a!), stop);
    }
}
