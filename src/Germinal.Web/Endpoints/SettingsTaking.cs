using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>What was said of settings: held against what they may be, and taken in.</summary>
internal static class SettingsTaking
{
    private static readonly string[] Channels = ["email", "text", "call", "post"];
    private const int LongestCarried = 120;
    private static readonly StringComparer Words = StringComparer.OrdinalIgnoreCase;

    /// <summary>Takes in what was said; everything else stays as it is.</summary>
    /// <param name="body">What was said, in order as <see cref="ProblemsOf"/> has found.</param>
    /// <param name="row">The practice.</param>
    /// <param name="secrets">Seals passwords.</param>
    public static void Take(SettingsBody body, PracticeRow row, Secrets secrets)
    {
        var s = row.Settings;
        row.Name = body.Name is { } name ? CellReading.Clean(name) : row.Name;
        row.ZoneId = body.Zone ?? row.ZoneId;
        s.PostalAddress = body.PostalAddress?.Trim().ReplaceLineEndings("\n") ?? s.PostalAddress;
        s.OwnAddress = body.OwnAddress?.Trim() ?? s.OwnAddress;
        // Nothing said, and the British, are the same; which of them stands there is no change.
        s.Tongue = body.Tongue is { } tongue && tongue != Tongue.NamedElseBritish(s.Tongue).Tag ? tongue : s.Tongue;
        s.DateOrder = body.DateOrder ?? s.DateOrder;
        s.PhoneRegion = body.PhoneRegion ?? s.PhoneRegion;
        s.WorkingDays = body.WorkingDays is null ? s.WorkingDays : [.. body.WorkingDays.Distinct(StringComparer.Ordinal).OrderBy(PracticeReading.DayOf)];
        s.HolidaysOf = body.Country ?? s.HolidaysOf;
        s.Holidays = body.Holidays is null ? s.Holidays : DaysOf(body.Holidays);
        s.Closed = body.Closed is null ? s.Closed : DaysOf(body.Closed);
        s.LeapDay = body.LeapDay ?? s.LeapDay;
        s.QuietFrom = body.QuietFrom ?? s.QuietFrom;
        s.QuietTo = body.QuietTo ?? s.QuietTo;
        s.Pace = body.Pace is null
            ? s.Pace
            :
            [
                .. body.Pace.Select(p => new PaceSettings
                {
                    Max = p.Max,
                    Days = p.Days,
                    Channels = [.. p.Channels],
                }),
            ];
        s.DailyLimits = body.DailyLimits?.ToDictionary() ?? s.DailyLimits;
        s.OpenChannels = body.OpenChannels is null ? s.OpenChannels : [.. body.OpenChannels];
        s.InquiryMonths = body.InquiryMonths ?? s.InquiryMonths;
        s.ClientMonths = body.ClientMonths ?? s.ClientMonths;
        s.StrictForTransactional = body.StrictForTransactional ?? s.StrictForTransactional;
        s.Policies = body.Policies is null ? s.Policies : [.. body.Policies.Select(Kept)];
        s.Voice = body.Voice ?? s.Voice;
        s.SeeOpens = body.SeeOpens ?? s.SeeOpens;
        s.LinkParameters = body.LinkParameters?.ToDictionary() ?? s.LinkParameters;
        s.AppointmentTypes = body.AppointmentTypes is null ? s.AppointmentTypes : [.. body.AppointmentTypes];
        s.Topics = body.Topics is null ? s.Topics : [.. body.Topics];
        s.KeyDates = body.KeyDates is null ? s.KeyDates : DatesOf(body.KeyDates);
        s.OwnFields = body.OwnFields is null ? s.OwnFields : [.. FieldsOf(body).Select(OwnFields.Stored)];
        s.Relations = body.Relations is null ? s.Relations : RolesOf(body.Relations);
        s.KeepEventsMonths = body.KeepEventsMonths ?? s.KeepEventsMonths;
        s.KeepJournalMonths = body.KeepJournalMonths ?? s.KeepJournalMonths;
        s.TextNumber = body.TextNumber?.Trim() ?? s.TextNumber;
        s.ProgramsApproved = body.ProgramsApproved ?? s.ProgramsApproved;
        s.Prices = body.Prices is not { } prices
            ? s.Prices
            : new PriceSettings
            {
                Email = prices.Email,
                TextPart = prices.TextPart,
                Note = prices.Note,
                Currency = prices.Currency.Trim().ToUpperInvariant(),
            };
        if (body.MailOut is not null)
        {
            var mailOut = PracticeMail.Server(body.MailOut, s.MailOut, secrets);
            s.MailWorked = s.MailWorked && PracticeMail.SameServer(mailOut, s.MailOut);
            s.MailOut = mailOut;
        }

        s.MailIn = body.MailIn is null ? s.MailIn : PracticeMail.Server(body.MailIn, s.MailIn, secrets);
    }

