using System.Collections.Immutable;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.House;

/// <summary>
/// Where everybody's runs stood at a moment that has passed, and what happened to them since, out of the touches, messages and runs that are kept.
/// </summary>
internal sealed class StoodThen
{
    private readonly Dictionary<Guid, List<Happening>> events = [];

    private StoodThen(Dictionary<Guid, PersonState> states, WentDto really) => (States, Really) = (states, really);

    /// <summary>The state each had, with the runs that had anything due in the time that is gone through.</summary>
    public IReadOnlyDictionary<Guid, PersonState> States { get; }

    /// <summary>What really went in that time.</summary>
    public WentDto Really { get; }

    /// <summary>What happened to somebody since, in the order of time.</summary>
    public IReadOnlyList<Happening> Events(Guid person) => events.TryGetValue(person, out var happened) ? [.. happened.OrderBy(h => h.At)] : [];

    private void Add(Guid person, Happening happening)
    {
        if (!events.TryGetValue(person, out var list))
        {
            events[person] = list = [];
        }

        list.Add(happening);
    }

    private sealed record Sighting(Guid TouchId, Instant? OpenedAt, Instant? AnsweredAt, string Channel);

    private sealed record Followed(Guid TouchId, Instant At, int Link, List<LetterLink> Links);

    private sealed record Touched(
        Guid Id,
        Guid PersonId,
        Guid RunId,
        Guid ProgramId,
        int Version,
        string StepId,
        string Kind,
        TouchStatus Status,
        string? Reason,
        bool Held,
        Instant FirstDue,
        Instant? SettledAt,
        Instant? ClosedAt,
        string? CallOutcome,
        Guid? ReaderId,
        LocalDate? MovedTo,
        PlanReason? Plan
    );

    /// <summary>Reads it.</summary>
    /// <param name="db">A context of whoever asks.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="from">The moment.</param>
    /// <param name="until">Up to when things are gone through.</param>
    /// <param name="paceDays">Over how many days the longest pace rule counts.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<StoodThen> ReadAsync(GerminalDb db, TouchEngine engine, Instant from, Instant until, int paceDays, CancellationToken stop)
    {
        // Ids first: what hangs on them is found by its key, whatever the database thinks of how many there are.
        var ids = await db.Touches.AsNoTracking().Where(t => t.FirstDue < until && (t.SettledAt == null || t.SettledAt >= from)).Select(t => t.RunId).Distinct().ToArrayAsync(stop);
        var runs = await db.Runs.AsNoTracking().Where(r => ids.Contains(r.Id)).ToDictionaryAsync(r => r.Id, stop);
        var touches = await TouchesAsync(db, db.Touches.Where(t => ids.Contains(t.RunId)), stop);
        var people = touches.Select(t => t.PersonId).Distinct().ToDictionary(p => p, _ => new Began());
        var ofRun = touches.ToLookup(t => t.RunId);
        foreach (var run in runs.Values.Where(r => people.ContainsKey(r.PersonId)))
        {
            if (StateOf(run, [.. ofRun[run.Id]], engine, from, until) is { } state)
            {
                people[run.PersonId].Runs.Add(state);
            }
        }

        var sent = await SentAsync(db, engine, from, paceDays, stop);
        foreach (var (person, began) in people)
        {
            began.Sent = sent.GetValueOrDefault(person, []);
        }

        foreach (var touch in touches)
        {
            people[touch.PersonId].Take(touch, from);
        }

        var then = new StoodThen(people.Where(p => p.Value.Runs.Count > 0).ToDictionary(p => p.Key, p => p.Value.State()), await WentAsync(db, from, until, stop));
        await then.TakeSightingsAsync(db, touches, from, until, stop);
        then.TakeEnds(runs.Values, touches, from, until);
        return then;
    }

    private static Task<List<Touched>> TouchesAsync(GerminalDb db, IQueryable<TouchRow> which, CancellationToken stop) =>
        which
            .AsNoTracking()
            .Select(t => new Touched(
                t.Id,
                t.PersonId,
                t.RunId,
                t.ProgramId,
                t.Version,
                t.StepId,
                t.Kind,
                t.Status,
                t.Reason,
                t.Held,
                t.FirstDue,
                t.SettledAt,
                t.ClosedAt,
                t.CallOutcome,
                t.ReaderId,
                t.MovedTo,
                t.Plan
            ))
            .ToListAsync(stop);

