using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Carries out the engine's effects on the database, for a batch of people in one transaction: new rows, changed
/// touches, and what lists of people sort by. Sending is the dispatcher's.
/// </summary>
public sealed class Recorder(GerminalDb db, TouchEngine engine)
{
    /// <summary>How far ahead the next alarm is looked for; somebody without one is looked at again then.</summary>
    private static readonly Duration AlarmsAhead = Duration.FromDays(400);

    private readonly List<(Guid Person, Effect Effect)> effects = [];
    private readonly Dictionary<Guid, int> versions = [];
    private readonly Dictionary<Guid, PersonStateRow> states = [];
    private readonly Dictionary<Guid, TouchRow> knownTouches = [];
    private readonly HashSet<Guid> replanned = [];
    private readonly HashSet<Guid> checkedAnew = [];
    private readonly List<EventRow> log = [];
    private readonly List<RefusalRow> refusals = [];
    private readonly List<RunRow> newRuns = [];
    private readonly List<TouchRow> newTouches = [];
    private readonly List<MessageRow> messages = [];
    private readonly List<Guid> unplanned = [];

    private Guid Practice => db.PracticeId!.Value;

    /// <summary>Takes in one answer of the engine for a person whose state row is locked.</summary>
    public void Take(PersonStateRow row, Advance advance)
    {
        Remember(row, advance.State, advance.Effects);
        row.NextDue = advance.State.NextDue(engine.Shelf) ?? Instant.MaxValue;
        SetAlarm(row, advance);
    }

    /// <summary>When the calendar brings something next for the person as they stand now.</summary>
    public void SetAlarm(PersonStateRow row, Advance advance)
    {
        // Here, because everybody comes by here when a program is paused or resumed, which their state says nothing of.
        SetNextTouch(row, advance.State);
        if (row.AlarmsFrom == Instant.MinValue)
        {
            // Nobody has taken in the calendar for this person yet; the reactor will.
            return;
        }

        var until = row.AlarmsFrom + AlarmsAhead;
        var alarms = Alarms.Next(engine, advance.Person, advance.State, row.AlarmsFrom, until);
        row.NextAlarm = alarms.Count > 0 ? alarms[0].At : until;
    }

    /// <summary>
    /// Takes in the memory a person has after two were made one or parted again: everything due or to come is looked at anew,
    /// at <paramref name="now"/>.
    /// </summary>
    public void TakeWhole(PersonStateRow row, PersonState state, IEnumerable<Effect> done, Instant now)
    {
        Remember(row, state, done);
        SetNextTouch(row, state);
        (row.NextDue, row.NextAlarm) = (now, Instant.MinValue);
    }

    private void Remember(PersonStateRow row, PersonState state, IEnumerable<Effect> done)
    {
        row.State = PersonStateJson.Write(state);
        (row.LastTouchAt, row.LastReplyAt) = (state.LastTouch ?? Instant.MinValue, state.LastReply);
        effects.AddRange(done.Select(e => (row.PersonId, e)));
    }

    private void SetNextTouch(PersonStateRow row, PersonState state)
    {
        states[row.PersonId] = row;
        row.NextTouchAt = state.NextTouch(engine.Shelf) ?? Instant.MaxValue;
    }

    /// <summary>Writes what the calendar brought, or a program changed, into the log, handled already.</summary>
    public void Log(Guid person, Happening happening)
    {
        // That a new day began is no news to anybody.
        if (happening is not NewDay)
        {
            var (kind, data) = EventKinds.Of(happening);
            log.Add(
                new EventRow
                {
                    PracticeId = Practice,
                    PersonId = person,
                    At = happening.At,
                    Kind = kind,
                    Data = data,
                    HandledAt = happening.At,
                }
            );
        }
    }

    /// <summary>Rows of touches that nobody has changed since they were read; they are not read again.</summary>
    public void Know(IEnumerable<TouchRow> touches)
    {
        foreach (var touch in touches)
        {
            knownTouches[touch.Id] = touch;
        }
    }

    /// <summary>Keeps a message as it went.</summary>
    public void Keep(MessageRow message) => messages.Add(message);

