using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>Where nothing says which practice something is for, it is for the one that has no number of its own and so shares the installation's; for none where several do.</summary>
internal static class TheOnlyPractice
{
    /// <summary>That practice; null where there are several, or none.</summary>
    public static async Task<Guid?> OfAsync(GerminalDb db, CancellationToken stop) =>
        await db
            .Database.SqlQuery<Guid>($"""SELECT id AS "Value" FROM practices WHERE id <> {Store.Rows.PracticeRow.House} AND coalesce(settings ->> 'textNumber', '') = '' ORDER BY id LIMIT 2""")
            .ToListAsync(stop)
            is [var only]
            ? only
            : null;
}
