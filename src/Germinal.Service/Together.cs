namespace Germinal.Service;

/// <summary>
/// Does together what is asked at one moment: whoever comes while as many rounds are under way as may be waits for the next one. Alone, nobody waits for anybody; under
/// load a round's cost is shared. Where a round fails, each of it is done alone, so that nobody fails because of another.
/// </summary>
/// <typeparam name="TKey">What only the same of can be done together.</typeparam>
/// <typeparam name="TIn">What is asked.</typeparam>
/// <typeparam name="TOut">What came of it.</typeparam>
/// <param name="most">The most of one round.</param>
/// <param name="atOnce">How many rounds of a key are under way at once; those of two rounds know nothing of each other.</param>
/// <param name="mayJoin">Whether one may go with those that are in the round already.</param>
/// <param name="act">Does a round; gives back what came of each, in order.</param>
public sealed class Together<TKey, TIn, TOut>(int most, int atOnce, Func<TIn, IReadOnlyList<TIn>, bool> mayJoin, Func<IReadOnlyList<TIn>, Task<IReadOnlyList<TOut>>> act)
    where TKey : notnull
{
    private sealed record Waiting(TIn Asked, TaskCompletionSource<TOut> Answer);

    /// <summary>Those who wait, and how many rounds are under way.</summary>
    private sealed class Line
    {
        public LinkedList<Waiting> Waits { get; } = [];

        public int UnderWay { get; set; }
    }

    // By key; one stands here only while a round of it is under way.
    private readonly Dictionary<TKey, Line> lines = [];

    /// <summary>Asks for it, and waits for what came of it.</summary>
    public Task<TOut> DoAsync(TKey key, TIn asked)
    {
        var waiting = new Waiting(asked, new TaskCompletionSource<TOut>(TaskCreationOptions.RunContinuationsAsynchronously));
        lock (lines)
        {
            if (!lines.TryGetValue(key, out var line))
            {
                lines[key] = line = new Line();
            }

            line.Waits.AddLast(waiting);
            if (line.UnderWay == atOnce)
            {
                return waiting.Answer.Task;
            }

            line.UnderWay++;
        }

        // A round belongs to nobody's request.
        using (ExecutionContext.SuppressFlow())
        {
            _ = Task.Run(() => GoAsync(key), CancellationToken.None);
        }

        return waiting.Answer.Task;
    }

    private async Task GoAsync(TKey key)
    {
        while (Next(key) is { Count: > 0 } round)
        {
            await RoundAsync(round);
        }
    }

    private List<Waiting> Next(TKey key)
    {
        lock (lines)
        {
            var (line, round) = (lines[key], new List<Waiting>());
            for (var place = line.Waits.First; place is not null && round.Count < most;)
            {
                var (here, following) = (place, place.Next);
                if (round.Count == 0 || mayJoin(here.Value.Asked, [.. round.Select(w => w.Asked)]))
                {
                    round.Add(here.Value);
                    line.Waits.Remove(here);
                }

                place = following;
            }

            if (round.Count == 0 && --line.UnderWay == 0)
            {
                lines.Remove(key);
            }

            return round;
        }
    }

    private async Task RoundAsync(List<Waiting> round)
    {
        try
        {
            var answers = await act([.. round.Select(w => w.Asked)]);
            foreach (var (waiting, answer) in round.Zip(answers))
            {
                waiting.Answer.SetResult(answer);
            }
        }
#pragma warning disable CA1031 // Whatever went wrong is told to whoever asked.
        catch (Exception) when (round.Count > 1)
        {
            foreach (var waiting in round)
            {
                await RoundAsync([waiting]);
            }
        }
        catch (Exception e)
#pragma warning restore CA1031
        {
            round[0].Answer.SetException(e);
        }
    }
}
