using System.Collections.Concurrent;

namespace Germinal.Service.Tests;

/// <summary>What is asked at one moment is done together, and nobody fails because of another.</summary>
public sealed class TogetherTests
{
    [Fact]
    public async Task Those_who_come_while_a_round_is_under_way_share_the_next_and_each_gets_their_own_answer()
    {
        var (rounds, begun, first) = (new ConcurrentQueue<int>(), new TaskCompletionSource(), new TaskCompletionSource());
        var together = new Together<string, int, string>(
            10,
            1,
            (_, _) => true,
            async asked =>
            {
                rounds.Enqueue(asked.Count);
                if (asked[0] == 0)
                {
                    begun.SetResult();
                    await first.Task;
                }

                return [.. asked.Select(a => $"answer {a}")];
            }
        );
        var alone = together.DoAsync("a", 0);
        await begun.Task;
        var others = Enumerable.Range(1, 25).Select(i => together.DoAsync("a", i)).ToList();
        first.SetResult();
        Assert.Equal("answer 0", await alone);
        Assert.Equal(Enumerable.Range(1, 25).Select(i => $"answer {i}"), await Task.WhenAll(others));
        Assert.Equal(26, rounds.Sum());
        Assert.All(rounds, r => Assert.InRange(r, 1, 10));
        Assert.Equal([1, 10, 10, 5], rounds);
    }

    [Fact]
    public async Task What_may_not_go_together_goes_one_after_the_other_and_another_key_waits_for_nobody()
    {
        var (rounds, first) = (new ConcurrentQueue<int[]>(), new TaskCompletionSource());
        var together = new Together<string, int, int>(
            10,
            1,
            (one, others) => others.All(o => o % 3 != one % 3),
            async asked =>
            {
                if (asked[0] == 100)
                {
                    await first.Task;
                }

                rounds.Enqueue([.. asked]);
                return [.. asked];
            }
        );
        var held = together.DoAsync("a", 100);
        var others = Enumerable.Range(0, 9).Select(i => together.DoAsync("a", i)).ToList();
        Assert.Equal(7, await together.DoAsync("b", 7));
        first.SetResult();
        await Task.WhenAll(others);
        await held;
        Assert.All(rounds, r => Assert.Equal(r.Length, r.Select(x => x % 3).Distinct().Count()));
        Assert.Equal(11, rounds.Sum(r => r.Length));
    }

    [Fact]
    public async Task One_that_fails_fails_alone()
    {
        var first = new TaskCompletionSource();
        var together = new Together<string, int, int>(
            10,
            1,
            (_, _) => true,
            async asked =>
            {
                if (asked.Contains(0))
                {
                    await first.Task;
                }

                return asked.Contains(5) ? throw new InvalidOperationException("five") : [.. asked];
            }
        );
        var all = Enumerable.Range(0, 10).Select(i => together.DoAsync("a", i)).ToList();
        first.SetResult();
        foreach (var (task, i) in all.Select((t, i) => (t, i)))
        {
            if (i == 5)
            {
                Assert.Equal("five", (await Assert.ThrowsAsync<InvalidOperationException>(() => task)).Message);
            }
            else
            {
                Assert.Equal(i, await task);
            }
        }

        // And the line goes on.
        Assert.Equal(11, await together.DoAsync("a", 11));
    }

    [Fact]
    public async Task Many_from_many_threads_are_all_answered_once()
    {
        var done = new ConcurrentDictionary<int, int>();
        var together = new Together<int, int, int>(
            7,
            3,
            (one, others) => others.All(o => o != one),
            async asked =>
            {
                await Task.Yield();
                foreach (var one in asked)
                {
                    done.AddOrUpdate(one, 1, (_, n) => n + 1);
                }

                return [.. asked];
            }
        );
        var answers = await Task.WhenAll(Enumerable.Range(0, 2_000).AsParallel().Select(i => together.DoAsync(i % 5, i)));
        Assert.Equal(Enumerable.Range(0, 2_000), answers.Order());
        Assert.All(done.Values, n => Assert.Equal(1, n));
    }
}
