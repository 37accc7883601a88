using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Service.Engine;

namespace Germinal.Service.Whole;

/// <summary>What an archive says of itself, in <see cref="ArchiveForm.Entry"/>.</summary>
/// <param name="Format">Always <see cref="ArchiveForm.Name"/>.</param>
/// <param name="Version">Of the form.</param>
/// <param name="Practice">What the practice is called.</param>
/// <param name="MadeAt">By the machine's clock, ISO 8601.</param>
/// <param name="Schema">The newest change of the database it was made with.</param>
/// <param name="Tables">How many rows each table has.</param>
/// <param name="Files">How many files there are under <c>files/</c>.</param>
public sealed record ArchiveHead(string Format, int Version, string Practice, string MadeAt, string Schema, IReadOnlyDictionary<string, long> Tables, int Files);

/// <summary>The form of a practice's archive; docs/archive.md describes it.</summary>
public static class ArchiveForm
{
    /// <summary>What the form is called.</summary>
    public const string Name = "germinal-practice-archive";

    /// <summary>Its version; one that is higher is not read.</summary>
    public const int Version = 1;

    /// <summary>Where the archive says what it is.</summary>
    public const string Entry = "archive.json";

    /// <summary>How it is written.</summary>
    public static JsonSerializerOptions Json { get; } = new(JsonSerializerDefaults.Web) { WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>The entry with a table's rows.</summary>
    public static string TableEntry(string table) => $"tables/{table}.csv";

    /// <summary>The entry with a file of a row; the key's values are joined by a hyphen, as <see cref="KeySql"/> does.</summary>
    public static string FileEntry(string table, string key, string column) => $"files/{table}/{key}/{column}";

    /// <summary>SQL for a row's key in the name of an entry.</summary>
    public static string KeySql(IEnumerable<string> columns) => $"concat_ws('-', {string.Join(", ", columns.Select(Store.PracticeTable.Quoted))})";

    /// <summary>Settings without what is sealed with the installation's key: no other one could open it.</summary>
    public static string WithoutSecrets(string settings)
    {
        var node = JsonNode.Parse(settings)!;
        foreach (var (fields, name) in SealedSettings.Of(node).ToList())
        {
            fields[name] = "";
        }

        if (node["signingKeys"] is JsonArray keys)
        {
            keys.Clear();
        }

        return node.ToJsonString();
    }
}
