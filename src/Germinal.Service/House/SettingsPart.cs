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
        new("name", ToSay("name of the practice"), "who"),
        new("zoneId", ToSay("time zone"), "who"),
        new("postalAddress", ToSay("postal address"), "who"),
        new("ownAddress", ToSay("the practice’s own email address"), "who"),
        new("fallbackSender", ToSay("who signs where nobody does"), "who"),
        new("tongue", ToSay("language"), "who"),
        new("dateOrder", ToSay("how dates are read"), "who"),
        new("phoneRegion", ToSay("country of telephone numbers"), "who"),
        new("workingDays", ToSay("working days"), "days"),
        new("holidaysOf", ToSay("public holidays"), "days"),
        new("holidays", ToSay("further public holidays"), "days"),
        new("closed", ToSay("closing days"), "days"),
        new("leapDay", ToSay("birthdays on 29 February"), "days"),
        new("quietFrom", ToSay("when texts and calls begin"), "pace"),
        new("quietTo", ToSay("when texts and calls end"), "pace"),
        new("pace", ToSay("how often one person may be written to"), "pace"),
        new("dailyLimits", ToSay("daily limits"), "pace"),
        new("openChannels", ToSay("channels that need no yes"), "consent"),
        new("strictForTransactional", ToSay("a yes for transactional messages"), "consent"),
        new("inquiryMonths", ToSay("how long an inquiry carries a yes"), "consent"),
        new("clientMonths", ToSay("how long being a client carries a yes"), "consent"),
        new("policies", ToSay("policies of consent"), "consent"),
        new("topics", "topics", "words"),
        new("appointmentTypes", ToSay("kinds of appointments"), "words"),
        new("relations", ToSay("what people can be to each other"), "words"),
        new("keyDates", ToSay("dates to keep of people"), "fields"),
        new("ownFields", ToSay("fields of your own"), "fields"),
        new("voice", ToSay("how letters speak"), "looks"),
        new("seeOpens", ToSay("whether openings are seen"), "looks"),
        new("linkParameters", ToSay("what is added to links"), "looks"),
        new("colour", ToSay("colour of pages and letters"), "looks"),
        new("groundColour", ToSay("colour behind the head of pages"), "looks"),
        new("pictureId", ToSay("picture above pages"), "looks"),
        new("textNumber", ToSay("number that texts come from"), "mail"),
        new("mailOut", ToSay("mail server"), "mail", SettingsPartKind.Apart),
        new("mailIn", "mailbox", "mail", SettingsPartKind.Apart),
        new("prices", ToSay("what messages cost"), "prices"),
        new("keepEventsMonths", ToSay("how long events are kept"), "keeping"),
        new("keepJournalMonths", ToSay("how long the journal is kept"), "keeping"),
        new("programsApproved", ToSay("whether a principal says yes to programs"), "programs"),
        new("pipelines", ToSay("pipelines and stages"), "stages"),
        new("lostReasons", ToSay("reasons of lost opportunities"), "stages"),
        new("callOutcomes", ToSay("how calls end"), "calls"),
        new("taskSets", ToSay("sets of tasks"), "tasks"),
        new("reached", ToSay("when the practice is reached"), "inquiries"),
        new("inquiryLateDays", ToSay("when an inquiry is late"), "inquiries"),
        new("inquiryVeryLateDays", ToSay("when an inquiry is very late"), "inquiries"),
        new("deputyAfterHours", ToSay("when an inquiry goes to the deputy"), "inquiries"),
        new("inquiryRules", ToSay("who gets inquiries"), "inquiries"),
        new("inquiryAddress", ToSay("address of inquiries"), "inquiries"),
        new("inquiryWord", ToSay("word of inquiries"), "inquiries"),
        new("twoFactorsAsked", ToSay("whether everybody needs a second factor"), "members"),
        new("brake", ToSay("when commercial mail stops"), "sending", SettingsPartKind.Apart),
        new("signingKeys", ToSay("keys that mail is signed with"), "sending", SettingsPartKind.Apart),
        new("postGateway", ToSay("gateway of posts"), "posts", SettingsPartKind.Apart),
        new("begins", "beginning", "", SettingsPartKind.Standing),
        new("beginningPutOff", "beginning", "", SettingsPartKind.Standing),
        new("mailWorked", "mail", "", SettingsPartKind.Standing),
    ];

    /// <summary>The parts that a change of settings holds, in the order of <see cref="All"/>; the database keeps names in an order of its own.</summary>
    public static IReadOnlyList<SettingsPart> In(JsonObject change) => [.. All.Where(p => change.ContainsKey(p.Key))];
}
