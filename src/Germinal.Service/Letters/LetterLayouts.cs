using System.Reflection;

namespace Germinal.Service.Letters;

/// <summary>A letter to start from: its parts stand where they belong, with words that say what goes there.</summary>
public sealed record LetterLayout(string Name, string About, string Subject, string Body);

/// <summary>The six layouts that ship; each is a file of HTML beside this one, whose first two lines are its subject and what it is for.</summary>
public static class LetterLayouts
{
    private static readonly string[] Names = ["A plain letter", "One thing to do", "News in short", "Numbers of the month", "An invitation", "A note with a picture"];

    /// <summary>All of them, in the order they are offered.</summary>
    public static IReadOnlyList<LetterLayout> All { get; } = [.. Names.Select(Read)];

    private static LetterLayout Read(string name)
    {
        using var stream = Assembly.GetExecutingAssembly().GetManifestResourceStream($"layouts/{name.ToLowerInvariant().Replace(' ', '-')}.html")!;
        using var reader = new StreamReader(stream);
        var about = reader.ReadLine()!;
        var subject = reader.ReadLine()!;
        return new LetterLayout(name, about, subject, reader.ReadToEnd().Trim());
    }
}
