using Germinal.Channels.Letters;
using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Messages;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Service.Tasks;
using Germinal.Service.Posts;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Today;

/// <summary>A call, note or task to do. Number as dialled; their time of day where it differs.</summary>
/// <param name="Kind">call, note or task.</param>
/// <param name="Person">Whom it is about; null for an own task about nobody.</param>
/// <param name="OwnTask">True for a member's own task, that no program planned; TouchId is the task's.</param>
/// <param name="Program">The program, or where an own task came from.</param>
/// <param name="OverCapacity">True where it fits on none of the days it may move to (rule 9.4).</param>
/// <param name="MemberId">On whose sheet it is; null for nobody's.</param>
/// <param name="MovedHere">Whether a member has moved it to this day.</param>
/// <param name="InsteadOf">Who would make it if they were not away; null for whoever's it is.</param>
/// <param name="Post">Of a post, what is to be put where; null for anything else.</param>
public sealed record CallDto(
    Guid TouchId,
    string Kind,
    bool OwnTask,
    PersonRef? Person,
    string Program,
    int Day,
    string Due,
    string? Number,
    string? Extension,
    string? TheirTime,
    string Script,
    string? LastSent,
    string? LastSentAt,
    bool OverCapacity,
    Guid? MemberId,
    bool MovedHere,
    string? InsteadOf,
    PostOnSheet? Post
);

/// <summary>What is to be put where.</summary>
/// <param name="Words">The words.</param>
/// <param name="Picture">Where its picture is; null for none.</param>
/// <param name="PictureWords">What the picture shows.</param>
/// <param name="Place">Where it is to stand; empty where that is plain.</param>
/// <param name="ByItself">Whether the gateway puts it there.</param>
/// <param name="Problem">What the gateway said last, where it would not have it; null for nothing.</param>
public sealed record PostOnSheet(string Words, string? Picture, string PictureWords, string Place, bool ByItself, string? Problem);

/// <summary>A message that goes out today or tomorrow. Status: planned, held, or skipped by what is known now.</summary>
/// <param name="Kind">email or text.</param>
/// <param name="WillNot">Why it does not go as things stand, as the rehearsal says now; null where it goes.</param>
public sealed record GoingDto(
    Guid TouchId,
    string Kind,
    PersonRef Person,
    Guid ProgramId,
    string Program,
    string StepId,
    string Due,
    bool IsToday,
    string Subject,
    bool Held,
    string? Problem,
    bool Planned,
    string? WillNot
);

/// <summary>A provider in trouble: mail-out, mail-in or texts, with its own words.</summary>
public sealed record ProviderDto(string Name, string Trouble, string Since);

/// <summary>How many letters of one step go on one of the two days.</summary>
public sealed record GoingCount(Guid ProgramId, string StepId, bool IsToday, int Count);

/// <summary>A touch that could not go.</summary>
public sealed record MendingDto(Guid TouchId, PersonRef Person, string Due, string Subject, string Problem, string? Field, string Status);

/// <summary>The day sheet.</summary>
/// <param name="Outcomes">How calls can end, in the order of their keys.</param>
public sealed record TodayDto(
    string Now,
    string Zone,
    int CallsInAll,
    IReadOnlyList<CallDto> Calls,
    int GoingToday,
    int GoingTomorrow,
    IReadOnlyList<GoingDto> Going,
    IReadOnlyList<GoingCount> GoingCounts,
    int WaitingInAll,
    IReadOnlyList<WaitingDto> Waiting,
    int MendingInAll,
    IReadOnlyList<MendingDto> Mending,
    int CallsLater,
    IReadOnlyList<ProviderDto> Providers,
    IReadOnlyList<OutcomeDto> Outcomes
);

/// <summary>The day sheet: what to do now.</summary>
public static class DaySheet
{
    private const int Shown = WaitingForMember.Shown;
    private const int MostPlaced = 5000;
    private const int LettersShown = 240;

    private static PostOnSheet PostOf(PostRow post) =>
        new(post.Words, OwnPictures.AddressOf(post.PictureId), post.PictureWords, post.Place, post.ByItself, post.LastAnswer.Length > 0 ? post.LastAnswer : null);

    /// <summary>A program's post is as the step says, until it is written down.</summary>
    private static PostOnSheet PostOf(PostStep step, string words, PostRow? kept) =>
        kept is not null ? PostOf(kept) : new(words, OwnPictures.AddressOf(step.Picture), step.PictureWords, step.Place, step.ByItself, null);

