using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>The checks of section 8; their order is that of <see cref="DueChecks"/>. Closed.</summary>
public enum CheckKind
{
    RunGoing = 1,
    PersonReachable = 2,
    OnlyIf = 3,
    HasAddress = 4,
    NotSuppressed = 5,
    Consent = 6,
    InTime = 7,
    WindowOpen = 8,
    Pace = 9,
    DailyLimit = 10,
    CanBeFilled = 11,

    /// <summary>Rule 3.7, asked after consent; its number is the next free one, as numbers are kept with each decision.</summary>
    OnePerHousehold = 12,

    /// <summary>Rule 3.6, asked before the address.</summary>
    HasReader = 13,
}

/// <summary>One check of a decision and the facts it found, in the order its sentence needs them.</summary>
public sealed record Check(CheckKind Kind, bool Passed, params string[] Found);

/// <summary>What the pace check found where it held a touch back.</summary>
/// <param name="Rule">The rule.</param>
/// <param name="Sent">How many it counted.</param>
/// <param name="FreeOn">The first date on which what was sent already does not fill the rule by itself; null where it does not today.</param>
internal sealed record HeldByPace(PaceRule Rule, int Sent, LocalDate? FreeOn);

/// <summary>What is lacking to fill a message.</summary>
/// <param name="Reason"><see cref="Reason.CannotFill"/> or <see cref="Reason.NoSender"/>.</param>
/// <param name="Fields">The merge fields without a value.</param>
internal sealed record Lack(Reason Reason, IReadOnlyList<string> Fields);

/// <summary>
/// What a decision looked at: which checks were made, and of what they found only what cannot be read again from the facts
/// it was made of. It never changes; the checks as they are stored and told are made of it when somebody asks.
/// </summary>
public sealed class Trail
{
    /// <summary>Of what needed no check: a stop, a step that was skipped as it was planned.</summary>
    public static Trail None { get; } = new();

    private readonly Practice? practice;
    private readonly PersonFacts? person;
    private readonly PersonFacts? reader;
    private readonly ProgramDefinition? program;
    private readonly Step? step;
    private readonly Instant firstDue;
    private readonly Instant moment;
    private readonly Distance? lateLimit;
    private readonly ConsentReading consent;
    private readonly string? overruled;
    private readonly object? held;
    private readonly ushort made;
    private readonly ushort failed;

    private Trail() { }

    internal Trail(Judging touch)
    {
        practice = touch.Practice;
        person = touch.Person;
        reader = touch.Reader ?? touch.Person;
        program = touch.Program;
        step = touch.Step;
        firstDue = touch.Run.FirstDue;
        moment = touch.Now;
        lateLimit = touch.LateLimit;
        consent = touch.Consent;
        overruled = touch.Overruled;
        made = touch.Made;
        failed = touch.Failed;
        held = (object?)touch.HeldBack ?? (Has(failed, CheckKind.CanBeFilled) ? touch.Lacking : null);
    }

    /// <summary>The checks in their order, each with what it found.</summary>
    public IReadOnlyList<Check> ToChecks()
    {
        var checks = new List<Check>(DueChecks.InOrder.Length);
        foreach (var check in DueChecks.InOrder)
        {
            if (Has(made, check.Kind))
            {
                checks.Add(new Check(check.Kind, !Has(failed, check.Kind), Found(check.Kind)));
            }
        }

        return checks;
    }

    /// <summary>The bit of a check in a set of them.</summary>
    internal static ushort Bit(CheckKind kind) => (ushort)(1 << (int)kind);

    private static bool Has(ushort checks, CheckKind kind) => (checks & Bit(kind)) != 0;

    private string[] Found(CheckKind kind) =>
        kind switch
        {
            CheckKind.PersonReachable => [Judging.GoneBy(person!)?.Word() ?? ""],
            CheckKind.OnlyIf => [step!.OnlyIf is null ? "none" : "rule"],
            CheckKind.HasReader => [ReaderName, RoleOf(step!.To), GoneWord],
            CheckKind.HasAddress => [Address, ContactWords.Of(Channel)],
            CheckKind.NotSuppressed => [Address],
            CheckKind.Consent =>
            [
                ContactWords.Of(Channel),
                ContactWords.Of(consent.Verdict),
                consent.Decided is { } decided ? ContactWords.Of(decided.Basis) : "",
                consent.Decided?.Source ?? "",
                consent.Decided is { } d && d.At != Instant.MinValue ? InstantPattern.ExtendedIso.Format(d.At) : "",
                .. overruled is null ? Array.Empty<string>() : [overruled],
            ],
            CheckKind.InTime => lateLimit is { } limit ? [limit.Text, InstantPattern.ExtendedIso.Format(limit.AddTo(firstDue, Clock))] : ["", ""],
            CheckKind.WindowOpen => [LocalTimePattern.ExtendedIso.Format(moment.InZone(Clock).TimeOfDay), Clock.Id],
            CheckKind.Pace when held is HeldByPace by => [Number(by.Sent), Number(by.Rule.Max), Number(by.Rule.Days)],
            CheckKind.Pace when program!.PaceLifted is { } reason => [reason],
            CheckKind.DailyLimit when Channel == Contact.Channel.Email && practice!.SenderFor(person!, step!) is { MostEmails: { } most } => [Number(most)],
            CheckKind.DailyLimit when practice!.DailyLimits.TryGetValue(Channel, out var limit) => [Number(limit)],
            CheckKind.CanBeFilled when held is Lack lack => [lack.Reason.Word(), .. lack.Fields],
            _ => [],
        };

    private string ReaderName => ReferenceEquals(reader, person) ? "" : reader!.Name;

    private string GoneWord => ReferenceEquals(reader, person) ? "" : Judging.GoneBy(reader!)?.Word() ?? "";

    private static string RoleOf(SendTo? to) => to is ToRelated related ? related.Role : "";

    private Channel Channel => step!.Channel!.Value;

    private string Address => reader!.AddressOf(Channel) ?? "";

    private DateTimeZone Clock => practice!.ClockOf(program!, person!);

    private static string Number(int n) => n.ToString(CultureInfo.InvariantCulture);
}
