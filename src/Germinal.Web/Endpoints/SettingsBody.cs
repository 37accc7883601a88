using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Store.Rows;

namespace Germinal.Web.Endpoints;

/// <summary>A pace rule: at most so many commercial messages in so many days.</summary>
public sealed record PaceDto(int Max, int Days, [AtMost(40, Items = 4)] IReadOnlyList<string> Channels);

/// <summary>A field of people that the practice named itself.</summary>
/// <param name="Key">What rules and letters call it; empty for a new one.</param>
/// <param name="Name">Its name.</param>
/// <param name="Kind">text, number, money, date, yearly-date, choice, choices or yes-no.</param>
/// <param name="Options">Of a choice, or several: what may be chosen.</param>
public sealed record OwnFieldDto(
    [AtMost(OwnField.LongestName)] string Key,
    [AtMost(OwnField.LongestName)] string Name,
    [AtMost(40)] string Kind,
    [AtMost(Lengths.Name, Items = 200)] IReadOnlyList<string> Options
)
{
    /// <summary>A field as pages show it.</summary>
    public static OwnFieldDto Of(OwnField field) => new(field.Key, field.Name, Service.People.OwnFields.WordOf(field.Kind), field.Options);
}

/// <summary>A policy of consent that programs can pick by its name.</summary>
/// <param name="Name">Its name.</param>
/// <param name="OpenChannels">Channels that need only that nobody said no; the others need a yes.</param>
/// <param name="InquiryMonths">How long an inquiry carries a yes.</param>
/// <param name="ClientMonths">How long being a client does.</param>
/// <param name="StrictForTransactional">Whether what is about their own dealings needs a yes as well.</param>
/// <param name="Topics">The topics it is for; empty for any.</param>
/// <param name="Footer">What stands under every commercial letter.</param>
public sealed record PolicyDto(
    string Name,
    IReadOnlyList<string> OpenChannels,
    int InquiryMonths,
    int ClientMonths,
    bool StrictForTransactional,
    IReadOnlyList<string> Topics,
    string Footer
);

/// <summary>What messages cost the practice: an email, a part of a text, a card or letter, in a currency (ISO 4217).</summary>
public sealed record PriceDto(decimal Email = 0, decimal TextPart = 0, decimal Note = 0, [AtMost(3)] string Currency = "USD");

/// <summary>A day off, and what it is called.</summary>
/// <param name="Date">The date, ISO 8601.</param>
/// <param name="Name">Its name.</param>
public sealed record DayOffDto(string Date, string Name);

