using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Writes the occasion events of the coming two days, and of those missed within their grace, once each by their keys
/// (rules 4.2, 4.3). Two days ahead, because a person's clock may be most of a day before the practice's.
/// </summary>
public sealed class Sweep(IDbContextFactory<GerminalDb> databases, ShelfReading shelves)
{
    private static readonly Duration Ahead = Duration.FromDays(2);

    /// <summary>Sweeps one practice at a moment.</summary>
    public async Task SweepAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var shelf = await shelves.LoadAsync(db, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        foreach (var program in shelf.On)
        {
            foreach (var trigger in program.Current.Definition.StartsWhen.OfType<OccasionTrigger>())
            {
                await SweepAsync(db, practice, program, trigger, now, stop);
            }
        }
    }

    private static async Task SweepAsync(GerminalDb db, Practice practice, ProgramOn program, OccasionTrigger trigger, Instant now, CancellationToken stop)
    {
        // What was due before the program was switched on was not missed; it was not wanted.
        var from = Instant.Max(program.Since, now - Duration.FromDays(trigger.GraceDays));
        var until = now + Ahead;
        var days = Candidates(trigger, from, until, practice.Zone);
        var numbers = days.Select(d => (d.Month * 100) + d.Day).Distinct().ToArray();
        var people = await db.KeyDates.AsNoTracking()
            .Where(d => d.Name == trigger.Date && numbers.Contains((d.Month * 100) + d.Day))
            .Join(db.People, d => d.PersonId, p => p.Id, (d, p) => p).Where(p => !p.DoNotContact && !p.Died && !p.Archived)
            .AsNoTracking().ToListAsync(stop);
        var facts = await FactsReading.WithDetailsAsync(db, people, stop);
        var starts = facts.Values.SelectMany(f => Occasions.Between(program.Current, practice, f, from, until).Select(o => (Person: f.Id, Start: o))).ToList();
        foreach (var chunk in starts.Chunk(500))
        {
            var keys = chunk.Select(s => $"{s.Person:N}/{Occasions.Key(s.Start.ProgramId, s.Start.Occasion.Name, s.Start.Occasion.Date.Year)}").ToArray();
            var known = (await db.Events.Where(e => e.Key != null && keys.Contains(e.Key)).Select(e => e.Key!).ToListAsync(stop)).ToHashSet(StringComparer.Ordinal);
            db.Events.AddRange(chunk.Zip(keys).Where(s => !known.Contains(s.Second)).Select(s => new EventRow
            {
                PracticeId = db.PracticeId!.Value,
                PersonId = s.First.Person,
                At = Instant.Max(s.First.Start.At, now),
                Kind = EventKinds.Occasion,
                Key = s.Second,
                Data = new()
                {
                    ["program"] = s.First.Start.ProgramId.ToString(),
                    ["name"] = s.First.Start.Occasion.Name,
                    ["date"] = NodaTime.Text.LocalDatePattern.Iso.Format(s.First.Start.Occasion.Date),
                },
            }));
            await db.SaveChangesAsync(stop);
        }
    }

    /// <summary>The observed dates whose start could lie in the span, a few days wider; 29 February goes with its neighbours.</summary>
    private static List<LocalDate> Candidates(OccasionTrigger trigger, Instant from, Instant until, DateTimeZone zone)
    {
        var first = (from.InZone(zone).Date - trigger.Offset.Dates).PlusDays(-4);
        var last = (until.InZone(zone).Date - trigger.Offset.Dates).PlusDays(4);
        var days = new List<LocalDate>();
        for (var day = first; day <= last; day = day.PlusDays(1))
        {
            days.Add(day);
        }

        days.Add(new LocalDate(2000, 2, 29));
        return days;
    }
}
