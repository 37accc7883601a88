using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A key by which another program works in the practice, for the member who made it. What it is stands nowhere; only its mark does.</summary>
public sealed class ApiKeyRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Who made it, and for whom it works: it may no more than they may.</summary>
    public Guid MemberId { get; set; }

    public required string Name { get; set; }

    /// <summary>How it begins, by which it is told from others.</summary>
    public required string Begins { get; set; }

    /// <summary>SHA-256 of the key, in hex.</summary>
    public required string Mark { get; set; }

    /// <summary>What it may, by the names of rights.</summary>
    public List<string> Rights { get; set; } = [];

    /// <summary>Machine time.</summary>
    public Instant CreatedAt { get; set; }

    /// <summary>Machine time from which it opens nothing.</summary>
    public Instant ExpiresAt { get; set; }

    /// <summary>Machine time, to a minute: when it was used last; null for never.</summary>
    public Instant? UsedAt { get; set; }

    /// <summary>Machine time at which a member ended it; null where nobody has.</summary>
    public Instant? EndedAt { get; set; }
}

/// <summary>What a call by a key was answered, kept for a day so that the same call again is answered the same and done once.</summary>
public sealed class KeptAnswerRow : IOwned
{
    public Guid PracticeId { get; set; }

    public Guid KeyId { get; set; }

    /// <summary>As the caller named the call.</summary>
    public required string Name { get; set; }

    /// <summary>SHA-256 of method, address and body, in hex: the same name for another call is a mistake.</summary>
    public required string Print { get; set; }

    /// <summary>Machine time.</summary>
    public Instant At { get; set; }

    /// <summary>The status it was answered with; null while it is under way, or where it broke off.</summary>
    public int? Status { get; set; }

    public string ContentType { get; set; } = "";

    public byte[] Body { get; set; } = [];
}

/// <summary>Another program's address that is told what happens.</summary>
public sealed class HookRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Address { get; set; }

    /// <summary>The key its calls are signed with, sealed.</summary>
    public required string SealedSecret { get; set; }

    /// <summary>What it is told, by the words of <c>HookKinds</c>.</summary>
    public List<string> Kinds { get; set; } = [];

    /// <summary>Machine time.</summary>
    public Instant CreatedAt { get; set; }

    /// <summary>Machine time since when nothing is told; null while it is.</summary>
    public Instant? EndedAt { get; set; }

    /// <summary>Why nothing is told any more, in words.</summary>
    public string Why { get; set; } = "";
}

/// <summary>One thing that such an address is told: written with what happened, told until it is taken or a day has gone by.</summary>
public sealed class HookCallRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid HookId { get; set; }

    /// <summary>Whom it is about.</summary>
    public Guid PersonId { get; set; }

    /// <summary>A word of <c>HookKinds</c>.</summary>
    public required string Kind { get; set; }

    /// <summary>What is told, the same letters each time.</summary>
    public required string Body { get; set; }

    /// <summary>Machine time.</summary>
    public Instant At { get; set; }

    /// <summary>Machine time at which it is told next; the end of time for never.</summary>
    public Instant NextAt { get; set; }

    public int Attempts { get; set; }

    /// <summary>Machine time at which it was taken; null where it was not.</summary>
    public Instant? TakenAt { get; set; }

    /// <summary>What the other side answered last, in a few words.</summary>
    public string LastAnswer { get; set; } = "";
}
