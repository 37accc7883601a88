using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>The checker: what is wrong with a program that reads well as a file. Errors keep it from being switched on.</summary>
public static class ProgramCheck
{
    private static readonly LocalDate Reference = new(2027, 1, 1);

    /// <summary>Findings about one program.</summary>
    /// <param name="program">The program.</param>
    /// <param name="others">Names of the practice's other programs, for hand-overs.</param>
    /// <param name="syntax">The syntax errors of a template: line, column and what is wrong, and fields that do not exist; empty when it is well-formed.</param>
    public static IReadOnlyList<Finding> Findings(ProgramDefinition program, IReadOnlySet<string> others, Func<string, IReadOnlyList<string>> syntax)
    {
        var findings = new List<Finding>();
        if (program.Steps.Count == 0)
        {
            findings.Add(new Finding("/steps", Said("This program has no steps. Add at least one email, call or hand-over.")));
        }

        if (program.StartsWhen.Count == 0)
        {
            findings.Add(new Finding("/startsWhen", Said("Nothing starts this program. Say when it starts, or that it starts by hand.")));
        }

        foreach (var (trigger, i) in program.StartsWhen.Select((t, i) => (t, i)))
        {
            if (trigger is ProgramFinished finished && !Same(finished.Program, program.Name) && !others.Contains(finished.Program))
            {
                findings.Add(
                    new Finding(
                        string.Create(CultureInfo.InvariantCulture, $"/startsWhen/{i}/program"),
                        Say($"There is no program “{finished.Program}” to wait for.")
                    )
                );
            }
        }

        var flow = new StepFlow(program);
        foreach (var place in flow.Steps)
        {
            CheckStep(program, place, others, syntax, findings);
        }

        CheckQuestions(flow, findings);
        CheckReach(flow, findings);
        CheckOrder(flow, findings);
        findings.AddRange(OccasionCheck.Findings(program));
        foreach (var loop in LengthsToHandOvers(flow).Where(h => Same(h.Step.Program, program.Name) && h.Days < 1))
        {
            findings.Add(
                new Finding(
                    loop.Pointer,
                    Said("This program hands over to itself with no day in between and would never end. Put at least one day before the hand-over.")
                )
            );
        }

        return findings;
    }

    /// <summary>A fork asks about a step that comes before it and can be asked so (rule 7.1).</summary>
    private static void CheckQuestions(StepFlow flow, List<Finding> findings)
    {
        var seen = new Dictionary<string, Step>(StringComparer.Ordinal);
        foreach (var place in flow.Steps)
        {
            if (place.Step is ForkStep { If.Step: { } asked } fork)
            {
                findings.AddRange(
                    QuestionFindings(fork.If, asked, seen.GetValueOrDefault(asked), flow.IndexOf(asked) >= 0)
                        .Select(m => new Finding($"{place.Pointer}/if/step", m))
                );
            }

            seen.TryAdd(place.Step.Id, place.Step);
        }
    }

    private static IEnumerable<string> QuestionFindings(Question question, string asked, Step? earlier, bool exists)
    {
        if (earlier is null)
        {
            yield return exists
                ? Say($"The fork asks about “{asked}”, which comes later; it can only ask about a step that comes before it.")
                : Say($"There is no step “{asked}” to ask about.");
            yield break;
        }

        if (earlier.To is not null)
        {
            yield return Say($"“{asked}” is a message that somebody else reads; a fork asks what the person did.");
            yield break;
        }

        var (fits, kinds) = question switch
        {
            AskOpened => (earlier is EmailStep, Said("an email")),
            AskLinkFollowed or AskBounced => (earlier is EmailStep or TextStep, Said("an email or a text")),
            AskCallEnded => (earlier is CallStep, Said("a call")),
            _ => (earlier.Channel is not null, Said("an email, a text, a call or a note")),
        };
        if (!fits)
        {
            yield return Say($"“{asked}” is a step of the kind {earlier.Kind}; this question is about {kinds}.");
        }
    }

