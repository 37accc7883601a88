using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Service.Import;
using Germinal.Store;
using Xunit.Abstractions;

namespace Germinal.Service.Tests;

/// <summary>Who is the same: never two people into one by guess, and what is guessed is said.</summary>
public sealed class MatchingTests(ITestOutputHelper output)
{
    private static ComparedName Name(string first, string last) => NameLikeness.Read(first, last, PersonNames.Fold);

    private static ImportedRow Row(string? first, string? last, string? email = null, string? mobile = null, YearlyDate? born = null, string? phone = null, string? address = null) =>
        new()
        {
            Line = 2,
            Fingerprint = $"{first}{last}{email}{mobile}",
            FirstName = first,
            LastName = last,
            Email = email,
            Mobile = mobile,
            OtherPhone = phone,
            Address = address,
            Dates = born is { } b ? new Dictionary<string, YearlyDate> { ["birthday"] = b } : new(),
        };

    private static MatchCandidate Known(string first, string last, string? email = null, string? mobile = null, string? phone = null, string? address = null, YearlyDate? born = null) =>
        new(Guid.NewGuid(), null, email, mobile, phone, address, $"{first} {last}".Trim(), Name(first, last), born);

    private static Match Find(ImportedRow row, params MatchCandidate[] known)
    {
        var matching = new Matching();
        Array.ForEach(known, matching.Add);
        matching.Expect(row);
        return matching.Find(row);
    }

    [Theory]
    [InlineData("Ida", "Lind", "IDA", "lind", true)]
    [InlineData("Zoë", "Núñez", "Zoe", "Nunez", true)]
    [InlineData("Robert", "Marsh", "Bob", "Marsh", true)]
    [InlineData("Benjamin", "Marsh", "Ben", "Marsh", true)]
    [InlineData("Margaret", "Marsh", "M.", "Marsh", true)]
    [InlineData("Margaret", "Marsh", "Margraet", "Marsh", true)]
    [InlineData("Ida", "Lindqvist", "Ida", "Lindqvis", true)]
    [InlineData("Mary Ann", "Marsh", "Mary", "Marsh", true)]
    [InlineData("Ida", "Copperfield-Lowe", "Ida", "Lowe", true)]
    [InlineData("Marsh", "Ida", "Ida", "Marsh", true)]
    [InlineData("", "Marsh", "Ida", "Marsh", true)]
    [InlineData("", "", "Ida", "Marsh", true)]
    [InlineData("Ida", "O'Denny", "Ida", "ODenny", true)]
    [InlineData("Ida", "Lind", "Ada", "Lind", false)]
    [InlineData("Ida", "Lind", "Ida", "Linn", false)]
    [InlineData("Bo", "Lind", "Ida", "Lind", false)]
    [InlineData("Karen", "Lind", "Bob", "Lind", false)]
    [InlineData("Mary Ann", "Marsh", "Mary Beth", "Marsh", false)]
    [InlineData("Ida", "Marsh", "Ida", "Farrow", false)]
    [InlineData("Jo", "Marsh", "Joseph", "Marsh", false)]
    [InlineData("Ida", "", "", "Marsh", false)]
    public void Names_that_can_be_one_persons(string first, string last, string otherFirst, string otherLast, bool can)
    {
        Assert.Equal(can, NameLikeness.CanBeSame(Name(first, last), Name(otherFirst, otherLast)));
        Assert.Equal(can, NameLikeness.CanBeSame(Name(otherFirst, otherLast), Name(first, last)));
    }

    /// <summary>Values of the restricted Damerau–Levenshtein distance as textbooks give them (from memory): each pair, and a property against plain search.</summary>
    [Theory]
    [InlineData("", "", 0)]
    [InlineData("lind", "", 4)]
    [InlineData("ca", "abc", 3)]
    [InlineData("kitten", "sitting", 3)]
    [InlineData("farrow", "farorw", 1)]
    [InlineData("saturday", "sunday", 3)]
    public void Slips_are_counted(string a, string b, int slips) => Assert.Equal((slips, slips), (NameLikeness.Distance(a, b), NameLikeness.Distance(b, a)));

