using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Service.Posts;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A sentence of a why; tone is passed, failed or told.</summary>
public sealed record SentenceDto(string Tone, string Text);

/// <summary>A touch picked: what it says, and why it went, waits, or did not.</summary>
/// <param name="CanMove">Whether it can be moved to another day.</param>
/// <param name="MovedTo">The day to which a member has moved it, as <c>YYYY-MM-DD</c>; null where that is its own.</param>
/// <param name="Proof">How far it is with being read; null for what has gone, or is no message.</param>
public sealed record TouchDto(
    Guid Id,
    PersonRef Person,
    string Program,
    string Kind,
    string Status,
    string Heading,
    string? Subject,
    string? Html,
    string? From,
    string? To,
    IReadOnlyList<SentenceDto> Why,
    bool CanHold,
    bool Held,
    bool CanOverrule,
    string Step,
    bool CanMove,
    string? MovedTo,
    ProofState? Proof
);

/// <summary>Of a message that is to come: how far it is with being read.</summary>
/// <param name="Read">Somebody has read it and found it fine.</param>
/// <param name="Waits">It goes only once somebody has (its program says so).</param>
/// <param name="Reworded">It has words of its own.</param>
public sealed record ProofState(bool Read, bool Waits, bool Reworded);

/// <summary>One touch: its why and its message; holding, dropping, and how a call ended.</summary>
public static class TouchEndpoints
{
    private static IReadOnlyList<string> TaskKinds => TaskStep.Kinds;

    public sealed record DoneBody([AtMost(Lengths.Name)] string Outcome, [AtMost(Lengths.Remark)] string? Remark = null, NextBody? Next = null);

    public sealed record OverruleBody(Guid Person, [AtMost(400)] string Reason);

    public static void Map(IEndpointRouteBuilder app)
    {
        var touches = app.MapGroup("/api/touches/{id:guid}").WithTags("touches").RequireAuthorization(Rights.Work);
        touches.MapGet("", Read);
        touches.MapPost("/done", Done);
        touches.MapPost("/undo", Undo);
        touches.MapPost("/overrule", Overrule).RequireAuthorization(Rights.OverruleConsent);
        touches.MapPost("/arrived", (Guid id, GerminalDb db, CancellationToken stop) => Decide(id, true, db, stop));
        touches.MapPost("/not-arrived", (Guid id, GerminalDb db, CancellationToken stop) => Decide(id, false, db, stop));
        touches.MapPost(
            "/hold",
            (Guid id, Guid person, GerminalDb db, ActNow acts, Caller caller, CancellationToken stop) => Mark(id, person, TouchMark.Held, db, acts, caller, stop)
        );
        touches.MapPost(
            "/release",
            (Guid id, Guid person, GerminalDb db, ActNow acts, Caller caller, CancellationToken stop) => Mark(id, person, null, db, acts, caller, stop)
        );
        touches.MapPost(
            "/read",
            (Guid id, Guid person, GerminalDb db, ActNow acts, Caller caller, CancellationToken stop) => Mark(id, person, TouchMark.Read, db, acts, caller, stop)
        );
        touches.MapPost(
            "/drop",
            (Guid id, Guid person, GerminalDb db, ActNow acts, Caller caller, CancellationToken stop) => Mark(id, person, TouchMark.Dropped, db, acts, caller, stop)
        );
    }

    /// <summary>A touch by its id; one that is only foreseen is rehearsed for its person.</summary>
    private static async Task<Results<Ok<TouchDto>, NotFound>> Read(
        Guid id,
        Guid? person,
        GerminalDb db,
        ProgramDesk programs,
        LetterWriter writer,
        CancellationToken stop
    )
    {
        var touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
        var personId = touch?.PersonId ?? person;
        if (personId is null || !await db.People.AnyAsync(p => p.Id == personId, stop))
        {
            return TypedResults.NotFound();
        }

        var engine = await programs.EngineAsync(db, stop);
        var facts = (await FactsReading.LoadAsync(db, [personId.Value], stop, engine))[personId.Value];
        var now = await PracticeClock.NowAsync(db, stop);
        return touch is null
            ? await ForeseenAsync(db, engine, writer, facts, id, now, stop)
            : TypedResults.Ok(await RecordedAsync(db, engine, writer, facts, touch, now, stop));
    }

