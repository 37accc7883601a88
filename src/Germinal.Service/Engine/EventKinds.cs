using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Store.Rows;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Engine;

/// <summary>The kinds of the event log, and what the engine makes of each.</summary>
public static class EventKinds
{
    public const string Start = "start";
    public const string TagAdded = "tag-added";
    public const string TagRemoved = "tag-removed";
    public const string ListJoined = "list-joined";
    public const string ListLeft = "list-left";
    public const string StageEntered = "stage-entered";
    public const string FieldSet = "field-set";
    public const string OwnerGiven = "owner-given";
    public const string InquiryReceived = "inquiry-received";
    public const string InquiryAnswered = "inquiry-answered";
    public const string OpportunityOpened = "opportunity-opened";
    public const string Won = "won";
    public const string Lost = "lost";
    public const string AppointmentBooked = "appointment-booked";
    public const string AppointmentMoved = "appointment-moved";
    public const string AppointmentCancelled = "appointment-cancelled";
    public const string AppointmentMissed = "appointment-missed";
    public const string Opened = "opened";
    public const string LinkFollowed = "link-followed";
    public const string Replied = "replied";
    public const string AutoReplied = "auto-replied";
    public const string TextedWord = "texted-word";
    public const string Bounced = "bounced";
    public const string Complained = "complained";
    public const string Delivered = "delivered";
    public const string OptedIn = "opted-in";
    public const string OptedOut = "opted-out";
    public const string Edited = "edited";
    public const string Remark = "remark";
    public const string DoNotContact = "do-not-contact";
    public const string MayContact = "may-contact";
    public const string Archived = "archived";

    /// <summary>What a call's end was called at first; logs of then still say so.</summary>
    public const string CallEnded = "call-ended";
    public const string TaskEnded = "task-ended";
    public const string TaskReopened = "task-reopened";
    public const string TouchMarked = "touch-marked";
    public const string TouchMoved = "touch-moved";
    public const string Overruled = "consent-overruled";
    public const string RunStopped = "run-stopped";
    public const string StartTakenBack = "start-taken-back";
    public const string RunPaused = "run-paused";
    public const string RunResumed = "run-resumed";
    public const string ProgramStopped = "program-stopped";
    public const string MovedToVersion = "moved-to-version";
    public const string Merged = "merged";
    public const string Imported = "imported";
    public const string Added = "added";

    /// <summary>They sent a form; its answers and what became of them, in words.</summary>
    public const string FormSent = "form-sent";

    /// <summary>A mail that no program planned went to them.</summary>
    public const string Wrote = "wrote";

    /// <summary>Who they live with, or who somebody is to them, changed; in words.</summary>
    public const string Circle = "circle";

    /// <summary>Something was taken back: the facts are as they were, and the engine looks again.</summary>
    public const string Undone = "undone";

    /// <summary>What the calendar brought; written when it is taken in.</summary>
    public const string Occasion = "occasion";
    public const string StageAge = "stage-age";
    public const string Unanswered = "inquiry-unanswered";
    public const string AppointmentNear = "appointment-near";
    public const string StopDate = "stop-date";
    public const string TaskMissed = "task-missed";

    // How a program was started, in an event's data.
    private const string SwitchedOn = "switched-on";
    private const string Broadcast = "broadcast";

    /// <summary>Kinds that only people read; they are written as handled.</summary>
    public static bool IsForReadingOnly(string kind) => kind is Remark or Imported or OpportunityOpened or AutoReplied or Delivered or Complained or Merged or Circle or AppointmentMissed or FormSent or Wrote;

