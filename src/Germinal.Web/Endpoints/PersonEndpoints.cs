using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>A key date as a page shows it: <c>1975-06-14</c> or <c>--06-14</c>.</summary>
public sealed record KeyDateDto(string Name, string Date, bool Yearly);

/// <summary>What may be done on a channel, in words; Allowed is yes, no or unsaid.</summary>
public sealed record MayWe(string Channel, string Allowed, string Words);

/// <summary>A ledger entry.</summary>
public sealed record ConsentDto(string Channel, string? Purpose, string? Topic, bool In, string Basis, string At, string Source, string? Reason, string? By, string? TakenBackBy);

/// <summary>A run under way.</summary>
public sealed record RunDto(Guid Id, Guid ProgramId, string Program, string StartedAt, int Day, bool Paused, string? PausedUntil);

/// <summary>A person's page.</summary>
public sealed record PersonDto(
    Guid Id,
    int Edition,
    string Name,
    string? FirstName,
    string? LastName,
    string? Email,
    string? OtherEmail,
    string? Mobile,
    string? MobileExtension,
    string? OtherPhone,
    string? OtherPhoneExtension,
    string? Address,
    string? Zone,
    string? Tongue,
    string ClockZone,
    Guid? OwnerId,
    string? Owner,
    string? Stage,
    string? StageSince,
    string? Source,
    IReadOnlyList<string> Tags,
    IReadOnlyList<string> Lists,
    string AddedAt,
    bool DoNotContact,
    string? DoNotContactReason,
    string? DoNotContactUntil,
    bool DoNotContactToConfirm,
    bool Died,
    IReadOnlyList<KeyDateDto> Dates,
    IReadOnlyList<OwnValue> Own,
    IReadOnlyList<MayWe> MayWe,
    IReadOnlyList<ConsentDto> Ledger,
    IReadOnlyList<RunDto> Runs
);

/// <summary>A line of a thread, past or coming. Kind: email, call, hand-over, or an event's word. Act and Merge: what it is part of, where that can be taken back. Beside: whom it goes to or is about, where that is somebody else (rule 3.6). Trouble: it needs a hand, or does not go. WillNot: it does not go as things stand.</summary>
public sealed record ThreadLine(
    string Id,
    string At,
    string Kind,
    string Title,
    string? Detail,
    string? Status,
    Guid? TouchId,
    string? Program,
    string? By,
    string? Quoted = null,
    Guid? Act = null,
    Guid? Merge = null,
    long? Event = null,
    string? Beside = null,
    bool Trouble = false,
    bool WillNot = false
);

/// <summary>What was done, by which it can be taken back for as long as nothing has built on it.</summary>
/// <param name="Event">The event.</param>
public sealed record DoneDto(long Event);

/// <summary>Coming touches, soonest first, and a page of what was, newest first.</summary>
public sealed record ThreadDto(string Now, string Zone, IReadOnlyList<ThreadLine> Coming, IReadOnlyList<ThreadLine> Past, string? Next);

/// <summary>One person: who they are, consent, thread, and what a member does for them.</summary>
public static class PersonEndpoints
{
    private const int PastAtOnce = 40;

    public sealed record EditBody(int Edition, PersonFields Fields, bool Anyway = false);

    public sealed record RemarkBody([AtMost(Lengths.Remark)] string Text);

    public sealed record ReplyBody([AtMost(40)] string Channel, [AtMost(Lengths.Remark)] string? Text = null);

    /// <param name="DoNotContact">Whether nothing goes to them.</param>
    /// <param name="Reason">Why; kept with them.</param>
    /// <param name="Until">The date at whose beginning they may be contacted again (rule 6.2); null for good.</param>
    /// <param name="Died">True where it is because they have died; it needs no other reason and no date.</param>
    public sealed record ContactBody(bool DoNotContact, [AtMost(400)] string? Reason = null, [AtMost(10)] string? Until = null, bool Died = false);

    /// <param name="Channel">email, text, call or post.</param>
    /// <param name="In">A yes or a no.</param>
    /// <param name="Reason">Where it is known from.</param>
    /// <param name="Everything">True where it is about everything sent by the channel, false where only about commercial letters (rule 10.2).</param>
    public sealed record ConsentBody([AtMost(40)] string Channel, bool In, [AtMost(400)] string? Reason = null, bool Everything = false);