    private static List<LocalDate> DaysOf(IReadOnlyList<string> written) => [.. written.Select(d => Dates.TryParse(d)!.Value).Distinct().Order()];

    /// <summary>What is wrong with settings once what was said is taken in: what concerns more than one of them.</summary>
    public static IEnumerable<(string Field, string Message)> ProblemsThen(PracticeSettings now)
    {
        if (string.CompareOrdinal(now.QuietFrom, now.QuietTo) >= 0)
        {
            yield return ("quietTo", Said("The hours must end after they begin."));
        }

        foreach (var (field, server) in new[] { ("mailOut", now.MailOut), ("mailIn", now.MailIn) })
        {
            if (PracticeMail.MissingPassword(server) is { } missing)
            {
                yield return (field, missing);
            }
        }
    }

    /// <summary>What is wrong with the name of a practice; null for nothing, or where none was said.</summary>
    public static string? NameProblem(string? name) => name is not null && CellReading.Clean(name).Length == 0 ? Said("Say what your practice is called; it stands under every letter.") : null;

    /// <summary>What is wrong with its time zone; null for nothing, or where none was said.</summary>
    public static string? ZoneProblem(string? zone) => zone is not null && DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is null ? Say($"“{zone}” is no time zone; America/New_York would be.") : null;

    /// <summary>What is wrong with its postal address; null for nothing, or where none was said.</summary>
    public static string? AddressProblem(string? address) =>
        address is not null && string.IsNullOrWhiteSpace(address) ? Said("Every commercial email carries the practice's postal address; write it here.") : null;

    /// <summary>The practice's own fields as they were written, each with its key.</summary>
    private static IReadOnlyList<OwnField> FieldsOf(SettingsBody body) =>
        OwnFields.WithKeys(
            (body.OwnFields ?? []).Select(f =>
            {
                var kind = OwnField.KindOf(f.Kind) ?? OwnFieldKind.Text;
                IReadOnlyList<string> options = OwnField.HasOptions(kind)
                    ? [.. f.Options.Select(CellReading.Clean).Where(o => o.Length > 0)]
                    : [];
                return (CellReading.Clean(f.Key), CellReading.Clean(f.Name), kind, options);
            })
        );

    /// <summary>The key dates as they are kept: small letters like everywhere, each once, the birthday among them.</summary>
    private static List<string> DatesOf(IReadOnlyList<string> written) =>
        [.. written.Select(d => CellReading.Clean(d).ToLowerInvariant()).Where(d => d.Length > 0).Prepend("birthday").Distinct(StringComparer.Ordinal)];

    /// <summary>How people can stand to each other: a line each, with what the other is in return after a slash where that is another word.</summary>
    private static List<RelationSettings> RolesOf(IReadOnlyList<string> written) =>
    [
        .. written
            .Select(line => line.Split('/', 2).Select(CellReading.Clean).ToArray())
            .Where(parts => parts[0].Length > 0)
            .Select(parts => new RelationSettings { Role = parts[0], Back = parts.Length > 1 && parts[1].Length > 0 ? parts[1] : parts[0] })
            .DistinctBy(r => r.Role.ToLowerInvariant()),
    ];

