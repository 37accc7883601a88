using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Broadcasts;

/// <summary>A number of people with its share of another number, and the interval in which the true share lies (rule 14.1).</summary>
/// <param name="What">Its word: one of <see cref="ResultWords"/>.</param>
/// <param name="Number">How many.</param>
/// <param name="Of">Of how many.</param>
/// <param name="Share">The share itself.</param>
/// <param name="Low">The lower end of the 95 % interval (Wilson 1927).</param>
/// <param name="High">The upper end.</param>
public sealed record ResultLine(string What, int Number, int Of, double Share, double Low, double High)
{
    /// <summary>Some of a number.</summary>
    public static ResultLine Some(string what, int number, int of)
    {
        var found = Proportion.Wilson(Math.Min(number, of), of, Trust.NinetyFive);
        return new ResultLine(what, number, of, found.Share, found.Low, found.High);
    }
}

/// <summary>People who do not get it, or do not yet, for one reason.</summary>
/// <param name="What">Its word, by which one asks who they are.</param>
/// <param name="Text">In words.</param>
/// <param name="Number">How many.</param>
public sealed record ResultReason(string What, string Text, int Number);

/// <summary>An hour since it was sent, and how many opened it or followed a link in it then for the first time.</summary>
public sealed record ResultHour(int Hour, int Opened, int Followed);

/// <summary>A version beside the others.</summary>
/// <param name="Version">Its letter: A, B …</param>
/// <param name="Subject">Its subject.</param>
/// <param name="Line">How many did what decides, of those it was delivered to.</param>
public sealed record ResultVersion(string Version, string Subject, ResultLine Line);

/// <summary>How versions that are compared stand, or stood when it was decided.</summary>
/// <param name="Versions">Each of them.</param>
/// <param name="DecideAt">When it is decided; null where it has been, or is never.</param>
/// <param name="DecidedAt">When it was decided.</param>
/// <param name="Chosen">The letter of the version the rest got; null before.</param>
/// <param name="Says">What can be said, in a sentence.</param>
/// <param name="Sure">Whether the versions are told apart.</param>
public sealed record ResultVersions(IReadOnlyList<ResultVersion> Versions, string? DecideAt, string? DecidedAt, string? Chosen, string Says, bool Sure);

/// <summary>How a broadcast stands and what it did, from counts that the engine keeps up.</summary>
/// <param name="People">For how many it began.</param>
/// <param name="Sent">How many went.</param>
/// <param name="Delivered">Sent less those that came back (rule 14.1).</param>
/// <param name="Lines">Rates, in the order of <see cref="ResultWords.Shown"/>.</param>
/// <param name="Left">What has not gone yet, by what it waits for.</param>
/// <param name="Held">What does not go, by reason.</param>
/// <param name="ByMachines">How many only machines have looked at so far.</param>
/// <param name="Hours">The first 48 hours (rule 14.7).</param>
/// <param name="Versions">Versions that are compared; null where there is one.</param>
public sealed record BroadcastNumbers(
    int People,
    int Sent,
    int Delivered,
    IReadOnlyList<ResultLine> Lines,
    IReadOnlyList<ResultReason> Left,
    IReadOnlyList<ResultReason> Held,
    int ByMachines,
    IReadOnlyList<ResultHour> Hours,
    ResultVersions? Versions
);

/// <summary>The words by which one asks for numbers and for the people behind them.</summary>
public static class ResultWords
{
    public const string Sent = "sent";
    public const string Delivered = "delivered";
    public const string Hard = "bounced-hard";
    public const string Soft = "bounced-soft";
    public const string Opened = "opened";
    public const string NotOpened = "not-opened";
    public const string Followed = "followed";
    public const string Answered = "answered";
    public const string OptedOut = "opted-out";
    public const string Complained = "complained";

    /// <summary>Begins the word of those who wait for something.</summary>
    public const string Waits = "waits:";

    /// <summary>Begins the word of those who do not get it for a reason.</summary>
    public const string Held = "held:";

    /// <summary>Begins the word of those for whom it did not even start.</summary>
    public const string Refused = "refused:";

    /// <summary>The rates that are shown, in order.</summary>
    public static IReadOnlyList<string> Shown { get; } = [Delivered, Hard, Soft, Opened, NotOpened, Followed, Answered, OptedOut, Complained];
}

/// <summary>What a broadcast did: numbers, and the people behind each.</summary>
public static class BroadcastResults
{
    /// <summary>The numbers of a broadcast that has begun.</summary>
    public static async Task<BroadcastNumbers> OfAsync(GerminalDb db, BroadcastRow row, CancellationToken stop)
    {
        var program = row.ProgramId ?? Guid.Empty;
        var tallies = await Tallies.OfAsync(db, program, stop);
        var refused = await db.Refusals.Where(r => r.ProgramId == program).GroupBy(r => r.Reason).Select(g => new { g.Key, Count = g.Select(r => r.PersonId).Distinct().Count() }).ToListAsync(stop);
        var versions = row.Plan.Test is { } test ? await VersionsAsync(db, row, program, test, stop) : null;
        return Numbers(row.People, tallies, [.. refused.Select(r => new ResultReason(ResultWords.Refused + r.Key, Why.Reason(r.Key), r.Count))], versions);
    }