    /// <summary>The engine's input for an event, or null when the event no longer applies.</summary>
    public static Happening? ToHappening(EventRow row)
    {
        var at = row.At;
        string Text(string key) => row.Data.GetValueOrDefault(key, "");
        string? Maybe(string key) => Text(key) is { Length: > 0 } value ? value : null;
        Guid Id(string key) => Guid.Parse(Text(key));
        LocalDate? Until() => Maybe("until") is { } date ? LocalDatePattern.Iso.Parse(date).Value : null;
        return row.Kind switch
        {
            Start => new StartedByHand(at, Id("program"), row.By ?? "", Text("how") == SwitchedOn, Text("how") == Broadcast),
            TagAdded => new TagPutOn(at, Text("tag")),
            TagRemoved => new TagTakenOff(at, Text("tag")),
            ListJoined => new JoinedList(at, Text("list")),
            ListLeft => new LeftList(at, Text("list")),
            StageEntered => new EnteredStage(at, Text("stage"), Maybe("left")),
            OwnerGiven => new GivenToOwner(at, Id("owner")),
            InquiryReceived => new Inquired(at, Maybe("form")),
            InquiryAnswered => new InquiriesAnswered(at),
            Won => new Won(at),
            Lost => new Lost(at, Maybe("reason")),
            AppointmentBooked or AppointmentMoved => new AppointmentMade(
                at,
                Text("appointment"),
                Maybe("type"),
                InstantPattern.ExtendedIso.Parse(Text("moment")).Value,
                row.Kind == AppointmentMoved
            ),
            AppointmentCancelled => new AppointmentCancelled(at, Text("appointment"), Maybe("type")),
            Opened => new Opened(at, Id("program"), Text("step")),
            LinkFollowed => new FollowedLink(at, Id("program"), Text("step"), Text("link")),
            Replied => new Replied(at, Words.ChannelOf(Text("channel")), Maybe("program") is null ? null : Id("program"), Maybe("step")),
            TextedWord => new TextedWord(at, Text("word")),
            Bounced => new Bounced(at, Id("program"), Text("step"), Text("hard") == "yes", Words.ChannelOf(Text("channel"))),
            OptedIn => new ConsentGiven(at, Words.ChannelOf(Text("channel")), true, Text("everything") == "yes"),
            OptedOut => new ConsentGiven(at, Words.ChannelOf(Text("channel")), false, Text("everything") == "yes"),
            DoNotContact => new LeftForGood(at, Text("reason") == "died" ? "died" : "do-not-contact", Until()),
            MayContact => new MayBeContacted(at),
            Archived => new LeftForGood(at, Maybe("into") is null ? "archived" : "merged"),
            CallEnded or TaskEnded => new TaskEnded(at, Id("touch"), Maybe("outcome"), Maybe("remark")),
            TaskReopened => new TaskReopened(at, Id("run"), Id("program"), Text("step"), int.TryParse(Text("nth"), CultureInfo.InvariantCulture, out var nth) ? nth : 0),
            TouchMarked => new TouchMarked(
                at,
                Id("touch"),
                Text("mark") switch
                {
                    "held" => TouchMark.Held,
                    "dropped" => TouchMark.Dropped,
                    "read" => TouchMark.Read,
                    _ => null,
                }
            ),
            TouchMoved => new TouchMovedTo(at, Id("touch"), Dates.TryParse(Text("to"))),
            Overruled => new ConsentOverruled(at, Id("touch"), row.By ?? "", Text("reason")),
            RunStopped => new RunStoppedByHand(at, Id("run"), row.By ?? ""),
            StartTakenBack => new StartTakenBack(at, Id("run"), row.By ?? ""),
            RunPaused => new ProgramPaused(at, Id("program"), Until()),
            RunResumed => new ProgramResumed(at, Id("program")),
            ProgramStopped => new ProgramStoppedByHand(at, Id("program")),
            MovedToVersion => new MovedToVersion(at, Id("program"), int.Parse(Text("version"), CultureInfo.InvariantCulture)),
            Added => new Added(at, Maybe("source")),
            _ => new FactsChanged(at),
        };
    }

