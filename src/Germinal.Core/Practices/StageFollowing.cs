namespace Germinal.Core.Practices;

/// <summary>How a person's stage follows their opportunities (rule 5.8). Stages are written <c>Pipeline/Stage</c>.</summary>
public static class StageFollowing
{
    /// <summary>
    /// The stage a person moves to when an opportunity of theirs enters one: only forward in its pipeline. Who stands in another
    /// pipeline stays there until the opportunity is won (our reading: there is no forward between two pipelines).
    /// </summary>
    /// <param name="pipelines">The practice's pipelines, stages in their order.</param>
    /// <param name="person">Where the person stands, or null.</param>
    /// <param name="opportunity">The stage the opportunity enters.</param>
    /// <returns>Where they move to; null where they stay.</returns>
    public static string? Entering(IEnumerable<Pipeline> pipelines, string? person, string opportunity)
    {
        if (string.IsNullOrEmpty(person))
        {
            return opportunity;
        }

        var stages = StagesOf(pipelines, opportunity);
        var (from, to) = (stages.IndexOf(person), stages.IndexOf(opportunity));
        return from >= 0 && to > from ? opportunity : null;
    }

    /// <summary>Where winning moves the person: the last stage of the opportunity's pipeline; null where they stand there, or it is no known pipeline.</summary>
    public static string? Won(IEnumerable<Pipeline> pipelines, string? person, string opportunity) =>
        StagesOf(pipelines, opportunity) is [.., var last] && last != person ? last : null;

    /// <summary>
    /// Whether losing puts the person back where they stood when it was opened: only while they stand where this opportunity moved
    /// them (our reading: what another opportunity or a member did since is theirs).
    /// </summary>
    /// <param name="person">Where the person stands, or null.</param>
    /// <param name="movedTo">Where the opportunity moved them last; null where it never did.</param>
    public static bool LostPutsBack(string? person, string? movedTo) => movedTo is not null && person == movedTo;

    private static List<string> StagesOf(IEnumerable<Pipeline> pipelines, string stage) =>
        pipelines
            .Select(p => p.Stages.Select(s => $"{p.Name}/{s}").ToList())
            .FirstOrDefault(stages => stages.Contains(stage)) ?? [];
}
