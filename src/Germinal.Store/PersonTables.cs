using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata;

namespace Germinal.Store;

/// <summary>A table that holds something about people.</summary>
/// <param name="Name">The table.</param>
/// <param name="Key">Its key's columns.</param>
/// <param name="Owner">SQL that is true of a row (<c>t</c>) about the person <c>@person</c>.</param>
/// <param name="Mentions">Columns that may point at a person whose row it is not (a guess), emptied when that person is erased.</param>
/// <param name="Files">Columns that hold files.</param>
/// <param name="Depth">0 for people, 1 for what hangs on a person, 2 for what hangs on that.</param>
public sealed record PersonTable(
    string Name,
    IReadOnlyList<string> Key,
    string Owner,
    IReadOnlyList<string> Mentions,
    IReadOnlyList<string> Files,
    int Depth
);

/// <summary>
/// Where the database holds something about a person, worked out from the model, so that handing everything out and erasing
/// everything walk the same list and nobody has to remember a new table.
/// </summary>
public static class PersonTables
{
    // Columns that name a person whose row it is, whether or not the database holds them to it.
    private static readonly string[] OwnerNames = ["PersonId", "KeptId", "MergedId"];
    private static readonly string[] MentionNames = ["GuessId", "ReaderId"];

    /// <summary>Every such table, those that hang on others first, people last.</summary>
    public static IReadOnlyList<PersonTable> Of(IModel model)
    {
        var found = new Dictionary<IEntityType, PersonTable>();
        foreach (var type in model.GetEntityTypes())
        {
            var owners =
                type.ClrType == typeof(PersonRow)
                    ? ["id"]
                    : type.GetProperties()
                        .Where(p => IsPerson(p) && OwnerNames.Contains(p.Name, StringComparer.Ordinal) || PointsAtPeople(p))
                        .Select(p => p.GetColumnName())
                        .Distinct(StringComparer.Ordinal)
                        .ToList();
            if (owners.Count > 0)
            {
                found[type] = Table(type, string.Join(" OR ", owners.Select(o => $"t.{o} = @person")), type.ClrType == typeof(PersonRow) ? 0 : 1);
            }
        }

        foreach (var type in model.GetEntityTypes().Where(t => !found.ContainsKey(t)))
        {
            if (type.GetForeignKeys().FirstOrDefault(f => found.TryGetValue(f.PrincipalEntityType, out var p) && p.Depth == 1) is { } key)
            {
                var principal = found[key.PrincipalEntityType];
                var join = string.Join(
                    " AND ",
                    key.Properties.Zip(key.PrincipalKey.Properties, (own, other) => $"t.{own.GetColumnName()} = p.{other.GetColumnName()}")
                );
                var owner = principal.Owner.Replace("t.", "p.", StringComparison.Ordinal);
                found[type] = Table(type, $"EXISTS (SELECT 1 FROM {principal.Name} p WHERE {join} AND ({owner}))", 2);
            }
        }

        return [.. found.Values.OrderByDescending(t => t.Depth).ThenBy(t => t.Name, StringComparer.Ordinal)];
    }

    private static PersonTable Table(IEntityType type, string owner, int depth) =>
        new(
            type.GetTableName()!,
            [.. type.FindPrimaryKey()!.Properties.Select(p => p.GetColumnName())],
            owner,
            [.. type.GetProperties().Where(p => IsPerson(p) && MentionNames.Contains(p.Name, StringComparer.Ordinal)).Select(p => p.GetColumnName())],
            [.. type.GetProperties().Where(p => p.ClrType == typeof(byte[])).Select(p => p.GetColumnName())],
            depth
        );

    private static bool IsPerson(IProperty property) => property.ClrType == typeof(Guid) || property.ClrType == typeof(Guid?);

    private static bool PointsAtPeople(IProperty property) =>
        property.GetContainingForeignKeys().Any(f => f.PrincipalEntityType.ClrType == typeof(PersonRow));
}
