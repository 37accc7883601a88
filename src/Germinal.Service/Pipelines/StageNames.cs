using Germinal.Core.Files;
using Germinal.Service.Clock;
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
        var files = await NameChange.FilesAsync(db, settings, stop);
        IReadOnlyList<string> Used(Renaming away) => NameChange.Using(files, away);
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
            wrong.Add(("pipelines", Say($"A practice has one to {Most} pipelines.")));
        }

        if (reasons.Count > MostReasons)
        {
            wrong.Add(("reasons", Say($"There is room for {MostReasons} reasons; put some together.")));
        }

        wrong.AddRange(pipelines.SelectMany(p => WrongNames("pipelines", p.Stages).Concat(NameProblem(p.Name) is { } problem ? [("pipelines", problem)] : [])));
        wrong.AddRange(pipelines.Where(p => p.Stages.Count is 0 or > Most).Select(p => ("pipelines", Say($"“{p.Name}” needs one to {Most} stages."))));
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
            select ("pipelines", Say($"“{s.Name}” cannot be taken out: {why}. Put it together with another stage instead."))
        );
        wrong.AddRange(
            now.Reasons.Where(r => r.Used.Count > 0 && !reasons.Contains(r.Name, StringComparer.Ordinal))
                .Select(r => ("reasons", Say($"“{r.Name}” cannot be taken out: {string.Join(", ", r.Used)} asks for it. Put it together with another reason instead.")))
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
                    return (null, Say($"There is no {(stage is null ? Said("pipeline") : Said("stage"))} “{stage ?? pipeline}” any more. Load the page again."));
                }

                if (stage is null)
                {
                    if (settings.Pipelines.Exists(p => p != found && Same(p.Name, to)))
                    {
                        return (null, Say($"There is a pipeline “{to}” already. Give it another name."));
                    }

                    found.Name = to;
                    return (OfStages(found.Stages.Select(s => ($"{pipeline}/{s}", $"{to}/{s}"))), null);
                }

                var there = found.Stages.Find(s => s != stage && Same(s, to));
                if (there is not null && !asOne)
                {
                    return (null, Say($"“{found.Name}” has a stage “{there}” already. Say that the two are to be one, or give another name."));
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
                    return (null, Say($"There is no reason “{reason}” any more. Load the page again."));
                }

                var there = settings.LostReasons.Find(r => r != reason && Same(r, to));
                if (there is not null && !asOne)
                {
                    return (null, Say($"There is a reason “{there}” already. Say that the two are to be one, or give another name."));
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

            await NameChange.InFilesAsync(db, names, stop);
            await kept.SaveAsync(stop);
            await NameChange.InRowsAsync(db, names, stop);
            await PracticeClock.LookAgainAsync(db, stop);
            await transaction.CommitAsync(stop);
        }

        await NameChange.SettleAsync(db, names, stop);
        return null;
    }

    private static string? InTheWay(StageDto stage) =>
        stage.People > 0 ? stage.People == 1 ? Said("one person stands in it") : Say($"{stage.People} people stand in it")
        : stage.Open > 0 ? stage.Open == 1 ? Said("one opportunity stands in it") : Say($"{stage.Open} opportunities stand in it")
        : stage.Used.Count > 0 ? Say($"{string.Join(", ", stage.Used)} asks for it")
        : null;

    private static string? NameProblem(string name) =>
        name.Length is 0 or > LongestName ? Say($"A name has 1 to {LongestName} letters.")
        : name.Contains('/', StringComparison.Ordinal) ? Say($"“{name}” has a stroke in it, which parts a pipeline from its stage. Write it with another sign.")
        : !string.Equals(name, name.Trim(), StringComparison.Ordinal) ? Say($"“{name}” begins or ends with a space.")
        : null;

    private static IEnumerable<(string, string)> WrongNames(string field, IReadOnlyList<string> names) =>
        names.Select(NameProblem).OfType<string>().Select(p => (field, p)).Concat(Twice(field, names));

    private static IEnumerable<(string, string)> Twice(string field, IEnumerable<string> names) =>
        names.GroupBy(n => n, StringComparer.OrdinalIgnoreCase).Where(g => g.Count() > 1).Select(g => (field, Say($"“{g.Key}” stands there twice; each has a name of its own.")));

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