    private static PolicySettings Kept(PolicyDto policy) =>
        new()
        {
            Name = CellReading.Clean(policy.Name),
            OpenChannels = [.. policy.OpenChannels],
            InquiryMonths = policy.InquiryMonths,
            ClientMonths = policy.ClientMonths,
            StrictForTransactional = policy.StrictForTransactional,
            Topics = [.. policy.Topics.Select(CellReading.Clean).Where(t => t.Length > 0).Distinct(Words)],
            Footer = policy.Footer.Trim(),
        };

    /// <summary>What is wrong with policies as they were written.</summary>
    private static string? PolicyProblem(IReadOnlyList<PolicyDto> policies)
    {
        var names = policies.Select(p => CellReading.Clean(p.Name)).ToList();
        return names.Any(n => n.Length is 0 or > 60) ? Said("A policy needs a name, at most 60 letters.")
            : names.GroupBy(n => n, Words).FirstOrDefault(g => g.Count() > 1) is { } twice ? Say($"There is a policy “{twice.Key}” already; each needs a name of its own.")
            : policies.SelectMany(p => p.OpenChannels).FirstOrDefault(c => !Channels.Contains(c, StringComparer.Ordinal)) is { } odd ? Say($"“{odd}” is no channel; {string.Join(", ", Channels)} are.")
            : policies.Any(p => p.InquiryMonths is < 0 or > LongestCarried || p.ClientMonths is < 0 or > LongestCarried) ? Say($"What an inquiry or being a client carries is 0 to {LongestCarried} months.")
            : policies.Any(p => p.Footer.Length > 1000 || p.Topics.Count > 100) ? Said("What stands under letters has at most 1,000 letters.")
            : null;
    }

