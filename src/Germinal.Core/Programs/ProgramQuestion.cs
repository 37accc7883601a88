namespace Germinal.Core.Programs;

/// <summary>What kind of answer a question of a ready program takes.</summary>
public enum QuestionKind
{
    /// <summary>A stage, <c>Pipeline/Stage</c>.</summary>
    Stage,

    /// <summary>A tag.</summary>
    Tag,

    /// <summary>A member, by id, or <c>owner</c>.</summary>
    Member,

    /// <summary>A time of day, <c>HH:MM</c>.</summary>
    Time,

    /// <summary>One of the question's own choices.</summary>
    Choice,

    /// <summary>Words.</summary>
    Text,
}

/// <summary>One of the answers a question offers.</summary>
/// <param name="Words">As it reads.</param>
/// <param name="Value">What it puts into the file, as JSON.</param>
public sealed record QuestionChoice(string Words, string Value);

/// <summary>What a ready program asks whoever takes it.</summary>
/// <param name="Id">Its id among the program's questions.</param>
/// <param name="Ask">The question, as it reads.</param>
/// <param name="Kind">What answers it.</param>
/// <param name="Default">The answer that is offered; null for none.</param>
/// <param name="Into">The places of the file the answer goes to, as JSON pointers.</param>
/// <param name="Choices">What can be chosen; only for <see cref="QuestionKind.Choice"/>.</param>
public sealed record ProgramQuestion(
    string Id,
    string Ask,
    QuestionKind Kind,
    string? Default,
    IReadOnlyList<string> Into,
    IReadOnlyList<QuestionChoice> Choices
);
