using System.Text.Json;
using Germinal.Core.Files;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.House;

/// <summary>A name of the practice's own (a stage, a reason, a tag) called otherwise everywhere at once. A renaming moves nobody: no program starts or stops by it.</summary>
internal static class NameChange
{
    /// <summary>For so long a renaming waits for what workers had begun before it.</summary>
    private static readonly TimeSpan Settling = TimeSpan.FromSeconds(5);

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMilliseconds(50);

    /// <summary>What of these asks for a name.</summary>
    /// <param name="files">As <see cref="FilesAsync"/> gives them.</param>
    /// <param name="away">The name, taken away.</param>
    public static IReadOnlyList<string> Using(IReadOnlyList<(string Words, IReadOnlyList<string> Texts)> files, Renaming away) =>
        [.. files.Where(f => f.Texts.Any(t => away.In(t) is not null)).Select(f => f.Words).Distinct(StringComparer.Ordinal)];

    /// <summary>Renames in programs with their versions, segments, forms and letters: what is a file.</summary>
    public static async Task InFilesAsync(GerminalDb db, Renaming names, CancellationToken stop)
    {
        foreach (var program in await db.ProgramsAndBroadcasts.ToListAsync(stop))
        {
            program.Draft = names.In(program.Draft) ?? program.Draft;
        }

        foreach (var version in await db.ProgramVersions.ToListAsync(stop))
        {
            version.Definition = names.In(version.Definition) ?? version.Definition;
        }

        foreach (var segment in await db.Segments.ToListAsync(stop))
        {
            segment.Rule = names.In(segment.Rule) ?? segment.Rule;
        }

        foreach (var form in await db.Forms.ToListAsync(stop))
        {
            form.Draft = names.In(form.Draft) ?? form.Draft;
            form.Shown = form.Shown is null ? null : names.In(form.Shown) ?? form.Shown;
        }

        foreach (var letter in await db.Letters.ToListAsync(stop))
        {
            letter.Body = names.InLetter(letter.Body);
        }

        foreach (var broadcast in await db.Broadcasts.ToListAsync(stop))
        {
            broadcast.Plan = broadcast.Plan.Renamed(names);
        }

        foreach (var landing in await db.LandingVersions.ToListAsync(stop))
        {
            landing.Body = names.InLetter(landing.Body);
        }

        foreach (var merge in await db.Merges.Where(m => m.UndoneAt == null).ToListAsync(stop))
        {
            merge.Before = names.In(merge.Before) ?? merge.Before;
        }
    }

    /// <summary>Renames in columns: people, opportunities and their ways, the log, causes, acts that can be taken back, links that are on their way.</summary>
    public static async Task InRowsAsync(GerminalDb db, Renaming names, CancellationToken stop)
    {
        var practice = db.PracticeId!.Value;
        foreach (var (from, to) in names.Stages)
        {
            await db.People.Where(p => p.Stage == from).ExecuteUpdateAsync(u => u.SetProperty(p => p.Stage, to), stop);
            await db
                .Opportunities.Where(o => o.Stage == from || o.StageBefore == from || o.MovedTo == from)
                .ExecuteUpdateAsync(
                    u =>
                        u.SetProperty(o => o.Stage, o => o.Stage == from ? to : o.Stage)
                            .SetProperty(o => o.StageBefore, o => o.StageBefore == from ? to : o.StageBefore)
                            .SetProperty(o => o.MovedTo, o => o.MovedTo == from ? to : o.MovedTo),
                    stop
                );
            await db.OpportunityMoves.Where(m => m.Stage == from).ExecuteUpdateAsync(u => u.SetProperty(m => m.Stage, to), stop);
            await db.Acts.Where(a => a.Kind == "stage" && a.What == from).ExecuteUpdateAsync(u => u.SetProperty(a => a.What, to), stop);
            await InPairsAsync(db, "events", "data", ["stage", "left", "stood-in", "moved-to"], from, to, stop);
            await InPairsAsync(db, "messages", "links", ["opportunity"], from, to, stop);
            await Recorder.CallStageOtherwiseAsync(db, from, to, stop);
        }

        foreach (var (from, to) in names.Reasons)
        {
            await db.Opportunities.Where(o => o.LostReason == from).ExecuteUpdateAsync(u => u.SetProperty(o => o.LostReason, to), stop);
            await db.People.Where(p => p.LostReason == from).ExecuteUpdateAsync(u => u.SetProperty(p => p.LostReason, to), stop);
            await InPairsAsync(db, "events", "data", ["reason"], from, to, stop);
        }

        foreach (var (from, to) in names.Tags)
        {
            await db.Database.ExecuteSqlAsync(
                $"""
                UPDATE people SET tags = ARRAY(SELECT t FROM (
                    SELECT DISTINCT ON (lower(t)) t, n FROM (SELECT CASE WHEN lower(u) = lower({from}) THEN {to} ELSE u END AS t, n FROM unnest(tags) WITH ORDINALITY AS x(u, n)) o ORDER BY lower(t), n) d ORDER BY n)
                WHERE practice_id = {practice} AND EXISTS (SELECT 1 FROM unnest(tags) u WHERE lower(u) = lower({from}))
                """,
                stop
            );
            await db.Tags.Where(t => t.Name == from).ExecuteDeleteAsync(stop);
            await db.Database.ExecuteSqlAsync($"INSERT INTO tags (practice_id, name) SELECT {practice}, {to} WHERE NOT EXISTS (SELECT 1 FROM tags WHERE practice_id = {practice} AND lower(name) = lower({to}))", stop);
            await db.Acts.Where(a => (a.Kind == "tag" || a.Kind == "untag") && a.What == from).ExecuteUpdateAsync(u => u.SetProperty(a => a.What, to), stop);
            await InPairsAsync(db, "events", "data", ["tag"], from, to, stop);
            await InPairsAsync(db, "messages", "links", ["tag"], from, to, stop);
        }

        // Two stages that became one: who went from the one to the other has stood in it since they came into the first.
        await db.Database.ExecuteSqlAsync(
            $"""
            WITH way AS (
              SELECT id, opportunity_id, at, status, stage = lag(stage) OVER w AND status = 'open' AND lag(status) OVER w = 'open' AS again
              FROM opportunity_moves WHERE practice_id = {practice} WINDOW w AS (PARTITION BY opportunity_id ORDER BY at, id)),
            gone AS (DELETE FROM opportunity_moves m USING way WHERE m.id = way.id AND way.again RETURNING m.opportunity_id),
            since AS (SELECT opportunity_id, max(at) AS at FROM way WHERE status = 'open' AND NOT coalesce(again, false) GROUP BY opportunity_id)
            UPDATE opportunities o SET stage_since = since.at FROM since
            WHERE o.id = since.opportunity_id AND o.id IN (SELECT opportunity_id FROM gone) AND o.status = 'open'
            """,
            stop
        );
    }

