using System.Collections.Immutable;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>What a step asks of section 8 beside the checks every step needs.</summary>
[Flags]
internal enum Needs
{
    /// <summary>Only what every step needs.</summary>
    Every = 0,

    /// <summary>It has an hour: late limit and window.</summary>
    Hour = 1,

    /// <summary>It reaches the person over a channel: address and consent.</summary>
    Channel = 2,

    /// <summary>It counts among the day's messages.</summary>
    Limit = 4,

    /// <summary>Its words are filled in before it goes.</summary>
    Words = 8,

    /// <summary>It goes once to each household and date.</summary>
    Household = 16,

    /// <summary>Somebody else reads it (rule 3.6).</summary>
    Reader = 32,

    /// <summary>It counts among what the person gets, and is held by what they have had: pace.</summary>
    Pace = 64,

    /// <summary>Whoever reads it has to have said yes.</summary>
    Consent = 128,

    /// <summary>All there is.</summary>
    All = 255,
}

/// <summary>What becomes of a touch whose check fails.</summary>
internal enum Failing
{
    /// <summary>The check passed.</summary>
    Not,

    /// <summary>Cancelled; the run stops and takes its open tasks along (rule 6.4).</summary>
    Stops,

    /// <summary>Cancelled; the run ends.</summary>
    Ends,

    /// <summary>Skipped; the run goes on.</summary>
    Skips,

    /// <summary>Judged again at another moment.</summary>
    Waits,

    /// <summary>Kept to be mended.</summary>
    Blocks,
}

/// <summary>What a check found.</summary>
/// <param name="How">What becomes of the touch.</param>
/// <param name="Reason">Why; of no weight where it passed.</param>
/// <param name="Next">When a touch that waits is judged again; null: never.</param>
internal readonly record struct Finding(Failing How, Reason Reason, Instant? Next = null)
{
    public static Finding Passed => default;
}

/// <summary>One check of section 8.</summary>
/// <param name="Kind">Its name and number.</param>
/// <param name="For">The steps that need it.</param>
/// <param name="Look">Looks, and says what becomes of the touch.</param>
internal sealed record DueCheck(CheckKind Kind, Needs For, Func<PersonTurn, Judging, Finding> Look);

/// <summary>Section 8: the decision when a touch falls due, as one list; the first that fails decides.</summary>
internal static class DueChecks
{
    /// <summary>The checks in their order.</summary>
    public static ImmutableArray<DueCheck> InOrder { get; } =
    [
        new(CheckKind.RunGoing, Needs.Every, static (turn, touch) => turn.RunStillGoes(touch)),
        new(CheckKind.PersonReachable, Needs.Every, static (_, touch) => PersonTurn.PersonMayBeReached(touch)),
        new(CheckKind.OnlyIf, Needs.Every, static (turn, touch) => turn.StepIsForThem(touch)),
        new(CheckKind.HasReader, Needs.Reader, static (_, touch) => PersonTurn.SomebodyReadsIt(touch)),
        new(CheckKind.HasAddress, Needs.Channel, static (turn, touch) => turn.AddressIsThere(touch)),
        new(CheckKind.NotSuppressed, Needs.Channel, static (_, touch) => PersonTurn.AddressIsNotSuppressed(touch)),
        new(CheckKind.Consent, Needs.Consent, static (turn, touch) => turn.ConsentIsThere(touch)),
        new(CheckKind.OnePerHousehold, Needs.Household, static (turn, touch) => turn.NobodyOfTheHouseholdHadIt(touch)),
        new(CheckKind.InTime, Needs.Hour, static (turn, touch) => turn.ComesInTime(touch)),
        new(CheckKind.WindowOpen, Needs.Hour, static (turn, touch) => turn.WindowIsOpen(touch)),
        new(CheckKind.Pace, Needs.Pace, static (turn, touch) => turn.PaceAllows(touch)),
        new(CheckKind.DailyLimit, Needs.Limit, static (turn, touch) => turn.DailyLimitAllows(touch)),
        new(CheckKind.CanBeFilled, Needs.Words, static (turn, touch) => turn.CanBeFilled(touch)),
    ];

    /// <summary>Where each check stands in the order.</summary>
    private static readonly ImmutableArray<int> Places =
    [
        .. Enumerable.Range(0, InOrder.Max(c => (int)c.Kind) + 1).Select(kind => InOrder.Select(c => (int)c.Kind).ToList().IndexOf(kind)),
    ];

    /// <summary>True where a check comes after another.</summary>
    public static bool ComesAfter(CheckKind check, CheckKind other) => Places[(int)check] > Places[(int)other];

    /// <summary>What a step needs: what its kind does (the last lines of section 8), and what it asks for itself.</summary>
    public static Needs NeedsOf(Step step) =>
        OfKind(step)
        | (step.OnePerHousehold ? Needs.Household : Needs.Every)
        | (
            step.Channel is null ? Needs.Every
            : step.To is null ? Needs.Pace | Needs.Consent
            : step.To is ToOwner ? Needs.Reader
            : Needs.Reader | Needs.Consent
        );

    private static Needs OfKind(Step step) =>
        step switch
        {
            EmailStep or TextStep => Needs.Hour | Needs.Channel | Needs.Limit | Needs.Words,
            NoteStep => Needs.Hour | Needs.Channel | Needs.Words,
            CallStep => Needs.Hour | Needs.Channel,
            TaskStep => Needs.Hour,
            _ => Needs.Every,
        };

    /// <summary>
    /// The checks that a practice asks, by what a step needs: pace and daily limit are not asked where it has set none.
    /// </summary>
    public static ImmutableArray<DueCheck>[] AskedBy(Practice practice)
    {
        bool IsSet(DueCheck check) =>
            check.Kind switch
            {
                CheckKind.Pace => practice.Pace.Count > 0,
                CheckKind.DailyLimit => practice.LimitsDays,
                _ => true,
            };
        return [.. Enumerable.Range(0, (int)Needs.All + 1).Select(needs => InOrder.Where(c => IsSet(c) && ((Needs)needs & c.For) == c.For).ToImmutableArray())];
    }
}
