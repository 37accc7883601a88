using System.Security.Cryptography;

namespace Germinal.Web.Hosting;

/// <summary>First passwords, for where nobody has chosen one.</summary>
public static class Passphrase
{
    private const int WordsInOne = 4;

    private static readonly string[] Words =
    [
        "larch",
        "quay",
        "heron",
        "tide",
        "cooper",
        "orchard",
        "mill",
        "chapel",
        "harbor",
        "saltmarsh",
        "kettle",
        "dune",
        "pine",
        "alder",
        "rowan",
        "amber",
        "copper",
        "willow",
        "sparrow",
        "meadow",
    ];

    /// <summary>
    /// Four different words and a number, made anew for each database. No word of it stands in what is known of whoever it is for: such a
    /// password would be refused (<see cref="Germinal.Service.Members.PasswordRules"/>).
    /// </summary>
    /// <param name="personal">What is known of those who sign in with it: names, addresses, practices.</param>
    /// <exception cref="ArgumentException">Nearly all there is to choose from stands in what is known.</exception>
    public static string New(IReadOnlyCollection<string> personal)
    {
        var free = Words.Where(w => !personal.Any(p => p.Contains(w, StringComparison.OrdinalIgnoreCase))).ToArray();
        if (free.Length < WordsInOne)
        {
            throw new ArgumentException($"A password is made of {WordsInOne} words that are in no name or address of those it is for; {free.Length} are left.", nameof(personal));
        }

        RandomNumberGenerator.Shuffle(free.AsSpan());
        return $"{string.Join('-', free.Take(WordsInOne))}-{RandomNumberGenerator.GetInt32(10, 100)}";
    }
}