    /// <summary>When the sheet's two days end: today and tomorrow, on the practice's clock.</summary>
    public static (Instant Today, Instant Tomorrow) EndsOf(Instant now, DateTimeZone zone)
    {
        var today = now.InZone(zone).Date;
        return (today.PlusDays(1).AtStartOfDayInZone(zone).ToInstant(), today.PlusDays(2).AtStartOfDayInZone(zone).ToInstant());
    }

    /// <summary>Today and tomorrow as they stand.</summary>
    /// <param name="db">The practice's data.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="reader">Who reads it: what is told to somebody else is left out.</param>
    /// <param name="now">The practice's moment.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<TodayDto> ReadAsync(GerminalDb db, TouchEngine engine, Reader reader, Instant now, CancellationToken stop)
    {
        var zone = engine.Practice.Zone;
        var today = now.InZone(zone).Date;
        var (tomorrow, after) = EndsOf(now, zone);

        // On the sheet, or due in the course of the day.
        var touches = db.Touches.AsNoTracking();
        var tasks = db.Tasks.AsNoTracking();
        var remembered = db.States.AsNoTracking();
        if (reader.OnlyTheirs)
        {
            var theirs = reader.Theirs(db);
            touches = touches.Where(t => theirs.Contains(t.PersonId));
            tasks = tasks.Where(t => t.MemberId == reader.Id || (t.MemberId == null && t.PersonId != null && theirs.Contains(t.PersonId.Value)));
            remembered = remembered.Where(s => theirs.Contains(s.PersonId));
        }

        var open = touches.Where(t =>
                TaskStep.Kinds.Contains(t.Kind)
                && (t.Status == TouchStatus.Open || (t.Status == TouchStatus.Planned && t.Due < tomorrow && !t.Held))
            );
        var onSheet = await open.OrderBy(t => t.Due).ThenBy(t => t.Id).Take(MostPlaced).ToListAsync(stop);
        await LeaveOutAsync(db, engine, onSheet, now, tomorrow, stop);
        var (calls, placed, later) = await PlaceCallsAsync(db, engine, onSheet, today, stop);
        if (reader.OnlyTheirs && engine.Practice.Members.Any(m => m.Id == reader.Id && m.IsAway(today)))
        {
            // What their deputy makes for them is not theirs today. Whoever is away stands in for nobody.
            calls.RemoveAll(t => placed.GetValueOrDefault(t.Id)?.MemberId is { } sheet && sheet != reader.Id);
        }

        var callsInAll = calls.Count;
        calls = [.. calls.Take(Shown)];
        var own = await tasks
            .Where(t => t.DoneAt == null && t.Due <= today)
            .OrderBy(t => t.Due)
            .ThenBy(t => t.Id)
            .Take(Shown)
            .ToListAsync(stop);
        var planned = touches.Where(t => t.Status == TouchStatus.Planned && (t.Kind == "email" || t.Kind == "text") && t.Due < after);
        var going = await planned.OrderBy(t => t.Due).ThenBy(t => t.Id).Take(LettersShown).ToListAsync(stop);
        var counts = await planned
            .GroupBy(t => new
            {
                t.ProgramId,
                t.StepId,
                IsToday = t.Due < tomorrow,
            })
            .Select(g => new GoingCount(g.Key.ProgramId, g.Key.StepId, g.Key.IsToday, g.Count()))
            .ToListAsync(stop);
        var goingToday = counts.Where(c => c.IsToday).Sum(c => c.Count);
        var goingInAll = counts.Sum(c => c.Count);
        var stuck = touches.Where(t => t.Status == TouchStatus.Blocked || t.Status == TouchStatus.Uncertain);
        var mending = await stuck.OrderBy(t => t.FirstDue).ThenBy(t => t.Id).Take(Shown).ToListAsync(stop);
        var setAside = await db.States.AsNoTracking().Where(s => s.SetAside != null).Take(Shown).ToListAsync(stop);
        var alarmed = await remembered
            .Where(s => s.NextAlarm > now && s.NextAlarm < after)
            .OrderBy(s => s.NextAlarm)
            .Take(Shown)
            .ToListAsync(stop);

        var ids = calls
            .Concat(going)
            .Concat(mending)
            .Select(t => t.PersonId)
            .Concat(own.Select(t => t.PersonId).OfType<Guid>())
            .Concat(setAside.Select(s => s.PersonId))
            .Concat(alarmed.Select(o => o.PersonId))
            .Distinct()
            .ToList();
        var rows = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        var facts = await FactsReading.WithDetailsAsync(db, [.. rows.Values], stop, engine);
        var names = await db.ProgramsAndBroadcasts.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        var callees = calls.Select(c => c.PersonId).Distinct().ToList();
        var last = (
            await db
                .Messages.AsNoTracking()
                .Where(m => callees.Contains(m.PersonId))
                .GroupBy(m => m.PersonId)
                .Select(g =>
                    g.OrderByDescending(m => m.SentAt)
                        .Select(m => new
                        {
                            m.PersonId,
                            m.Subject,
                            m.SentAt,
                        })
                        .First()
                )
                .ToListAsync(stop)
        ).ToDictionary(m => m.PersonId);
        var runIds = calls.Select(c => c.RunId).ToList();
        var starts = await db.Runs.AsNoTracking().Where(r => runIds.Contains(r.Id)).ToDictionaryAsync(r => r.Id, r => r.StartedAt, stop);
        var liquid = (LiquidLetters)engine.Templates;
        var posts = await PostShelf.OfAsync(db, [.. calls.Where(t => t.Kind == "post").Select(t => t.Id), .. own.Where(t => t.Kind == "post").Select(t => t.Id)], stop);
        PersonRef Ref(Guid id) => new(id, facts[id].Name);

        var callDtos = calls
            .Select(t =>
            {
                var person = facts[t.PersonId];
                var theirs = engine.Practice.ZoneOf(person);
                var sent = last.GetValueOrDefault(t.PersonId);
                return new CallDto(
                    t.Id,
                    t.Kind,
                    false,
                    Ref(t.PersonId),
                    names.GetValueOrDefault(t.ProgramId, ""),
                    Period.DaysBetween(starts[t.RunId].InZone(theirs).Date, t.FirstDue.InZone(theirs).Date),
                    // Since when it stands on the sheet; of one that comes today, when it does.
                    (t.SettledAt ?? t.Due).Iso(),
                    person.AddressOf(Channel.Call),
                    person.Mobile is not null ? rows[t.PersonId].MobileExtension : rows[t.PersonId].OtherPhoneExtension,
                    theirs.Id == zone.Id ? null : Phrases.Time(now.InZone(theirs).TimeOfDay),
                    liquid.FillText(StepOf(engine, t).Templates[0].Text, person, engine.Practice, engine.Practice.SenderFor(person), now, []),
                    sent?.Subject,
                    sent?.SentAt.Iso(),
                    placed.TryGetValue(t.Id, out var place) && place.OverCapacity,
                    place?.MemberId ?? CallDays.MemberOf(engine.Practice, person.OwnerId),
                    t.MovedTo is not null,
                    InsteadOf(engine, place, person.OwnerId),
                    StepOf(engine, t) is PostStep step ? PostOf(step, PostDesk.WordsOf(engine, step, person, now), posts.GetValueOrDefault(t.Id)) : null
                );
            })
            .Concat(
                own.Select(t =>
                {
                    var person = t.PersonId is { } about ? facts[about] : null;
                    var theirs = person is null ? zone : engine.Practice.ZoneOf(person);
                    return new CallDto(
                        t.Id,
                        t.Kind,
                        true,
                        person is null ? null : Ref(person.Id),
                        t.Rule.Length > 0 ? $"{TaskDesk.SourceWords(t.Source)}, {TaskRepeats.Words(t.Rule)}" : TaskDesk.SourceWords(t.Source),
                        0,
                        t.Due.AtStartOfDayInZone(zone).ToInstant().Iso(),
                        person?.AddressOf(Channel.Call),
                        null,
                        theirs.Id == zone.Id ? null : Phrases.Time(now.InZone(theirs).TimeOfDay),
                        t.Title,
                        null,
                        null,
                        false,
                        t.MemberId ?? CallDays.MemberOf(engine.Practice, person?.OwnerId),
                        false,
                        null,
                        posts.TryGetValue(t.Id, out var post) ? PostOf(post) : null
                    );
                })
            )
            .ToList();

        var foreseen = await ForeseenAsync(db, engine, going, facts, now, after, stop);
        var goingDtos = going
            .Select(t => Going(t.Id, t.PersonId, t.ProgramId, StepOf(engine, t), t.Due, t.Held, true, foreseen.GetValueOrDefault(t.Id)?.WillNot))
            .ToList();
        var states = alarmed.ToDictionary(s => s.PersonId, s => PersonStateJson.Read(s.State));
        goingDtos.AddRange(
            FromCalendar(engine, alarmed, facts, states, now, after)
                .Select(t =>
                    Going(
                        t.Touch.TouchId,
                        t.Person,
                        t.Touch.Program.ProgramId,
                        t.Touch.Step,
                        t.Touch.Due,
                        states[t.Person].Marks.GetValueOrDefault(t.Touch.TouchId, TouchMark.Dropped) == TouchMark.Held,
                        false,
                        t.Touch.WillNot
                    )
                )
        );

        GoingDto Going(Guid touch, Guid person, Guid program, Step step, Instant due, bool held, bool isPlanned, string? willNot)
        {
            var missing = new List<string>();
            step = facts[person].Worded(touch, step);
            var to = Readers.Find(engine.Practice, facts[person], step, null) ?? facts[person];
            var subject = liquid.FillText(step.Templates[0].Text, to, engine.Practice, engine.Practice.SenderFor(facts[person]), due, missing);
            missing.AddRange(engine.Templates.Missing(step, to, engine.Practice, engine.Practice.SenderFor(facts[person]), due));
            return new GoingDto(
                touch,
                step.Kind,
                Ref(person),
                program,
                names.GetValueOrDefault(program, ""),
                step.Id,
                due.Iso(),
                due < tomorrow,
                subject,
                held,
                missing.Count > 0 ? MergeFields.Say(missing.Distinct(StringComparer.Ordinal)) : null,
                isPlanned,
                willNot
            );
        }

        var (waiting, waitingInAll) = await WaitingForMember.ReadAsync(db, reader, names, stop);
        var mendings = mending
            .Select(t => new MendingDto(
                t.Id,
                Ref(t.PersonId),
                t.FirstDue.Iso(),
                StepOf(engine, t).Templates is [var words, ..] ? liquid.FillText(words.Text, facts[t.PersonId], engine.Practice, null, now, []) : t.StepId,
                ProblemOf(t),
                t.Checks.LastOrDefault(c => c.Kind == CheckKind.CanBeFilled && !c.Passed)?.Found.ElementAtOrDefault(1),
                t.Status.Word()
            ))
            .Concat(
                setAside.Select(s => new MendingDto(
                    s.PersonId,
                    Ref(s.PersonId),
                    now.Iso(),
                    "",
                    Say($"work on them stopped with an error: {s.SetAside}"),
                    null,
                    "set-aside"
                ))
            )
            .ToList();
        var providers = await db
            .Providers.AsNoTracking()
            .Where(p => p.Trouble != null)
            .OrderBy(p => p.Name)
            .Select(p => new ProviderDto(p.Name, p.Trouble!, p.Since.Iso()))
            .ToListAsync(stop);
        var ordered = goingDtos.OrderBy(g => g.Due, StringComparer.Ordinal).ToList();
        var occasionsToday = ordered.Count(g => !g.Planned && g.IsToday);
        var occasionsTomorrow = ordered.Count(g => !g.Planned && !g.IsToday);
        return new TodayDto(
            now.Iso(),
            zone.Id,
            callsInAll + own.Count,
            callDtos,
            goingToday + occasionsToday,
            goingInAll - goingToday + occasionsTomorrow,
            ordered,
            counts,
            waitingInAll,
            waiting,
            await WaitingForMember.InAllAsync(stuck, mending.Count, stop) + setAside.Count,
            mendings,
            later,
            providers,
            CallOutcomes.Of((await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings, engine.Practice.Calendar, today)
        );
    }

    /// <summary>
    /// Rule 9.4: calls of each member on days, so that today holds no more than they can make wherever that is possible. Notes
    /// and tasks stand on their day.
    /// </summary>
    /// <returns>What stands on today's sheet, where each call was placed, and how many calls moved to a later day.</returns>
    private static async Task<(List<TouchRow> Today, Dictionary<Guid, CallOnDay> Placed, int Later)> PlaceCallsAsync(
        GerminalDb db,
        TouchEngine engine,
        List<TouchRow> open,
        LocalDate today,
        CancellationToken stop
    )
    {
        var practice = engine.Practice;
        var people = open.Select(t => t.PersonId).Distinct().ToList();
        var owners = await db.People.AsNoTracking().Where(p => people.Contains(p.Id)).ToDictionaryAsync(p => p.Id, p => p.OwnerId, stop);
        // What has been called today took its place of the day.
        var midnight = today.AtStartOfDayInZone(practice.Zone).ToInstant();
        var made = (
            await db
                .Touches.AsNoTracking()
                .Where(t => t.Kind == "call" && t.Status == TouchStatus.Done && t.ClosedAt >= midnight)
                .Join(db.People, t => t.PersonId, p => p.Id, (t, p) => new { t.Id, p.OwnerId })
                .ToListAsync(stop)
        ).Select(t => new CallAhead(t.Id, t.OwnerId, today, 0));
        var placed = CallDays
            .Place(practice, open.Where(t => t.Kind == "call").Select(t => Ahead(engine, t, owners[t.PersonId], today)).Concat(made))
            .ToDictionary(c => c.TouchId);
        var sheet = open.Where(t => (t.Kind == "call" ? placed[t.Id].Day : t.MovedTo ?? today) <= today).ToList();
        return (sheet, placed, open.Count - sheet.Count);
    }

    /// <summary>Whose call it would be, by name, where their deputy makes it.</summary>
    private static string? InsteadOf(TouchEngine engine, CallOnDay? placed, Guid? owner) =>
        placed is { MemberId: { } sheet } && CallDays.MemberOf(engine.Practice, owner) is { } own && own != sheet ? engine.Practice.Members.First(m => m.Id == own).Name : null;

    private static CallAhead Ahead(TouchEngine engine, TouchRow touch, Guid? owner, LocalDate today) =>
        CallDays.OnSheet(engine.Practice, touch.Id, owner, StepOf(engine, touch), touch.FirstDue, touch.MovedTo, today);

    private static Step StepOf(TouchEngine engine, TouchRow t) => engine.Shelf.Find(t.ProgramId, t.Version).Definition.StepOf(t.StepId)!;

    /// <summary>What the calendar will start in these two days: its first letters belong on the sheet already.</summary>
    /// <summary>What the rehearsal says now of the messages that are planned, by touch.</summary>
    private static async Task<Dictionary<Guid, RehearsedTouch>> ForeseenAsync(
        GerminalDb db,
        TouchEngine engine,
        IReadOnlyCollection<TouchRow> planned,
        Dictionary<Guid, Core.Contact.PersonFacts> facts,
        Instant now,
        Instant until,
        CancellationToken stop
    )
    {
        var people = planned.Select(t => t.PersonId).Distinct().ToArray();
        var states = await db.States.AsNoTracking().Where(s => people.Contains(s.PersonId)).Select(s => new { s.PersonId, s.State }).ToListAsync(stop);
        var wanted = planned.Select(t => t.Id).ToHashSet();
        var found = new Dictionary<Guid, RehearsedTouch>();
        foreach (var state in states)
        {
            foreach (var touch in Rehearsal.Of(engine, facts[state.PersonId], PersonStateJson.Read(state.State), now, until, null, 20))
            {
                if (wanted.Contains(touch.TouchId))
                {
                    found[touch.TouchId] = touch;
                }
            }
        }

        return found;
    }

    /// <summary>Leaves out what is due later today and will not come as things stand: nobody is to ring somebody who has no number, or whose program stops before.</summary>
    private static async Task LeaveOutAsync(GerminalDb db, TouchEngine engine, List<TouchRow> onSheet, Instant now, Instant until, CancellationToken stop)
    {
        var hoped = onSheet.Where(t => t.Status == TouchStatus.Planned).ToList();
        if (hoped.Count > 0)
        {
            var facts = await FactsReading.LoadAsync(db, [.. hoped.Select(t => t.PersonId).Distinct()], stop, engine);
            var foreseen = await ForeseenAsync(db, engine, hoped, facts, now, until, stop);
            onSheet.RemoveAll(t => foreseen.GetValueOrDefault(t.Id)?.WillNot is not null);
        }
    }

    private static IEnumerable<(Guid Person, RehearsedTouch Touch)> FromCalendar(
        TouchEngine engine,
        IReadOnlyList<PersonStateRow> alarmed,
        Dictionary<Guid, Core.Contact.PersonFacts> facts,
        Dictionary<Guid, PersonState> states,
        Instant now,
        Instant until
    )
    {
        foreach (var row in alarmed)
        {
            var state = states[row.PersonId];
            foreach (
                var touch in Rehearsal
                    .Of(engine, facts[row.PersonId], state, now, until, null, 20)
                    .Where(t => t.Step is EmailStep or TextStep && t.Outcome is Outcome.Sent or null && state.Runs.All(r => r.Id != t.RunId))
            )
            {
                yield return (row.PersonId, touch);
            }
        }
    }

    private static string ProblemOf(TouchRow t)
    {
        if (t.Status == TouchStatus.Uncertain)
        {
            return Said("nobody can say whether it arrived; it is not sent again by itself");
        }

        var fields = t.Checks.LastOrDefault(c => c.Kind == CheckKind.CanBeFilled && !c.Passed)?.Found.Skip(1).ToList() ?? [];
        return fields.Count > 0 ? MergeFields.Say(fields) : Why.Reason(t.Reason);
    }
}
