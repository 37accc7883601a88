using Germinal.Service.People;

namespace Germinal.Service.Almanac;

/// <summary>What of the almanac is wanted. A null asks for all.</summary>
public sealed record AlmanacFilter
{
    /// <summary>What is about the people this member looks after, and their calls.</summary>
    public Guid? Member { get; init; }

    /// <summary>What one program sends.</summary>
    public Guid? Program { get; init; }

    /// <summary>One kind of step: email, text, call, note, task or post.</summary>
    public string? Kind { get; init; }

    /// <summary>What is about the people of a segment.</summary>
    public Guid? Segment { get; init; }
}

/// <summary>What goes out in one week.</summary>
/// <param name="Begins">Its Monday, as a date.</param>
/// <param name="Messages">Emails and texts.</param>
/// <param name="Calls">Calls, by the day they are due.</param>
/// <param name="Others">Notes to write and tasks.</param>
/// <param name="IfItWere">How many of them come of the program that is laid over it; 0 where none is.</param>
public sealed record AlmanacWeek(string Begins, int Messages, int Calls, int Others, int IfItWere);

/// <summary>One step's touches of one day.</summary>
/// <param name="ProgramId">The program.</param>
/// <param name="Program">Its name.</param>
/// <param name="StepId">The step.</param>
/// <param name="Kind">email, text, note, task or post.</param>
/// <param name="Words">Its subject, or its first words; what differs from one reader to the next as “…”.</param>
/// <param name="First">When the first of them goes.</param>
/// <param name="Goes">How many go.</param>
/// <param name="Held">How many are held.</param>
/// <param name="WillNot">How many will not go as things stand.</param>
public sealed record AlmanacGroup(Guid ProgramId, string Program, string StepId, string Kind, string Words, string First, int Goes, int Held, int WillNot);

/// <summary>A member's calls of one day, placed by rule 9.4.</summary>
/// <param name="MemberId">The member; null where the practice has nobody for them.</param>
/// <param name="Member">Their name.</param>
/// <param name="Calls">How many.</param>
/// <param name="Room">How many they can make; null for as many as there are.</param>
/// <param name="Over">How many of them fit on none of their days.</param>
public sealed record AlmanacCalls(Guid? MemberId, string Member, int Calls, int? Room, int Over);

/// <summary>An appointment of a day.</summary>
public sealed record AlmanacAppointment(Guid Id, PersonRef Person, string At, string Type, string? With);

/// <summary>A day in somebody's life.</summary>
/// <param name="Name">What it is: birthday, client since, renewal …</param>
/// <param name="Count">How many people have it on this day.</param>
/// <param name="People">The first of them by name, with the years it is, where the year is known.</param>
public sealed record AlmanacOccasion(string Name, int Count, IReadOnlyList<OccasionOf> People);

/// <summary>Whose occasion it is.</summary>
public sealed record OccasionOf(PersonRef Person, int? Years);

/// <summary>How many begin a program on a day, as things stand.</summary>
public sealed record AlmanacStart(Guid ProgramId, string Program, int Count);

/// <summary>One day of the almanac.</summary>
/// <param name="Date">The date, on the practice's clock.</param>
/// <param name="Free">Why nobody works: “public holiday” or “closing day”; null for any other day.</param>
/// <param name="IsWorkingDay">Whether the practice works.</param>
/// <param name="Groups">What programs send and put on the sheet, calls apart.</param>
/// <param name="Calls">Calls, by member.</param>
/// <param name="Tasks">Members' own tasks that are due.</param>
/// <param name="Appointments">Appointments, in order of time.</param>
/// <param name="Occasions">Days in people's lives.</param>
/// <param name="Starts">Programs that begin for somebody.</param>
/// <param name="Away">Members who are away.</param>
public sealed record AlmanacDay(
    string Date,
    string? Free,
    bool IsWorkingDay,
    IReadOnlyList<AlmanacGroup> Groups,
    IReadOnlyList<AlmanacCalls> Calls,
    int Tasks,
    IReadOnlyList<AlmanacAppointment> Appointments,
    IReadOnlyList<AlmanacOccasion> Occasions,
    IReadOnlyList<AlmanacStart> Starts,
    IReadOnlyList<string> Away
);

/// <summary>The almanac: a year of weeks, and some of its days.</summary>
/// <param name="Now">The practice's moment.</param>
/// <param name="Zone">Its zone.</param>
/// <param name="People">For how many people something comes.</param>
/// <param name="IsAll">False where the practice has more people than are gone through.</param>
/// <param name="Weeks">The weeks, this one first.</param>
/// <param name="Days">The days asked for, those with nothing at all left in.</param>
/// <param name="WhatIf">The name of the program that is laid over it; null where none is.</param>
public sealed record AlmanacDto(string Now, string Zone, int People, bool IsAll, IReadOnlyList<AlmanacWeek> Weeks, IReadOnlyList<AlmanacDay> Days, string? WhatIf);

/// <summary>Somebody of a group, or whose call it is.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="Person">Whom it is about.</param>
/// <param name="At">When it goes; of a call, when it is due.</param>
/// <param name="Program">The program, for calls.</param>
/// <param name="Held">Whether it is held.</param>
/// <param name="Moved">Whether a member has moved it to this day.</param>
/// <param name="WillNot">Why it will not go; null where it does.</param>
/// <param name="OverCapacity">For a call: whether it fits on none of its days.</param>
public sealed record AlmanacName(Guid TouchId, PersonRef Person, string At, string Program, bool Held, bool Moved, string? WillNot, bool OverCapacity);

/// <summary>How many there are, and the first of them.</summary>
public sealed record AlmanacNames(int Count, IReadOnlyList<AlmanacName> Names);
