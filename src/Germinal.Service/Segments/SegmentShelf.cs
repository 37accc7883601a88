using System.Collections.Frozen;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Segments;

/// <summary>The practice's saved segments as rules ask for them.</summary>
public static class SegmentShelf
{
    /// <summary>
    /// The practice's own segments by name, compared without regard to case; those a member keeps for themselves are not among them, so
    /// that no program hangs on what one of its members changes unseen.
    /// </summary>
    public static async Task<FrozenDictionary<string, Rule>> RulesAsync(GerminalDb db, CancellationToken stop)
    {
        var rows = await db.Segments.AsNoTracking().Where(s => s.MemberId == null).Select(s => new { s.Name, s.Rule }).ToListAsync(stop);
        return rows.GroupBy(s => s.Name, StringComparer.OrdinalIgnoreCase).ToFrozenDictionary(g => g.Key, g => Read(g.First().Rule), StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>The rule of a segment that a member may see: the practice's, or their own. One that is not there has nobody.</summary>
    public static async Task<Rule> RuleAsync(GerminalDb db, Guid id, Guid reader, CancellationToken stop) =>
        await db.Segments.AsNoTracking().Where(s => s.Id == id && (s.MemberId == null || s.MemberId == reader)).Select(s => s.Rule).FirstOrDefaultAsync(stop) is { } json
            ? Read(json)
            : new AnyOf([]);

    /// <summary>A stored rule. Only rules that read without error are ever saved.</summary>
    public static Rule Read(string json)
    {
        var errors = new List<Finding>();
        return RuleReader.Read(json, errors)
            ?? throw new InvalidOperationException($"A stored rule does not read: {(errors.Count > 0 ? errors[0].Message : json)}");
    }
}
