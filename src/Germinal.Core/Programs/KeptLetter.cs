using Germinal.Core.Rules;

namespace Germinal.Core.Programs;

/// <summary>A letter the practice keeps by name, which steps of programs can follow.</summary>
/// <param name="Name">Its name, compared without regard to case.</param>
/// <param name="Subject">Its subject, with merge fields.</param>
/// <param name="Body">Its body, as of <see cref="EmailStep.Body"/>.</param>
/// <param name="Passages">The rules of passages that stand only for some.</param>
public sealed record KeptLetter(string Name, string Subject, string Body, IReadOnlyList<Rule> Passages);

/// <summary>Puts the words of kept letters into the steps that follow them.</summary>
public static class KeptLetters
{
    /// <summary>
    /// The program with the words of its letters. A step that follows one that is not there has none; such a program cannot be
    /// switched on. The very same program where no step follows a letter.
    /// </summary>
    /// <param name="program">The program.</param>
    /// <param name="letters">The practice's letters by name, compared without regard to case.</param>
    public static ProgramDefinition WithLetters(this ProgramDefinition program, IReadOnlyDictionary<string, KeptLetter> letters) =>
        program.AllSteps.Any(s => s is EmailStep { Letter: not null }) ? program with { Steps = Filled(program.Steps, letters) } : program;

    private static IReadOnlyList<Step> Filled(IReadOnlyList<Step> steps, IReadOnlyDictionary<string, KeptLetter> letters) => [.. steps.Select(s => Filled(s, letters))];

    private static Step Filled(Step step, IReadOnlyDictionary<string, KeptLetter> letters) =>
        step switch
        {
            EmailStep { Letter: { } name } email when letters.TryGetValue(name, out var letter) => email with
            {
                Subject = letter.Subject,
                Body = letter.Body,
                Passages = letter.Passages,
            },
            ForkStep fork => fork with { Then = Filled(fork.Then, letters), Else = Filled(fork.Else, letters) },
            SplitStep split => split with { Passages = [.. split.Passages.Select(p => p with { Steps = Filled(p.Steps, letters) })] },
            _ => step,
        };
}
