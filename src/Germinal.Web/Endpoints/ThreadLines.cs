using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.Films;
using Germinal.Service.People;
using Germinal.Store.Rows;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>What is said of a touch, an event, a run or a refusal on one line of a thread.</summary>
internal static class ThreadLines
{
    /// <param name="t">The touch.</param>
    /// <param name="message">What went out, if anything did.</param>
    /// <param name="names">The programs' names.</param>
    /// <param name="said">Its words as they would be, and whom it goes to or is about where that is somebody else (rule 3.6).</param>
    public static ThreadLine Of(TouchRow t, MessageRow? message, Dictionary<Guid, string> names, (string Title, string? Beside) said)
    {
        var title = message switch
        {
            null => FirstLine(said.Title),
            { Channel: "text" } => message.Text,
            _ => message.Subject,
        };
        var detail =
            message is { Channel: "email" } ? Short(message.Text)
            : t.CallOutcome is { } outcome ? $"{outcome}{(t.Remark is null ? "" : $": {t.Remark}")}"
            : null;
        var reason = Why.Reason(t.Reason);
        var status = t.Status switch
        {
            TouchStatus.HandedOver => "handed over",
            TouchStatus.GivenUp => "given up",
            TouchStatus.Open => "on the day sheet",
            _ => t.Status.Word(),
        };
        return new ThreadLine(
            $"t{t.Id:N}",
            // A call that was made stands where it was made, not where it was put on the sheet.
            (t.ClosedAt ?? t.SettledAt!.Value).Iso(),
            t.Kind,
            title,
            detail,
            reason.Length > 0 ? $"{status}: {reason}" : status,
            t.Id,
            names.GetValueOrDefault(t.ProgramId),
            null,
            Beside: said.Beside
        );
    }

