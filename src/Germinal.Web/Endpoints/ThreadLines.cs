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
            TouchStatus.HandedOver => Said("handed over"),
            TouchStatus.GivenUp => Said("given up"),
            TouchStatus.Open => Said("on the day sheet"),
            TouchStatus.Skipped => Said("left out"),
            TouchStatus.Cancelled => Said("not sent any more"),
            TouchStatus.Blocked => Said("held up"),
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
            Beside: said.Beside,
            Trouble: t.Status is TouchStatus.GivenUp or TouchStatus.Blocked
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
        string Program() => Guid.TryParse(Data("program"), out var id) && names.TryGetValue(id, out var name) ? $"“{name}”" : Said("A program");
        string? Until() => LocalDatePattern.Iso.Parse(Data("until")) is { Success: true, Value: var date } ? Say($"until {Phrases.Day(date)}") : null;
        var (title, detail) = e.Kind switch
        {
            EventKinds.TagAdded => (Say($"The tag “{Data("tag")}” was put on"), null),
            EventKinds.TagRemoved => (Say($"The tag “{Data("tag")}” was taken off"), null),
            EventKinds.StageEntered when Data("stage").Length == 0 => (Say($"Left {Why.StageName(Data("left"))}"), null),
            EventKinds.StageEntered => (Say($"Reached {Why.StageName(Data("stage"))}"), null),
            EventKinds.Replied => (Say($"Answered by {Data("channel")}"), Data("text") is { Length: > 0 } said ? said : null),
            EventKinds.AutoReplied => (Said("Answered automatically"), Data("text") is { Length: > 0 } auto ? Short(auto) : null),
            EventKinds.ListJoined => (Say($"Put on the list “{Data("list")}”"), null),
            EventKinds.ListLeft => (Say($"Taken off the list “{Data("list")}”"), null),
            EventKinds.OwnerGiven => (Say($"{Data("name")} looks after them from now on"), null),
            EventKinds.FieldSet => (Say($"“{Data("field")}” became “{Data("value")}”"), null),
            EventKinds.InquiryReceived => (Say($"Asked by {Data("how")}{(Data("form").Length > 0 ? $", “{Data("form")}”" : "")}"), Data("text")),
            EventKinds.FormSent => (Say($"Sent “{Data("form")}”"), Data("text") is { Length: > 0 } answers ? answers : null),
            EventKinds.Wrote => ($"{Data("how") switch { "by-itself" => Said("Was answered by itself"), "own-program" => Said("Was written to from a mail program"), _ => Said("Was written to") }}: {Data("subject")}", Data("text")),
            EventKinds.InquiryAnswered => (Said("Their inquiry was answered"), null),
            EventKinds.OpportunityOpened => (Say($"Opportunity “{Data("title")}”"), $"in {Why.StageName(Data("stage"))}"),
            EventKinds.Won => (Say($"“{Data("title")}” was won"), null),
            EventKinds.Lost => (Say($"“{Data("title")}” was lost"), Data("reason") is { Length: > 0 } why ? why : null),
            EventKinds.AppointmentBooked => (Say($"Appointment “{Data("type")}” was made"), Moment(Data("moment"), zone)),
            EventKinds.AppointmentMoved => (Say($"Appointment “{Data("type")}” was moved"), Moment(Data("moment"), zone)),
            EventKinds.AppointmentMissed => (Data("missed") == "yes" ? Say($"Did not come: “{Data("type")}”") : Say($"Came after all: “{Data("type")}”"), null),
            EventKinds.AppointmentCancelled => (Say($"Appointment “{Data("type")}” was cancelled"), null),
            EventKinds.Opened => (Said("Opened a letter"), null),
            EventKinds.LinkFollowed => (Say($"Followed “{Data("link")}”"), null),
            EventKinds.TextedWord => (Say($"Texted “{Data("word")}”"), null),
            EventKinds.Bounced => (
                Say($"{(Data("channel") == "text" ? Said("A text") : Said("A letter"))} came back"),
                Data("hard") == "yes" ? Say($"{Data("address")} does not exist; nothing more goes there") : Said("for now; the next one is tried")
            ),
            EventKinds.Complained => (Said("Told their mail provider that a letter was unwanted"), null),
            EventKinds.Archived => (Data("into").Length > 0 ? Said("Merged into another person") : Said("Archived"), null),
            EventKinds.Merged => (Say($"{Data("name")} was found to be the same person"), null),
            EventKinds.Overruled => (Said("A message was let go without consent"), Data("reason")),
            EventKinds.RunPaused => (Say($"{Program()} was paused for them"), Until()),
            EventKinds.RunResumed => (Say($"{Program()} goes on for them"), e.By is null ? Said("its pause ended") : null),
            EventKinds.Occasion => ($"{Data("name")}: {Data("date")}", null),
            EventKinds.StageAge => (Say($"Has stood in {Why.StageName(Data("stage"))} for a while"), null),
            EventKinds.Unanswered => (Said("Their inquiry has stood unanswered"), null),
            EventKinds.AppointmentNear => (Said("An appointment comes near"), null),
            EventKinds.OptedIn => (Say($"Said yes to {ContactWords.Many(Data("channel"))}"), Data("source")),
            EventKinds.OptedOut => (Say($"Said no to {ContactWords.Many(Data("channel"))}"), Data("source")),
            EventKinds.Remark or EventKinds.Circle => (Data("text"), null),
            EventKinds.DoNotContact when Data("reason") == "died" => (Said("Died"), null),
            EventKinds.DoNotContact => (Said("Marked “do not contact”"), Until() is { } date ? $"{Data("reason")}; {date}" : Data("reason")),
            EventKinds.MayContact => (Said("May be contacted again"), e.By is null ? Said("the date came") : null),
            EventKinds.TouchMarked => (Said("A message or call was dropped"), null),
            EventKinds.TouchMoved when Data("to").Length == 0 => (Said("A message or call stands on its own day again"), null),
            EventKinds.TouchMoved => (Said("A message or call was moved"), $"to {Phrases.Day(LocalDatePattern.Iso.Parse(Data("to")).Value)}"),
            EventKinds.Imported => (Say($"Brought in from {Data("file")}, row {Data("line")}"), null),
            EventKinds.Added => (Said("Added by hand"), null),
            EventKinds.RunStopped or EventKinds.ProgramStopped => (Said("A program was stopped by hand"), null),
            EventKinds.MovedToVersion => (Said("Moved to a newer version of a program"), null),
            EventKinds.TaskReopened => (Said("A task was put back on the day sheet"), null),
            EventKinds.StartTakenBack => (Said("The start of a program was taken back"), null),
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
                ActKind.Tag => Say($"Taken back: the tag “{what}” is off again"),
                ActKind.Untag => Say($"Taken back: the tag “{what}” is on again"),
                ActKind.Stage => Say($"Taken back: no longer moved to {Why.StageName(what)}"),
                ActKind.Join => Say($"Taken back: off the list “{what}” again"),
                ActKind.Leave => Say($"Taken back: on the list “{what}” again"),
                ActKind.Owner => Said("Taken back: looked after by whom they were with before"),
                _ => Said("Taken back"),
            }
            : what.Length > 0 ? Say($"Taken back: {what}") : Said("Taken back");

    private static string Moment(string instant, DateTimeZone zone) =>
        NodaTime.Text.InstantPattern.ExtendedIso.Parse(instant).TryGetValue(default, out var at) ? Phrases.Moment(at, zone) : "";

    public static ThreadLine Started(RunRow r, Dictionary<Guid, string> names, DateTimeZone zone, Guid? act) =>
        new(
            $"s{r.Id:N}",
            r.StartedAt.Iso(),
            "started",
            Say($"“{names.GetValueOrDefault(r.ProgramId)}” started"),
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
            r.StopReason is null ? Say($"“{names.GetValueOrDefault(r.ProgramId)}” finished") : Say($"“{names.GetValueOrDefault(r.ProgramId)}” stopped: {Why.Reason(r.StopReason)}"),
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
            Say($"“{names.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}"),
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
                ? Said("held")
                : t.Outcome switch
                {
                    Outcome.Skipped or Outcome.Cancelled => Say($"will not go: {Why.Reason(t.Reason)}"),
                    Outcome.Blocked when t.SettledAt is null => Said("needs mending"),
                    Outcome.Blocked => Say($"cannot go: {Why.Reason(t.Reason)}"),
                    _ when t.IsPaused => Said("will not go while it is paused"),
                    _ => t.StandsStill ? Said("will not go while commercial mail stands still") : null,
                };
        var beside = t.Step.To is not null && to is { } who ? Say($"to {who.Reader.Name}") : null;
        var willNot = mark != TouchMark.Held && (t.Outcome is Outcome.Skipped or Outcome.Cancelled || (t.Outcome is Outcome.Blocked ? t.SettledAt is not null : t.IsPaused || t.StandsStill));
        return new ThreadLine($"c{t.TouchId:N}", at.Iso(), t.Step.Kind, title, null, status, t.TouchId, t.Program.Definition.Name, null, Beside: beside, Trouble: status is not null, WillNot: willNot);
    }

    /// <summary>What somebody saw of a film.</summary>
    public static ThreadLine Watched(FilmViewRow view, FilmRow film) =>
        new($"f{view.Id}", view.At.Iso(), "film", Say($"Watched “{film.Name}”"), Say($"{Stretches.Words(view.Seen)}, of {Stretches.Clock(FilmShelf.SecondsOf(film))}"), null, null, null, null);

    /// <summary>A meeting that is to come.</summary>
    public static ThreadLine Meeting(AppointmentRow a) =>
        new($"a{a.Id:N}", a.At.Iso(), "appointment", Say($"Appointment “{a.Type}”"), a.Place, null, null, null, null);

    /// <summary>A step without a filled letter: its words as written.</summary>
    public static string TitleOf(Step step) =>
        step switch
        {
            EmailStep e => e.Subject,
            CallStep c => Say($"Call: {c.Script}"),
            TextStep t => t.Body,
            NoteStep n => Say($"Note: {n.Body}"),
            DoStep d => d.Title,
            PostStep p => Say($"Post: {p.Body}"),
            TellMeStep m => Say($"To the owner: {m.Body}"),
            HandOverStep h => Say($"Goes on with “{h.Program}”"),
            EndStep => Said("The program ends"),
            _ => step.Kind,
        };

    private static string FirstLine(string text) => text.Split('\n')[0] is { Length: > 90 } line ? line[..87] + "…" : text.Split('\n')[0];

    private static string Short(string text)
    {
        var flat = string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return flat.Length <= 180 ? flat : flat[..177] + "…";
    }
}
