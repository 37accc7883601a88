using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Service.Programs;
using Germinal.Service.Segments;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>The key dates a practice offers, and who uses one.</summary>
public static class KeyDates
{
    /// <summary>Who uses a date: people who have it, and the programs and segments that name it.</summary>
    public static async Task<OwnFieldUses> UsesAsync(GerminalDb db, string name, CancellationToken stop)
    {
        var date = name.Trim().ToLowerInvariant();
        var people = await db.KeyDates.CountAsync(d => d.Name == date, stop);
        var programs = (await ProgramTexts.AllAsync(db, stop)).Where(p => ProgramFile.Read(p.Text).Program is { } program && Names(program, date)).Select(p => p.Name);
        var segments = (await db.Segments.AsNoTracking().Select(s => new { s.Name, s.Rule }).ToListAsync(stop))
            .Where(s => Names(SegmentShelf.Read(s.Rule), date))
            .Select(s => s.Name);
        return new OwnFieldUses(people, [.. programs.Concat(segments).Distinct().Order(StringComparer.OrdinalIgnoreCase)]);
    }

    private static bool Names(ProgramDefinition program, string date) =>
        program.StartsWhen.OfType<OccasionTrigger>().Any(t => Same(t.Date, date))
        || program.AllSteps.Any(s => s.When is FromKeyDate from && Same(from.Date, date))
        || program.Rules.Any(r => Names(r, date));

    private static bool Names(Rule rule, string date) => rule.Leaves.Any(l => Same(l.Field, $"date:{date}"));

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
