using Germinal.Service.Engine;

namespace Germinal.Service.OtherPrograms;

/// <summary>What another program can be told, each a word and what it means. The words of events are those of the log.</summary>
public static class HookKinds
{
    /// <summary>All of them.</summary>
    public static IReadOnlyList<(string Kind, string Means)> All { get; } =
    [
        (EventKinds.Added, "somebody came into the contact database"),
        (EventKinds.Edited, "something of theirs was changed by hand"),
        (EventKinds.TagAdded, "a tag was put on"),
        (EventKinds.TagRemoved, "a tag was taken off"),
        (EventKinds.ListJoined, "they joined a list"),
        (EventKinds.ListLeft, "they left a list"),
        (EventKinds.StageEntered, "they entered a stage"),
        (EventKinds.OwnerGiven, "another member looks after them"),
        (EventKinds.InquiryReceived, "they inquired"),
        (EventKinds.InquiryAnswered, "their inquiry was answered"),
        (EventKinds.OpportunityOpened, "an opportunity was opened"),
        (EventKinds.Won, "an opportunity was won"),
        (EventKinds.Lost, "an opportunity was lost"),
        (EventKinds.AppointmentBooked, "an appointment was made"),
        (EventKinds.AppointmentMoved, "an appointment was moved"),
        (EventKinds.AppointmentCancelled, "an appointment was cancelled"),
        (EventKinds.TaskEnded, "a call or task was done"),
        ("message-sent", "a message went out"),
        (EventKinds.LinkFollowed, "they followed a link"),
        (EventKinds.Replied, "they answered"),
        (EventKinds.Bounced, "a message came back"),
        (EventKinds.Complained, "they complained of a message"),
        (EventKinds.OptedIn, "they said yes"),
        (EventKinds.OptedOut, "they said no"),
        (EventKinds.DoNotContact, "they want no contact"),
        ("run-started", "a program started for them"),
        ("run-ended", "a program ended for them"),
    ];
}
