using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>One sentence of a why, and whether it speaks for the touch, against it, or just tells.</summary>
/// <param name="Tone">passed, failed, or told.</param>
/// <param name="Text">A full sentence.</param>
public sealed record WhySentence(string Tone, string Text);

/// <summary>Turns recorded reasons into sentences a practitioner reads. Nothing is decided here.</summary>
public static class Why
{
    /// <summary>Why a run began.</summary>
    public static WhySentence Started(StartCause cause, string program, Instant at, DateTimeZone zone)
    {
        var when = Phrases.Moment(at, zone);
        var text = cause.Kind switch
        {
            CauseKind.Tag => $"The tag “{cause.Detail}” was put on {when}, which starts “{program}”.",
            CauseKind.Stage => $"They reached the stage {StageName(cause.Detail)} on {when}, which starts “{program}”.",
            CauseKind.List => $"They joined the list “{cause.Detail}” on {when}, which starts “{program}”.",
            CauseKind.StageAge => $"They had stood in the stage {StageName(cause.Detail)} long enough on {when}, which starts “{program}”.",
            CauseKind.Inquiry => $"They inquired on {when}, which starts “{program}”.",
            CauseKind.Unanswered => $"Their inquiry had not been answered by {when}, which starts “{program}”.",
            CauseKind.Won => $"An opportunity was won on {when}, which starts “{program}”.",
            CauseKind.Lost => $"An opportunity was lost on {when}, which starts “{program}”.",
            CauseKind.Appointment => $"Their appointment started “{program}” on {when}.",
            CauseKind.Link => $"They followed a link on {when}, which starts “{program}”.",
            CauseKind.Keyword => $"They sent the word “{cause.Detail}” on {when}, which starts “{program}”.",
            CauseKind.Finished => $"They finished “{cause.Detail}” on {when}, which starts “{program}”.",
            CauseKind.Added => $"They came into the contact database on {when}, which starts “{program}”.",
            CauseKind.Segment when cause.Detail.Length > 0 => $"They began to be in the segment “{cause.Detail}” on {when}, which starts “{program}”.",
            CauseKind.Segment => $"They began to be among those “{program}” waits for on {when}, which starts it.",
            CauseKind.Occasion => $"Their {cause.Detail} started “{program}” on {when}.",
            CauseKind.SwitchedOn => $"They qualified when “{program}” was switched on, {when}.",
            CauseKind.HandOver => $"“{cause.Detail}” handed over to “{program}” on {when}.",
            CauseKind.Loop => $"“{program}” began anew on {when}.",
            CauseKind.Broadcast => $"{cause.Detail} sent “{program}” to many at once, and they were among them when it began on {when}.",
            CauseKind.Hand => $"{cause.Detail} started “{program}” by hand on {when}.",
            _ => throw new ArgumentOutOfRangeException(nameof(cause)),
        };
        return new WhySentence("told", text);
    }

    /// <summary>How the due moment came about.</summary>
    public static WhySentence Planned(PlanReason plan, Instant firstDue, DateTimeZone zone)
    {
        var offset = Distance.TryParse(plan.Offset);
        var distance = offset is null ? plan.Offset : Phrases.Span(offset);
        var side = offset is not null && Phrases.IsBack(offset) ? "before" : "after";
        var due = Phrases.Moment(firstDue, zone);
        var since = Phrases.MomentOf(plan.Base, zone);
        var day = DayOf(plan.Base, zone);
        var text = plan.Place switch
        {
            "start" when offset is { IsZero: true } => $"It is due at once when the program starts: {due}.",
            "start" => $"It falls {distance} {side} the start on {since}: {due}.",
            "previous" when offset is { IsZero: true } => $"It follows the step before at once: {due}.",
            "previous" => $"It falls {distance} {side} the step before, which settled on {since}: {due}.",
            "occasion" when offset is { IsZero: true } => $"It falls on the occasion itself, {day}: {due}.",
            "occasion" => $"It falls {distance} {side} the occasion on {day}: {due}.",
            "key-date" => $"It is placed by their {plan.Base.Split(' ')[0]}: {due}.",
            "on" or "yearly" => $"It is placed on the date {plan.Offset}: {due}.",
            _ => $"It was due {due}.",
        };
        return new WhySentence("told", plan.MovedByWindow ? text[..^1] + ", the next time the program may act." : text);
    }

