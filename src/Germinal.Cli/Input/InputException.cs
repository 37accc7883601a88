namespace Germinal.Cli.Input;

/// <summary>Files that cannot be used; each line names the file, the place, what is wrong and what would be right.</summary>
public sealed class InputException(IReadOnlyList<string> lines) : Exception(string.Join('\n', lines))
{
    /// <summary>One line for each finding.</summary>
    public IReadOnlyList<string> Lines { get; } = lines;
}
