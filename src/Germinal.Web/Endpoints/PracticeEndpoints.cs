using Germinal.Channels.Mail;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

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

/// <summary>A mail server. The password is never handed out; HasPassword says whether there is one.</summary>
public sealed record MailServerDto(string Host, int Port, string Security, string User, bool HasPassword);

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

/// <summary>The practice's settings as its page shows them.</summary>
public sealed record PracticeDto(
    string Name,
    string Zone,
    string QuietFrom,
    string QuietTo,
    string PostalAddress,
    string Voice,
    IReadOnlyList<PaceDto> Pace,
    IReadOnlyDictionary<string, int> DailyLimits,
    IReadOnlyList<string> OpenChannels,
    IReadOnlyList<string> LostReasons,
    IReadOnlyList<string> AppointmentTypes,
    IReadOnlyList<string> Topics,
    IReadOnlyList<string> KeyDates,
    IReadOnlyList<OwnFieldDto> OwnFields,
    IReadOnlyList<string> Relations,
    IReadOnlyList<PolicyDto> Policies,
    bool SeeOpens,
    IReadOnlyDictionary<string, string> LinkParameters,
    int KeepEventsMonths,
    int KeepJournalMonths,
    bool StrictForTransactional,
    string TextNumber,
    MailServerDto? MailOut,
    MailServerDto? MailIn,
    PriceDto Prices,
    bool ProgramsApproved,
    string OwnAddress
);

/// <summary>What messages cost the practice: an email, a part of a text, a card or letter, in a currency (ISO 4217).</summary>
public sealed record PriceDto(decimal Email = 0, decimal TextPart = 0, decimal Note = 0, [AtMost(3)] string Currency = "USD");

/// <summary>What a server answered to a test.</summary>
public sealed record TestAnswer(bool Worked, string Words);

/// <summary>The practice's settings: read by everybody, changed by principals.</summary>
public static class PracticeEndpoints
{
    private static readonly string[] Channels = ["email", "text", "call", "post"];
    private static readonly string[] Securities = ["none", "starttls", "tls"];
    private static readonly StringComparer Words = StringComparer.OrdinalIgnoreCase;

    public sealed record ServerBody(
        [AtMost(253)] string Host,
        int Port,
        [AtMost(40)] string Security,
        [AtMost(Lengths.Name)] string User,
        [AtMost(1000)] string? Password = null
    );

