using System.Text.Json.Nodes;

namespace Germinal.Service.House;

/// <summary>What a part of the settings is to those who change it.</summary>
public enum SettingsPartKind
{
    /// <summary>A setting: a change of it is told and can be taken back.</summary>
    Setting,

    /// <summary>Told, but not taken back from here: it holds what is sealed, or what the application itself writes into it.</summary>
    Apart,

    /// <summary>No setting at all: where something stands, which the application notes for itself.</summary>
    Standing,
}

/// <summary>A part of a practice's settings, as it is stored and as people call it.</summary>
/// <param name="Key">The name under which it is stored; <c>name</c> and <c>zoneId</c> stand beside the settings.</param>
/// <param name="Title">What it is called in the journal and among the last changes.</param>
/// <param name="Page">The page it stands on, a word of its address.</param>
/// <param name="Kind">What it is.</param>
public sealed record SettingsPart(string Key, string Title, string Page, SettingsPartKind Kind = SettingsPartKind.Setting)
{
    /// <summary>Every part there is; a test holds them against what is stored.</summary>
    public static IReadOnlyList<SettingsPart> All { get; } =
    [
        new("name", "name of the practice", "who"),
        new("zoneId", "time zone", "who"),
        new("postalAddress", "postal address", "who"),
        new("ownAddress", "the practice’s own email address", "who"),
        new("fallbackSender", "who signs where nobody does", "who"),
        new("dateOrder", "how dates are read", "who"),
        new("phoneRegion", "country of telephone numbers", "who"),
        new("workingDays", "working days", "days"),
        new("holidaysOf", "public holidays", "days"),
        new("holidays", "further public holidays", "days"),
        new("closed", "closing days", "days"),
        new("leapDay", "birthdays on 29 February", "days"),
        new("quietFrom", "when texts and calls begin", "pace"),
        new("quietTo", "when texts and calls end", "pace"),
        new("pace", "how often one person may be written to", "pace"),
        new("dailyLimits", "daily limits", "pace"),
        new("openChannels", "channels that need no yes", "consent"),
        new("strictForTransactional", "a yes for transactional messages", "consent"),
        new("inquiryMonths", "how long an inquiry carries a yes", "consent"),
        new("clientMonths", "how long being a client carries a yes", "consent"),
        new("policies", "policies of consent", "consent"),
        new("topics", "topics", "words"),
        new("appointmentTypes", "kinds of appointments", "words"),
        new("relations", "what people can be to each other", "words"),
        new("keyDates", "dates to keep of people", "fields"),
        new("ownFields", "fields of your own", "fields"),
        new("voice", "how letters speak", "looks"),
        new("seeOpens", "whether openings are seen", "looks"),
        new("linkParameters", "what is added to links", "looks"),
        new("colour", "colour of pages and letters", "looks"),
        new("groundColour", "colour behind the head of pages", "looks"),
        new("pictureId", "picture above pages", "looks"),
        new("textNumber", "number that texts come from", "mail"),
        new("mailOut", "mail server", "mail", SettingsPartKind.Apart),
        new("mailIn", "mailbox", "mail", SettingsPartKind.Apart),
        new("prices", "what messages cost", "prices"),
        new("keepEventsMonths", "how long events are kept", "keeping"),
        new("keepJournalMonths", "how long the journal is kept", "keeping"),
        new("programsApproved", "whether a principal says yes to programs", "programs"),
        new("pipelines", "pipelines and stages", "stages"),
        new("lostReasons", "reasons of lost opportunities", "stages"),
        new("callOutcomes", "how calls end", "calls"),
        new("taskSets", "sets of tasks", "tasks"),
        new("reached", "when the practice is reached", "inquiries"),
        new("inquiryLateDays", "when an inquiry is late", "inquiries"),
        new("inquiryVeryLateDays", "when an inquiry is very late", "inquiries"),
        new("deputyAfterHours", "when an inquiry goes to the deputy", "inquiries"),
        new("inquiryRules", "who gets inquiries", "inquiries"),
        new("inquiryAddress", "address of inquiries", "inquiries"),
        new("inquiryWord", "word of inquiries", "inquiries"),
        new("twoFactorsAsked", "whether everybody needs a second factor", "members"),
        new("brake", "when commercial mail stops", "sending", SettingsPartKind.Apart),
        new("signingKeys", "keys that mail is signed with", "sending", SettingsPartKind.Apart),
        new("postGateway", "gateway of posts", "posts", SettingsPartKind.Apart),
        new("begins", "beginning", "", SettingsPartKind.Standing),
        new("beginningPutOff", "beginning", "", SettingsPartKind.Standing),
        new("mailWorked", "mail", "", SettingsPartKind.Standing),
    ];

    /// <summary>The parts that a change of settings holds, in the order of <see cref="All"/>; the database keeps names in an order of its own.</summary>
    public static IReadOnlyList<SettingsPart> In(JsonObject change) => [.. All.Where(p => change.ContainsKey(p.Key))];
}