    /// <summary>The numbers, from counts alone.</summary>
    public static BroadcastNumbers Numbers(int people, IReadOnlyList<Tally> tallies, IReadOnlyList<ResultReason> refused, ResultVersions? versions)
    {
        int Count(string what, Func<Tally, bool>? which = null) => tallies.Where(t => t.What == what && (which is null || which(t))).Sum(t => t.Number);
        var sent = Count(TouchStatus.Sent.Word()) + Count(TouchStatus.Done.Word());
        var (hard, soft) = (Count("bounced", t => t.Detail == "hard"), Count("bounced", t => t.Detail != "hard"));
        var delivered = sent - hard - soft;
        var opened = Count(ResultWords.Opened);

        // A card is delivered and cannot be seen to be opened: only what goes by email can.
        var emails = tallies.Where(t => t.StepId.StartsWith("email", StringComparison.Ordinal) && t.What == TouchStatus.Sent.Word()).Sum(t => t.Number);
        var emailsDelivered = emails - Count("bounced", t => t.StepId.StartsWith("email", StringComparison.Ordinal));
        return new BroadcastNumbers(
            people,
            sent,
            delivered,
            [
                ResultLine.Some(ResultWords.Delivered, delivered, sent),
                ResultLine.Some(ResultWords.Hard, hard, sent),
                ResultLine.Some(ResultWords.Soft, soft, sent),
                ResultLine.Some(ResultWords.Opened, opened, emailsDelivered),
                ResultLine.Some(ResultWords.NotOpened, Math.Max(0, emailsDelivered - opened), emailsDelivered),
                ResultLine.Some(ResultWords.Followed, Count(ResultWords.Followed), delivered),
                ResultLine.Some(ResultWords.Answered, Count(ResultWords.Answered), delivered),
                ResultLine.Some(ResultWords.OptedOut, Count(ResultWords.OptedOut), delivered),
                ResultLine.Some(ResultWords.Complained, Count(ResultWords.Complained), delivered),
            ],
            [.. Reasons(tallies.Where(t => Unsettled.Contains(t.What)), ResultWords.Waits)],
            [.. Reasons(tallies.Where(t => NotGone.Contains(t.What)), ResultWords.Held), .. refused],
            Count("by-machine"),
            [.. Enumerable.Range(0, 48).Select(h => new ResultHour(h, Count(ResultWords.Opened, t => t.Hour == h), Count(ResultWords.Followed, t => t.Hour == h)))],
            versions
        );
    }

    private static readonly string[] Unsettled = [.. new[] { TouchStatus.Planned, TouchStatus.Handing, TouchStatus.Uncertain, TouchStatus.Blocked, TouchStatus.Open }.Select(s => s.Word())];

    private static readonly string[] NotGone = [.. new[] { TouchStatus.Skipped, TouchStatus.GivenUp, TouchStatus.Cancelled }.Select(s => s.Word())];

    /// <summary>Touches by reason. Those that part people and go to nobody are left out.</summary>
    private static IEnumerable<ResultReason> Reasons(IEnumerable<Tally> tallies, string before) =>
        tallies
            .Where(t => t.StepId != BroadcastProgram.Split)
            .GroupBy(t => t.Detail.Length > 0 ? t.Detail : t.What)
            .Select(g => new ResultReason(before + g.Key, Core.Engine.Reasons.Read(g.Key) is null ? Standing(g.Key) : Why.Reason(g.Key), g.Sum(t => t.Number)))
            .Where(r => r.Number > 0)
            .OrderByDescending(r => r.Number);

    private static string Standing(string status) =>
        status switch
        {
            "planned" => Said("its time has not come"),
            "handing" => Said("on its way"),
            "uncertain" => Said("nobody can say whether it arrived"),
            "open" => Said("on somebody’s day sheet"),
            _ => status,
        };

    private static async Task<ResultVersions> VersionsAsync(GerminalDb db, BroadcastRow row, Guid program, BroadcastTest test, CancellationToken stop)
    {
        var words = BroadcastProgram.VersionsOf(row.Plan);
        var counted = row.Decided?.Versions ?? await BroadcastVersions.CountAsync(db, program, row.Plan, test.By, stop);
        var verdict = row.Decided?.Verdict ?? Verdict.Of(counted);
        return new ResultVersions(
            [.. counted.Select((c, n) => new ResultVersion(BroadcastProgram.LetterOf(n), words[n].Subject, ResultLine.Some(test.By, c.Did, c.Delivered)))],
            row.DecideAt?.Iso(),
            row.Decided?.At,
            row.Decided is { } decided ? BroadcastProgram.LetterOf(decided.Chosen) : null,
            Says(verdict, row.Decided is not null, test.Share < 100),
            verdict.Decided
        );
    }

