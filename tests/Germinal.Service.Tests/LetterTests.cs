using AngleSharp.Html.Parser;
using CsCheck;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
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
    private static readonly Practice Practice = new()
    {
        Name = "Alder Quay",
        Zone = World.Zone,
        Members = [Ada],
        PostalAddress = "12 Quay Lane\nPort Averil, ME 04999",
    };
    private static readonly PersonFacts Ida = new()
    {
        Id = Guid.NewGuid(),
        FirstName = "Ida & Co",
        LastName = "Rowan",
        Email = "ida@example.com",
        OwnerId = Ada.Id,
        KeyDates = [new("birthday", new YearlyDate(6, 14, 1975), true)],
    };

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
    [
        InlineData("{{ person.stage }}", "person.stage"),
        InlineData("{{ person.stage | upcase }}", "person.stage"),
        InlineData("{{ person.frist_name }}", "person.frist_name")
    ]
    public void Rule_11_1_a_field_without_value_and_default_is_found_and_never_prints_a_blank(string template, string field) =>
        Assert.Contains(field, Fill(template).Missing);

    [Fact]
    public void A_broken_tag_says_line_and_column_and_an_unknown_field_its_neighbour()
    {
        Assert.Contains("Line 2, column", Assert.Single(Liquid.Problems("Hello\n{{ person.first_name ")), StringComparison.Ordinal);
        Assert.Contains("person.first_name", Assert.Single(Liquid.Problems("{{ person.frist_name }}")), StringComparison.Ordinal);
        Assert.Empty(Liquid.Problems("{{ person.first_name | default: 'you' }}"));
    }

    private static FilledLetter Letter(string body, Purpose purpose = Purpose.Commercial, Practice? practice = null) =>
        new LetterWriter(Liquid, Links).Fill(
            new EmailStep
            {
                Id = "a",
                Subject = "Hello\r\nBcc: x@example.com",
                Body = body,
            },
            purpose,
            Ada.Id,
            Ida,
            practice ?? Practice,
            Ada,
            World.At("2027-03-01T09:30")
        );

    [Theory]
    [
        InlineData("<script>alert(1)</script>"),
        InlineData("<p onclick=\"x()\">a</p>"),
        InlineData("<a href=\"javascript:x()\">a</a>"),
        InlineData("<iframe src=\"https://example.com\"></iframe>"),
        InlineData("<img src=x onerror=alert(1)>"),
        InlineData("<svg/onload=alert(1)>"),
        InlineData("<style>*{}</style>")
    ]
    public void Bodies_are_sanitised(string body)
    {
        var html = Letter(body).BodyHtml;
        Assert.DoesNotMatch("script|onclick|javascript|iframe|onerror|onload|<style", html);
    }

    [Fact]
    public void Values_are_encoded_in_HTML_and_plain_in_text_and_a_body_without_tags_becomes_paragraphs()
    {
        var letter = Letter("Dear {{ person.first_name }}\n\nSecond");
        Assert.Contains("<p>Dear Ida &amp; Co</p><p>Second</p>", letter.BodyHtml, StringComparison.Ordinal);
        Assert.Contains("Dear Ida & Co\n\nSecond", letter.Text, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', letter.Subject);
    }

    // 15 U.S.C. 7704(a): an opt-out and a postal address in every commercial message (from memory); RFC 2369, RFC 8058.
    [Fact]
    public void Rule_11_2_a_commercial_email_carries_address_link_and_headers_and_both_parts()
    {
        var touch = Guid.NewGuid();
        var letter = new LetterWriter(Liquid, Links).Fill(
            new EmailStep
            {
                Id = "a",
                Subject = "Hello",
                Body = "<p>One <a href=\"https://example.com/x\">two</a></p><ul><li>three</li></ul>",
            },
            Purpose.Commercial,
            touch,
            Ida,
            Practice,
            Ada,
            World.At("2027-03-01T09:30")
        );
        using var message = OutgoingMail.Build(
            letter,
            Purpose.Commercial,
            touch,
            Ada,
            "Ida Rowan",
            "ida@example.com",
            World.At("2027-03-01T09:30"),
            World.Zone,
            Links
        );
        Assert.Equal($"<{Links.Unsubscribe(touch)}>", message.Headers["List-Unsubscribe"]);
        Assert.Equal("List-Unsubscribe=One-Click", message.Headers["List-Unsubscribe-Post"]);
        Assert.Equal($"{touch:N}@example.com", message.MessageId);
        Assert.Equal(new DateTimeOffset(2027, 3, 1, 9, 30, 0, TimeSpan.FromHours(-5)), message.Date);
        Assert.All(
            new[] { message.TextBody, message.HtmlBody },
            part =>
            {
                Assert.Contains("12 Quay Lane", part, StringComparison.Ordinal);
                Assert.Contains(Links.Unsubscribe(touch), part, StringComparison.Ordinal);
            }
        );
        Assert.Contains("two (https://example.com/x)", message.TextBody, StringComparison.Ordinal);
        Assert.Contains("- three", message.TextBody, StringComparison.Ordinal);
    }

    [Fact]
    public void The_words_of_a_policy_stand_under_commercial_letters_in_both_parts_as_words()
    {
        var practice = Practice with { Footer = "No <b>advice</b>.\nAsk us first." };
        var letter = Letter("Hello", practice: practice);
        Assert.Contains("No &lt;b&gt;advice&lt;/b&gt;.<br>Ask us first.", letter.Html, StringComparison.Ordinal);
        Assert.Contains("No <b>advice</b>.\nAsk us first.", letter.Text, StringComparison.Ordinal);
        Assert.DoesNotContain("Ask us first", Letter("Hello", Purpose.Transactional, practice).Text, StringComparison.Ordinal);
    }

    [Fact]
    public void A_transactional_email_carries_no_unsubscribe() =>
        Assert.DoesNotContain("/u/", Letter("b", Purpose.Transactional).Html, StringComparison.Ordinal);

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

    [Fact]
    public void Rule_11_4_a_letter_holds_two_wordings_and_the_program_or_else_the_practice_chooses()
    {
        const string Both = "{% if voice == 'we' %}We look forward{% else %}I look forward{% endif %}";
        var ours = Practice with { Voice = Voice.We };
        string With(Practice practice, Voice? voice) =>
            Liquid.FillText(Both, Ida, practice.AsFor(new ProgramDefinition { Name = "P", Voice = voice }), Ada, World.At("2027-03-01T09:30"), []);
        Assert.Equal(
            ["I look forward", "We look forward", "We look forward", "I look forward"],
            [With(Practice, null), With(Practice, Voice.We), With(ours, null), With(ours, Voice.I)]
        );
    }

    [Fact]
    public void Rule_11_1_fields_of_the_practices_own_are_filled_and_missed_like_any_other()
    {
        var solo = Ida with
        {
            Custom = System.Collections.Frozen.FrozenDictionary.ToFrozenDictionary(
                [new KeyValuePair<string, string>("Plan", "solo")],
                StringComparer.OrdinalIgnoreCase
            ),
        };
        Assert.Equal("solo", Fill("{{ person.custom.plan }}", solo).Text);
        Assert.Equal(["person.custom.plan"], Fill("{{ person.custom.plan }}").Missing);
        Assert.Empty(Liquid.Problems("{{ person.custom.plan }}"));
        Assert.Equal(
            ["person.first_name", "person.stage"],
            Liquid.FieldsOf(new TextStep { Id = "t", Body = "{{ person.first_name }}{% if person.stage %}x{% endif %}" })
        );
    }

    [Fact]
    public void Rule_11_5_what_a_link_sets_off_is_part_of_the_link_and_stays_with_us()
    {
        var step = new EmailStep
        {
            Id = "a",
            Subject = "s",
            Body =
                "<p>See <a href=\"https://example.com/guide?a=1\" data-name=\"guide\" data-tag=\"warm\" data-call=\"Ask how it helped\">the guide</a> or <a href=\"mailto:ada@example.com\">write</a></p>",
        };
        var links = new PublicLinks(new byte[48], "https://germinal.example.com");
        var touch = Guid.NewGuid();
        var tracked = new LetterWriter(Liquid, links).Fill(
            step,
            Purpose.Commercial,
            touch,
            Ida,
            Practice,
            Ada,
            World.At("2027-03-01T09:30"),
            new LetterTracking(true, true, new Dictionary<string, string> { ["utm_source"] = "letter" })
        );
        var link = Assert.Single(tracked.Links);
        Assert.Equal(("https://example.com/guide?a=1&utm_source=letter", "guide"), (link.Address, link.Name));
        Assert.Equal(["call=Ask how it helped", "tag=warm"], link.Effects.Select(e => $"{e.Key}={e.Value}").Order());
        Assert.DoesNotContain("data-", tracked.Html, StringComparison.Ordinal);
        Assert.DoesNotContain("example.com/guide", tracked.Html, StringComparison.Ordinal);
        Assert.DoesNotContain("example.com/guide", tracked.Text, StringComparison.Ordinal);
        Assert.Contains(links.Link(touch, 0), tracked.Text, StringComparison.Ordinal);
        Assert.Contains(links.Opening(touch), tracked.Html, StringComparison.Ordinal);
        Assert.Contains("mailto:ada@example.com", tracked.Html, StringComparison.Ordinal);
        Assert.Contains("https://example.com/guide?a=1&amp;utm_source=letter", tracked.BodyHtml, StringComparison.Ordinal);

        var seen = new LetterWriter(Liquid, links).Fill(step, Purpose.Commercial, touch, Ida, Practice, Ada, World.At("2027-03-01T09:30"));
        Assert.DoesNotContain("/o/", seen.Html, StringComparison.Ordinal);
        Assert.Contains("https://example.com/guide", seen.Html, StringComparison.Ordinal);
    }

    [Theory]
    [
        InlineData("<a href=\"https://example.com\" data-call-in=\"soon\">x</a>", "soon"),
        InlineData("<a href=\"https://example.com\" data-call-to=\"boss\">x</a>", "boss"),
        InlineData("<a href=\"https://example.com\" data-stage=\"x\">x</a>", "stage")
    ]
    public void What_a_link_cannot_set_off_is_found_when_the_program_is_checked(string body, string named) =>
        Assert.Contains(named, Assert.Single(LetterLinks.Problems(body)), StringComparison.Ordinal);

    [Fact]
    public void Links_are_signed_for_what_they_are_for()
    {
        var links = new PublicLinks(new byte[48], "https://germinal.example.com");
        var id = Guid.NewGuid();
        string TokenOf(string address) => address[(address.LastIndexOf('/') + 1)..].Replace(".gif", "", StringComparison.Ordinal);
        var (link, opening, preferences) = (TokenOf(links.Link(id, 300)), TokenOf(links.Opening(id)), TokenOf(links.Preferences(id)));
        Assert.Equal((id, 300), links.TryReadLink(link));
        Assert.Equal(id, links.TryReadOpening(opening));
        Assert.Null(links.TryReadLink(opening));
        Assert.Null(links.TryReadOpening(preferences));
        Assert.Null(links.TryReadPreferences(link));
        foreach (var altered in Enumerable.Range(0, link.Length).Select(i => link[..i] + (link[i] == 'A' ? 'B' : 'A') + link[(i + 1)..]))
        {
            // The last letter of base 64 holds bits that are not used.
            Assert.True(links.TryReadLink(altered) is null || altered[..^1] == link[..^1], altered);
        }

        Assert.Null(new PublicLinks([.. Enumerable.Repeat((byte)1, 48)], "https://germinal.example.com").TryReadLink(link));
    }

    [Fact]
    public void Addresses_for_answers_survive_a_change_of_case_and_cannot_be_made_up()
    {
        var replies = new Channels.Mail.ReplyAddresses(new byte[48], "answers.example.com");
        var id = Guid.NewGuid();
        var address = replies.Of(Channels.Mail.ReplyUse.Answer, id)!;
        Assert.InRange(address.IndexOf('@', StringComparison.Ordinal), 1, 64);
        Assert.Equal((Channels.Mail.ReplyUse.Answer, id), replies.TryRead(address.ToUpperInvariant()));
        Assert.Equal((Channels.Mail.ReplyUse.Report, id), replies.TryRead(replies.Of(Channels.Mail.ReplyUse.Report, id)!));
        Assert.Null(replies.TryRead(address.Replace("answer.", "report.", StringComparison.Ordinal)));
        Assert.Null(replies.TryRead(address.Replace("answers.example.com", "example.com", StringComparison.Ordinal)));
        Assert.Null(replies.TryRead("answer.00@answers.example.com"));
        Assert.Null(new Channels.Mail.ReplyAddresses(new byte[48], null).Of(Channels.Mail.ReplyUse.Answer, id));
    }

    /// <summary>A letter worked out once and filled many times is the letter worked out for each person: only the latter can have a field inside a tag.</summary>
    [Fact]
    public void Rule_11_5_a_letter_worked_out_once_is_the_same_as_one_worked_out_for_each_person()
    {
        var words = Gen.OneOf(
            "Hello {{ person.first_name }},",
            "plain words & more",
            "<strong>{{ sender.name }}</strong>",
            "{% if person.stage %}no{% else %}yes{% endif %}",
            "<br>",
            "1 < 2"
        );
        var link = Gen.Select(
                Gen.Int[0, 3],
                Gen.OneOf("here", "https://example.com/0", "<em>there</em>", "{{ practice.name }}"),
                Gen.OneOf("", " data-tag=\"warm\"", " data-call=\"Ring\" data-call-in=\"P2D\"", " data-name=\"the guide\"")
            )
            .Select((at, text, effect) => $"<a href=\"https://example.com/{at}?a=1&amp;b={at}\"{effect}>{text}</a>");
        var other = Gen.OneOf("<a href=\"mailto:ada@example.com\">write</a>", "<a href=\"tel:+12075550142\">ring</a>", "<ul><li>one</li><li>two</li></ul>");
        var body = Gen.Frequency((4, words), (3, link), (1, other)).Array[0, 8].Select(parts => $"<p>{string.Join(" ", parts)}</p>");
        var tracking = Gen.Select(Gen.Bool, Gen.Bool, Gen.Bool)
            .Select(
                (follow, opens, campaign) =>
                    new LetterTracking(follow, opens, campaign ? new Dictionary<string, string> { ["from"] = "letter & more", ["a"] = "2" } : [])
            );
        Gen.Select(body, tracking)
            .Sample(
                (html, wish) =>
                {
                    FilledLetter Of(string title) =>
                        new LetterWriter(Liquid, Links).Fill(
                            new EmailStep
                            {
                                Id = "a",
                                Subject = "Hello",
                                Body = $"<p title=\"{title}\">x</p>{html}",
                            },
                            Purpose.Commercial,
                            Ada.Id,
                            Ida,
                            Practice,
                            Ada,
                            World.At("2027-03-01T09:30"),
                            wish
                        );
                    var (once, each) = (Of("Alder Quay"), Of("{{ practice.name }}"));
                    Assert.Equal(each.Html, once.Html);
                    Assert.Equal(each.BodyHtml, once.BodyHtml);
                    Assert.Equal(each.Text, once.Text);
                    Assert.Equal(
                        each.Links.Select(l => (l.Address, l.Name, string.Join(",", l.Effects))),
                        once.Links.Select(l => (l.Address, l.Name, string.Join(",", l.Effects)))
                    );
                    Assert.DoesNotContain(once.Html + once.Text, c => c is >= '\uE000' and <= '\uF8FF');
                },
                iter: 400
            );
    }

    [Fact]
    public void A_picture_is_never_wider_than_its_place_and_keeps_its_words()
    {
        var letter = Letter("<p>Look:</p><img src=\"/i/abc\" alt=\"The quay in the evening\" width=\"4000\" style=\"width:4000px\">");
        foreach (var html in new[] { letter.BodyHtml, letter.Html })
        {
            var picture = new HtmlParser().ParseDocument(html).QuerySelector("img")!;
            var style = picture.GetAttribute("style")!.Replace(" ", "", StringComparison.Ordinal);
            Assert.All(LetterHtml.PictureStyle.Split(';'), s => Assert.Contains(s, style, StringComparison.Ordinal));
            Assert.Equal("The quay in the evening", picture.GetAttribute("alt"));
            Assert.Equal("https://germinal.example.com/i/abc", picture.GetAttribute("src"));
        }

        Assert.Contains("The quay in the evening", letter.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Words_that_look_like_a_picture_stay_words()
    {
        var html = LetterHtml.Sanitize("<p title='&lt;img onerror=alert(1) src=x'>&lt;img src=x&gt;</p>");
        var page = new HtmlParser().ParseDocument(html);
        Assert.Null(page.QuerySelector("img"));
        Assert.DoesNotContain(page.All, e => e.HasAttribute("onerror"));
    }
}
