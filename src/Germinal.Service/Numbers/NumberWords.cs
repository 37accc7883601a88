using Germinal.Core.Results;
using Germinal.Core.Words;
using Germinal.Service.Broadcasts;
using NodaTime;

namespace Germinal.Service.Numbers;

/// <summary>What the practice's numbers are called, how each is read, and what is said of one that changed.</summary>
public static class NumberWords
{
    /// <summary>Begins the word of what was done by hand for a program.</summary>
    public const string ByProgram = "by-program:";

    /// <summary>Begins the word of those who left for a reason.</summary>
    public const string LeftFor = "left:";

    /// <summary>So many reasons and programs are shown at most.</summary>
    private const int MostLines = 8;

    /// <summary>A number that is compared with the months before.</summary>
    /// <param name="What">Its word.</param>
    /// <param name="Of">Of a share: the word of what it is a share of; null for a count.</param>
    /// <param name="Title">What it is called.</param>
    /// <param name="Says">What is said of it: {0} is the month's, {1} what is usual, {2} how many, {3} of how many.</param>
    private sealed record Measure(string What, string? Of, string Title, string Says);

    private static readonly Measure[] Reaching =
    [
        new("email", null, ToSay("emails"), ToSay("{0} emails went, against {1} in a usual month.")),
        new("text", null, ToSay("texts"), ToSay("{0} texts went, against {1} in a usual month.")),
        new("call", null, ToSay("calls made"), ToSay("{0} calls were made, against {1} in a usual month.")),
        new("note", null, ToSay("notes written"), ToSay("{0} notes were written, against {1} in a usual month.")),
        new("post", null, ToSay("posts put up"), ToSay("{0} posts were put up, against {1} in a usual month.")),
    ];

    private static readonly Measure[] Answering =
    [
        new("opened", "arrived", ToSay("emails that were opened"), ToSay("{0} of the emails that arrived were opened ({2} of {3}), against {1} before.")),
        new("followed", "delivered", ToSay("a link was followed"), ToSay("In {0} of what arrived a link was followed ({2} of {3}), against {1} before.")),
        new("answered", "delivered", ToSay("were answered"), ToSay("{0} of what arrived was answered ({2} of {3}), against {1} before.")),
        new("reached", "call", ToSay("calls that reached somebody"), ToSay("{0} of the calls reached somebody ({2} of {3}), against {1} before.")),
        new("bounced", "sent", ToSay("came back"), ToSay("{0} of what went came back ({2} of {3}), against {1} before.")),
        new("complained", "delivered", ToSay("were complained about"), ToSay("{0} of what arrived was complained about ({2} of {3}), against {1} before.")),
    ];

    private static readonly Measure[] Coming =
    [
        new("new-people", null, ToSay("new people"), ToSay("{0} new people came, against {1} in a usual month.")),
        new("inquiries", null, ToSay("inquiries"), ToSay("{0} inquiries came in, against {1} in a usual month.")),
        new("appointments", null, ToSay("appointments"), ToSay("{0} appointments were held, against {1} in a usual month.")),
        new("missed", "appointments", ToSay("appointments they missed"), ToSay("{0} of the appointments were missed ({2} of {3}), against {1} before.")),
    ];

    private static readonly Measure[] Business =
    [
        new("opportunities", null, ToSay("opportunities opened"), ToSay("{0} opportunities were opened, against {1} in a usual month.")),
        new("won", null, ToSay("won"), ToSay("{0} were won, against {1} in a usual month.")),
        new("lost", null, ToSay("lost"), ToSay("{0} were lost, against {1} in a usual month.")),
    ];

    private static readonly Measure Leaving = new("left", null, ToSay("said no to something"), ToSay("{0} times somebody said no to something, against {1} in a usual month."));

    /// <summary>The word of how long inquiries wait.</summary>
    public const string InquiryWait = "inquiry-wait";

    /// <summary>The numbers, in tables.</summary>
    public static IReadOnlyList<NumbersTable> Tables(MonthGrid grid) =>
        [
            new("reaching", Said("What went out"), "", [.. Reaching.Select(m => Row(grid, m))]),
            new("answering", Said("What came of it"), Said("by the month it went in"), [.. Answering.Select(m => Row(grid, m))]),
            new("coming", Said("Who came"), "", [.. Coming.Select(m => Row(grid, m)), Hours(grid)]),
            new("business", Said("Business"), Said("by the month it was opened or closed in"), [.. Business.Select(m => Row(grid, m)), Won(grid)]),
            new("leaving", Said("Why people leave"), Said("each no in the ledger, by the reason that was given, else by the way it came"), [Row(grid, Leaving), .. Lines(grid, LeftFor, name => name)]),
            new("time", Said("Where time goes"), Said("work done by hand"), [.. Time(grid), .. Lines(grid, ByProgram, name => Say($"for “{name}”"))]),
        ];

    /// <summary>What changed by more than noise, corrected for looking at many (<see cref="ManyLooks"/>).</summary>
    /// <returns>The surest first, and how many numbers were looked at.</returns>
    public static (IReadOnlyList<Noteworthy> Sentences, int Looked) Sentences(MonthGrid grid)
    {
        var looks = new[] { Reaching, Answering, Coming, Business, [Leaving] }.SelectMany(m => m).Select(m => Look(grid, m)).Append(LookAtWaits(grid)).OfType<Noteworthy>().ToList();
        var believed = ManyLooks.Believed([.. looks.Select(l => l.P)], 0.05);
        return ([.. looks.Where((_, i) => believed[i]).OrderBy(l => l.P).ThenBy(l => l.What, StringComparer.Ordinal).Take(PracticeNumbers.MostSentences)], looks.Count);
    }