    [Fact]
    public void One_slip_is_one_letter_put_in_left_out_changed_or_changed_round()
    {
        var random = new Random(4);
        const string Letters = "abc";
        for (var n = 0; n < 3000; n++)
        {
            var word = string.Concat(Enumerable.Range(0, random.Next(1, 6)).Select(_ => Letters[random.Next(3)]));
            var near = new HashSet<string> { word };
            for (var i = 0; i <= word.Length; i++)
            {
                foreach (var c in Letters)
                {
                    near.Add(word.Insert(i, c.ToString()));
                    if (i < word.Length)
                    {
                        near.Add(word.Remove(i, 1));
                        near.Add(word.Remove(i, 1).Insert(i, c.ToString()));
                        near.Add(i + 1 < word.Length ? $"{word[..i]}{word[i + 1]}{word[i]}{word[(i + 2)..]}" : word);
                    }
                }
            }

            var other = string.Concat(Enumerable.Range(0, random.Next(1, 6)).Select(_ => Letters[random.Next(3)]));
            Assert.Equal(near.Contains(other), NameLikeness.Distance(word, other) <= 1);
        }
    }

    [Fact]
    public void Two_are_one_only_by_address_or_mobile_and_a_name_that_can_be_theirs()
    {
        var ida = Known("Ida", "Rowan", "ida@example.com", "+12075550101", "+12075550102", "1 Quay Lane\nPort Averil", new YearlyDate(6, 14, 1975));
        Assert.Equal("the same email address", Find(Row("IDA", "Rowan", "ida@example.com"), ida).Same?.By);
        Assert.Equal("the same email address", Find(Row(null, null, "ida@example.com"), ida).Same?.By);
        Assert.Equal("the same mobile and a name that can be the same", Find(Row("I.", "Rowan", mobile: "+12075550101"), ida).Same?.By);

        // Another first name under the same address or number is somebody else, perhaps of the same household.
        foreach (var row in new[] { Row("Bo", "Rowan", "ida@example.com"), Row("Bo", "Rowan", mobile: "+12075550101"), Row("Bo", "Rowan", phone: "+12075550102") })
        {
            var match = Find(row, ida);
            Assert.Null(match.Same);
            Assert.Contains("Ida Rowan, with another name: perhaps of the same household", Assert.Single(match.Doubts).Text, StringComparison.Ordinal);
        }

        // The same name with the same birthday, number or postal address is a guess, and said as one.
        foreach (var row in new[] { Row("Ida", "Rowan", born: new YearlyDate(6, 14, 1975)), Row("Ida", "Rowan", address: "1 Quay Lane\nPort Averil") })
        {
            var match = Find(row, ida);
            Assert.Null(match.Same);
            Assert.Contains("perhaps the same person", Assert.Single(match.Doubts).Text, StringComparison.Ordinal);
        }

        Assert.Equal(Match.Nobody.Doubts, Find(Row("Ida", "Rowan"), ida).Doubts);
        Assert.Empty(Find(Row("Ida", "Rowan", "other@example.com", born: new YearlyDate(6, 15, 1975)), ida).Doubts);
    }

    [Fact]
    public void A_family_of_one_number_stays_a_family_and_an_initial_that_fits_two_is_said()
    {
        MatchCandidate[] family = [Known("Bo", "Lind", mobile: "+12075550101"), Known("Bea", "Lind", mobile: "+12075550101"), Known("Ida", "Lind", mobile: "+12075550101")];
        Assert.Equal(family[2].Id, Find(Row("Ida", "Lind", mobile: "+12075550101"), family).Same?.Person.Id);
        Assert.Equal(family[1].Id, Find(Row("bea", "lind", mobile: "+12075550101"), family).Same?.Person.Id);
        var match = Find(Row("B.", "Lind", mobile: "+12075550101"), family);
        Assert.Null(match.Same);
        Assert.Equal("The same mobile as Bo Lind and Bea Lind: it may be one of them. Brought in by itself.", Assert.Single(match.Doubts).Text);
        Assert.Null(Find(Row("Kit", "Lind", mobile: "+12075550101"), family).Same);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void On_lists_of_known_truth_next_to_nobody_is_taken_for_another_and_most_are_found(int seed)
    {
        var (found, truly, toFind) = KnownTruth.Measure(KnownTruth.Generate(20_000, seed));
        var (precision, recall) = ((double)truly / found, (double)truly / toFind);
        output.WriteLine($"{found} found, {truly} truly, {toFind} to find: precision {precision:P2}, recall {recall:P2}");
        Assert.True(toFind > 4000);
        Assert.True(precision >= 0.995, $"precision {precision:P2}");
        Assert.True(recall >= 0.95, $"recall {recall:P2}");
    }
}
