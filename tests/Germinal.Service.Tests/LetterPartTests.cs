using AngleSharp.Dom;
using AngleSharp.Html.Parser;
using CsCheck;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What stands in a letter beside words: passages for some, two wordings, sign-offs, columns, buttons, and the page a mail program shows.</summary>
public sealed class LetterPartTests
{
    private const string Only = """<div data-part="only" data-rule="{&quot;field&quot;:&quot;tags&quot;,&quot;op&quot;:&quot;has&quot;,&quot;value&quot;:&quot;Client&quot;}">""";
    private static readonly LiquidLetters Liquid = new();
    private static readonly PublicLinks Links = new([.. Enumerable.Range(0, 48).Select(i => (byte)i)], "https://germinal.example.com/");
    private static readonly Member Ada = new(Guid.NewGuid(), "Ada Quill", "ada@example.com");
    private static readonly Practice Practice = new()
    {
        Name = "Alder Quay",
        Zone = World.Zone,
        Members = [Ada],
        PostalAddress = "12 Quay Lane",
    };
    private static readonly PersonFacts Client = new()
    {
        Id = Guid.NewGuid(),
        FirstName = "Ida",
        Email = "ida@example.com",
        OwnerId = Ada.Id,
        Tags = ["client"],
    };
    private static readonly PersonFacts Other = Client with { Tags = [] };
    private static readonly Instant At = World.At("2027-03-01T09:30");

    private static EmailStep Step(string body) =>
        new()
        {
            Id = "a",
            Subject = "s",
            Body = body,
        };

    private static FilledLetter Fill(string body, PersonFacts? person = null, Practice? practice = null, Member? sender = null) =>
        new LetterWriter(Liquid, Links).Fill(Step(body), Purpose.Commercial, Guid.NewGuid(), person ?? Client, practice ?? Practice, sender ?? Ada, At);

    private static IDocument Parse(string html) => new HtmlParser().ParseDocument(html);

    [Theory]
    [InlineData("<p>a</p>" + Only + "<p>for clients, {{ person.first_name }}</p></div><p>z</p>")]
    [InlineData("<p>a</p>" + Only + "<p>for clients, <a href=\"https://example.com/?n={{ person.first_name }}\">{{ person.first_name }}</a></p></div><p>z</p>")]
    public void A_passage_stands_for_those_its_rule_picks_in_page_words_and_text(string body)
    {
        var client = Fill(body);
        var other = Fill(body, Other);
        foreach (var part in new Func<FilledLetter, string>[] { l => l.Html, l => l.BodyHtml, l => l.Text })
        {
            Assert.Contains("for clients", part(client), StringComparison.Ordinal);
            Assert.Contains("Ida", part(client), StringComparison.Ordinal);
            Assert.DoesNotContain("for clients", part(other), StringComparison.Ordinal);
            Assert.Contains('z', part(other));
            Assert.DoesNotMatch("[\uE000-\uE0FF]", part(client) + part(other));
            Assert.DoesNotContain("data-rule", part(client), StringComparison.Ordinal);
        }
    }

    [Fact]
    public void What_lacks_in_a_passage_somebody_does_not_get_keeps_nothing_back()
    {
        const string Body = "<p>a</p>" + Only + "<p>{{ person.custom.plan }}</p></div>";
        Assert.Equal(["person.custom.plan"], Fill(Body).Missing);
        Assert.Empty(Fill(Body, Other).Missing);
        Assert.Equal(["person.custom.plan"], Liquid.Missing(Step(Body), Client, Practice, Ada, At));
        Assert.Empty(Liquid.Missing(Step(Body), Other, Practice, Ada, At));
        Assert.Contains("person.custom.plan", Liquid.FieldsOf(Step(Body)));
    }

    [Fact]
    public void Passages_inside_each_other_stand_only_where_both_rules_hold()
    {
        const string Maine = """<div data-part="only" data-rule="{&quot;field&quot;:&quot;state&quot;,&quot;op&quot;:&quot;is&quot;,&quot;value&quot;:&quot;ME&quot;}">""";
        var letter = Gen.Select(Gen.Bool, Gen.Bool);
        letter.Sample(
            (client, maine) =>
            {
                var person = Client with { Tags = client ? ["client"] : [], Address = maine ? "1 Quay Lane\nPort Averil, ME 04999" : "1 Quay Lane\nPort Averil, NH 03999" };
                var text = Fill($"<p>first</p>{Only}<p>outer</p>{Maine}<p>inner</p></div><p>after</p></div><p>last</p>", person).Text;
                Assert.Equal(client, text.Contains("outer", StringComparison.Ordinal));
                Assert.Equal(client, text.Contains("after", StringComparison.Ordinal));
                Assert.Equal(client && maine, text.Contains("inner", StringComparison.Ordinal));
                Assert.Contains("last", text, StringComparison.Ordinal);
            },
            iter: 40
        );
    }

