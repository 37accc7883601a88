using System.Collections.Frozen;
using System.Globalization;

namespace Germinal.Core.Programs;

/// <summary>One step in the flow of a program.</summary>
/// <param name="Step">The step.</param>
/// <param name="Index">Its place in the written order, depth first; a run remembers it.</param>
/// <param name="Pointer">Where it stands in the program file (JSON pointer).</param>
/// <param name="Next">Index of the step after it settles, out of its passage where that ends; -1 where the run finishes.</param>
/// <param name="Passages">For a fork (yes, no) and a split: index of each passage's first step, or of the step after where it is empty.</param>
/// <param name="Otherwise">Index of what goes in its place where it cannot reach its reader (rule 15.2); -1 where nothing does.</param>
public sealed record FlowStep(Step Step, int Index, string Pointer, int Next, IReadOnlyList<int> Passages, int Otherwise);

/// <summary>The steps of a program laid out flat: where each leads, and what forks ask about them.</summary>
public sealed class StepFlow
{
    private readonly List<FlowStep> steps = [];
    private readonly FrozenDictionary<string, int> places;

    /// <summary>Lays out a program. Ids are taken to be unique; of twins the last one is found by its id.</summary>
    public StepFlow(ProgramDefinition program)
    {
        Lay(program.Steps, "/steps", -1);
        places = steps.GroupBy(s => s.Step.Id, StringComparer.Ordinal).ToFrozenDictionary(g => g.Key, g => g.Last().Index, StringComparer.Ordinal);
        var questions = steps.Select(s => s.Step).OfType<ForkStep>().Select(f => f.If).ToList();
        AskedAbout = questions.Select(q => q.Step).OfType<string>().ToFrozenSet(StringComparer.Ordinal);
        AsksAboutStart = questions.Any(q => q is AskReplied { Step: null } or AskFormSent);
    }

    /// <summary>The steps in the written order.</summary>
    public IReadOnlyList<FlowStep> Steps => steps;

    /// <summary>Ids of the steps that a fork asks about.</summary>
    public FrozenSet<string> AskedAbout { get; }

    /// <summary>True when a fork asks about what happened since the start, not about one step.</summary>
    public bool AsksAboutStart { get; }

    /// <summary>The place of a step by its id; -1 when there is none.</summary>
    public int IndexOf(string id) => places.TryGetValue(id, out var index) ? index : -1;

    /// <summary>The steps that may still come, in any passage, from one onwards.</summary>
    public IEnumerable<Step> From(int index)
    {
        var seen = new bool[steps.Count];
        var open = new Stack<int>([index]);
        while (open.TryPop(out var at))
        {
            if (at < 0 || seen[at])
            {
                continue;
            }

            seen[at] = true;
            yield return steps[at].Step;
            open.Push(steps[at].Next);
            open.Push(steps[at].Otherwise);
            foreach (var first in steps[at].Passages)
            {
                open.Push(first);
            }
        }
    }

    /// <summary>
    /// Lays out a passage that joins at <paramref name="after"/>; gives the index of its first step, or of the joint. What stands alone is no list in
    /// the file.
    /// </summary>
    private int Lay(IReadOnlyList<Step> passage, string pointer, int after, bool alone = false)
    {
        if (passage.Count == 0)
        {
            return after;
        }

        // The places of this passage's own steps are known once those inside the forks before them are counted.
        var first = steps.Count;
        var starts = new int[passage.Count];
        var place = first;
        for (var i = 0; i < passage.Count; i++)
        {
            starts[i] = place;
            place += 1 + Count(passage[i]);
        }

        for (var i = 0; i < passage.Count; i++)
        {
            var next =
                passage[i] is EndStep ? -1
                : i + 1 < passage.Count ? starts[i + 1]
                : after;
            var at = alone ? pointer : string.Create(CultureInfo.InvariantCulture, $"{pointer}/{i}");
            var index = steps.Count;
            steps.Add(null!);
            IReadOnlyList<int> ways = passage[i] switch
            {
                ForkStep f => [Lay(f.Then, at + "/then", next), Lay(f.Else, at + "/else", next)],
                SplitStep s => [.. s.Passages.Select((p, n) => Lay(p.Steps, string.Create(CultureInfo.InvariantCulture, $"{at}/passages/{n}/steps"), next))],
                _ => [],
            };
            var otherwise = passage[i].Otherwise is { } other ? Lay([other], at + "/otherwise", next, alone: true) : -1;
            steps[index] = new FlowStep(passage[i], index, at, next, ways, otherwise);
        }

        return first;
    }

    private static int Count(Step step) =>
        step switch
        {
            ForkStep f => f.Then.Concat(f.Else).Sum(s => 1 + Count(s)),
            SplitStep s => s.Passages.SelectMany(p => p.Steps).Sum(x => 1 + Count(x)),
            { Otherwise: { } other } => 1 + Count(other),
            _ => 0,
        };
}
