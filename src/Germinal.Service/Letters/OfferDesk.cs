using Germinal.Core.Practices;

namespace Germinal.Service.Letters;

/// <summary>What offers are kept by.</summary>
public static class OfferDesk
{
    /// <summary>What a letter shows of an offer that is over, by its word as it is stored.</summary>
    public static IReadOnlyList<(string Word, OfferOver Over)> Overs { get; } =
    [
        ("leave-out", OfferOver.LeaveOut),
        ("instead", OfferOver.Instead),
        ("hold", OfferOver.Hold),
    ];

    /// <summary>The meaning of a word; leaving out for one that is none.</summary>
    public static OfferOver OverOf(string word) => Overs.FirstOrDefault(o => o.Word == word).Over;
}
