using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A short film that readers see on a page of theirs.</summary>
public sealed class FilmRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>What it is called, on its page too.</summary>
    public required string Name { get; set; }

    /// <summary>What stands below it on its page.</summary>
    public string Words { get; set; } = "";

    /// <summary>The last part of its public address. Once in the installation.</summary>
    public required string Slug { get; set; }

    /// <summary>By its content, never by its name: video/mp4 or video/webm.</summary>
    public required string ContentType { get; set; }

    public long Bytes { get; set; }

    /// <summary>How long it is, in milliseconds.</summary>
    public int Milliseconds { get; set; }

    public int Width { get; set; }

    public int Height { get; set; }

    /// <summary>The still that stands for it, among the practice's pictures; null for none yet.</summary>
    public Guid? StillId { get; set; }

    public required string By { get; set; }

    /// <summary>Practice time.</summary>
    public Instant At { get; set; }

    public int Edition { get; set; } = 1;
}

/// <summary>A piece of a film: so that no part of it larger than this is ever in memory.</summary>
public sealed class FilmPieceRow : IOwned
{
    /// <summary>Bytes of every piece but the last.</summary>
    public const int Size = 256 * 1024;

    public Guid FilmId { get; set; }

    /// <summary>From 0 on.</summary>
    public int Number { get; set; }

    public Guid PracticeId { get; set; }

    public required byte[] Content { get; set; }
}

/// <summary>Somebody saw a stretch of a film.</summary>
public sealed class FilmViewRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid FilmId { get; set; }

    /// <summary>Who; null for somebody whom no link of theirs led there.</summary>
    public Guid? PersonId { get; set; }

    /// <summary>The message whose link led there; null where nobody knows.</summary>
    public Guid? TouchId { get; set; }

    /// <summary>The mark of the page it was seen on; what is told twice is one.</summary>
    public required string Key { get; set; }

    /// <summary>Practice time at which it was first told.</summary>
    public Instant At { get; set; }

    /// <summary>The stretches seen on this page, in seconds, in order and apart: from, until, from, until.</summary>
    public List<int> Seen { get; set; } = [];
}
