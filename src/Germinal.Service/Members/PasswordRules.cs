using System.Reflection;
using System.Security.Cryptography;
using System.Text;

namespace Germinal.Service.Members;

/// <summary>
/// Which passwords are taken (NIST SP 800-63B-4, 3.1.1.2): long ones of any letters and signs, none of the commonest, none made of what
/// everybody knows of the member. No rules of composition, and none has to be changed because time has passed.
/// </summary>
public static class PasswordRules
{
    /// <summary>Where it is the only thing that is asked for.</summary>
    public const int Shortest = 15;

    /// <summary>Longer ones are not read.</summary>
    public const int Longest = 1000;

    private const int MarkBytes = 6;
    private const int ShortestListed = 8;
    private const int ShortestPersonal = 4;

    // The first bytes of the SHA-256 of each of the commonest passwords, sorted (scripts/common-passwords.mjs).
    private static readonly Lazy<byte[]> Common = new(() =>
    {
        using var stream = Assembly.GetExecutingAssembly().GetManifestResourceStream("members/common-passwords.bin")!;
        var all = new byte[stream.Length];
        stream.ReadExactly(all);
        return all;
    });

    /// <summary>A password as it is counted, compared and kept: one letter is one code point, however it was typed (Unicode NFC).</summary>
    public static string Normal(string password) => password.Normalize(NormalizationForm.FormC);

    /// <summary>What is wrong with a password and what would be right; null where it is taken.</summary>
    /// <param name="password">As it was typed.</param>
    /// <param name="personal">What is known of whose it is: name, address, practice.</param>
    public static string? Problem(string password, IEnumerable<string> personal)
    {
        var normal = Normal(password);
        var letters = normal.EnumerateRunes().Count();
        if (letters < Shortest)
        {
            return Say($"At least {Shortest} letters and signs: a short sentence that nobody else would say is good, spaces included. This has {letters}.");
        }

        if (normal.Length > Longest)
        {
            return Say($"At most {Longest:#,0} letters and signs.");
        }

        var plain = normal.ToLowerInvariant();
        int[] signs = [.. plain.EnumerateRunes().Select(r => r.Value)];
        if (IsOneThingOverAndOver(signs) || IsInARow(signs))
        {
            return Said("The same over and over, or letters and digits in their order, is guessed first. A short sentence that nobody else would say is good.");
        }

        if (Stems(plain).Any(IsCommon))
        {
            return Said("This is among the passwords that are tried first. A short sentence that nobody else would say is good.");
        }

        var rest = personal
            .SelectMany(p => p.ToLowerInvariant().Split([' ', '@', '.', '-', '_'], StringSplitOptions.RemoveEmptyEntries))
            .Where(w => w.Length >= ShortestPersonal)
            .Distinct(StringComparer.Ordinal)
            .OrderByDescending(w => w.Length)
            .Aggregate(plain, (left, word) => left.Replace(word, "", StringComparison.Ordinal));
        return rest.Length < plain.Length && rest.EnumerateRunes().Count(r => !Rune.IsWhiteSpace(r) && !Rune.IsPunctuation(r)) < Shortest / 2
            ? Said("It is little more than your own name, address or practice, which others know too. A short sentence that nobody else would say is good.")
            : null;
    }

    /// <summary>Whether one of the commonest is in it with only digits and signs around it.</summary>
    private static IEnumerable<string> Stems(string plain)
    {
        yield return plain;
        var stem = plain.Trim([.. plain.Where(c => !char.IsLetter(c)).Distinct()]);
        if (stem.Length >= ShortestListed && stem != plain)
        {
            yield return stem;
        }
    }

    private static bool IsOneThingOverAndOver(int[] signs) =>
        Enumerable.Range(1, signs.Length / 2).Any(n => Enumerable.Range(n, signs.Length - n).All(i => signs[i] == signs[i - n]));

    /// <summary>Whether each sign follows the one before it, up or down, but for a few places.</summary>
    private static bool IsInARow(int[] signs) =>
        Enumerable.Range(1, signs.Length - 1).Count(i => Math.Abs(signs[i] - signs[i - 1]) <= 1 || (signs[i - 1], signs[i]) is ('9', '0') or ('0', '9')) >= signs.Length * 3 / 4;

    private static bool IsCommon(string plain)
    {
        if (plain.Length < ShortestListed)
        {
            return false;
        }

        var mark = SHA256.HashData(Encoding.UTF8.GetBytes(plain)).AsSpan(0, MarkBytes);
        var all = Common.Value;
        var (from, to) = (0, (all.Length / MarkBytes) - 1);
        while (from <= to)
        {
            var middle = (from + to) / 2;
            switch (all.AsSpan(middle * MarkBytes, MarkBytes).SequenceCompareTo(mark))
            {
                case 0:
                    return true;
                case < 0:
                    from = middle + 1;
                    break;
                default:
                    to = middle - 1;
                    break;
            }
        }

        return false;
    }
}
