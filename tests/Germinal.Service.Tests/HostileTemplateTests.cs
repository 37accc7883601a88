using System.Diagnostics;
using CsCheck;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;

namespace Germinal.Service.Tests;

/// <summary>Templates that want too much, whoever wrote them: a finding when saved, blocked when due, harmless always.</summary>
public sealed class HostileTemplateTests
{
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
    private static readonly PersonFacts Ida = new()
    {
        Id = Guid.NewGuid(),
        FirstName = "<script>alert(1)</script>",
        LastName = "Rowan",
        Email = "ida@example.com",
        OwnerId = Ada.Id,
        Custom = System.Collections.Frozen.FrozenDictionary.ToFrozenDictionary(
            new Dictionary<string, string> { ["zero"] = "0", ["lines"] = "a\n<b onclick=x>b" }
        ),
    };

    public static TheoryData<string> Greedy =>
        new(
            "{% for i in (1..100000000) %}{% endfor %}",
            "{{ (1..100000000) | join: ',' }}",
            "{{ (1..100000000) | size }}",
            "{% assign n = 100000000 %}{% for i in (1..n) %}x{% endfor %}",
            "{% assign a = 'xxxxxxxxxx' %}{% for i in (1..40) %}{% assign a = a | append: a %}{% endfor %}",
            "{% assign a = 'xxxxxxxxxx' %}{% for i in (1..40) %}{% capture a %}{{ a }}{{ a }}{% endcapture %}{% endfor %}",
            "{% assign a = 'xxxxxxxxxx' %}{% for i in (1..40) %}{% assign a = a | replace: 'x', a %}{% endfor %}",
            "{% for i in (1..1000) %}{% for j in (1..1000) %}{% for k in (1..1000) %}{% endfor %}{% endfor %}{% endfor %}",
            "{% for i in (1..1000) %}{% for j in (1..1000) %}x{% endfor %}{% endfor %}",
            "{% for i in (1..900) %}{{ '%C%C%C%C%C%C%C%C%C%C' | replace: '%', 'yyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyy' }}{% endfor %}",
            "{{ 1 | divided_by: 0 }}",
            "{{ 79228162514264337593543950335 | times: 10 }}",
            "{{ 'now' | date: '%999999999d' }}",
            "{{ 1 | format_number: 'N999999999' }}",
            "{% include 'x' %}",
            "{% render 'x' %}",
            "{% layout 'x' %}",
            "{{ person.first_name | raw }}",
            "{{ '%3Cscript%3E' | url_decode }}",
            "{{ person.first_name | nosuch }}",
            string.Concat(Enumerable.Repeat("{% if person.stage %}", 5000)),
            string.Concat(Enumerable.Repeat("{% if person.stage %}", 5000)) + string.Concat(Enumerable.Repeat("{% endif %}", 5000)),
            "{{ " + new string('(', 100_000),
            "{{ " + string.Concat(Enumerable.Repeat("a[", 100_000)),
            new string('x', 5_000_000) + "{{ person.first_name }}"
        );

