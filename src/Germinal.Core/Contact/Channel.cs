namespace Germinal.Core.Contact;

/// <summary>The ways a touch reaches a person; consent is kept per channel (rule 10.1).</summary>
public enum Channel
{
    /// <summary>Email.</summary>
    Email,

    /// <summary>Text message to a mobile.</summary>
    Text,

    /// <summary>Telephone call by a member.</summary>
    Call,

    /// <summary>Handwritten or printed post.</summary>
    Post,
}

/// <summary>What a message is for (rule 10.2).</summary>
public enum Purpose
{
    /// <summary>To win or keep business.</summary>
    Commercial,

    /// <summary>Needed for something the person has under way.</summary>
    Transactional,
}
