using Germinal.Core.Contact;

namespace Germinal.Core.Tests.People;

/// <summary>
/// Where an address lies. The forms of a town's line are those of the postal services named (Universal Postal Union's country sheets
/// for the United States, Canada, Australia, the United Kingdom and Germany; from memory), the state codes USPS Publication 28, appendix B.
/// </summary>
public sealed class PostalPlaceTests
{
    [Theory]
    [InlineData("12 Quay Lane\nPort Averil, ME 04999", "Port Averil", "ME", "04999", null)]
    [InlineData("12 Quay Lane\nPort Averil, Maine 04999-1234", "Port Averil", "ME", "04999-1234", null)]
    [InlineData("12 Quay Lane\nPort Averil ME 04999", "Port Averil", "ME", "04999", null)]
    [InlineData("12 Quay Lane, Port Averil, me 04999", "Port Averil", "ME", "04999", null)]
    [InlineData("9 Kelp Road\nSt. Ansel, New Hampshire", "St. Ansel", "NH", null, null)]
    [InlineData("9 Kelp Road\nSt. Ansel, NH", "St. Ansel", "NH", null, null)]
    [InlineData("4 Spruce Way\nCold Narrows, NS b3h 1a1\nCanada", "Cold Narrows", "NS", "B3H 1A1", "Canada")]
    [InlineData("1 Reef Street\nFarhaven WA 6999", "Farhaven", "WA", "6999", null)]
    [InlineData("3 Mill Row\nBathwick BA1 1AA\nEngland", "Bathwick", null, "BA1 1AA", "England")]
    [InlineData("Feldweg 9\n04999 Zwenkau", "Zwenkau", null, "04999", null)]
    [InlineData("Feldweg 9\nA-1999 Wehrstadt\nAustria", "Wehrstadt", null, "A-1999", "Austria")]
    [InlineData("The old mill\nUpper Dale", "Upper Dale", null, null, null)]
    public void The_town_is_read_out_of_an_address(string address, string? city, string? state, string? code, string? country) =>
        Assert.Equal(new PostalPlace(city, state, code, country), PostalPlace.Of(address));

    [Theory]
    [InlineData("Zwenkau", "", "04999", "Germany", "04999 Zwenkau")]
    [InlineData("Zwenkau", "", "04999", "Deutschland", "04999 Zwenkau")]
    [InlineData("Zwenkau", "Sachsen", "04999", "de", "04999 Zwenkau")]
    [InlineData("Wehrstadt", "", "1999", "AT", "1999 Wehrstadt")]
    [InlineData("Kaaldorp", "", "1999 AB", "NL", "1999 AB Kaaldorp")]
    [InlineData("Bathwick", "", "BA1 1AA", "", "Bathwick BA1 1AA")]
    [InlineData("Bathwick", "Somerset", "BA1 1AA", "GB", "Bathwick, Somerset BA1 1AA")]
    [InlineData("Port Averil", "ME", "04999", "US", "Port Averil, ME 04999")]
    [InlineData("Port Averil", "ME", "04999", "", "Port Averil, ME 04999")]
    [InlineData("Port Averil", "ME", "04999", "Nowhereland", "Port Averil, ME 04999")]
    [InlineData("Cold Narrows", "NS", "B3H 1A1", "Canada", "Cold Narrows, NS B3H 1A1")]
    [InlineData("Upper Dale", "", "", "DE", "Upper Dale")]
    public void A_place_is_written_as_in_its_country_and_read_from_that_again(string city, string state, string code, string country, string line)
    {
        static string? Kept(string text) => text.Length == 0 ? null : text;
        var place = new PostalPlace(city, state, code, null);
        Assert.Equal(line, place.Line(country));
        Assert.Equal(new PostalPlace(city, place.StateStands(country) ? state : null, Kept(code), null), PostalPlace.Of($"9 Feldweg\n{line}"));
    }

    [Theory]
    [InlineData(null)]
    [InlineData("")]
    [InlineData("12 Quay Lane")]
    [InlineData("somewhere, perhaps")]
    [InlineData("c/o 12")]
    [InlineData("Flat 2\n12 Quay Lane")]
    public void Where_nothing_says_it_nothing_is_made_up(string? address) => Assert.Equal(PostalPlace.None, PostalPlace.Of(address));

    [Fact]
    public void Every_state_is_known_once_by_its_two_letters()
    {
        var states = PostalPlace.KnownStates.ToList();
        Assert.Equal(51, states.Count);
        Assert.Equal(51, states.Select(s => s.Code).Distinct().Count());
        Assert.All(states, s => Assert.Equal(s.Code, PostalPlace.Of($"1 A Street\nTown, {s.Name} 04999").State));
        Assert.Equal(("ME", "ME", "NS", "Bavaria"), (PostalPlace.StateOf("maine"), PostalPlace.StateOf("me"), PostalPlace.StateOf("ns"), PostalPlace.StateOf("Bavaria")));
    }
}
