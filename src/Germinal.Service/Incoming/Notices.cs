using Germinal.Service.Clock;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

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
        var text = Say($"Somebody called {what} with a signature that is not ours. Nothing was changed by it.");
        await WriteAsync(db, practice, "forgery", null, null, text, key, now, stop);
    }

    /// <summary>Tells a member of the context's practice something, once.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="kind">The word of its kind.</param>
    /// <param name="member">Whom; null for the principals.</param>
    /// <param name="person">Whom it is about; null for nobody.</param>
    /// <param name="text">In words.</param>
    /// <param name="key">What is told under one key is told once.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static Task TellAsync(GerminalDb db, string kind, Guid? member, Guid? person, string text, string key, Instant now, CancellationToken stop) =>
        WriteAsync(db, db.PracticeId!.Value, kind, member, person, text, key, now, stop);

    private static Task WriteAsync(GerminalDb db, Guid practice, string kind, Guid? member, Guid? person, string text, string key, Instant now, CancellationToken stop) =>
        db.Database.ExecuteSqlAsync(
            $"INSERT INTO notices (practice_id, kind, member_id, person_id, text, at, key) VALUES ({practice}, {kind}, {member}, {person}, {text}, {now}, {key}) ON CONFLICT (practice_id, key) WHERE key IS NOT NULL DO NOTHING",
            stop
        );
}
