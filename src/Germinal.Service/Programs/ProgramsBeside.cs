using Germinal.Core.Results;
using Germinal.Service.Broadcasts;

namespace Germinal.Service.Programs;

/// <summary>One rate of two programs, or of two versions of one.</summary>
/// <param name="What">Its name.</param>
/// <param name="One">Of the first.</param>
/// <param name="Other">Of the second.</param>
/// <param name="Difference">The first less the second.</param>
/// <param name="Low">The lower end of its 95 % interval (Newcombe 1998, method 10).</param>
/// <param name="High">The upper end.</param>
/// <param name="Told">Whether they are told apart, all rates that are compared taken together (<see cref="ManyLooks"/>).</param>
public sealed record BesideLine(string What, ResultLine One, ResultLine Other, double Difference, double Low, double High, bool Told);

/// <summary>Two programs, or two versions of one, beside each other.</summary>
/// <param name="One">What the first is called.</param>
/// <param name="Other">What the second is called.</param>
/// <param name="Lines">What of both can be compared.</param>
/// <param name="Steps">Steps that both have, by how many of those it reached opened or followed it.</param>
/// <param name="Says">What can be said, and what cannot.</param>
public sealed record BesideDto(string One, string Other, IReadOnlyList<BesideLine> Lines, IReadOnlyList<BesideLine> Steps, string Says);

/// <summary>Compares the results of two programs, or of two versions of one.</summary>
public static class ProgramsBeside
{
    /// <summary>Under so many of either nothing is compared.</summary>
    private const int Least = Verdict.Least;

    private static readonly string[] Rates = [ResultWords.Opened, ResultWords.Followed, ResultWords.Answered, ResultWords.OptedOut];

    private sealed record Rate(string What, ResultLine One, ResultLine Other, bool OfStep = false);

    /// <summary>Puts them beside each other.</summary>
    /// <param name="one">The first's results.</param>
    /// <param name="other">The second's, with the same goal within the same span.</param>
    /// <param name="areVersions">Whether they are versions of one program: then steps of one id are one step.</param>
    /// <param name="reaching">How calls end in which somebody was reached.</param>
    public static BesideDto Of(ProgramResultsDto one, ProgramResultsDto other, bool areVersions, IReadOnlyList<string> reaching)
    {
        List<Rate> rates =
        [
            new("goal", one.Lift.OnIt, other.Lift.OnIt),
            new("finished", Finished(one.Runs), Finished(other.Runs)),
            .. Rates.Select(what => new Rate(what, Sum(one.Steps, what), Sum(other.Steps, what))),
            new("reached", Reached(one.Calls, reaching), Reached(other.Calls, reaching)),
            .. areVersions ? one.Steps.Join(other.Steps, s => s.StepId, s => s.StepId, StepRates).SelectMany(r => r) : [],
        ];
        var compared = rates
            .Where(r => r.One.Of >= Least && r.Other.Of >= Least)
            .Select(r => (Rate: r, Found: Comparison.Of(r.One.Number, r.One.Of, r.Other.Number, r.Other.Of, Trust.NinetyFive)))
            .ToList();
        var believed = ManyLooks.Believed([.. compared.Select(c => c.Found.P)], 0.05);
        var lines = compared
            .Select((c, i) => (c.Rate.OfStep, Line: new BesideLine(c.Rate.What, c.Rate.One, c.Rate.Other, c.Found.Difference, c.Found.Low, c.Found.High, believed[i])))
            .ToList();
        return new BesideDto(
            NameOf(one, areVersions),
            NameOf(other, areVersions),
            [.. lines.Where(l => !l.OfStep).Select(l => l.Line)],
            [.. lines.Where(l => l.OfStep).Select(l => l.Line)],
            SaysOf(lines.Count, lines.Count(l => l.Line.Told), areVersions)
        );
    }

    private static IEnumerable<Rate> StepRates(StepResult one, StepResult other) =>
        new[] { ResultWords.Opened, ResultWords.Followed }.Select(what => new Rate($"{one.Name}: {what}", LineOf(one, what), LineOf(other, what), OfStep: true));

    private static string NameOf(ProgramResultsDto results, bool areVersions) => areVersions ? Say($"version {results.Version}") : results.Name;

    private static ResultLine Finished(RunsStand runs) => ResultLine.Some("finished", runs.Finished, runs.Finished + runs.Stopped.Sum(s => s.Number));

    private static ResultLine Sum(IReadOnlyList<StepResult> steps, string what)
    {
        var lines = steps.SelectMany(s => s.Lines).Where(l => l.What == what).ToList();
        return ResultLine.Some(what, lines.Sum(l => l.Number), lines.Sum(l => l.Of));
    }

    /// <summary>Of calls that were made, those in which somebody was reached.</summary>
    private static ResultLine Reached(CallResult calls, IReadOnlyList<string> reaching) =>
        ResultLine.Some("reached", calls.Outcomes.Where(o => reaching.Contains(o.What, StringComparer.Ordinal)).Sum(o => o.Number), calls.Made);

    private static ResultLine LineOf(StepResult step, string what) => step.Lines.FirstOrDefault(l => l.What == what) ?? ResultLine.Some(what, 0, 0);

    private static string SaysOf(int compared, int told, bool areVersions)
    {
        if (compared == 0)
        {
            return Say($"There is nothing yet of which both have {Least}; fewer are not compared.");
        }

        var found = told switch
        {
            0 => Said("They cannot be told apart: differences like these come about by chance too often."),
            1 => Said("One number is told apart; chance alone would hardly do that."),
            _ => Say($"{told} numbers are told apart; chance alone would hardly do that."),
        };
        return areVersions
            ? Say($"{found} Nobody chose by lot who got which version, so it may be the time, or the people, and not the words.")
            : Say($"{found} The two do not have the same people, so it may be them, and not the program.");
    }
}
