using System.Collections.Frozen;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Offers and figures in letters: as they are on the day, for the reader's area, and only for those who get their passage.</summary>
public sealed class LetterPlacesTests
{
    private const string Offer = """<div data-part="offer" data-of="Talk"></div>""";
    private static readonly LiquidLetters Liquid = new();
    private static readonly PublicLinks Links = new(new byte[48], "https://germinal.example.com/");
    private static readonly LetterWriter Writer = new(Liquid, Links);
    private static readonly Member Ada = new(Guid.NewGuid(), "Ada Quill", "ada@example.com");
    private static readonly PersonFacts Ida = new()
    {
        Id = Guid.NewGuid(),
        FirstName = "Ida",
        Email = "ida@example.com",
        Address = "1 Mill Lane\nPort Averil, ME 04999",
        Custom = new Dictionary<string, string>(StringComparer.Ordinal) { ["quarter"] = "Old Harbor" }.ToFrozenDictionary(),
    };

    private static Practice Keeping(params Offer[] offers) =>
        new()
        {
            Name = "Alder Quay",
            Zone = World.Zone,
            Members = [Ada],
            Kept = KeptThings.None with
            {
                Offers = offers.ToFrozenDictionary(o => o.Name, StringComparer.OrdinalIgnoreCase),
                Figures = new[]
                {
                    FigureTable.Of(
                        "House prices",
                        "abc",
                        [new Measure("median price", "$", "")],
                        Enumerable
                            .Range(0, 14)
                            .SelectMany(i =>
                                new[] { "Port Averil", "Old Harbor" }.Select(a => (a, "median price", new Figure(new LocalDate(2027, 3, 1).PlusMonths(-i), 400_000m - (i * 1000m))))
                            )
                    ),
                }.ToFrozenDictionary(t => t.Name, StringComparer.OrdinalIgnoreCase),
            },
        };

    private static Offer Talk(LocalDate? until = null, OfferOver over = OfferOver.LeaveOut, string facts = "At half past six") =>
        new("Talk", facts, "free", "https://example.com/talk", "/i/1", "The hall", null, until, over, null);

    private static FilledLetter Fill(string body, Practice practice, PersonFacts? person = null, LetterTracking? tracking = null, string at = "2027-03-10T09:30") =>
        Writer.Fill(Step(body), Purpose.Commercial, Guid.NewGuid(), person ?? Ida, practice, Ada, World.At(at), tracking);

    private static EmailStep Step(string body) =>
        new()
        {
            Id = "a",
            Subject = "s",
            Body = body,
        };