    public static void Map(IEndpointRouteBuilder app)
    {
        var person = app.MapGroup("/api/people/{id:guid}").WithTags("person").RequireAuthorization(Rights.Work);
        person.MapGet(
            "",
            async Task<Results<Ok<PersonDto>, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                await ReadAsync(db, id, stop) is { } dto ? TypedResults.Ok(dto) : TypedResults.NotFound()
        );
        person.MapGet("/thread", Thread);
        person.MapPatch("", Edit);
        person.MapPost(
            "/remarks",
            async Task<Results<NoContent, NotFound, ValidationProblem>> (Guid id, RemarkBody body, GerminalDb db, Caller caller, CancellationToken stop) =>
                string.IsNullOrWhiteSpace(body.Text) || body.Text.Length > Lengths.Remark
                    ? Problems.Field("text", Said("A remark needs some words, at most 20,000 letters."))
                    : await WriteAsync(db, caller, id, desk => desk.NewNote(id, EventKinds.Remark, ("text", body.Text.Trim())), stop)
        );
        person.MapPost(
            "/replies",
            async Task<Results<NoContent, NotFound, ValidationProblem>> (Guid id, ReplyBody body, GerminalDb db, Caller caller, CancellationToken stop) =>
                body.Channel is not ("email" or "text" or "call" or "post")
                    ? Problems.Field("channel", Said("Say how they answered: email, text, call or post."))
                    : await WriteAsync(
                        db,
                        caller,
                        id,
                        desk => desk.NewEvent(id, new Replied(desk.Now, Words.ChannelOf(body.Channel)), ("text", body.Text?.Trim() ?? "")),
                        stop
                    )
        );
        person.MapPost("/contact", SetContact);
        person.MapPost("/consent", SetConsent);
        person.MapPost(
            "/runs/{run:guid}/pause",
            async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem>> (
                Guid id,
                Guid run,
                string? until,
                GerminalDb db,
                Caller caller,
                CancellationToken stop
            ) =>
            {
                var end = await UntilDate.ReadAsync(db, until, stop);
                return end.Problem is { } problem
                    ? problem
                    : await PauseAsync(db, caller, id, run, (now, program) => new ProgramPaused(now, program, end.Date), stop);
            }
        );
        person.MapPost(
            "/runs/{run:guid}/resume",
            (Guid id, Guid run, GerminalDb db, Caller caller, CancellationToken stop) => PauseAsync(db, caller, id, run, (now, program) => new ProgramResumed(now, program), stop)
        );
        person.MapPost(
            "/runs/{run:guid}/stop",
            async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem>> (Guid id, Guid run, GerminalDb db, Caller caller, CancellationToken stop) =>
                await db.Runs.AnyAsync(r => r.Id == run && r.PersonId == id && r.EndedAt == null, stop)
                    ? await DoAsync(db, caller, id, desk => desk.NewEvent(id, new RunStoppedByHand(desk.Now, run, caller.Name)), stop)
                    : TypedResults.NotFound()
        );
        person.MapPost("/events/{happened:long}/undo", Undo);
    }