    /// <summary>Hand-overs by which several programs would start each other without end and without a day in between.</summary>
    /// <returns>Each with the program it stands in.</returns>
    public static IReadOnlyList<(ProgramDefinition Program, Finding Finding)> LoopFindings(IReadOnlyList<ProgramDefinition> programs)
    {
        var edges = programs.ToDictionary(
            p => p,
            p =>
                LengthsToHandOvers(new StepFlow(p))
                    .Where(h => !Same(h.Step.Program, p.Name))
                    .Select(h => (h.Pointer, h.Days, To: programs.FirstOrDefault(q => Same(q.Name, h.Step.Program))))
                    .Where(e => e.To is not null && e.To.Again.Kind != AgainKind.Never && (e.To.Again.Gap is null || e.To.Again.Gap.IsZero))
                    .ToList()
        );
        var findings = new List<(ProgramDefinition, Finding)>();
        foreach (var first in programs)
        {
            foreach (var edge in edges[first])
            {
                var way = new List<ProgramDefinition> { first };
                if (ComesBack(edge.To!, edge.Days))
                {
                    findings.Add(
                        (
                            first,
                            new Finding(
                                edge.Pointer,
                                Say($"{string.Join(", ", way.Select(p => $"“{p.Name}”"))} hand over to each other with no day in between and would never end. Put at least one day before a hand-over, or let one of them start only once.")
                            )
                        )
                    );
                }

                bool ComesBack(ProgramDefinition at, double days)
                {
                    if (days >= 1 || (way.Contains(at) && at != first))
                    {
                        return false;
                    }

                    if (at == first)
                    {
                        return true;
                    }

                    way.Add(at);
                    if (edges[at].Any(e => ComesBack(e.To!, days + e.Days)))
                    {
                        return true;
                    }

                    way.Remove(at);
                    return false;
                }
            }
        }

        return findings;
    }

    /// <summary>Steps that name a sender, or whom answers go to, who is no member of the practice.</summary>
    public static IEnumerable<Finding> SenderFindings(ProgramDefinition program, Practice practice) =>
        new StepFlow(program).Steps.SelectMany(s => new[] { ("sender", s.Step.Sender), ("replyTo", (s.Step as EmailStep)?.ReplyTo) }.Select(n => SenderFinding(s.Pointer, n.Item1, n.Item2, practice)).OfType<Finding>());

    /// <summary>What is wrong with whom a step names; null for nothing.</summary>
    /// <param name="pointer">The step.</param>
    /// <param name="key">Its key.</param>
    /// <param name="named">Whom it names, or null.</param>
    /// <param name="practice">The practice.</param>
    public static Finding? SenderFinding(string pointer, string key, string? named, Practice practice) =>
        named is null || practice.Named(named) is not null ? null
        : named == Practice.ItselfHandle ? new Finding($"{pointer}/{key}", Said("The practice has no address of its own. Give it one under The practice, or name a member."))
        : new Finding($"{pointer}/{key}", Say($"“{named}” is no member of the practice; owner, {string.Join(", ", practice.Members.Append(practice.Itself).OfType<Member>().Select(m => m.Handle))} are."));

    /// <summary>A policy the program goes by that the practice does not have, and topics it does not allow.</summary>
    public static IEnumerable<Finding> PolicyFindings(ProgramDefinition program, Practice practice)
    {
        if (program.Policy is not { } name)
        {
            yield break;
        }

        if (practice.PolicyOf(program) is not { } policy)
        {
            yield return new Finding(
                "/policy",
                Say($"There is no policy “{name}”{(practice.Policies.Count == 0 ? "" : $"; {string.Join(", ", practice.Policies.Keys.Order(StringComparer.OrdinalIgnoreCase))} are")}. Until it is chosen anew, the practice's own counts.")
            );
            yield break;
        }

        bool Allowed(string? topic) => topic is null || policy.Topics.Count == 0 || policy.Topics.Contains(topic, StringComparer.OrdinalIgnoreCase);
        string Wrong(string topic) => Say($"The policy “{policy.Name}” is not for “{topic}”; it is for {string.Join(", ", policy.Topics)}.");
        if (!Allowed(program.Topic))
        {
            yield return new Finding("/topic", Wrong(program.Topic!));
        }

        foreach (var place in new StepFlow(program).Steps.Where(s => !Allowed(s.Step.Topic)))
        {
            yield return new Finding($"{place.Pointer}/topic", Wrong(place.Step.Topic!));
        }
    }

    private static void CheckStep(
        ProgramDefinition program,
        FlowStep place,
        IReadOnlySet<string> others,
        Func<string, IReadOnlyList<string>> syntax,
        List<Finding> findings
    )
    {
        var step = place.Step;
        foreach (var (key, text) in step.Templates)
        {
            if (string.IsNullOrWhiteSpace(text) && LackOf(step, key) is { } lack)
            {
                findings.Add(new Finding($"{place.Pointer}/{key}", lack));
            }

            findings.AddRange(syntax(text).Select(e => new Finding($"{place.Pointer}/{key}", e)));
        }

        if (step is TextStep or NoteStep && step.To is ToOwner)
        {
            findings.Add(
                new Finding($"{place.Pointer}/to", Say($"“{step.Id}” goes to the owner, who is reached by email; an email would be right, or a message to you."))
            );
        }

        if (step is HandOverStep hand && !Same(hand.Program, program.Name) && !others.Contains(hand.Program))
        {
            findings.Add(new Finding($"{place.Pointer}/program", Say($"There is no program “{hand.Program}” to hand over to.")));
        }

        if (step.When is FromOccasion && !program.StartsWhen.Any(t => t is OccasionTrigger or AppointmentTrigger))
        {
            findings.Add(
                new Finding(
                    $"{place.Pointer}/when/from",
                    Said("This step is placed by the occasion, but no occasion starts the program; it would always be skipped."),
                    IsWarning: true
                )
            );
        }

        // Rule 2.4: a window wholly outside the hours of texts and calls leaves them no moment.
        if (
            step.Channel is Channel.Text or Channel.Call
            && !program.OnPracticeClock
            && program.Window is { Roll: not Roll.Keep } window
            && (window.To <= QuietHours.Widest.From || window.From >= QuietHours.Widest.To)
        )
        {
            findings.Add(
                new Finding(
                    "/window",
                    Say($"The window never opens for “{step.Id}”: texts and calls go from 8:00 to 21:00 on the person’s clock, and it opens from {TimesOfDay.Text(window.From)} to {TimesOfDay.Text(window.To)}.")
                )
            );
        }
    }

