using System.Text.Json;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>Something somebody does on a walk.</summary>
/// <param name="StepId">With which step's touch.</param>
/// <param name="Act">open, follow, answer, bounce, opt-out or done.</param>
/// <param name="Word">The link that is followed, or how a task ended.</param>
/// <param name="Hours">How many hours after it came.</param>
public sealed record WalkMoveDto([AtMost(Lengths.Name)] string StepId, [AtMost(20)] string Act, [AtMost(2000)] string? Word = null, int Hours = 1);

/// <summary>One moment of a walk.</summary>
/// <param name="At">When it happens.</param>
/// <param name="Day">The day, counted from the start.</param>
/// <param name="StepId">The step.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Outcome">What becomes of it; null for what is still planned at the end.</param>
/// <param name="Reason">Why, in words.</param>
/// <param name="Why">What the decision looked at, in sentences.</param>
/// <param name="Subject">An email's subject.</param>
/// <param name="Html">What it says.</param>
/// <param name="Links">The links that can be followed, by name.</param>
/// <param name="Program">The program, where it is another one.</param>
public sealed record WalkLine(
    string At,
    int Day,
    string StepId,
    string Kind,
    string? Outcome,
    string? Reason,
    IReadOnlyList<string> Why,
    string? Subject,
    string? Html,
    IReadOnlyList<string> Links,
    string? Program
);

/// <summary>A move and when it is made; null where its step does not come.</summary>
public sealed record PlayedMove(WalkMoveDto Move, string? At);

/// <summary>A program walked through with somebody.</summary>
/// <param name="Person">With whom.</param>
/// <param name="Zone">Their zone.</param>
/// <param name="From">When it starts.</param>
/// <param name="Assumed">What was assumed because they have none; or null.</param>
/// <param name="NotStarting">Why it does not start for them; null where it does.</param>
/// <param name="Lines">What comes, in the order of time.</param>
/// <param name="Played">What they do.</param>
/// <param name="Changed">What is otherwise with them at the end, in words.</param>
public sealed record WalkDto(
    PersonRef Person,
    string Zone,
    string From,
    string? Assumed,
    string? NotStarting,
    IReadOnlyList<WalkLine> Lines,
    IReadOnlyList<PlayedMove> Played,
    IReadOnlyList<string> Changed
);

/// <summary>A kept walk, and whether it goes as it went when it was kept.</summary>
/// <param name="Id">The walk.</param>
/// <param name="Name">Its name.</param>
/// <param name="Person">With whom; null where they are no longer here.</param>
/// <param name="Moves">What they do.</param>
/// <param name="By">Who kept it.</param>
/// <param name="Differences">What goes otherwise now, in sentences; empty where nothing does.</param>
public sealed record KeptWalkDto(Guid Id, string Name, PersonRef? Person, IReadOnlyList<WalkMoveDto> Moves, string By, IReadOnlyList<string> Differences);

/// <summary>What happened on a walk, as it is kept.</summary>
public sealed record WalkedStep(string StepId, string? Outcome, int Day);

/// <summary>What a kept walk is held against.</summary>
public sealed record WalkExpectation(IReadOnlyList<WalkedStep> Steps, IReadOnlyList<string> Changed);

/// <summary>
/// A program lived through with one person: the engine on a clock of its own, on a shelf of its own, nothing saved. What they do is
/// played; kept, a walk is lived through again whenever the program is looked at.
/// </summary>
public sealed class ProgramWalk(ProgramDesk desk, LetterDesk letters, LiquidLetters liquid)
{
    /// <summary>The most walks that are kept of a program.</summary>
    public const int MostKept = 30;

    private static readonly Duration LookedAhead = Duration.FromDays(1200);
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    private static readonly (string Word, ReaderAct Act)[] Acts =
    [
        ("open", ReaderAct.Open),
        ("follow", ReaderAct.Follow),
        ("answer", ReaderAct.Answer),
        ("bounce", ReaderAct.Bounce),
        ("opt-out", ReaderAct.OptOut),
        ("done", ReaderAct.Done),
    ];

    /// <summary>What is wrong with moves, in words; null for nothing.</summary>
    public static string? ProblemOf(IReadOnlyList<WalkMoveDto> moves) =>
        moves.Count > Walk.MostMoves ? Say($"A walk has at most {Walk.MostMoves} moves.")
        : moves.FirstOrDefault(m => !Acts.Any(a => a.Word == m.Act)) is { } unknown ? Say($"“{unknown.Act}” is nothing one can do; {string.Join(", ", Acts.Select(a => a.Word))} are.")
        : moves.FirstOrDefault(m => m.Act == "follow" && string.IsNullOrWhiteSpace(m.Word)) is not null ? Said("Say which link is followed.")
        : moves.Any(m => m.Hours is < 0 or > 8760) ? Said("What they do comes between 0 and 8,760 hours after.")
        : null;

