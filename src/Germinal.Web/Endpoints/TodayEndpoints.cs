using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A call to make. Number as dialled; their time of day where it differs.</summary>
public sealed record CallDto(Guid TouchId, PersonRef Person, string Program, int Day, string Due, string? Number, string? Extension, string? TheirTime, string Script, string? LastSent, string? LastSentAt);

/// <summary>A message that goes out today or tomorrow. Status: planned, held, or skipped by what is known now.</summary>
public sealed record GoingDto(Guid TouchId, PersonRef Person, Guid ProgramId, string Program, string StepId, string Due, bool IsToday, string Subject, bool Held, string? Problem, bool Planned);

/// <summary>How many letters of one step go on one of the two days.</summary>
public sealed record GoingCount(Guid ProgramId, string StepId, bool IsToday, int Count);

/// <summary>Something that waits for a member: a refused start, or a do-not-contact to confirm.</summary>
public sealed record WaitingDto(string Id, string Kind, PersonRef Person, string At, string Text);

/// <summary>A touch that could not go.</summary>
public sealed record MendingDto(Guid TouchId, PersonRef Person, string Due, string Subject, string Problem, string? Field);

/// <summary>The day sheet.</summary>
public sealed record TodayDto(string Now, string Zone, int CallsInAll, IReadOnlyList<CallDto> Calls, int GoingToday, int GoingTomorrow, IReadOnlyList<GoingDto> Going, IReadOnlyList<GoingCount> GoingCounts, int WaitingInAll, IReadOnlyList<WaitingDto> Waiting, int MendingInAll, IReadOnlyList<MendingDto> Mending);

/// <summary>The day sheet: what to do now.</summary>
public static class TodayEndpoints
{
    private const int Shown = 60;
    private const int LettersShown = 240;

    public static void Map(IEndpointRouteBuilder app)
    {
        var today = app.MapGroup("/api/today").WithTags("today").RequireAuthorization();
        today.MapGet("", Read);
        today.MapPost("/waiting/{id}/seen", Seen);
    }

