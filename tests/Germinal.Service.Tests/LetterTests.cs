using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Section 11: merge fields, sanitising, links, MIME.</summary>
public sealed class LetterTests
{
    private static readonly LiquidLetters Liquid = new();
    private static readonly PublicLinks Links = new([.. Enumerable.Range(0, 48).Select(i => (byte)i)], "https://germinal.example.com/");
    private static readonly Member Ada = new(Guid.NewGuid(), "Ada Quill", "ada@example.com");
    private static readonly Practice Practice = new() { Name = "Alder Quay", Zone = World.Zone, Members = [Ada], PostalAddress = "12 Quay Lane\nPort Averil, ME 04999" };
    private static readonly PersonFacts Ida = new() { Id = Guid.NewGuid(), FirstName = "Ida & Co", LastName = "Rowan", Email = "ida@example.com", OwnerId = Ada.Id, KeyDates = [new("birthday", new YearlyDate(6, 14, 1975), true)] };

    private static (string Text, List<string> Missing) Fill(string template, PersonFacts? person = null)
    {
        var missing = new List<string>();
        return (Liquid.FillText(template, person ?? Ida, Practice, Ada, World.At("2027-03-01T09:30"), missing), missing);
    }

    [Theory]
    [InlineData("{{ person.first_name }}", "Ida & Co")]
    [InlineData("{{ person.birthday }}, {{ person.age }}", "14 June, 52")]
    [InlineData("{{ sender.first_name }} of {{ practice.name }}", "Ada of Alder Quay")]
    [InlineData("{{ today }}", "1 March 2027")]
    [InlineData("{{ person.last_name | upcase }}", "ROWAN")]
    [InlineData("{{ person.stage | default: 'friend' }}", "friend")]
    [InlineData("{% if person.stage %}a{% else %}b{% endif %}", "b")]
    public void Rule_11_1_fields_are_filled(string template, string expected)
    {
        var (text, missing) = Fill(template);
        Assert.Equal(expected, text);
        Assert.Empty(missing);
    }

    [Theory]
    [InlineData("{{ person.stage }}", "person.stage"), InlineData("{{ person.stage | upcase }}", "person.stage"), InlineData("{{ person.frist_name }}", "person.frist_name")]
    public void Rule_11_1_a_field_without_value_and_default_is_found_and_never_prints_a_blank(string template, string field) => Assert.Contains(field, Fill(template).Missing);

    [Fact]
    public void A_broken_tag_says_line_and_column_and_an_unknown_field_its_neighbour()
    {
        Assert.Contains("Line 2, column", Assert.Single(Liquid.Problems("Hello\n{{ person.first_name ")), StringComparison.Ordinal);
        Assert.Contains("person.first_name", Assert.Single(Liquid.Problems("{{ person.frist_name }}")), StringComparison.Ordinal);
        Assert.Empty(Liquid.Problems("{{ person.first_name | default: 'you' }}"));
    }

    private static FilledLetter Letter(string body, Purpose purpose = Purpose.Commercial) =>
        new LetterWriter(Liquid, Links).Fill(new EmailStep { Id = "a", Subject = "Hello\r\nBcc: x@example.com", Body = body }, purpose, Ada.Id, Ida, Practice, Ada, World.At("2027-03-01T09:30"));

    [Theory]
    [InlineData("<script>alert(1)</script>"), InlineData("<p onclick=\"x()\">a</p>"), InlineData("<a href=\"javascript:x()\">a</a>"), InlineData("<iframe src=\"https://example.com\"></iframe>"), InlineData("<img src=x onerror=alert(1)>"), InlineData("<svg/onload=alert(1)>"), InlineData("<style>*{}</style>")]
    public void Bodies_are_sanitised(string body)
    {
        var html = Letter(body).BodyHtml;
        Assert.DoesNotMatch("script|onclick|javascript|iframe|onerror|onload|<style", html);
    }

    [Fact]
    public void Values_are_encoded_in_HTML_and_plain_in_text_and_a_body_without_tags_becomes_paragraphs()
    {
        var letter = Letter("Dear {{ person.first_name }}\n\nSecond");
        Assert.Contains("<p>Dear Ida &amp; Co</p><p>Second</p>", letter.Html, StringComparison.Ordinal);
        Assert.Contains("Dear Ida & Co\n\nSecond", letter.Text, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', letter.Subject);
    }

    // 15 U.S.C. 7704(a): an opt-out and a postal address in every commercial message (from memory); RFC 2369, RFC 8058.
    [Fact]
    public void Rule_11_2_a_commercial_email_carries_address_link_and_headers_and_both_parts()
    {
        var touch = Guid.NewGuid();
        var letter = new LetterWriter(Liquid, Links).Fill(new EmailStep { Id = "a", Subject = "Hello", Body = "<p>One <a href=\"https://example.com/x\">two</a></p><ul><li>three</li></ul>" }, Purpose.Commercial, touch, Ida, Practice, Ada, World.At("2027-03-01T09:30"));
        using var message = OutgoingMail.Build(letter, Purpose.Commercial, touch, Ada, "Ida Rowan", "ida@example.com", World.At("2027-03-01T09:30"), World.Zone, Links);
        Assert.Equal($"<{Links.Unsubscribe(touch)}>", message.Headers["List-Unsubscribe"]);
        Assert.Equal("List-Unsubscribe=One-Click", message.Headers["List-Unsubscribe-Post"]);
        Assert.Equal($"{touch:N}@example.com", message.MessageId);
        Assert.Equal(new DateTimeOffset(2027, 3, 1, 9, 30, 0, TimeSpan.FromHours(-5)), message.Date);
        Assert.All(new[] { message.TextBody, message.HtmlBody }, part =>
        {
            Assert.Contains("12 Quay Lane", part, StringComparison.Ordinal);
            Assert.Contains(Links.Unsubscribe(touch), part, StringComparison.Ordinal);
        });
        Assert.Contains("two (https://example.com/x)", message.TextBody, StringComparison.Ordinal);
        Assert.Contains("- three", message.TextBody, StringComparison.Ordinal);
    }

    [Fact]
    public void A_transactional_email_carries_no_unsubscribe() => Assert.DoesNotContain("/u/", Letter("b", Purpose.Transactional).Html, StringComparison.Ordinal);

    [Fact]
    public void Public_links_are_signed()
    {
        var touch = Guid.NewGuid();
        var token = Links.Token(touch);
        Assert.Equal(touch, Links.TryRead(token));
        for (var i = 0; i < token.Length; i++)
        {
            var forged = token[..i] + (token[i] == 'A' ? 'B' : 'A') + token[(i + 1)..];
            Assert.NotEqual(touch, Links.TryRead(forged));
            Assert.True(Links.TryRead(forged) is null || i == token.Length - 1);
        }

        Assert.Null(Links.TryRead(""));
        Assert.Null(Links.TryRead("../../etc"));
        Assert.Null(new PublicLinks(new byte[48], "https://x.example.com").TryRead(token));
    }
}