    public sealed record SettingsBody(
        [AtMost(40)] string QuietFrom,
        [AtMost(40)] string QuietTo,
        [AtMost(1000)] string PostalAddress,
        [AtMost(40)] string Voice,
        [AtMost(40, Items = 20)] IReadOnlyList<PaceDto> Pace,
        [AtMost(40, Items = 10)] IReadOnlyDictionary<string, int> DailyLimits,
        [AtMost(40, Items = 10)] IReadOnlyList<string> OpenChannels,
        [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string> AppointmentTypes,
        [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string> Topics,
        bool SeeOpens,
        [AtMost(Lengths.Name, Items = 20)] IReadOnlyDictionary<string, string> LinkParameters,
        int KeepEventsMonths,
        bool StrictForTransactional = false,
        [AtMost(40)] string TextNumber = "",
        ServerBody? MailOut = null,
        ServerBody? MailIn = null,
        [AtMost(40, Items = Service.People.OwnFields.MostFields)] IReadOnlyList<OwnFieldDto>? OwnFields = null,
        [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? KeyDates = null,
        [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? Relations = null,
        [AtMost(1000, Items = 30)] IReadOnlyList<PolicyDto>? Policies = null,
        PriceDto? Prices = null,
        bool? ProgramsApproved = null,
        int? KeepJournalMonths = null,
        [AtMost(Lengths.Name)] string? OwnAddress = null
    );

    public static void Map(IEndpointRouteBuilder app)
    {
        var practice = app.MapGroup("/api/practice").WithTags("practice").RequireAuthorization(Rights.Work);
        practice.MapGet(
            "",
            async (GerminalDb db, Caller caller, CancellationToken stop) =>
                Dto(await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop), caller.May(Rights.SeeServers))
        );
        practice.MapGet("/file", Give).ExcludeFromDescription().RequireAuthorization(Rights.ExportPeople);
        practice.MapPut("", Save).RequireAuthorization(Rights.ChangeSettings);
        practice.MapGet("/fields/uses", (string key, GerminalDb db, CancellationToken stop) => OwnFields.UsesAsync(db, key, stop));
        practice.MapGet("/dates/uses", (string name, GerminalDb db, CancellationToken stop) => KeyDates.UsesAsync(db, name, stop));
        practice.MapPost("/mail-test", TestMail).RequireAuthorization(Rights.SeeServers);
        practice.MapPost("/mailbox-test", TestMailbox).RequireAuthorization(Rights.SeeServers);
    }

    /// <summary>What the rules read of the practice, as a file; members go by their names, as owners do in the people file.</summary>
    private static async Task<IResult> Give(GerminalDb db, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var file = PracticeFile.Write(practice with { Members = [.. practice.Members.Select(m => m with { Handle = m.Name })] });
        return Results.File(
            System.Text.Encoding.UTF8.GetBytes(file.ToJsonString(new System.Text.Json.JsonSerializerOptions { WriteIndented = true })),
            "application/json",
            $"{practice.Name}.practice.json"
        );
    }

    /// <summary>The settings; who may not see mail servers is told of none.</summary>
    private static PracticeDto Dto(PracticeRow row, bool seesServers)
    {
        var s = row.Settings;
        MailServerDto? Server(MailServerSettings? m) => m is null ? null : new MailServerDto(m.Host, m.Port, m.Security, m.User, m.SealedPassword.Length > 0);
        return new PracticeDto(
            row.Name,
            row.ZoneId,
            s.QuietFrom,
            s.QuietTo,
            s.PostalAddress,
            s.Voice,
            [.. s.Pace.Select(p => new PaceDto(p.Max, p.Days, p.Channels))],
            s.DailyLimits,
            s.OpenChannels,
            s.LostReasons,
            s.AppointmentTypes,
            s.Topics,
            s.KeyDates,
            [.. OwnFields.Of(s).Select(OwnFieldDto.Of)],
            [.. s.Relations.Select(r => string.Equals(r.Role, r.Back, StringComparison.OrdinalIgnoreCase) ? r.Role : $"{r.Role} / {r.Back}")],
            [.. s.Policies.Select(p => new PolicyDto(p.Name, p.OpenChannels, p.InquiryMonths, p.ClientMonths, p.StrictForTransactional, p.Topics, p.Footer))],
            s.SeeOpens,
            s.LinkParameters,
            s.KeepEventsMonths,
            s.KeepJournalMonths,
            s.StrictForTransactional,
            s.TextNumber,
            seesServers ? Server(s.MailOut) : null,
            seesServers ? Server(s.MailIn) : null,
            new PriceDto(s.Prices.Email, s.Prices.TextPart, s.Prices.Note, s.Prices.Currency),
            s.ProgramsApproved,
            s.OwnAddress
        );
    }

    private static async Task<Results<Ok<PracticeDto>, ValidationProblem, ProblemHttpResult>> Save(
        SettingsBody body,
        GerminalDb db,
        Secrets secrets,
        JournalNote note,
        CancellationToken stop
    )
    {
        var problems = ProblemsOf(body).ToList();
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var row = await SettingsChange.LockAsync(db, stop);
        var settings = row.Settings;
        if (body.Policies is not null && await MissedPolicyAsync(db, settings, body.Policies, stop) is { } missed)
        {
            return Problems.Field("policies", missed);
        }

        var before = SettingsChange.Parts(settings);
        Take(body, settings, secrets);
        var missing = MissingPasswords(settings).ToList();
        if (missing.Count > 0)
        {
            return Problems.Fields(missing);
        }

        await SettingsChange.SaveAsync(db, row, stop);
        await PracticeClock.LookAgainAsync(db, stop);
        await transaction.CommitAsync(stop);
        note.Say(string.Join(", ", SettingsChange.Parts(settings).Where(p => p.Value != before[p.Key]).Select(p => p.Key)));
        return TypedResults.Ok(Dto(row, true));
    }

    /// <summary>Takes in what the page says; everything else stays as it is.</summary>
    private static void Take(SettingsBody body, PracticeSettings s, Secrets secrets)
    {
        s.QuietFrom = body.QuietFrom;
        s.QuietTo = body.QuietTo;
        s.PostalAddress = body.PostalAddress.Trim();
        s.OwnAddress = body.OwnAddress?.Trim() ?? s.OwnAddress;
        s.Voice = body.Voice;
        s.OpenChannels = [.. body.OpenChannels];
        s.Pace =
        [
            .. body.Pace.Select(p => new PaceSettings
            {
                Max = p.Max,
                Days = p.Days,
                Channels = [.. p.Channels],
            }),
        ];
        s.DailyLimits = body.DailyLimits.ToDictionary();
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
        s.AppointmentTypes = [.. body.AppointmentTypes];
        s.Topics = [.. body.Topics];
        s.KeyDates = body.KeyDates is null ? s.KeyDates : DatesOf(body.KeyDates);
        s.OwnFields = body.OwnFields is null ? s.OwnFields : [.. FieldsOf(body).Select(Service.People.OwnFields.Stored)];
        s.Relations = body.Relations is null ? s.Relations : RolesOf(body.Relations);
        s.Policies = body.Policies is null ? s.Policies : [.. body.Policies.Select(Kept)];
        s.SeeOpens = body.SeeOpens;
        s.LinkParameters = body.LinkParameters.ToDictionary();
        s.KeepEventsMonths = body.KeepEventsMonths;
        s.KeepJournalMonths = body.KeepJournalMonths ?? s.KeepJournalMonths;
        s.StrictForTransactional = body.StrictForTransactional;
        s.TextNumber = body.TextNumber.Trim();
        var mailOut = Server(body.MailOut, s.MailOut, secrets);
        s.MailWorked = s.MailWorked && SameServer(mailOut, s.MailOut);
        s.MailOut = mailOut;
        s.MailIn = Server(body.MailIn, s.MailIn, secrets);
    }

    /// <summary>
    /// A server without a new password keeps the one it has, if it is the very same server, user and security: a password is never
    /// sent where it was not given for.
    /// </summary>
    private static MailServerSettings? Server(ServerBody? body, MailServerSettings? old, Secrets secrets)
    {
        if (body is null || body.Host.Trim().Length == 0)
        {
            return null;
        }

        var made = new MailServerSettings
        {
            Host = body.Host.Trim(),
            Port = body.Port,
            Security = body.Security,
            User = body.User.Trim(),
        };
        made.SealedPassword =
            body.Password is { Length: > 0 } given ? secrets.Seal(given)
            : old is not null && SameServer(made, old) ? old.SealedPassword
            : "";
        return made;
    }

    private static bool SameServer(MailServerSettings? one, MailServerSettings? other) =>
        string.Equals(one?.Host, other?.Host, StringComparison.OrdinalIgnoreCase) && (one?.Port, one?.Security, one?.User) == (other?.Port, other?.Security, other?.User);

    /// <summary>What is missing at servers that have changed: their passwords.</summary>
    private static IEnumerable<(string Field, string Message)> MissingPasswords(PracticeSettings now)
    {
        foreach (var (field, server) in new[] { ("mailOut", now.MailOut), ("mailIn", now.MailIn) })
        {
            if (MissingPassword(server) is { } missing)
            {
                yield return (field, missing);
            }
        }
    }

    private static string? MissingPassword(MailServerSettings? server) =>
        server is { User.Length: > 0, SealedPassword.Length: 0 }
            ? $"Give the password of “{server.User}” at {server.Host} anew: the one that is kept was given for another server, user or security."
            : null;

    private static string? ServerProblem(ServerBody? server) =>
        server is { Host.Length: > 0 } && (server.Port is < 1 or > 65535 || !Securities.Contains(server.Security, StringComparer.Ordinal))
            ? "A server needs a port from 1 to 65535 and a security of none, starttls or tls."
            : null;

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
        return names.Any(n => n.Length is 0 or > 60) ? "A policy needs a name, at most 60 letters."
            : names.GroupBy(n => n, Words).FirstOrDefault(g => g.Count() > 1) is { } twice ? $"There is a policy “{twice.Key}” already; each needs a name of its own."
            : policies.SelectMany(p => p.OpenChannels).FirstOrDefault(c => !Channels.Contains(c, StringComparer.Ordinal)) is { } odd ? $"“{odd}” is no channel; {string.Join(", ", Channels)} are."
            : policies.Any(p => p.InquiryMonths is < 0 or > 120 || p.ClientMonths is < 0 or > 120) ? "What an inquiry or being a client carries is 0 to 120 months."
            : policies.Any(p => p.Footer.Length > 1000 || p.Topics.Count > 100) ? "What stands under letters has at most 1,000 letters."
            : null;
    }

    /// <summary>A policy that is gone while a program goes by it; programs as they are written now or are on.</summary>
    private static async Task<string?> MissedPolicyAsync(GerminalDb db, PracticeSettings before, IReadOnlyList<PolicyDto> after, CancellationToken stop)
    {
        var gone = before.Policies.Select(p => p.Name).Where(n => !after.Any(a => Words.Equals(CellReading.Clean(a.Name), n))).ToHashSet(Words);
        if (gone.Count == 0)
        {
            return null;
        }

        var users = (await ProgramTexts.AllAsync(db, stop))
            .Select(p => (p.Name, ProgramFile.Read(p.Text).Program?.Policy))
            .Where(p => p.Policy is { } policy && gone.Contains(policy))
            .ToList();
        return users.Count == 0
            ? null
            : $"“{users[0].Policy}” is what {string.Join(", ", users.Select(u => $"“{u.Name}”").Distinct())} {(users.Select(u => u.Name).Distinct().Count() == 1 ? "goes" : "go")} by; choose another there first.";
    }

    private static IEnumerable<(string Field, string Message)> ProblemsOf(SettingsBody body)
    {
        if (body.Policies is not null && PolicyProblem(body.Policies) is { } wrongPolicy)
        {
            yield return ("policies", wrongPolicy);
        }

        if (body.Relations is not null && RolesOf(body.Relations).SelectMany(r => new[] { r.Role, r.Back }).FirstOrDefault(r => r.Length > 40 || r.Contains('/', StringComparison.Ordinal)) is { } long40)
        {
            yield return ("relations", $"“{long40}” is no role; at most 40 letters, and what the other is in return after one slash: solicitor / client.");
        }

        if (body.OwnFields?.FirstOrDefault(f => OwnField.KindOf(f.Kind) is null) is { } odd)
        {
            yield return ("ownFields", $"“{odd.Kind}” is no kind of field; {string.Join(", ", OwnField.Kinds.Select(k => k.Word))} are.");
            yield break;
        }

        // A person's page takes names of that length.
        if (body.KeyDates?.FirstOrDefault(d => CellReading.Clean(d).Length > 40) is { } tooLong)
        {
            yield return ("keyDates", $"“{tooLong}” is too long for the name of a date; at most 40 letters.");
        }

        if (Service.People.OwnFields.ProblemOf(FieldsOf(body)) is { } wrong)
        {
            yield return ("ownFields", wrong);
        }

        foreach (var (field, value) in new[] { ("quietFrom", body.QuietFrom), ("quietTo", body.QuietTo) })
        {
            // 47 CFR 64.1200(c)(1): a practice may narrow these hours, never widen them.
            if (!Core.Time.TimesOfDay.Form.Parse(value).TryGetValue(default, out var time) || time < new LocalTime(8, 0) || time > new LocalTime(21, 0))
            {
                yield return (field, $"“{value}” is no time from 08:00 to 21:00; these hours may be narrowed, not widened.");
            }
        }

        if (string.CompareOrdinal(body.QuietFrom, body.QuietTo) >= 0)
        {
            yield return ("quietTo", "The hours must end after they begin.");
        }

        if (string.IsNullOrWhiteSpace(body.PostalAddress))
        {
            yield return ("postalAddress", "Every commercial email carries the practice's postal address; write it here.");
        }

        if (body.OwnAddress?.Trim() is { Length: > 0 } address && !Core.Contact.Addresses.IsEmail(address))
        {
            yield return ("ownAddress", $"“{address}” is not an email address; office@example.com would be.");
        }

        if (body.Voice is not ("I" or "we"))
        {
            yield return ("voice", "A practice speaks as I or as we.");
        }

        if (body.TextNumber.Trim() is { Length: > 0 } number && !Core.Contact.Addresses.IsWellFormed(Core.Contact.Channel.Text, number))
        {
            yield return ("textNumber", $"“{number}” is no number in international form; +12075550100 would be.");
        }

        foreach (var (field, months) in new[] { ("keepEventsMonths", (int?)body.KeepEventsMonths), ("keepJournalMonths", body.KeepJournalMonths) })
        {
            if (months is < 0 or > 1200)
            {
                yield return (field, "Say after how many months, at most 1,200; 0 keeps everything.");
            }
        }

        if (
            body.Pace.Any(p =>
                p.Max is < 1 or > 1000 || p.Days is < 1 or > 366 || p.Channels.Count == 0 || p.Channels.Except(Channels, StringComparer.Ordinal).Any()
            )
        )
        {
            yield return ("pace", "A pace rule is at least 1 message in 1 to 366 days over email, text, call or post.");
        }

        if (body.DailyLimits.Any(l => l.Value is < 1 or > 1_000_000 || l.Key is not ("email" or "text")))
        {
            yield return ("dailyLimits", "A daily limit is at least 1, for email or text.");
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
            yield return ("prices", "A price is between 0 and 1,000, in a currency of three letters such as USD.");
        }

        if (body.OpenChannels.Except(Channels, StringComparer.Ordinal).Any())
        {
            yield return ("openChannels", "The channels are email, text, call and post.");
        }

        foreach (var (field, server) in new[] { ("mailOut", body.MailOut), ("mailIn", body.MailIn) })
        {
            if (ServerProblem(server) is { } problem)
            {
                yield return (field, problem);
            }
        }
    }

    /// <summary>The server that stands on the page, saved or not, with what is wrong with it.</summary>
    internal static (MailServerSettings? Server, ValidationProblem? Problem) OnThePage(
        string field,
        ServerBody body,
        MailServerSettings? kept,
        Secrets secrets
    )
    {
        var server = Server(body, kept, secrets);
        var problem = ServerProblem(body) ?? MissingPassword(server);
        return (server, problem is null ? null : Problems.Field(field, problem));
    }

    /// <summary>Sends one message to the caller through the server that stands on the page, and says what it answered. Nothing is saved.</summary>
    private static async Task<Results<Ok<TestAnswer>, ValidationProblem, ProblemHttpResult>> TestMail(
        ServerBody body,
        GerminalDb db,
        Caller caller,
        IMailTransport mail,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var (server, problem) = OnThePage("mailOut", body, practice.Settings.MailOut, secrets);
        if (problem is not null)
        {
            return problem;
        }

        return TypedResults.Ok(await SendTestAsync(db, practice, server, caller, mail, secrets, stop));
    }

    /// <summary>Sends one message to the caller by a server, and says what it answered.</summary>
    internal static async Task<TestAnswer> SendTestAsync(
        GerminalDb db,
        PracticeRow practice,
        MailServerSettings? server,
        Caller caller,
        IMailTransport mail,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var address = await db.Users.Where(u => u.Id == caller.Id).Select(u => u.Email!).SingleAsync(stop);
        using var message = new MimeMessage
        {
            Subject = $"A test from {practice.Name}",
            Body = new TextPart("plain") { Text = "Mail goes out. Nothing else is to be done.\n" },
        };
        message.MessageId = MimeKit.Utils.MimeUtils.GenerateMessageId(address[(address.LastIndexOf('@') + 1)..]);
        message.From.Add(new MailboxAddress(caller.Name, address));
        message.To.Add(new MailboxAddress(caller.Name, address));
        var answer = await mail.SendAsync(message, null, secrets.Open(server), stop);
        var worked = answer.Result == Germinal.Channels.ProviderResult.Sent;
        var by = server is null ? "the installation's own server" : $"{server.Host}, port {server.Port}";
        return new TestAnswer(worked, worked ? $"sent to {address} by {by}: {answer.Words}" : answer.Words);
    }

    /// <summary>Reads the mailbox that stands on the page. Nothing is saved but the answers that lie in it.</summary>
    private static async Task<Results<Ok<TestAnswer>, ValidationProblem, ProblemHttpResult>> TestMailbox(
        ServerBody body,
        GerminalDb db,
        Service.Incoming.MailboxReader reader,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var (mailbox, problem) = OnThePage("mailIn", body, practice.Settings.MailIn, secrets);
        if (problem is not null)
        {
            return problem;
        }

        if (secrets.Open(mailbox) is not { } server)
        {
            return TypedResults.Ok(new TestAnswer(false, "No mailbox is set."));
        }

        var trouble = await reader.ReadAsync(practice.Id, server, stop);
        return TypedResults.Ok(new TestAnswer(trouble is null, trouble ?? $"the mailbox of {server.User} at {server.Host} was read."));
    }
}
