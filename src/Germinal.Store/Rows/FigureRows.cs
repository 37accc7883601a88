using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A table of figures by area and month, which letters take their reader's area from.</summary>
public sealed class FigureTableRow : INamed
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>What letters call it by; once in the practice.</summary>
    public required string Name { get; set; }

    /// <summary>What it was called before: letters that still call it so find it.</summary>
    public List<string> FormerNames { get; set; } = [];

    /// <summary>Its lasting public address ends in this; random, so that nobody comes by it by counting.</summary>
    public required string Key { get; set; }

    /// <summary>What is measured, in the order it is shown.</summary>
    public List<MeasureSettings> Measures { get; set; } = [];

    /// <summary>Counts up with each change of the table or its values.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}

/// <summary>Something that is measured.</summary>
public sealed class MeasureSettings
{
    public string Name { get; set; } = "";

    /// <summary>What stands before a number, such as <c>$</c>.</summary>
    public string Before { get; set; } = "";

    /// <summary>What stands after it, such as <c> days</c>.</summary>
    public string After { get; set; } = "";
}

/// <summary>One number.</summary>
public sealed class FigureRow : IOwned
{
    public Guid PracticeId { get; set; }

    public Guid TableId { get; set; }

    public required string Area { get; set; }

    public required string Measure { get; set; }

    /// <summary>The first of the month it is of.</summary>
    public LocalDate Month { get; set; }

    public decimal Value { get; set; }
}
