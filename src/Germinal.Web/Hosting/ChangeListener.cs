using System.Collections.Concurrent;
using System.Threading.Channels;
using Npgsql;

namespace Germinal.Web.Hosting;

/// <summary>
/// Hears what the database tells of its changes (<c>NOTIFY changed, '&lt;practice&gt; &lt;table&gt;'</c>, by triggers, so that no
/// writer can forget it) over one connection, and hands it to whoever listens for that practice. It says that something has
/// changed, never what: the page asks, with its own rights.
/// </summary>
public sealed partial class ChangeListener(Settings settings, ILogger<ChangeListener> log) : BackgroundService
{
    /// <summary>What is told when changes may have been missed.</summary>
    public const string Everything = "everything";

    private static readonly TimeSpan BeforeAgain = TimeSpan.FromSeconds(2);

    private readonly ConcurrentDictionary<Ear, Guid> ears = new();

    /// <summary>Begins to listen for a practice; disposing ends it.</summary>
    public Ear Listen(Guid practice)
    {
        var ear = new Ear(this);
        ears[ear] = practice;
        return ear;
    }

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                // Not of the pool: it listens as long as the application lives, and notices a line that died.
                await using var line = new NpgsqlConnection(
                    new NpgsqlConnectionStringBuilder(settings.Database) { Pooling = false, KeepAlive = 30 }.ConnectionString
                );
                await line.OpenAsync(stoppingToken);
                line.Notification += (_, told) => Hand(told.Payload);
                await using (var listen = new NpgsqlCommand("LISTEN changed", line))
                {
                    await listen.ExecuteNonQueryAsync(stoppingToken);
                }

                Hand($"* {Everything}");
                while (true)
                {
                    await line.WaitAsync(stoppingToken);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
            catch (Exception e) when (e is NpgsqlException or IOException or TimeoutException)
            {
                LogLost(log, e.Message);
                await Task.Delay(BeforeAgain, stoppingToken);
            }
        }
    }

    private void Hand(string told)
    {
        if (told.Split(' ') is not [var whose, var table])
        {
            return;
        }

        foreach (var (ear, practice) in ears)
        {
            if (whose == "*" || (Guid.TryParse(whose, out var id) && id == practice))
            {
                ear.Hear(table);
            }
        }
    }

    /// <summary>Somebody listening: collects names of tables until asked for them, each once.</summary>
    public sealed class Ear(ChangeListener listener) : IDisposable
    {
        private readonly Channel<bool> news = Channel.CreateBounded<bool>(1);
        private readonly Lock door = new();
        private HashSet<string> heard = [];

        /// <summary>Waits until something has changed.</summary>
        /// <param name="stop">Gives up.</param>
        /// <returns>The tables that changed since the last time, in order of their names.</returns>
        public async Task<IReadOnlyList<string>> NextAsync(CancellationToken stop)
        {
            await news.Reader.ReadAsync(stop);
            lock (door)
            {
                var all = heard;
                heard = [];
                return [.. all.Order(StringComparer.Ordinal)];
            }
        }

        internal void Hear(string table)
        {
            lock (door)
            {
                heard.Add(table);
                news.Writer.TryWrite(true);
            }
        }

        /// <inheritdoc/>
        public void Dispose() => listener.ears.TryRemove(this, out _);
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Changes are not heard, and listened for again: {Words}")]
    private static partial void LogLost(ILogger logger, string words);
}
