using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A row that belongs to exactly one practice; a global filter keeps practices apart.</summary>
public interface IOwned
{
    Guid PracticeId { get; set; }
}

/// <summary>A practice. Its settings are one JSON value, read as a whole (<see cref="PracticeSettings"/>).</summary>
public sealed class PracticeRow
{
    public Guid Id { get; set; }

    public required string Name { get; set; }

    /// <summary>IANA zone.</summary>
    public required string ZoneId { get; set; }

    public PracticeSettings Settings { get; set; } = new();

    /// <summary>Counts up with each change of settings, members or programs, so that workers know that what they keep is old.</summary>
    public int Edition { get; set; }

    /// <summary>While the calendar is worked out anew for everybody: those after this person are still to come. Null: nobody is.</summary>
    public Guid? LookAgainAfter { get; set; }

    /// <summary>By the machine's clock: when the practice goes with all it has, as a principal asked; until then it can be kept. Null: it stays.</summary>
    public Instant? EndsAt { get; set; }

    /// <summary>By the machine's clock: since when the installation's keepers have it stopped; nobody of it signs in, and nothing goes out. Null: it goes on.</summary>
    public Instant? StoppedAt { get; set; }

    /// <summary>Why it is stopped, as its members read it.</summary>
    public string StoppedWhy { get; set; } = "";

    /// <summary>
    /// The installation itself, to which its keepers belong. It has members, sessions and mails of its own as a practice has, and nothing else; no context but its own sees it among the practices.
    /// </summary>
    public static Guid House { get; } = new("00000000-0000-8000-8000-000000000001");
}

/// <summary>A practice's settings as they are stored. Times are <c>HH:mm</c>, dates ISO 8601.</summary>
public sealed class PracticeSettings
{
    /// <summary>The tag of the practice's language, such as <c>de-DE</c>; empty for British English.</summary>
    public string Tongue { get; set; } = "";

    public string LeapDay { get; set; } = "feb28";

    public List<string> WorkingDays { get; set; } = ["mon", "tue", "wed", "thu", "fri"];

    /// <summary>ISO country of the public holiday calendar; empty for none.</summary>
    public string HolidaysOf { get; set; } = "";

    public List<LocalDate> Holidays { get; set; } = [];

    public List<LocalDate> Closed { get; set; } = [];

    public string QuietFrom { get; set; } = "08:00";

    public string QuietTo { get; set; } = "21:00";

    /// <summary>Channels whose consent policy is open; all others are strict.</summary>
    public List<string> OpenChannels { get; set; } = [];

    /// <summary>True when transactional messages need a yes as well (rule 10.3).</summary>
    public bool StrictForTransactional { get; set; }

    /// <summary>The number the practice's texts come from and are answered to, E.164; empty: the gateway's own, which all practices share.</summary>
    public string TextNumber { get; set; } = "";

    public int InquiryMonths { get; set; } = 6;

    public int ClientMonths { get; set; } = 24;

    public string PostalAddress { get; set; } = "";

    /// <summary>The address the practice itself writes from, where no member signs; empty for none.</summary>
    public string OwnAddress { get; set; } = "";

    public Guid? FallbackSender { get; set; }

    public List<PipelineSettings> Pipelines { get; set; } = [];

    /// <summary>Every stage of every pipeline, in order, as people and opportunities name it: <c>Pipeline/Stage</c>.</summary>
    public IEnumerable<string> AllStages() => Pipelines.SelectMany(p => p.Stages.Select(s => $"{p.Name}/{s}"));

    /// <summary>Whether there is such a stage, named so.</summary>
    public bool HasStage(string? stage) => AllStages().Contains(stage, StringComparer.Ordinal);

    /// <summary>Why opportunities are lost, in the practice's words.</summary>
    public List<string> LostReasons { get; set; } = [];

    /// <summary>Kinds of appointments.</summary>
    public List<string> AppointmentTypes { get; set; } = [];

    /// <summary>Subjects a person may take or leave.</summary>
    public List<string> Topics { get; set; } = [];

    /// <summary>Key dates that are offered for people; the birthday is always one. Any other name may stand at a person.</summary>
    public List<string> KeyDates { get; set; } = ["birthday", "client since", "yearly review", "policy renewal", "mortgage fixed until"];

