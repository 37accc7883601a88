using Germinal.Core.People;
using Germinal.Core.Programs;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>The checks of section 8, in their order. Closed.</summary>
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
}

/// <summary>One check of a decision and the facts it found, in the order its sentence needs them.</summary>
public sealed record Check(CheckKind Kind, bool Passed, params string[] Found);

/// <summary>
/// What a decision looked at, as the engine keeps it while it decides: typed, one small value for each touch. The checks
/// as they are stored and told are made of it only when somebody asks.
/// </summary>
public sealed class Trail
{
    /// <summary>The decision of a step that needed no check.</summary>
    public static Trail Empty { get; } = new();

    private int made;

    /// <summary>The check that failed, or null.</summary>
    public CheckKind? Failed { get; private set; }

    internal string Gone { get; set; } = "";

    internal bool HasOnlyIf { get; set; }

    internal Channel Channel { get; set; }

    internal string? Address { get; set; }

    internal ConsentReading Consent { get; set; }

    internal string Overruled { get; set; } = "";

    internal string LateLimit { get; set; } = "";

    internal Instant? LateAfter { get; set; }

    internal Instant Moment { get; set; }

    internal DateTimeZone? Clock { get; set; }

    internal int Sent { get; set; }

    internal PaceRule? Pace { get; set; }

    internal int? DailyLimit { get; set; }

    internal string Lack { get; set; } = "";

    internal IReadOnlyList<string> LackingFields { get; set; } = [];

    /// <summary>Notes a check; gives back whether it passed.</summary>
    internal bool Note(CheckKind kind, bool passed)
    {
        made |= 1 << (int)kind;
        if (!passed)
        {
            Failed = kind;
        }

        return passed;
    }

    /// <summary>The checks in their order, each with what it found.</summary>
    public IReadOnlyList<Check> ToChecks()
    {
        if (made == 0)
        {
            return [];
        }

        var checks = new List<Check>(11);
        for (var kind = CheckKind.RunGoing; kind <= CheckKind.CanBeFilled; kind++)
        {
            if ((made & (1 << (int)kind)) != 0)
            {
                checks.Add(new Check(kind, Failed != kind, Found(kind)));
            }
        }

        return checks;
    }

    private string[] Found(CheckKind kind) => kind switch
    {
        CheckKind.PersonReachable => [Gone],
        CheckKind.OnlyIf => [HasOnlyIf ? "rule" : "none"],
        CheckKind.HasAddress => [Address ?? "", FileWords.Of(Channel)],
        CheckKind.NotSuppressed => [Address ?? ""],
        CheckKind.Consent =>
        [
            FileWords.Of(Channel),
            Consent.Verdict.ToString().ToLowerInvariant(),
            Consent.Decided?.Basis.ToString().ToLowerInvariant() ?? "",
            Consent.Decided?.Source ?? "",
            Consent.Decided is { } d && d.At != Instant.MinValue ? InstantPattern.ExtendedIso.Format(d.At) : "",
            .. Overruled.Length > 0 ? new[] { Overruled } : [],
        ],
        CheckKind.InTime => [LateLimit, LateAfter is { } until ? InstantPattern.ExtendedIso.Format(until) : ""],
        CheckKind.WindowOpen => [LocalTimePattern.ExtendedIso.Format(Moment.InZone(Clock!).TimeOfDay), Clock!.Id],
        CheckKind.Pace when Pace is { } rule => [Number(Sent), Number(rule.Max), Number(rule.Days)],
        CheckKind.DailyLimit when DailyLimit is { } limit => [Number(limit)],
        CheckKind.CanBeFilled when Failed == CheckKind.CanBeFilled => [Lack, .. LackingFields],
        _ => [],
    };

    private static string Number(int n) => n.ToString(System.Globalization.CultureInfo.InvariantCulture);
}
