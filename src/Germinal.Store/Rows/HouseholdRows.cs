using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>People who live together. Who they are stands with each of them.</summary>
public sealed class HouseholdRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>How they are greeted together, written by hand; null where it is worked out from their names.</summary>
    public string? Salutation { get; set; }

    public Instant CreatedAt { get; set; }
}

/// <summary>
/// How two people stand to each other, kept once for both: <see cref="OtherId"/> is the <see cref="Role"/> of
/// <see cref="PersonId"/>, who is their <see cref="Back"/> (the other is the solicitor of the person, who is their client).
/// </summary>
public sealed class RelationRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public Guid OtherId { get; set; }

    public required string Role { get; set; }

    public required string Back { get; set; }

    public Instant At { get; set; }

    public required string By { get; set; }
}

/// <summary>Two people a member said are not one, so that nobody asks again. The smaller id stands first.</summary>
public sealed class DifferentRow : IOwned
{
    public Guid FirstId { get; set; }

    public Guid SecondId { get; set; }

    public Guid PracticeId { get; set; }

    public Instant At { get; set; }

    public required string By { get; set; }
}