    /// <param name="e">The event.</param>
    /// <param name="zone">The person's.</param>
    /// <param name="undoable">Whether the act it is part of can be taken back.</param>
    /// <param name="merges">The merges that stand.</param>
    /// <param name="names">The programs' names.</param>
    public static ThreadLine Of(EventRow e, DateTimeZone zone, bool undoable, IReadOnlyCollection<Guid> merges, Dictionary<Guid, string> names)
    {
        string Data(string key) => e.Data.GetValueOrDefault(key, "");
        string Program() => Guid.TryParse(Data("program"), out var id) && names.TryGetValue(id, out var name) ? $"“{name}”" : "A program";
        string? Until() => LocalDatePattern.Iso.Parse(Data("until")) is { Success: true, Value: var date } ? $"until {Phrases.Day(date)}" : null;
        var (title, detail) = e.Kind switch
        {
            EventKinds.TagAdded => ($"The tag “{Data("tag")}” was put on", null),
            EventKinds.TagRemoved => ($"The tag “{Data("tag")}” was taken off", null),
            EventKinds.StageEntered when Data("stage").Length == 0 => ($"Left {Why.StageName(Data("left"))}", null),
            EventKinds.StageEntered => ($"Reached {Why.StageName(Data("stage"))}", null),
            EventKinds.Replied => ($"Answered by {Data("channel")}", Data("text") is { Length: > 0 } said ? said : null),
            EventKinds.AutoReplied => ("Answered automatically", Data("text") is { Length: > 0 } auto ? Short(auto) : null),
            EventKinds.ListJoined => ($"Put on the list “{Data("list")}”", null),
            EventKinds.ListLeft => ($"Taken off the list “{Data("list")}”", null),
            EventKinds.OwnerGiven => ($"{Data("name")} looks after them from now on", null),
            EventKinds.FieldSet => ($"“{Data("field")}” became “{Data("value")}”", null),
            EventKinds.InquiryReceived => ($"Asked by {Data("how")}{(Data("form").Length > 0 ? $", “{Data("form")}”" : "")}", Data("text")),
            EventKinds.FormSent => ($"Sent “{Data("form")}”", Data("text") is { Length: > 0 } answers ? answers : null),
            EventKinds.Wrote => ($"{Data("how") switch { "by-itself" => "Was answered by itself", "own-program" => "Was written to from a mail program", _ => "Was written to" }}: {Data("subject")}", Data("text")),
            EventKinds.InquiryAnswered => ("Their inquiry was answered", null),
            EventKinds.OpportunityOpened => ($"Opportunity “{Data("title")}”", $"in {Why.StageName(Data("stage"))}"),
            EventKinds.Won => ($"“{Data("title")}” was won", null),
            EventKinds.Lost => ($"“{Data("title")}” was lost", Data("reason") is { Length: > 0 } why ? why : null),
            EventKinds.AppointmentBooked => ($"Appointment “{Data("type")}” was made", Moment(Data("moment"), zone)),
            EventKinds.AppointmentMoved => ($"Appointment “{Data("type")}” was moved", Moment(Data("moment"), zone)),
            EventKinds.AppointmentMissed => (Data("missed") == "yes" ? $"Did not come: “{Data("type")}”" : $"Came after all: “{Data("type")}”", null),
            EventKinds.AppointmentCancelled => ($"Appointment “{Data("type")}” was cancelled", null),
            EventKinds.Opened => ("Opened a letter", null),
            EventKinds.LinkFollowed => ($"Followed “{Data("link")}”", null),
            EventKinds.TextedWord => ($"Texted “{Data("word")}”", null),
            EventKinds.Bounced => (
                $"{(Data("channel") == "text" ? "A text" : "A letter")} came back",
                Data("hard") == "yes" ? $"{Data("address")} does not exist; nothing more goes there" : "for now; the next one is tried"
            ),
            EventKinds.Complained => ("Told their mail provider that a letter was unwanted", null),
            EventKinds.Archived => (Data("into").Length > 0 ? "Merged into another person" : "Archived", null),
            EventKinds.Merged => ($"{Data("name")} was found to be the same person", null),
            EventKinds.Overruled => ("A message was let go without consent", Data("reason")),
            EventKinds.RunPaused => ($"{Program()} was paused for them", Until()),
            EventKinds.RunResumed => ($"{Program()} goes on for them", e.By is null ? "its pause ended" : null),
            EventKinds.Occasion => ($"{Data("name")}: {Data("date")}", null),
            EventKinds.StageAge => ($"Has stood in {Why.StageName(Data("stage"))} for a while", null),
            EventKinds.Unanswered => ("Their inquiry has stood unanswered", null),
            EventKinds.AppointmentNear => ("An appointment comes near", null),
            EventKinds.OptedIn => ($"Said yes to {ChannelName(Data("channel"))}", Data("source")),
            EventKinds.OptedOut => ($"Said no to {ChannelName(Data("channel"))}", Data("source")),
            EventKinds.Remark or EventKinds.Circle => (Data("text"), null),
            EventKinds.DoNotContact when Data("reason") == "died" => ("Died", null),
            EventKinds.DoNotContact => ("Marked “do not contact”", Until() is { } date ? $"{Data("reason")}; {date}" : Data("reason")),
            EventKinds.MayContact => ("May be contacted again", e.By is null ? "the date came" : null),
            EventKinds.TouchMarked => ("A message or call was dropped", null),
            EventKinds.TouchMoved when Data("to").Length == 0 => ("A message or call stands on its own day again", null),
            EventKinds.TouchMoved => ("A message or call was moved", $"to {Phrases.Day(LocalDatePattern.Iso.Parse(Data("to")).Value)}"),
            EventKinds.Imported => ($"Brought in from {Data("file")}, row {Data("line")}", null),
            EventKinds.Added => ("Added by hand", null),
            EventKinds.RunStopped or EventKinds.ProgramStopped => ("A program was stopped by hand", null),
            EventKinds.MovedToVersion => ("Moved to a newer version of a program", null),
            EventKinds.TaskReopened => ("A task was put back on the day sheet", null),
            EventKinds.StartTakenBack => ("The start of a program was taken back", null),
            EventKinds.Undone => (Undone(Data("act"), Data("what")), null),
            _ => (e.Kind, (string?)null),
        };
        return new ThreadLine(
            $"e{e.Id}",
            e.At.Iso(),
            e.Kind,
            title,
            detail,
            null,
            null,
            null,
            e.By,
            Data("quoted") is { Length: > 0 } quoted ? quoted : null,
            undoable ? e.ActId : null,
            Guid.TryParse(Data("merge"), out var merge) && merges.Contains(merge) ? merge : null
        );
    }

    private static string Undone(string act, string what) =>
        Enum.TryParse<ActKind>(act, ignoreCase: true, out var kind)
            ? kind switch
            {
                ActKind.Tag => $"Taken back: the tag “{what}” is off again",
                ActKind.Untag => $"Taken back: the tag “{what}” is on again",
                ActKind.Stage => $"Taken back: no longer moved to {Why.StageName(what)}",
                ActKind.Join => $"Taken back: off the list “{what}” again",
                ActKind.Leave => $"Taken back: on the list “{what}” again",
                ActKind.Owner => "Taken back: looked after by whom they were with before",
                _ => "Taken back",
            }
            : what.Length > 0 ? $"Taken back: {what}" : "Taken back";

