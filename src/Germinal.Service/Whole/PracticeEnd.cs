using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Service.Whole;

/// <summary>A practice that is to go: it stays for a week, so that it can be kept after all, and then goes with all it has. By the machine's clock.</summary>
public static class PracticeEnd
{
    /// <summary>How long it stays.</summary>
    public static readonly Duration Grace = Duration.FromDays(7);

    /// <summary>It goes in a week; every principal is told. Said again, the first moment holds.</summary>
    /// <param name="db">A context of the practice, in the caller's transaction.</param>
    /// <param name="mails">To tell them.</param>
    /// <param name="by">Whoever says so.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>When it goes.</returns>
    public static async Task<Instant> AskAsync(GerminalDb db, MemberMails mails, MemberUser by, CancellationToken stop)
    {
        var row = await db.Practices.FromSql($"SELECT * FROM practices WHERE id = {db.PracticeId} FOR UPDATE").AsTracking().SingleAsync(stop);
        if (row.EndsAt is { } already)
        {
            return already;
        }

        var ends = SystemClock.Instance.GetCurrentInstant() + Grace;
        row.EndsAt = ends;
        await db.SaveChangesAsync(stop);
        foreach (var principal in await db.Users.Where(m => m.PracticeId == db.PracticeId && m.Role == "principal" && m.LeftAt == null && m.PasswordHash != null).ToListAsync(stop))
        {
            await mails.PracticeEndsAsync(db, principal, by, row.Name, ends, stop);
        }

        return ends;
    }

    /// <summary>It stays after all.</summary>
    /// <returns>False where it was not to go.</returns>
    public static async Task<bool> KeepAsync(GerminalDb db, CancellationToken stop) =>
        await db.Practices.Where(p => p.Id == db.PracticeId && p.EndsAt != null).ExecuteUpdateAsync(u => u.SetProperty(p => p.EndsAt, (Instant?)null), stop) > 0;

    /// <summary>Lets every practice go whose time has come, each in one transaction. Workers side by side leave each other's alone.</summary>
    /// <returns>The practices that went.</returns>
    public static async Task<IReadOnlyList<Guid>> LetGoAsync(IDbContextFactory<GerminalDb> databases, Instant now, CancellationToken stop)
    {
        var gone = new List<Guid>();
        while (true)
        {
            await using var db = await databases.CreateDbContextAsync(stop);
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            var due = await db
                .Database.SqlQuery<Guid>($"SELECT id AS \"Value\" FROM practices WHERE ends_at <= {now} ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED")
                .ToListAsync(stop);
            if (due is not [var practice])
            {
                return gone;
            }

            var connection = (NpgsqlConnection)db.Database.GetDbConnection();
            foreach (var table in PracticeTables.ToLetGo(db.Model))
            {
                await using var command = new NpgsqlCommand($"DELETE FROM {table.Sql} WHERE {PracticeTable.Quoted(table.Owner)} = @practice", connection) { Parameters = { new("practice", practice) } };
                await command.ExecuteNonQueryAsync(stop);
            }

            await transaction.CommitAsync(stop);
            gone.Add(practice);
        }
    }
}