    [Theory]
    [MemberData(nameof(Greedy))]
    public void What_wants_too_much_is_a_finding_and_keeps_a_message_from_being_filled(string template)
    {
        var before = (Time: Stopwatch.GetTimestamp(), Memory: GC.GetAllocatedBytesForCurrentThread());
        Assert.NotEmpty(Liquid.Problems(template));
        var missing = new List<string>();
        Liquid.FillText(template, Ida, Practice, Ada, World.At("2027-03-01T09:30"), missing);
        Assert.Contains(missing, MergeFields.IsSentence);

        // Not a measurement: what these took before was minutes, or gigabytes.
        Assert.True(Stopwatch.GetElapsedTime(before.Time) < TimeSpan.FromSeconds(20), "it took too long");
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before.Memory < 400_000_000, "it took too much");
    }

    [Fact]
    public void What_depends_on_the_person_is_found_for_the_person()
    {
        const string halved = "{{ 10 | divided_by: person.custom.zero }}";
        Assert.Empty(Liquid.Problems(halved));
        var step = new TextStep { Id = "a", Body = halved };
        Assert.Equal(["It divides by zero."], Liquid.Missing(step, Ida, Practice, Ada, World.At("2027-03-01T09:30")));
        Assert.Equal("it divides by zero", MergeFields.Say(["It divides by zero."]));

        // A field that may fail is tried on each person even where every field has a value.
        Assert.Contains(MergeFields.NeverKnown, Liquid.FieldsOf(step));
        Assert.DoesNotContain(MergeFields.NeverKnown, Liquid.FieldsOf(new TextStep { Id = "a", Body = "{{ person.first_name | default: 'you' | upcase }}" }));
    }

    [Theory]
    [
        InlineData("{% if person.last_name == 'Rowan' %}a{% endif %}", "a"),
        InlineData("{% for i in (1..3) %}{{ i }}{% endfor %}", "123"),
        InlineData("{% assign a = person.last_name | downcase %}{{ a }}", "rowan")
    ]
    [
        InlineData("{{ 'a,b' | split: ',' | join: ' and ' }}", "a and b"),
        InlineData("{{ person.last_name | truncate: 4 }}", "R..."),
        InlineData("{% raw %}{{ a }}{% endraw %}", "{{ a }}")
    ]
    public void What_letters_need_still_works(string template, string expected)
    {
        Assert.Empty(Liquid.Problems(template));
        var missing = new List<string>();
        Assert.Equal(expected, Liquid.FillText(template, Ida, Practice, Ada, World.At("2027-03-01T09:30"), missing));
        Assert.Empty(missing);
    }

    /// <summary>Every way by which a value gets into a letter: none lets it be more than words.</summary>
    [Fact]
    public void What_is_filled_in_is_escaped_whatever_filters_do()
    {
        string[] filters =
        [
            "append: '<i>'",
            "prepend: person.first_name",
            "capitalize",
            "downcase",
            "escape",
            "newline_to_br",
            "strip_html",
            "replace: 'a', '<b>'",
            "remove: 'x'",
            "truncate: 30",
            "slice: 0, 30",
            "split: 'a'",
            "join: '<u>'",
            "url_encode",
            "default: 'a'",
            "first",
            "reverse",
            "upcase",
        ];
        Gen.Int[0, filters.Length - 1]
            .Select(i => filters[i])
            .List[0, 4]
            .Sample(
                chain =>
                {
                    var body =
                        "<p>{{ person.first_name"
                        + string.Concat(chain.Select(f => " | " + f))
                        + " }} {{ person.custom.lines"
                        + string.Concat(chain.Select(f => " | " + f))
                        + " }}</p>";
                    var letter = new LetterWriter(Liquid, Links).Fill(
                        new EmailStep
                        {
                            Id = "a",
                            Subject = "s",
                            Body = body,
                        },
                        Purpose.Commercial,
                        Ada.Id,
                        Ida,
                        Practice,
                        Ada,
                        World.At("2027-03-01T09:30")
                    );
                    var document = new AngleSharp.Html.Parser.HtmlParser().ParseDocument(letter.BodyHtml);
                    var unwanted = document
                        .Body!.QuerySelectorAll("*")
                        .Where(e => e.LocalName is not ("p" or "br") || e.Attributes.Length > 0)
                        .Select(e => e.OuterHtml)
                        .ToList();
                    Assert.True(unwanted.Count == 0, $"{body}: {string.Join(" ", unwanted)}");
                },
                iter: 2000
            );
    }

    [Fact]
    public void Nested_html_takes_its_length_and_no_stack()
    {
        var deep = string.Concat(Enumerable.Repeat("<div>", 200_000)) + "words" + string.Concat(Enumerable.Repeat("</div>", 200_000));
        Assert.Equal("words\n", LetterHtml.ToText(deep));
        Assert.Contains("words", LetterHtml.Sanitize(deep), StringComparison.Ordinal);
        var fonts = string.Concat(Enumerable.Range(0, 20_000).Select(i => $"<p><font size={i}>a"));
        Assert.Equal(20_000, LetterHtml.ToText(fonts).Count(c => c == 'a'));
        var paragraphs = string.Concat(Enumerable.Repeat("<p>a", 500));
        Assert.Equal(paragraphs, HtmlDepth.Limit(paragraphs));
        Assert.Equal("<p>one <b>two</b></p>", HtmlDepth.Limit("<p>one <b>two</b></p>"));
    }
}