    private static async Task<TouchDto> RecordedAsync(
        GerminalDb db,
        TouchEngine engine,
        LetterWriter writer,
        Core.Contact.PersonFacts facts,
        TouchRow touch,
        Instant now,
        CancellationToken stop
    )
    {
        var practice = engine.Practice;
        var zone = practice.ZoneOf(facts);
        var definition = engine.Shelf.Find(touch.ProgramId, touch.Version).Definition;
        var step = facts.Worded(touch.Id, definition.StepOf(touch.StepId)!);
        var to = Readers.Find(practice, facts, step, touch.ReaderId) ?? facts;
        var run = await db.Runs.AsNoTracking().SingleAsync(r => r.Id == touch.RunId, stop);
        var why = new List<WhySentence> { Why.Started(run.Cause, definition.Name, run.StartedAt, zone) };
        if (touch.Plan is { } plan)
        {
            why.Add(Why.Planned(plan, touch.FirstDue, zone));
        }

        if (touch.MovedTo is { } moved)
        {
            why.Add(Moved(moved));
        }

        // The first three checks are only worth a line when they fail.
        why.AddRange(touch.Checks.Where(c => !c.Passed || c.Kind > CheckKind.OnlyIf).Select(c => Why.Of(c, facts.Name, zone)));
        var status = touch.Held ? "held" : touch.Status.Word();
        var canHold = touch.Status is TouchStatus.Planned or TouchStatus.Blocked;
        var state = canHold ? await StateOfAsync(db, touch.PersonId, stop) : PersonState.Empty;
        why.Add(Ending(touch, status, zone));
        if (
            status == "planned"
            && Rehearsal
                .Of(engine, facts, state, now, Instant.Max(touch.Due, now) + Duration.FromDays(1), null, 60)
                .FirstOrDefault(t => t.TouchId == touch.Id) is { } foreseen
        )
        {
            why.Add(AsThingsStand(foreseen));
        }

        var message = await db.Messages.AsNoTracking().FirstOrDefaultAsync(m => m.TouchId == touch.Id, stop);
        var (subject, html) = (message?.Subject, message?.Html);
        if (message is null && step is EmailStep email)
        {
            var letter = writer.Fill(email, definition.PurposeOf(email), touch.Id, to, practice, practice.SenderFor(facts, step), Instant.Max(touch.Due, now));
            (subject, html) = (letter.Subject, letter.BodyHtml);
        }
        else if (message is { Channel: "text" })
        {
            (subject, html) = (null, LetterHtml.FromBody(LetterHtml.Encode(message.Text)));
        }
        else if (message is null && step.Templates is [var words, ..])
        {
            html = LetterHtml.FromBody(
                LetterHtml.Encode(((LiquidLetters)engine.Templates).FillText(words.Text, to, practice, practice.SenderFor(facts, step), now, []))
            );
        }

        var proof = canHold ? ProofOf(definition, step, state, facts, touch.Id) : null;
        if (Unread(proof) is { } unread)
        {
            why.Add(unread);
        }

        return new TouchDto(
            touch.Id,
            new PersonRef(facts.Id, facts.Name),
            definition.Name,
            touch.Kind,
            status,
            Heading(touch.Kind, status),
            subject,
            html?.Replace(writer.BaseUrl + "/i/", "/i/", StringComparison.Ordinal),
            practice.SenderFor(facts, step)?.Name,
            message?.ToAddress ?? to.Reader.Email,
            [.. why.Select(w => new SentenceDto(w.Tone, w.Text))],
            canHold,
            touch.Held,
            canHold && LacksConsent(practice, to.Reader, definition, step, now) && !state.Overruled.ContainsKey(touch.Id),
            touch.StepId,
            touch.Status is TouchStatus.Planned or TouchStatus.Open,
            touch.MovedTo?.Iso(),
            proof
        );
    }

    private static ProofState? ProofOf(ProgramDefinition definition, Step step, PersonState state, Core.Contact.PersonFacts facts, Guid touch) =>
        step.IsMessage ? new ProofState(state.HasBeenRead(touch), definition.WaitsToBeRead, facts.OwnWords.ContainsKey(touch)) : null;

