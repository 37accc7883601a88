using Germinal.Channels.Letters;

namespace Germinal.Service.Tests;

/// <summary>Where links may lead: RFC 3986's schemes by name, completed only where one thing can be meant.</summary>
public sealed class LinkAddressTests
{
    [Theory]
    [InlineData("https://example.com/a?b=c#d", "https://example.com/a?b=c#d")]
    [InlineData("HTTP://EXAMPLE.com", "HTTP://EXAMPLE.com")]
    [InlineData(" example.com/plan ", "https://example.com/plan")]
    [InlineData("www.example.com", "https://www.example.com")]
    [InlineData("example.com:8080/x", "https://example.com:8080/x")]
    [InlineData("//example.com/x", "https://example.com/x")]
    [InlineData("bücher.example", "https://bücher.example")]
    [InlineData("ida@example.com", "mailto:ida@example.com")]
    [InlineData("mailto:ida@example.com?subject=x", "mailto:ida@example.com?subject=x")]
    [InlineData("tel:+12075550123", "tel:+12075550123")]
    [InlineData("{{ practice.booking_link }}", "{{ practice.booking_link }}")]
    [InlineData("https://example.com/{{ person.first_name }}", "https://example.com/{{ person.first_name }}")]
    public void Leads_somewhere(string written, string leads) => Assert.Equal(leads, LinkAddress.Complete(written));

    [Theory]
    [InlineData("")]
    [InlineData("plan")]
    [InlineData("our page")]
    [InlineData("/plan")]
    [InlineData("#top")]
    [InlineData("javascript:alert(1)")]
    [InlineData("JaVaScRiPt:{{ person.first_name }}")]
    [InlineData("data:text/html,x")]
    [InlineData("file:///etc/passwd")]
    [InlineData("ftp://example.com")]
    [InlineData("https://")]
    [InlineData("https:///x")]
    [InlineData("mailto:nobody")]
    [InlineData("tel:x")]
    public void Leads_nowhere(string written)
    {
        Assert.Null(LinkAddress.Complete(written));
        Assert.Contains("leads nowhere", LinkAddress.Problem(written), StringComparison.Ordinal);
    }

    [Fact]
    public void A_letter_goes_out_with_what_was_meant_and_notices_who_follows()
    {
        var (html, links) = LetterLinks.Rewrite(
            """<p><a href="example.com/plan" data-name="plan">x</a> <a href="ida@example.com">y</a></p>""",
            place => $"https://germinal.example.com/l/{place}",
            new Dictionary<string, string>()
        );
        Assert.Equal("https://example.com/plan", Assert.Single(links).Address);
        Assert.Contains("href=\"https://germinal.example.com/l/0\"", html, StringComparison.Ordinal);
        Assert.Contains("href=\"mailto:ida@example.com\"", html, StringComparison.Ordinal);
    }
}
