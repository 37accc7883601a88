using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>Where nothing says which practice something is for, it is for the one there is, and for none where there are several.</summary>
internal static class TheOnlyPractice
{
    /// <summary>The installation's practice; null where there are several, or none.</summary>
    public static async Task<Guid?> OfAsync(GerminalDb db, CancellationToken stop) =>
        await db.Practices.OrderBy(p => p.Id).Select(p => p.Id).Take(2).ToListAsync(stop) is [var only] ? only : null;
}