    private static WhySentence? Unread(ProofState? proof) =>
        proof switch
        {
            { Read: true } => new("passed", Said("Somebody has read it and found it fine.")),
            { Waits: true } => new("failed", Said("It waits until somebody has read it; its program says so.")),
            _ => null,
        };

    private static WhySentence Moved(LocalDate to) => new("told", Say($"A member moved it to {Phrases.Day(to)}."));

    /// <summary>Nobody said it may go; a no is another matter, and never overruled (rule 10.5).</summary>
    private static bool LacksConsent(Practice practice, Core.Contact.PersonFacts facts, ProgramDefinition definition, Step step, Instant now) =>
        step.Channel is { } channel && step.To is not ToOwner && TouchEngine.ConsentFor(practice, facts, definition, step, channel, now).Verdict == Core.Contact.ConsentVerdict.Missing;

    internal static async Task<PersonState> StateOfAsync(GerminalDb db, Guid person, CancellationToken stop) =>
        await db.States.AsNoTracking().Where(s => s.PersonId == person).Select(s => s.State).FirstOrDefaultAsync(stop) is { } json
            ? PersonStateJson.Read(json)
            : PersonState.Empty;

    private static string Heading(string kind, string status) =>
        (kind, status) switch
        {
            ("call", _) => Said("Why this call"),
            ("note", _) => Said("Why this note"),
            ("task", _) => Said("Why this task"),
            ("post", _) => Said("Why this post"),
            (_, "sent") => Said("Why it went"),
            (_, "planned" or "handing") => Said("Why it is coming"),
            (_, "held") => Said("Why it waits"),
            (_, "handed-over") => Said("Why it was handed over"),
            _ => Said("Why it did not go"),
        };

    /// <summary>What the rehearsal says now of a touch that is to come.</summary>
    private static WhySentence AsThingsStand(RehearsedTouch touch) =>
        touch.WillNot is { } why
            ? new WhySentence("failed", Say($"As things stand it will not go: {why}."))
            : new WhySentence("passed", Said("As things stand it will go."));

    private static WhySentence Ending(TouchRow t, string status, DateTimeZone zone)
    {
        var when = t.SettledAt is { } at ? Phrases.Moment(at, zone) : Phrases.Moment(t.Due, zone);
        var reason = Why.Reason(t.Reason);
        return status switch
        {
            "sent" => new("passed", Say($"It went out {when}.")),
            "planned" => new("told", Say($"It will be judged again when it is due, {Phrases.Moment(t.Due, zone)}.")),
            "handing" => new("told", Said("It is being handed to the mail server.")),
            "held" => new("failed", Said("It is held: somebody of the practice stopped it for now. It goes when it is released.")),
            "uncertain" => new(
                "failed",
                Said("It was handed over when the work was interrupted, and the provider cannot say whether it arrived. It is not sent again by itself.")
            ),
            "blocked" => new("failed", Say($"It waits to be mended until {Phrases.Moment(t.Due, zone)}; then it is given up and the program goes on.")),
            "open" => new("told", Say($"It was put on the day sheet {when}.")),
            "done" => new("passed", Say($"It was done{(t.CallOutcome is null ? "" : $": {t.CallOutcome}")}.")),
            "handed-over" => new("passed", Say($"It was handed over {when}.")),
            _ => new("failed", Say($"It did not go: {reason}.")),
        };
    }