    /// <summary>A run where it stood: at the first of its touches that had not settled then. Null where nothing of it came due.</summary>
    private static RunState? StateOf(RunRow run, List<Touched> touches, TouchEngine engine, Instant from, Instant until)
    {
        var open = touches.Where(t => t.SettledAt is null || t.SettledAt >= from).OrderBy(t => t.FirstDue).FirstOrDefault();
        if (open is null || open.FirstDue >= until || run.PausedAt < from || engine.Shelf.IsPaused(run.ProgramId))
        {
            return null;
        }

        var version = engine.Shelf.Versions.FirstOrDefault(v => v.ProgramId == open.ProgramId && v.Version == open.Version);
        var index = version?.Flow.Steps.Select((s, i) => (s.Step.Id, i)).Where(s => s.Id == open.StepId).Select(s => (int?)s.i).FirstOrDefault();
        if (index is null)
        {
            return null;
        }

        var before = touches.Where(t => t.SettledAt < from).ToList();
        var nth = TouchState.NthOf(open.Id, run.Id, open.StepId);
        return new RunState(
            run.Id,
            run.ProgramId,
            open.Version,
            run.Number,
            run.StartedAt,
            OccasionOf(touches, engine.Practice.Zone),
            index.Value,
            before.Max(t => t.SettledAt) ?? run.StartedAt,
            new TouchState(open.StepId, open.FirstDue, Instant.Max(open.FirstDue, from), TouchPhase.Planned)
        )
        {
            Seen = [.. before.Where(t => t.Status == TouchStatus.Sent).Select(t => new Seen(t.StepId, "sent")), .. before.Where(t => t.CallOutcome is not null && t.ClosedAt < from).Select(t => new Seen(t.StepId, "call", t.CallOutcome!))],
            Readers = nth == 0 ? [] : [.. before.Where(t => t.StepId == open.StepId).Select(t => t.ReaderId ?? Guid.Empty).Concat(Enumerable.Repeat(Guid.Empty, nth)).Take(nth)],
        };
    }

    /// <summary>The occasion that started a run, as its touches were planned by it; null for none.</summary>
    private static OccasionRef? OccasionOf(List<Touched> touches, DateTimeZone zone) =>
        touches.Select(t => t.Plan).FirstOrDefault(p => p is { Place: "occasion" }) is { } plan && Moments.Read(plan.Base, zone) is { } moment
            ? new OccasionRef("", moment.InZone(zone).Date, plan.Base.Contains('T', StringComparison.Ordinal) ? moment : null)
            : null;

    /// <summary>What was sent to each before, as long as a pace rule counts it.</summary>
    private static async Task<Dictionary<Guid, List<SentTouch>>> SentAsync(GerminalDb db, TouchEngine engine, Instant from, int days, CancellationToken stop)
    {
        var oldest = from - Duration.FromDays(days + 1);
        var rows = await Went(db, oldest, from)
            .OrderBy(t => t.SettledAt)
            .Select(t => new
            {
                t.PersonId,
                t.ProgramId,
                t.Version,
                t.StepId,
                t.SettledAt,
            })
            .ToListAsync(stop);
        var commercial = new Dictionary<(Guid, int, string), Channel?>();
        Channel? ChannelOf(Guid program, int version, string step)
        {
            if (!commercial.TryGetValue((program, version, step), out var channel))
            {
                var definition = engine.Shelf.Versions.FirstOrDefault(v => v.ProgramId == program && v.Version == version)?.Definition;
                var found = definition?.AllSteps.FirstOrDefault(s => s.Id == step);
                commercial[(program, version, step)] = channel = found is { To: null } && definition!.PurposeOf(found) == Purpose.Commercial ? found.Channel : null;
            }

            return channel;
        }

        return rows.Select(r => (r.PersonId, Channel: ChannelOf(r.ProgramId, r.Version, r.StepId), At: r.SettledAt!.Value))
            .Where(r => r.Channel is not null)
            .GroupBy(r => r.PersonId)
            .ToDictionary(g => g.Key, g => g.Select(r => new SentTouch(r.At, r.Channel!.Value)).ToList());
    }

    /// <summary>Touches that reached somebody, or came onto the day sheet, in a stretch of time whose end is not in it.</summary>
    private static IQueryable<TouchRow> Went(GerminalDb db, Instant from, Instant until) =>
        db.Touches.AsNoTracking()
            .Where(t => t.SettledAt >= from && t.SettledAt < until && (t.Status == TouchStatus.Sent || t.Status == TouchStatus.Done || t.Status == TouchStatus.Open));

