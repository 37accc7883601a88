using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A change of a practice's settings, with what it changed as it was and as it became. Only the last few are kept.</summary>
public sealed class SettingsChangeRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Practice time.</summary>
    public Instant At { get; set; }

    /// <summary>Who did it; null where it was the application itself.</summary>
    public Guid? MemberId { get; set; }

    /// <summary>The parts that were changed, by the names settings are stored under, as they were: a JSON object. What is sealed is not in it.</summary>
    public required string Before { get; set; }

    /// <summary>The same parts as they became.</summary>
    public required string After { get; set; }

    /// <summary>The change that took this one back; null where none did.</summary>
    public long? TakenBackBy { get; set; }
}