    private static async Task<Results<Ok<TouchDto>, NotFound>> ForeseenAsync(
        GerminalDb db,
        TouchEngine engine,
        LetterWriter writer,
        Core.Contact.PersonFacts facts,
        Guid id,
        Instant now,
        CancellationToken stop
    )
    {
        var state = await StateOfAsync(db, facts.Id, stop);
        var found = Rehearsal.Of(engine, facts, state, now, now + Duration.FromDays(366), null, 60).FirstOrDefault(t => t.TouchId == id);
        if (found is null)
        {
            return TypedResults.NotFound();
        }

        var practice = engine.Practice;
        var zone = practice.ZoneOf(facts);
        var definition = found.Program.Definition;
        var step = facts.Worded(id, found.Step);
        var to = Readers.Find(practice, facts, step, found.Reader) ?? facts;
        var held = state.Marks.GetValueOrDefault(id, TouchMark.Dropped) == TouchMark.Held;
        var why = new List<WhySentence>
        {
            new("told", Say($"It is a step of “{definition.Name}”, and falls due {Phrases.Moment(found.Due, zone)} if nothing changes.")),
            AsThingsStand(found),
        };
        if (state.Moves.TryGetValue(id, out var moved))
        {
            why.Add(Moved(moved));
        }

        if (held)
        {
            why.Add(new("failed", Said("It is held: somebody of the practice stopped it for now. It goes when it is released.")));
        }

        var proof = ProofOf(definition, step, state, facts, id);
        if (Unread(proof) is { } unread)
        {
            why.Add(unread);
        }

        string? subject = null,
            html = null;
        if (step is EmailStep email)
        {
            var letter = writer.Fill(email, definition.PurposeOf(email), id, to, practice, practice.SenderFor(facts, step), found.SettledAt ?? found.Due);
            (subject, html) = (letter.Subject, letter.BodyHtml);
        }
        else if (step.Templates is [var words, ..])
        {
            html = LetterHtml.FromBody(
                LetterHtml.Encode(((LiquidLetters)engine.Templates).FillText(words.Text, to, practice, practice.SenderFor(facts, step), found.Due, []))
            );
        }

        return TypedResults.Ok(
            new TouchDto(
                id,
                new PersonRef(facts.Id, facts.Name),
                definition.Name,
                found.Step.Kind,
                held ? "held" : "coming",
                found.Step is CallStep ? Said("Why this call") : Said("Why it is coming"),
                subject,
                html,
                practice.SenderFor(facts, step)?.Name,
                to.Reader.Email,
                [.. why.Select(w => new SentenceDto(w.Tone, w.Text))],
                found.Step is EmailStep,
                held,
                LacksConsent(practice, to.Reader, definition, found.Step, now) && !state.Overruled.ContainsKey(id),
                found.Step.Id,
                found.Step is EmailStep or TextStep or TaskStep,
                moved == default ? null : moved.Iso(),
                proof
            )
        );
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Done(
        Guid id,
        DoneBody body,
        GerminalDb db,
        ActNow acts,
        ProgramDesk programs,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        var touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id && TaskKinds.Contains(t.Kind), stop);
        if (touch is null)
        {
            return TypedResults.NotFound();
        }

        var said = await CallDone.ReadAsync(db, touch.Kind, body.Outcome, body.Next, stop);
        if (said.Problem is { } problem)
        {
            return problem;
        }

        if (touch.Kind == "post")
        {
            // What stood there is shown in the feed, filled as it was.
            await PostDesk.KeepTouchesAsync(db, await programs.EngineAsync(db, stop), id, await PracticeClock.NowAsync(db, stop), stop);
        }

        var done = await acts.TakeAsync(
            db,
            touch.PersonId,
            async now =>
            {
                touch = await db.Touches.AsNoTracking().SingleAsync(t => t.Id == id, stop);
                if (touch.Status is not (TouchStatus.Open or TouchStatus.Planned))
                {
                    return null;
                }

                var about = body.Remark?.Trim() is { Length: > 0 } remark ? remark : await db.ProgramsAndBroadcasts.Where(p => p.Id == touch.ProgramId).Select(p => p.Name).SingleAsync(stop);
                (string, string)[] followed = said.Next is { } next
                    ? await new CallFollowing(db, caller.Name, caller.Id, now).DoAsync(touch.PersonId, about, next, said.Today, stop)
                    : [];
                return new PeopleDesk(db, caller.Name, now).NewEvent(touch.PersonId, new TaskEnded(now, id, body.Outcome, body.Remark?.Trim()), followed);
            },
            stop
        );

        if (done && touch.Kind == "call")
        {
            await InquiryActs.CalledAsync(db, touch.PersonId, caller.Name, said.Reached, await PracticeClock.NowAsync(db, stop), stop);
        }

        note.Say(string.IsNullOrEmpty(body.Outcome) ? touch.Kind : $"{touch.Kind}: {body.Outcome}");

        // A second press of the same key says what is so already.
        return done || (touch.Status == TouchStatus.Done && touch.CallOutcome == body.Outcome)
            ? TypedResults.NoContent()
            : Problems.Conflict(
                touch.Status == TouchStatus.Done
                    ? Say($"This {touch.Kind} is done already: {touch.CallOutcome}.")
                    : Say($"This {touch.Kind} is no longer on the day sheet.")
            );
    }

