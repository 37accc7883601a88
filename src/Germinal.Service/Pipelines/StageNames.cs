using System.Text.Json;
using Germinal.Core.Files;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Pipelines;

/// <summary>A stage and what stands in it.</summary>
/// <param name="Name">Its name, without the pipeline's.</param>
/// <param name="People">How many people stand in it.</param>
/// <param name="Open">How many open opportunities stand in it.</param>
/// <param name="Used">What asks for it, in words: programs, segments, forms, how calls end.</param>
public sealed record StageDto(string Name, int People, int Open, IReadOnlyList<string> Used);

/// <summary>A pipeline with its stages in order.</summary>
public sealed record PipelineStages(string Name, IReadOnlyList<StageDto> Stages);

/// <summary>Why opportunities are lost.</summary>
/// <param name="Name">The reason.</param>
/// <param name="Lost">How many were lost for it.</param>
/// <param name="Used">What asks for it, in words.</param>
public sealed record ReasonDto(string Name, int Lost, IReadOnlyList<string> Used);

/// <summary>The practice's pipelines, stages and reasons.</summary>
public sealed record StagesDto(IReadOnlyList<PipelineStages> Pipelines, IReadOnlyList<ReasonDto> Reasons);

/// <summary>
/// The practice's own stages and reasons: read with what asks for them, ordered, added, taken out where nothing stands in the way, renamed
/// and put together everywhere at once. A renaming moves nobody: no program starts or stops by it.
/// </summary>
public static class StageNames
{
    /// <summary>The most pipelines, and the most stages of one.</summary>
    public const int Most = 30;

    /// <summary>The most reasons.</summary>
    public const int MostReasons = 100;

    /// <summary>Letters of a stage's or a pipeline's name.</summary>
    public const int LongestName = 80;

    /// <summary>For so long a renaming waits for what workers had begun before it.</summary>
    private static readonly TimeSpan Settling = TimeSpan.FromSeconds(5);

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMilliseconds(50);

