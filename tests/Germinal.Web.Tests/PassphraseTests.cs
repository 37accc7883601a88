using Germinal.Service.Members;
using Germinal.Web.Hosting;

namespace Germinal.Web.Tests;

/// <summary>First passwords, for where nobody has chosen one.</summary>
public sealed class PassphraseTests
{
    private static readonly string[][] Known =
    [
        ["Ada Quill", "ada@example.com", "Alder Quay Planning"],
        ["Heron Meadow", "orchard.mill@chapel.example.com", "Larch, Pine & Willow of Kettle Dune"],
        ["", "nobody@example.com", "Our practice"],
    ];

    [Fact]
    public void A_first_password_is_one_that_whoever_gets_it_may_have()
    {
        foreach (var known in Known)
        {
            var drawn = Enumerable.Range(0, 2_000).Select(_ => Passphrase.New(known)).ToList();
            Assert.All(drawn.Distinct(), p => Assert.Null(PasswordRules.Problem(p, known)));
            Assert.True(drawn.Distinct().Count() > 1_500, "They are made anew each time.");
        }
    }

    [Fact]
    public void Where_every_word_is_known_it_says_so() =>
        Assert.Contains(
            "0 are left",
            Assert.Throws<ArgumentException>(() => Passphrase.New([EveryWord()])).Message,
            StringComparison.Ordinal
        );

    /// <summary>What the passwords are made of, as seen from many of them.</summary>
    private static string EveryWord() => string.Join(' ', Enumerable.Range(0, 2_000).SelectMany(_ => Passphrase.New([]).Split('-')).Distinct());
}