    /// <summary>
    /// The log's line of something that happened: its kind and what it carries. What <see cref="ToHappening"/> reads is written here,
    /// and only here; words for people may be added to it (<see cref="With"/>).
    /// </summary>
    /// <exception cref="InvalidOperationException">It never stands in the log by itself.</exception>
    public static (string Kind, Dictionary<string, string> Data) Of(Happening happening) =>
        happening switch
        {
            StartedByHand h => (Start, new() { ["program"] = h.ProgramId.ToString(), ["how"] = h.ByBroadcast ? Broadcast : h.BySwitchingOn ? SwitchedOn : "hand" }),
            TagPutOn h => (TagAdded, new() { ["tag"] = h.Tag }),
            TagTakenOff h => (TagRemoved, new() { ["tag"] = h.Tag }),
            Core.Engine.JoinedList h => (ListJoined, new() { ["list"] = h.List }),
            LeftList h => (ListLeft, new() { ["list"] = h.List }),
            EnteredStage h => (StageEntered, new() { ["stage"] = h.Stage, ["left"] = h.Left ?? "" }),
            GivenToOwner h => (OwnerGiven, new() { ["owner"] = h.OwnerId.ToString() }),
            Core.Engine.FieldSet h => (FieldSet, new() { ["field"] = h.Name, ["value"] = h.Value }),
            Inquired h => (InquiryReceived, new() { ["form"] = h.Form ?? "" }),
            InquiriesAnswered => (InquiryAnswered, []),
            Core.Engine.Won => (Won, []),
            Core.Engine.Lost h => (Lost, new() { ["reason"] = h.Reason ?? "" }),
            AppointmentMade h => (
                h.Moved ? AppointmentMoved : AppointmentBooked,
                new()
                {
                    ["appointment"] = h.Key,
                    ["type"] = h.Type ?? "",
                    ["moment"] = InstantPattern.ExtendedIso.Format(h.Moment),
                }
            ),
            Core.Engine.AppointmentCancelled h => (AppointmentCancelled, new() { ["appointment"] = h.Key, ["type"] = h.Type ?? "" }),
            Core.Engine.Opened h => (Opened, OfStep(h.ProgramId, h.StepId)),
            FollowedLink h => (LinkFollowed, new(OfStep(h.ProgramId, h.StepId)) { ["link"] = h.Link }),
            Core.Engine.Replied h => (Replied, new(OfStep(h.ProgramId, h.StepId)) { ["channel"] = ContactWords.Of(h.Channel) }),
            Core.Engine.TextedWord h => (TextedWord, new() { ["word"] = h.Word }),
            Core.Engine.Bounced h => (
                Bounced,
                new(OfStep(h.ProgramId, h.StepId)) { ["hard"] = h.Hard ? "yes" : "no", ["channel"] = ContactWords.Of(h.Channel) }
            ),
            ConsentGiven h => (h.In ? OptedIn : OptedOut, new() { ["channel"] = ContactWords.Of(h.Channel), ["everything"] = h.Everything ? "yes" : "" }),
            TaskEnded h => (
                TaskEnded,
                new()
                {
                    ["touch"] = h.TouchId.ToString(),
                    ["outcome"] = h.Outcome ?? "",
                    ["remark"] = h.Remark ?? "",
                }
            ),
            Core.Engine.TaskReopened h => (TaskReopened, new(OfStep(h.ProgramId, h.StepId)) { ["run"] = h.RunId.ToString(), ["nth"] = h.Nth.ToString(CultureInfo.InvariantCulture) }),
            Core.Engine.TouchMarked h => (
                TouchMarked,
                new() { ["touch"] = h.TouchId.ToString(), ["mark"] = h.Mark switch { TouchMark.Held => "held", TouchMark.Dropped => "dropped", TouchMark.Read => "read", _ => "" } }
            ),
            TouchMovedTo h => (TouchMoved, new() { ["touch"] = h.TouchId.ToString(), ["to"] = Date(h.To) }),
            ConsentOverruled h => (Overruled, new() { ["touch"] = h.TouchId.ToString(), ["reason"] = h.Reason }),
            RunStoppedByHand h => (RunStopped, new() { ["run"] = h.RunId.ToString() }),
            Core.Engine.StartTakenBack h => (StartTakenBack, new() { ["run"] = h.RunId.ToString() }),
            Core.Engine.ProgramPaused h => (RunPaused, new() { ["program"] = h.ProgramId.ToString(), ["until"] = Date(h.Until) }),
            ProgramResumed h => (RunResumed, new() { ["program"] = h.ProgramId.ToString() }),
            ProgramStoppedByHand h => (ProgramStopped, new() { ["program"] = h.ProgramId.ToString() }),
            Core.Engine.MovedToVersion h => (MovedToVersion, new() { ["program"] = h.ProgramId.ToString(), ["version"] = h.Version.ToString(CultureInfo.InvariantCulture) }),
            Core.Engine.Added h => (Added, new() { ["source"] = h.Source ?? "" }),
            FactsChanged => (Edited, []),
            LeftForGood { Reason: "archived" or "merged" } h => (Archived, new() { ["into"] = h.Reason == "merged" ? "another person" : "" }),
            LeftForGood h => (DoNotContact, new() { ["reason"] = h.Reason == "died" ? h.Reason : "", ["until"] = Date(h.Until) }),
            MayBeContacted => (MayContact, []),
            Core.Engine.TaskMissed h => (TaskMissed, new() { ["touch"] = h.TouchId.ToString() }),
            OccasionCame h => (
                Occasion,
                new()
                {
                    ["program"] = h.ProgramId.ToString(),
                    ["name"] = h.Name,
                    ["date"] = LocalDatePattern.Iso.Format(h.Date),
                }
            ),
            StoodInStage h => (StageAge, new() { ["program"] = h.ProgramId.ToString(), ["stage"] = h.Stage }),
            InquiryStoodUnanswered h => (Unanswered, new() { ["program"] = h.ProgramId.ToString() }),
            AppointmentCame h => (AppointmentNear, new() { ["program"] = h.ProgramId.ToString(), ["appointment"] = h.Key }),
            StopDateCame h => (StopDate, new() { ["program"] = h.ProgramId.ToString() }),
            _ => throw new InvalidOperationException($"{happening.GetType().Name} never stands in the log by itself."),
        };

    /// <summary>A line of the log with words for people beside what the engine reads, or in the place of a word it only looks for.</summary>
    public static (string Kind, Dictionary<string, string> Data) With(this (string Kind, Dictionary<string, string> Data) line, params (string Key, string Value)[] words)
    {
        foreach (var (key, value) in words)
        {
            line.Data[key] = value;
        }

        return line;
    }

    private static string Date(LocalDate? date) => date is { } d ? LocalDatePattern.Iso.Format(d) : "";

    private static Dictionary<string, string> OfStep(Guid? program, string? step) => new() { ["program"] = program?.ToString() ?? "", ["step"] = step ?? "" };
}