    /// <summary>What can be said of versions, in a sentence; a difference that may be chance is called nothing else.</summary>
    public static string Says(Verdict verdict, bool over, bool rest)
    {
        if (verdict.TooEarly)
        {
            return over
                ? Say($"Too few arrived to tell them apart: under {Verdict.Least} of one version.{(rest ? Said(" The rest got A.") : "")}")
                : Say($"Too early to say: under {Verdict.Least} of one version have arrived.");
        }

        var best = BroadcastProgram.LetterOf(verdict.Best);
        if (!verdict.Decided)
        {
            return Say($"They cannot be told apart: {best} did best, but such a difference comes about by chance alone too often (p = {P(verdict)}).{(over && rest ? Said(" The rest got A.") : "")}");
        }

        return Say($"{best} did better, and chance alone would hardly do that (p = {P(verdict)}).{(over && rest ? Say($" The rest got {best}.") : "")}");
    }

    private static string P(Verdict verdict) =>
        verdict.Against is not { } against ? "1"
        : against.P < 0.001 ? "under 0.001"
        : against.P.ToString("0.000", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>The people behind a number.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The broadcast's program.</param>
    /// <param name="what">Its word.</param>
    /// <returns>Null for a word that is none.</returns>
    public static IQueryable<PersonRow>? Who(GerminalDb db, Guid program, string what)
    {
        var touches = db.Touches.Where(t => t.ProgramId == program && t.StepId != BroadcastProgram.Split);
        var messages = db.Messages.Where(m => m.ProgramId == program && m.MemberId == null);
        IQueryable<Guid>? who = what switch
        {
            ResultWords.Sent => touches.Where(t => t.Status == TouchStatus.Sent || t.Status == TouchStatus.Done).Select(t => t.PersonId),
            ResultWords.Delivered => touches
                .Where(t => (t.Status == TouchStatus.Sent || t.Status == TouchStatus.Done) && !messages.Any(m => m.TouchId == t.Id && m.BouncedAt != null))
                .Select(t => t.PersonId),
            ResultWords.Hard => messages.Where(m => m.BouncedAt != null && m.Bounce == "hard").Select(m => m.PersonId),
            ResultWords.Soft => messages.Where(m => m.BouncedAt != null && m.Bounce != "hard").Select(m => m.PersonId),
            ResultWords.Opened => messages.Where(m => m.OpenedAt != null).Select(m => m.PersonId),
            ResultWords.NotOpened => messages.Where(m => m.Channel == "email" && m.OpenedAt == null && m.BouncedAt == null).Select(m => m.PersonId),
            ResultWords.Followed => messages.Where(m => m.FollowedAt != null).Select(m => m.PersonId),
            ResultWords.Answered => messages.Where(m => m.AnsweredAt != null).Select(m => m.PersonId),
            ResultWords.OptedOut => messages.Where(m => m.OptedOutAt != null).Select(m => m.PersonId),
            ResultWords.Complained => messages.Where(m => m.ComplainedAt != null).Select(m => m.PersonId),
            _ => null,
        };
        if (After(what, ResultWords.Waits) is { } waits)
        {
            who = touches.Where(t => t.SettledAt == null || t.Status == TouchStatus.Open).Where(StandsAs(waits)).Select(t => t.PersonId);
        }
        else if (After(what, ResultWords.Held) is { } held)
        {
            who = touches.Where(t => t.Status == TouchStatus.Skipped || t.Status == TouchStatus.GivenUp || t.Status == TouchStatus.Cancelled).Where(StandsAs(held)).Select(t => t.PersonId);
        }
        else if (After(what, ResultWords.Refused) is { } refused)
        {
            who = db.Refusals.Where(r => r.ProgramId == program && r.Reason == refused).Select(r => r.PersonId);
        }

        return who is null ? null : db.People.Where(p => who.Contains(p.Id));
    }

    private static System.Linq.Expressions.Expression<Func<TouchRow, bool>> StandsAs(string word) =>
        TouchStatuses.All.Contains(word, StringComparer.Ordinal) ? StatusIs(TouchStatuses.Read(word)) : t => t.Reason == word;

    private static System.Linq.Expressions.Expression<Func<TouchRow, bool>> StatusIs(TouchStatus status) => t => t.Status == status && (t.Reason == null || t.Reason == "");

    private static string? After(string what, string word) => what.StartsWith(word, StringComparison.Ordinal) ? what[word.Length..] : null;
}
