using Germinal.Core.Engine;
using Germinal.Core.People;
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
    public const string StageEntered = "stage-entered";
    public const string Replied = "replied";
    public const string Occasion = "occasion";
    public const string OptedIn = "opted-in";
    public const string OptedOut = "opted-out";
    public const string Edited = "edited";
    public const string Remark = "remark";
    public const string DoNotContact = "do-not-contact";
    public const string MayContact = "may-contact";
    public const string CallEnded = "call-ended";
    public const string TouchMarked = "touch-marked";
    public const string RunStopped = "run-stopped";
    public const string Imported = "imported";
    public const string Added = "added";

    /// <summary>Kinds that only people read; they are written as handled.</summary>
    public static bool IsForReadingOnly(string kind) => kind is Remark or TagRemoved or Imported or Added;

    /// <summary>The engine's input for an event, or null when the event no longer applies.</summary>
    public static Happening? ToHappening(EventRow row, PersonFacts person, Practice practice)
    {
        string Text(string key) => row.Data.GetValueOrDefault(key, "");
        return row.Kind switch
        {
            Start => new StartedByHand(row.At, Guid.Parse(Text("program")), row.By ?? "", Text("how") == "switched-on"),
            TagAdded => new TagPutOn(row.At, Text("tag")),
            StageEntered => new EnteredStage(row.At, Text("stage")),
            Replied => new Replied(row.At, Words.ChannelOf(Text("channel"))),
            Occasion => OccasionOf(row, person, practice),
            OptedIn => new ConsentGiven(row.At, Words.ChannelOf(Text("channel")), true),
            OptedOut => new ConsentGiven(row.At, Words.ChannelOf(Text("channel")), false),
            DoNotContact => new LeftForGood(row.At, Text("reason") is { Length: > 0 } r && r == "died" ? "died" : "do-not-contact"),
            CallEnded => new CallEnded(row.At, Guid.Parse(Text("touch")), Text("outcome") is { Length: > 0 } outcome ? outcome : null),
            TouchMarked => new TouchMarked(row.At, Guid.Parse(Text("touch")), Text("mark") switch { "held" => TouchMark.Held, "dropped" => TouchMark.Dropped, _ => null }),
            RunStopped => new RunStoppedByHand(row.At, Guid.Parse(Text("run")), row.By ?? ""),
            _ => new FactsChanged(row.At),
        };
    }

    /// <summary>An occasion was written ahead of its time; the date may have been corrected since.</summary>
    private static OccasionCame? OccasionOf(EventRow row, PersonFacts person, Practice practice)
    {
        var date = LocalDatePattern.Iso.Parse(row.Data["date"]).Value;
        var key = person.KeyDates.FirstOrDefault(d => d.Name == row.Data["name"]);
        return key is not null && key.Date.In(date.Year, practice.LeapDay) == date
            ? new OccasionCame(row.At, Guid.Parse(row.Data["program"]), key.Name, date)
            : null;
    }
}
