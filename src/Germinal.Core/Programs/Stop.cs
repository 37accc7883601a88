using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Programs;

/// <summary>What stops a run (rule 6.1). Closed: these are all there are; what always stops a run (6.2) needs no entry.</summary>
public abstract record Stop;

/// <summary>They reply, on any channel or on one.</summary>
public sealed record StopOnReply(Channel? Channel) : Stop;

/// <summary>They inquire.</summary>
public sealed record StopOnInquiry : Stop;

/// <summary>They enter a stage.</summary>
public sealed record StopOnStage(string Stage) : Stop;

/// <summary>They leave a stage.</summary>
public sealed record StopOnStageLeft(string Stage) : Stop;

/// <summary>An opportunity is won.</summary>
public sealed record StopOnWon : Stop;

/// <summary>An opportunity is lost.</summary>
public sealed record StopOnLost : Stop;

/// <summary>A tag is put on.</summary>
public sealed record StopOnTag(string Tag) : Stop;

/// <summary>They leave a list.</summary>
public sealed record StopOnListLeft(string List) : Stop;

/// <summary>They follow a link, any or a given one.</summary>
public sealed record StopOnLink(string? Link) : Stop;

/// <summary>A call ends with an outcome.</summary>
public sealed record StopOnCall(string Outcome) : Stop;

/// <summary>They send a form.</summary>
public sealed record StopOnForm(string Form) : Stop;

/// <summary>An appointment is made, of any type or of one.</summary>
public sealed record StopOnAppointment(string? Type) : Stop;

/// <summary>A date comes: at its beginning on the program's clock; from then on nothing starts either.</summary>
public sealed record StopOnDate(LocalDate Date) : Stop;
