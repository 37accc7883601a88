using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A file that letters carry or lead to.</summary>
public sealed class KeptFileRow : INamed
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>What steps call it by and readers save it as; once in the practice.</summary>
    public required string Name { get; set; }

    /// <summary>What it was called before: letters that still call it so find it.</summary>
    public List<string> FormerNames { get; set; } = [];

    /// <summary>By its content, never by its name.</summary>
    public required string ContentType { get; set; }

    public int Bytes { get; set; }

    public required byte[] Content { get; set; }

    public required string By { get; set; }

    public Instant At { get; set; }
}
