using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Store;
using NodaTime;

namespace Germinal.Service.Import;

/// <summary>A program that the dates of a list will start, for how many people within a year, and when for the first of them.</summary>
public sealed record StartsByDate(string Program, int Count, Instant First);

/// <summary>
/// Which programs the dates of a list will start. No program starts by the bringing in itself, but a date that is known from then on
/// starts what waits for it.
/// </summary>
public static class ImportStarts
{
    private static readonly Duration Ahead = Duration.FromDays(366);

    /// <summary>Looks through what a plan brings: new people with their dates, and dates that are filled in for known ones.</summary>
    public static async Task<IReadOnlyList<StartsByDate>> OfAsync(GerminalDb db, TouchEngine engine, ImportPlan plan, Instant now, CancellationToken stop)
    {
        var programs = engine.Shelf.On.Where(p => p.Current.Definition.StartsWhen.Any(t => t is OccasionTrigger)).ToList();
        var rows = plan.Rows.Where(r => r.Row.Dates.Count > 0 && r.Result is RowResult.Added or RowResult.Filled).ToList();
        if (programs.Count == 0 || rows.Count == 0)
        {
            return [];
        }

        Guid[] filled = [.. rows.Where(r => r.Result == RowResult.Filled && r.SameAs is { Line: null }).Select(r => r.PersonId!.Value).Distinct()];
        var known = new Dictionary<Guid, PersonFacts>();
        foreach (var chunk in filled.Chunk(1000))
        {
            foreach (var (id, facts) in await FactsReading.LoadAsync(db, chunk, stop, engine))
            {
                known[id] = facts;
            }
        }

        var starts = new Dictionary<Guid, (string Name, int Count, Instant First)>();
        foreach (var row in rows)
        {
            var person = FactsOf(row, known.GetValueOrDefault(row.PersonId!.Value));
            if (person.DoNotContact)
            {
                continue;
            }

            foreach (var program in programs)
            {
                var definition = program.Current.Definition;
                if (
                    Occasions.Between(program.Current, engine.Practice, person, now, now + Ahead).Select(o => (Instant?)o.At).Min() is not { } first
                    || (definition.OnlyIf is { } rule && !RuleJudge.Holds(rule, person, engine.Practice.RulesAt(now)))
                )
                {
                    continue;
                }

                var (_, before, earliest) = starts.GetValueOrDefault(program.Current.ProgramId, (definition.Name, 0, Instant.MaxValue));
                starts[program.Current.ProgramId] = (definition.Name, before + 1, Instant.Min(earliest, first));
            }
        }

        return [.. starts.Values.OrderByDescending(s => s.Count).Select(s => new StartsByDate(s.Name, s.Count, s.First))];
    }

    /// <summary>The person with the dates the list brings, and only those: what others start is nothing new.</summary>
    private static PersonFacts FactsOf(PlannedRow planned, PersonFacts? known)
    {
        var row = planned.Row;
        var dates = row.Dates.Where(d => known is null || planned.Fills.Contains($"date:{d.Key}")).Select(d => new KeyDate(d.Key, d.Value, true)).ToList();
        return known is null
            ? new PersonFacts
            {
                Id = planned.PersonId!.Value,
                FirstName = row.FirstName,
                LastName = row.LastName,
                Email = row.Email,
                Mobile = row.Mobile,
                Stage = row.Stage,
                Lists = row.Lists.ToFrozenSet(StringComparer.OrdinalIgnoreCase),
                OwnerId = row.OwnerId,
                Tags = row.Tags.ToFrozenSet(StringComparer.OrdinalIgnoreCase),
                DoNotContact = row.DoNotContact is not null,
                KeyDates = dates,
            }
            : known with { KeyDates = dates };
    }
}
