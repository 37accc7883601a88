using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// Something that happened to one person: the engine's input. The change itself (the tag is on, the stage is new) is
/// already in the facts when the engine is asked (rule 5.1).
/// </summary>
public abstract record Happening(Instant At);

/// <summary>A member starts a program for the person, or it was switched on with those who qualified.</summary>
public sealed record StartedByHand(Instant At, Guid ProgramId, string By, bool BySwitchingOn = false) : Happening(At);

/// <summary>A tag was put on that was not on.</summary>
public sealed record TagPutOn(Instant At, string Tag) : Happening(At);

/// <summary>A stage was entered that the person did not stand in.</summary>
public sealed record EnteredStage(Instant At, string Stage) : Happening(At);

/// <summary>They answered.</summary>
public sealed record Replied(Instant At, Channel Channel) : Happening(At);

/// <summary>An occasion of a program has come for the person (rule 4.3).</summary>
public sealed record OccasionCame(Instant At, Guid ProgramId, string Name, LocalDate Date) : Happening(At);

/// <summary>An entry was added to the consent ledger.</summary>
public sealed record ConsentGiven(Instant At, Channel Channel, bool In) : Happening(At);

/// <summary>Facts changed that may mend a blocked touch.</summary>
public sealed record FactsChanged(Instant At) : Happening(At);

/// <summary>They died, want no contact, or were archived (rule 6.2).</summary>
public sealed record LeftForGood(Instant At, string Reason) : Happening(At);

/// <summary>A call on the day sheet was made, with an outcome; or dropped (null).</summary>
public sealed record CallEnded(Instant At, Guid TouchId, string? Outcome) : Happening(At);

/// <summary>A member holds, releases (null) or drops a touch.</summary>
public sealed record TouchMarked(Instant At, Guid TouchId, TouchMark? Mark) : Happening(At);

/// <summary>A member stops one run.</summary>
public sealed record RunStoppedByHand(Instant At, Guid RunId, string By) : Happening(At);
