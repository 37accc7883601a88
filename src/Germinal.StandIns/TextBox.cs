using System.Collections.Concurrent;
using System.Text.Json;

namespace Germinal.StandIns;

/// <summary>A text the gateway took, or one that a stand-in person wrote.</summary>
/// <param name="Id">The gateway's id.</param>
/// <param name="Key">The sender's key; null for one that came in.</param>
/// <param name="To">E.164; of one that came in the number of ours it was written to, empty for the gateway's own.</param>
/// <param name="From">E.164; of one of ours the number it was sent from, empty for the gateway's own.</param>
/// <param name="Body">The words.</param>
public sealed record TakenText(string Id, string? Key, string To, string From, string Body);

/// <summary>Every text that went through the gateway, kept in a file so that it outlives a restart. A key is taken once.</summary>
public sealed class TextBox
{
    private readonly string file;
    private readonly List<TakenText> texts = [];
    private readonly ConcurrentDictionary<string, TakenText> byKey = new(StringComparer.Ordinal);
    private readonly Lock writing = new();

    /// <param name="folder">Where the file is; made if it is not there.</param>
    public TextBox(string folder)
    {
        Directory.CreateDirectory(folder);
        file = Path.Combine(folder, "texts.jsonl");
        foreach (var line in File.Exists(file) ? File.ReadLines(file) : [])
        {
            // A line cut short by a crash belongs to a text that was never acknowledged.
            if (line.EndsWith('}') && JsonSerializer.Deserialize<TakenText>(line) is { } text)
            {
                Remember(text);
            }
        }
    }

    /// <summary>Takes a text of ours; one with a known key is the one taken before.</summary>
    /// <returns>The text, and whether it is new.</returns>
    public (TakenText Text, bool IsNew) Take(string key, string to, string body, string from)
    {
        lock (writing)
        {
            if (byKey.TryGetValue(key, out var known))
            {
                return (known, false);
            }

            var text = new TakenText($"t{texts.Count + 1:000000}", key, to, from, body);
            Keep(text);
            return (text, true);
        }
    }

    /// <summary>Keeps a text that somebody wrote to us.</summary>
    public TakenText Write(string from, string body, string to)
    {
        lock (writing)
        {
            var text = new TakenText($"t{texts.Count + 1:000000}", null, to, from, body);
            Keep(text);
            return text;
        }
    }

    /// <summary>The text of a key, or null.</summary>
    public TakenText? Find(string key) => byKey.GetValueOrDefault(key);

    /// <summary>The newest texts, newest first.</summary>
    public IReadOnlyList<TakenText> List(int most)
    {
        lock (writing)
        {
            return [.. Enumerable.Reverse(texts).Take(most)];
        }
    }

    /// <summary>Those after a place, which moves on to the end.</summary>
    public IReadOnlyList<TakenText> Since(ref int place)
    {
        lock (writing)
        {
            var later = texts.Skip(place).ToList();
            place = texts.Count;
            return later;
        }
    }

    /// <summary>How many there are.</summary>
    public int Count
    {
        get
        {
            lock (writing)
            {
                return texts.Count;
            }
        }
    }

    private void Keep(TakenText text)
    {
        File.AppendAllText(file, JsonSerializer.Serialize(text) + "\n");
        Remember(text);
    }

    private void Remember(TakenText text)
    {
        texts.Add(text);
        if (text.Key is { } key)
        {
            byKey.TryAdd(key, text);
        }
    }
}
