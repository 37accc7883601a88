using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A member's own mail account: what they sign goes out by it, and what is written to and from it may come into people's threads.</summary>
public sealed class MailAccountRow : IOwned
{
    /// <summary>Whose it is; each member has one.</summary>
    public Guid MemberId { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>The address mail comes from.</summary>
    public required string Address { get; set; }

    /// <summary>Where mail goes out (SMTP).</summary>
    public MailServerSettings Out { get; set; } = new();

    /// <summary>Where mailboxes are read and written (IMAP); an empty host for nowhere.</summary>
    public MailServerSettings In { get; set; } = new();

    /// <summary>Who gives out tokens (OAuth 2); empty where a password signs in.</summary>
    public string Issuer { get; set; } = "";

    /// <summary>What the issuer knows this installation as.</summary>
    public string ClientId { get; set; } = "";

    /// <summary>Sealed; empty for none.</summary>
    public string SealedClientSecret { get; set; } = "";

    /// <summary>The token that gets others, sealed.</summary>
    public string SealedRefresh { get; set; } = "";

    /// <summary>The token of now, sealed; empty for none yet.</summary>
    public string SealedAccess { get; set; } = "";

    /// <summary>By the machine's clock: until when the token of now is good.</summary>
    public Instant AccessUntil { get; set; }

    /// <summary>How many emails a day it takes; null where nobody has said.</summary>
    public int? PerDay { get; set; }

    /// <summary>Whether answers, and what the member writes from their own mail program to known people, come into the thread.</summary>
    public bool TakesIn { get; set; }

    /// <summary>What never comes in: addresses, domains (<c>@example.com</c>), words of a subject.</summary>
    public List<string> Private { get; set; } = [];

    /// <summary>By the machine's clock: when it was last seen to work.</summary>
    public Instant WorkedAt { get; set; }

    /// <summary>What a server said when it did not; empty while all is well.</summary>
    public string Trouble { get; set; } = "";

    /// <summary>UIDVALIDITY of the inbox (RFC 9051, 2.3.1.1); 0 where it was not read yet.</summary>
    public long InboxValidity { get; set; }

    /// <summary>The first UID of the inbox that was not read yet.</summary>
    public long InboxNext { get; set; }

    /// <summary>As <see cref="InboxValidity"/>, of the folder of sent mail.</summary>
    public long SentValidity { get; set; }

    /// <summary>As <see cref="InboxNext"/>, of the folder of sent mail.</summary>
    public long SentNext { get; set; }
}

/// <summary>A letter that went out by a member's own account and is to be placed in its folder of sent mail. It goes from here once it is there.</summary>
public sealed class SentCopyRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid MemberId { get; set; }

    /// <summary>Without angle brackets; the same letter is placed once.</summary>
    public required string MessageId { get; set; }

    /// <summary>The message as it went.</summary>
    public required byte[] Content { get; set; }

    /// <summary>By the machine's clock: when it went.</summary>
    public Instant At { get; set; }

    /// <summary>By the machine's clock.</summary>
    public Instant NextTry { get; set; }

    public int Attempts { get; set; }
}
