using Germinal.Core.Contact;
using Germinal.Service.People;
using Germinal.Store;
using NodaTime;

namespace Germinal.Service.Numbers;

/// <summary>Who can be written to, over time.</summary>
public static class NumbersReach
{
    private static readonly (Channel Channel, string Title)[] Channels =
    [
        (Channel.Email, ToSay("by email")),
        (Channel.Text, ToSay("by text")),
        (Channel.Call, ToSay("by telephone")),
        (Channel.Post, ToSay("by post")),
    ];

    /// <summary>At the end of each month; of the one that runs, now.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="months">The months, one after the other, <see cref="PracticeNumbers.Before"/> before the chosen one.</param>
    /// <param name="zone">The practice's zone.</param>
    /// <param name="member">Only of the people this member looks after; null for everybody.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<NumbersTable> ReadAsync(GerminalDb db, IReadOnlyList<YearMonth> months, DateTimeZone zone, Guid? member, Instant now, CancellationToken stop)
    {
        var ends = months.Select(m => Instant.Min(now, PracticeNumbers.EndsOf(m, zone).Until)).ToList();
        var counts = await ConsentGlance.OverTimeAsync(db, ends, member, stop);
        return new NumbersTable(
            "reach",
            Said("Who can be written to"),
            Said("news and offers, at the end of each month: by the ledger as it stood, by addresses as they are now"),
            [
                .. Channels.Select(c => new NumbersRow(
                    $"reach:{ContactWords.Of(c.Channel)}",
                    Said(c.Title),
                    "count",
                    [.. counts[c.Channel].Select(n => (decimal?)n)],
                    null,
                    null,
                    Math.Round(counts[c.Channel].Take(PracticeNumbers.Before).Sum() / (decimal)PracticeNumbers.Before, 2),
                    false
                )),
            ]
        );
    }
}