    /// <summary>Notes a start that came too late to happen (rule 4.3), so that it is counted.</summary>
    public void Missed(Guid person, Guid programId, Instant at, StartCause cause) =>
        effects.Add((person, new StartRefused(programId, at, Reason.TooLate.Word(), cause)));

    /// <summary>Takes in the answer to a move of runs to another version (rule 13.1): their rows follow.</summary>
    public void TakeMoved(PersonStateRow row, Advance advance, Guid programId)
    {
        foreach (var run in advance.State.Runs.Where(r => r.ProgramId == programId))
        {
            versions[run.Id] = run.Version;
        }

        Take(row, advance);
    }

    /// <summary>Writes everything taken in. The caller commits.</summary>
    /// <param name="leaseUntil">Machine time until which this worker holds the touches it hands over.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The touches that are now to be handed to their channel.</returns>
    public async Task<IReadOnlyList<TouchRow>> WriteAsync(Instant leaseUntil, CancellationToken stop)
    {
        var changed = effects.Select(e => TouchOf(e.Effect)).OfType<Guid>().Distinct().ToList();
        var touches = changed.Where(knownTouches.ContainsKey).ToDictionary(id => id, id => knownTouches[id]);
        var unread = changed.Where(id => !touches.ContainsKey(id)).ToList();
        if (unread.Count > 0)
        {
            foreach (var touch in await db.Touches.AsNoTracking().Where(t => unread.Contains(t.Id)).ToListAsync(stop))
            {
                touches[touch.Id] = touch;
            }
        }

        var known = touches.Values.ToList();
        var runIds = effects.Select(e => RunOf(e.Effect)).OfType<Guid>().Concat(versions.Keys).Distinct().ToList();
        var runs = runIds.Count == 0 ? [] : await db.Runs.AsNoTracking().Where(r => runIds.Contains(r.Id)).ToDictionaryAsync(r => r.Id, stop);
        var knownRuns = runs.Values.ToList();
        foreach (var (id, version) in versions)
        {
            runs[id].Version = version;
        }

        var handed = new Dictionary<Guid, TouchRow>();
        foreach (var (person, effect) in effects)
        {
            switch (effect)
            {
                case RunStarted e:
                    var run = new RunRow
                    {
                        Id = e.RunId,
                        PracticeId = Practice,
                        PersonId = person,
                        ProgramId = e.ProgramId,
                        Version = e.Version,
                        Number = e.Number,
                        StartedAt = e.At,
                        Cause = e.Cause,
                    };
                    runs[e.RunId] = run;
                    newRuns.Add(run);
                    break;
                case StartRefused e:
                    refusals.Add(
                        new RefusalRow
                        {
                            PracticeId = Practice,
                            PersonId = person,
                            ProgramId = e.ProgramId,
                            At = e.At,
                            Reason = e.Reason,
                            Cause = e.Cause,
                        }
                    );
                    break;
                case RunEnded e:
                    runs[e.RunId].EndedAt = e.At;
                    runs[e.RunId].StopReason = e.StopReason;
                    break;
                case RunGoesOn e:
                    (runs[e.Run.Id].EndedAt, runs[e.Run.Id].StopReason) = (null, null);
                    if (touches.TryGetValue(e.Run.TouchId, out var standing))
                    {
                        (standing.Status, standing.Reason, standing.SettledAt, standing.Due) = (
                            e.Run.Touch.Phase switch
                            {
                                TouchPhase.Blocked => TouchStatus.Blocked,
                                TouchPhase.OnSheet => TouchStatus.Open,
                                _ => TouchStatus.Planned,
                            },
                            e.Run.Touch.Waiting,
                            null,
                            e.Run.Touch.Due
                        );
                    }

                    break;
                case RunPaused e:
                    (runs[e.RunId].PausedAt, runs[e.RunId].PausedUntil) = (e.Paused ? e.At : null, e.Until);
                    break;
                case TouchPlanned e when touches.TryGetValue(e.TouchId, out var again):
                    again.Status = TouchStatus.Planned;
                    again.Reason = null;
                    again.FirstDue = e.FirstDue;
                    again.Due = e.Due;
                    again.Plan = e.Plan;
                    replanned.Add(again.Id);
                    again.Version = runs[e.RunId].Version;
                    again.ReaderId = e.Reader;
                    break;
                case TouchPlanned e:
                    var planned = Planned(person, runs[e.RunId], e);
                    touches[e.TouchId] = planned;
                    newTouches.Add(planned);
                    break;
                case TouchUnplanned e:
                    unplanned.Add(e.TouchId);
                    break;
                case ContactAllowed:
                    var allowed = await RowAsync(person, stop);
                    (allowed.DoNotContact, allowed.DoNotContactReason, allowed.DoNotContactUntil) = (false, null, null);
                    (allowed.DoNotContactToConfirm, allowed.Edition) = (false, allowed.Edition + 1);
                    break;
                case FactToChange e:
                    await ChangeFactAsync(person, e, stop);
                    break;
                case OwnerToTell e:
                    await TellOwnerAsync(person, touches[e.TouchId], e.At, stop);
                    break;
                case TouchHanded e:
                    var touch = touches[e.TouchId];
                    touch.Status = TouchStatus.Handing;
                    touch.Reason = null;
                    touch.Due = e.At;
                    touch.ReaderId = e.Reader;
                    SetChecks(touch, e.Checks);
                    touch.AttemptId = Guid.NewGuid();
                    touch.Attempts++;
                    touch.LeasedUntil = leaseUntil;
                    handed[touch.Id] = touch;
                    break;
                default:
                    if (TouchOf(effect) is { } id && touches.TryGetValue(id, out var row))
                    {
                        Change(row, effect);
                    }

                    break;
            }
        }

        await db.SaveChangesAsync(stop);
        await db.CopyAsync(log, stop);
        await db.CopyAsync(refusals, stop);
        await db.CopyAsync(newRuns, stop);
        await db.CopyAsync(newTouches, stop);
        await db.CopyAsync(messages, stop);
        await WriteRunsAsync(knownRuns, stop);
        if (unplanned.Count > 0)
        {
            await db.Touches.Where(t => unplanned.Contains(t.Id) && t.SettledAt == null).ExecuteDeleteAsync(stop);
        }

        await WriteTouchesAsync(known, stop);
        await WriteStatesAsync(stop);
        return [.. handed.Values.Where(t => t.Status == TouchStatus.Handing)];
    }

