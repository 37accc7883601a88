using Germinal.Channels;
using Germinal.Service.Forms;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The marks of forms' pages, their work, and what is doubtful.</summary>
public sealed class FormTokenTests
{
    private static readonly Instant Now = Instant.FromUtc(2027, 3, 1, 13, 15, 7);
    private readonly FormTokens tokens = new(new byte[48]);

    [Fact]
    public void A_mark_says_its_form_and_when_and_is_told_from_every_other()
    {
        var form = Guid.NewGuid();
        var (one, two) = (tokens.TryRead(tokens.Make(form, Now))!, tokens.TryRead(tokens.Make(form, Now))!);
        Assert.Equal((form, Now), (one.FormId, one.MadeAt));
        Assert.NotEqual(one.Key, two.Key);
    }

    [Fact]
    public void No_sign_of_it_can_be_changed()
    {
        var token = tokens.Make(Guid.NewGuid(), Now);
        for (var i = 0; i < token.Length; i++)
        {
            var other = token[..i] + (token[i] == 'A' ? 'B' : 'A') + token[(i + 1)..];

            // The last sign has two bits that are no part of the bytes.
            Assert.True(tokens.TryRead(other) is null || i == token.Length - 1, other);
        }

        Assert.Null(new FormTokens([.. new byte[47], 1]).TryRead(token));
        Assert.All(new[] { null, "", "x", new string('A', 64), new string('A', 200), "\0" }, t => Assert.Null(tokens.TryRead(t)));
    }

    [Fact]
    public void The_work_is_for_one_mark_only()
    {
        var (one, two) = (tokens.Make(Guid.NewGuid(), Now), tokens.Make(Guid.NewGuid(), Now));
        var answer = Enumerable.Range(0, int.MaxValue).First(n => FormTokens.IsWorked(one, n.ToString(System.Globalization.CultureInfo.InvariantCulture))).ToString(System.Globalization.CultureInfo.InvariantCulture);
        Assert.False(FormTokens.IsWorked(two, answer));
        Assert.All(new[] { null, "", new string('1', 21) }, a => Assert.False(FormTokens.IsWorked(one, a)));
    }

    private static readonly SentHow Person = new(false, Duration.FromSeconds(40), true, "How high are rates?", 0, 0, false);

    [Fact]
    public void What_a_person_sends_is_not_doubtful()
    {
        Assert.Equal("", FormDoubts.Of(Person));
        Assert.Equal("", FormDoubts.Of(Person with { IsWorked = false }));
        Assert.Equal("", FormDoubts.Of(Person with { Words = "Our page is https://example.com" }));
    }

    public static TheoryData<SentHow, string> Doubtful =>
        new()
        {
            { Person with { HiddenFilled = true }, "nobody sees" },
            { Person with { Age = Duration.FromMilliseconds(300) }, "0.3 seconds" },
            { Person with { Age = Duration.FromSeconds(-5) }, "0.0 seconds" },
            { Person with { Words = "http://a https://b WWW.c" }, "3 links" },
            { Person with { Words = "http://a", IsWorked = false }, "without the page's own script" },
            { Person with { SameWords = 2 }, "same words" },
            { Person with { OfAddress = 5 }, "many forms" },
            { Person with { TooMany = true }, "within an hour" },
        };

    [Theory]
    [MemberData(nameof(Doubtful))]
    public void Each_doubt_is_said(SentHow how, string words) => Assert.Contains(words, FormDoubts.Of(how), StringComparison.Ordinal);

    [Fact]
    public void A_print_knows_the_same_words_whatever_their_spaces()
    {
        Assert.Equal(FormDoubts.PrintOf(["We make your page come", "first."]), FormDoubts.PrintOf(["we  MAKE your page-come first"]));
        Assert.NotEqual(FormDoubts.PrintOf(["We make your page come first."]), FormDoubts.PrintOf(["We make your page come last."]));

        // What is short, many people write.
        Assert.Equal("", FormDoubts.PrintOf(["Please call me."]));
    }
}