    private static string Moment(string instant, DateTimeZone zone) =>
        NodaTime.Text.InstantPattern.ExtendedIso.Parse(instant).TryGetValue(default, out var at) ? Phrases.Moment(at, zone) : "";

    public static ThreadLine Started(RunRow r, Dictionary<Guid, string> names, DateTimeZone zone, Guid? act) =>
        new(
            $"s{r.Id:N}",
            r.StartedAt.Iso(),
            "started",
            $"“{names.GetValueOrDefault(r.ProgramId)}” started",
            Why.Started(r.Cause, names.GetValueOrDefault(r.ProgramId, ""), r.StartedAt, zone).Text,
            null,
            null,
            names.GetValueOrDefault(r.ProgramId),
            r.Cause.Kind == CauseKind.Hand ? r.Cause.Detail : null,
            null,
            r.EndedAt is null ? act : null
        );

    public static ThreadLine Ended(RunRow r, Dictionary<Guid, string> names) =>
        new(
            $"f{r.Id:N}",
            r.EndedAt!.Value.Iso(),
            "ended",
            $"“{names.GetValueOrDefault(r.ProgramId)}” {(r.StopReason is null ? "finished" : $"stopped: {Why.Reason(r.StopReason)}")}",
            null,
            null,
            null,
            names.GetValueOrDefault(r.ProgramId),
            null
        );

    public static ThreadLine Refused(RefusalRow r, Dictionary<Guid, string> names) =>
        new(
            $"r{r.Id}",
            r.At.Iso(),
            "refused",
            $"“{names.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}",
            null,
            null,
            null,
            names.GetValueOrDefault(r.ProgramId),
            null
        );

    public static ThreadLine Coming(RehearsedTouch t, PersonFacts person, Practice practice, PersonState state, LiquidLetters liquid)
    {
        var at = t.SettledAt ?? t.Due;
        var to = Readers.Find(practice, person, t.Step, t.Reader);
        var title = FirstLine(liquid.FillText(TitleOf(person.Worded(t.TouchId, t.Step)), to ?? person, practice, practice.SenderFor(person, t.Step), at, []));
        var mark = state.Marks.TryGetValue(t.TouchId, out var m) ? m : (TouchMark?)null;
        var status =
            mark == TouchMark.Held
                ? "held"
                : t.Outcome switch
                {
                    Outcome.Skipped or Outcome.Cancelled => $"will not go: {Why.Reason(t.Reason)}",
                    Outcome.Blocked when t.SettledAt is null => "needs mending",
                    Outcome.Blocked => $"cannot go: {Why.Reason(t.Reason)}",
                    _ when t.IsPaused => "will not go while it is paused",
                    _ => t.StandsStill ? "will not go while commercial mail stands still" : null,
                };
        var beside = t.Step.To is not null && to is { } who ? $"to {who.Reader.Name}" : null;
        return new ThreadLine($"c{t.TouchId:N}", at.Iso(), t.Step.Kind, title, null, status, t.TouchId, t.Program.Definition.Name, null, Beside: beside);
    }

    /// <summary>What somebody saw of a film.</summary>
    public static ThreadLine Watched(FilmViewRow view, FilmRow film) =>
        new($"f{view.Id}", view.At.Iso(), "film", $"Watched “{film.Name}”", $"{Stretches.Words(view.Seen)}, of {Stretches.Clock(FilmShelf.SecondsOf(film))}", null, null, null, null);

    /// <summary>A meeting that is to come.</summary>
    public static ThreadLine Meeting(AppointmentRow a) =>
        new($"a{a.Id:N}", a.At.Iso(), "appointment", $"Appointment “{a.Type}”", a.Place, null, null, null, null);

    /// <summary>A step without a filled letter: its words as written.</summary>
    public static string TitleOf(Step step) =>
        step switch
        {
            EmailStep e => e.Subject,
            CallStep c => $"Call: {c.Script}",
            TextStep t => t.Body,
            NoteStep n => $"Note: {n.Body}",
            DoStep d => d.Title,
            PostStep p => $"Post: {p.Body}",
            TellMeStep m => $"To the owner: {m.Body}",
            HandOverStep h => $"Goes on with “{h.Program}”",
            EndStep => "The program ends",
            _ => step.Kind,
        };

    private static string FirstLine(string text) => text.Split('\n')[0] is { Length: > 90 } line ? line[..87] + "…" : text.Split('\n')[0];

    private static string Short(string text)
    {
        var flat = string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return flat.Length <= 180 ? flat : flat[..177] + "…";
    }

    private static string ChannelName(string channel) => ContactWords.ChannelOf(channel) is { } known ? ContactWords.Many(known) : channel;
}
