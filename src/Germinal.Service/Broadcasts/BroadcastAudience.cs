using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Broadcasts;

/// <summary>Who a broadcast is for, as things stand at a moment (rule 15.1).</summary>
public static class BroadcastAudience
{
    /// <summary>Those it is for, the ones put in by hand with them and the ones taken out without.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="plan">The broadcast; who it is for has to be said.</param>
    /// <param name="now">The moment at which segments are asked.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IQueryable<PersonRow>> OfAsync(GerminalDb db, BroadcastPlan plan, Instant now, CancellationToken stop)
    {
        var (with, without) = (plan.With.ToArray(), plan.Without.ToArray());
        var asked = await AskedAsync(db, plan.To, now, stop);
        return db.People.AsNoTracking().Where(p => (asked.Any(a => a.Id == p.Id) || with.Contains(p.Id)) && !without.Contains(p.Id));
    }

    /// <summary>Their ids, without those held out of the program it is part of (rule 7.3), in one order.</summary>
    public static async Task<IReadOnlyList<Guid>> IdsAsync(GerminalDb db, TouchEngine engine, BroadcastPlan plan, Instant now, CancellationToken stop)
    {
        var ids = await (await OfAsync(db, plan, now, stop)).OrderBy(p => p.Id).Select(p => p.Id).ToListAsync(stop);
        return plan.PartOf is { } program && engine.Shelf.Versions.Where(v => v.ProgramId == program).MaxBy(v => v.Version) is { } part ? [.. ids.Where(id => !Shares.IsHeldOut(part, id))] : ids;
    }

    /// <summary>What is to happen to whom by broadcasts that wait for their moment, as things stand: each starts when it begins. In the order of time.</summary>
    public static async Task<IReadOnlyDictionary<Guid, IReadOnlyList<Happening>>> ComingAsync(GerminalDb db, TouchEngine engine, CancellationToken stop)
    {
        var coming = new Dictionary<Guid, List<Happening>>();
        foreach (var row in await db.Broadcasts.AsNoTracking().Where(b => b.Status == BroadcastDesk.Waiting).OrderBy(b => b.BeginsAt).ThenBy(b => b.Id).ToListAsync(stop))
        {
            // One that was sent off this very moment is known to the engine with its next look.
            if (row is not { ProgramId: { } program, BeginsAt: { } begins } || engine.Shelf.On.All(p => p.Current.ProgramId != program))
            {
                continue;
            }

            var version = engine.Shelf.Find(program, 1);
            foreach (var person in await IdsAsync(db, engine, row.Plan, begins, stop))
            {
                var happens = coming.TryGetValue(person, out var known) ? known : coming[person] = [];
                happens.AddRange(row.Plan.LetGo.Where(l => l.Person == person).Select(l => BroadcastLook.Overruled(version, l, begins)));
                happens.Add(new StartedByHand(begins, program, row.SentBy ?? row.By, ByBroadcast: true));
            }
        }

        return coming.ToDictionary(c => c.Key, c => (IReadOnlyList<Happening>)c.Value);
    }

    /// <summary>The zones they live in; null for those whose is not known.</summary>
    public static async Task<IReadOnlyList<string?>> ZonesAsync(GerminalDb db, BroadcastPlan plan, Instant now, CancellationToken stop) =>
        await (await OfAsync(db, plan, now, stop)).Select(p => p.ZoneId).Distinct().ToListAsync(stop);

    private static async Task<IQueryable<PersonRow>> AskedAsync(GerminalDb db, BroadcastTo to, Instant now, CancellationToken stop)
    {
        switch (to.Kind)
        {
            case "segment":
                var practice = await PracticeReading.LoadAsync(db, stop);
                var rule = (await SegmentShelf.RulesAsync(db, stop)).GetValueOrDefault(to.Name, new AnyOf([]));
                return db.Matching(rule, practice.RulesAt(now));
            case "list":
                return db.Matching(new Leaf("lists", RuleOp.Has, [to.Name]), (await PracticeReading.LoadAsync(db, stop)).RulesAt(now));
            case "people":
                var picked = to.People.ToArray();
                return db.People.Where(p => picked.Contains(p.Id));
            case "recipients":
                var program = await db.Broadcasts.Where(b => b.Id == to.Broadcast).Select(b => b.ProgramId).FirstOrDefaultAsync(stop);
                return WhoDid(db, program ?? Guid.Empty, to.Did);
            default:
                throw new ArgumentOutOfRangeException(nameof(to), to.Kind, null);
        }
    }

    /// <summary>Recipients of a program's messages, by what they did (<see cref="BroadcastTo.Deeds"/>); machines do not count (rule 14.2).</summary>
    public static IQueryable<PersonRow> WhoDid(GerminalDb db, Guid program, string did)
    {
        var sent = db.Messages.Where(m => m.ProgramId == program && m.MemberId == null);
        var emails = sent.Where(m => m.Channel == "email" && m.BouncedAt == null);
        var who = did switch
        {
            "got" => sent.Where(m => m.BouncedAt == null).Select(m => m.PersonId).Union(db.Touches.Where(t => t.ProgramId == program && t.Status == TouchStatus.Done).Select(t => t.PersonId)),
            "opened" => sent.Where(m => m.OpenedAt != null).Select(m => m.PersonId),
            "not-opened" => emails.Where(m => m.OpenedAt == null).Select(m => m.PersonId),
            "followed" => sent.Where(m => m.FollowedAt != null).Select(m => m.PersonId),
            "not-followed" => sent.Where(m => m.FollowedAt == null && m.BouncedAt == null).Select(m => m.PersonId),
            "answered" => sent.Where(m => m.AnsweredAt != null).Select(m => m.PersonId),
            _ => throw new ArgumentOutOfRangeException(nameof(did), did, null),
        };
        return db.People.Where(p => who.Contains(p.Id));
    }
}
