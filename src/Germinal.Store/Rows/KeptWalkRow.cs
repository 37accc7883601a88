using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A walk through a program that is kept as a test: what somebody did, and what must happen then.</summary>
public sealed class KeptWalkRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid ProgramId { get; set; }

    public required string Name { get; set; }

    /// <summary>Whose facts it is walked with, by id; it is walked with them as they are.</summary>
    public Guid PersonId { get; set; }

    /// <summary>The moment it starts.</summary>
    public Instant From { get; set; }

    /// <summary>What they do, as JSON.</summary>
    public required string Moves { get; set; }

    /// <summary>What happened when it was kept, as JSON.</summary>
    public required string Expected { get; set; }

    public required string By { get; set; }
}
