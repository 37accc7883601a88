using System.Collections.Concurrent;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata;
using Npgsql;

namespace Germinal.Store;

/// <summary>Writes many new rows by one COPY, with the columns, types and conversions the model knows.</summary>
public static class BulkWriting
{
    private static readonly ConcurrentDictionary<(IModel Model, Type Row), Target> Targets = [];

    /// <summary>
    /// Adds rows to their table at once, inside the context's transaction where there is one. The context does not track them,
    /// and keys the database hands out are not read back.
    /// </summary>
    /// <exception cref="PostgresException">A row breaks a rule of the table; then none is written.</exception>
    public static async Task CopyAsync<T>(this GerminalDb db, IReadOnlyCollection<T> rows, CancellationToken stop)
        where T : class
    {
        if (rows.Count == 0)
        {
            return;
        }

        var target = Targets.GetOrAdd((db.Model, typeof(T)), key => Target.Of(key.Model, key.Row));
        await db.Database.OpenConnectionAsync(stop);
        try
        {
            var connection = (NpgsqlConnection)db.Database.GetDbConnection();
            await using var copy = await connection.BeginBinaryImportAsync(target.Command, stop);
            foreach (var row in rows)
            {
                await copy.StartRowAsync(stop);
                foreach (var column in target.Columns)
                {
                    if (column.Of(row) is { } value)
                    {
                        await copy.WriteAsync(value, column.Type, stop);
                    }
                    else
                    {
                        await copy.WriteNullAsync(stop);
                    }
                }
            }

            await copy.CompleteAsync(stop);
        }
        finally
        {
            await db.Database.CloseConnectionAsync();
        }
    }

    private sealed record Column(string Name, string Type, Func<object, object?> Of)
    {
        public static Column Read(IProperty property, StoreObjectIdentifier table)
        {
            var getter = property.GetGetter();
            var converter = property.GetTypeMapping().Converter;
            return new Column(
                property.GetColumnName(table)!,
                property.GetColumnType(table)!,
                converter is null ? getter.GetClrValue : row => converter.ConvertToProvider(getter.GetClrValue(row))
            );
        }
    }

    private sealed record Target(string Command, IReadOnlyList<Column> Columns)
    {
        public static Target Of(IModel model, Type row)
        {
            var type = model.FindEntityType(row)!;
            var table = StoreObjectIdentifier.Create(type, StoreObjectType.Table)!.Value;

            // What the database works out itself is left to it: computed columns and counted keys.
            var columns = type.GetProperties()
                .Where(p =>
                    p.GetComputedColumnSql(table) is null && !(p.IsPrimaryKey() && p.ClrType == typeof(long) && p.ValueGenerated == ValueGenerated.OnAdd)
                )
                .Select(p => Column.Read(p, table))
                .ToList();
            var names = string.Join(", ", columns.Select(c => $"\"{c.Name}\""));
            return new Target($"COPY \"{table.Name}\" ({names}) FROM STDIN (FORMAT BINARY)", columns);
        }
    }
}
