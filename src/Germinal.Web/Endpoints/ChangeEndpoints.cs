using System.Net.ServerSentEvents;
using System.Runtime.CompilerServices;
using Germinal.Web.Hosting;

namespace Germinal.Web.Endpoints;

/// <summary>The one stream by which a page learns that something has changed (server-sent events).</summary>
public static class ChangeEndpoints
{
    /// <summary>Changes that come this close together are told at once.</summary>
    private static readonly TimeSpan Together = TimeSpan.FromMilliseconds(250);

    /// <summary>After so long the page connects again, with the session it then has.</summary>
    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(10);

    /// <summary>Where nothing changes something is said all the same, so that no proxy takes the line for dead.</summary>
    private static readonly TimeSpan Quiet = TimeSpan.FromSeconds(20);

    /// <summary>The kind of what is said then; pages pass over it.</summary>
    private const string StillHere = "still-here";

    public static void Map(IEndpointRouteBuilder app) =>
        app.MapGet(
                "/api/changes",
                (ChangeListener listener, Caller caller, IHostApplicationLifetime life, CancellationToken stop) =>
                    TypedResults.ServerSentEvents(ToldAsync(listener, caller.PracticeId, life.ApplicationStopping, stop))
            )
            .RequireAuthorization(Rights.Work)
            .ExcludeFromDescription();

    /// <summary>First that it listens, then lists of tables as they change.</summary>
    private static async IAsyncEnumerable<SseItem<IReadOnlyList<string>>> ToldAsync(
        ChangeListener listener,
        Guid practice,
        CancellationToken ending,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        using var ear = listener.Listen(practice);
        using var over = CancellationTokenSource.CreateLinkedTokenSource(ending, stop);
        over.CancelAfter(Longest);
        yield return new SseItem<IReadOnlyList<string>>([]);
        Task<IReadOnlyList<string>>? next = null;
        while (true)
        {
            var said = new SseItem<IReadOnlyList<string>>([], StillHere);
            try
            {
                next ??= ear.NextAsync(over.Token);
                if (await Task.WhenAny(next, Task.Delay(Quiet, over.Token)) == next)
                {
                    said = new SseItem<IReadOnlyList<string>>(await next);
                    next = null;
                }

                over.Token.ThrowIfCancellationRequested();
            }
            catch (OperationCanceledException)
            {
                yield break;
            }

            yield return said;
            await Task.Delay(Together, stop);
        }
    }
}
