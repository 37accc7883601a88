using System.Collections.Frozen;
using System.Text.Json;

namespace Germinal.Core.Engine;

/// <summary>
/// Why a touch did not go, waits, or was taken off; why a run stopped; why a start was refused. Closed: the engine gives no
/// other. Its word, as files and rows have it, and its sentence for people stand once, in <see cref="Reasons"/>.
/// </summary>
public enum Reason
{
    // Section 8 and 3: what a check found.
    NotFor,
    NobodyThere,
    NoAddress,
    Suppressed,
    NoConsent,
    OptedOut,
    Household,
    Late,
    CannotFill,
    NoSender,
    WindowNeverOpens,
    DatePassed,
    Missed,
    NoOccasion,
    NoKeyDate,

    // What a touch waits for.
    Window,
    Pace,
    DailyLimit,
    Answer,

    // Section 6: why a run stopped.
    Replied,
    FormSent,
    Inquired,
    StageEntered,
    StageLeft,
    OpportunityWon,
    OpportunityLost,
    TagAdded,
    ListLeft,
    LinkFollowed,
    CallEnded,
    AppointmentBooked,
    AppointmentCancelled,
    On,
    NothingLeftToSend,
    ByHand,
    TakenBack,
    Died,
    Archived,
    DoNotContact,
    Merged,

    // Section 5: why a start was refused.
    ProgramOff,
    AlreadyRunning,
    AlreadyBeen,
    TooSoon,
    HeldOut,
    TooLate,

    // What a member or a channel did to a touch.
    Dropped,
    StepRemoved,
    RefusedByServer,
    GivenUp,
}

/// <summary>The one table of reasons: the word of each and what it says to people.</summary>
public static class Reasons
{
    private static readonly FrozenDictionary<Reason, string> Phrases = new Dictionary<Reason, string>
    {
        [Reason.NotFor] = ToSay("they are not among those it is for"),
        [Reason.NobodyThere] = ToSay("nobody stands in that relation to them"),
        [Reason.NoAddress] = ToSay("no address"),
        [Reason.Suppressed] = ToSay("mail there came back"),
        [Reason.NoConsent] = ToSay("nobody said they may be written to"),
        [Reason.OptedOut] = ToSay("they said no"),
        [Reason.Household] = ToSay("somebody they live with has it"),
        [Reason.Late] = ToSay("it came too late"),
        [Reason.CannotFill] = ToSay("it cannot be filled"),
        [Reason.NoSender] = ToSay("nobody to sign it"),
        [Reason.WindowNeverOpens] = ToSay("the program’s hours never come"),
        [Reason.DatePassed] = ToSay("the date had passed"),
        [Reason.Missed] = ToSay("it stood on the day sheet too long"),
        [Reason.NoOccasion] = ToSay("no occasion started it"),
        [Reason.NoKeyDate] = ToSay("they have no such date"),
        [Reason.Window] = ToSay("the program may not act at that hour"),
        [Reason.Pace] = ToSay("they have had enough for the moment"),
        [Reason.DailyLimit] = ToSay("the day’s limit is reached"),
        [Reason.Answer] = ToSay("it waits for an answer"),
        [Reason.Replied] = ToSay("they answered"),
        [Reason.FormSent] = ToSay("they sent a form that stops it"),
        [Reason.Inquired] = ToSay("they inquired"),
        [Reason.StageEntered] = ToSay("they reached a stage that stops it"),
        [Reason.StageLeft] = ToSay("they left a stage, which stops it"),
        [Reason.OpportunityWon] = ToSay("an opportunity was won"),
        [Reason.OpportunityLost] = ToSay("an opportunity was lost"),
        [Reason.TagAdded] = ToSay("a tag was put on that stops it"),
        [Reason.ListLeft] = ToSay("they left a list, which stops it"),
        [Reason.LinkFollowed] = ToSay("they followed a link that stops it"),
        [Reason.CallEnded] = ToSay("a call ended in a way that stops it"),
        [Reason.AppointmentBooked] = ToSay("an appointment was made"),
        [Reason.AppointmentCancelled] = ToSay("the appointment was cancelled"),
        [Reason.On] = ToSay("its last date has come"),
        [Reason.NothingLeftToSend] = ToSay("nothing is left that may be sent"),
        [Reason.ByHand] = ToSay("a member stopped it"),
        [Reason.TakenBack] = ToSay("its start was taken back"),
        [Reason.Died] = ToSay("they have died"),
        [Reason.Archived] = ToSay("they are archived"),
        [Reason.DoNotContact] = ToSay("they are marked “do not contact”"),
        [Reason.Merged] = ToSay("it runs for the same person elsewhere"),
        [Reason.ProgramOff] = ToSay("the program is not on"),
        [Reason.AlreadyRunning] = ToSay("it is running for them already"),
        [Reason.AlreadyBeen] = ToSay("they have been through it"),
        [Reason.TooSoon] = ToSay("the gap since the last time has not passed"),
        [Reason.HeldOut] = ToSay("they are held out to compare with"),
        [Reason.TooLate] = ToSay("its day had passed when the work went on"),
        [Reason.Dropped] = ToSay("a member dropped it"),
        [Reason.StepRemoved] = ToSay("the step was taken out of the program"),
        [Reason.RefusedByServer] = ToSay("the mail server refused it"),
        [Reason.GivenUp] = ToSay("nobody mended it in time"),
    }.ToFrozenDictionary();

    private static readonly FrozenDictionary<Reason, string> Words = Enum.GetValues<Reason>()
        .ToFrozenDictionary(r => r, r => JsonNamingPolicy.KebabCaseLower.ConvertName(r.ToString()));

    private static readonly FrozenDictionary<string, Reason> ByWord = Words.ToFrozenDictionary(w => w.Value, w => w.Key, StringComparer.Ordinal);

    /// <summary>The word of a reason as files and rows have it: <c>no-consent</c>.</summary>
    public static string Word(this Reason reason) => Words[reason];

    /// <summary>What a reason says to people, to follow “because” or a colon.</summary>
    public static string Phrase(this Reason reason) => Said(Phrases[reason]);

    /// <summary>The reason of a word; null where the word is none, such as the outcome of a call.</summary>
    public static Reason? Read(string? word) => word is not null && ByWord.TryGetValue(word, out var reason) ? reason : null;
}