    /// <summary>Walks through a program.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="id">The program.</param>
    /// <param name="program">Its draft, its letters filled in.</param>
    /// <param name="person">With whom; null for somebody.</param>
    /// <param name="moves">What they do.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such person, or nobody at all.</returns>
    public async Task<WalkDto?> WalkAsync(GerminalDb db, Guid id, ProgramDefinition program, Guid? person, IReadOnlyList<WalkMoveDto> moves, CancellationToken stop)
    {
        if (await Somebody.OfAsync(db, Somebody.WhoGetsMail(db), person, 0, stop) is not { } chosen)
        {
            return null;
        }

        return await WalkAsync(db, id, program, chosen, await PracticeClock.NowAsync(db, stop), moves, stop);
    }

    private async Task<WalkDto> WalkAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        Guid person,
        Instant now,
        IReadOnlyList<WalkMoveDto> moves,
        CancellationToken stop
    )
    {
        var engine = await desk.EngineWithAsync(db, id, program, now, stop);
        var facts = (await FactsReading.LoadAsync(db, [person], stop, engine))[person];
        var practice = engine.Practice.AsFor(program);
        var on = engine.Shelf.On.First(p => p.Current.ProgramId == id);
        var start = await TrialStart.OfAsync(db, practice, on.Current, facts, now, stop);

        // On a shelf of its own, so that other programs do not speak in.
        var alone = new TouchEngine(practice, new ProgramShelf([on.Current], [on]), engine.Templates);
        var refusal = alone.React(facts, start.State, start.First).Effects.OfType<StartRefused>().FirstOrDefault();
        var zone = practice.ZoneOf(facts);
        var walked = refusal is not null
            ? new Walked([], facts, [.. moves.Select(m => (MoveOf(m), (Instant?)null))])
            : Walk.Live(alone, id, facts, start.State, start.First, start.From, start.From + LookedAhead, [.. moves.Select(MoveOf)]);
        var began = start.From.InZone(zone).Date;
        return new WalkDto(
            new PersonRef(facts.Id, facts.Name),
            zone.Id,
            start.From.Iso(),
            start.Assumed,
            refusal is null ? null : Core.Engine.Why.Reason(refusal.Reason),
            [.. walked.Touches.Select(t => LineOf(t, practice, facts, program, zone, began))],
            [.. walked.Played.Select((p, i) => new PlayedMove(moves[i], p.At?.Iso()))],
            [.. Differences(facts, walked.Person)]
        );
    }

    private static WalkMove MoveOf(WalkMoveDto move) =>
        new(move.StepId, Acts.First(a => a.Word == move.Act).Act, move.Word, Duration.FromHours(move.Hours));

    private WalkLine LineOf(RehearsedTouch touch, Core.Practices.Practice practice, PersonFacts facts, ProgramDefinition program, DateTimeZone zone, LocalDate began)
    {
        var sender = practice.SenderFor(facts, touch.Step);
        var (subject, html) = ((string?)null, (string?)null);
        IReadOnlyList<string> links = [];
        if (touch.Step is EmailStep email)
        {
            var read = letters.Fill(email, program.PurposeOf(email), Readers.Find(practice, facts, email, null) ?? facts, practice, sender, touch.At);
            (subject, html, links) = (read.Subject, read.Html, LetterLinks.Names(email.Body));
        }
        else if (touch.Step.Templates is [.., var words])
        {
            html = LetterHtml.FromBody(LetterHtml.Encode(liquid.FillText(words.Text, facts, practice, sender, touch.At, [])));
        }

        var why = new List<string>();
        if (touch.Planned is { } planned)
        {
            why.Add(Core.Engine.Why.Planned(planned.Plan, planned.FirstDue, zone).Text);
        }

        why.AddRange(touch.Trail.ToChecks().Select(c => Core.Engine.Why.Of(c, facts.Name, zone).Text));
        return new WalkLine(
            touch.At.Iso(),
            Period.DaysBetween(began, touch.At.InZone(zone).Date),
            touch.Step.Id,
            touch.Step.Kind,
            touch.Outcome?.ToString().ToLowerInvariant(),
            touch.Reason is null ? null : Core.Engine.Why.Reason(touch.Reason),
            why,
            subject,
            html,
            links,
            touch.Program.Definition.Name == program.Name ? null : touch.Program.Definition.Name
        );
    }

    /// <summary>What a program changed with somebody, in words.</summary>
    private static IEnumerable<string> Differences(PersonFacts before, PersonFacts after)
    {
        if (before.Stage != after.Stage && after.Stage is { } stage)
        {
            yield return Say($"they stand in {Core.Engine.Why.StageName(stage)}");
        }

        foreach (var tag in after.Tags.Except(before.Tags, StringComparer.OrdinalIgnoreCase))
        {
            yield return Say($"they have the tag “{tag}”");
        }

        foreach (var tag in before.Tags.Except(after.Tags, StringComparer.OrdinalIgnoreCase))
        {
            yield return Say($"they no longer have the tag “{tag}”");
        }

        foreach (var list in after.Lists.Except(before.Lists, StringComparer.OrdinalIgnoreCase))
        {
            yield return Say($"they stand on the list “{list}”");
        }
    }

    /// <summary>Keeps a walk: what happens on it now is what must happen from now on.</summary>
    /// <returns>What is wrong, in words; null where it was kept, or there is no such person.</returns>
    public async Task<(string? Problem, bool NoPerson)> KeepAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        string name,
        Guid person,
        IReadOnlyList<WalkMoveDto> moves,
        string by,
        CancellationToken stop
    )
    {
        if (await WalkAsync(db, id, program, person, moves, stop) is not { } walk)
        {
            return (null, true);
        }

        if (await db.KeptWalks.CountAsync(w => w.ProgramId == id, stop) >= MostKept)
        {
            return (Say($"A program keeps at most {MostKept} walks. Throw one away first."), false);
        }

        db.KeptWalks.Add(
            new KeptWalkRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = db.PracticeId!.Value,
                ProgramId = id,
                Name = name,
                PersonId = person,
                From = await PracticeClock.NowAsync(db, stop),
                Moves = JsonSerializer.Serialize(moves, Json),
                Expected = JsonSerializer.Serialize(ExpectationOf(walk), Json),
                By = by,
            }
        );
        try
        {
            await db.SaveChangesAsync(stop);
        }
        catch (DbUpdateException e) when (e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation })
        {
            return (Say($"There is a walk “{name}” already. Give this one another name."), false);
        }

        return (null, false);
    }

    private static WalkExpectation ExpectationOf(WalkDto walk) => new([.. walk.Lines.Select(l => new WalkedStep(l.StepId, l.Outcome, l.Day))], walk.Changed);

    /// <summary>The kept walks of a program, each lived through again in its present wording.</summary>
    public async Task<IReadOnlyList<KeptWalkDto>> KeptAsync(GerminalDb db, Guid id, ProgramDefinition program, CancellationToken stop)
    {
        var rows = await db.KeptWalks.AsNoTracking().Where(w => w.ProgramId == id).OrderBy(w => w.Name).ToListAsync(stop);
        var told = new List<KeptWalkDto>(rows.Count);
        foreach (var row in rows)
        {
            var moves = JsonSerializer.Deserialize<List<WalkMoveDto>>(row.Moves, Json)!;
            var expected = JsonSerializer.Deserialize<WalkExpectation>(row.Expected, Json)!;
            var there = await db.People.AnyAsync(p => p.Id == row.PersonId, stop);
            var walk = there ? await WalkAsync(db, id, program, row.PersonId, row.From, moves, stop) : null;
            told.Add(
                new KeptWalkDto(
                    row.Id,
                    row.Name,
                    walk?.Person,
                    moves,
                    row.By,
                    walk is null ? [Said("Whoever it was walked with is no longer here.")] : [.. Otherwise(expected, ExpectationOf(walk), walk.NotStarting)]
                )
            );
        }

        return told;
    }

    /// <summary>What goes otherwise than when a walk was kept.</summary>
    private static IEnumerable<string> Otherwise(WalkExpectation before, WalkExpectation now, string? notStarting)
    {
        if (notStarting is not null)
        {
            yield return Say($"It does not start for them any more: {notStarting}.");
            yield break;
        }

        foreach (var step in before.Steps)
        {
            var same = now.Steps.FirstOrDefault(s => s.StepId == step.StepId);
            if (same is null)
            {
                yield return Say($"“{step.StepId}” came on day {step.Day}, and does not come any more.");
            }
            else if (same.Outcome != step.Outcome)
            {
                yield return Say($"“{step.StepId}” was {step.Outcome ?? Said("still to come")} on day {step.Day}, and is {same.Outcome ?? Said("still to come")}.");
            }
            else if (same.Day != step.Day)
            {
                yield return Say($"“{step.StepId}” came on day {step.Day}, and comes on day {same.Day}.");
            }
        }

        foreach (var step in now.Steps.Where(s => before.Steps.All(b => b.StepId != s.StepId)))
        {
            yield return Say($"“{step.StepId}” comes on day {step.Day}, and did not come.");
        }

        foreach (var change in before.Changed.Except(now.Changed, StringComparer.Ordinal))
        {
            yield return Say($"It ended with: {change}. It does not any more.");
        }

        foreach (var change in now.Changed.Except(before.Changed, StringComparer.Ordinal))
        {
            yield return Say($"It ends with: {change}. It did not.");
        }
    }
}
