namespace Germinal.Core.Contact;

/// <summary>Words that one message to one person has in the place of its step's; merge fields in them are filled as in the step's.</summary>
/// <param name="Subject">An email's subject; of no weight for a text.</param>
/// <param name="Body">As a step's: HTML for an email, plain words for a text.</param>
public sealed record OwnWords(string Subject, string Body);
