using Microsoft.AspNetCore.Identity;

namespace Germinal.Store.Rows;

/// <summary>A member of a practice who can sign in. Role: principal, adviser or assistant.</summary>
public sealed class MemberUser : IdentityUser<Guid>, IOwned
{
    public Guid PracticeId { get; set; }

    public string Name { get; set; } = "";

    public string Role { get; set; } = "adviser";

    /// <summary>The address their letters come from; empty: the one they sign in with.</summary>
    public string SendsFrom { get; set; } = "";

    /// <summary>Whether they see only the people they look after, nobody's, and those of their office; a principal sees everybody.</summary>
    public bool SeesOwn { get; set; }

    /// <summary>The office or team whose members share their people; empty for none.</summary>
    public string Office { get; set; } = "";

    /// <summary>The tag of the language they work in, such as <c>de-DE</c>; empty: the practice's.</summary>
    public string Tongue { get; set; } = "";

    /// <summary>Calls the member can make on each week day (mon, tue …); empty: as many as there are (rule 9.4).</summary>
    public Dictionary<string, int> Capacity { get; set; } = [];

    /// <summary>Who stands in for the member.</summary>
    public Guid? DeputyId { get; set; }

    /// <summary>Since when the member may not sign in, or null. Their sessions end at once.</summary>
    public NodaTime.Instant? BlockedAt { get; set; }

    /// <summary>Secret part of the address of the member's calendar feed; null until it is asked for.</summary>
    public string? FeedKey { get; set; }

    /// <summary>How the member signs letters, as HTML; empty: by name.</summary>
    public string SignOff { get; set; } = "";

    /// <summary>The hour of their morning letter on the practice's clock, <c>HH:mm</c>; empty for none.</summary>
    public string MorningAt { get; set; } = "";

    /// <summary>When the next one is due; null for none.</summary>
    public NodaTime.Instant? MorningDue { get; set; }

    /// <summary>When the next letter with the practice's numbers of a month goes to them; null for none.</summary>
    public NodaTime.Instant? MonthlyDue { get; set; }

    /// <summary>Their photograph among the practice's pictures; null for none.</summary>
    public Guid? PhotographId { get; set; }

    /// <summary>By the machine's clock: when they were invited; null for the practice's first.</summary>
    public NodaTime.Instant? InvitedAt { get; set; }

    /// <summary>By the machine's clock: since when they no longer belong to the practice; what they did keeps their name. Null: they do.</summary>
    public NodaTime.Instant? LeftAt { get; set; }

    /// <summary>The secret of their second factor (RFC 6238), sealed; empty for none. It is asked for once <see cref="FactorSince"/> is set.</summary>
    public string SealedFactor { get; set; } = "";

    /// <summary>By the machine's clock: since when the second factor is asked for; null: it is not.</summary>
    public NodaTime.Instant? FactorSince { get; set; }

    /// <summary>The newest step of time a code was taken for: none works twice.</summary>
    public long FactorStep { get; set; }

    /// <summary>What is kept of the recovery codes that were not used yet.</summary>
    public List<string> RecoveryMarks { get; set; } = [];
}

/// <summary>A link by mail that works once: an invitation, or a password that was forgotten. By the machine's clock.</summary>
public sealed class MemberLinkRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid MemberId { get; set; }

    /// <summary>invitation or forgotten.</summary>
    public required string Kind { get; set; }

    /// <summary>SHA-256 of the link's key, in hex: who reads this table can follow none.</summary>
    public required string Mark { get; set; }

    public NodaTime.Instant CreatedAt { get; set; }

    public NodaTime.Instant ExpiresAt { get; set; }
}

/// <summary>A device that a member has signed in from before. By the machine's clock.</summary>
public sealed class DeviceRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid MemberId { get; set; }

    /// <summary>SHA-256 of what its cookie says, in hex.</summary>
    public required string Mark { get; set; }

    public NodaTime.Instant FirstAt { get; set; }

    public NodaTime.Instant LastAt { get; set; }
}