    private static async Task<TodayDto> Read(GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var engine = await programs.EngineAsync(db, stop);
        var zone = engine.Practice.Zone;
        var today = now.InZone(zone).Date;
        var tomorrow = today.PlusDays(1).AtStartOfDayInZone(zone).ToInstant();
        var after = today.PlusDays(2).AtStartOfDayInZone(zone).ToInstant();

        // On the sheet, or due in the course of the day.
        var open = db.Touches.AsNoTracking().Where(t => t.Kind == "call" && (t.Status == "open" || (t.Status == "planned" && t.Due < tomorrow && !t.Held)));
        var calls = await open.OrderBy(t => t.Due).ThenBy(t => t.Id).Take(Shown).ToListAsync(stop);
        var planned = db.Touches.AsNoTracking().Where(t => t.Status == "planned" && t.Kind == "email" && t.Due < after);
        var going = await planned.OrderBy(t => t.Due).ThenBy(t => t.Id).Take(LettersShown).ToListAsync(stop);
        var counts = await planned.GroupBy(t => new { t.ProgramId, t.StepId, IsToday = t.Due < tomorrow }).Select(g => new GoingCount(g.Key.ProgramId, g.Key.StepId, g.Key.IsToday, g.Count())).ToListAsync(stop);
        var goingToday = counts.Where(c => c.IsToday).Sum(c => c.Count);
        var goingInAll = counts.Sum(c => c.Count);
        var stuck = db.Touches.AsNoTracking().Where(t => t.Status == "blocked" || t.Status == "uncertain");
        var mending = await stuck.OrderBy(t => t.FirstDue).ThenBy(t => t.Id).Take(Shown).ToListAsync(stop);
        var refused = db.Refusals.AsNoTracking().Where(r => r.DismissedAt == null);
        var refusals = await refused.OrderByDescending(r => r.At).Take(Shown).ToListAsync(stop);
        var confirm = db.People.AsNoTracking().Where(p => p.DoNotContactToConfirm);
        var toConfirm = await confirm.OrderBy(p => p.SortName).Take(Shown).ToListAsync(stop);
        var occasions = await db.Events.AsNoTracking().Where(e => e.HandledAt == null && e.Kind == EventKinds.Occasion && e.At < after).OrderBy(e => e.At).Take(Shown).ToListAsync(stop);

        var ids = calls.Concat(going).Concat(mending).Select(t => t.PersonId).Concat(refusals.Select(r => r.PersonId)).Concat(occasions.Select(o => o.PersonId)).Distinct().ToList();
        var rows = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
        var facts = await FactsReading.WithDetailsAsync(db, [.. rows.Values], stop);
        var names = await db.Programs.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        var callees = calls.Select(c => c.PersonId).Distinct().ToList();
        var last = (await db.Messages.AsNoTracking().Where(m => callees.Contains(m.PersonId)).GroupBy(m => m.PersonId)
            .Select(g => g.OrderByDescending(m => m.SentAt).Select(m => new { m.PersonId, m.Subject, m.SentAt }).First()).ToListAsync(stop)).ToDictionary(m => m.PersonId);
        var runIds = calls.Select(c => c.RunId).ToList();
        var starts = await db.Runs.AsNoTracking().Where(r => runIds.Contains(r.Id)).ToDictionaryAsync(r => r.Id, r => r.StartedAt, stop);
        var liquid = (LiquidLetters)engine.Templates;
        PersonRef Ref(Guid id) => new(id, facts[id].Name);

        var callDtos = calls.Select(t =>
        {
            var person = facts[t.PersonId];
            var theirs = engine.Practice.ZoneOf(person);
            var script = (CallStep)StepOf(engine, t);
            var sent = last.GetValueOrDefault(t.PersonId);
            return new CallDto(
                t.Id, Ref(t.PersonId), names.GetValueOrDefault(t.ProgramId, ""), Period.DaysBetween(starts[t.RunId].InZone(theirs).Date, t.FirstDue.InZone(theirs).Date), t.FirstDue.ToString(), person.AddressOf(Channel.Call),
                person.Mobile is not null ? rows[t.PersonId].MobileExtension : rows[t.PersonId].OtherPhoneExtension,
                theirs.Id == zone.Id ? null : Phrases.Time(now.InZone(theirs).TimeOfDay),
                liquid.FillText(script.Script, person, engine.Practice, engine.Practice.SenderFor(person), now, []), sent?.Subject, sent?.SentAt.ToString());
        }).ToList();

        var goingDtos = going.Select(t => Going(t.Id, t.PersonId, t.ProgramId, (EmailStep)StepOf(engine, t), t.Due, t.Held, true)).ToList();
        var celebrating = occasions.Select(o => o.PersonId).Distinct().ToList();
        var states = (await db.States.AsNoTracking().Where(s => celebrating.Contains(s.PersonId)).ToListAsync(stop)).ToDictionary(s => s.PersonId, s => PersonStateJson.Read(s.State));
        goingDtos.AddRange(FromOccasions(engine, occasions, facts, states, after).Select(t => Going(
            t.Touch.TouchId, t.Person, t.Touch.Program.ProgramId, (EmailStep)t.Touch.Step, t.Touch.Due,
            states.TryGetValue(t.Person, out var s) && s.Marks.GetValueOrDefault(t.Touch.TouchId, TouchMark.Dropped) == TouchMark.Held, false)));

        GoingDto Going(Guid touch, Guid person, Guid program, EmailStep step, Instant due, bool held, bool isPlanned)
        {
            var missing = new List<string>();
            var subject = liquid.FillText(step.Subject, facts[person], engine.Practice, engine.Practice.SenderFor(facts[person]), due, missing);
            missing.AddRange(engine.Templates.Missing(step, facts[person], engine.Practice, engine.Practice.SenderFor(facts[person]), due));
            return new GoingDto(touch, Ref(person), program, names.GetValueOrDefault(program, ""), step.Id, due.ToString(), due < tomorrow, subject, held, missing.Count > 0 ? $"nothing for “{missing[0]}”" : null, isPlanned);
        }

        var waiting = refusals.Select(r => new WaitingDto(
                $"r{r.Id}", "refused", Ref(r.PersonId), r.At.ToString(), $"“{names.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}"))
            .Concat(toConfirm.Select(p => new WaitingDto($"c{p.Id:N}", "confirm", new PersonRef(p.Id, PeopleEndpoints.NameOf(p)), p.AddedAt.ToString(), $"the list said “{p.DoNotContactReason}”; nothing goes to them until you say otherwise")))
            .ToList();
        var mendings = mending.Select(t => new MendingDto(
            t.Id, Ref(t.PersonId), t.FirstDue.ToString(), StepOf(engine, t) is EmailStep e ? liquid.FillText(e.Subject, facts[t.PersonId], engine.Practice, null, now, []) : t.StepId,
            ProblemOf(t), t.Checks.LastOrDefault(c => c.Kind == CheckKind.CanBeFilled && !c.Passed)?.Found.ElementAtOrDefault(1))).ToList();
        var ordered = goingDtos.OrderBy(g => g.Due, StringComparer.Ordinal).ToList();
        var occasionsToday = ordered.Count(g => !g.Planned && g.IsToday);
        var occasionsTomorrow = ordered.Count(g => !g.Planned && !g.IsToday);
        return new TodayDto(
            now.ToString(), zone.Id, await open.CountAsync(stop), callDtos, goingToday + occasionsToday, goingInAll - goingToday + occasionsTomorrow, ordered, counts,
            await refused.CountAsync(stop) + await confirm.CountAsync(stop), waiting, await stuck.CountAsync(stop), mendings);
    }

