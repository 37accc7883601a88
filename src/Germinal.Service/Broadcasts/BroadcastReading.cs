using Germinal.Channels.Letters;
using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Broadcasts;

/// <summary>A broadcast as one of its recipients will have it.</summary>
/// <param name="Nth">Which of them, from 0, by name.</param>
/// <param name="Of">How many there are.</param>
/// <param name="Person">Who.</param>
/// <param name="Kind">By which way it goes; null where it does not.</param>
/// <param name="Version">The letter of the version they get first; null where versions are not compared, or they are of the rest.</param>
/// <param name="From">Who signs it.</param>
/// <param name="Subject">An email's subject.</param>
/// <param name="Page">An email as a whole page; empty for the others.</param>
/// <param name="Text">The words as plain text.</param>
/// <param name="Lack">What is wanting to fill it, in words; null for nothing.</param>
/// <param name="HeldBack">Why it does not go to them, in words; null where it goes.</param>
public sealed record BroadcastReadBy(
    int Nth,
    int Of,
    PersonRef Person,
    string? Kind,
    string? Version,
    string From,
    string Subject,
    string Page,
    string Text,
    string? Lack,
    string? HeldBack
);

/// <summary>Reading a broadcast as each of its recipients will, one after the other.</summary>
/// <param name="desk">For the engine with it on.</param>
/// <param name="letters">Fills emails.</param>
/// <param name="liquid">Fills texts and cards.</param>
public sealed class BroadcastReading(ProgramDesk desk, LetterDesk letters, LiquidLetters liquid)
{
    /// <summary>As one of them will have it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="row">The broadcast; nothing may be wrong with its plan.</param>
    /// <param name="nth">Which of them by name, from 0; beyond the last is the first again.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where it is for nobody.</returns>
    public async Task<BroadcastReadBy?> OfAsync(GerminalDb db, BroadcastRow row, int nth, Instant now, CancellationToken stop)
    {
        var program = BroadcastProgram.Of(row.Name, row.Plan);
        var id = row.ProgramId ?? row.Id;
        var who = await BroadcastAudience.OfAsync(db, row.Plan, now, stop);
        var count = await who.CountAsync(stop);
        if (count == 0)
        {
            return null;
        }

        var place = ((nth % count) + count) % count;
        var person = await who.OrderBy(p => p.SortName).ThenBy(p => p.Id).Skip(place).Select(p => p.Id).FirstAsync(stop);
        var engine = await desk.EngineWithAsync(db, id, program, now, stop);
        var facts = (await FactsReading.LoadAsync(db, [person], stop, engine))[person];
        var json = await db.States.AsNoTracking().Where(s => s.PersonId == person).Select(s => s.State).FirstOrDefaultAsync(stop);
        var state = json is null ? PersonState.Empty : PersonStateJson.Read(json);
        var on = engine.Shelf.On.First(p => p.Current.ProgramId == id).Current;
        var letGo = row.Plan.LetGo.FirstOrDefault(l => l.Person == person) is { } l ? BroadcastLook.Overruled(on, l, now) : null;

        // What comes for them of this broadcast, judged up to where it settles or has to wait.
        var begun = engine.React(facts, letGo is null ? state : engine.React(facts, state, letGo).State, new StartedByHand(now, id, "", ByBroadcast: true));
        var refused = begun.Effects.OfType<StartRefused>().FirstOrDefault();
        var seen = refused is null
            ? Rehearsal.Of(engine, facts, begun.State, now, now + Duration.FromDays(10)).FirstOrDefault(t => t.Program.ProgramId == id && t.Step.Channel is not null)
            : null;
        var step = seen?.Step ?? program.AllSteps.First(s => s.Channel is not null);
        var practice = engine.Practice.AsFor(program);
        var sender = practice.SenderFor(facts, step);
        var heldBack = refused is not null ? Why.Reason(refused.Reason) : seen?.WillNot;
        var read = step is EmailStep email ? letters.Fill(email, program.PurposeOf(step), facts, practice, sender, now) : null;
        var missing = new List<string>();
        var words = step switch
        {
            TextStep text => liquid.FillText(text.Body, facts, practice, sender, now, missing),
            NoteStep note => liquid.FillText(note.Body, facts, practice, sender, now, missing),
            _ => read!.Text,
        };
        return new BroadcastReadBy(
            place,
            count,
            new PersonRef(facts.Id, facts.Name),
            heldBack is null ? step.Kind : null,
            BroadcastProgram.VersionOf(step.Id) is { } version && row.Plan.Test is not null ? BroadcastProgram.LetterOf(version) : null,
            sender?.Name ?? Said("nobody"),
            read?.Subject ?? "",
            read?.Page ?? "",
            words,
            read is not null ? read.Lack : missing.Count > 0 ? Core.Messages.MergeFields.Say(missing) : null,
            heldBack
        );
    }
}