    [Theory]
    [InlineData("not json")]
    [InlineData("{&quot;field&quot;:&quot;nothing&quot;,&quot;op&quot;:&quot;is&quot;}")]
    [InlineData("{&quot;field&quot;:&quot;programs&quot;,&quot;op&quot;:&quot;has&quot;,&quot;value&quot;:&quot;x&quot;}")]
    public void A_passage_whose_rule_cannot_be_judged_stands_for_nobody_and_is_found_in_the_file(string rule)
    {
        var body = $"<p>a</p><div data-part=\"only\" data-rule=\"{rule}\"><p>secret</p></div>";
        Assert.DoesNotContain("secret", Fill(body).Text, StringComparison.Ordinal);
        var errors = new List<Finding>();
        PassageRules.In(body, "/steps/0/body", errors);
        Assert.NotEmpty(errors);
        Assert.All(errors, e => Assert.Equal("/steps/0/body", e.Pointer));
    }

    [Fact]
    public void A_program_asks_of_people_what_passages_of_its_letters_ask()
    {
        var file = $$"""{"format":"germinal.program/1","name":"P","startsWhen":[{"kind":"by-hand"}],"steps":[{"id":"a","kind":"email","subject":"s","body":{{System.Text.Json.JsonSerializer.Serialize(Only + "<p>x</p></div>")}}}]}""";
        Assert.Contains(ProgramFile.Read(file).Program!.Rules, r => r.Asks("tags"));
    }

    // Rule 11.4.
    [Fact]
    public void Two_wordings_stand_side_by_side_and_the_voice_picks()
    {
        const string Body = "<p>{{ \"I am\" | we: \"We are\" }} here.</p>";
        Assert.Contains("I am here.", Fill(Body).Text, StringComparison.Ordinal);
        Assert.Contains("We are here.", Fill(Body, practice: Practice with { Voice = Voice.We }).Text, StringComparison.Ordinal);
        Assert.Empty(Liquid.Problems(Body));
    }

    [Fact]
    public void The_sender_signs_in_their_own_words_with_their_photograph_and_by_name_without_either()
    {
        const string Body = "<p>a</p><div data-part=\"sign-off\"></div>";
        Assert.Contains("Ada Quill", Fill(Body).Text, StringComparison.Ordinal);
        var signed = Fill(Body, sender: Ada with { SignOff = "<p>Warmly, <strong>Ada</strong><script>x()</script></p>", Photograph = "/i/1" });
        Assert.Contains("Warmly, Ada", signed.Text, StringComparison.Ordinal);
        var picture = Parse(signed.Html).QuerySelector(".signed img")!;
        Assert.Equal("https://germinal.example.com/i/1", picture.GetAttribute("src"));
        Assert.Equal("Ada Quill", picture.GetAttribute("alt"));
        Assert.Contains("Warmly, <strong>Ada</strong>", signed.BodyHtml, StringComparison.Ordinal);
        Assert.DoesNotContain("script", signed.Html, StringComparison.Ordinal);
    }

    private const string Everything =
        "<h2>H</h2><p>a <strong>b</strong></p><ul><li>c</li></ul><blockquote><p>q</p></blockquote><hr><table><tbody><tr><th>x</th><td>1</td></tr></tbody></table>"
        + "<div data-part=\"columns\"><div data-part=\"column\"><p>left</p></div><div data-part=\"column\"><p>right</p></div></div>"
        + "<p data-part=\"button\"><a href=\"https://example.com/x\">Press</a></p><p><img src=\"/i/1\" alt=\"a quay\" width=\"900\" data-align=\"middle\"></p><div data-part=\"sign-off\"></div>";

