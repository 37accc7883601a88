namespace Germinal.Channels;

/// <summary>What a provider says when it is asked for a message by the sender's own key.</summary>
public enum LookUpResult
{
    /// <summary>It took it before.</summary>
    Found,

    /// <summary>It never saw it; it may be handed over.</summary>
    NotThere,

    /// <summary>It does not answer at the moment; it is asked again later.</summary>
    NotNow,

    /// <summary>It has no way of saying; only a member can find out.</summary>
    CannotSay,
}

/// <summary>The answer, with the provider's own id where it was found.</summary>
/// <param name="Result">What the provider said.</param>
/// <param name="Id">Its id of the message; empty unless it was found.</param>
public readonly record struct LookedUp(LookUpResult Result, string Id = "");
