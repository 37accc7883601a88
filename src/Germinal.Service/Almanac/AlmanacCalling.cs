using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Almanac;

/// <summary>A call on the day that rule 9.4 gives it.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="Person">Whom it is to.</param>
/// <param name="Member">On whose sheet; null for nobody's.</param>
/// <param name="Day">The day.</param>
/// <param name="Due">When it is due.</param>
/// <param name="ProgramId">Its program.</param>
/// <param name="Program">The program's name.</param>
/// <param name="IsMoved">Whether a member has moved it to this day.</param>
/// <param name="OverCapacity">Whether it fits on none of its days.</param>
public sealed record CallAt(Guid TouchId, Guid Person, Guid? Member, LocalDate Day, LocalDate Due, Guid ProgramId, string Program, bool IsMoved, bool OverCapacity);

/// <summary>Everybody's calls on their days: those that stand on the sheet already, and those that come.</summary>
internal static class AlmanacCalling
{
    private sealed record Call(Guid Person, Guid ProgramId, string Program, LocalDate Due, bool IsMoved);

    /// <summary>Places them.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="foreseen">What comes; its calls are not looked at.</param>
    /// <param name="today">Today, on the practice's clock.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<CallAt>> PlaceAsync(GerminalDb db, Foreseen foreseen, LocalDate today, CancellationToken stop)
    {
        var practice = foreseen.Engine.Practice;
        var open = await db
            .Touches.AsNoTracking()
            .Where(t => t.Kind == "call" && t.Status == TouchStatus.Open)
            .Join(
                db.People,
                t => t.PersonId,
                p => p.Id,
                (t, p) => new
                {
                    t.Id,
                    t.PersonId,
                    t.ProgramId,
                    t.Version,
                    t.StepId,
                    t.FirstDue,
                    t.MovedTo,
                    p.OwnerId,
                }
            )
            .ToListAsync(stop);
        var (about, ahead) = (new Dictionary<Guid, Call>(), new List<CallAhead>());
        foreach (var call in open)
        {
            var program = foreseen.Engine.Shelf.Find(call.ProgramId, call.Version).Definition;
            var due = call.MovedTo ?? call.FirstDue.InZone(practice.Zone).Date;
            about[call.Id] = new Call(call.PersonId, call.ProgramId, program.Name, due, call.MovedTo is not null);
            ahead.Add(CallDays.OnSheet(practice, call.Id, call.OwnerId, program.StepOf(call.StepId)!, call.FirstDue, call.MovedTo, today));
        }

        foreach (var call in foreseen.All.Where(t => t.Step is CallStep && t.Standing == Standing.Goes && t.Date >= today && !about.ContainsKey(t.TouchId)))
        {
            about[call.TouchId] = new Call(call.PersonId, call.Program.ProgramId, call.Program.Definition.Name, call.Date, call.IsMoved);
            ahead.Add(new CallAhead(call.TouchId, foreseen.People[call.PersonId].OwnerId, call.Date, call.IsMoved ? 0 : CallDays.SlackOf(call.Step)));
        }

        return
        [
            .. CallDays
                .Place(practice, ahead)
                .Select(c =>
                {
                    var call = about[c.TouchId];
                    return new CallAt(c.TouchId, call.Person, c.MemberId, c.Day, call.Due, call.ProgramId, call.Program, call.IsMoved, c.OverCapacity);
                }),
        ];
    }
}