    /// <summary>Reads them.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<StagesDto> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        // Not as the context may have read it before it was changed.
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var people = await db.People.Where(p => p.Stage != null).GroupBy(p => p.Stage!).Select(g => new { g.Key, Count = g.Count() }).ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        var open = await db.Opportunities.Where(o => o.Status == "open").GroupBy(o => o.Stage).Select(g => new { g.Key, Count = g.Count() }).ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        var lost = await db.Opportunities.Where(o => o.LostReason != null).GroupBy(o => o.LostReason!).Select(g => new { g.Key, Count = g.Count() }).ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        var files = await FilesAsync(db, settings, stop);
        IReadOnlyList<string> Used(Renaming away) => [.. files.Where(f => f.Texts.Any(t => away.In(t) is not null)).Select(f => f.Words).Distinct(StringComparer.Ordinal)];
        return new StagesDto(
            [
                .. settings.Pipelines.Select(p => new PipelineStages(
                    p.Name,
                    [.. p.Stages.Select(s => ($"{p.Name}/{s}", s)).Select(s => new StageDto(s.s, people.GetValueOrDefault(s.Item1), open.GetValueOrDefault(s.Item1), Used(OfStages([(s.Item1, "")]))))]
                )),
            ],
            [.. settings.LostReasons.Select(r => new ReasonDto(r, lost.GetValueOrDefault(r), Used(OfReason(r, ""))))]
        );
    }

    /// <summary>Adds, orders and takes out; what is to be called otherwise is renamed instead.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="pipelines">All of them, as they are to be.</param>
    /// <param name="reasons">All reasons, as they are to be.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong, by field; empty where it was done.</returns>
    public static async Task<IReadOnlyList<(string Field, string Message)>> ChangeAsync(
        GerminalDb db,
        IReadOnlyList<PipelineSettings> pipelines,
        IReadOnlyList<string> reasons,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var wrong = await WrongAsync(db, pipelines, reasons, stop);
        if (wrong.Count == 0)
        {
            (change.Settings.Pipelines, change.Settings.LostReasons) = ([.. pipelines], [.. reasons]);
            await change.SaveAsync(stop);
            await PracticeClock.LookAgainAsync(db, stop);
            await transaction.CommitAsync(stop);
        }

        return wrong;
    }

    /// <summary>What is wrong with pipelines and reasons in the place of those there are.</summary>
    /// <inheritdoc cref="ChangeAsync"/>
    /// <returns>What is wrong, by field; empty where they may be kept.</returns>
    public static async Task<IReadOnlyList<(string Field, string Message)>> WrongAsync(
        GerminalDb db,
        IReadOnlyList<PipelineSettings> pipelines,
        IReadOnlyList<string> reasons,
        CancellationToken stop
    )
    {
        var wrong = new List<(string, string)>();
        if (pipelines.Count is 0 or > Most)
        {
            wrong.Add(("pipelines", $"A practice has one to {Most} pipelines."));
        }

        if (reasons.Count > MostReasons)
        {
            wrong.Add(("reasons", $"There is room for {MostReasons} reasons; put some together."));
        }

        wrong.AddRange(pipelines.SelectMany(p => WrongNames("pipelines", p.Stages).Concat(NameProblem(p.Name) is { } problem ? [("pipelines", problem)] : [])));
        wrong.AddRange(pipelines.Where(p => p.Stages.Count is 0 or > Most).Select(p => ("pipelines", $"“{p.Name}” needs one to {Most} stages.")));
        wrong.AddRange(Twice("pipelines", pipelines.Select(p => p.Name)));
        wrong.AddRange(WrongNames("reasons", reasons));
        if (wrong.Count > 0)
        {
            return wrong;
        }

        var now = await ReadAsync(db, stop);
        wrong.AddRange(
            from p in now.Pipelines
            from s in p.Stages
            where !pipelines.Any(x => x.Name == p.Name && x.Stages.Contains(s.Name, StringComparer.Ordinal))
            let why = InTheWay(s)
            where why is not null
            select ("pipelines", $"“{s.Name}” cannot be taken out: {why}. Put it together with another stage instead.")
        );
        wrong.AddRange(
            now.Reasons.Where(r => r.Used.Count > 0 && !reasons.Contains(r.Name, StringComparer.Ordinal))
                .Select(r => ("reasons", $"“{r.Name}” cannot be taken out: {string.Join(", ", r.Used)} asks for it. Put it together with another reason instead."))
        );
        return wrong;
    }

    /// <summary>Renames a stage, or a pipeline with all its stages.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="pipeline">The pipeline.</param>
    /// <param name="stage">The stage; null for the pipeline itself.</param>
    /// <param name="to">The new name.</param>
    /// <param name="asOne">Whether it is meant where there is a stage of that name already: the two are put together.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong; null where it was done.</returns>
    public static async Task<string?> RenameAsync(GerminalDb db, string pipeline, string? stage, string to, bool asOne, CancellationToken stop)
    {
        to = to.Trim();
        if (NameProblem(to) is { } problem)
        {
            return problem;
        }

        return await InOneGoAsync(
            db,
            settings =>
            {
                if (settings.Pipelines.Find(p => p.Name == pipeline) is not { } found || (stage is not null && !found.Stages.Contains(stage)))
                {
                    return (null, $"There is no {(stage is null ? "pipeline" : "stage")} “{stage ?? pipeline}” any more. Load the page again.");
                }

                if (stage is null)
                {
                    if (settings.Pipelines.Exists(p => p != found && Same(p.Name, to)))
                    {
                        return (null, $"There is a pipeline “{to}” already. Give it another name.");
                    }

                    found.Name = to;
                    return (OfStages(found.Stages.Select(s => ($"{pipeline}/{s}", $"{to}/{s}"))), null);
                }

                var there = found.Stages.Find(s => s != stage && Same(s, to));
                if (there is not null && !asOne)
                {
                    return (null, $"“{found.Name}” has a stage “{there}” already. Say that the two are to be one, or give another name.");
                }

                Put(found.Stages, stage, there ?? to);
                return (OfStages([($"{pipeline}/{stage}", $"{pipeline}/{there ?? to}")]), null);
            },
            stop
        );
    }

    /// <summary>Renames a reason, or puts it together with another.</summary>
    /// <inheritdoc cref="RenameAsync"/>
    public static async Task<string?> RenameReasonAsync(GerminalDb db, string reason, string to, bool asOne, CancellationToken stop)
    {
        to = to.Trim();
        if (NameProblem(to) is { } problem)
        {
            return problem;
        }

        return await InOneGoAsync(
            db,
            settings =>
            {
                if (!settings.LostReasons.Contains(reason))
                {
                    return (null, $"There is no reason “{reason}” any more. Load the page again.");
                }

                var there = settings.LostReasons.Find(r => r != reason && Same(r, to));
                if (there is not null && !asOne)
                {
                    return (null, $"There is a reason “{there}” already. Say that the two are to be one, or give another name.");
                }

                Put(settings.LostReasons, reason, there ?? to);
                return (OfReason(reason, there ?? to), null);
            },
            stop
        );
    }

    private static async Task<string?> InOneGoAsync(GerminalDb db, Func<PracticeSettings, (Renaming? Names, string? Problem)> change, CancellationToken stop)
    {
        Renaming names;
        await using (var transaction = await db.Database.BeginTransactionAsync(stop))
        {
            db.ChangeTracker.Clear();
            var kept = await SettingsChange.LockAsync(db, stop);
            if (change(kept.Settings) is var (found, problem) && found is null)
            {
                db.ChangeTracker.Clear();
                return problem;
            }

            names = found;
            foreach (var outcome in kept.Settings.CallOutcomes)
            {
                outcome.Stage = names.Stages.GetValueOrDefault(outcome.Stage, outcome.Stage);
            }

            await InFilesAsync(db, names, stop);
            await kept.SaveAsync(stop);
            await InRowsAsync(db, names, stop);
            await PracticeClock.LookAgainAsync(db, stop);
            await transaction.CommitAsync(stop);
        }

        await SettleAsync(db, names, stop);
        return null;
    }

    /// <summary>Programs with their versions, segments, forms and letters: what is a file.</summary>
    private static async Task InFilesAsync(GerminalDb db, Renaming names, CancellationToken stop)
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

    /// <summary>What stands in columns: people, opportunities and their ways, the log, causes, acts that can be taken back, links that are on their way.</summary>
    private static async Task InRowsAsync(GerminalDb db, Renaming names, CancellationToken stop)
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
    private static async Task SettleAsync(GerminalDb db, Renaming names, CancellationToken stop)
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

    private static async Task<IReadOnlyList<(string Words, IReadOnlyList<string> Texts)>> FilesAsync(GerminalDb db, PracticeSettings settings, CancellationToken stop)
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
            .. programs.Select(p => ($"the program “{p.Name}”", (IReadOnlyList<string>)[p.Draft, .. definitions[p.Id]])),
            .. segments.Select(s => ($"the segment “{s.Name}”", (IReadOnlyList<string>)[s.Rule])),
            .. forms.Select(f => ($"the form “{f.Name}”", (IReadOnlyList<string>)[f.Draft, f.Shown ?? ""])),
            .. settings.CallOutcomes.Where(o => o.Stage.Length > 0).Select(o => ($"a call that ends with “{o.Name}”", (IReadOnlyList<string>)[JsonSerializer.Serialize(new { stage = o.Stage })])),
        ];
    }

    private static string? InTheWay(StageDto stage) =>
        stage.People > 0 ? stage.People == 1 ? "one person stands in it" : $"{stage.People} people stand in it"
        : stage.Open > 0 ? stage.Open == 1 ? "one opportunity stands in it" : $"{stage.Open} opportunities stand in it"
        : stage.Used.Count > 0 ? $"{string.Join(", ", stage.Used)} asks for it"
        : null;

    private static string? NameProblem(string name) =>
        name.Length is 0 or > LongestName ? $"A name has 1 to {LongestName} letters."
        : name.Contains('/', StringComparison.Ordinal) ? $"“{name}” has a stroke in it, which parts a pipeline from its stage. Write it with another sign."
        : !string.Equals(name, name.Trim(), StringComparison.Ordinal) ? $"“{name}” begins or ends with a space."
        : null;

    private static IEnumerable<(string, string)> WrongNames(string field, IReadOnlyList<string> names) =>
        names.Select(NameProblem).OfType<string>().Select(p => (field, p)).Concat(Twice(field, names));

    private static IEnumerable<(string, string)> Twice(string field, IEnumerable<string> names) =>
        names.GroupBy(n => n, StringComparer.OrdinalIgnoreCase).Where(g => g.Count() > 1).Select(g => (field, $"“{g.Key}” stands there twice; each has a name of its own."));

    private static void Put(List<string> names, string old, string anew)
    {
        if (names.Contains(anew))
        {
            names.Remove(old);
            return;
        }

        names[names.IndexOf(old)] = anew;
    }

    private static Renaming OfStages(IEnumerable<(string From, string To)> stages) => new(stages.ToDictionary(s => s.From, s => s.To, StringComparer.Ordinal), new Dictionary<string, string>());

    private static Renaming OfReason(string from, string to) => new(new Dictionary<string, string>(), new Dictionary<string, string>(StringComparer.Ordinal) { [from] = to });

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
