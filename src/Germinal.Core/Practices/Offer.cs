using NodaTime;

namespace Germinal.Core.Practices;

/// <summary>What a letter shows of an offer outside of its dates.</summary>
public enum OfferOver
{
    /// <summary>Nothing: its place is left out.</summary>
    LeaveOut,

    /// <summary>Another offer, named by <see cref="Offer.Instead"/>.</summary>
    Instead,

    /// <summary>The message is held back until somebody has seen to it.</summary>
    Hold,
}

/// <summary>Something the practice offers: a house, a package, an evening, a loan condition. Kept once, shown by letters as it is on the day they go.</summary>
/// <param name="Name">What letters call it by, compared without regard to case, and its heading in them.</param>
/// <param name="Facts">What is to be known of it, a line each, with merge fields.</param>
/// <param name="Price">What it costs, as it is to be read; empty for nothing said.</param>
/// <param name="Page">Its page on the web; null for none.</param>
/// <param name="Picture">Where its picture is; null for none.</param>
/// <param name="PictureWords">The picture in words.</param>
/// <param name="From">The first date on which it stands, in the practice's zone; null: since ever.</param>
/// <param name="Until">The last date on which it stands; null: for good.</param>
/// <param name="Over">What is shown outside of those dates.</param>
/// <param name="Instead">With <see cref="OfferOver.Instead"/>: which offer.</param>
public sealed record Offer(
    string Name,
    string Facts,
    string Price,
    string? Page,
    string? Picture,
    string PictureWords,
    LocalDate? From,
    LocalDate? Until,
    OfferOver Over,
    string? Instead
)
{
    /// <summary>Whether it stands on a date of the practice; both ends belong to it.</summary>
    public bool StandsOn(LocalDate date) => (From is not { } from || date >= from) && (Until is not { } until || date <= until);
}

/// <summary>What becomes of an offer's place in a letter on a date.</summary>
/// <param name="Shown">The offer to show; null for none.</param>
/// <param name="Lack">Why the message is held back, as a sentence; null where nothing holds it.</param>
public sealed record OfferPlace(Offer? Shown, string? Lack)
{
    /// <summary>What stands in the place of an offer.</summary>
    /// <param name="offers">The practice's, by name, compared without regard to case.</param>
    /// <param name="name">What the letter calls it.</param>
    /// <param name="date">The date the letter goes, in the practice's zone.</param>
    public static OfferPlace Of(IReadOnlyDictionary<string, Offer> offers, string name, LocalDate date)
    {
        var seen = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        for (var asked = name; ;)
        {
            if (!offers.TryGetValue(asked, out var offer))
            {
                return new OfferPlace(null, Say($"There is no offer “{asked}”."));
            }

            if (offer.StandsOn(date))
            {
                return new OfferPlace(offer, null);
            }

            if (offer.Over == OfferOver.Hold)
            {
                return new OfferPlace(null, Say($"The offer “{offer.Name}” does not stand on that day."));
            }

            // Offers that stand in for each other in a ring, none of which stands, leave the place empty.
            if (offer is not { Over: OfferOver.Instead, Instead: { } instead } || !seen.Add(offer.Name))
            {
                return new OfferPlace(null, null);
            }

            asked = instead;
        }
    }
}
