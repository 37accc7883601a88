using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Programs;

/// <summary>Where a step falls (rule 3.2). <see cref="At"/> is a time of day of its own, or null.</summary>
public abstract record When(LocalTime? At);

/// <summary>So long after the run started.</summary>
public sealed record FromStart(Distance Offset, LocalTime? At) : When(At);

/// <summary>So long after the step before settled.</summary>
public sealed record FromPrevious(Distance Offset, LocalTime? At) : When(At)
{
    /// <summary>At once after the step before: what a step without <c>when</c> means.</summary>
    public static FromPrevious AtOnce { get; } = new(Distance.Zero, null);
}

/// <summary>So long before or after the occasion that started the run.</summary>
public sealed record FromOccasion(Distance Offset, LocalTime? At) : When(At);

/// <summary>On one date.</summary>
public sealed record OnDate(LocalDate Date, LocalTime? At) : When(At);

/// <summary>On the next such day of the year.</summary>
public sealed record OnYearly(YearlyDate Date, LocalTime? At) : When(At);

/// <summary>So long before or after a key date of the person.</summary>
public sealed record FromKeyDate(string Date, Distance Offset, LocalTime? At) : When(At);