    private static async Task<WentDto> WentAsync(GerminalDb db, Instant from, Instant until, CancellationToken stop)
    {
        var kinds = await Went(db, from, until)
            .GroupBy(t => t.Kind)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        return WentDto.Of(kinds);
    }

    /// <summary>What they opened, followed and answered: before the moment it is remembered, after it it happens.</summary>
    private async Task TakeSightingsAsync(GerminalDb db, List<Touched> touches, Instant from, Instant until, CancellationToken stop)
    {
        var known = touches.Where(t => t.Status == TouchStatus.Sent).ToDictionary(t => t.Id);
        var ids = known.Keys.ToArray();
        var ofThese = db.Messages.AsNoTracking().Where(m => m.MemberId == null && ids.Contains(m.TouchId));
        foreach (var m in await ofThese.Where(m => m.OpenedAt != null || m.AnsweredAt != null).Select(m => new Sighting(m.TouchId, m.OpenedAt, m.AnsweredAt, m.Channel)).ToListAsync(stop))
        {
            if (!known.TryGetValue(m.TouchId, out var touch))
            {
                continue;
            }

            if (m.OpenedAt is { } opened && opened < until)
            {
                Add(touch.PersonId, new Opened(Instant.Max(opened, from), touch.ProgramId, touch.StepId));
            }

            if (m.AnsweredAt is { } answered && answered < until)
            {
                Add(touch.PersonId, new Replied(Instant.Max(answered, from), Words.ChannelOf(m.Channel), touch.ProgramId, touch.StepId));
            }
        }

        var visits = await db
            .Visits.AsNoTracking()
            .Where(v => v.Link != null && !v.ByMachine && v.At < until && ids.Contains(v.TouchId))
            .Join(db.Messages, v => v.TouchId, m => m.TouchId, (v, m) => new Followed(v.TouchId, v.At, v.Link!.Value, m.Links))
            .ToListAsync(stop);
        foreach (var visit in visits.Where(v => known.ContainsKey(v.TouchId) && v.Link < v.Links.Count))
        {
            var touch = known[visit.TouchId];
            Add(touch.PersonId, new FollowedLink(Instant.Max(visit.At, from), touch.ProgramId, touch.StepId, visit.Links[visit.Link].Name));
        }
    }

    /// <summary>When runs were stopped or paused, and how tasks ended.</summary>
    private void TakeEnds(IEnumerable<RunRow> runs, List<Touched> touches, Instant from, Instant until)
    {
        foreach (var run in runs)
        {
            if (run is { StopReason: not null, EndedAt: { } ended } && ended >= from && ended < until)
            {
                Add(run.PersonId, new RunStoppedByHand(ended, run.Id, ""));
            }

            if (run.PausedAt is { } paused && paused >= from && paused < until)
            {
                Add(run.PersonId, new ProgramPaused(paused, run.ProgramId));
            }
        }

        foreach (var touch in touches.Where(t => t.ClosedAt >= from && t.ClosedAt < until))
        {
            Add(touch.PersonId, new TaskEnded(touch.ClosedAt!.Value, touch.Id, touch.CallOutcome));
        }
    }

    /// <summary>What somebody began with.</summary>
    private sealed class Began
    {
        private readonly Dictionary<Guid, TouchMark> marks = [];
        private readonly Dictionary<Guid, LocalDate> moves = [];

        public List<RunState> Runs { get; } = [];

        public List<SentTouch> Sent { get; set; } = [];

        /// <summary>What members had said about a touch.</summary>
        public void Take(Touched touch, Instant from)
        {
            if (touch.SettledAt < from)
            {
                return;
            }

            if (touch.MovedTo is { } moved)
            {
                moves[touch.Id] = moved;
            }

            if (touch.Held || touch.Reason == Reason.Dropped.Word())
            {
                marks[touch.Id] = touch.Held ? TouchMark.Held : TouchMark.Dropped;
            }
            else if (touch.Status == TouchStatus.Sent)
            {
                // Where its program waits for that, somebody has read it.
                marks[touch.Id] = TouchMark.Read;
            }
        }

        public PersonState State() =>
            new()
            {
                Runs = [.. Runs],
                Sent = [.. Sent],
                Marks = marks.ToImmutableDictionary(),
                Moves = moves.ToImmutableDictionary(),
                Been = Runs.GroupBy(r => r.ProgramId).ToImmutableDictionary(g => g.Key, g => new PastRuns(g.Max(r => r.Number), null)),
            };
    }
}
