using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;

namespace Germinal.Core.Engine;

/// <summary>Section 7: forks and splits, and what forks need to know of earlier steps.</summary>
internal sealed partial class PersonTurn
{
    /// <summary>What a fork waits for (<see cref="Reason.Answer"/>).</summary>
    private static readonly string Answer = Reason.Answer.Word();

    /// <summary>Rule 7.1 at the fork's due moment, when an answer arrives, and when its span ends.</summary>
    private void JudgeFork(Going run, ForkStep fork, Trail trail)
    {
        var end = fork.Within is { } within ? within.AddTo(run.FirstDue, Practice.ClockOf(run.Definition, person)) : now;
        var wasSent = fork.If.Step is not { } asked || HasSeen(run, asked, "sent");
        if (wasSent && IsYes(run, fork.If))
        {
            TakePassage(run, 0, Outcome.Forked, "yes", trail);
        }
        else if (wasSent && now < end)
        {
            (run.Due, run.Waiting) = (end, Answer);
            Tell(run, new TouchWaits(run.Id, fork.Id, now, end, Answer, trail));
        }
        else
        {
            TakePassage(run, 1, Outcome.Forked, "no", trail);
        }
    }

    /// <summary>An answer that arrives while a fork waits for it is taken at that moment.</summary>
    private void AnswerForks()
    {
        foreach (var run in runs.ToArray())
        {
            if (run is { Phase: TouchPhase.Planned, Step: ForkStep fork } && run.Waiting == Answer && IsJudged(run) && IsYes(run, fork.If))
            {
                TakePassage(run, 0, Outcome.Forked, "yes", Trail.None);
            }
        }
    }

    private void TakePassage(Going run, int passage, Outcome outcome, string reason, Trail trail)
    {
        Settled(run, outcome, reason, trail);
        GoOn(run, run.Place.Passages[passage]);
    }

    private void TakeShare(Going run, SplitStep split, Trail trail)
    {
        var passage = Shares.PassageOf(run.ProgramId, split, person.Id);
        TakePassage(run, passage, Outcome.Split, (passage + 1).ToString(System.Globalization.CultureInfo.InvariantCulture), trail);
    }

    private bool IsYes(Going run, Question question) =>
        question switch
        {
            AskOpened q => HasSeen(run, q.Step!, "opened"),
            AskLinkFollowed q => HasSeen(run, q.Step!, "link", q.Link),
            AskReplied q => HasSeen(run, q.Step ?? "", "replied"),
            AskBounced q => HasSeen(run, q.Step!, "bounced"),
            AskCallEnded q => HasSeen(run, q.Step!, "call", q.Outcome),
            AskFormSent q => HasSeen(run, "", "form", q.Form),
            AskRule q => RuleJudge.Holds(q.Rule, person, RuleNow),
            _ => throw new ArgumentOutOfRangeException(nameof(question)),
        };

    private static bool HasSeen(Going run, string step, string what, string? detail = null)
    {
        foreach (var seen in run.Seen)
        {
            if (seen.StepId == step && seen.What == what && (detail is null || Same(seen.Detail, detail)))
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>Notes that a step went out, where a fork asks about it.</summary>
    private static void SeeSent(Going run)
    {
        if (run.Program.Flow.AskedAbout.Contains(run.StepId))
        {
            run.Seen = run.Seen.Add(new Seen(run.StepId, "sent"));
        }
    }

    /// <summary>
    /// Notes what became of a step in every run of the program that has sent it; without a step, of every step that was sent.
    /// </summary>
    private void See(Guid? programId, string? stepId, string what, string detail = "")
    {
        foreach (var run in runs.ToArray())
        {
            if (programId is { } id && run.ProgramId != id)
            {
                continue;
            }

            var steps = run.Seen.Where(s => s.What == "sent" && (stepId is null || s.StepId == stepId)).Select(s => new Seen(s.StepId, what, detail));
            run.Seen = [.. run.Seen.Union(steps)];
        }
    }

    /// <summary>Notes what concerns the run as a whole, where a fork asks about that.</summary>
    private void SeeForRun(string what, string detail = "")
    {
        foreach (var run in runs.ToArray())
        {
            if (run.Program.Flow.AsksAboutStart)
            {
                run.Seen = [.. run.Seen.Union([new Seen("", what, detail)])];
            }
        }
    }
}
