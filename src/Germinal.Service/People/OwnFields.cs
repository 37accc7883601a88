using Germinal.Core.Practices;
using Germinal.Service.House;
using Germinal.Service.Import;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>A field of the practice's own as pages show it, with what one person has there.</summary>
/// <param name="Key">What it is called for good.</param>
/// <param name="Name">Its name.</param>
/// <param name="Kind">What it holds: text, number, money, date, yearly-date, choice, choices, yes-no.</param>
/// <param name="Options">What may be chosen.</param>
/// <param name="Value">What this person has; null for nothing.</param>
/// <param name="Gone">True for a value that is no field's any more; it can be emptied, and nothing else.</param>
public sealed record OwnValue(string Key, string Name, string Kind, IReadOnlyList<string> Options, string? Value, bool Gone);

/// <summary>Who uses a field of the practice's own, or a key date.</summary>
/// <param name="People">How many have a value there.</param>
/// <param name="Programs">The programs whose rules, letters or changes name it, as they are written now or are on, and the segments that do.</param>
public sealed record OwnFieldUses(int People, IReadOnlyList<string> Programs);

/// <summary>The fields a practice named itself, and the values people have there.</summary>
public static class OwnFields
{
    /// <summary>The fields, in the practice's order.</summary>
    public static IReadOnlyList<OwnField> Of(PracticeSettings settings) =>
        [.. settings.OwnFields.Select(f => new OwnField(f.Key, f.Name, OwnField.KindOf(f.Kind) ?? OwnFieldKind.Text, f.Options))];

    /// <summary>What the context's practice named itself.</summary>
    public static async Task<OwnNames> OfPracticeAsync(GerminalDb db, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        return new OwnNames(Of(settings), settings.KeyDates);
    }

    /// <summary>The fields as a principal wrote them, each with its key: a new one's is its name, with a number where that is taken.</summary>
    public static IReadOnlyList<OwnField> WithKeys(IEnumerable<(string Key, string Name, OwnFieldKind Kind, IReadOnlyList<string> Options)> written)
    {
        var all = written.ToList();
        var keys = all.Select(w => w.Key).Where(k => k.Length > 0).ToHashSet(StringComparer.OrdinalIgnoreCase);
        string Free(string name)
        {
            var key = name;
            for (var n = 2; !keys.Add(key); n++)
            {
                key = $"{name} {n}";
            }

            return key;
        }

        return [.. all.Select(w => new OwnField(w.Key.Length > 0 ? w.Key : Free(w.Name), w.Name, w.Kind, w.Options))];
    }

    /// <summary>Adds a field to the practice’s own.</summary>
    /// <returns>The field with its key, or what is wrong and what would be right.</returns>
    public static async Task<(OwnField? Field, string? Problem)> AddAsync(GerminalDb db, string name, OwnFieldKind kind, IReadOnlyList<string> options, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var there = Of(change.Settings);
        if (there.Count >= MostFields)
        {
            return (null, Say($"There are {MostFields} fields already; take one out first."));
        }

        var field = new OwnField(name, name, kind, options);
        if (ProblemOf([.. there, field]) is { } problem)
        {
            return (null, problem);
        }

        change.Settings.OwnFields.Add(Stored(field));
        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return (field, null);
    }

    /// <summary>What is wrong with the fields of a practice, and what would be right; null for nothing.</summary>
    public static string? ProblemOf(IReadOnlyList<OwnField> fields) =>
        fields.Select(f => f.Problem).FirstOrDefault(p => p is not null)
        ?? (
            fields
                .SelectMany(f => new[] { f.Name, f.Key }.Distinct(StringComparer.OrdinalIgnoreCase))
                .GroupBy(n => n, StringComparer.OrdinalIgnoreCase)
                .FirstOrDefault(g => g.Count() > 1)
                is { } twice
                ? Say($"There is a field “{twice.Key}” already; each needs a name of its own.")
                : null
        );

    /// <summary>The most fields a practice has of its own.</summary>
    public const int MostFields = 100;

