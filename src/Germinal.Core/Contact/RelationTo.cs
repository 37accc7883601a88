namespace Germinal.Core.Contact;

/// <summary>How somebody stands to a person: the other is their solicitor, their spouse.</summary>
/// <param name="Role">The role, compared without regard to case.</param>
/// <param name="OtherId">Who has it.</param>
public sealed record RelationTo(string Role, Guid OtherId)
{
    /// <summary>The facts of who has it; loaded only where a program writes to them (rule 3.6).</summary>
    public PersonFacts? Other { get; init; }
}
