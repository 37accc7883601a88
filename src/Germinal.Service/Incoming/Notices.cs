using Germinal.Service.Clock;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>Things a member should know that belong to no touch.</summary>
public static class Notices
{
    /// <summary>
    /// Tells the principals that somebody made up or altered an address or a signature; once a day for each kind, so that an
    /// attacker cannot flood them.
    /// </summary>
    /// <param name="db">Any context.</param>
    /// <param name="practiceId">The practice it was aimed at; null where that cannot be told: then nobody is told, unless the installation has one practice only.</param>
    /// <param name="what">What was forged, in a few words.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task ForgeryAsync(GerminalDb db, Guid? practiceId, string what, CancellationToken stop)
    {
        if ((practiceId ?? await TheOnlyPractice.OfAsync(db, stop)) is not { } practice)
        {
            return;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var key = $"forgery/{what}/{now.InUtc().Date:uuuu-MM-dd}";
        var text = $"Somebody called {what} with a signature that is not ours. Nothing was changed by it.";
        await db.Database.ExecuteSqlAsync(
            $"INSERT INTO notices (practice_id, kind, text, at, key) VALUES ({practice}, 'forgery', {text}, {now}, {key}) ON CONFLICT (practice_id, key) WHERE key IS NOT NULL DO NOTHING",
            stop
        );
    }
}
