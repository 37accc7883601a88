using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>Something that came in: an answer, an automatic answer, a bounce, a complaint, or words of somebody unknown.</summary>
public sealed class ReceivedRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Whose it is; null while nobody knows.</summary>
    public Guid? PersonId { get; set; }

    /// <summary>Whose it may be, where nobody knows for certain.</summary>
    public Guid? GuessId { get; set; }

    /// <summary>email or text.</summary>
    public required string Channel { get; set; }

    /// <summary>reply, automatic, bounce, complaint, opt-out, opt-in or help.</summary>
    public required string Kind { get; set; }

    public required string FromAddress { get; set; }

    public string Subject { get; set; } = "";

    /// <summary>What is new in it.</summary>
    public string Text { get; set; } = "";

    /// <summary>What it quotes of the thread; shown folded.</summary>
    public string Quoted { get; set; } = "";

    /// <summary>The touch it answers, or null.</summary>
    public Guid? TouchId { get; set; }

    public Instant At { get; set; }

    /// <summary>The mail of the practice's own it answers, or null.</summary>
    public Guid? OwnMailId { get; set; }

    /// <summary>The provider's own id of it; the same message taken in twice is one.</summary>
    public required string Key { get; set; }

    /// <summary>When a member has seen to it.</summary>
    public Instant? SeenAt { get; set; }
}

/// <summary>What came in as a whole, where there is more of it than <see cref="ReceivedRow"/> keeps as text.</summary>
public sealed class ReceivedFileRow : IOwned
{
    public long ReceivedId { get; set; }

    /// <summary>What it is the whole of.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public ReceivedRow? Received { get; set; }

    public Guid PracticeId { get; set; }

    public required string ContentType { get; set; }

    public required byte[] Content { get; set; }
}

/// <summary>Something a member should know: a program's message to the owner, an attempt at forgery, a provider that fails.</summary>
public sealed class NoticeRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>tell-me, forgery or provider.</summary>
    public required string Kind { get; set; }

    /// <summary>Who should know; null for the principals.</summary>
    public Guid? MemberId { get; set; }

    public Guid? PersonId { get; set; }

    public required string Text { get; set; }

    public Instant At { get; set; }

    /// <summary>Unique where set: what is told once is not told again.</summary>
    public string? Key { get; set; }

    public Instant? SeenAt { get; set; }
}

/// <summary>How a provider (mail out, mail in, texts) stands: one line a practice shows, whatever number of touches it concerns.</summary>
public sealed class ProviderRow : IOwned
{
    public Guid PracticeId { get; set; }

    /// <summary>mail-out, mail-in or texts; <c>mail-out of Ada Quill</c> where it is a member's own account.</summary>
    public required string Name { get; set; }

    /// <summary>What it said when it failed; null while all is well.</summary>
    public string? Trouble { get; set; }

    public Instant Since { get; set; }
}
