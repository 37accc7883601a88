namespace Germinal.Store.Rows;

/// <summary>A short address in a text, and which link of which message it is.</summary>
public sealed class ShortLinkRow : IOwned
{
    public required string Code { get; set; }

    public Guid PracticeId { get; set; }

    public Guid TouchId { get; set; }

    /// <summary>The link's place in the message, from 0.</summary>
    public int Place { get; set; }
}