    /// <summary>Puts a call back on the sheet. What the run did since (it may have gone on) stays.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Undo(
        Guid id,
        GerminalDb db,
        ActNow acts,
        Caller caller,
        CancellationToken stop
    )
    {
        var touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id && TaskKinds.Contains(t.Kind), stop);
        if (touch is null)
        {
            return TypedResults.NotFound();
        }

        await acts.TakeAsync(
            db,
            touch.PersonId,
            async now =>
            {
                touch = await db.Touches.AsNoTracking().SingleAsync(t => t.Id == id, stop);
                if (touch.Status != TouchStatus.Done)
                {
                    return null;
                }

                if (await CallFollowing.FindAsync(db, touch.PersonId, EventKinds.TaskEnded, "touch", id, stop) is { } done)
                {
                    await new CallFollowing(db, caller.Name, caller.Id, now).TakeBackAsync(touch.PersonId, done, stop);
                }

                return new PeopleDesk(db, caller.Name, now).NewEvent(touch.PersonId, new TaskReopened(now, touch.RunId, touch.ProgramId, touch.StepId, TouchState.NthOf(touch.Id, touch.RunId, touch.StepId)));
            },
            stop
        );
        return touch.Status is TouchStatus.Done or TouchStatus.Open ? TypedResults.NoContent() : Problems.Conflict(Say($"This {touch.Kind} was not done."));
    }

    /// <summary>Rule 10.5: lets one touch go in spite of missing consent. An out is never overruled; the engine holds that.</summary>
    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Overrule(
        Guid id,
        OverruleBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (string.IsNullOrWhiteSpace(body.Reason) || body.Reason.Length > 400)
        {
            return Problems.Field("reason", Said("Write why, at most 400 letters; it is kept with the touch."));
        }

        if (
            !await db.People.AnyAsync(p => p.Id == body.Person, stop)
            || await db.Touches.AnyAsync(t => t.Id == id && (t.PersonId != body.Person || t.SettledAt != null), stop)
        )
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        await new PeopleDesk(db, caller.Name, now).RecordAsync(body.Person, new ConsentOverruled(now, id, caller.Name, body.Reason.Trim()), stop);
        return TypedResults.NoContent();
    }

    /// <summary>
    /// A member knows what the provider cannot say: it arrived, and counts as sent; or it did not, and is judged anew.
    /// </summary>
    private static async Task<Results<NoContent, NotFound>> Decide(Guid id, bool arrived, GerminalDb db, CancellationToken stop) =>
        await Recorder.SayWhetherItArrivedAsync(db, id, arrived, stop) ? TypedResults.NoContent() : TypedResults.NotFound();

    private static async Task<Results<Ok<DoneDto>, NoContent, NotFound, ProblemHttpResult>> Mark(
        Guid id,
        Guid person,
        TouchMark? mark,
        GerminalDb db,
        ActNow acts,
        Caller caller,
        CancellationToken stop
    )
    {
        var touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
        if ((touch is not null && touch.PersonId != person) || !await db.People.AnyAsync(p => p.Id == person, stop))
        {
            return TypedResults.NotFound();
        }

        Store.Rows.EventRow? written = null;
        var marked = await acts.TakeAsync(
            db,
            person,
            async now =>
            {
                touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
                return written = touch is null or { Status: TouchStatus.Planned or TouchStatus.Blocked }
                    ? new PeopleDesk(db, caller.Name, now).NewEvent(person, new TouchMarked(now, id, mark))
                    : null;
            },
            stop
        );
        return marked && written is not null ? TypedResults.Ok(new DoneDto(written.Id))
            : (mark == TouchMark.Dropped && touch is { Status: TouchStatus.Cancelled, Reason: "dropped" })
            ? TypedResults.NoContent()
            : Problems.Conflict(Said("It has gone, or is on its way, already."));
    }
}
