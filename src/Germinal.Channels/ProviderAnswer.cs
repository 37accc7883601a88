namespace Germinal.Channels;

/// <summary>What is known of a message that was handed to a provider.</summary>
public enum ProviderResult
{
    /// <summary>The provider said that it took it.</summary>
    Sent,

    /// <summary>The provider said that it never will (SMTP 5xx, HTTP 4xx).</summary>
    Refused,

    /// <summary>The provider cannot have it: it said “not now”, or it was never reached. It is tried again.</summary>
    NotTaken,

    /// <summary>
    /// The line dropped or the answer stayed away after the message had begun to go over: it may have been taken or not. The
    /// provider is asked for it by its key before anything else is done with it.
    /// </summary>
    Unknown,
}

/// <summary>The result and the provider's own words.</summary>
/// <param name="Result">What became of it.</param>
/// <param name="Words">What the provider said.</param>
/// <param name="Id">The provider's own id of the message, where it gives one.</param>
/// <param name="IsAway">True where nothing would have been taken: the provider cannot be reached, or does not let us in.</param>
public sealed record ProviderAnswer(ProviderResult Result, string Words, string? Id = null, bool IsAway = false)
{
    /// <summary>Which provider it was, where there are several of a kind: the name of the member whose own account it is; null for the practice's.</summary>
    public string? Of { get; init; }

    /// <summary>Nothing was handed over, because the provider cannot be reached or does not let us in.</summary>
    public static ProviderAnswer Away(string words) => new(ProviderResult.NotTaken, words, null, true);
}
