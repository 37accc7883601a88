using Germinal.Core.Time;

namespace Germinal.Core.Programs;

/// <summary>The checker: what is wrong with a program that reads well as a file. Errors keep it from being switched on.</summary>
public static class ProgramCheck
{
    /// <summary>Findings about one program.</summary>
    /// <param name="program">The program.</param>
    /// <param name="others">Names of the practice's other programs, for hand-overs.</param>
    /// <param name="syntax">The syntax errors of a template: line, column and what is wrong; empty when it is well-formed.</param>
    public static IReadOnlyList<Finding> Findings(ProgramDefinition program, IReadOnlySet<string> others, Func<string, IReadOnlyList<string>> syntax)
    {
        var findings = new List<Finding>();
        if (program.Steps.Count == 0)
        {
            findings.Add(new Finding("/steps", "This program has no steps. Add at least one email, call or hand-over."));
        }

        if (program.StartsWhen.Count == 0)
        {
            findings.Add(new Finding("/startsWhen", "Nothing starts this program. Say when it starts, or that it starts by hand."));
        }

        for (var i = 0; i < program.Steps.Count; i++)
        {
            CheckStep(program, i, others, syntax, findings);
        }

        CheckOrder(program, findings);
        CheckLoop(program, findings);
        return findings;
    }

    private static void CheckStep(ProgramDefinition program, int index, IReadOnlySet<string> others, Func<string, IReadOnlyList<string>> syntax, List<Finding> findings)
    {
        var at = $"/steps/{index}";
        void Template(string key, string text, string lack)
        {
            if (string.IsNullOrWhiteSpace(text))
            {
                findings.Add(new Finding($"{at}/{key}", lack));
            }

            findings.AddRange(syntax(text).Select(e => new Finding($"{at}/{key}", e)));
        }

        switch (program.Steps[index])
        {
            case EmailStep email:
                Template("subject", email.Subject, "This email has no subject.");
                Template("body", email.Body, "This email says nothing yet.");
                break;
            case CallStep call:
                findings.AddRange(syntax(call.Script).Select(e => new Finding($"{at}/script", e)));
                if (call.Slack.HasTimePart || call.Slack.Dates.Days < 0)
                {
                    findings.Add(new Finding($"{at}/slack", "A call moves by whole working days: P2D, not hours and not backwards."));
                }

                break;
            case HandOverStep hand when !Same(hand.Program, program.Name) && !others.Contains(hand.Program):
                findings.Add(new Finding($"{at}/program", $"There is no program “{hand.Program}” to hand over to."));
                break;
        }

        if (program.Steps[index].When is FromOccasion && !program.StartsWhen.OfType<OccasionTrigger>().Any())
        {
            findings.Add(new Finding($"{at}/when/from", "This step is placed by the occasion, but no occasion starts the program; it would always be skipped.", IsWarning: true));
        }
    }

    /// <summary>Rule 3.1: steps settle in the written order, so a step placed before the one above it comes late.</summary>
    private static void CheckOrder(ProgramDefinition program, List<Finding> findings)
    {
        var reference = new NodaTime.LocalDate(2027, 1, 1);
        NodaTime.LocalDate? before = null;
        for (var i = 0; i < program.Steps.Count; i++)
        {
            if (program.Steps[i].When is FromPrevious { Offset: var spacing } && reference + spacing.Dates < reference)
            {
                findings.Add(new Finding($"/steps/{i}/when/offset", "This step is placed before the one above it; it will go right after it instead.", IsWarning: true));
            }

            if (program.Steps[i].When is not FromStart start)
            {
                continue;
            }

            var day = start.Offset.AddDates(reference);
            if (day < before)
            {
                findings.Add(new Finding($"/steps/{i}/when/offset", "This step is placed earlier than one above it. Steps go in the written order, so it will wait for that one.", IsWarning: true));
            }

            before = day;
        }
    }

    /// <summary>Rule 3.5: a loop must be at least a day long.</summary>
    private static void CheckLoop(ProgramDefinition program, List<Finding> findings)
    {
        var loop = program.Steps.ToList().FindIndex(s => s is HandOverStep h && Same(h.Program, program.Name));
        if (loop < 0)
        {
            return;
        }

        var reference = new NodaTime.LocalDate(2027, 1, 1);
        var length = program.Steps.Take(loop + 1).Sum(s => s.When switch
        {
            FromPrevious p => NodaTime.Period.DaysBetween(reference, p.Offset.AddDates(reference)),
            FromStart f => NodaTime.Period.DaysBetween(reference, f.Offset.AddDates(reference)),
            OnYearly => 1,
            _ => 0,
        });
        if (length < 1)
        {
            findings.Add(new Finding($"/steps/{loop}", "This program hands over to itself with no day in between and would never end. Put at least one day before the hand-over."));
        }
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
