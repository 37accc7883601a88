using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>The stream of changes: what one practice's rows do is told to its members, whoever wrote them, and to nobody else.</summary>
public sealed class ChangesTests(Site site) : IClassFixture<Site>
{
    /// <summary>A page that has connected and reads line by line.</summary>
    private sealed class Page(StreamReader lines) : IDisposable
    {
        public static async Task<Page> OpenAsync(Member member)
        {
            var answer = await member.Http.GetAsync("/api/changes", HttpCompletionOption.ResponseHeadersRead);
            Assert.Equal("text/event-stream", answer.Content.Headers.ContentType?.MediaType);
            var page = new Page(new StreamReader(await answer.Content.ReadAsStreamAsync()));
            Assert.Empty(await page.NextAsync());
            return page;
        }

        /// <summary>The tables told next; a minute is the end of the test, not its measure.</summary>
        public async Task<string[]> NextAsync()
        {
            using var patience = new CancellationTokenSource(TimeSpan.FromMinutes(1));
            while (await lines.ReadLineAsync(patience.Token) is { } line)
            {
                if (line.StartsWith("data: ", StringComparison.Ordinal))
                {
                    return JsonSerializer.Deserialize<string[]>(line["data: ".Length..])!;
                }
            }

            throw new InvalidOperationException("the stream ended");
        }

        /// <summary>Reads on until a table is told.</summary>
        public async Task<HashSet<string>> UntilAsync(string table)
        {
            var told = new HashSet<string>();
            while (!told.Contains(table))
            {
                told.UnionWith(await NextAsync());
            }

            return told;
        }

        public void Dispose() => lines.Dispose();
    }

    /// <summary>The application has begun to listen to the database, which it does by itself soon after its start.</summary>
    private async Task ListeningAsync()
    {
        await using var db = site.Db();
        while (
            !(
                await db
                    .Database.SqlQuery<bool>(
                        $"""SELECT EXISTS (SELECT 1 FROM pg_stat_activity WHERE query = 'LISTEN changed' AND state = 'idle' AND datname = current_database()) AS "Value" """
                    )
                    .ToListAsync()
            ).Single()
        )
        {
            await Task.Delay(20);
        }
    }

    [Fact]
    public async Task What_anybody_writes_is_told_to_the_members_of_the_practice_once_it_is_committed_and_to_no_other()
    {
        await ListeningAsync();
        var (ada, stranger) = (await site.SignedInAsync("ada"), await site.SignedInAsync("ada2"));
        using var here = await Page.OpenAsync(ada);
        using var there = await Page.OpenAsync(stranger);

        // Written past the application, in a transaction that is given up, and in one that is kept.
        await using var db = site.Db();
        await using (var given = await db.Database.BeginTransactionAsync())
        {
            await db.Opportunities.ExecuteDeleteAsync();
            await given.RollbackAsync();
        }

        await ada.DoAsync("/api/people", new { firstName = "Told" });
        var told = await here.UntilAsync("people");
        Assert.DoesNotContain("opportunities", told);

        // The other practice hears of its own alone: had it heard of ours, that would stand before it.
        await stranger.DoAsync("/api/people", new { firstName = "Theirs" });
        Assert.Contains("people", await there.NextAsync());
        await stranger.DoAsync("/api/clock/move", new { to = "PT1H" });
        await Task.WhenAll(here.UntilAsync("clock"), there.UntilAsync("clock"));
        await site.WorkAsync();
    }

    [Fact]
    public async Task Whoever_is_not_signed_in_hears_nothing_and_many_may_listen()
    {
        Assert.Equal(HttpStatusCode.Unauthorized, (await (await site.NobodyAsync()).Http.GetAsync("/api/changes")).StatusCode);
        var ada = await site.SignedInAsync("ada");
        var pages = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => Page.OpenAsync(ada)));
        await ada.DoAsync("/api/people", new { firstName = "Many" });
        await Task.WhenAll(pages.Select(p => p.UntilAsync("people")));
        pages.ToList().ForEach(p => p.Dispose());
    }

    /// <summary>The database restarts or the line breaks: the listener connects again and says that anything may have changed.</summary>
    [Fact]
    public async Task A_line_that_breaks_is_opened_again_and_everything_is_asked_for_anew()
    {
        using var here = await Page.OpenAsync(await site.SignedInAsync("ada"));
        await ListeningAsync();
        await using var db = site.Db();
        await db.Database.ExecuteSqlAsync(
            $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query = 'LISTEN changed' AND datname = current_database()"
        );
        await here.UntilAsync("everything");
    }
}
