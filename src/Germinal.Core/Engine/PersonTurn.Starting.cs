using System.Collections.Immutable;
using Germinal.Core.Programs;
using Germinal.Core.Rules;

namespace Germinal.Core.Engine;

/// <summary>Section 5: starting.</summary>
internal sealed partial class PersonTurn
{
    private void StartProgramsOn(Happening happening)
    {
        foreach (var program in engine.Shelf.On)
        {
            if (CauseOf(happening, program) is { } cause)
            {
                Start(program.Current, cause, (happening as OccasionCame) is { } o ? new OccasionRef(o.Name, o.Date) : null, again: false);
            }
        }

        if (happening is StartedByHand byHand && engine.Shelf.On.All(p => p.Current.ProgramId != byHand.ProgramId))
        {
            effects.Add(new StartRefused(byHand.ProgramId, now, "program-off", new StartCause("hand", byHand.By)));
        }
    }

    private static StartCause? CauseOf(Happening happening, ProgramOn program)
    {
        var triggers = program.Current.Definition.StartsWhen;
        return happening switch
        {
            StartedByHand h when h.ProgramId == program.Current.ProgramId => new StartCause(h.BySwitchingOn ? "switched-on" : "hand", h.By),
            TagPutOn t when triggers.OfType<TagAdded>().Any(a => Same(a.Tag, t.Tag)) => new StartCause("tag", t.Tag),
            EnteredStage s when triggers.OfType<StageEntered>().Any(a => Same(a.Stage, s.Stage)) => new StartCause("stage", s.Stage),
            OccasionCame o when o.ProgramId == program.Current.ProgramId => new StartCause("occasion", o.Name),
            _ => null,
        };
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);

    /// <summary>Rule 5.3. <paramref name="again"/> lets a loop through whatever the program's <c>again</c> says (rule 3.5).</summary>
    private void Start(ProgramVersion program, StartCause cause, OccasionRef? occasion, bool again)
    {
        if (occasion is not null)
        {
            // Rule 4.2: one run per occasion year, whatever happens; so the key is used up even by a refused start.
            var key = Occasions.Key(program.ProgramId, occasion.Name, occasion.Date.Year);
            if (state.Occasions.Contains(key))
            {
                return;
            }

            state = state with { Occasions = state.Occasions.Add(key) };
        }

        var past = state.Been.GetValueOrDefault(program.ProgramId, new PastRuns(0, null));
        if (Refusal(program, occasion, past, again) is { } reason)
        {
            effects.Add(new StartRefused(program.ProgramId, now, reason, cause));
            return;
        }

        var number = past.Started + 1;
        var runId = StableId.Of(person.Id, $"run/{program.ProgramId:N}/{number}");
        state = state with { Been = state.Been.SetItem(program.ProgramId, past with { Started = number }) };
        effects.Add(new RunStarted(runId, program.ProgramId, program.Version, number, now, cause));
        var unplanned = new TouchState(Guid.Empty, "", now, now, TouchPhase.Planned);
        var run = new RunState(runId, program.ProgramId, program.Version, number, now, occasion, 0, now, unplanned);
        state = state with { Runs = state.Runs.Add(run) };
        PlanFrom(run, 0);
    }

    private string? Refusal(ProgramVersion program, OccasionRef? occasion, PastRuns past, bool again)
    {
        if (person.Died || person.Archived || person.DoNotContact)
        {
            return "do-not-contact";
        }

        var definition = program.Definition;
        if (definition.OnlyIf is { } rule && !RuleJudge.Holds(rule, person, new RuleMoment(now, Practice.Zone)))
        {
            return "not-for";
        }

        // Rule 5.3: an occasion keys its run by itself.
        if (occasion is not null || again)
        {
            return null;
        }

        if (state.Runs.Any(r => r.ProgramId == program.ProgramId))
        {
            return "already-running";
        }

        if (past.Started == 0 || definition.Again.Kind == AgainKind.EachTime)
        {
            return null;
        }

        if (definition.Again.Kind == AgainKind.Never)
        {
            return "already-been";
        }

        return definition.Again.Gap is { } gap && past.LastEnded is { } ended && now < gap.AddTo(ended, Practice.Zone) ? "too-soon" : null;
    }
}