    /// <summary>Renames the values of some keys in a jsonb column. A key with its value has one way to be written there, and inside a text its quotes are escaped.</summary>
    private static async Task InPairsAsync(GerminalDb db, string table, string column, string[] keys, string from, string to, CancellationToken stop)
    {
        foreach (var key in keys)
        {
            // Table and column are ours, never typed by anybody.
#pragma warning disable EF1002
            await db.Database.ExecuteSqlRawAsync(
                $$"""
                UPDATE {{table}} SET {{column}} = replace({{column}}::text, to_jsonb({1}::text)::text || ': ' || to_jsonb({2}::text)::text, to_jsonb({1}::text)::text || ': ' || to_jsonb({3}::text)::text)::jsonb
                WHERE practice_id = {0} AND position(to_jsonb({1}::text)::text || ': ' || to_jsonb({2}::text)::text IN {{column}}::text) > 0
                """,
                [db.PracticeId!.Value, key, from, to],
                stop
            );
#pragma warning restore EF1002
        }
    }

    /// <summary>
    /// A worker that had read the practice before may still write an old name. What had begun by now is waited for, and renamed after it.
    /// </summary>
    public static async Task SettleAsync(GerminalDb db, Renaming names, CancellationToken stop)
    {
        var until = DateTime.UtcNow + Settling;
        var (begun, oldest) = (await Newest(), 0L);
        while (begun > (oldest = await Oldest()) && DateTime.UtcNow < until)
        {
            await Task.Delay(BetweenLooks, stop);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await InRowsAsync(db, names, stop);
        await transaction.CommitAsync(stop);
        Task<long> Newest() => db.Database.SqlQuery<long>($"SELECT pg_snapshot_xmax(pg_current_snapshot())::text::bigint AS \"Value\"").SingleAsync(stop);
        Task<long> Oldest() => db.Database.SqlQuery<long>($"SELECT pg_snapshot_xmin(pg_current_snapshot())::text::bigint AS \"Value\"").SingleAsync(stop);
    }

    /// <summary>What asks for names: each program, segment, form and way a call ends, in words, with its texts.</summary>
    public static async Task<IReadOnlyList<(string Words, IReadOnlyList<string> Texts)>> FilesAsync(GerminalDb db, PracticeSettings settings, CancellationToken stop)
    {
        var programs = await db.Programs.AsNoTracking().Where(p => p.ArchivedAt == null).Select(p => new { p.Id, p.Name, p.Draft }).ToListAsync(stop);
        var running = await db
            .ProgramVersions.AsNoTracking()
            .Where(v => db.Programs.Any(p => p.Id == v.ProgramId && p.CurrentVersion == v.Version && p.ArchivedAt == null) || db.Runs.Any(r => r.ProgramId == v.ProgramId && r.Version == v.Version && r.EndedAt == null))
            .Select(v => new { v.ProgramId, v.Definition })
            .ToListAsync(stop);
        var definitions = running.ToLookup(r => r.ProgramId, r => r.Definition);
        var segments = await db.Segments.AsNoTracking().Where(s => s.MemberId == null).Select(s => new { s.Name, s.Rule }).ToListAsync(stop);
        var forms = await db.Forms.AsNoTracking().Select(f => new { f.Name, f.Draft, f.Shown }).ToListAsync(stop);
        return
        [
            .. programs.Select(p => (Say($"the program “{p.Name}”"), (IReadOnlyList<string>)[p.Draft, .. definitions[p.Id]])),
            .. segments.Select(s => (Say($"the segment “{s.Name}”"), (IReadOnlyList<string>)[s.Rule])),
            .. forms.Select(f => (Say($"the form “{f.Name}”"), (IReadOnlyList<string>)[f.Draft, f.Shown ?? ""])),
            .. settings.CallOutcomes.Where(o => o.Stage.Length > 0).Select(o => (Say($"a call that ends with “{o.Name}”"), (IReadOnlyList<string>)[JsonSerializer.Serialize(new { stage = o.Stage })])),
        ];
    }
}
