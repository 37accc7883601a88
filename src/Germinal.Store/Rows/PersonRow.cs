using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>Somebody in the database.</summary>
public sealed class PersonRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public string? FirstName { get; set; }

    public string? LastName { get; set; }

    /// <summary>“okafor leila”, for sorting: lower case, without accents. Kept by <see cref="PersonNames"/>.</summary>
    public string SortName { get; set; } = "";

    /// <summary>What search looks in: names, address and number in lower case, without accents.</summary>
    public string SearchText { get; set; } = "";

    /// <summary>What they are called; worked out, not stored.</summary>
    public string Name => PersonName.Of(FirstName, LastName, Email, Mobile);

    /// <summary>The first name as it is searched by its beginning, like the sort name.</summary>
    public string FirstSort { get; set; } = "";

    /// <summary>In lower case.</summary>
    public string? Email { get; set; }

    /// <summary>A second address that was in the same cell; kept, not written to.</summary>
    public string? OtherEmail { get; set; }

    /// <summary>E.164.</summary>
    public string? Mobile { get; set; }

    public string? MobileExtension { get; set; }

    /// <summary>E.164.</summary>
    public string? OtherPhone { get; set; }

    public string? OtherPhoneExtension { get; set; }

    /// <summary>Lines parted by line feeds.</summary>
    public string? Address { get; set; }

    /// <summary>What the address says of the town; with the next three kept by <see cref="PersonNames"/>.</summary>
    public string? City { get; set; }

    public string? State { get; set; }

    public string? PostalCode { get; set; }

    public string? Country { get; set; }

    /// <summary>The household they belong to, or null.</summary>
    public Guid? HouseholdId { get; set; }

    /// <summary>IANA zone; null means the practice's.</summary>
    public string? ZoneId { get; set; }

    /// <summary>The tag of the language they are written to in, such as <c>de-DE</c>; null means the practice's.</summary>
    public string? Tongue { get; set; }

    public Guid? OwnerId { get; set; }

    /// <summary><c>Pipeline/Stage</c>.</summary>
    public string? Stage { get; set; }

    public Instant? StageSince { get; set; }

    /// <summary>The stage for sorting, never null; the database works it out.</summary>
    public string StageSort { get; private set; } = "";

    /// <summary>The owner for sorting, never null; the database works it out.</summary>
    public Guid OwnerSort { get; private set; }

    public string? Source { get; set; }

    public List<string> Tags { get; set; } = [];

    public List<string> Lists { get; set; } = [];

    /// <summary>Fields of the practice's own, by name.</summary>
    public Dictionary<string, string> Custom { get; set; } = [];

    /// <summary>Why the last opportunity was lost, or null.</summary>
    public string? LostReason { get; set; }

    public Instant AddedAt { get; set; }

    public bool DoNotContact { get; set; }

    public string? DoNotContactReason { get; set; }

    /// <summary>The date at whose beginning, on the practice's clock, they may be contacted again; null for good.</summary>
    public LocalDate? DoNotContactUntil { get; set; }

    /// <summary>True while a do-not-contact read from a note waits for a member to confirm it.</summary>
    public bool DoNotContactToConfirm { get; set; }

    public bool Died { get; set; }

    public bool Archived { get; set; }

    /// <summary>The import that brought the person in, or null.</summary>
    public Guid? ImportId { get; set; }

    /// <summary>Counts up with each edit by a member; an edit that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    /// <summary>The engine's memory of them, made by the database with the row; null where it was not loaded.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public PersonStateRow? Memory { get; set; }
}

/// <summary>A tag the practice uses, in the spelling it was first given.</summary>
public sealed class TagRow : IOwned
{
    public Guid PracticeId { get; set; }

    public required string Name { get; set; }
}

/// <summary>A list the practice keeps, in the spelling it was first given. Who is on it stands with each person.</summary>
public sealed class ListRow : IOwned
{
    public Guid PracticeId { get; set; }

    public required string Name { get; set; }

    public Instant CreatedAt { get; set; }

    public string By { get; set; } = "";

    /// <summary>What it was made from, in words: a segment at a moment, a letter's readers; null for one kept by hand from the start.</summary>
    public string? From { get; set; }
}

/// <summary>A named date of a person.</summary>
public sealed class KeyDateRow : IOwned
{
    public Guid PersonId { get; set; }

    public required string Name { get; set; }

    public Guid PracticeId { get; set; }

    public int Month { get; set; }

    public int Day { get; set; }

    public int? Year { get; set; }

    public bool Yearly { get; set; }
}

/// <summary>One entry of the consent ledger. Append-only: corrected by a newer entry, never by an edit; one recorded by mistake is marked as taken back.</summary>
public sealed class ConsentRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public required string Channel { get; set; }

    /// <summary>commercial, transactional, or null for everything.</summary>
    public string? Purpose { get; set; }

    public string? Topic { get; set; }

    /// <summary>When a member took back that it was said; such an entry counts for nothing and stays to be read.</summary>
    public Instant? TakenBackAt { get; set; }

    public string? TakenBackBy { get; set; }

    public bool IsIn { get; set; }

    public string Basis { get; set; } = "express";

    public Instant At { get; set; }

    public required string Source { get; set; }

    public string? Reason { get; set; }

    public string? By { get; set; }

    public string? Evidence { get; set; }
}

/// <summary>An address or number nothing is sent to any more.</summary>
public sealed class SuppressionRow : IOwned
{
    public Guid PracticeId { get; set; }

    /// <summary>In lower case.</summary>
    public required string Address { get; set; }

    public required string Reason { get; set; }

    public Instant At { get; set; }
}
