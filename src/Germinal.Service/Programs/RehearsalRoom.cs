using System.Collections.Concurrent;
using Germinal.Core.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>How far a rehearsal is, and what it found.</summary>
/// <param name="Running">Whether it is under way.</param>
/// <param name="Done">How many people are done.</param>
/// <param name="Of">Of how many; 0 while they are being counted.</param>
/// <param name="Result">What the last one that came to its end found.</param>
/// <param name="Before">What the one before that found, for comparing.</param>
/// <param name="DraftNumber">Which draft the result is of.</param>
/// <param name="Trouble">What went wrong, in words; null for nothing.</param>
public sealed record RehearsalState(bool Running, int Done, int Of, RehearsalResult? Result, RehearsalResult? Before, int? DraftNumber, string? Trouble);

/// <summary>
/// Rehearsals under way, one for each program, in this process: they go on when the page is left and can be come back to, until the
/// service is restarted. Nothing of a rehearsal is saved.
/// </summary>
public sealed partial class RehearsalRoom(IDbContextFactory<GerminalDb> databases, ProgramRehearsal rehearsal, Microsoft.Extensions.Logging.ILogger<RehearsalRoom> log)
    : IDisposable
{
    private const int MostKept = 200;

    // Two at a time: each takes all cores.
    private readonly SemaphoreSlim room = new(2);
    private readonly ConcurrentDictionary<(Guid Program, string? Sees), Job> jobs = [];

    private sealed class Job
    {
        public readonly Lock Gate = new();
        public CancellationTokenSource? Stop;
        public int Done;
        public int Of;
        public RehearsalResult? Result;
        public RehearsalResult? Before;
        public int? DraftNumber;
        public string? Trouble;
        public DateTime Used = DateTime.UtcNow;

        public RehearsalState State()
        {
            lock (Gate)
            {
                Used = DateTime.UtcNow;
                return new RehearsalState(Stop is not null, Done, Of, Result, Before, DraftNumber, Trouble);
            }
        }
    }

    /// <summary>How a program's rehearsal stands; null where there was none.</summary>
    /// <param name="db">A context of whoever looks: who sees only some of the people has rehearsals of their own.</param>
    /// <param name="program">The program.</param>
    public RehearsalState? StateOf(GerminalDb db, Guid program) => jobs.TryGetValue((program, db.Sees), out var job) ? job.State() : null;

    /// <summary>Stops a program's rehearsal; what was found before stays.</summary>
    /// <inheritdoc cref="StateOf"/>
    public void Stop(GerminalDb db, Guid program) => Stop((program, db.Sees));

    private void Stop((Guid, string?) key)
    {
        if (jobs.TryGetValue(key, out var job))
        {
            lock (job.Gate)
            {
                job.Stop?.Cancel();
            }
        }
    }

    /// <summary>Begins to rehearse a program; one that is under way is stopped, and begun again.</summary>
    /// <param name="asker">A context of whoever begins it: it goes over those they see.</param>
    /// <param name="id">The program.</param>
    /// <param name="draft">The draft's number.</param>
    /// <param name="program">The draft, its letters filled in.</param>
    /// <param name="from">Practice time.</param>
    /// <param name="until">The end.</param>
    /// <param name="prices">What messages cost.</param>
    public RehearsalState Begin(GerminalDb asker, Guid id, int draft, ProgramDefinition program, Instant from, Instant until, MessagePrices prices)
    {
        var (practice, sees) = (asker.PracticeId!.Value, asker.SeesOf);
        var job = jobs.GetOrAdd((id, asker.Sees), _ => new Job());
        var stop = new CancellationTokenSource();
        lock (job.Gate)
        {
            job.Stop?.Cancel();
            (job.Stop, job.Done, job.Of, job.Trouble) = (stop, 0, 0, null);
        }

        _ = RunAsync(job, stop, practice, sees, id, draft, program, from, until, prices);
        Forget();
        return job.State();
    }

    private async Task RunAsync(
        Job job,
        CancellationTokenSource stop,
        Guid practice,
        IReadOnlyList<Guid>? sees,
        Guid id,
        int draft,
        ProgramDefinition program,
        Instant from,
        Instant until,
        MessagePrices prices
    )
    {
        RehearsalResult? result = null;
        string? trouble = null;
        var entered = false;
        try
        {
            await room.WaitAsync(stop.Token);
            entered = true;
            await using var db = await databases.CreateDbContextAsync(stop.Token);
            db.PracticeId = practice;
            db.LimitTo(sees);
            result = await rehearsal.RunAsync(
                db,
                id,
                program,
                from,
                until,
                prices,
                (done, of) =>
                {
                    if (job.Stop == stop)
                    {
                        (job.Done, job.Of) = (done, of);
                    }
                },
                stop.Token
            );
        }
        catch (OperationCanceledException)
        {
            trouble = Said("It was stopped before it came to its end.");
        }
#pragma warning disable CA1031 // Whatever goes wrong is said on the page, and logged; nobody waits for this task.
        catch (Exception e)
#pragma warning restore CA1031
        {
            Failed(log, id, e);
            trouble = Said("It could not be rehearsed. Check the program, and try again.");
        }
        finally
        {
            if (entered)
            {
                room.Release();
            }
        }

        lock (job.Gate)
        {
            // One that was begun meanwhile has taken the place.
            if (job.Stop == stop)
            {
                (job.Stop, job.Trouble) = (null, trouble);
                if (result is not null)
                {
                    (job.Before, job.Result, job.DraftNumber) = (job.Result, result, draft);
                }
            }
        }

        stop.Dispose();
    }

    /// <summary>What nobody has asked for the longest goes first.</summary>
    private void Forget()
    {
        foreach (var (id, _) in jobs.Where(j => j.Value.Stop is null).OrderBy(j => j.Value.Used).Take(Math.Max(0, jobs.Count - MostKept)).ToList())
        {
            jobs.TryRemove(id, out _);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var program in jobs.Keys)
        {
            Stop(program);
        }

        room.Dispose();
    }

    [Microsoft.Extensions.Logging.LoggerMessage(Level = Microsoft.Extensions.Logging.LogLevel.Error, Message = "The rehearsal of program {Program} failed")]
    private static partial void Failed(Microsoft.Extensions.Logging.ILogger logger, Guid program, Exception error);
}
