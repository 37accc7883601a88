using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Contact;

/// <summary>What a consent entry stands on (rule 10.1).</summary>
public enum ConsentBasis
{
    /// <summary>The person said so; runs until withdrawn.</summary>
    Express,

    /// <summary>They inquired; runs for the practice's span.</summary>
    Inquiry,

    /// <summary>They are or were a client; runs for the practice's span.</summary>
    Client,
}

/// <summary>One dated entry of the append-only ledger (rule 10.1).</summary>
/// <param name="Channel">The channel it speaks of.</param>
/// <param name="Purpose">The purpose, or null for everything.</param>
/// <param name="Topic">The topic, or null for all topics.</param>
/// <param name="In">True for an in, false for an out.</param>
/// <param name="Basis">What it stands on; of no weight in an out.</param>
/// <param name="At">When it was given or withdrawn.</param>
/// <param name="Source">Where it came from, for people to read: “import, clients.csv, row 12”.</param>
public sealed record ConsentEntry(Channel Channel, Purpose? Purpose, string? Topic, bool In, ConsentBasis Basis, Instant At, string Source);

/// <summary>Whether a channel needs an in, or only that there be no out (rule 10.3).</summary>
public enum ConsentPolicy
{
    /// <summary>Needs an in whose basis still runs; the default for every channel.</summary>
    Strict,

    /// <summary>Needs only that there be no out.</summary>
    Open,
}

/// <summary>The practice's consent policies and spans (rules 10.3, 10.4).</summary>
/// <param name="PerChannel">The policy of each channel; a channel not named is strict.</param>
/// <param name="InquiryMonths">How long an inquiry carries consent; S.C. 2010, c. 23, s. 10(10): 6 months.</param>
/// <param name="ClientMonths">How long a business relationship does; the same source: 24 months.</param>
/// <param name="StrictForTransactional">True when transactional messages need an in as well.</param>
public sealed record ConsentRules(
    FrozenDictionary<Channel, ConsentPolicy> PerChannel,
    int InquiryMonths = 6,
    int ClientMonths = 24,
    bool StrictForTransactional = false
)
{
    /// <summary>The policy of a channel.</summary>
    public ConsentPolicy For(Channel channel) => PerChannel.GetValueOrDefault(channel, ConsentPolicy.Strict);
}

/// <summary>What the ledger says of one touch.</summary>
public enum ConsentVerdict
{
    /// <summary>It may go.</summary>
    Allowed,

    /// <summary>Nobody said it may: <c>no-consent</c>. A member with the right may let one touch go all the same.</summary>
    Missing,

    /// <summary>The person said no: <c>opted-out</c>. Nobody can overrule it.</summary>
    Withdrawn,
}

/// <summary>The verdict and the entry that decided it, if there was one.</summary>
public readonly record struct ConsentReading(ConsentVerdict Verdict, ConsentEntry? Decided);

/// <summary>Reading the ledger (rules 10.2 to 10.4).</summary>
public static class ConsentLedger
{
    /// <summary>What the entries say of a touch of channel, purpose and topic at a moment.</summary>
    /// <param name="entries">The person's ledger in any order; of two entries at one moment the later in the list is the newer.</param>
    /// <param name="rules">The practice's policies and spans.</param>
    /// <param name="channel">The touch's channel.</param>
    /// <param name="purpose">The touch's purpose.</param>
    /// <param name="topic">The touch's topic, or null.</param>
    /// <param name="at">The moment it is judged.</param>
    /// <param name="zone">The practice's zone, for adding months.</param>
    public static ConsentReading Read(
        IReadOnlyList<ConsentEntry> entries,
        ConsentRules rules,
        Channel channel,
        Purpose purpose,
        string? topic,
        Instant at,
        DateTimeZone zone
    )
    {
        ConsentEntry? general = null;
        ConsentEntry? ofTopic = null;
        foreach (var entry in entries)
        {
            if (entry.Channel != channel || entry.At > at || (entry.Purpose is { } p && p != purpose))
            {
                continue;
            }

            if (entry.Topic is null)
            {
                general = general is null || entry.At >= general.At ? entry : general;
            }
            else if (topic is not null && string.Equals(entry.Topic, topic, StringComparison.OrdinalIgnoreCase))
            {
                ofTopic = ofTopic is null || entry.At >= ofTopic.At ? entry : ofTopic;
            }
        }

        var decides = general is { In: false } ? general : ofTopic ?? general;
        if (decides is { In: false })
        {
            return new ConsentReading(ConsentVerdict.Withdrawn, decides);
        }

        var needsIn = rules.For(channel) == ConsentPolicy.Strict && (purpose == Purpose.Commercial || rules.StrictForTransactional);
        if (!needsIn || (decides is not null && Runs(decides, rules, at, zone)))
        {
            return new ConsentReading(ConsentVerdict.Allowed, decides);
        }

        return new ConsentReading(ConsentVerdict.Missing, decides);
    }

    /// <summary>True while the basis of an in still carries it.</summary>
    public static bool Runs(ConsentEntry entry, ConsentRules rules, Instant at, DateTimeZone zone) => EndsAt(entry, rules, zone) is not { } end || at < end;

    /// <summary>When the basis of an in has run out (rule 10.4); null for one that runs until withdrawn.</summary>
    public static Instant? EndsAt(ConsentEntry entry, ConsentRules rules, DateTimeZone zone)
    {
        var months = entry.Basis switch
        {
            ConsentBasis.Inquiry => rules.InquiryMonths,
            ConsentBasis.Client => rules.ClientMonths,
            _ => (int?)null,
        };
        return months is { } n ? Time.LocalClock.At(entry.At.InZone(zone).LocalDateTime.PlusMonths(n), zone) : null;
    }
}
