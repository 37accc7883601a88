using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>What is said of a touch, an event, a run or a refusal on one line of a thread.</summary>
internal static class ThreadLines
{
    public static ThreadLine Of(TouchRow t, MessageRow? message, ProgramShelf shelf, Dictionary<Guid, string> names, Func<string, string> fill)
    {
        var step = shelf.Find(t.ProgramId, t.Version).Definition.Steps.First(s => s.Id == t.StepId);
        var title = message?.Subject ?? fill(TitleOf(step));
        var detail = message is not null ? Short(message.Text) : t.CallOutcome is { } outcome ? $"{outcome}{(t.Remark is null ? "" : $": {t.Remark}")}" : null;
        var reason = Why.Reason(t.Reason);
        var status = t.Status switch
        {
            "handed-over" => "handed over",
            "given-up" => "given up",
            "open" => "on the day sheet",
            _ => t.Status,
        };
        return new ThreadLine($"t{t.Id:N}", t.SettledAt!.Value.ToString(), t.Kind, title, detail, reason.Length > 0 ? $"{status}: {reason}" : status, t.Id, names.GetValueOrDefault(t.ProgramId), null);
    }

    public static ThreadLine Of(EventRow e)
    {
        string Data(string key) => e.Data.GetValueOrDefault(key, "");
        var (title, detail) = e.Kind switch
        {
            EventKinds.TagAdded => ($"The tag “{Data("tag")}” was put on", null),
            EventKinds.TagRemoved => ($"The tag “{Data("tag")}” was taken off", null),
            EventKinds.StageEntered => ($"Reached {Why.StageName(Data("stage"))}", null),
            EventKinds.Replied => ($"Answered by {Data("channel")}", Data("text") is { Length: > 0 } said ? said : null),
            EventKinds.OptedIn => ($"Said yes to {ChannelName(Data("channel"))}", Data("source")),
            EventKinds.OptedOut => ($"Said no to {ChannelName(Data("channel"))}", Data("source")),
            EventKinds.Remark => (Data("text"), null),
            EventKinds.DoNotContact => ("Marked “do not contact”", Data("reason")),
            EventKinds.MayContact => ("May be contacted again", null),
            EventKinds.Imported => ($"Brought in from {Data("file")}, row {Data("line")}", null),
            EventKinds.Added => ("Added by hand", null),
            EventKinds.RunStopped => ("A program was stopped by hand", null),
            _ => (e.Kind, (string?)null),
        };
        return new ThreadLine($"e{e.Id}", e.At.ToString(), e.Kind, title, detail, null, null, null, e.By);
    }

    public static ThreadLine Started(RunRow r, Dictionary<Guid, string> names, DateTimeZone zone) => new(
        $"s{r.Id:N}", r.StartedAt.ToString(), "started", $"“{names.GetValueOrDefault(r.ProgramId)}” started", Why.Started(r.Cause, names.GetValueOrDefault(r.ProgramId, ""), r.StartedAt, zone).Text, null, null, names.GetValueOrDefault(r.ProgramId), null);

    public static ThreadLine Ended(RunRow r, Dictionary<Guid, string> names) => new(
        $"f{r.Id:N}", r.EndedAt!.Value.ToString(), "ended", $"“{names.GetValueOrDefault(r.ProgramId)}” {(r.StopReason is null ? "finished" : $"stopped: {Why.Reason(r.StopReason)}")}", null, null, null, names.GetValueOrDefault(r.ProgramId), null);

    public static ThreadLine Refused(RefusalRow r, Dictionary<Guid, string> names) => new(
        $"r{r.Id}", r.At.ToString(), "refused", $"“{names.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}", null, null, null, names.GetValueOrDefault(r.ProgramId), null);

    public static ThreadLine Coming(RehearsedTouch t, PersonFacts person, Practice practice, PersonState state, LiquidLetters liquid)
    {
        var at = t.SettledAt ?? t.Due;
        var title = t.Step switch
        {
            EmailStep e => liquid.FillText(e.Subject, person, practice, practice.SenderFor(person), at, []),
            CallStep c => $"Call: {FirstLine(liquid.FillText(c.Script, person, practice, practice.SenderFor(person), at, []))}",
            _ => TitleOf(t.Step),
        };
        var mark = state.Marks.TryGetValue(t.TouchId, out var m) ? m : (TouchMark?)null;
        var status = mark == TouchMark.Held ? "held" : t.Outcome switch
        {
            Outcome.Skipped or Outcome.Cancelled => $"will not go: {Why.Reason(t.Reason)}",
            Outcome.Blocked => $"cannot go: {Why.Reason(t.Reason)}",
            null when t.Step is EmailStep && t.Reason is null && state.Runs.Any(r => r.Touch.Id == t.TouchId && r.Touch.Phase == TouchPhase.Blocked) => "needs mending",
            _ => null,
        };
        return new ThreadLine($"c{t.TouchId:N}", at.ToString(), t.Step.Kind, title, null, status, t.TouchId, t.Program.Definition.Name, null);
    }

    /// <summary>A step without a filled letter: its words as written.</summary>
    public static string TitleOf(Step step) => step switch
    {
        EmailStep e => e.Subject,
        CallStep c => $"Call: {FirstLine(c.Script)}",
        HandOverStep h => $"Goes on with “{h.Program}”",
        _ => step.Kind,
    };

    private static string FirstLine(string text) => text.Split('\n')[0] is { Length: > 90 } line ? line[..87] + "…" : text.Split('\n')[0];

    private static string Short(string text)
    {
        var flat = string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        return flat.Length <= 180 ? flat : flat[..177] + "…";
    }

    private static string ChannelName(string channel) => channel switch { "email" => "email", "text" => "texts", "call" => "calls", _ => "post" };
}
