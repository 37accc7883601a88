using System.Collections.Concurrent;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;
using Npgsql;

namespace Germinal.Store;

/// <summary>
/// Members who see only some of the people. The database itself keeps the others from them, row by row (row level security), so that no page and no question of any kind has to remember it: such a member's
/// connections run under a role of their own, which sees a person only where <c>germinal.sees</c> names who looks after them, or nobody does; and what hangs on a person only where it sees the person.
/// Everything else connects as the tables' owner, to whom none of it applies.
/// </summary>
public static class Sight
{
    /// <summary>The role.</summary>
    public const string Role = "germinal_limited";

    private static readonly ConcurrentDictionary<string, Lazy<NpgsqlDataSource>> Sources = new(StringComparer.Ordinal);

    /// <summary>A connection to the same database under the role, out of a pool of its own: what such a connection was told is forgotten when it goes back.</summary>
    internal static NpgsqlConnection Connect(string connection) => Sources.GetOrAdd(connection, static c => new Lazy<NpgsqlDataSource>(() => SourceOf(c))).Value.CreateConnection();

    private static NpgsqlDataSource SourceOf(string connection)
    {
        var builder = new NpgsqlDataSourceBuilder(new NpgsqlConnectionStringBuilder(connection) { Options = $"-c role={Role}", NoResetOnClose = false }.ConnectionString);
        builder.UseNodaTime();
        return builder.Build();
    }

    /// <summary>Makes the role where it is not there yet, and lets it at the tables. A database user who may not make roles leaves it be.</summary>
    internal static async Task PrepareAsync(GerminalDb db, CancellationToken stop)
    {
        try
        {
            await db.Database.ExecuteSqlRawAsync(
                $"""
                DO $$ BEGIN
                  IF NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = '{Role}') THEN CREATE ROLE {Role} NOLOGIN; END IF;
                EXCEPTION WHEN duplicate_object OR unique_violation THEN NULL; END $$;
                DO $$ BEGIN
                  IF NOT pg_has_role(current_user, '{Role}', 'MEMBER') THEN EXECUTE format('GRANT {Role} TO %I', current_user); END IF;
                END $$;
                GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO {Role};
                GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {Role};
                """,
                stop
            );
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.InsufficientPrivilege)
        {
            // IsPossibleAsync tells whoever wants to limit a member, and the doctor.
        }
    }

    /// <summary>Whether members can be limited in this database.</summary>
    public static async Task<bool> IsPossibleAsync(GerminalDb db, CancellationToken stop) =>
        await db.Database.SqlQuery<bool>($"SELECT coalesce((SELECT pg_has_role(current_user, oid, 'MEMBER') FROM pg_roles WHERE rolname = {Role}), false) AS \"Value\"").SingleAsync(stop);

    /// <summary>Whose people a member sees, beside nobody's: their own, those of members they stand in for, those of their office. Null: everybody's.</summary>
    public static async Task<IReadOnlyList<Guid>?> OfAsync(GerminalDb db, Guid member, CancellationToken stop) =>
        await db.Database.SqlQuery<Guid[]?>($"SELECT sight_of({member}) AS \"Value\"").SingleAsync(stop);

    /// <summary>Tells each connection of a limited context what it sees.</summary>
    internal sealed class Telling : DbConnectionInterceptor
    {
        public static readonly Telling Instance = new();

        public override void ConnectionOpened(DbConnection connection, ConnectionEndEventData eventData)
        {
            if (eventData.Context is GerminalDb { Sees: { } sees })
            {
                using var command = Command(connection, sees);
                command.ExecuteNonQuery();
            }
        }

        public override async Task ConnectionOpenedAsync(DbConnection connection, ConnectionEndEventData eventData, CancellationToken cancellationToken = default)
        {
            if (eventData.Context is GerminalDb { Sees: { } sees })
            {
                await using var command = Command(connection, sees);
                await command.ExecuteNonQueryAsync(cancellationToken);
            }
        }

        private static NpgsqlCommand Command(DbConnection connection, string sees) =>
            new("SELECT set_config('germinal.sees', @sees, false)", (NpgsqlConnection)connection) { Parameters = { new("sees", sees) } };
    }
}
