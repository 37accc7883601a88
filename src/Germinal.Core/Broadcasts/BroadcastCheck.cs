using System.Globalization;
using Germinal.Core.Files;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Broadcasts;

/// <summary>What is wrong with a broadcast as it is written. What the practice has to know of, its segments and members, is looked at where it is known.</summary>
public static class BroadcastCheck
{
    /// <summary>A broadcast is written at most so far ahead.</summary>
    public static Period Furthest { get; } = Period.FromYears(3);

    /// <summary>Everything that keeps it from being sent.</summary>
    /// <param name="plan">The broadcast.</param>
    /// <param name="today">The practice's date.</param>
    public static IReadOnlyList<Finding> Findings(BroadcastPlan plan, LocalDate today) =>
        [.. To(plan), .. Ways(plan), .. When(plan.When, today), .. Spans(plan), .. Test(plan), .. Goal(plan.Goal)];

    private static IEnumerable<Finding> To(BroadcastPlan plan)
    {
        var to = plan.To;
        if (!BroadcastTo.Kinds.Contains(to.Kind, StringComparer.Ordinal))
        {
            yield return Unknown("/to/kind", to.Kind, BroadcastTo.Kinds);
        }
        else if (to.Kind is "segment" or "list" && to.Name.Trim().Length == 0)
        {
            yield return new Finding("/to/name", Say($"Say which {to.Kind} it is for."));
        }
        else if (to.Kind == "people" && to.People.Count + plan.With.Count == 0)
        {
            yield return new Finding("/to/people", Said("Nobody is picked yet. Pick at least one person."));
        }
        else if (to.Kind == "recipients" && to.Broadcast is null)
        {
            yield return new Finding("/to/broadcast", Said("Say whose recipients it is for."));
        }
        else if (to.Kind == "recipients" && !BroadcastTo.Deeds.Contains(to.Did, StringComparer.Ordinal))
        {
            yield return Unknown("/to/did", to.Did, BroadcastTo.Deeds);
        }
    }

    private static IEnumerable<Finding> Ways(BroadcastPlan plan)
    {
        if (plan.Ways.Count == 0)
        {
            yield return new Finding("/ways", Said("Nothing is written yet. Write an email, a text or a card."));
        }

        foreach (var (way, n) in plan.Ways.Select((w, n) => (w, n)))
        {
            var at = string.Create(CultureInfo.InvariantCulture, $"/ways/{n}");
            if (!BroadcastWay.Kinds.Contains(way.Kind, StringComparer.Ordinal))
            {
                yield return Unknown(at + "/kind", way.Kind, BroadcastWay.Kinds);
            }
            else if (plan.Ways.Take(n).Any(w => w.Kind == way.Kind))
            {
                yield return new Finding(at + "/kind", Say($"It goes by {way.Kind} twice; leave one out."));
            }

            if (way.Kind == "email" && way.Subject.Trim().Length == 0)
            {
                yield return new Finding(at + "/subject", Said("The email has no subject."));
            }

            if (way.Body.Trim().Length == 0)
            {
                yield return new Finding(at + "/body", way.Kind == "email" ? Said("The email says nothing yet.") : way.Kind == "text" ? Said("The text says nothing yet.") : Said("The card says nothing yet."));
            }
        }
    }

    private static IEnumerable<Finding> When(BroadcastWhen when, LocalDate today)
    {
        if (when.Kind == BroadcastWhen.Now)
        {
            yield break;
        }

        if (when.Kind is not (BroadcastWhen.Moment or BroadcastWhen.Own))
        {
            yield return Unknown("/when/kind", when.Kind, [BroadcastWhen.Now, BroadcastWhen.Moment, BroadcastWhen.Own]);
            yield break;
        }

        if (LocalDatePattern.Iso.Parse(when.Date) is not { Success: true, Value: var date })
        {
            yield return new Finding("/when/date", Said("Say on which day, as 2027-03-04."));
        }
        else if (date < today)
        {
            yield return new Finding("/when/date", Said("That day is over. Choose today or a day to come."));
        }
        else if (date > today + Furthest)
        {
            yield return new Finding("/when/date", Said("That is more than three years away. Choose an earlier day."));
        }

        if (!TimesOfDay.Form.Parse(when.Time).Success)
        {
            yield return new Finding("/when/time", Said("Say at what time, as 09:30."));
        }
    }

