using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>
/// A member signed in on one device. The cookie carries a key; what it opens stands here, so that signing out, a changed
/// password or role, or a block ends it at once, wherever the cookie is.
/// </summary>
public sealed class SessionRow
{
    /// <summary>SHA-256 of the key in the cookie, in hex: who reads this table cannot sign in with it.</summary>
    public required string Id { get; set; }

    public Guid MemberId { get; set; }

    /// <summary>The framework's ticket, sealed.</summary>
    public required byte[] Ticket { get; set; }

    /// <summary>The member's security stamp when they signed in; a changed password has another.</summary>
    public required string Stamp { get; set; }

    /// <summary>Their role when they signed in.</summary>
    public required string Role { get; set; }

    /// <summary>Machine time.</summary>
    public Instant CreatedAt { get; set; }

    /// <summary>Machine time.</summary>
    public Instant ExpiresAt { get; set; }

    /// <summary>Machine time, to some minutes: when it was used last.</summary>
    public Instant SeenAt { get; set; }

    /// <summary>The address they signed in from.</summary>
    public string FromAddress { get; set; } = "";

    /// <summary>What their browser calls itself.</summary>
    public string FromProgram { get; set; } = "";
}
