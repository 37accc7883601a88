using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Practices;

/// <summary>Where something that is preset comes from.</summary>
/// <param name="What">What is preset, in a sentence.</param>
/// <param name="Source">The law or standard; “common practice, no source” where there is none.</param>
public sealed record PresetSource(string What, string Source);

/// <summary>
/// What a practice begins with in a country: its working days, the hours in which people may be called, and which channels need a
/// recorded yes. All of it can be changed afterwards; it is a beginning and no advice. The laws are given from memory, as of 2026.
/// </summary>
/// <param name="Country">ISO 3166-1 alpha-2; also whose dialling rules numbers without a country code follow.</param>
/// <param name="Name">In English.</param>
/// <param name="QuietFrom">When texts and calls may begin, on the person's clock; 08:00 or later.</param>
/// <param name="QuietTo">When they end; 21:00 or earlier.</param>
/// <param name="OpenChannels">Channels that need only that nobody said no (rule 10.3); the others need a yes.</param>
/// <param name="InquiryMonths">For how long an inquiry carries a yes (rule 10.4).</param>
/// <param name="ClientMonths">For how long being a client does.</param>
/// <param name="MonthFirst">Whether 4/1 is the first of April.</param>
/// <param name="Currency">ISO 4217.</param>
/// <param name="Sources">Why.</param>
public sealed record CountryPreset(
    string Country,
    string Name,
    LocalTime QuietFrom,
    LocalTime QuietTo,
    IReadOnlyList<Channel> OpenChannels,
    int InquiryMonths,
    int ClientMonths,
    bool MonthFirst,
    string Currency,
    IReadOnlyList<PresetSource> Sources
)
{
    /// <summary>Monday to Friday, wherever there is a preset.</summary>
    public IReadOnlyList<IsoDayOfWeek> WorkingDays { get; } = [IsoDayOfWeek.Monday, IsoDayOfWeek.Tuesday, IsoDayOfWeek.Wednesday, IsoDayOfWeek.Thursday, IsoDayOfWeek.Friday];

    private const string NoSource = "common practice, no source";

    // Canada's spans are what rule 10.4 begins with, where a country's own law names none.
    private const int UsualInquiry = 6;
    private const int UsualClient = 24;
    private static readonly LocalTime Eight = new(8, 0);
    private static readonly LocalTime Nine = new(9, 0);
    private static readonly LocalTime Ten = new(10, 0);
    private static readonly LocalTime SixInTheEvening = new(18, 0);
    private static readonly LocalTime EightInTheEvening = new(20, 0);
    private static readonly LocalTime NineInTheEvening = new(21, 0);
    private static readonly PresetSource Post = new("Letters by post need no yes; a no is kept to.", NoSource);

    /// <summary>The countries there is a preset for, by name.</summary>
    public static IReadOnlyList<CountryPreset> All { get; } =
    [
        new(
            "AU",
            "Australia",
            Nine,
            EightInTheEvening,
            [Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "AUD",
            [
                new("Email and texts need a yes, given or to be inferred from what one is to each other.", "Spam Act 2003 (Cth), s. 16 and Schedule 2"),
                new("Calls from nine to eight, and need a yes unless the number is on no register.", "Telecommunications (Telemarketing and Research Calls) Industry Standard 2017, s. 8; Do Not Call Register Act 2006"),
                Post,
            ]
        ),
        new(
            "AT",
            "Austria",
            Nine,
            EightInTheEvening,
            [Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "EUR",
            [new("Email, texts and calls need a yes beforehand.", "Telekommunikationsgesetz 2021, § 174"), new("Calls from nine to eight.", NoSource), Post]
        ),
        new(
            "CA",
            "Canada",
            Ten,
            SixInTheEvening,
            [Channel.Post],
            6,
            24,
            false,
            "CAD",
            [
                new("Email and texts need a yes; an inquiry carries one for six months, a purchase for two years.", "Canada's Anti-Spam Legislation, S.C. 2010, c. 23, s. 6 and 10(10)"),
                new("Calls from ten to six, as at weekends; on weekdays the rules would allow nine to half past nine.", "CRTC Unsolicited Telecommunications Rules, Part III, s. 23"),
                Post,
            ]
        ),
        new(
            "DE",
            "Germany",
            Nine,
            EightInTheEvening,
            [Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "EUR",
            [
                new("Email, texts and calls need a yes that was given beforehand.", "Gesetz gegen den unlauteren Wettbewerb, § 7 Abs. 2; § 7 Abs. 3 for customers"),
                new("That a call was allowed has to be recorded and kept.", "Gesetz gegen den unlauteren Wettbewerb, § 7a"),
                new("Calls from nine to eight.", NoSource),
                Post,
            ]
        ),
        new(
            "GB",
            "United Kingdom",
            Eight,
            NineInTheEvening,
            [Channel.Call, Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "GBP",
            [
                new("Email and texts need a yes, or that they asked or bought and could say no.", "Privacy and Electronic Communications (EC Directive) Regulations 2003, reg. 22"),
                new("Calls need that they did not say no, and that their number is on no register.", "Privacy and Electronic Communications (EC Directive) Regulations 2003, reg. 21"),
                new("Calls from eight to nine.", NoSource),
                Post,
            ]
        ),
        new(
            "IE",
            "Ireland",
            Nine,
            NineInTheEvening,
            [Channel.Post],
            UsualInquiry,
            12,
            false,
            "EUR",
            [
                new("Email, texts and calls need a yes; a customer may be written to for twelve months.", "S.I. No. 336/2011, reg. 13"),
                new("Calls from nine to nine.", NoSource),
                Post,
            ]
        ),
        new(
            "NZ",
            "New Zealand",
            Eight,
            NineInTheEvening,
            [Channel.Call, Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "NZD",
            [
                new("Email and texts need a yes, given, to be inferred or deemed.", "Unsolicited Electronic Messages Act 2007, s. 9"),
                new("Calls from eight to nine, and need that they did not say no.", NoSource),
                Post,
            ]
        ),
        new(
            "CH",
            "Switzerland",
            Eight,
            EightInTheEvening,
            [Channel.Post],
            UsualInquiry,
            UsualClient,
            false,
            "CHF",
            [
                new("Email and texts need a yes; calls too where the directory says so.", "Bundesgesetz gegen den unlauteren Wettbewerb, Art. 3 Abs. 1 lit. o and u"),
                new("Calls from eight to eight.", NoSource),
                Post,
            ]
        ),
        new(
            "US",
            "United States",
            Eight,
            NineInTheEvening,
            [Channel.Email, Channel.Post],
            3,
            18,
            true,
            "USD",
            [
                new("Email may go until they say no, with your postal address and a way to say no in it.", "CAN-SPAM Act, 15 U.S.C. 7704(a)"),
                new("Texts and calls need a yes; an inquiry carries one for three months, a purchase for eighteen.", "47 CFR 64.1200(a)(2), (c)(2) and (f)(5)"),
                new("Calls and texts from eight to nine of their own day.", "47 CFR 64.1200(c)(1)"),
                Post,
            ]
        ),
    ];

    /// <summary>The preset of a country; null where there is none.</summary>
    /// <param name="country">ISO 3166-1 alpha-2.</param>
    public static CountryPreset? Of(string country) => All.FirstOrDefault(p => p.Country == country);
}
