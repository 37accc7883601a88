using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>Something the practice offers, kept once; letters show it as it is on the day they go.</summary>
public sealed class OfferRow : INamed
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>What letters call it by, and its heading in them; once in the practice.</summary>
    public required string Name { get; set; }

    /// <summary>What it was called before: letters that still call it so find it.</summary>
    public List<string> FormerNames { get; set; } = [];

    /// <summary>What is to be known of it, a line each, with merge fields.</summary>
    public string Facts { get; set; } = "";

    /// <summary>What it costs, as it is to be read; empty for nothing said.</summary>
    public string Price { get; set; } = "";

    /// <summary>Its page on the web; null for none.</summary>
    public string? Page { get; set; }

    public Guid? PictureId { get; set; }

    /// <summary>The picture in words.</summary>
    public string PictureWords { get; set; } = "";

    /// <summary>The first date on which it stands, in the practice's zone; null: since ever.</summary>
    public LocalDate? From { get; set; }

    /// <summary>The last date on which it stands; null: for good.</summary>
    public LocalDate? Until { get; set; }

    /// <summary>What a letter shows outside of those dates: a word of <c>OfferOver</c>.</summary>
    public string WhenOver { get; set; } = "leave-out";

    /// <summary>With <c>instead</c>: the offer that is shown in its place.</summary>
    public Guid? InsteadId { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}