    private static Step StepOf(TouchEngine engine, TouchRow t) => engine.Shelf.Find(t.ProgramId, t.Version).Definition.Steps.First(s => s.Id == t.StepId);

    /// <summary>Occasions still to come start runs whose first letters belong on the sheet already.</summary>
    private static IEnumerable<(Guid Person, RehearsedTouch Touch)> FromOccasions(TouchEngine engine, IReadOnlyList<EventRow> occasions, Dictionary<Guid, Core.People.PersonFacts> facts, Dictionary<Guid, PersonState> states, Instant until)
    {
        foreach (var row in occasions)
        {
            if (EventKinds.ToHappening(row, facts[row.PersonId], engine.Practice) is OccasionCame came)
            {
                foreach (var touch in Rehearsal.Of(engine, facts[row.PersonId], states.GetValueOrDefault(row.PersonId, PersonState.Empty), came.At, until, came, 10)
                    .Where(t => t.Program.ProgramId == came.ProgramId && t.Step is EmailStep && t.Outcome is Outcome.Sent or null))
                {
                    yield return (row.PersonId, touch);
                }
            }
        }
    }

    private static string ProblemOf(TouchRow t)
    {
        if (t.Status == "uncertain")
        {
            return "nobody can say whether it arrived; it is not sent again by itself";
        }

        var fields = t.Checks.LastOrDefault(c => c.Kind == CheckKind.CanBeFilled && !c.Passed)?.Found.Skip(1).ToList() ?? [];
        return fields.Count > 0 ? $"nothing to put for {string.Join(" and ", fields.Select(f => $"“{f}”"))}" : Why.Reason(t.Reason);
    }

    private static async Task<Microsoft.AspNetCore.Http.HttpResults.Results<Microsoft.AspNetCore.Http.HttpResults.NoContent, Microsoft.AspNetCore.Http.HttpResults.NotFound>> Seen(string id, GerminalDb db, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var changed = long.TryParse(id.TrimStart('r'), out var number)
            ? await db.Refusals.Where(r => r.Id == number && r.DismissedAt == null).ExecuteUpdateAsync(u => u.SetProperty(r => r.DismissedAt, now), stop)
            : 0;
        return changed == 1 ? TypedResults.NoContent() : TypedResults.NotFound();
    }
}