    private static string? LackOf(Step step, string key) =>
        (step, key) switch
        {
            (EmailStep { Letter: not null }, _) => null,
            (EmailStep, "subject") => Said("This email has no subject."),
            (EmailStep, _) => Said("This email says nothing yet."),
            (TextStep, _) => Said("This text says nothing yet."),
            (NoteStep, _) => Said("This note says nothing yet."),
            (DoStep, _) => Said("This task says nothing yet."),
            (PostStep, _) => Said("This post says nothing yet."),
            (TellMeStep, _) => Said("This message says nothing yet."),
            _ => null,
        };

    private static void CheckReach(StepFlow flow, List<Finding> findings)
    {
        var reached = flow.Steps.Count == 0 ? [] : flow.From(0).ToHashSet(ReferenceEqualityComparer.Instance);
        foreach (var place in flow.Steps.Where(s => !reached.Contains(s.Step)))
        {
            findings.Add(new Finding(place.Pointer, Say($"“{place.Step.Id}” is never reached: the program ends before it."), IsWarning: true));
        }
    }

    /// <summary>Rule 3.1: steps settle in the written order, so a step placed before the one above it comes late.</summary>
    private static void CheckOrder(StepFlow flow, List<Finding> findings)
    {
        LocalDate? before = null;
        var passage = "";
        foreach (var place in flow.Steps)
        {
            var inside = place.Pointer[..place.Pointer.LastIndexOf('/')];
            before = inside.StartsWith(passage, StringComparison.Ordinal) ? before : null;
            passage = inside;
            if (place.Step.When is FromPrevious { Offset: var spacing } && (Reference + spacing.Dates < Reference || spacing.Elapsed < Duration.Zero))
            {
                findings.Add(
                    new Finding(
                        $"{place.Pointer}/when/offset",
                        Said("This step is placed before the one above it; it will go right after it instead."),
                        IsWarning: true
                    )
                );
            }

            if (place.Step.When is not FromStart start)
            {
                continue;
            }

            var day = start.Offset.AddDates(Reference);
            if (day < before)
            {
                findings.Add(
                    new Finding(
                        $"{place.Pointer}/when/offset",
                        Said("This step is placed earlier than one above it. Steps go in the written order, so it will wait for that one."),
                        IsWarning: true
                    )
                );
            }

            before = day;
        }
    }

    /// <summary>
    /// Each hand-over with the least time from the run's start to it, in days, whatever way a run takes. Dates of the year
    /// count nothing: one may be today.
    /// </summary>
    private static IEnumerable<(string Pointer, HandOverStep Step, double Days)> LengthsToHandOvers(StepFlow flow)
    {
        var least = new double?[flow.Steps.Count];
        var arrival = new double[flow.Steps.Count];
        void Reach(int index, double days)
        {
            if (index < 0 || least[index] <= days)
            {
                return;
            }

            var place = flow.Steps[index];
            least[index] = days;
            var at = place.Step.When switch
            {
                FromPrevious p => days + Math.Max(0, LengthOf(p.Offset)),
                FromStart s => Math.Max(days, LengthOf(s.Offset)),
                _ => days,
            };
            arrival[index] = at;
            foreach (var next in place.Passages.Count > 0 ? place.Passages : [place.Next])
            {
                Reach(next, at);
            }
        }

        if (flow.Steps.Count > 0)
        {
            Reach(0, 0);
        }

        return
        [
            .. flow.Steps.Where(s => s.Step is HandOverStep && least[s.Index] is not null).Select(s => (s.Pointer, (HandOverStep)s.Step, arrival[s.Index])),
        ];
    }

    private static double LengthOf(Distance offset) => Period.DaysBetween(Reference, offset.AddDates(Reference)) + offset.Elapsed.TotalDays;

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
