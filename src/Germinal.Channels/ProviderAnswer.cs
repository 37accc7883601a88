namespace Germinal.Channels;

/// <summary>What became of handing a message to a provider.</summary>
public enum ProviderResult
{
    /// <summary>The provider took it.</summary>
    Accepted,

    /// <summary>The provider refused it for good (SMTP 5xx, HTTP 4xx).</summary>
    Refused,

    /// <summary>A temporary refusal of this one message (SMTP 4xx, HTTP 429 or 5xx). It is tried again.</summary>
    Later,

    /// <summary>The provider cannot be reached or does not let us in: it is not this message's fault. It is tried again.</summary>
    Away,
}

/// <summary>The result and the provider's own words.</summary>
/// <param name="Result">What became of it.</param>
/// <param name="Words">What the provider said.</param>
/// <param name="Id">The provider's own id of the message, where it gives one.</param>
public sealed record ProviderAnswer(ProviderResult Result, string Words, string? Id = null);
