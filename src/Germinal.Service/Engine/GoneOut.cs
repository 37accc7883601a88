using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;

namespace Germinal.Service.Engine;

/// <summary>What has reached somebody, or may have: a run of which there is any can no longer be as if it had never been.</summary>
internal static class GoneOut
{
    /// <summary>Messages that were sent or are on their way, and tasks that were done.</summary>
    public static IQueryable<TouchRow> Of(GerminalDb db) =>
        db.Touches.Where(t => t.Status == TouchStatus.Sent || t.Status == TouchStatus.Handing || t.Status == TouchStatus.Done);
}
