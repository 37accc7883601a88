using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Text.Json;

namespace Germinal.Core.Words;

/// <summary>The words of a tongue, by the messages of the code. It is the same file the pages read, and ships with the application.</summary>
public sealed class Catalogue
{
    private readonly FrozenDictionary<string, string> _words;
    private readonly ConcurrentDictionary<string, Message> _read = new(StringComparer.Ordinal);

    private Catalogue(Dictionary<string, string> words) => _words = words.ToFrozenDictionary(StringComparer.Ordinal);

    /// <summary>No words but those of the code.</summary>
    public static Catalogue None { get; } = new([]);

    /// <summary>A catalogue that ships with the application, by its name; an empty name is <see cref="None"/>.</summary>
    internal static Catalogue Shipped(string name)
    {
        if (name.Length == 0)
        {
            return None;
        }

        using var file = typeof(Catalogue).Assembly.GetManifestResourceStream($"{name}.words.json")!;
        return new Catalogue(JsonSerializer.Deserialize<Dictionary<string, string>>(file)!);
    }

    /// <summary>What is said in the place of a message; null where there is nothing. Only what stands in the catalogue is kept.</summary>
    public Message? For(string message) => _words.TryGetValue(message, out var words) ? _read.GetOrAdd(message, static (_, w) => Message.Read(w), words) : null;
}
