using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A worker's sign of life, renewed every few seconds while it runs. Belongs to the installation, not to a practice.</summary>
public sealed class WorkerRow
{
    public Guid Id { get; set; }

    /// <summary>Machine time of the last sign.</summary>
    public Instant SeenAt { get; set; }

    /// <summary>Machine time since when it has been at the same round of work; null while it has none.</summary>
    public Instant? BusySince { get; set; }
}
