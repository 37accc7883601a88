using System.Collections;
using System.ComponentModel.DataAnnotations;
using System.Globalization;

namespace Germinal.Service;

/// <summary>Lengths that are the same everywhere, in characters (UTF-16).</summary>
public static class Lengths
{
    /// <summary>A name, a title, a tag, a stage, a number.</summary>
    public const int Name = 200;

    /// <summary>What is to be done, in a line.</summary>
    public const int Title = 400;

    /// <summary>A rule as JSON, where it comes with an address.</summary>
    public const int Rule = 6_000;

    /// <summary>Something said or remarked.</summary>
    public const int Remark = 20_000;
}

/// <summary>
/// How long what is typed into a field may be; of a list or dictionary, how long each of its texts may be and how many there
/// may be. No text carries NUL or half a character, which PostgreSQL cannot keep. Every text of a request body has this
/// (a test holds it), so that there is an answer at the field and not somewhere behind it.
/// </summary>
/// <param name="letters">Characters (UTF-16).</param>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Parameter | AttributeTargets.Field)]
public sealed class AtMostAttribute(int letters) : ValidationAttribute
{
    /// <summary>Characters.</summary>
    public int Letters => letters;

    /// <summary>Entries of a list or dictionary.</summary>
    public int Items { get; set; } = 500;

    /// <inheritdoc/>
    protected override ValidationResult? IsValid(object? value, ValidationContext validationContext) =>
        ProblemOf(value) is { } problem ? new ValidationResult(problem, [validationContext.MemberName ?? ""]) : ValidationResult.Success;

    private string? ProblemOf(object? value) =>
        value switch
        {
            null => null,
            string text => ProblemOf(text),
            IDictionary entries => entries.Count > Items
                ? TooMany()
                : entries.Keys.Cast<object?>().Concat(entries.Values.Cast<object?>()).OfType<string>().Select(ProblemOf).FirstOrDefault(p => p is not null),
            ICollection list when list.Count > Items => TooMany(),
            IEnumerable list => list.OfType<string?>()
                .Select(t => t is null ? Said("An entry is empty (null); leave it out.") : ProblemOf(t))
                .FirstOrDefault(p => p is not null)
                ?? (list.Cast<object?>().Any(o => o is null) ? Said("An entry is empty (null); leave it out.") : null),
            _ => null,
        };

    private string? ProblemOf(string text)
    {
        if (text.Length > letters)
        {
            return Say($"This is {text.Length.ToString("N0", CultureInfo.InvariantCulture)} letters long; {letters.ToString("N0", CultureInfo.InvariantCulture)} are the most.");
        }

        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] == '\0')
            {
                return Said("There is a character in it that no text has (NUL). Take it out.");
            }

            if (char.IsSurrogate(text[i]) && !(char.IsHighSurrogate(text[i]) && i + 1 < text.Length && char.IsLowSurrogate(text[++i])))
            {
                return Said("There is half a character in it. Type it anew.");
            }
        }

        return null;
    }

    private string TooMany() => Say($"These are too many; {Items.ToString("N0", CultureInfo.InvariantCulture)} are the most at once.");
}
