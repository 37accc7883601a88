namespace Germinal.Core.Programs;

/// <summary>Who reads what a step writes, where it is not the person the program is about (rule 3.6). Closed.</summary>
public abstract record SendTo;

/// <summary>The member who looks after the person; no consent is asked of them, and nothing of it counts for pace.</summary>
public sealed record ToOwner : SendTo;

/// <summary>Everybody who stands in a relation to the person, one touch each: <i>their solicitor</i>.</summary>
/// <param name="Role">What they are to the person, compared without regard to case.</param>
public sealed record ToRelated(string Role) : SendTo;