    private static async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem>> PauseAsync(
        GerminalDb db,
        Caller caller,
        Guid person,
        Guid run,
        Func<Instant, Guid, Happening> happened,
        CancellationToken stop
    ) =>
        await db.Runs.Where(r => r.Id == run && r.PersonId == person && r.EndedAt == null).Select(r => (Guid?)r.ProgramId).FirstOrDefaultAsync(stop)
            is { } program
            ? await DoAsync(db, caller, person, desk => desk.NewEvent(person, happened(desk.Now, program)), stop)
            : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> WriteAsync(
        GerminalDb db,
        Caller caller,
        Guid id,
        Func<PeopleDesk, EventRow> line,
        CancellationToken stop
    )
    {
        if (!await db.People.AnyAsync(p => p.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        db.Events.Add(line(await PeopleEndpoints.DeskAsync(db, caller, stop)));
        await db.SaveChangesAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>The same for what can be taken back.</summary>
    private static async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem>> DoAsync(
        GerminalDb db,
        Caller caller,
        Guid id,
        Func<PeopleDesk, EventRow> line,
        CancellationToken stop
    )
    {
        EventRow? written = null;
        var result = await WriteAsync(db, caller, id, desk => written = line(desk), stop);
        return result.Result is NoContent ? TypedResults.Ok(new DoneDto(written!.Id)) : TypedResults.NotFound();
    }

    /// <summary>Takes back what a member did to the person, for as long as nothing has built on it.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Undo(
        Guid id,
        long happened,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await db.Events.AsNoTracking().FirstOrDefaultAsync(e => e.Id == happened && e.PersonId == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var names = await db.ProgramsAndBroadcasts.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        var what = ThreadLines.Of(row, NodaTime.DateTimeZone.Utc, false, [], names).Title;
        return await new EventUndo(db, engines, caller.Name).TakeBackAsync(id, happened, what, stop) is { } why
            ? Problems.Conflict(why)
            : TypedResults.NoContent();
    }

    private static async Task<PersonDto?> ReadAsync(GerminalDb db, Guid id, CancellationToken stop)
    {
        var p = await db.People.AsNoTracking().FirstOrDefaultAsync(x => x.Id == id, stop);
        if (p is null)
        {
            return null;
        }

        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var facts = (await FactsReading.WithDetailsAsync(db, [p], stop))[id];
        var dates = await db.KeyDates.AsNoTracking().Where(d => d.PersonId == id).OrderBy(d => d.Name).ToListAsync(stop);
        var ledger = await db.Consent.IgnoreQueryFilters([GerminalDb.Standing]).AsNoTracking().Where(c => c.PersonId == id).OrderByDescending(c => c.At).ThenByDescending(c => c.Id).ToListAsync(stop);
        var runs = await db
            .Runs.AsNoTracking()
            .Where(r => r.PersonId == id && r.EndedAt == null)
            .OrderBy(r => r.StartedAt)
            .ThenBy(r => r.Id)
            .Join(
                db.ProgramsAndBroadcasts,
                r => r.ProgramId,
                g => g.Id,
                (r, g) =>
                    new
                    {
                        r.Id,
                        r.ProgramId,
                        g.Name,
                        r.StartedAt,
                        r.PausedAt,
                        r.PausedUntil,
                    }
            )
            .ToListAsync(stop);
        var zone = practice.ZoneOf(facts);
        return new PersonDto(
            p.Id,
            p.Edition,
            facts.Name,
            p.FirstName,
            p.LastName,
            p.Email,
            p.OtherEmail,
            p.Mobile,
            p.MobileExtension,
            p.OtherPhone,
            p.OtherPhoneExtension,
            p.Address,
            p.ZoneId,
            p.Tongue,
            zone.Id,
            p.OwnerId,
            practice.Members.FirstOrDefault(m => m.Id == p.OwnerId)?.Name,
            p.Stage,
            p.StageSince?.Iso(),
            p.Source,
            p.Tags,
            p.Lists,
            p.AddedAt.Iso(),
            p.DoNotContact,
            p.DoNotContactReason,
            p.DoNotContactUntil is { } allowed ? LocalDatePattern.Iso.Format(allowed) : null,
            p.DoNotContactToConfirm,
            p.Died,
            [.. dates.Select(d => new KeyDateDto(d.Name, new Core.Time.YearlyDate(d.Month, d.Day, d.Year).ToString(), d.Yearly))],
            OwnFields.Of(settings, p),
            [.. new[] { Channel.Email, Channel.Text, Channel.Call, Channel.Post }.Select(c => May(facts, practice, c, now, zone))],
            [
                .. ledger.Select(c => new ConsentDto(
                    c.Channel,
                    c.Purpose,
                    c.Topic,
                    c.IsIn,
                    c.Basis,
                    c.At.Iso(),
                    c.Source,
                    c.Reason,
                    c.By,
                    c.TakenBackBy
                )),
            ],
            [
                .. runs.Select(r => new RunDto(
                    r.Id,
                    r.ProgramId,
                    r.Name,
                    r.StartedAt.Iso(),
                    Period.DaysBetween(r.StartedAt.InZone(zone).Date, now.InZone(zone).Date),
                    r.PausedAt is not null,
                    r.PausedUntil?.Iso()
                )),
            ]
        );
    }

    private static MayWe May(PersonFacts person, Practice practice, Channel channel, Instant now, DateTimeZone zone)
    {
        var word = ContactWords.Of(channel);
        if (person.DoNotContact || person.Died)
        {
            return new MayWe(word, "no", person.Died ? Said("no, they have died") : Said("no, marked “do not contact”"));
        }

        var reading = ConsentLedger.Read(person.Consent, practice.Consent, channel, Purpose.Commercial, null, now, practice.Zone);
        var ofTheirs = ConsentLedger.Read(person.Consent, practice.Consent, channel, Purpose.Transactional, null, now, practice.Zone).Verdict;
        var source = reading.Decided is { } d ? $", {d.Source}" : "";
        var quiet = channel == Channel.Call ? Say($", {Phrases.Time(practice.QuietHours.From)} to {Phrases.Time(practice.QuietHours.To)} their time") : "";
        return reading.Verdict switch
        {
            ConsentVerdict.Allowed => new MayWe(word, "yes", Say($"yes{source}{quiet}")),
            ConsentVerdict.Withdrawn when ofTheirs == ConsentVerdict.Withdrawn => new MayWe(word, "no", Say($"no to everything{source}")),
            ConsentVerdict.Withdrawn => new MayWe(word, "no", Say($"no to commercial ones{source}; what is about their own dealings still goes")),
            _ => new MayWe(word, "unsaid", reading.Decided is null ? Said("nobody has said so") : Say($"no longer{source}")),
        };
    }

    private static async Task<Results<Ok<PersonDto>, NotFound, ValidationProblem, ProblemHttpResult>> Edit(
        Guid id,
        EditBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var person = await db.People.FirstOrDefaultAsync(p => p.Id == id, stop);
        if (person is null)
        {
            return TypedResults.NotFound();
        }

        if (person.Edition != body.Edition)
        {
            return Problems.Conflict(
                Said("Somebody else has changed this person since you opened the page. What you typed is still here; look at their change, then save again.")
            );
        }

        var problems = await PersonEdit.ApplyAsync(db, person, body.Fields, stop);
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        string[] given = [.. body.Fields.Email is null ? [] : new[] { "email" }, .. body.Fields.Mobile is null ? [] : new[] { "mobile" }];
        if (!body.Anyway && await SamePerson.FindAsync(db, person, given, stop) is { Count: > 0 } same)
        {
            return Problems.There(same);
        }

        person.Edition++;
        var desk = await PeopleEndpoints.DeskAsync(db, caller, stop);
        db.Events.Add(desk.NewEvent(id, new FactsChanged(desk.Now)));

        // What goes to them about others, and could not be filled, is judged again too (rule 3.6).
        var waiting = await db.Touches.Where(t => t.ReaderId == id && t.Status == TouchStatus.Blocked).Select(t => t.PersonId).Distinct().ToListAsync(stop);
        db.Events.AddRange(waiting.Where(about => about != id).Select(about => desk.NewEvent(about, new FactsChanged(desk.Now))));
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateConcurrencyException)
        {
            return Problems.Conflict(Said("Somebody else saved this person at the same moment. What you typed is still here; save again."));
        }

        return TypedResults.Ok((await ReadAsync(db, id, stop))!);
    }

    private static async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem>> SetContact(
        Guid id,
        ContactBody body,
        GerminalDb db,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        var person = await db.People.FirstOrDefaultAsync(p => p.Id == id, stop);
        if (person is null)
        {
            return TypedResults.NotFound();
        }

        var reason = body.Reason?.Trim();
        var died = body is { DoNotContact: true, Died: true };
        if (body.DoNotContact && !died && string.IsNullOrEmpty(reason) && string.IsNullOrEmpty(person.DoNotContactReason))
        {
            return Problems.Field("reason", Said("Say in a few words why; it is kept with the person."));
        }

        var until = await UntilDate.ReadAsync(db, body.DoNotContact && !died ? body.Until : null, stop);
        if (until.Problem is { } problem)
        {
            return problem;
        }

        (person.DoNotContact, person.Died) = (body.DoNotContact, died);
        person.DoNotContactUntil = until.Date;
        person.DoNotContactReason = body.DoNotContact
            ? reason is { Length: > 0 }
                ? reason
                : person.DoNotContactReason
            : null;
        person.DoNotContactToConfirm = false;
        person.Edition++;
        var desk = await PeopleEndpoints.DeskAsync(db, caller, stop);
        var happened = desk.NewEvent(
            id,
            body.DoNotContact ? new LeftForGood(desk.Now, died ? "died" : "do-not-contact", until.Date) : new MayBeContacted(desk.Now),
            ("reason", died ? "died" : person.DoNotContactReason ?? "")
        );
        db.Events.Add(happened);
        await db.SaveChangesAsync(stop);
        note.Say(!body.DoNotContact ? Said("they may") : died ? Said("no: they died") : $"no: {person.DoNotContactReason}");
        return TypedResults.Ok(new DoneDto(happened.Id));
    }

    private static Task<bool> NewestIsNoAsync(GerminalDb db, Guid person, string channel, CancellationToken stop) =>
        db
            .Consent.AsNoTracking()
            .Where(c => c.PersonId == person && c.Channel == channel && c.Topic == null && c.Purpose != "transactional")
            .OrderByDescending(c => c.At)
            .ThenByDescending(c => c.Id)
            .Take(1)
            .AnyAsync(c => !c.IsIn, stop);

    private static async Task<Results<Ok<DoneDto>, NotFound, ValidationProblem, ProblemHttpResult>> SetConsent(
        Guid id,
        ConsentBody body,
        GerminalDb db,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (body.Channel is not ("email" or "text" or "call" or "post"))
        {
            return Problems.Field("channel", Said("The channel is email, text, call or post."));
        }

        if (string.IsNullOrWhiteSpace(body.Reason))
        {
            return Problems.Field("reason", Said("Say where you have it from: “told me on the phone”, “signed the form”."));
        }

        if (!await db.People.AnyAsync(p => p.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        if (body.In && !caller.May(Rights.YesOverNo) && await NewestIsNoAsync(db, id, body.Channel, stop))
        {
            return Problems.NotYours(Rights.YesOverNo);
        }

        var happened = await (await PeopleEndpoints.DeskAsync(db, caller, stop)).AddConsentAsync(
            id,
            body.Channel,
            body.Everything ? null : "commercial",
            null,
            body.In,
            "express",
            body.Reason.Trim(),
            body.Reason.Trim(),
            stop
        );
        note.Say($"{(body.In ? "yes" : "no")} to {body.Channel}: {body.Reason.Trim()}");
        return TypedResults.Ok(new DoneDto(happened));
    }

    /// <summary>A page of the thread: what was before a key, newest first; on the first page also what comes.</summary>
    private static async Task<Results<Ok<ThreadDto>, NotFound>> Thread(Guid id, string? before, GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var row = await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop);
        if (row is null)
        {
            return TypedResults.NotFound();
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var zone = Core.Time.LocalClock.Zone(row.ZoneId) ?? practice.Zone;
        var until =
            before is not null && NodaTime.Text.InstantPattern.ExtendedIso.Parse(before).TryGetValue(default, out var at) && Core.Time.Dates.IsMeant(at)
                ? at
                : Instant.MaxValue;
        var names = await db.ProgramsAndBroadcasts.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        var engine = await programs.EngineAsync(db, stop);

        var touches = await db
            .Touches.AsNoTracking()
            .Where(t => (t.PersonId == id || (t.ReaderId == id && Reached.Contains(t.Status))) && t.SettledAt != null && (t.ClosedAt ?? t.SettledAt) < until)
            .OrderByDescending(t => t.ClosedAt ?? t.SettledAt)
            .Take(PastAtOnce + 1)
            .ToListAsync(stop);
        var ids = touches.Select(t => t.Id).ToList();
        var messages = await db.Messages.AsNoTracking().Where(m => ids.Contains(m.TouchId)).ToDictionaryAsync(m => m.TouchId, stop);
        var events = await db
            .Events.AsNoTracking()
            .Where(e =>
                e.PersonId == id
                && e.At < until
                && e.At <= now
                && e.Kind != EventKinds.Edited
                && e.Kind != EventKinds.TouchMarked
                && e.Kind != EventKinds.CallEnded
                && e.Kind != EventKinds.TaskEnded
                && e.Kind != EventKinds.TaskMissed
                && e.Kind != EventKinds.RunStopped
                && e.Kind != EventKinds.Occasion
                && e.Kind != EventKinds.Start
                && e.Kind != EventKinds.TextedWord
                && e.Kind != EventKinds.Delivered
            )
            .OrderByDescending(e => e.At)
            .ThenByDescending(e => e.Id)
            .Take(PastAtOnce + 1)
            .ToListAsync(stop);
        var runs = await db
            .Runs.AsNoTracking()
            .Where(r => r.PersonId == id && (r.StartedAt < until || r.EndedAt < until))
            .OrderByDescending(r => r.StartedAt)
            .Take(PastAtOnce + 1)
            .ToListAsync(stop);
        var refusals = await db
            .Refusals.AsNoTracking()
            .Where(r => r.PersonId == id && r.At < until)
            .OrderByDescending(r => r.At)
            .Take(PastAtOnce + 1)
            .ToListAsync(stop);

        var watched = await db
            .FilmViews.AsNoTracking()
            .Where(v => v.PersonId == id && v.At < until)
            .Join(db.Films, v => v.FilmId, f => f.Id, (v, f) => new { View = v, Film = f })
            .OrderByDescending(v => v.View.At)
            .Take(PastAtOnce + 1)
            .ToListAsync(stop);

        var facts = (await FactsReading.WithDetailsAsync(db, [row], stop, engine))[id];
        var others = await OthersAsync(db, id, touches, engine, stop);
        (string Title, string? Beside) Titles(TouchRow t)
        {
            var about = t.PersonId == id ? facts : others[t.PersonId];
            var step = engine.Shelf.Find(t.ProgramId, t.Version).Definition.StepOf(t.StepId)!;
            var to = Readers.Find(practice, about, step, t.ReaderId);
            var title = ((Channels.Letters.LiquidLetters)engine.Templates).FillText(
                ThreadLines.TitleOf(step),
                to ?? about,
                practice,
                practice.SenderFor(about, step),
                now,
                []
            );
            return (
                title,
                t.PersonId != id ? Say($"about {about.Name}")
                    : t.ReaderId is { } reader ? Say($"to {to?.Reader.Name ?? others.GetValueOrDefault(reader)?.Name ?? Said("somebody")}")
                    : null
            );
        }

        var mine = await db
            .Events.AsNoTracking()
            .Where(e => e.PersonId == id && e.At < until && e.ActId != null && db.Acts.Any(a => a.Id == e.ActId && a.UndoneAt == null))
            .OrderByDescending(e => e.At)
            .Take(PastAtOnce + 1)
            .Select(e => new { e.Id, e.At, e.Kind, Act = e.ActId })
            .ToListAsync(stop);
        var starts = mine.Where(e => e.Kind == EventKinds.Start).ToLookup(e => e.At, e => e.Act);
        var undoable = mine.Select(e => e.Id).ToHashSet();
        var merges = await db.Merges.AsNoTracking().Where(m => m.KeptId == id && m.UndoneAt == null).Select(m => m.Id).ToListAsync(stop);
        // What can be taken back is what nothing has built on: they stand as it left them.
        var standing = await db.States.AsNoTracking().Where(s => s.PersonId == id).Select(s => s.State).FirstOrDefaultAsync(stop) is { } json
            ? PersonStateJson.Read(json)
            : PersonState.Empty;
        var kept = await db
            .Events.AsNoTracking()
            .Where(e => e.PersonId == id && e.After != null)
            .OrderByDescending(e => e.At)
            .ThenByDescending(e => e.Id)
            .Take(PastAtOnce)
            .ToListAsync(stop);

        // Another process may have written it, in another order of what has none.
        var marked = kept.FindAll(e => TakingBack.NothingBuiltOn(standing, PersonStateJson.Read(e.After!)));
        long? Taking(string key, Guid of) => marked.Find(e => e.Data.GetValueOrDefault(key) == of.ToString())?.Id;
        var lines = touches
            .Select(t => (At: t.ClosedAt ?? t.SettledAt!.Value, Rank: 3, Line: ThreadLines.Of(t, messages.GetValueOrDefault(t.Id), names, Titles(t)) with { Event = Taking("touch", t.Id) }))
            .Concat(events.Select(e => (e.At, Rank: 1, Line: ThreadLines.Of(e, zone, undoable.Contains(e.Id), merges, names) with { Event = marked.Exists(m => m.Id == e.Id) ? e.Id : null })))
            .Concat(runs.Where(r => r.StartedAt < until).Select(r => (At: r.StartedAt, Rank: 2, Line: ThreadLines.Started(r, names, zone, starts[r.StartedAt].FirstOrDefault()))))
            .Concat(runs.Where(r => r.EndedAt is { } end && end < until).Select(r => (At: r.EndedAt!.Value, Rank: 4, Line: ThreadLines.Ended(r, names) with { Event = Taking("run", r.Id) })))
            .Concat(refusals.Select(r => (r.At, Rank: 2, Line: ThreadLines.Refused(r, names))))
            .Concat(watched.Select(w => (w.View.At, Rank: 1, Line: ThreadLines.Watched(w.View, w.Film))))
            .OrderByDescending(l => l.At)
            .ThenByDescending(l => l.Rank)
            .ToList();

        // A page ends between two moments, never within one, so that the next begins cleanly.
        var page = lines;
        string? next = null;
        if (lines.Count > PastAtOnce)
        {
            var edge = lines[PastAtOnce - 1].At;
            page = [.. lines.TakeWhile(l => l.At >= edge)];
            next = lines.Count > page.Count ? NodaTime.Text.InstantPattern.ExtendedIso.Format(edge) : null;
        }

        var coming = before is null ? Coming(engine, facts, standing, now, practice) : [];
        if (before is null && !row.Died)
        {
            // Meetings stand among what is coming.
            var meetings = await db
                .Appointments.AsNoTracking()
                .Where(a => a.PersonId == id && a.CancelledAt == null && a.At > now)
                .OrderBy(a => a.At)
                .Take(PastAtOnce)
                .ToListAsync(stop);
            coming = [.. coming.Concat(meetings.Select(ThreadLines.Meeting)).OrderBy(l => l.At, StringComparer.Ordinal)];
        }

        return TypedResults.Ok(new ThreadDto(now.Iso(), zone.Id, coming, [.. page.Select(l => l.Line)], next));
    }

    /// <summary>What somebody else's program wrote to a person stands in their thread where it reached them (rule 3.6).</summary>
    private static readonly TouchStatus[] Reached = [TouchStatus.Sent, TouchStatus.Open, TouchStatus.Done];

    /// <summary>Whom a page of a thread is about or who read it, beside the person whose thread it is.</summary>
    private static Task<Dictionary<Guid, PersonFacts>> OthersAsync(
        GerminalDb db,
        Guid person,
        IReadOnlyList<TouchRow> touches,
        TouchEngine engine,
        CancellationToken stop
    )
    {
        var ids = touches.SelectMany(t => new[] { t.PersonId, t.ReaderId }).OfType<Guid>().Where(o => o != person).Distinct().ToList();
        return ids.Count == 0 ? Task.FromResult(new Dictionary<Guid, PersonFacts>()) : FactsReading.LoadAsync(db, ids, stop, engine);
    }

    /// <summary>A year ahead, rehearsed by the engine from the person's state.</summary>
    private static IReadOnlyList<ThreadLine> Coming(TouchEngine engine, PersonFacts facts, PersonState state, Instant now, Practice practice)
    {
        if (facts.DoNotContact || facts.Died || facts.Archived)
        {
            return [];
        }

        var touches = Rehearsal.Of(engine, facts, state, now, now + Duration.FromDays(366), null, 40);
        var liquid = (Channels.Letters.LiquidLetters)engine.Templates;
        return
        [
            .. touches
                .Where(t => t.Step is not (HandOverStep or ForkStep or SplitStep or ChangeStep or EndStep))
                .OrderBy(t => t.SettledAt ?? t.Due)
                .Select(t => ThreadLines.Coming(t, facts, practice, state, liquid)),
        ];
    }
}
