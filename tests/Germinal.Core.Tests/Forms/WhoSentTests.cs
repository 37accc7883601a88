using CsCheck;
using Germinal.Core.Forms;
using NodaTime;

namespace Germinal.Core.Tests.Forms;

/// <summary>Rule 17.2: who sent a form, and what becomes of what is known.</summary>
public sealed class WhoSentTests
{
    private static KnownSender Known(int id, string? first, string? last, string? email = null, string? mobile = null) =>
        new(new Guid(id, 0, 0, new byte[8]), first, last, email, mobile, Instant.FromUnixTimeSeconds(id));

    private static readonly KnownSender Ida = Known(1, "Ida", "Lind", "lind@example.com", "+12075550101");
    private static readonly KnownSender Bo = Known(2, "Bo", "Lind", "lind@example.com");
    private static readonly KnownSender Nameless = Known(3, null, null, "office@example.com");

    private static Sender Of(string? first, string? last, string? email, string? mobile) => WhoSent.Of([Bo, Nameless, Ida], first, last, email, mobile);

    [Fact]
    public void By_address_else_by_number_and_last_name()
    {
        Assert.Equal(new Sender(Ida.Id, null), Of("ida", "Else", "LIND@example.com", null));
        Assert.Equal(new Sender(Bo.Id, null), Of("Bo", null, "lind@example.com", null));
        Assert.Equal(new Sender(Ida.Id, null), Of("Ida", "lind", "new@example.com", "+12075550101"));
        Assert.Equal(new Sender(null, null), Of("Ida", "Rowan", "new@example.com", "+12075550101"));
        Assert.Equal(new Sender(null, null), Of("Ida", null, null, "+12075550101"));
        Assert.Equal(new Sender(Nameless.Id, null), Of("Ada", "Quill", "office@example.com", null));
        Assert.Equal(new Sender(Ida.Id, null), Of(null, null, "lind@example.com", null));
    }

    [Fact]
    public void Another_first_name_under_one_address_is_another_person_of_the_household()
    {
        Assert.Equal(new Sender(null, Ida.Id), Of("Mia", "Lind", "lind@example.com", null));
        Assert.Equal(new Sender(null, Ida.Id), Of("Mia", "Lind", "mia@example.com", "+12075550101"));
    }

    [Fact]
    public void Whoever_is_found_has_the_address_or_the_number_and_no_other_first_name() =>
        Gen.Select(Gen.Int[0, 2], Gen.Int[0, 2], Gen.Int[0, 2], Gen.Int[0, 2])
            .Array[0, 6]
            .Select(Gen.Int[0, 2], Gen.Int[0, 2], Gen.Int[0, 2], Gen.Int[0, 2])
            .Sample(
                (people, first, last, email, mobile) =>
                {
                    static string? Word(string word, int n) => n == 0 ? null : $"{word}{n}";
                    var known = people.Select((p, i) => Known(i + 1, Word("F", p.Item1), Word("L", p.Item2), Word("e", p.Item3), Word("m", p.Item4))).ToList();
                    var (f, l, e, m) = (Word("F", first), Word("L", last), Word("e", email), Word("m", mobile));
                    var sender = WhoSent.Of(known, f, l, e, m);
                    bool Reached(KnownSender k) => (e is not null && k.Email == e) || (m is not null && k.Mobile == m && l is not null && k.LastName == l);
                    if (sender.Person is { } found)
                    {
                        var who = known.Single(k => k.Id == found);
                        return Reached(who) && (f is null || who.FirstName is null || who.FirstName == f);
                    }

                    // Somebody new: nobody is known by it at all, or all who are differ by their first names and one of them is lived with.
                    var reached = known.Where(k => e is not null && k.Email == e).ToList();
                    reached = reached.Count > 0 ? reached : [.. known.Where(Reached)];
                    return reached.Count == 0 ? sender.LivesWith is null : sender.LivesWith == reached[0].Id && reached.All(k => k.FirstName is not null && f is not null && k.FirstName != f);
                },
                iter: 3000
            );

    [Theory]
    [InlineData(KnownValues.Fill, Taking.Left)]
    [InlineData(KnownValues.TakeOver, Taking.Replaced)]
    [InlineData(KnownValues.Ask, Taking.Asked)]
    public void What_is_known_is_filled_taken_over_or_asked_about(KnownValues way, Taking taking)
    {
        var known = new Dictionary<string, string?> { ["last-name"] = "Lind", ["address"] = "  ", ["mobile"] = "+12075550101" };
        var taken = TakenIn.Of(
            [(new("last-name"), "Rowan"), (new("address"), "1 Mill Lane"), (new("mobile"), "+12075550101"), (new("first-name"), "Old"), (new("first-name"), "Ida")],
            place => known.GetValueOrDefault(place.Field),
            way
        );
        Assert.Equal(
            [("last-name", "Lind", "Rowan", taking), ("address", null, "1 Mill Lane", Taking.Filled), ("mobile", "+12075550101", "+12075550101", Taking.Same), ("first-name", null, "Ida", Taking.Filled)],
            taken.Select(t => (t.Place.Field, t.Before, t.Answer, t.Taking))
        );
    }
}
