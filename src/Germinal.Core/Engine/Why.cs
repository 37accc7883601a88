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
            CauseKind.Tag => Say($"The tag “{cause.Detail}” was put on {when}, which starts “{program}”."),
            CauseKind.Stage => Say($"They reached the stage {StageName(cause.Detail)} on {when}, which starts “{program}”."),
            CauseKind.List => Say($"They joined the list “{cause.Detail}” on {when}, which starts “{program}”."),
            CauseKind.StageAge => Say($"They had stood in the stage {StageName(cause.Detail)} long enough on {when}, which starts “{program}”."),
            CauseKind.Inquiry => Say($"They inquired on {when}, which starts “{program}”."),
            CauseKind.Unanswered => Say($"Their inquiry had not been answered by {when}, which starts “{program}”."),
            CauseKind.Won => Say($"An opportunity was won on {when}, which starts “{program}”."),
            CauseKind.Lost => Say($"An opportunity was lost on {when}, which starts “{program}”."),
            CauseKind.Appointment => Say($"Their appointment started “{program}” on {when}."),
            CauseKind.Link => Say($"They followed a link on {when}, which starts “{program}”."),
            CauseKind.Keyword => Say($"They sent the word “{cause.Detail}” on {when}, which starts “{program}”."),
            CauseKind.Finished => Say($"They finished “{cause.Detail}” on {when}, which starts “{program}”."),
            CauseKind.Added => Say($"They came into the contact database on {when}, which starts “{program}”."),
            CauseKind.Segment when cause.Detail.Length > 0 => Say($"They began to be in the segment “{cause.Detail}” on {when}, which starts “{program}”."),
            CauseKind.Segment => Say($"They began to be among those “{program}” waits for on {when}, which starts it."),
            CauseKind.Occasion => Say($"Their {DateName(cause.Detail)} started “{program}” on {when}."),
            CauseKind.SwitchedOn => Say($"They qualified when “{program}” was switched on, {when}."),
            CauseKind.HandOver => Say($"“{cause.Detail}” handed over to “{program}” on {when}."),
            CauseKind.Loop => Say($"“{program}” began anew on {when}."),
            CauseKind.Broadcast => Say($"{cause.Detail} sent “{program}” to many at once, and they were among them when it began on {when}."),
            CauseKind.Hand => Say($"{cause.Detail} started “{program}” by hand on {when}."),
            _ => throw new ArgumentOutOfRangeException(nameof(cause)),
        };
        return new WhySentence("told", text);
    }

    /// <summary>How the due moment came about.</summary>
    public static WhySentence Planned(PlanReason plan, Instant firstDue, DateTimeZone zone)
    {
        var offset = Distance.TryParse(plan.Offset);
        var distance = offset is null ? plan.Offset : Phrases.Span(offset);
        var side = offset is not null && Phrases.IsBack(offset) ? Said("before") : Said("after");
        var due = Phrases.Moment(firstDue, zone);
        var since = Phrases.MomentOf(plan.Base, zone);
        var day = DayOf(plan.Base, zone);
        var text = plan.Place switch
        {
            "start" when offset is { IsZero: true } => Say($"It is due at once when the program starts: {due}."),
            "start" => Say($"It falls {distance} {side} the start on {since}: {due}."),
            "previous" when offset is { IsZero: true } => Say($"It follows the step before at once: {due}."),
            "previous" => Say($"It falls {distance} {side} the step before, which settled on {since}: {due}."),
            "occasion" when offset is { IsZero: true } => Say($"It falls on the occasion itself, {day}: {due}."),
            "occasion" => Say($"It falls {distance} {side} the occasion on {day}: {due}."),
            "key-date" => Say($"It is placed by their {plan.Base.Split(' ')[0]}: {due}."),
            "on" or "yearly" => Say($"It is placed on the date {plan.Offset}: {due}."),
            _ => Say($"It was due {due}."),
        };
        return new WhySentence("told", plan.MovedByWindow ? text[..^1] + ", the next time the program may act." : text);
    }

    /// <summary>What one check found.</summary>
    public static WhySentence Of(Check check, string person, DateTimeZone zone)
    {
        string Found(int i) => i < check.Found.Length ? check.Found[i] : "";
        var text = (check.Kind, check.Passed) switch
        {
            (CheckKind.RunGoing, true) => Said("The program was still going for them."),
            (CheckKind.RunGoing, false) => Said("The program had stopped for them."),
            (CheckKind.PersonReachable, true) => Say($"{person} may be contacted."),
            (CheckKind.PersonReachable, false) => Found(0) switch
            {
                "died" => Say($"{person} has died."),
                "archived" => Say($"{person} is archived."),
                _ => Say($"{person} is marked “do not contact”."),
            },
            (CheckKind.OnlyIf, true) => Found(0) == "none" ? Said("The step is for everybody on the program.") : Said("They match what the step asks for."),
            (CheckKind.OnlyIf, false) => Said("They do not match what the step asks for."),
            (CheckKind.HasReader, true) => Found(1).Length > 0 ? Say($"It goes to {Found(0)}, their {Found(1)}.") : Say($"It goes to {Found(0)}, who looks after them."),
            (CheckKind.HasReader, false) when Found(0).Length == 0 => Found(1).Length > 0
                ? Say($"It goes to their {Found(1)}, and they have none.")
                : Said("It goes to whoever looks after them, and nobody does."),
            (CheckKind.HasReader, false) => Found(2) switch
            {
                "died" => Say($"It goes to {Found(0)}, their {Found(1)}, who has died."),
                "archived" => Say($"It goes to {Found(0)}, their {Found(1)}, who is archived."),
                _ => Say($"It goes to {Found(0)}, their {Found(1)}, who is marked “do not contact”."),
            },
            (CheckKind.HasAddress, true) => Say($"{AddressWord(Found(1))} is {Found(0)}."),
            (CheckKind.HasAddress, false) => Found(0).Length == 0
                ? Say($"There is no {AddressWord(Found(1)).ToLowerInvariant()[4..]} on their page.")
                : Say($"“{Found(0)}” is not a well-formed {AddressWord(Found(1)).ToLowerInvariant()[4..]}."),
            (CheckKind.NotSuppressed, true) => Found(0).Contains('@', StringComparison.Ordinal) ? Said("Nothing sent there has come back.")
            : Found(0).Any(char.IsLetter) ? Said("Nothing posted there has come back.")
            : Said("Nothing says that the number is wrong."),
            (CheckKind.NotSuppressed, false) => Say($"Mail to {Found(0)} came back before, so nothing is sent there."),
            (CheckKind.Consent, _) => Consent(check, zone),
            (CheckKind.OnePerHousehold, true) => Said("It goes once to a household, and nobody they live with had it that day."),
            (CheckKind.OnePerHousehold, false) => Said("It goes once to a household, and somebody they live with had it that day."),
            (CheckKind.InTime, true) => Found(0).Length == 0
                ? Said("It may come however late.")
                : Say($"It came in time: it had until {Phrases.MomentOf(Found(1), zone)}."),
            (CheckKind.InTime, false) => Say($"It came too late: it had until {Phrases.MomentOf(Found(1), zone)}."),
            (CheckKind.WindowOpen, true) => Say($"The program may act then; it was {Clock(Found(0))} on their clock."),
            (CheckKind.WindowOpen, false) => Say($"The program may not act then; it was {Clock(Found(0))} on their clock."),
            (CheckKind.CanBeFilled, true) => Said("Every merge field has a value."),
            (CheckKind.CanBeFilled, false) => Found(0) == "no-sender"
                ? Said("Nobody can sign it: they have no owner and the practice names nobody to stand in.")
                : Say($"It cannot be filled: {MergeFields.Say(check.Found.Skip(1))}."),
            (CheckKind.Pace, true) => Found(0).Length > 0 ? Say($"How much they had lately does not count for this one: {Found(0)}.") : Said("They have not had too much lately."),
            (CheckKind.Pace, false) =>
                Say($"They have had as much as the practice allows: {Found(0)} in {(Found(2) == "1" ? Said("a day") : Say($"{Found(2)} days"))}, at most {Found(1)}."),
            (CheckKind.DailyLimit, true) => Said("The day’s limit is not reached."),
            _ => Say($"The day’s limit of {Found(0)} is reached."),
        };
        return new WhySentence(check.Passed ? "passed" : "failed", text);
    }

    /// <summary>A reason of a skipped, blocked, cancelled or refused touch or start in a few words.</summary>
    public static string Reason(string? reason) => Reasons.Read(reason)?.Phrase() ?? reason ?? "";

    /// <summary>The name of a stage without its pipeline.</summary>
    public static string StageName(string stage) => stage[(stage.IndexOf('/', StringComparison.Ordinal) + 1)..];

    /// <summary>A key date by its name; that of the birthday is said in each language.</summary>
    private static string DateName(string date) => date == "birthday" ? Said("birthday") : date;

    private static string Consent(Check check, DateTimeZone zone)
    {
        string Found(int i) => i < check.Found.Length ? check.Found[i] : "";
        var verb = ContactWords.ChannelOf(Found(0)) is { } channel ? ContactWords.Reached(channel) : Said("reached");
        var source = Found(3).Length == 0 ? "" : $" ({Found(3)}{(Found(4).Length == 0 ? "" : ", " + Phrases.MomentOf(Found(4), zone))})";
        return Found(1) switch
        {
            "missing" when check.Passed => Say($"Nobody has recorded that they may be {verb}, but a member let this one go ({Found(5)})."),
            "allowed" when Found(2).Length == 0 => Say($"They may be {verb}: the practice needs no consent for this and they have not said no."),
            "allowed" => Found(2) switch
            {
                "inquiry" => Say($"They may be {verb}: they inquired{source}."),
                "client" => Say($"They may be {verb}: they are a client{source}."),
                _ => Say($"They may be {verb}: they said so{source}."),
            },
            "withdrawn" => Say($"They may not be {verb}: they said no{source}."),
            _ => Found(2).Length == 0
                ? Say($"They may not be {verb}: nobody has recorded that they said yes.")
                : Say($"They may not be {verb}: what they gave has run out{source}."),
        };
    }

    private static string AddressWord(string channel) =>
        channel switch
        {
            "email" => Said("The email address"),
            "text" => Said("The mobile number"),
            "call" => Said("The number"),
            _ => Said("The postal address"),
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
