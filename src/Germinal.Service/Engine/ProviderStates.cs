using Germinal.Service.Clock;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>How each provider stands: one line, whatever number of messages it concerns.</summary>
public static class ProviderStates
{
    /// <summary>Notes a provider's trouble, or that it is over.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="name">mail-out, mail-in or texts.</param>
    /// <param name="trouble">What it said; null when all is well.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task SetAsync(GerminalDb db, string name, string? trouble, CancellationToken stop)
    {
        var practice = db.PracticeId!.Value;
        if (trouble is null)
        {
            await db.Providers.Where(p => p.Name == name && p.Trouble != null).ExecuteUpdateAsync(u => u.SetProperty(p => p.Trouble, (string?)null), stop);
            return;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO providers (practice_id, name, trouble, since) VALUES ({practice}, {name}, {trouble}, {now})
            ON CONFLICT (practice_id, name) DO UPDATE SET trouble = excluded.trouble, since = CASE WHEN providers.trouble IS NULL THEN excluded.since ELSE providers.since END
            """,
            stop
        );
    }
}