    [Fact]
    public void The_page_puts_parts_into_tables_and_the_look_into_each_element()
    {
        var page = Parse(Fill(Everything).Html);
        Assert.Equal(2, page.QuerySelectorAll("table.beside td.column").Length);
        Assert.Equal("Press", page.QuerySelector("table.press a")!.TextContent);
        Assert.NotNull(page.QuerySelector("table.data td")!.GetAttribute("style"));
        Assert.All(page.QuerySelectorAll(".words p, .words h2, .words a, .words li"), e => Assert.NotNull(e.GetAttribute("style")));
        Assert.Equal("544", page.QuerySelector("img[alt='a quay']")!.GetAttribute("width"));
        Assert.All(page.QuerySelectorAll("table:not(.data)"), t => Assert.Equal("presentation", t.GetAttribute("role")));
        Assert.DoesNotContain("data-part", page.DocumentElement.OuterHtml, StringComparison.Ordinal);
        Assert.Contains("left", Fill(Everything).Text, StringComparison.Ordinal);
        Assert.Contains("x · 1", Fill(Everything).Text, StringComparison.Ordinal);
    }

    // What common mail programs show: the properties that the public tables of caniemail.com list as supported by at least nine in ten, from memory.
    private static readonly HashSet<string> Supported =
    [
        "background-color",
        "border",
        "border-bottom",
        "border-collapse",
        "border-left",
        "border-top",
        "border-radius",
        "color",
        "font-family",
        "font-size",
        "font-weight",
        "height",
        "line-height",
        "margin",
        "max-width",
        "padding",
        "text-align",
        "table-layout",
        "text-decoration",
        "vertical-align",
        "width",
        "word-break",
    ];

    private static readonly HashSet<string> Elements =
    [
        "html", "head", "meta", "title", "style", "body", "table", "tbody", "tr", "td", "th", "p", "h2", "h3", "a", "img", "strong", "em", "ul", "ol", "li", "br", "hr",
        "blockquote",
    ];

    [Fact]
    public void The_page_uses_only_what_common_mail_programs_show()
    {
        foreach (var body in LetterBodies())
        {
            var page = Parse(Fill(body).Html);
            Assert.All(page.All, e => Assert.Contains(e.LocalName, Elements));
            var used = page
                .QuerySelectorAll("[style]")
                .SelectMany(e => e.GetAttribute("style")!.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
                .Select(d => d.Split(':')[0].Trim())
                .Distinct();
            Assert.All(used, property => Assert.Contains(property, Supported));
        }
    }

    private static IEnumerable<string> LetterBodies() => Letters.LetterLayouts.All.Select(l => l.Body).Append(Everything);

    [Fact]
    public void Each_layout_can_be_sent_as_it_is_and_is_small()
    {
        var desk = new Letters.LetterDesk(Liquid, new LetterWriter(Liquid, Links));
        Assert.Equal(6, Letters.LetterLayouts.All.Count);
        foreach (var layout in Letters.LetterLayouts.All)
        {
            Assert.Empty(desk.Findings(layout.Subject, layout.Body, KeptThings.None, new LocalDate(2027, 5, 1)));
            Assert.Empty(Fill(layout.Body).Missing);
            Assert.Equal(LetterHtml.Sanitize(layout.Body).Length, LetterHtml.Sanitize(LetterHtml.Sanitize(layout.Body)).Length);
            Assert.InRange(System.Text.Encoding.UTF8.GetByteCount(Fill(layout.Body).Html), 2000, 12_000);
        }
    }

    [Fact]
    public void A_letter_that_would_be_cut_off_is_said_to_be()
    {
        var desk = new Letters.LetterDesk(Liquid, new LetterWriter(Liquid, Links));
        var finding = Assert.Single(desk.Findings("s", string.Concat(Enumerable.Repeat("<p>many words indeed</p>", 3000)), KeptThings.None, new LocalDate(2027, 5, 1)));
        Assert.True(finding.IsWarning);
        Assert.Contains("kB", finding.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("<p>\uE0100\uE011hidden\uE012 \uE0000\uE001 \uE023</p>")]
    [InlineData("<div data-part=\"only\"><p>x</p></div>")]
    [InlineData("<div data-part=\"columns\"></div><p data-part=\"button\">no link</p>")]
    [InlineData("<div data-part=\"sign-off\"><div data-part=\"sign-off\"></div></div>")]
    [InlineData("<div data-part='x\" onload=\"y'>a</div>")]
    public void Clumsy_parts_break_nothing(string body)
    {
        var letter = Fill(body);
        Assert.DoesNotMatch("[\uE000-\uE0FF]", letter.Html + letter.Text + letter.BodyHtml);
        Assert.Null(Parse(letter.Html).QuerySelector("[onload]"));
    }
}