    private static Noteworthy? Look(MonthGrid grid, Measure measure)
    {
        var before = grid.AtWork();
        int Number(YearMonth month) => grid.Number(measure.What, month);
        var now = Number(grid.Chosen);
        if (measure.Of is not { } of)
        {
            MonthCount Count(YearMonth month) => new(Number(month), month.ToDateInterval().Length);
            return MonthChange.OfCounts(Count(grid.Chosen), [.. before.Select(Count)]) is { } p
                ? new Noteworthy(measure.What, Sentence(measure, Whole(now), Whole((decimal)before.Sum(Number) / before.Count), now, 0), p, true)
                : null;
        }

        MonthShare Share(YearMonth month) => new(Number(month), grid.Number(of, month));
        var (mine, others) = (Share(grid.Chosen), before.Select(Share).ToList());
        return MonthChange.OfShares(mine, others) is { } chance
            ? new Noteworthy(measure.What, Sentence(measure, Percent(mine.Some, mine.Of), Percent(others.Sum(o => o.Some), others.Sum(o => o.Of)), mine.Some, mine.Of), chance, true)
            : null;
    }

    private static Noteworthy? LookAtWaits(MonthGrid grid)
    {
        var (now, before) = (grid.Waits(grid.Chosen), grid.AtWork().SelectMany(grid.Waits).ToList());
        return now.Count >= Verdict.Least && before.Count >= Verdict.Least && CurveDifference.LogRank(now, before) is { } found && Median(now) is { } half && Median(before) is { } usual
            ? new Noteworthy(InquiryWait, Say($"Half of the inquiries were answered within {Span(half)}, against {Span(usual)} before."), found.P, true)
            : null;
    }

    private static NumbersRow Row(MonthGrid grid, Measure measure)
    {
        var numbers = grid.Months.Select(m => (decimal?)grid.Number(measure.What, m)).ToList();
        var before = grid.AtWork();
        if (measure.Of is not { } of)
        {
            return new NumbersRow(measure.What, Said(measure.Title), "count", numbers, null, null, Mean(before, m => grid.Number(measure.What, m)), true);
        }

        var all = before.Sum(m => grid.Number(of, m));
        return new NumbersRow(
            measure.What,
            Said(measure.Title),
            "share",
            numbers,
            [.. grid.Months.Select(m => grid.Number(of, m))],
            ResultLine.Some(measure.What, grid.Number(measure.What, grid.Chosen), grid.Number(of, grid.Chosen)),
            all > 0 ? (decimal)before.Sum(m => grid.Number(measure.What, m)) / all : null,
            true
        );
    }

    private static NumbersRow Hours(MonthGrid grid) =>
        new(InquiryWait, Said("hours until half of the inquiries were answered"), "hours", [.. grid.Months.Select(m => Median(grid.Waits(m)))], null, null, Median([.. grid.AtWork().SelectMany(grid.Waits)]), true);

    private static NumbersRow Won(MonthGrid grid) =>
        new("won-money", Said("what was won"), "money", [.. grid.Months.Select(m => (decimal?)grid.Money("won", m))], null, null, Mean(grid.AtWork(), m => grid.Money("won", m)), false);

    private static IEnumerable<NumbersRow> Lines(MonthGrid grid, string with, Func<string, string> title) =>
        grid.Beginning(with)
            .Take(MostLines)
            .Select(l => new NumbersRow(l.What, title(l.Name), "count", [.. grid.Months.Select(m => (decimal?)grid.Number(l.What, m))], null, null, Mean(grid.AtWork(), m => grid.Number(l.What, m)), true));

    private static IEnumerable<NumbersRow> Time(MonthGrid grid) =>
        [
            new NumbersRow("task", Said("tasks done"), "count", [.. grid.Months.Select(m => (decimal?)grid.Number("task", m))], null, null, Mean(grid.AtWork(), m => grid.Number("task", m)), false),
            new NumbersRow("meeting-hours", Said("hours in appointments"), "hours", [.. grid.Months.Select(m => (decimal?)HoursIn(grid, m))], null, null, Mean(grid.AtWork(), m => HoursIn(grid, m)), false),
        ];

    private static decimal HoursIn(MonthGrid grid, YearMonth month) => Math.Round(grid.Number("meeting-minutes", month) / 60m, 1);

    private static decimal? Mean(IReadOnlyList<YearMonth> months, Func<YearMonth, decimal> of) => months.Count == 0 ? null : Math.Round(months.Sum(of) / months.Count, 2);

    private static decimal? Median(IReadOnlyList<Wait> waits) => waits.Count == 0 ? null : KaplanMeier.Median(KaplanMeier.Curve(waits));

    private static string Sentence(Measure measure, string now, string usual, int some, int of) => SaidWith(measure.Says, now, usual, Whole(some), Whole(of));

    private static string Whole(decimal number) => number.ToString(number is < 10 and not 0 && number != Math.Truncate(number) ? "0.0" : "#,0", Tongue.Spoken.Culture);

    private static string Percent(int some, int of) => of == 0 ? Said("none") : (100m * some / of).ToString(some * 10 < of ? "0.0" : "0", Tongue.Spoken.Culture) + " %";

    private static string Span(decimal hours) => hours < 48 ? Say($"{Whole(hours)} hours") : Say($"{Whole(hours / 24)} days");
}
