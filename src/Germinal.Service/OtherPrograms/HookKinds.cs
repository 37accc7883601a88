using Germinal.Service.Engine;

namespace Germinal.Service.OtherPrograms;

/// <summary>What another program can be told, each a word and what it means. The words of events are those of the log.</summary>
public static class HookKinds
{
    /// <summary>All of them.</summary>
    public static IReadOnlyList<(string Kind, string Means)> All { get; } =
    [
        (EventKinds.Added, ToSay("somebody came into the contact database")),
        (EventKinds.Edited, ToSay("something of theirs was changed by hand")),
        (EventKinds.TagAdded, ToSay("a tag was put on")),
        (EventKinds.TagRemoved, ToSay("a tag was taken off")),
        (EventKinds.ListJoined, ToSay("they joined a list")),
        (EventKinds.ListLeft, ToSay("they left a list")),
        (EventKinds.StageEntered, ToSay("they entered a stage")),
        (EventKinds.OwnerGiven, ToSay("another member looks after them")),
        (EventKinds.InquiryReceived, ToSay("they inquired")),
        (EventKinds.InquiryAnswered, ToSay("their inquiry was answered")),
        (EventKinds.OpportunityOpened, ToSay("an opportunity was opened")),
        (EventKinds.Won, ToSay("an opportunity was won")),
        (EventKinds.Lost, ToSay("an opportunity was lost")),
        (EventKinds.AppointmentBooked, ToSay("an appointment was made")),
        (EventKinds.AppointmentMoved, ToSay("an appointment was moved")),
        (EventKinds.AppointmentCancelled, ToSay("an appointment was cancelled")),
        (EventKinds.TaskEnded, ToSay("a call or task was done")),
        ("message-sent", ToSay("a message went out")),
        (EventKinds.LinkFollowed, ToSay("they followed a link")),
        (EventKinds.Replied, ToSay("they answered")),
        (EventKinds.Bounced, ToSay("a message came back")),
        (EventKinds.Complained, ToSay("they complained of a message")),
        (EventKinds.OptedIn, ToSay("they said yes")),
        (EventKinds.OptedOut, ToSay("they said no")),
        (EventKinds.DoNotContact, ToSay("they want no contact")),
        ("run-started", ToSay("a program started for them")),
        ("run-ended", ToSay("a program ended for them")),
    ];
}
