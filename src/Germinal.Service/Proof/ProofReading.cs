using Germinal.Channels.Letters;
using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Almanac;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Proof;

/// <summary>A message that is to come, as one of a stack to be read through.</summary>
/// <param name="Kind">email or text.</param>
/// <param name="At">When it goes as things stand.</param>
/// <param name="Subject">The first line of what it says, filled in.</param>
/// <param name="Held">It is held.</param>
/// <param name="Read">Somebody has read it and found it fine.</param>
/// <param name="Waits">It goes only once somebody has; else it goes as it is.</param>
/// <param name="Reworded">It has words of its own.</param>
public sealed record ProofItem(
    Guid TouchId,
    PersonRef Person,
    Guid ProgramId,
    string Program,
    string StepId,
    string Kind,
    string At,
    string Subject,
    bool Held,
    bool Read,
    bool Waits,
    bool Reworded
);

/// <summary>What a stack of messages is made of.</summary>
/// <param name="InAll">How many messages go in these days; more than are here where there are very many.</param>
/// <param name="Unread">How many of those that are here nobody has read.</param>
/// <param name="Waiting">How many of those go only once somebody has.</param>
/// <param name="Items">In the order in which they go.</param>
public sealed record ProofDto(string Now, string Zone, int InAll, int Unread, int Waiting, IReadOnlyList<ProofItem> Items);

/// <summary>Proof: tomorrow's and this week's messages, as each recipient will read them, before they go.</summary>
public static class ProofReading
{
    /// <summary>As many as are read through in one sitting.</summary>
    public const int Most = 400;

    /// <summary>The days that can be asked for, each with how many it holds beside today.</summary>
    public static IReadOnlyDictionary<string, int> Spans { get; } = new Dictionary<string, int>(StringComparer.Ordinal) { ["today"] = 0, ["tomorrow"] = 1, ["week"] = 7 };

    /// <summary>Reads the stack.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="foreseen">What comes.</param>
    /// <param name="days">So many days beside today.</param>
    /// <param name="member">Whose people; null for everybody's.</param>
    /// <param name="program">Of which program; null for all.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<ProofDto> ReadAsync(GerminalDb db, Foreseen foreseen, int days, Guid? member, Guid? program, Instant now, CancellationToken stop)
    {
        var practice = foreseen.Engine.Practice;
        var last = now.InZone(practice.Zone).Date.PlusDays(days);
        var coming = foreseen
            .ByDay.Where(d => d.Key <= last)
            .SelectMany(d => d.Value)
            .Where(t =>
                t.Step.IsMessage
                && t.Standing != Standing.WillNot
                && (program is null || t.Program.ProgramId == program)
                && (member is null || CallDays.MemberOf(practice, foreseen.People[t.PersonId].OwnerId) == member)
            )
            .OrderBy(t => t.At)
            .ThenBy(t => t.Program.Definition.Name, StringComparer.OrdinalIgnoreCase)
            .ThenBy(t => t.TouchId)
            .ToList();
        var shown = coming.Take(Most).ToList();
        var ids = shown.Select(t => t.PersonId).Distinct().ToList();
        var states = (await db.States.AsNoTracking().Where(s => ids.Contains(s.PersonId)).Select(s => new { s.PersonId, s.State }).ToListAsync(stop)).ToDictionary(
            s => s.PersonId,
            s => PersonStateJson.Read(s.State)
        );

        // Asked for here: what comes is rehearsed again only once the engine has looked at the person.
        var touches = shown.Select(t => t.TouchId).ToList();
        var worded = await db.OwnWords.AsNoTracking().Where(w => touches.Contains(w.TouchId)).ToDictionaryAsync(w => w.TouchId, w => new OwnWords(w.Subject, w.Body), stop);
        var liquid = (LiquidLetters)foreseen.Engine.Templates;
        List<ProofItem> items =
        [
            .. shown.Select(t =>
            {
                var person = foreseen.People[t.PersonId];
                var to = Readers.Find(practice, person, t.Step, null) ?? person;
                var step = worded.TryGetValue(t.TouchId, out var own) ? t.Step.In(own) : t.Step;
                var state = states.GetValueOrDefault(t.PersonId, PersonState.Empty);
                return new ProofItem(
                    t.TouchId,
                    new PersonRef(t.PersonId, person.Name),
                    t.Program.ProgramId,
                    t.Program.Definition.Name,
                    t.Step.Id,
                    t.Step.Kind,
                    t.At.Iso(),
                    liquid.FillText(step.Templates[0].Text, to, practice.AsFor(t.Program.Definition), practice.SenderFor(person, t.Step), t.At, []),
                    t.Standing == Standing.Held,
                    state.HasBeenRead(t.TouchId),
                    t.Program.Definition.WaitsToBeRead,
                    own is not null
                );
            }),
        ];
        return new ProofDto(now.Iso(), practice.Zone.Id, coming.Count, items.Count(i => !i.Read), items.Count(i => i is { Read: false, Waits: true }), items);
    }
}