    /// <summary>Fields of people that the practice named itself.</summary>
    public List<OwnFieldSettings> OwnFields { get; set; } = [];

    /// <summary>What messages cost, for rehearsals; nothing where the practice has said nothing.</summary>
    public PriceSettings Prices { get; set; } = new();

    /// <summary>Whether a principal approves each program before it is switched on.</summary>
    public bool ProgramsApproved { get; set; }

    /// <summary>When the practice is reached on each of its working days; none for nine to half past five (rule 17.6).</summary>
    public List<ReachedSettings> Reached { get; set; } = [];

    /// <summary>Working days after which an inquiry that waits is shown as late.</summary>
    public int InquiryLateDays { get; set; } = 3;

    /// <summary>Working days after which it is shown as very late.</summary>
    public int InquiryVeryLateDays { get; set; } = 5;

    /// <summary>Working hours after which an inquiry nobody has touched goes to the deputy; 0: never.</summary>
    public int DeputyAfterHours { get; set; } = 4;

    /// <summary>Who gets an inquiry, in order.</summary>
    public List<InquiryRuleSettings> InquiryRules { get; set; } = [];

    /// <summary>The address to which inquiries are mailed, in small letters; empty for none.</summary>
    public string InquiryAddress { get; set; } = "";

    /// <summary>The word that a text begins with which is an inquiry; empty for none.</summary>
    public string InquiryWord { get; set; } = "";

    /// <summary>The colour of public pages, <c>#rrggbb</c>; empty for the application's own.</summary>
    public string Colour { get; set; } = "";

    /// <summary>The colour behind the head of public pages, <c>#rrggbb</c>; empty for none.</summary>
    public string GroundColour { get; set; } = "";

    /// <summary>Whether each member is asked for a second factor or a passkey.</summary>
    public bool TwoFactorsAsked { get; set; }

    /// <summary>Whether the way a new practice begins is still shown.</summary>
    public bool Begins { get; set; }

    /// <summary>Parts of the beginning that were put off.</summary>
    public List<string> BeginningPutOff { get; set; } = [];

    /// <summary>Whether mail was seen to go out by the server that is set.</summary>
    public bool MailWorked { get; set; }

    /// <summary>The picture above public pages, among the practice's; null for none.</summary>
    public Guid? PictureId { get; set; }

    /// <summary>When commercial mail stops by itself, and whether it has.</summary>
    public BrakeSettings Brake { get; set; } = new();

    /// <summary>Keys that mail is signed with.</summary>
    public List<SigningKeySettings> SigningKeys { get; set; } = [];

    /// <summary>How calls can end, in the order of their keys.</summary>
    public List<CallOutcomeSettings> CallOutcomes { get; set; } = CallOutcomeSettings.Usual();

    /// <summary>Sets of tasks that are made together.</summary>
    public List<TaskSetSettings> TaskSets { get; set; } = [];

    /// <summary>Policies of consent that a program can pick in the place of the practice's own.</summary>
    public List<PolicySettings> Policies { get; set; } = [];

    /// <summary>How people can stand to each other, each role with what the other is in return.</summary>
    public List<RelationSettings> Relations { get; set; } =
    [
        new() { Role = "spouse", Back = "spouse" },
        new() { Role = "parent", Back = "child" },
        new() { Role = "solicitor", Back = "client" },
        new() { Role = "accountant", Back = "client" },
        new() { Role = "referrer", Back = "referred" },
        new() { Role = "co-borrower", Back = "co-borrower" },
    ];

    /// <summary>How often one person may get commercial messages (rule 9.1).</summary>
    public List<PaceSettings> Pace { get; set; } = [];

    /// <summary>The most messages of a channel a day (rule 9.3), by channel.</summary>
    public Dictionary<string, int> DailyLimits { get; set; } = [];

    /// <summary>I or we (rule 11.4).</summary>
    public string Voice { get; set; } = "I";

    /// <summary>False: letters carry no picture that tells when they were opened.</summary>
    public bool SeeOpens { get; set; } = true;

    /// <summary>Campaign parameters put on the links of letters, such as <c>utm_source</c>; Liquid fields <c>program</c> and <c>step</c> are filled in.</summary>
    public Dictionary<string, string> LinkParameters { get; set; } = [];

