using System.Collections.Frozen;
using System.Text.Json;

namespace Germinal.Core.Engine;

/// <summary>Where a touch stands, as it is stored. Closed.</summary>
public enum TouchStatus
{
    /// <summary>Waits for its due moment.</summary>
    Planned,

    /// <summary>Being handed to its channel.</summary>
    Handing,

    /// <summary>Was handed over, and nobody can say whether it arrived.</summary>
    Uncertain,

    /// <summary>Waits to be mended.</summary>
    Blocked,

    /// <summary>A task that stands on the day sheet.</summary>
    Open,

    /// <summary>Settled: each of these is an <see cref="Outcome"/> of its name.</summary>
    Sent,
    Done,
    Skipped,
    Cancelled,
    Changed,
    Forked,
    Split,
    HandedOver,

    /// <summary>Settled: it could not go and was given up (<see cref="Outcome.Blocked"/>).</summary>
    GivenUp,
}

/// <summary>The one table of statuses: the word of each.</summary>
public static class TouchStatuses
{
    private static readonly FrozenDictionary<TouchStatus, string> Words = Enum.GetValues<TouchStatus>()
        .ToFrozenDictionary(s => s, s => JsonNamingPolicy.KebabCaseLower.ConvertName(s.ToString()));

    private static readonly FrozenDictionary<string, TouchStatus> ByWord = Words.ToFrozenDictionary(w => w.Value, w => w.Key, StringComparer.Ordinal);

    /// <summary>The words there are.</summary>
    public static IReadOnlyList<string> All { get; } = [.. Words.Values];

    /// <summary>The word of a status as rows and pages have it: <c>given-up</c>.</summary>
    public static string Word(this TouchStatus status) => Words[status];

    /// <summary>The status of a word.</summary>
    /// <exception cref="KeyNotFoundException">There is none of that word.</exception>
    public static TouchStatus Read(string word) => ByWord[word];

    /// <summary>The status a touch is stored with when it has settled.</summary>
    public static TouchStatus Of(Outcome outcome) => outcome == Outcome.Blocked ? TouchStatus.GivenUp : Enum.Parse<TouchStatus>(outcome.ToString());
}
