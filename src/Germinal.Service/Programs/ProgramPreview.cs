using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>A step as one person would get it.</summary>
public sealed record PreviewTouch(string StepId, string At, string? Outcome, string? Reason);

/// <summary>A program tried on one person: the dates, and one message filled in.</summary>
/// <param name="From">The moment it would start.</param>
/// <param name="Assumed">What was assumed because they have none: an appointment; or null.</param>
/// <param name="Price">What its messages cost for them, in the practice's money; null where no prices are set.</param>
/// <param name="Currency">The currency's code (ISO 4217).</param>
public sealed record PreviewDto(
    PersonRef Person,
    string Zone,
    string From,
    string? Assumed,
    string? NotStarting,
    IReadOnlyList<PreviewTouch> Touches,
    PreviewLetter? Letter,
    decimal? Price,
    string Currency
);

/// <summary>A message filled in.</summary>
public sealed record PreviewLetter(string StepId, string From, string Subject, string Html, string Page, string Text, string? Lack);

/// <summary>A program's draft tried on one person: what would come when, and one of its letters filled in. Nothing is saved.</summary>
public sealed class ProgramPreview(ProgramDesk desk, LetterDesk letters)
{
    private static readonly Duration LookedAhead = Duration.FromDays(1200);

    /// <summary>Tries a program on somebody.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="id">The program.</param>
    /// <param name="program">Its wording.</param>
    /// <param name="person">Who; null for somebody it suits.</param>
    /// <param name="move">With a person: above 0 the next of the list, below the one before, 0 they themselves.</param>
    /// <param name="step">Whose letter is filled in; null for the first.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such person, or nobody at all.</returns>
    public async Task<PreviewDto?> OfAsync(
        GerminalDb db,
        Guid id,
        ProgramDefinition program,
        Guid? person,
        int move,
        string? step,
        CancellationToken stop
    )
    {
        if (await SomebodyAsync(db, program, id, person, move, stop) is not { } chosen)
        {
            return null;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var engine = await desk.EngineWithAsync(db, id, program, now, stop);
        var facts = (await FactsReading.LoadAsync(db, [chosen], stop, engine))[chosen];
        var practice = engine.Practice.AsFor(program);
        var prices = MessagePrices.Of((await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings);
        var on = engine.Shelf.On.First(p => p.Current.ProgramId == id);
        var (first, state, from, assumed) = await TrialStart.OfAsync(db, practice, on.Current, facts, now, stop);

        // Tried on a shelf of its own, so that other programs do not speak in.
        var alone = new TouchEngine(practice, new ProgramShelf([on.Current], [on]), engine.Templates);
        var begun = alone.React(facts, state, first);
        var refusal = begun.Effects.OfType<StartRefused>().FirstOrDefault();
        var run = begun.Effects.OfType<RunStarted>().FirstOrDefault()?.RunId;
        var touches = refusal is not null
            ? []
            : Rehearsal
                .Of(alone, facts, state, from, from + LookedAhead, first, program.AllSteps.Count() + 2)
                .Where(t => t.RunId == run)
                .ToList();
        return new PreviewDto(
            new PersonRef(facts.Id, facts.Name),
            practice.ZoneOf(facts).Id,
            from.Iso(),
            assumed,
            refusal is null ? null : Why.Reason(refusal.Reason),
            [
                .. touches.Select(t => new PreviewTouch(
                    t.Step.Id,
                    (t.SettledAt ?? t.Due).Iso(),
                    t.Outcome?.ToString().ToLowerInvariant(),
                    t.Reason is null ? null : Why.Reason(t.Reason)
                )),
            ],
            LetterOf(program, step, facts, practice, touches, now),
            prices.IsSet
                ? touches.Where(t => t.Outcome is Outcome.Sent or Outcome.Done).Sum(t => prices.Of(t.Step, () => letters.Fill((TextStep)t.Step, facts, practice, t.At)))
                : null,
            prices.Currency
        );
    }

    private PreviewLetter? LetterOf(
        ProgramDefinition program,
        string? step,
        PersonFacts facts,
        Practice practice,
        IReadOnlyList<RehearsedTouch> touches,
        Instant now
    )
    {
        var letterStep =
            program.AllSteps.OfType<EmailStep>().FirstOrDefault(s => s.Id == step)
            ?? (step is null ? program.AllSteps.OfType<EmailStep>().FirstOrDefault() : null);
        if (letterStep is null)
        {
            return null;
        }

        var at = touches.FirstOrDefault(t => t.Step.Id == letterStep.Id) is { } t ? t.SettledAt ?? t.Due : now;
        var sender = practice.SenderFor(facts, letterStep);
        var read = letters.Fill(letterStep, program.PurposeOf(letterStep), Readers.Find(practice, facts, letterStep, null) ?? facts, practice, sender, at);
        return new PreviewLetter(letterStep.Id, read.From, read.Subject, read.Html, read.Page, read.Text, read.Lack);
    }

    private static async Task<Guid?> SomebodyAsync(GerminalDb db, ProgramDefinition program, Guid id, Guid? person, int move, CancellationToken stop)
    {
        var stages = program.StartsWhen.OfType<StageEntered>().Select(s => s.Stage).ToList();
        var tags = program.StartsWhen.OfType<TagAdded>().Select(t => t.Tag).ToList();
        var dates = program.StartsWhen.OfType<OccasionTrigger>().Select(o => o.Date).ToList();
        var suited = Somebody.WhoGetsMail(db);
        var fitting = suited.Where(p =>
            db.Runs.Any(r => r.PersonId == p.Id && r.ProgramId == id && r.EndedAt == null)
            || (p.Stage != null && stages.Contains(p.Stage))
            || p.Tags.Any(t => tags.Contains(t))
            || db.KeyDates.Any(d => d.PersonId == p.Id && dates.Contains(d.Name))
        );
        var pool = await fitting.AnyAsync(stop) ? fitting : suited;
        return await Somebody.OfAsync(db, pool, person, move, stop);
    }
}
