using System.Diagnostics.Metrics;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Hosting;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Figures for whoever watches over the installation (OpenTelemetry, meter <c>Germinal</c>): what is due, waits, is blocked, how
/// far behind the work is, and what each channel answered. No names, addresses or words.
/// </summary>
public sealed class EngineMetrics : IHostedService
{
    /// <summary>The meter's name.</summary>
    public const string Name = "Germinal";

    private static readonly Meter Meter = new(Name);
    private static readonly Counter<long> Answers = Meter.CreateCounter<long>(
        "germinal.messages",
        description: "Messages handed to a provider, by channel and answer"
    );

    private readonly IDbContextFactory<GerminalDb> databases;
    private (DateTimeOffset At, IReadOnlyDictionary<string, double> Values) last = (DateTimeOffset.MinValue, new Dictionary<string, double>());

    /// <summary>Registers the gauges, which are looked up at most every ten seconds.</summary>
    public EngineMetrics(IDbContextFactory<GerminalDb> databases)
    {
        this.databases = databases;
        foreach (
            var (name, what) in new[]
            {
                ("due", "Touches whose moment has come"),
                ("waiting", "Touches that wait for their window, pace or limit"),
                ("blocked", "Touches that need mending"),
                ("uncertain", "Touches nobody can say of whether they arrived"),
                ("handing", "Messages on their way to a provider"),
                ("events", "Events that have not been taken in"),
                ("set_aside", "People on whom work has stopped with an error"),
                ("lag_seconds", "Age of the oldest touch or event that is due"),
            }
        )
        {
            Meter.CreateObservableGauge($"germinal.{name}", () => Values().GetValueOrDefault(name), description: what);
        }
    }

    /// <inheritdoc/>
    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    /// <inheritdoc/>
    public Task StopAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    /// <summary>Counts one answer of a provider.</summary>
    public static void Count(string channel, Channels.ProviderResult result) =>
        Answers.Add(
            1,
            new KeyValuePair<string, object?>("channel", channel),
            new KeyValuePair<string, object?>("answer", result.ToString().ToLowerInvariant())
        );

    private IReadOnlyDictionary<string, double> Values()
    {
        if (DateTimeOffset.UtcNow - last.At > TimeSpan.FromSeconds(10))
        {
            last = (DateTimeOffset.UtcNow, Read());
        }

        return last.Values;
    }

    private sealed record Figure(string Name, double Value);

    private Dictionary<string, double> Read()
    {
        using var db = databases.CreateDbContext();
        var machine = SystemClock.Instance.GetCurrentInstant();
        return db
            .Database.SqlQuery<Figure>(
                $"""
                WITH clock_now AS (SELECT CASE WHEN real THEN {machine} ELSE now END AS now FROM clock)
                SELECT 'due' AS name, count(*)::float8 AS value FROM person_states, clock_now c WHERE next_due <= c.now
                UNION ALL SELECT 'waiting', count(*)::float8 FROM touches WHERE status = 'planned' AND reason IS NOT NULL
                UNION ALL SELECT status, count(*)::float8 FROM touches WHERE status IN ('blocked', 'uncertain', 'handing') GROUP BY status
                UNION ALL SELECT 'events', count(*)::float8 FROM events WHERE handled_at IS NULL
                UNION ALL SELECT 'set_aside', count(*)::float8 FROM person_states WHERE set_aside IS NOT NULL
                UNION ALL SELECT 'lag_seconds', coalesce(extract(epoch FROM max(c.now - least(s.next_due, c.now))), 0)::float8 FROM clock_now c LEFT JOIN person_states s ON s.next_due <= c.now AND s.set_aside IS NULL
                """
            )
            .ToDictionary(f => f.Name, f => f.Value);
    }
}
