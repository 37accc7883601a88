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
        program.AllSteps.Any(s => s is EmailStep { Letter: not null }) ? program.WithSteps(s => Filled(s, letters)) : program;

    /// <summary>The same program with the words of its letters as its own: it follows none any more.</summary>
    /// <param name="program">The program.</param>
    /// <param name="letters">The practice's letters by name, compared without regard to case.</param>
    public static ProgramDefinition WrittenOut(this ProgramDefinition program, IReadOnlyDictionary<string, KeptLetter> letters) =>
        program.WithSteps(s => Filled(s, letters) is EmailStep { Letter: not null } email ? email with { Letter = null } : s);

    private static Step Filled(Step step, IReadOnlyDictionary<string, KeptLetter> letters) =>
        step is EmailStep { Letter: { } name } email && letters.TryGetValue(name, out var letter)
            ? email with
            {
                Subject = letter.Subject,
                Body = letter.Body,
                Passages = letter.Passages,
            }
            : step;
}
