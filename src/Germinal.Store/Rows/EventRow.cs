using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>
/// One row of the append-only event log, written in the transaction of the change itself. Only <see cref="HandledAt"/>
/// and how the person stood are ever set afterwards, by the reactor.
/// </summary>
public sealed class EventRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    /// <summary>Practice time. A future moment waits for its time.</summary>
    public Instant At { get; set; }

    /// <summary>A word of <c>EventKinds</c>.</summary>
    public required string Kind { get; set; }

    /// <summary>What the kind needs: the tag, the stage, the remark …</summary>
    public Dictionary<string, string> Data { get; set; } = [];

    /// <summary>Unique where set, so that a sweep that runs twice writes once.</summary>
    public string? Key { get; set; }

    /// <summary>The act it is part of, by which it can be taken back; null for what belongs to none.</summary>
    public Guid? ActId { get; set; }

    /// <summary>
    /// How the engine remembered the person before and right after, kept for a member's own act that can be taken back; null for
    /// everything else, and once it was taken back.
    /// </summary>
    public string? Before { get; set; }

    /// <inheritdoc cref="Before"/>
    public string? After { get; set; }

    /// <summary>The member's name, or where it came from.</summary>
    public string? By { get; set; }

    /// <summary>Practice time at which the reactor took it in; null while it waits. Kinds the engine does not read are handled when written.</summary>
    public Instant? HandledAt { get; set; }
}
