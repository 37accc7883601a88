using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Contact;

/// <summary>What people did, or was done for them, that a rule may ask about by when it was last.</summary>
public enum DeedKind
{
    /// <summary>A message of a program reached them; named <c>Program/step</c>.</summary>
    Got,

    /// <summary>They opened a message, a person not a machine; named <c>Program/step</c>.</summary>
    Opened,

    /// <summary>They followed a link; named as letters name it.</summary>
    Followed,

    /// <summary>They answered; named by the channel.</summary>
    Answered,

    /// <summary>A program began for them; its name.</summary>
    Started,

    /// <summary>A program came to its end for them; its name.</summary>
    Finished,

    /// <summary>They asked for something; the form's name, empty without one.</summary>
    Inquired,

    /// <summary>An appointment took place; its type.</summary>
    Met,

    /// <summary>They did not come to an appointment; its type.</summary>
    Missed,

    /// <summary>An opportunity of theirs was won; without a name.</summary>
    Won,

    /// <summary>An opportunity of theirs was lost; the reason, empty without one.</summary>
    Lost,
}

/// <summary>One thing that happened.</summary>
/// <param name="Kind">What.</param>
/// <param name="Name">Which, see <see cref="DeedKind"/>.</param>
/// <param name="At">When it happened last.</param>
public sealed record Deed(DeedKind Kind, string Name, Instant At)
{
    private static readonly FrozenDictionary<string, DeedKind> Words = Enum.GetValues<DeedKind>()
        .ToFrozenDictionary(k => k.ToString().ToLowerInvariant(), StringComparer.Ordinal);

    /// <summary>The fields of the rule language that ask for deeds: <c>got</c>, <c>opened</c>, …; each alone for any, or with a name after a colon.</summary>
    public static IEnumerable<string> Fields => Words.Keys.Order(StringComparer.Ordinal);

    /// <summary>The kind a field asks for, and which; null where the field asks for none.</summary>
    public static (DeedKind Kind, string? Name)? Asked(string field)
    {
        var colon = field.IndexOf(':', StringComparison.Ordinal);
        return Words.TryGetValue(colon < 0 ? field : field[..colon], out var kind) && colon != field.Length - 1
            ? (kind, colon < 0 ? null : field[(colon + 1)..])
            : null;
    }

    /// <summary>
    /// True where a deed of one name is asked for by another: the same regardless of case, or all that stands under it
    /// (<c>Program</c> asks for <c>Program/step</c> too).
    /// </summary>
    public bool IsNamed(string? asked) =>
        asked is null
        || string.Equals(Name, asked, StringComparison.OrdinalIgnoreCase)
        || (Name.Length > asked.Length && Name[asked.Length] == '/' && Name.StartsWith(asked, StringComparison.OrdinalIgnoreCase));
}