    /// <summary>A field as the settings keep it.</summary>
    public static OwnFieldSettings Stored(OwnField field) =>
        new()
        {
            Key = field.Key,
            Name = field.Name,
            Kind = WordOf(field.Kind),
            Options = [.. field.Options],
        };

    /// <summary>The word of a kind.</summary>
    public static string WordOf(OwnFieldKind kind) => OwnField.Kinds.First(k => k.Kind == kind).Word;

    /// <summary>What one person has: every field, then what stands under names that are no field any more.</summary>
    public static IReadOnlyList<OwnValue> Of(PracticeSettings settings, PersonRow person)
    {
        var fields = Of(settings);
        var gone = person.Custom.Where(c => !fields.Any(f => Same(f.Key, c.Key))).OrderBy(c => c.Key, StringComparer.OrdinalIgnoreCase);
        return
        [
            .. fields.Select(f => new OwnValue(f.Key, f.Name, WordOf(f.Kind), f.Options, person.Custom.FirstOrDefault(c => Same(c.Key, f.Key)).Value, false)),
            .. gone.Select(c => new OwnValue(c.Key, c.Key, WordOf(OwnFieldKind.Text), [], c.Value, true)),
        ];
    }

    /// <summary>Puts what was typed into the row; by the fields' keys; each problem names its field (<c>custom.KEY</c>) and what would be right.</summary>
    public static IEnumerable<(string Field, string Message)> Apply(PracticeSettings settings, PersonRow person, IReadOnlyDictionary<string, string> typed)
    {
        var fields = Of(settings);
        var values = new Dictionary<string, string>(person.Custom, StringComparer.OrdinalIgnoreCase);
        var problems = new List<(string, string)>();
        foreach (var (key, text) in typed)
        {
            var field = fields.FirstOrDefault(f => Same(f.Key, key.Trim()));
            var (kept, problem) = field?.Read(text) ?? (text.Trim().Length == 0 ? "" : null, Say($"There is no field “{key}”; a principal adds fields under The practice."));
            if (kept is null)
            {
                problems.Add(($"custom.{key}", problem!));
                continue;
            }

            values.Remove(key.Trim());
            if (kept.Length > 0)
            {
                values[field!.Key] = kept;
            }
        }

        if (problems.Count == 0)
        {
            person.Custom = new Dictionary<string, string>(values);
        }

        return problems;
    }

    /// <summary>Who uses a field.</summary>
    public static async Task<OwnFieldUses> UsesAsync(GerminalDb db, string key, CancellationToken stop)
    {
        var people = await db
            .Database.SqlQuery<int>(
                $"SELECT count(*)::int AS \"Value\" FROM people p WHERE p.practice_id = {db.PracticeId} AND EXISTS (SELECT 1 FROM jsonb_each_text(p.custom) c WHERE lower(c.key) = lower({key}) AND c.value <> '')"
            )
            .SingleAsync(stop);
        var segments = await db.Segments.AsNoTracking().Select(s => new { s.Name, Text = s.Rule }).ToListAsync(stop);
        var programs = (await ProgramTexts.AllAsync(db, stop)).Select(p => (p.Name, p.Text)).Concat(segments.Select(s => (s.Name, s.Text)));
        return new OwnFieldUses(people, [.. programs.Where(p => Names(p.Text, key)).Select(p => p.Name).Distinct().Order(StringComparer.OrdinalIgnoreCase)]);
    }

    /// <summary>Whether a program's file names the field: in a rule or a change (<c>custom:KEY</c>), or in a letter (<c>person.custom</c>).</summary>
    private static bool Names(string file, string key)
    {
        var written = System.Text.Json.JsonEncodedText.Encode(key, System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping).ToString();
        return new[] { $"\"custom:{written}\"", $"person.custom.{written}", $"person.custom['{written}']", $"person.custom[\\\"{written}\\\"]" }.Any(w =>
            file.Contains(w, StringComparison.OrdinalIgnoreCase)
        );
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
