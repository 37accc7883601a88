using System.Text.Json;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;
using static Germinal.Core.Words.Saying;

namespace Germinal.Core.Tests.Words;

public sealed class SayingTests
{
    private static readonly string Messages = Path.Combine(HouseTests.Root, "tests", "Germinal.Core.Tests", "Words", "messages.json");

    /// <summary>The reference is the formatter of the pages (intl-messageformat, an implementation of ICU's messages of its own); its answers are written by a script and held there by a test of the pages.</summary>
    [Fact]
    public void Messages_are_read_as_the_formatter_of_the_pages_reads_them()
    {
        using var file = JsonDocument.Parse(File.ReadAllText(Messages));
        Assert.True(file.RootElement.GetArrayLength() > 150);
        foreach (var one in file.RootElement.EnumerateArray())
        {
            var message = one.GetProperty("message").GetString()!;
            var values = one.GetProperty("values").EnumerateObject().ToDictionary(v => v.Name, v => v.Value.ValueKind == JsonValueKind.Number ? (object)v.Value.GetInt32() : v.Value.GetString()!);
            var tongue = Tongue.Named(one.GetProperty("tongue").GetString())!;
            Assert.Equal($"{message} → {one.GetProperty("said").GetString()}", $"{message} → {Message.Read(message).Say(values.GetValueOrDefault, tongue.Culture)}");
        }
    }

    [Theory]
    [InlineData("{0")]
    [InlineData("{0}}")]
    [InlineData("{0, plural, one {a}}")]
    [InlineData("{0, plural, one {a} other {b}")]
    [InlineData("{0, date}")]
    [InlineData("{, number}")]
    public void What_is_no_message_is_refused(string message) => Assert.Throws<FormatException>(() => Message.Read(message));

    [Fact]
    public void Every_tongue_has_words_that_can_be_read()
    {
        foreach (var tongue in Tongue.All.Where(t => t != Tongue.British))
        {
            using var spoken = tongue.Speak();
            var file = Path.Combine(HouseTests.Root, "src", "words", tongue == Tongue.German ? "de.json" : "en-US.json");
            foreach (var (message, words) in JsonSerializer.Deserialize<Dictionary<string, string>>(File.ReadAllText(file))!)
            {
                Assert.NotNull(tongue.Catalogue.For(message));
                Assert.NotEmpty(words);
            }
        }
    }

    [Fact]
    public void It_is_said_as_it_stands_where_nobody_speaks_otherwise()
    {
        var n = 1;
        Assert.Equal("Ada has one call", Say($"{"Ada"} has {n:one call|# calls}"));
        Assert.Equal("Ada has 1,234 calls", Say($"{"Ada"} has {1234:one call|# calls}"));
        Assert.Equal("No such letter {0}", Say($"No such letter {{0}}"));
    }

    [Fact]
    public void A_value_is_written_as_the_code_says_in_the_signs_of_the_tongue()
    {
        string Film() => Say($"It is {12.3456:0.0} minutes long; up to {10.4:0} are shown. Cut it shorter.");
        Assert.Equal("It is 12.3 minutes long; up to 10 are shown. Cut it shorter.", Film());
        using var spoken = Tongue.German.Speak();
        Assert.StartsWith("Er ist 12,3 Minuten lang; bis zu 10 werden gezeigt.", Film(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_tongue_goes_along_with_what_is_awaited_and_ends_where_it_was_begun()
    {
        async Task<string> Later()
        {
            await Task.Yield();
            return Said("they answered");
        }

        using (Tongue.German.Speak())
        {
            Assert.Equal("sie haben geantwortet", await Later());
            using (Tongue.American.Speak())
            {
                Assert.Equal("they answered", await Later());
            }

            Assert.Equal("sie haben geantwortet", Reason.Replied.Phrase());
        }

        Assert.Equal("they answered", await Later());
        var both = await Task.WhenAll(
            Enumerable
                .Range(0, 20)
                .Select(i =>
                    Task.Run(async () =>
                    {
                        using var spoken = (i % 2 == 0 ? Tongue.German : Tongue.British).Speak();
                        return (i, await Later());
                    })
                )
        );
        Assert.All(both, b => Assert.Equal(b.i % 2 == 0 ? "sie haben geantwortet" : "they answered", b.Item2));
    }

    [Fact]
    public void Dates_and_spans_are_written_as_the_tongue_writes_them()
    {
        var zone = DateTimeZoneProviders.Tzdb["America/New_York"];
        var at = Instant.FromUtc(2027, 3, 9, 14, 30);
        string All() => $"{Phrases.Moment(at, zone)} | {Phrases.Day(new LocalDate(2027, 3, 9))} | {Phrases.Span(Distance.Parse("P1Y2M"))}";
        Assert.Equal("Tue 9 March, 9:30 | Tue 9 March 2027 | a year and 2 months", All());
        using (Tongue.American.Speak())
        {
            Assert.Equal("Tue, March 9, 9:30 AM | Tue, March 9, 2027 | a year and 2 months", All());
        }

        using (Tongue.German.Speak())
        {
            Assert.Equal("Di, 9. März, 9:30 | Di, 9. März 2027 | ein Jahr und 2 Monate", All());
        }
    }

    [Theory]
    [InlineData("de-DE", "de-DE")]
    [InlineData("DE-de", "de-DE")]
    [InlineData("de", null)]
    [InlineData("", null)]
    [InlineData("../../etc", null)]
    [InlineData(null, null)]
    public void Only_tongues_there_are_are_named(string? tag, string? named) => Assert.Equal(named, Tongue.Named(tag)?.Tag);

    [Theory]
    [InlineData("DE", "de-DE")]
    [InlineData("at", "de-DE")]
    [InlineData("US", "en-US")]
    [InlineData("IE", "en-GB")]
    [InlineData("", "en-GB")]
    public void A_country_has_one_it_begins_with(string country, string tag) => Assert.Equal(tag, Tongue.Of(country).Tag);
}
