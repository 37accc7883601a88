using System.Collections.Frozen;

namespace Germinal.Core.Practices;

/// <summary>A file that letters carry or lead to.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">What steps call it by, and what the reader saves it as.</param>
/// <param name="Type">Its media type.</param>
/// <param name="Bytes">How large it is.</param>
public sealed record KeptFile(Guid Id, string Name, string Type, int Bytes)
{
    /// <summary>The most that the files of one letter may be together, in bytes: what mail servers take beside the letter (common practice, no source).</summary>
    public const int MostBytes = 10 * 1024 * 1024;
}

/// <summary>What a practice keeps for its letters to take from, each by name, compared without regard to case.</summary>
/// <param name="Offers">What it offers.</param>
/// <param name="Figures">Tables of figures.</param>
/// <param name="Files">Files to carry.</param>
/// <param name="Forms">Forms that everybody can open: what each is called, by the last part of its address.</param>
public sealed record KeptThings(
    FrozenDictionary<string, Offer> Offers,
    FrozenDictionary<string, FigureTable> Figures,
    FrozenDictionary<string, KeptFile> Files,
    FrozenDictionary<string, string> Forms
)
{
    /// <summary>A practice that keeps nothing.</summary>
    public static KeptThings None { get; } = new(Empty<Offer>(), Empty<FigureTable>(), Empty<KeptFile>(), Empty<string>());

    private static FrozenDictionary<string, T> Empty<T>() => FrozenDictionary.ToFrozenDictionary<string, T>([], StringComparer.OrdinalIgnoreCase);
}