    /// <summary>What one check found.</summary>
    public static WhySentence Of(Check check, string person, DateTimeZone zone)
    {
        string Found(int i) => i < check.Found.Length ? check.Found[i] : "";
        var text = (check.Kind, check.Passed) switch
        {
            (CheckKind.RunGoing, true) => "The program was still going for them.",
            (CheckKind.RunGoing, false) => "The program had stopped for them.",
            (CheckKind.PersonReachable, true) => $"{person} may be contacted.",
            (CheckKind.PersonReachable, false) => Found(0) switch
            {
                "died" => $"{person} has died.",
                "archived" => $"{person} is archived.",
                _ => $"{person} is marked “do not contact”.",
            },
            (CheckKind.OnlyIf, true) => Found(0) == "none" ? "The step is for everybody on the program." : "They match what the step asks for.",
            (CheckKind.OnlyIf, false) => "They do not match what the step asks for.",
            (CheckKind.HasReader, true) => Found(1).Length > 0 ? $"It goes to {Found(0)}, their {Found(1)}." : $"It goes to {Found(0)}, who looks after them.",
            (CheckKind.HasReader, false) when Found(0).Length == 0 => Found(1).Length > 0
                ? $"It goes to their {Found(1)}, and they have none."
                : "It goes to whoever looks after them, and nobody does.",
            (CheckKind.HasReader, false) => Found(2) switch
            {
                "died" => $"It goes to {Found(0)}, their {Found(1)}, who has died.",
                "archived" => $"It goes to {Found(0)}, their {Found(1)}, who is archived.",
                _ => $"It goes to {Found(0)}, their {Found(1)}, who is marked “do not contact”.",
            },
            (CheckKind.HasAddress, true) => $"{AddressWord(Found(1))} is {Found(0)}.",
            (CheckKind.HasAddress, false) => Found(0).Length == 0
                ? $"There is no {AddressWord(Found(1)).ToLowerInvariant()[4..]} on their page."
                : $"“{Found(0)}” is not a well-formed {AddressWord(Found(1)).ToLowerInvariant()[4..]}.",
            (CheckKind.NotSuppressed, true) => Found(0).Contains('@', StringComparison.Ordinal) ? "Nothing sent there has come back."
            : Found(0).Any(char.IsLetter) ? "Nothing posted there has come back."
            : "Nothing says that the number is wrong.",
            (CheckKind.NotSuppressed, false) => $"Mail to {Found(0)} came back before, so nothing is sent there.",
            (CheckKind.Consent, _) => Consent(check, zone),
            (CheckKind.OnePerHousehold, true) => "It goes once to a household, and nobody they live with had it that day.",
            (CheckKind.OnePerHousehold, false) => "It goes once to a household, and somebody they live with had it that day.",
            (CheckKind.InTime, true) => Found(0).Length == 0
                ? "It may come however late."
                : $"It came in time: it had until {Phrases.MomentOf(Found(1), zone)}.",
            (CheckKind.InTime, false) => $"It came too late: it had until {Phrases.MomentOf(Found(1), zone)}.",
            (CheckKind.WindowOpen, true) => $"The program may act then; it was {Clock(Found(0))} on their clock.",
            (CheckKind.WindowOpen, false) => $"The program may not act then; it was {Clock(Found(0))} on their clock.",
            (CheckKind.CanBeFilled, true) => "Every merge field has a value.",
            (CheckKind.CanBeFilled, false) => Found(0) == "no-sender"
                ? "Nobody can sign it: they have no owner and the practice names nobody to stand in."
                : $"It cannot be filled: {MergeFields.Say(check.Found.Skip(1))}.",
            (CheckKind.Pace, true) => Found(0).Length > 0 ? $"How much they had lately does not count for this one: {Found(0)}." : "They have not had too much lately.",
            (CheckKind.Pace, false) =>
                $"They have had as much as the practice allows: {Found(0)} in {(Found(2) == "1" ? "a day" : $"{Found(2)} days")}, at most {Found(1)}.",
            (CheckKind.DailyLimit, true) => "The day’s limit is not reached.",
            _ => $"The day’s limit of {Found(0)} is reached.",
        };
        return new WhySentence(check.Passed ? "passed" : "failed", text);
    }

    /// <summary>A reason of a skipped, blocked, cancelled or refused touch or start in a few words.</summary>
    public static string Reason(string? reason) => Reasons.Read(reason)?.Phrase() ?? reason ?? "";

    /// <summary>The name of a stage without its pipeline.</summary>
    public static string StageName(string stage) => stage[(stage.IndexOf('/', StringComparison.Ordinal) + 1)..];

    private static string Consent(Check check, DateTimeZone zone)
    {
        string Found(int i) => i < check.Found.Length ? check.Found[i] : "";
        var verb = ContactWords.ChannelOf(Found(0)) is { } channel ? ContactWords.Reached(channel) : "reached";
        var source = Found(3).Length == 0 ? "" : $" ({Found(3)}{(Found(4).Length == 0 ? "" : ", " + Phrases.MomentOf(Found(4), zone))})";
        return Found(1) switch
        {
            "missing" when check.Passed => $"Nobody has recorded that they may be {verb}, but a member let this one go ({Found(5)}).",
            "allowed" when Found(2).Length == 0 => $"They may be {verb}: the practice needs no consent for this and they have not said no.",
            "allowed" => Found(2) switch
            {
                "inquiry" => $"They may be {verb}: they inquired{source}.",
                "client" => $"They may be {verb}: they are a client{source}.",
                _ => $"They may be {verb}: they said so{source}.",
            },
            "withdrawn" => $"They may not be {verb}: they said no{source}.",
            _ => Found(2).Length == 0
                ? $"They may not be {verb}: nobody has recorded that they said yes."
                : $"They may not be {verb}: what they gave has run out{source}.",
        };
    }

    private static string AddressWord(string channel) =>
        channel switch
        {
            "email" => "The email address",
            "text" => "The mobile number",
            "call" => "The number",
            _ => "The postal address",
        };

    private static string Clock(string time)
    {
        var parsed = LocalTimePattern.ExtendedIso.Parse(time);
        return parsed.Success ? Phrases.Time(parsed.Value) : time;
    }

    /// <summary>The date of an occasion; an appointment's moment in the reader's zone.</summary>
    private static string DayOf(string occasion, DateTimeZone zone)
    {
        var parsed = LocalDatePattern.Iso.Parse(occasion);
        return parsed.Success ? Phrases.Day(parsed.Value) : Phrases.MomentOf(occasion, zone);
    }
}
