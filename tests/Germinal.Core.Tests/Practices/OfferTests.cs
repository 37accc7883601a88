using CsCheck;
using Germinal.Core.Practices;
using NodaTime;

namespace Germinal.Core.Tests.Practices;

/// <summary>What stands in the place of an offer on a day.</summary>
public sealed class OfferTests
{
    private static readonly LocalDate May = new(2027, 5, 1);

    private static Offer Offer(string name, LocalDate? from = null, LocalDate? until = null, OfferOver over = OfferOver.LeaveOut, string? instead = null) =>
        new(name, "", "", null, null, "", from, until, over, instead);

    private static OfferPlace At(LocalDate date, string name, params Offer[] offers) =>
        OfferPlace.Of(offers.ToDictionary(o => o.Name, StringComparer.OrdinalIgnoreCase), name, date);

    [Theory]
    [InlineData(-1, false), InlineData(0, true), InlineData(9, true), InlineData(10, false)]
    public void Both_of_its_days_belong_to_it(int day, bool stands) =>
        Assert.Equal(stands, At(May.PlusDays(day), "talk", Offer("Talk", May, May.PlusDays(9))).Shown is not null);

    [Fact]
    public void One_that_is_over_is_left_out_held_or_replaced_as_was_chosen()
    {
        var over = May.PlusDays(-1);
        Assert.Equal(new OfferPlace(null, null), At(May, "a", Offer("a", until: over)));
        Assert.Contains("does not stand", At(May, "a", Offer("a", until: over, over: OfferOver.Hold)).Lack, StringComparison.Ordinal);
        Assert.Equal("b", At(May, "a", Offer("a", until: over, over: OfferOver.Instead, instead: "b"), Offer("b")).Shown!.Name);
        // What stands in may be over itself, and then goes its own way.
        Assert.NotNull(At(May, "a", Offer("a", until: over, over: OfferOver.Instead, instead: "b"), Offer("b", until: over, over: OfferOver.Hold)).Lack);
        Assert.Contains("There is no offer “c”", At(May, "c").Lack, StringComparison.Ordinal);
    }

    [Fact]
    public void However_offers_stand_in_for_each_other_it_comes_to_an_end() =>
        Gen.Int[0, 4]
            .Array[5]
            .Select(Gen.Int[-3, 3].Array[5], (instead, until) => (instead, until))
            .Sample(
                (instead, until) =>
                {
                    var offers = Enumerable.Range(0, 5).Select(i => Offer($"o{i}", until: May.PlusDays(until[i]), over: OfferOver.Instead, instead: $"o{instead[i]}")).ToArray();
                    var shown = At(May, "o0", offers).Shown;
                    // By hand: follow the names until one stands or one comes round again.
                    var (at, seen) = (0, new HashSet<int>());
                    while (until[at] < 0 && seen.Add(at))
                    {
                        at = instead[at];
                    }

                    return shown?.Name == (until[at] >= 0 ? $"o{at}" : null);
                },
                iter: 500
            );
}
