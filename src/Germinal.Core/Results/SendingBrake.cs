namespace Germinal.Core.Results;

/// <summary>How much went, and what came back of it.</summary>
/// <param name="Sent">Emails that went.</param>
/// <param name="Bounced">Of them, those that came back.</param>
/// <param name="Complained">Of them, those somebody complained about.</param>
public sealed record SendingCounts(int Sent, int Bounced, int Complained)
{
    /// <summary>What arrived.</summary>
    public int Delivered => Sent - Bounced;
}

/// <summary>At which rates a practice stops its commercial mail by itself.</summary>
/// <param name="BouncePercent">Of what went, so many in a hundred came back.</param>
/// <param name="ComplaintPercent">Of what arrived, so many in a hundred were complained about.</param>
public sealed record BrakeLimits(decimal BouncePercent, decimal ComplaintPercent)
{
    /// <summary>Above this large mailbox providers begin to put mail aside (common practice, no source in print; they say so to senders).</summary>
    public const decimal ComplaintAim = 0.1m;

    /// <summary>From this on they refuse it (as above).</summary>
    public const decimal ComplaintMost = 0.3m;

    /// <summary>What is usual where a practice has said nothing.</summary>
    public static BrakeLimits Usual { get; } = new(5, ComplaintMost);
}

/// <summary>The brake: mail that does a practice's name harm stops by itself.</summary>
public static class SendingBrake
{
    /// <summary>Under so many emails nothing is stopped: one that comes back is no rate.</summary>
    public const int Least = 100;

    /// <summary>Nor for fewer than so many of a kind.</summary>
    public const int LeastCases = 3;

    /// <summary>How many days are looked at.</summary>
    public const int Days = 7;

    /// <summary>Whether it is to stop.</summary>
    /// <returns>Why, in a sentence; null where it may go on.</returns>
    public static string? Judge(SendingCounts counts, BrakeLimits limits)
    {
        if (counts.Sent < Least)
        {
            return null;
        }

        return
            IsOver(counts.Complained, counts.Delivered, limits.ComplaintPercent) ? Say($"In the last {Days} days {counts.Complained} of {counts.Delivered} emails that arrived were complained about; it stops above {limits.ComplaintPercent:0.##} %.")
            : IsOver(counts.Bounced, counts.Sent, limits.BouncePercent) ? Say($"In the last {Days} days {counts.Bounced} of {counts.Sent} emails that went came back; it stops above {limits.BouncePercent:0.##} %.")
            : null;
    }

    // In whole numbers and decimals: some / of > limit / 100.
    private static bool IsOver(int some, int of, decimal limit) => some >= LeastCases && some * 100m > limit * of;
}
