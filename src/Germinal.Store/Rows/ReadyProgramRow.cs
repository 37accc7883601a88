using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>
/// A program a practice put on the shelf for every practice of the installation to take. It belongs to whoever put it there, who
/// alone can take it off; all can read it.
/// </summary>
public sealed class ReadyProgramRow
{
    public Guid Id { get; set; }

    /// <summary>The practice that put it there.</summary>
    public Guid PracticeId { get; set; }

    /// <summary>What the practice was called then.</summary>
    public required string Practice { get; set; }

    public required string Name { get; set; }

    /// <summary>What the practice says of it; may be empty.</summary>
    public required string Note { get; set; }

    /// <summary>The program as a file, its letters written out.</summary>
    public required string Definition { get; set; }

    public Instant At { get; set; }
}