/// <summary>The practice's settings as its pages show them.</summary>
/// <param name="Country">The country whose public holidays it keeps, ISO 3166-1; empty for none.</param>
/// <param name="Countries">The countries whose public holidays are known.</param>
/// <param name="ComingHolidays">That country's public holidays of the next twelve months.</param>
/// <param name="Holidays">Further public holidays, as dates.</param>
/// <param name="Closed">Closing days, as dates.</param>
public sealed record PracticeDto(
    string Name,
    string Zone,
    string PostalAddress,
    string OwnAddress,
    string Tongue,
    string DateOrder,
    string PhoneRegion,
    IReadOnlyList<string> WorkingDays,
    string Country,
    IReadOnlyList<string> Countries,
    IReadOnlyList<DayOffDto> ComingHolidays,
    IReadOnlyList<string> Holidays,
    IReadOnlyList<string> Closed,
    string LeapDay,
    string QuietFrom,
    string QuietTo,
    IReadOnlyList<PaceDto> Pace,
    IReadOnlyDictionary<string, int> DailyLimits,
    IReadOnlyList<string> OpenChannels,
    int InquiryMonths,
    int ClientMonths,
    bool StrictForTransactional,
    IReadOnlyList<PolicyDto> Policies,
    string Voice,
    bool SeeOpens,
    IReadOnlyDictionary<string, string> LinkParameters,
    string Colour,
    string GroundColour,
    string? Picture,
    IReadOnlyList<string> LostReasons,
    IReadOnlyList<string> AppointmentTypes,
    IReadOnlyList<string> Topics,
    IReadOnlyList<string> KeyDates,
    IReadOnlyList<OwnFieldDto> OwnFields,
    IReadOnlyList<string> Relations,
    int KeepEventsMonths,
    int KeepJournalMonths,
    string TextNumber,
    MailServerDto? MailOut,
    MailServerDto? MailIn,
    PriceDto Prices,
    bool ProgramsApproved
)
{
    /// <summary>The settings; who may not see mail servers is told of none.</summary>
    /// <param name="row">The practice.</param>
    /// <param name="today">The practice's day.</param>
    /// <param name="seesServers">Whether whoever asks may see mail servers.</param>
    public static PracticeDto Of(PracticeRow row, NodaTime.LocalDate today, bool seesServers)
    {
        var s = row.Settings;
        return new PracticeDto(
            row.Name,
            row.ZoneId,
            s.PostalAddress,
            s.OwnAddress,
            Core.Words.Tongue.NamedElseBritish(s.Tongue).Tag,
            s.DateOrder,
            s.PhoneRegion,
            s.WorkingDays,
            s.HolidaysOf,
            PublicHolidays.Countries,
            [.. PublicHolidays.Named(s.HolidaysOf, today, today.PlusYears(1)).Select(h => new DayOffDto(h.Date.Iso(), h.Name))],
            [.. s.Holidays.Order().Select(d => d.Iso())],
            [.. s.Closed.Order().Select(d => d.Iso())],
            s.LeapDay,
            s.QuietFrom,
            s.QuietTo,
            [.. s.Pace.Select(p => new PaceDto(p.Max, p.Days, p.Channels))],
            s.DailyLimits,
            s.OpenChannels,
            s.InquiryMonths,
            s.ClientMonths,
            s.StrictForTransactional,
            [.. s.Policies.Select(p => new PolicyDto(p.Name, p.OpenChannels, p.InquiryMonths, p.ClientMonths, p.StrictForTransactional, p.Topics, p.Footer))],
            s.Voice,
            s.SeeOpens,
            s.LinkParameters,
            s.Colour,
            s.GroundColour,
            OwnPictures.AddressOf(s.PictureId),
            s.LostReasons,
            s.AppointmentTypes,
            s.Topics,
            s.KeyDates,
            [.. Service.People.OwnFields.Of(s).Select(OwnFieldDto.Of)],
            [.. s.Relations.Select(r => string.Equals(r.Role, r.Back, StringComparison.OrdinalIgnoreCase) ? r.Role : $"{r.Role} / {r.Back}")],
            s.KeepEventsMonths,
            s.KeepJournalMonths,
            s.TextNumber,
            seesServers ? MailServerDto.Of(s.MailOut) : null,
            seesServers ? MailServerDto.Of(s.MailIn) : null,
            new PriceDto(s.Prices.Email, s.Prices.TextPart, s.Prices.Note, s.Prices.Currency),
            s.ProgramsApproved
        );
    }
}

/// <summary>A change of settings: what is not said stays as it is.</summary>
/// <param name="Country">Whose public holidays are kept; empty for none.</param>
/// <param name="MailOut">The server mail goes out by; without a host the installation's own.</param>
/// <param name="MailIn">The mailbox answers are read from; without a host none.</param>
public sealed record SettingsBody(
    [AtMost(Lengths.Name)] string? Name = null,
    [AtMost(Lengths.Name)] string? Zone = null,
    [AtMost(1000)] string? PostalAddress = null,
    [AtMost(Lengths.Name)] string? OwnAddress = null,
    [AtMost(3)] string? DateOrder = null,
    [AtMost(10)] string? Tongue = null,
    [AtMost(2)] string? PhoneRegion = null,
    [AtMost(3, Items = 7)] IReadOnlyList<string>? WorkingDays = null,
    [AtMost(2)] string? Country = null,
    [AtMost(10, Items = 2000)] IReadOnlyList<string>? Holidays = null,
    [AtMost(10, Items = 2000)] IReadOnlyList<string>? Closed = null,
    [AtMost(5)] string? LeapDay = null,
    [AtMost(40)] string? QuietFrom = null,
    [AtMost(40)] string? QuietTo = null,
    [AtMost(40, Items = 20)] IReadOnlyList<PaceDto>? Pace = null,
    [AtMost(40, Items = 10)] IReadOnlyDictionary<string, int>? DailyLimits = null,
    [AtMost(40, Items = 10)] IReadOnlyList<string>? OpenChannels = null,
    int? InquiryMonths = null,
    int? ClientMonths = null,
    bool? StrictForTransactional = null,
    [AtMost(1000, Items = 30)] IReadOnlyList<PolicyDto>? Policies = null,
    [AtMost(40)] string? Voice = null,
    bool? SeeOpens = null,
    [AtMost(Lengths.Name, Items = 20)] IReadOnlyDictionary<string, string>? LinkParameters = null,
    [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? AppointmentTypes = null,
    [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? Topics = null,
    [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? KeyDates = null,
    [AtMost(40, Items = Service.People.OwnFields.MostFields)] IReadOnlyList<OwnFieldDto>? OwnFields = null,
    [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? Relations = null,
    int? KeepEventsMonths = null,
    int? KeepJournalMonths = null,
    [AtMost(40)] string? TextNumber = null,
    ServerBody? MailOut = null,
    ServerBody? MailIn = null,
    PriceDto? Prices = null,
    bool? ProgramsApproved = null
);