    /// <summary>The practice's own mail server; null: the one the installation has.</summary>
    public MailServerSettings? MailOut { get; set; }

    /// <summary>A mailbox read for answers; null: only the installation's own listener.</summary>
    public MailServerSettings? MailIn { get; set; }

    /// <summary>Where posts go by themselves; null for nowhere.</summary>
    public PostGatewaySettings? PostGateway { get; set; }

    /// <summary>Months after which events that nothing needs are forgotten; 0: never.</summary>
    public int KeepEventsMonths { get; set; }

    /// <summary>For how many months lines of the journal are kept; 0 for ever.</summary>
    public int KeepJournalMonths { get; set; } = 24;

    /// <summary><c>mdy</c> or <c>dmy</c>: how an ambiguous 4/1 is read in an import.</summary>
    public string DateOrder { get; set; } = "mdy";

    /// <summary>ISO country whose dialling rules a number without a country code follows.</summary>
    public string PhoneRegion { get; set; } = "US";
}

/// <summary>How a call can end, and what usually follows it. A member may leave out or add what follows each single call.</summary>
public sealed class CallOutcomeSettings
{
    /// <summary>What it is called; programs ask for it by this.</summary>
    public string Name { get; set; } = "";

    /// <summary>Whether they were reached, which answers what they have asked (rule 17.6).</summary>
    public bool Reached { get; set; } = true;

    /// <summary>Working days after which they are called again; 0 for not again.</summary>
    public int AgainDays { get; set; }

    /// <summary>Whether a note is to be written to them.</summary>
    public bool Note { get; set; }

    /// <summary>The stage that follows, as <c>Pipeline/Stage</c>; empty for none.</summary>
    public string Stage { get; set; } = "";

    /// <summary>The kind of appointment that is made with it; empty for none.</summary>
    public string Appointment { get; set; } = "";

    /// <summary>The program that starts for them; null for none.</summary>
    public Guid? Program { get; set; }

    /// <summary>What a practice begins with: nothing follows by itself.</summary>
    public static List<CallOutcomeSettings> Usual() =>
        [new() { Name = "spoke" }, new() { Name = "left word" }, new() { Name = "no answer", Reached = false }, new() { Name = "not interested" }];
}

/// <summary>Tasks that are made together: what is to be done for each new client.</summary>
public sealed class TaskSetSettings
{
    public string Name { get; set; } = "";

    public List<TaskSetLine> Tasks { get; set; } = [];
}

/// <summary>One task of a set.</summary>
public sealed class TaskSetLine
{
    /// <summary>call or task.</summary>
    public string Kind { get; set; } = "task";

    public string Title { get; set; } = "";

    /// <summary>Working days after the day on which the set is made.</summary>
    public int Days { get; set; }
}

/// <summary>When the practice is reached on a week day.</summary>
public sealed class ReachedSettings
{
    /// <summary>mon, tue, …</summary>
    public string Day { get; set; } = "";

    public string From { get; set; } = "";

    public string To { get; set; } = "";
}

/// <summary>A rule of who gets an inquiry; what it does not name it does not ask about.</summary>
public sealed class InquiryRuleSettings
{
    public Guid? Form { get; set; }

    public string? Topic { get; set; }

    /// <summary>A town, a state or a postal code.</summary>
    public string? Area { get; set; }

    /// <summary>who-knows-them, first or in-turn.</summary>
    public string To { get; set; } = "who-knows-them";

    /// <summary>Of first and in-turn: among whom.</summary>
    public List<Guid> Members { get; set; } = [];
}

/// <summary>A field of people that the practice named itself.</summary>
public sealed class OwnFieldSettings
{
    /// <summary>What rules, letters and values call it; stays when it is renamed.</summary>
    public string Key { get; set; } = "";

    public string Name { get; set; } = "";

    /// <summary>The word of a kind of <c>OwnField</c>.</summary>
    public string Kind { get; set; } = "text";

    public List<string> Options { get; set; } = [];
}

/// <summary>A policy of consent by its name.</summary>
public sealed class PolicySettings
{
    public string Name { get; set; } = "";

    /// <summary>Channels that need only that there be no out (rule 10.3); the others are strict.</summary>
    public List<string> OpenChannels { get; set; } = [];

