namespace Germinal.Core.Contact;

/// <summary>How somebody stands to a person: the other is their solicitor, their spouse.</summary>
/// <param name="Role">The role, compared without regard to case.</param>
/// <param name="OtherId">Who has it.</param>
public sealed record RelationTo(string Role, Guid OtherId);
