using System.Collections.Frozen;
using System.Globalization;
using System.Text.Json;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>
/// Reads one JSON object key by key, collecting findings with their JSON pointers instead of stopping at the first.
/// </summary>
internal sealed class JsonObjectReader
{
    private readonly JsonElement json;
    private readonly HashSet<string> read = new(StringComparer.Ordinal);

    private JsonObjectReader(JsonElement json, string pointer, List<Finding> errors)
    {
        this.json = json;
        Pointer = pointer;
        Errors = errors;
    }

    /// <summary>Where the object stands (RFC 6901).</summary>
    public string Pointer { get; }

    public List<Finding> Errors { get; }

    /// <summary>A reader for an element, or null and a finding when it is not an object.</summary>
    public static JsonObjectReader? For(JsonElement json, string pointer, List<Finding> errors)
    {
        if (json.ValueKind == JsonValueKind.Object)
        {
            return new JsonObjectReader(json, pointer, errors);
        }

        errors.Add(new Finding(pointer, Say($"An object {{ … }} should stand here.")));
        return null;
    }

    /// <summary>The parsed text, or null and a finding with line and column when it is not JSON.</summary>
    public static JsonDocument? Parse(string json, List<Finding> errors)
    {
        try
        {
            return JsonDocument.Parse(json);
        }
        catch (JsonException e)
        {
            errors.Add(
                new Finding("", Say($"This is not JSON: line {e.LineNumber + 1}, column {e.BytePositionInLine + 1}."))
            );
            return null;
        }
    }

    public bool Has(string key) => json.TryGetProperty(key, out var v) && v.ValueKind != JsonValueKind.Null;

    public JsonElement Raw(string key)
    {
        read.Add(key);
        return json.GetProperty(key);
    }

    /// <summary>Records a finding at a key and gives back the default.</summary>
    public T? Bad<T>(string key, string message)
    {
        Errors.Add(new Finding(key.Length == 0 ? Pointer : $"{Pointer}/{key}", message));
        return default;
    }

    /// <summary>A word that is none of those known here.</summary>
    public T? Unknown<T>(string key, string word, string known) => Bad<T>(key, Say($"“{word}” is not known here; {known} would be right."));

    /// <summary>The key <c>format</c>, which must be the one this reads.</summary>
    public void Format(string expected)
    {
        if (Text("format", required: true) is { } format && format != expected)
        {
            Bad<object>("format", Say($"The format is “{format}”; this version reads {expected}."));
        }
    }

    public string? Text(string key, bool required = false)
    {
        read.Add(key);
        if (!Has(key))
        {
            return required ? Bad<string>(key, Say($"“{key}” is missing.")) : null;
        }

        var value = json.GetProperty(key);
        return value.ValueKind == JsonValueKind.String ? value.GetString() : Bad<string>(key, Say($"“{key}” should be a text in quotes."));
    }

    /// <summary>A text that must be there and not be blank; an empty text after a finding.</summary>
    public string Needed(string key)
    {
        var text = Text(key, required: true);
        if (text is not null && string.IsNullOrWhiteSpace(text))
        {
            Bad<object>(key, Say($"“{key}” is empty."));
        }

        return text?.Trim() ?? "";
    }

    public bool Flag(string key, bool otherwise = false)
    {
        read.Add(key);
        if (!Has(key))
        {
            return otherwise;
        }

        var kind = json.GetProperty(key).ValueKind;
        return kind == JsonValueKind.True || (kind != JsonValueKind.False && Bad<bool>(key, Say($"“{key}” should be true or false.")));
    }

    public int Number(string key, int otherwise, int least, int most)
    {
        read.Add(key);
        if (!Has(key))
        {
            return otherwise;
        }

        if (json.GetProperty(key).ValueKind == JsonValueKind.Number && json.GetProperty(key).TryGetInt32(out var n) && n >= least && n <= most)
        {
            return n;
        }

        Bad<object>(key, Say($"“{key}” should be a whole number from {least} to {most}."));
        return otherwise;
    }

    public IReadOnlyList<int> Numbers(string key)
    {
        read.Add(key);
        if (!Has(key))
        {
            return [];
        }

        var list = json.GetProperty(key);
        if (list.ValueKind == JsonValueKind.Array && list.EnumerateArray().All(v => v.ValueKind == JsonValueKind.Number && v.TryGetInt32(out _)))
        {
            return [.. list.EnumerateArray().Select(v => v.GetInt32())];
        }

        return Bad<int[]>(key, Say($"“{key}” should be a list of whole numbers, [60, 65].")) ?? [];
    }

