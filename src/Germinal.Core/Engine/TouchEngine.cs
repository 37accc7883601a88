using Germinal.Core.People;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// The engine: a pure function of the practice, its programs, one person's facts and state, and one event or one moment.
/// It gives back the new state and the effects; nothing else decides anything. The live service, the rehearsal and the
/// margin of a screen differ only in who supplies the events and who carries out the effects.
/// </summary>
public sealed class TouchEngine(Practice practice, ProgramShelf shelf, ITemplates templates)
{
    /// <summary>The practice whose rules apply.</summary>
    public Practice Practice => practice;

    /// <summary>The practice's programs.</summary>
    public ProgramShelf Shelf => shelf;

    /// <summary>Fills in messages; the edge to the templating.</summary>
    public ITemplates Templates => templates;

    /// <summary>Takes in one event: first stops, then starts by priority and name (rule 5.1).</summary>
    public Advance React(PersonFacts person, PersonState state, Happening happening)
    {
        var turn = new PersonTurn(this, person, state, happening.At);
        turn.React(happening);
        return turn.Result();
    }

    /// <summary>
    /// Judges everything that is due at or before <paramref name="now"/>, in the order of priority, due moment, program name
    /// and step (rule 9.2). An email that passes is handed over, not settled: its outcome comes back through <see cref="Settle"/>.
    /// </summary>
    public Advance Judge(PersonFacts person, PersonState state, Instant now)
    {
        var turn = new PersonTurn(this, person, state, now);
        turn.JudgeDue();
        return turn.Result();
    }

    /// <summary>The channel's answer for a touch that was handed over: sent, or given up for a reason.</summary>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state.</param>
    /// <param name="touchId">The touch.</param>
    /// <param name="at">The moment of the decision that handed it over.</param>
    /// <param name="failure">Null when it was sent; else why the channel refused it for good.</param>
    public Advance Settle(PersonFacts person, PersonState state, Guid touchId, Instant at, string? failure)
    {
        var turn = new PersonTurn(this, person, state, at);
        turn.SettleHanded(touchId, failure);
        return turn.Result();
    }
}