    [Fact]
    public void An_offer_is_shown_with_all_that_is_known_of_it_and_its_page_is_a_link_that_is_followed()
    {
        var letter = Fill($"<p>Dear Ida</p>{Offer}", Keeping(Talk()), tracking: new LetterTracking(true, false, new Dictionary<string, string>()));
        Assert.Empty(letter.Missing);
        Assert.Equal([("https://example.com/talk", "Talk")], letter.Links.Select(l => (l.Address, l.Name)));
        foreach (var told in new[] { "Talk", "At half past six", "free", "alt=\"The hall\"", "https://germinal.example.com/i/1", "https://germinal.example.com/l/" })
        {
            Assert.Contains(told, letter.Html, StringComparison.Ordinal);
        }

        Assert.Contains("- At half past six", letter.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void It_is_as_it_stands_on_the_day_the_letter_goes()
    {
        var practice = Keeping(Talk(new LocalDate(2027, 3, 10)));
        var step = Step(Offer);
        string Text(string at) => Writer.Fill(step, Purpose.Commercial, Guid.NewGuid(), Ida, practice, Ada, World.At(at)).Text;
        Assert.Contains("half past six", Text("2027-03-10T23:30"), StringComparison.Ordinal);
        Assert.DoesNotContain("half past six", Text("2027-03-11T00:30"), StringComparison.Ordinal);
        // And as the practice keeps it now: the same step, another wording.
        Assert.Contains("at seven", Writer.Fill(step, Purpose.Commercial, Guid.NewGuid(), Ida, Keeping(Talk(facts: "at seven")), Ada, World.At("2027-03-10T09:30")).Text, StringComparison.Ordinal);
    }

    [Fact]
    public void What_holds_a_letter_back_is_the_same_to_the_engine_and_to_whoever_fills_it()
    {
        var over = Keeping(Talk(new LocalDate(2027, 3, 1), OfferOver.Hold));
        foreach (
            var (body, practice, lacks) in new[]
            {
                (Offer, over, true),
                (Offer, Keeping(), true),
                (Offer, Keeping(Talk()), false),
                ($"""<div data-part="only" data-rule='{"{"}"field":"tags","op":"has","value":"Client"{"}"}'>{Offer}</div><p>x</p>""", over, false),
                ("""<div data-part="figures" data-of="House prices" data-field="city"></div>""", Keeping(), false),
                ("""<div data-part="figures" data-of="House prices" data-area="Nowhere"></div>""", Keeping(), false),
                ("""<div data-part="figures" data-of="House prices" data-area="Nowhere" data-missing="hold"></div>""", Keeping(), true),
                ("""<div data-part="figures" data-of="Other" data-field="city"></div>""", Keeping(), true),
                (Offer, Keeping() with { Kept = null }, false),
            }
        )
        {
            var missing = Liquid.Missing(Step(body), Ida, practice, Ada, World.At("2027-03-10T09:30"));
            Assert.Equal(lacks, missing.Count > 0);
            Assert.Equal(missing, Fill(body, practice).Missing);
            Assert.DoesNotContain('\uE100', Fill(body, practice).Html);
            Assert.Contains(Core.Messages.MergeFields.NeverKnown, Liquid.FieldsOf(Step(body)));
        }
    }

    [Fact]
    public void Figures_are_those_of_the_readers_area_with_changes_a_curve_and_the_way_to_the_newest()
    {
        var body = """<div data-part="figures" data-of="house PRICES" data-field="quarter"></div>""";
        var letter = Fill(body, Keeping());
        foreach (var told in new[] { "House prices: Old Harbor, March 2027", "$400,000", "0.3% up", "3.1% up" })
        {
            Assert.Contains(told, letter.Html, StringComparison.Ordinal);
        }

        Assert.Contains("https://germinal.example.com/g/abc", Assert.Single(letter.Links).Address, StringComparison.Ordinal);
        Assert.Contains("least $387,000 in February 2026", letter.Html, StringComparison.Ordinal);
        Assert.Contains("curve.png?area=Old%20Harbor&amp;of=median%20price&amp;to=2027-03", letter.Html, StringComparison.Ordinal);
        // Somebody else's are their own, though the step is the same.
        Assert.Contains("Port Averil", Fill(body.Replace("quarter", "city", StringComparison.Ordinal), Keeping()).Html, StringComparison.Ordinal);
        Assert.DoesNotContain("House prices", Fill(body, Keeping(), Ida with { Custom = PersonFacts.NoCustom }).Html, StringComparison.Ordinal);
    }

    [Fact]
    public void Markup_in_an_offer_stays_words()
    {
        var letter = Fill(Offer, Keeping(Talk(facts: "<script>alert(1)</script>\n<img src=x onerror=y>") with { Page = "https://example.com/?a=\"><b>" }));
        Assert.DoesNotContain("<script", letter.Html, StringComparison.Ordinal);
        Assert.DoesNotContain("<img src=\"x\"", letter.Html, StringComparison.Ordinal);
        Assert.Contains("&lt;script&gt;", letter.Html, StringComparison.Ordinal);
    }

    [Fact]
    public void The_curve_is_a_picture_of_the_right_size_for_any_course()
    {
        foreach (var count in new[] { 0, 1, 2, 24 })
        {
            var png = FigureCurve.Draw([.. Enumerable.Range(0, count).Select(i => new Figure(new LocalDate(2026, 1, 1).PlusMonths(i), count == 2 ? 5 : i * 7 % 5))]);
            Assert.Equal([0x89, 0x50, 0x4E, 0x47], png[..4]);
            // Width and height stand in the first chunk (ISO/IEC 15948, 11.2.2).
            Assert.Equal((800, 192), (System.Buffers.Binary.BinaryPrimitives.ReadInt32BigEndian(png.AsSpan(16)), System.Buffers.Binary.BinaryPrimitives.ReadInt32BigEndian(png.AsSpan(20))));
        }
    }
}