    public IReadOnlyList<string> Texts(string key)
    {
        read.Add(key);
        if (!Has(key))
        {
            return [];
        }

        var list = json.GetProperty(key);
        if (list.ValueKind == JsonValueKind.Array && list.EnumerateArray().All(v => v.ValueKind == JsonValueKind.String))
        {
            return [.. list.EnumerateArray().Select(v => v.GetString()!)];
        }

        return Bad<string[]>(key, Say($"“{key}” should be a list of texts.")) ?? [];
    }

    public T Choice<T>(string key, T otherwise, params (string Word, T Value)[] choices)
    {
        var word = Text(key);
        if (word is null)
        {
            return otherwise;
        }

        foreach (var (name, value) in choices)
        {
            if (name == word)
            {
                return value;
            }
        }

        Unknown<object>(key, word, string.Join(", ", choices.Select(c => c.Word)));
        return otherwise;
    }

    public Distance? Duration(string key)
    {
        var text = Text(key);
        return text is null ? null : Distance.TryParse(text) ?? Bad<Distance>(key, Say($"“{text}” is not a duration; P7D, -P1D, P1M or PT2H would be."));
    }

    /// <summary>A duration that must be there; none of no length after a finding.</summary>
    public Distance NeededDuration(string key)
    {
        if (!Has(key))
        {
            read.Add(key);
            Bad<object>(key, Say($"“{key}” is missing; a duration like P7D or PT2H would be right."));
        }

        return Duration(key) ?? Distance.Zero;
    }

    public LocalTime? Time(string key)
    {
        var text = Text(key);
        if (text is null)
        {
            return null;
        }

        var parsed = TimesOfDay.Form.Parse(text);
        return parsed.Success ? parsed.Value : Bad<LocalTime?>(key, Say($"“{text}” is not a time of day; 09:30 would be."));
    }

    public LocalDate? Date(string key)
    {
        var text = Needed(key);
        if (text.Length == 0)
        {
            return null;
        }

        return Core.Time.Dates.TryParse(text) is { } date ? date : Bad<LocalDate?>(key, Say($"“{text}” is not a date; 2027-12-24 would be."));
    }

    /// <summary>A list of week days.</summary>
    public FrozenSet<IsoDayOfWeek> Days(string key)
    {
        var days = new List<IsoDayOfWeek>();
        foreach (var word in Texts(key))
        {
            var day = Array.Find(FileWords.Days, d => d.Word == word);
            if (day.Word is null)
            {
                Unknown<object>(key, word, "mon, tue, wed, thu, fri, sat, sun");
            }
            else
            {
                days.Add(day.Value);
            }
        }

        return days.ToFrozenSet();
    }

    /// <summary>A list of dates.</summary>
    public FrozenSet<LocalDate> Dates(string key)
    {
        var dates = new List<LocalDate>();
        foreach (var word in Texts(key))
        {
            if (Core.Time.Dates.TryParse(word) is { } date)
            {
                dates.Add(date);
            }
            else
            {
                Bad<object>(key, Say($"“{word}” is not a date; 2027-12-24 would be."));
            }
        }

        return dates.ToFrozenSet();
    }

    /// <summary>The keys of the object, in order.</summary>
    public IEnumerable<string> Keys => json.EnumerateObject().Select(p => p.Name);

    public JsonObjectReader? Object(string key)
    {
        read.Add(key);
        return Has(key) ? For(json.GetProperty(key), $"{Pointer}/{key}", Errors) : null;
    }

    public IReadOnlyList<T> List<T>(string key, Func<JsonObjectReader, T?> item)
        where T : class
    {
        read.Add(key);
        if (!Has(key))
        {
            return [];
        }

        var list = json.GetProperty(key);
        if (list.ValueKind != JsonValueKind.Array)
        {
            return Bad<T[]>(key, Say($"“{key}” should be a list [ … ].")) ?? [];
        }

        return
        [
            .. list.EnumerateArray()
                .Select((v, i) => For(v, string.Create(CultureInfo.InvariantCulture, $"{Pointer}/{key}/{i}"), Errors) is { } o ? item(o) : null)
                .OfType<T>(),
        ];
    }

    /// <summary>Reports keys nobody asked for. Called last; with <paramref name="unknownKind"/> the keys cannot be judged.</summary>
    public void Done(bool unknownKind = false)
    {
        if (unknownKind)
        {
            return;
        }

        foreach (var property in json.EnumerateObject().Where(p => !read.Contains(p.Name)))
        {
            Errors.Add(
                new Finding(
                    $"{Pointer}/{property.Name.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}",
                    Say($"“{property.Name}” is not known here.")
                )
            );
        }
    }
}
