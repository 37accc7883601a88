using Germinal.Core.Rules;

namespace Germinal.Core.Practices;

/// <summary>Segments every practice can begin with: names of our own, rules of common practice (no source).</summary>
public static class ReadySegments
{
    /// <summary>The ready ones of a practice; where one asks for a stage it is the last of its pipelines.</summary>
    /// <param name="practice">For its stages.</param>
    /// <param name="reviewDate">The key date by which its clients are reviewed.</param>
    public static IReadOnlyList<(string Name, Rule Rule)> Of(Practice practice, string reviewDate)
    {
        static Leaf Ask(string field, RuleOp op, params string[] values) => new(field, op, values);
        var welcome = Ask("do_not_contact", RuleOp.Missing);
        var clients = Ask("stage", RuleOp.In, [.. practice.Pipelines.Where(p => p.Stages.Count > 0).Select(p => $"{p.Name}/{p.Stages[^1]}")]);
        return
        [
            ("Nothing planned", new AllOf([Ask("next-touch", RuleOp.Missing), welcome])),
            ("No touch for a year", new AllOf([Ask("last-touch", RuleOp.NotInLast, "P1Y"), welcome])),
            ("Birthday this month", new AllOf([Ask("birthday", RuleOp.MonthIs, "this")])),
            ("Clients without a review date", new AllOf([clients, Ask($"date:{reviewDate}", RuleOp.Missing)])),
            ("Inquiries unanswered", new AllOf([Ask("inquiry-since", RuleOp.Exists)])),
            (
                "Lost for timing over six months ago",
                new AllOf([Ask("lost:timing", RuleOp.Exists), Ask("lost:timing", RuleOp.NotInLast, "P6M"), Ask("won", RuleOp.Missing)])
            ),
            (
                "Cannot be reached at all",
                new AllOf([Ask("email", RuleOp.Missing), Ask("mobile", RuleOp.Missing), Ask("other-phone", RuleOp.Missing), Ask("address", RuleOp.Missing)])
            ),
        ];
    }
}