    /// <summary>What is wrong with what was said, by field.</summary>
    public static IEnumerable<(string Field, string Message)> ProblemsOf(SettingsBody body)
    {
        if (body.Policies is not null && PolicyProblem(body.Policies) is { } wrongPolicy)
        {
            yield return ("policies", wrongPolicy);
        }

        if (body.Relations is not null && RolesOf(body.Relations).SelectMany(r => new[] { r.Role, r.Back }).FirstOrDefault(r => r.Length > 40 || r.Contains('/', StringComparison.Ordinal)) is { } long40)
        {
            yield return ("relations", Say($"“{long40}” is no role; at most 40 letters, and what the other is in return after one slash: solicitor / client."));
        }

        if (body.OwnFields?.FirstOrDefault(f => OwnField.KindOf(f.Kind) is null) is { } odd)
        {
            yield return ("ownFields", Say($"“{odd.Kind}” is no kind of field; {string.Join(", ", OwnField.Kinds.Select(k => k.Word))} are."));
            yield break;
        }

        // A person's page takes names of that length.
        if (body.KeyDates?.FirstOrDefault(d => CellReading.Clean(d).Length > 40) is { } tooLong)
        {
            yield return ("keyDates", Say($"“{tooLong}” is too long for the name of a date; at most 40 letters."));
        }

        if (OwnFields.ProblemOf(FieldsOf(body)) is { } wrong)
        {
            yield return ("ownFields", wrong);
        }

        foreach (var (field, value) in new[] { ("quietFrom", body.QuietFrom), ("quietTo", body.QuietTo) }.Where(t => t.Item2 is not null))
        {
            // 47 CFR 64.1200(c)(1): a practice may narrow these hours, never widen them.
            if (!TimesOfDay.Form.Parse(value!).TryGetValue(default, out var time) || time < new LocalTime(8, 0) || time > new LocalTime(21, 0))
            {
                yield return (field, Say($"“{value}” is no time from 08:00 to 21:00; these hours may be narrowed, not widened."));
            }
        }

        foreach (var (field, problem) in new[] { ("name", NameProblem(body.Name)), ("zone", ZoneProblem(body.Zone)), ("postalAddress", AddressProblem(body.PostalAddress)) })
        {
            if (problem is not null)
            {
                yield return (field, problem);
            }
        }

        if (body.DateOrder is not (null or "mdy" or "dmy"))
        {
            yield return ("dateOrder", Said("Dates are read month first (mdy) or day first (dmy)."));
        }

        if (body.Tongue is { } tongue && Tongue.ProblemOf(tongue) is { } unspoken)
        {
            yield return ("tongue", unspoken);
        }

        if (body.LeapDay is not (null or "feb28" or "mar1"))
        {
            yield return ("leapDay", Said("Birthdays on 29 February are kept on feb28 or on mar1 where there is none."));
        }

        if (body.PhoneRegion is { } region && !CellReading.IsRegion(region))
        {
            yield return ("phoneRegion", Say($"“{region}” is no country whose numbers are known; US or GB would be."));
        }

        if (body.Country is { Length: > 0 } country && !PublicHolidays.Countries.Contains(country, StringComparer.Ordinal))
        {
            yield return ("country", Say($"The public holidays of “{country}” are not known; {string.Join(", ", PublicHolidays.Countries)} are, or none."));
        }

        if (body.WorkingDays is { } days && (days.Count == 0 || !days.All(PracticeReading.IsDay)))
        {
            yield return ("workingDays", Said("A practice works on one day of the week at least: mon, tue, wed, thu, fri, sat, sun."));
        }

        foreach (var (field, dates) in new[] { ("holidays", body.Holidays), ("closed", body.Closed) })
        {
            if (dates?.FirstOrDefault(d => Dates.TryParse(d) is null) is { } noDate)
            {
                yield return (field, Say($"“{noDate}” is not a date there is; 2027-12-24 would be."));
            }
        }

        if (body.OwnAddress?.Trim() is { Length: > 0 } address && !Core.Contact.Addresses.IsEmail(address))
        {
            yield return ("ownAddress", Say($"“{address}” is not an email address; office@example.com would be."));
        }

        if (body.Voice is not (null or "I" or "we"))
        {
            yield return ("voice", Said("A practice speaks as I or as we."));
        }

        if (body.TextNumber?.Trim() is { Length: > 0 } number && !Core.Contact.Addresses.IsWellFormed(Core.Contact.Channel.Text, number))
        {
            yield return ("textNumber", Say($"“{number}” is no number in international form; +12075550100 would be."));
        }

        foreach (var (field, months) in new[] { ("keepEventsMonths", body.KeepEventsMonths), ("keepJournalMonths", body.KeepJournalMonths) })
        {
            if (months is < 0 or > 1200)
            {
                yield return (field, Said("Say after how many months, at most 1,200; 0 keeps everything."));
            }
        }

        foreach (var (field, months) in new[] { ("inquiryMonths", body.InquiryMonths), ("clientMonths", body.ClientMonths) })
        {
            if (months is < 0 or > LongestCarried)
            {
                yield return (field, Say($"What an inquiry or being a client carries is 0 to {LongestCarried} months."));
            }
        }

        if (
            (body.Pace ?? []).Any(p =>
                p.Max is < 1 or > 1000 || p.Days is < 1 or > 366 || p.Channels.Count == 0 || p.Channels.Except(Channels, StringComparer.Ordinal).Any()
            )
        )
        {
            yield return ("pace", Said("A pace rule is at least 1 message in 1 to 366 days over email, text, call or post."));
        }

        if ((body.DailyLimits ?? new Dictionary<string, int>()).Any(l => l.Value is < 1 or > 1_000_000 || l.Key is not ("email" or "text")))
        {
            yield return ("dailyLimits", Said("A daily limit is at least 1, for email or text."));
        }

        if (
            body.Prices is { } costs
            && (
                new[] { costs.Email, costs.TextPart, costs.Note }.Any(p => p is < 0 or > 1000 || decimal.Round(p, 6) != p)
                || costs.Currency is not { Length: 3 }
                || !costs.Currency.All(char.IsAsciiLetter)
            )
        )
        {
            yield return ("prices", Said("A price is between 0 and 1,000, in a currency of three letters such as USD."));
        }

        if ((body.OpenChannels ?? []).Except(Channels, StringComparer.Ordinal).Any())
        {
            yield return ("openChannels", Said("The channels are email, text, call and post."));
        }

        foreach (var (field, server) in new[] { ("mailOut", body.MailOut), ("mailIn", body.MailIn) })
        {
            if (PracticeMail.ServerProblem(server) is { } problem)
            {
                yield return (field, problem);
            }
        }
    }
}