    public int InquiryMonths { get; set; } = 6;

    public int ClientMonths { get; set; } = 24;

    public bool StrictForTransactional { get; set; }

    /// <summary>The topics a program under it may have; none for any.</summary>
    public List<string> Topics { get; set; } = [];

    /// <summary>Plain words under every commercial letter.</summary>
    public string Footer { get; set; } = "";
}

/// <summary>A role one person can have for another, and what that one is in return.</summary>
public sealed class RelationSettings
{
    /// <summary>What the other is to the person: their solicitor.</summary>
    public string Role { get; set; } = "";

    /// <summary>What the person is to the other: their client.</summary>
    public string Back { get; set; } = "";
}

/// <summary>At most so many in so many days over the channels named.</summary>
public sealed class PaceSettings
{
    public int Max { get; set; }

    public int Days { get; set; }

    public List<string> Channels { get; set; } = [];
}

/// <summary>A mail server of the practice's own.</summary>
public sealed class MailServerSettings
{
    public string Host { get; set; } = "";

    public int Port { get; set; }

    /// <summary>none, starttls or tls.</summary>
    public string Security { get; set; } = "starttls";

    public string User { get; set; } = "";

    /// <summary>Sealed with the installation's key; never handed out.</summary>
    public string SealedPassword { get; set; } = "";
}

/// <summary>A gateway to public places.</summary>
public sealed class PostGatewaySettings
{
    /// <summary>With a slash at its end.</summary>
    public string Address { get; set; } = "";

    /// <summary>Sealed with the installation's key; never handed out. Empty for none.</summary>
    public string SealedToken { get; set; } = "";
}

/// <summary>A pipeline and its stages in order.</summary>
public sealed class PipelineSettings
{
    public string Name { get; set; } = "";

    public List<string> Stages { get; set; } = [];
}

/// <summary>The practice clock: one row for the whole database. Real time, or a clock that stands and is moved on.</summary>
public sealed class ClockRow
{
    public int Id { get; set; } = 1;

    /// <summary>True when the clock is the machine's own.</summary>
    public bool Real { get; set; }

    /// <summary>Where a clock that stands stands.</summary>
    public Instant Now { get; set; }

    /// <summary>Where it was when the move under way began; null when none is.</summary>
    public Instant? MoveFrom { get; set; }

    public Instant? MoveTo { get; set; }

    /// <summary>A member asked for the move to stop.</summary>
    public bool StopAsked { get; set; }
}

/// <summary>What messages cost, in the practice's own money.</summary>
public sealed class PriceSettings
{
    public decimal Email { get; set; }

    /// <summary>One part of a text.</summary>
    public decimal TextPart { get; set; }

    /// <summary>A card or letter by post.</summary>
    public decimal Note { get; set; }

    /// <summary>ISO 4217.</summary>
    public string Currency { get; set; } = "USD";
}

/// <summary>When commercial mail stops by itself.</summary>
public sealed class BrakeSettings
{
    public bool On { get; set; } = true;

    /// <summary>Above so many in a hundred that came back.</summary>
    public decimal BouncePercent { get; set; } = 5;

    /// <summary>Above so many in a hundred that were complained about.</summary>
    public decimal ComplaintPercent { get; set; } = 0.3m;

    /// <summary>Since when it has stopped; null where it goes.</summary>
    public Instant? StoppedAt { get; set; }

    /// <summary>Why it has.</summary>
    public string Why { get; set; } = "";

    /// <summary>When a member let it go on last: what was before counts no more.</summary>
    public Instant? ReleasedAt { get; set; }
}

/// <summary>A key that mail of a domain is signed with.</summary>
public sealed class SigningKeySettings
{
    public string Domain { get; set; } = "";

    public string Selector { get; set; } = "";

    public string PublicKey { get; set; } = "";

    /// <summary>The private key, sealed with the installation's.</summary>
    public string SealedKey { get; set; } = "";

    public Instant MadeAt { get; set; }

    /// <summary>Since when it signs; null while its record is still to be set.</summary>
    public Instant? UsedFrom { get; set; }

    /// <summary>When another one took over; its record has to stand for what was signed with it and is still on its way.</summary>
    public Instant? EndedAt { get; set; }
}
