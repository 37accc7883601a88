using Germinal.Core.Files;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;

namespace Germinal.Service.House;

/// <summary>Who goes by a policy of consent.</summary>
public static class PolicyUses
{
    private static readonly StringComparer Words = StringComparer.OrdinalIgnoreCase;

    /// <summary>A policy that is gone while a program goes by it; programs as they are written now or are on.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="before">The settings as they are.</param>
    /// <param name="after">The names of the policies there are to be.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong, and what would be right; null for nothing.</returns>
    public static async Task<string?> MissedAsync(GerminalDb db, PracticeSettings before, IReadOnlyList<string> after, CancellationToken stop)
    {
        var gone = before.Policies.Select(p => p.Name).Where(n => !after.Contains(n, Words)).ToHashSet(Words);
        if (gone.Count == 0)
        {
            return null;
        }

        var users = (await ProgramTexts.AllAsync(db, stop))
            .Select(p => (p.Name, ProgramFile.Read(p.Text).Program?.Policy))
            .Where(p => p.Policy is { } policy && gone.Contains(policy))
            .ToList();
        return users.Count == 0
            ? null
            : Say($"“{users[0].Policy}” is what {string.Join(", ", users.Select(u => $"“{u.Name}”").Distinct())} {users.Select(u => u.Name).Distinct().Count():goes|go} by; choose another there first.");
    }
}