    private static IEnumerable<Finding> Spans(BroadcastPlan plan)
    {
        if (plan.LateLimit is { } late && !IsForward(late))
        {
            yield return new Finding("/lateLimit", Said("Say how late it still makes sense, as P3D for three days."));
        }

        if (plan.PaceLifted is { } why && why.Trim().Length == 0)
        {
            yield return new Finding("/paceLifted", Said("Say why it may come on top of what they had lately; the reason is kept."));
        }

        foreach (var (_, n) in plan.LetGo.Index().Select(l => (l.Item, l.Index)).Where(l => l.Item.Reason.Trim().Length == 0))
        {
            yield return new Finding(string.Create(CultureInfo.InvariantCulture, $"/letGo/{n}/reason"), Said("Say why it may go to them without their consent; the reason is kept."));
        }
    }

    private static IEnumerable<Finding> Test(BroadcastPlan plan)
    {
        if (plan.Test is not { } test)
        {
            yield break;
        }

        if (plan.Ways.Count == 0 || plan.Ways[0].Kind != "email")
        {
            yield return new Finding("/test", Said("Only emails are compared, so an email has to be its first way."));
        }

        if (test.Others.Count is < 1 or > 3)
        {
            yield return new Finding("/test/others", Said("Two to four versions are compared: one to three beside the first."));
        }

        foreach (var (_, n) in test.Others.Select((o, n) => (o, n)).Where(o => o.o.Subject.Trim().Length == 0))
        {
            yield return new Finding(string.Create(CultureInfo.InvariantCulture, $"/test/others/{n}/subject"), Said("This version has no subject."));
        }

        if (test.Share is < 2 or > 100)
        {
            yield return new Finding("/test/share", Said("Between 2 and 100 in a hundred can get a version first."));
        }

        // By the clock, not by the day: the rest get theirs at one moment, by which it has been decided.
        if (!IsForward(test.Span) || !test.Span.StartsWith("PT", StringComparison.Ordinal))
        {
            yield return new Finding("/test/span", Said("Say in hours how long to wait for what they do, as PT4H for four."));
        }

        if (!BroadcastTest.Rates.Contains(test.By, StringComparer.Ordinal))
        {
            yield return Unknown("/test/by", test.By, BroadcastTest.Rates);
        }

        if (plan.When.Kind == BroadcastWhen.Own)
        {
            yield return new Finding("/when/kind", Said("Versions are compared over one stretch of time, so all begin at one moment; choose a moment for all."));
        }
    }

    /// <summary>What is wrong with what is to come of it.</summary>
    public static IEnumerable<Finding> Goal(BroadcastGoal? goal)
    {
        if (goal is null)
        {
            yield break;
        }

        if (!BroadcastGoal.Kinds.Contains(goal.Kind, StringComparer.Ordinal))
        {
            yield return Unknown("/goal/kind", goal.Kind, BroadcastGoal.Kinds);
        }
        else if (goal.Kind is "stage" or "tag" && goal.What.Trim().Length == 0)
        {
            yield return new Finding("/goal/what", Say($"Say which {goal.Kind}."));
        }

        if (!IsForward(goal.Within))
        {
            yield return new Finding("/goal/within", Said("Say how long it counts, as P90D for ninety days."));
        }
    }

    private static bool IsForward(string span) => Distance.TryParse(span) is { IsZero: false } distance && !distance.Text.StartsWith('-');

    private static Finding Unknown(string pointer, string word, IReadOnlyList<string> known) => new(pointer, Say($"“{word}” is not known here; {string.Join(", ", known)} would be right."));
}