    /// <summary>Touches that were handed over, and of which nobody can say whether they arrived, wait for a member's word.</summary>
    public static Task NobodyKnowsAsync(IQueryable<TouchRow> touches, CancellationToken stop) =>
        touches.ExecuteUpdateAsync(u => u.SetProperty(t => t.Status, TouchStatus.Uncertain).SetProperty(t => t.LeasedUntil, (Instant?)null), stop);

    /// <summary>
    /// A member says of a touch that nobody could say it of whether it arrived. It goes back to those that are on their way, where
    /// it is taken up at once: as sent, or as not taken.
    /// </summary>
    /// <returns>False where it was not uncertain.</returns>
    public static async Task<bool> SayWhetherItArrivedAsync(GerminalDb db, Guid touch, bool arrived, CancellationToken stop)
    {
        var reason = arrived ? Dispatcher.Arrived : Dispatcher.NotTakenYet;
        return await db
                .Touches.Where(t => t.Id == touch && t.Status == TouchStatus.Uncertain)
                .ExecuteUpdateAsync(
                    u =>
                        u.SetProperty(t => t.Status, TouchStatus.Handing)
                            .SetProperty(t => t.Reason, reason)
                            .SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue),
                    stop
                ) == 1;
    }

    private TouchRow Planned(Guid person, RunRow run, TouchPlanned e)
    {
        var definition = engine.Shelf.Find(run.ProgramId, run.Version).Definition;
        return new TouchRow
        {
            Id = e.TouchId,
            PracticeId = Practice,
            PersonId = person,
            RunId = e.RunId,
            ProgramId = run.ProgramId,
            Version = run.Version,
            StepId = e.StepId,
            Kind = definition.StepOf(e.StepId)!.Kind,
            Priority = definition.Priority,
            Status = TouchStatus.Planned,
            FirstDue = e.FirstDue,
            Due = e.Due,
            Plan = e.Plan,
            ReaderId = e.Reader,
        };
    }

    private void SetChecks(TouchRow touch, IReadOnlyList<Check> checks)
    {
        touch.Checks = [.. checks];
        checkedAnew.Add(touch.Id);
    }

    private void Change(TouchRow touch, Effect effect)
    {
        touch.ReaderId = (effect as TouchEffect)?.Reader ?? touch.ReaderId;
        switch (effect)
        {
            case TouchWaits e:
                touch.Status = TouchStatus.Planned;
                touch.Due = e.Due;
                touch.Reason = e.Reason;
                touch.LeasedUntil = null;
                SetChecks(touch, e.Checks);
                break;
            case TouchBlocked e:
                touch.Status = TouchStatus.Blocked;
                touch.Reason = e.Reason;
                touch.Due = e.GivenUpAt;
                touch.LeasedUntil = null;
                SetChecks(touch, e.Checks);
                break;
            case TouchUnblocked e:
                touch.Status = TouchStatus.Planned;
                touch.Reason = null;
                touch.Due = e.Due;
                break;
            case TouchHoldChanged e:
                touch.Held = e.Held;
                break;
            case TouchDayChanged e:
                touch.MovedTo = e.Day;
                (touch.Due, touch.Reason) = e.Due is { } due ? (due, null) : (touch.Due, touch.Reason);
                break;
            case TouchSettled e:
                touch.Status = TouchStatuses.Of(e.Outcome);
                touch.Reason = e.Reason;
                touch.SettledAt = e.At;
                touch.LeasedUntil = null;
                if (e.Checks is { Count: > 0 } checks)
                {
                    SetChecks(touch, checks);
                }

                break;
            case TaskClosed e:
                touch.Status = TouchStatuses.Of(e.Outcome);
                touch.ClosedAt = e.At;
                touch.CallOutcome = e.Outcome == Outcome.Done ? e.Reason : null;
                touch.Reason = e.Outcome == Outcome.Done ? null : e.Reason;
                touch.Remark = e.Remark;
                break;
            case TaskPutBack:
                (touch.Status, touch.ClosedAt, touch.CallOutcome, touch.Reason) = (TouchStatus.Open, null, null, null);
                break;
        }
    }

    private static Guid? TouchOf(Effect effect) =>
        effect switch
        {
            TouchEffect e => e.TouchId,
            TouchHoldChanged e => e.TouchId,
            TouchDayChanged e => e.TouchId,
            OwnerToTell e => e.TouchId,
            RunGoesOn e => e.Run.TouchId,
            _ => null,
        };

    private static Guid? RunOf(Effect effect) =>
        effect switch
        {
            RunEnded e => e.RunId,
            RunPaused e => e.RunId,
            RunGoesOn e => e.Run.Id,
            TouchPlanned e => e.RunId,
            _ => null,
        };

    /// <summary>A program's own change: the person's row, and the event that says so, which the core has dealt with already.</summary>
    private async Task ChangeFactAsync(Guid person, FactToChange effect, CancellationToken stop)
    {
        var row = await RowAsync(person, stop);
        switch (effect.Change)
        {
            case TagPutOn t:
                row.Tags = [.. row.Tags, await TagNames.SpellingAsync(db, t.Tag, stop)];
                break;
            case TagTakenOff t:
                row.Tags = [.. row.Tags.Where(x => !string.Equals(x, t.Tag, StringComparison.OrdinalIgnoreCase))];
                break;
            case JoinedList l:
                row.Lists = [.. row.Lists, l.List];
                break;
            case LeftList l:
                row.Lists = [.. row.Lists.Where(x => !string.Equals(x, l.List, StringComparison.OrdinalIgnoreCase))];
                break;
            case EnteredStage s:
                row.Stage = s.Stage;
                row.StageSince = s.At;
                break;
            case FieldSet f:
                var fields = row.Custom.Where(c => !string.Equals(c.Key, f.Name, StringComparison.OrdinalIgnoreCase)).ToDictionary();
                if (f.Value.Length > 0)
                {
                    fields[f.Name] = f.Value;
                }

                row.Custom = fields;
                break;
        }

        Log(person, effect.Change);
    }

    /// <summary>
    /// Notes in the engine's memory of everybody of the practice who matches a watched segment and who does not, before anything is
    /// judged by it: nobody begins to match by this.
    /// </summary>
    /// <param name="db">A context of the practice, with a transaction.</param>
    /// <param name="key">The key of <see cref="WatchedSegment"/>.</param>
    /// <param name="matching">Who matches.</param>
    /// <param name="stop">Gives up.</param>
    public static Task<int> NoteMatchesAsync(GerminalDb db, string key, Guid[] matching, CancellationToken stop) =>
        // Locked in the order everybody locks people in.
        db.Database.ExecuteSqlAsync(
            $"""
            WITH locked AS (
              SELECT person_id FROM person_states WHERE practice_id = {db.PracticeId}
              AND coalesce(state -> 'matching' ? {key}, false) <> (person_id = ANY({matching})) ORDER BY person_id FOR UPDATE
            )
            UPDATE person_states s SET state = jsonb_set(
              s.state,
              ARRAY['matching'],
              CASE WHEN coalesce(s.state -> 'matching' ? {key}, false) THEN (s.state -> 'matching') - {key}::text ELSE coalesce(s.state -> 'matching', '[]'::jsonb) || to_jsonb({key}::text) END
            )
            FROM locked l WHERE l.person_id = s.person_id
            """,
            stop
        );

    private async Task<PersonRow> RowAsync(Guid person, CancellationToken stop) =>
        db.People.Local.FirstOrDefault(p => p.Id == person) ?? await db.People.SingleAsync(p => p.Id == person, stop);

    /// <summary>A program's message to the owner stands under <i>Waiting for you</i> until it is seen.</summary>
    private async Task TellOwnerAsync(Guid person, TouchRow touch, Instant at, CancellationToken stop)
    {
        var facts = (await FactsReading.LoadAsync(db, [person], stop))[person];
        var definition = engine.Shelf.Find(touch.ProgramId, touch.Version).Definition;
        var step = (TellMeStep)definition.StepOf(touch.StepId)!;
        var practice = engine.Practice.AsFor(definition);
        var owner = practice.SenderFor(facts, step);
        var text = ((Channels.Letters.LiquidLetters)engine.Templates).FillText(step.Body, facts, practice, owner, at, []);
        db.Notices.Add(
            new NoticeRow
            {
                PracticeId = Practice,
                Kind = "tell-me",
                MemberId = owner?.Id,
                PersonId = person,
                Text = text,
                At = at,
                Key = $"tell/{touch.Id:N}",
            }
        );
    }

    private async Task WriteRunsAsync(List<RunRow> rows, CancellationToken stop)
    {
        if (rows.Count == 0)
        {
            return;
        }

        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE runs r SET version = v.version, ended_at = v.ended_at, stop_reason = v.stop_reason, paused_at = v.paused_at, paused_until = v.paused_until
            FROM unnest({ColumnOf(rows, r => r.Id)}, {ColumnOf(rows, r => r.Version)}, {ColumnOf(rows, r => r.EndedAt)},
              {ColumnOf(rows, r => r.StopReason)}, {ColumnOf(rows, r => r.PausedAt)}, {ColumnOf(rows, r => r.PausedUntil)})
              AS v(id, version, ended_at, stop_reason, paused_at, paused_until)
            WHERE r.id = v.id
              AND (r.version, r.ended_at, r.stop_reason, r.paused_at, r.paused_until) IS DISTINCT FROM (v.version, v.ended_at, v.stop_reason, v.paused_at, v.paused_until)
            """,
            stop
        );
    }

    private static T[] ColumnOf<TRow, T>(List<TRow> rows, Func<TRow, T> of) => [.. rows.Select(of)];

    /// <summary>
    /// What became of touches there were already, in one statement; the lock on their person's state holds them too. Their plan
    /// and checks, which are long, travel only where they are new.
    /// </summary>
    private async Task WriteTouchesAsync(List<TouchRow> rows, CancellationToken stop)
    {
        if (rows.Count == 0)
        {
            return;
        }

        T[] Column<T>(Func<TouchRow, T> of) => ColumnOf(rows, of);
        string? NewPlan(TouchRow t) => replanned.Contains(t.Id) ? GerminalDb.ToJson(t.Plan) : null;
        string? NewChecks(TouchRow t) => checkedAnew.Contains(t.Id) ? GerminalDb.ToJson(t.Checks) : null;
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE touches t SET status = v.status, reason = v.reason, held = v.held, version = v.version, first_due = v.first_due, due = v.due, plan = coalesce(v.plan::jsonb, t.plan), checks = coalesce(v.checks::jsonb, t.checks),
              attempt_id = v.attempt_id, attempts = v.attempts, leased_until = v.leased_until, settled_at = v.settled_at, closed_at = v.closed_at, call_outcome = v.call_outcome, remark = v.remark, reader_id = v.reader_id, moved_to = v.moved_to
            FROM unnest({Column(t => t.Id)}, {Column(t => t.Status.Word())}, {Column(t => t.Reason)}, {Column(t => t.Held)}, {Column(t => t.Version)},
              {Column(t => t.FirstDue)}, {Column(t => t.Due)},
              {Column(NewPlan)}, {Column(NewChecks)}, {Column(t => t.AttemptId)}, {Column(t => t.Attempts)}, {Column(t => t.LeasedUntil)},
              {Column(t => t.SettledAt)}, {Column(t => t.ClosedAt)}, {Column(t => t.CallOutcome)}, {Column(t => t.Remark)}, {Column(t => t.ReaderId)}, {Column(t => t.MovedTo)})
              AS v(id, status, reason, held, version, first_due, due, plan, checks, attempt_id, attempts, leased_until, settled_at, closed_at, call_outcome, remark, reader_id, moved_to)
            WHERE t.id = v.id
            """,
            stop
        );
    }

    /// <summary>The states of the whole batch in one statement; their rows are locked, so nobody has changed them meanwhile.</summary>
    private async Task WriteStatesAsync(CancellationToken stop)
    {
        var rows = states.Values.ToList();
        T[] Column<T>(Func<PersonStateRow, T> of) => ColumnOf(rows, of);
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE person_states s SET state = v.state::jsonb, next_due = v.due, next_alarm = v.alarm, alarms_from = v."from", next_touch_at = v.next, last_touch_at = v.last, last_reply_at = v.reply
            FROM unnest({Column(s => s.PersonId)}, {Column(s => s.State)}, {Column(s => s.NextDue)}, {Column(s => s.NextAlarm)},
              {Column(s => s.AlarmsFrom)}, {Column(s => s.NextTouchAt)}, {Column(s => s.LastTouchAt)}, {Column(s => s.LastReplyAt)})
              AS v(id, state, due, alarm, "from", next, last, reply)
            WHERE s.person_id = v.id
            """,
            stop
        );
    }

    /// <summary>What began by a stage, or was refused one, was so by the stage's new name; nothing else of it changes.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="from">The old name, <c>Pipeline/Stage</c>.</param>
    /// <param name="to">The new one.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task CallStageOtherwiseAsync(GerminalDb db, string from, string to, CancellationToken stop)
    {
        await db.Database.ExecuteSqlAsync(
            $"UPDATE runs SET cause = jsonb_set(cause, '{{detail}}', to_jsonb({to})) WHERE practice_id = {db.PracticeId} AND cause->>'kind' IN ('stage', 'stage-age') AND cause->>'detail' = {from}",
            stop
        );
        await db.Database.ExecuteSqlAsync(
            $"UPDATE refusals SET cause = jsonb_set(cause, '{{detail}}', to_jsonb({to})) WHERE practice_id = {db.PracticeId} AND cause->>'kind' IN ('stage', 'stage-age') AND cause->>'detail' = {from}",
            stop
        );
    }
}
