using Germinal.Core.Engine;
using Germinal.Core.Programs;
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
    public const string InquiryReceived = "inquiry-received";
    public const string InquiryAnswered = "inquiry-answered";
    public const string OpportunityOpened = "opportunity-opened";
    public const string Won = "won";
    public const string Lost = "lost";
    public const string AppointmentBooked = "appointment-booked";
    public const string AppointmentMoved = "appointment-moved";
    public const string AppointmentCancelled = "appointment-cancelled";
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
    public const string CallEnded = "call-ended";
    public const string TaskEnded = "task-ended";
    public const string TaskReopened = "task-reopened";
    public const string TouchMarked = "touch-marked";
    public const string Overruled = "consent-overruled";
    public const string RunStopped = "run-stopped";
    public const string RunPaused = "run-paused";
    public const string RunResumed = "run-resumed";
    public const string ProgramStopped = "program-stopped";
    public const string MovedToVersion = "moved-to-version";
    public const string Merged = "merged";
    public const string Imported = "imported";
    public const string Added = "added";

    /// <summary>What the calendar brought; written when it is taken in.</summary>
    public const string Occasion = "occasion";
    public const string StageAge = "stage-age";
    public const string Unanswered = "inquiry-unanswered";
    public const string AppointmentNear = "appointment-near";
    public const string StopDate = "stop-date";

    /// <summary>Kinds that only people read; they are written as handled.</summary>
    public static bool IsForReadingOnly(string kind) => kind is Remark or Imported or OpportunityOpened or AutoReplied or Delivered or Complained or Merged;

    /// <summary>The engine's input for an event, or null when the event no longer applies.</summary>
    public static Happening? ToHappening(EventRow row)
    {
        var at = row.At;
        string Text(string key) => row.Data.GetValueOrDefault(key, "");
        string? Maybe(string key) => Text(key) is { Length: > 0 } value ? value : null;
        Guid Id(string key) => Guid.Parse(Text(key));
        return row.Kind switch
        {
            Start => new StartedByHand(at, Id("program"), row.By ?? "", Text("how") == "switched-on"),
            TagAdded => new TagPutOn(at, Text("tag")),
            TagRemoved => new TagTakenOff(at, Text("tag")),
            ListJoined => new JoinedList(at, Text("list")),
            ListLeft => new LeftList(at, Text("list")),
            StageEntered => new EnteredStage(at, Text("stage"), Maybe("left")),
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
            DoNotContact => new LeftForGood(at, Text("reason") == "died" ? "died" : "do-not-contact"),
            Archived => new LeftForGood(at, Maybe("into") is null ? "archived" : "merged"),
            CallEnded or TaskEnded => new TaskEnded(at, Id("touch"), Maybe("outcome"), Maybe("remark")),
            TaskReopened => new TaskReopened(at, Id("run"), Id("program"), Text("step")),
            TouchMarked => new TouchMarked(
                at,
                Id("touch"),
                Text("mark") switch
                {
                    "held" => TouchMark.Held,
                    "dropped" => TouchMark.Dropped,
                    _ => null,
                }
            ),
            Overruled => new ConsentOverruled(at, Id("touch"), row.By ?? "", Text("reason")),
            RunStopped => new RunStoppedByHand(at, Id("run"), row.By ?? ""),
            RunPaused => new ProgramPaused(at, Id("program")),
            RunResumed => new ProgramResumed(at, Id("program")),
            ProgramStopped => new ProgramStoppedByHand(at, Id("program")),
            MovedToVersion => new MovedToVersion(at, Id("program"), int.Parse(Text("version"), System.Globalization.CultureInfo.InvariantCulture)),
            Added => new Added(at, Maybe("source")),
            _ => new FactsChanged(at),
        };
    }

    /// <summary>The log's line of what the calendar brought; null for what is no news to anybody.</summary>
    public static (string Kind, Dictionary<string, string> Data)? OfAlarm(Happening alarm) =>
        alarm switch
        {
            OccasionCame o => (
                Occasion,
                new()
                {
                    ["program"] = o.ProgramId.ToString(),
                    ["name"] = o.Name,
                    ["date"] = LocalDatePattern.Iso.Format(o.Date),
                }
            ),
            StoodInStage s => (StageAge, new() { ["program"] = s.ProgramId.ToString(), ["stage"] = s.Stage }),
            InquiryStoodUnanswered u => (Unanswered, new() { ["program"] = u.ProgramId.ToString() }),
            AppointmentCame a => (AppointmentNear, new() { ["program"] = a.ProgramId.ToString(), ["appointment"] = a.Key }),
            StopDateCame s => (StopDate, new() { ["program"] = s.ProgramId.ToString() }),
            _ => null,
        };

    /// <summary>The log's line of a program's own change.</summary>
    public static (string Kind, Dictionary<string, string> Data) OfChange(Happening change) =>
        change switch
        {
            TagPutOn t => (TagAdded, new() { ["tag"] = t.Tag }),
            TagTakenOff t => (TagRemoved, new() { ["tag"] = t.Tag }),
            JoinedList l => (ListJoined, new() { ["list"] = l.List }),
            LeftList l => (ListLeft, new() { ["list"] = l.List }),
            EnteredStage s => (StageEntered, new() { ["stage"] = s.Stage, ["left"] = s.Left ?? "" }),
            Core.Engine.FieldSet f => (FieldSet, new() { ["field"] = f.Name, ["value"] = f.Value }),
            _ => throw new InvalidOperationException($"A program makes no change of the kind {change.GetType().Name}."),
        };
}
