using Microsoft.AspNetCore.Identity;

namespace Germinal.Store.Rows;

/// <summary>A member of a practice who can sign in. Role: principal, adviser or assistant.</summary>
public sealed class MemberUser : IdentityUser<Guid>, IOwned
{
    public Guid PracticeId { get; set; }

    public string Name { get; set; } = "";

    public string Role { get; set; } = "adviser";

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
}
