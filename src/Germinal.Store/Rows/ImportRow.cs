using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A file of people on its way in.</summary>
public sealed class ImportRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string FileName { get; set; }

    public required byte[] Content { get; set; }

    /// <summary>What each column is, by position: a word of <c>ImportField</c>, or empty to leave it out.</summary>
    public List<string> Columns { get; set; } = [];

    /// <summary>Of a workbook with several sheets: the one that is read; null for the first.</summary>
    public string? Sheet { get; set; }

    /// <summary>Of the header, so that what was said of its columns is known for the next file with the same.</summary>
    public string HeaderPrint { get; set; } = "";

    /// <summary>What values of a field mean, said once for the whole file: by field, by the value as written; empty for “leave out”.</summary>
    public Dictionary<string, Dictionary<string, string>> Meanings { get; set; } = [];

    /// <summary>review, queued, running, stopped, done, failed or undone.</summary>
    public string Status { get; set; } = "review";

    public bool StopAsked { get; set; }

    public Instant CreatedAt { get; set; }

    public required string By { get; set; }

    public int RowsInAll { get; set; }

    public int RowsDone { get; set; }

    public int Added { get; set; }

    public int Filled { get; set; }

    public int Unchanged { get; set; }

    public int LeftOut { get; set; }

    public string? Error { get; set; }
}

/// <summary>What became of one row of an import, for its report and for undoing it.</summary>
public sealed class ImportLineRow : IOwned
{
    public Guid ImportId { get; set; }

    /// <summary>The row as a spreadsheet counts; the header is 1.</summary>
    public int Line { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>added, filled, unchanged or left-out.</summary>
    public required string Result { get; set; }

    public Guid? PersonId { get; set; }

    /// <summary>Of the raw cells, to know the row again in another import.</summary>
    public string Fingerprint { get; set; } = "";

    /// <summary>Doubts, each with its field.</summary>
    public List<string> Doubts { get; set; } = [];

    /// <summary>Fields that were blank and were filled, for undoing.</summary>
    public List<string> FilledFields { get; set; } = [];
}
