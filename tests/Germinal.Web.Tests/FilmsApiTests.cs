using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>Films: brought in, looked into, sent piece by piece, and what their readers saw.</summary>
public sealed class FilmsApiTests(Site site) : IClassFixture<Site>
{
    private static byte[] Film(string name) => File.ReadAllBytes(Path.Combine(AppContext.BaseDirectory, "Films", name));

    private static async Task<JsonElement> BringAsync(Member ada, string name, string called)
    {
        using var form = Member.File(Film(name), called);
        return await ada.DoAsync("/api/films", form);
    }

    private static Task<HttpResponseMessage> TellAsync(Member who, string path, object told, string agent = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/156.0.0.0")
    {
        var request = new HttpRequestMessage(HttpMethod.Post, $"{path}/seen") { Content = new StringContent(JsonSerializer.Serialize(told), Encoding.UTF8, "text/plain") };
        request.Headers.UserAgent.ParseAdd(agent);
        request.Content.Headers.ContentLength = Encoding.UTF8.GetByteCount(JsonSerializer.Serialize(told));
        return who.Http.SendAsync(request);
    }

    [Fact]
    public async Task A_film_is_what_it_is_inside_and_others_are_refused_with_what_would_be_right()
    {
        var ada = await site.SignedInAsync("ada");
        var mp4 = await BringAsync(ada, "word.mp4", "A word.mp4");
        Assert.Equal(("A word", "0:03", 160, 90), (mp4.GetProperty("name").GetString(), mp4.GetProperty("length").GetString(), mp4.GetProperty("width").GetInt32(), mp4.GetProperty("height").GetInt32()));
        var webm = await BringAsync(ada, "word.webm", "A word.webm");
        Assert.Equal(("A word 2", "0:02"), (webm.GetProperty("name").GetString(), webm.GetProperty("length").GetString()));
        foreach (var (bytes, name, says) in new[]
        {
            (Film("other.mp4"), "a.mp4", "not every browser shows (mp4v)"),
            (Film("word.mkv"), "a.webm", "Matroska"),
            ("not a film at all"u8.ToArray(), "a.mp4", "no film that browsers show"),
            (Film("word.mp4")[..600], "a.mp4", "MP4 with H.264"),
            (Array.Empty<byte>(), "a.mp4", "empty"),
        })
        {
            using var form = Member.File(bytes, name);
            var (status, message) = await ada.RefusedAsync("/api/films", form, "file");
            Assert.Equal(400, status);
            Assert.Contains(says, message, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task It_is_sent_as_a_whole_and_in_ranges()
    {
        var ada = await site.SignedInAsync("ada");
        var film = Film("word.mp4");
        var path = (await BringAsync(ada, "word.mp4", "Ranges.mp4")).GetProperty("path").GetString()!;
        var nobody = await site.NobodyAsync();
        var whole = await nobody.Http.GetAsync($"{path}/film");
        Assert.Equal(("video/mp4", "bytes"), (whole.Content.Headers.ContentType!.MediaType, whole.Headers.AcceptRanges.Single()));
        Assert.Equal(film, await whole.Content.ReadAsByteArrayAsync());
        foreach (var (from, to) in new (long?, long?)[] { (0, 0), (100, 4999), (film.Length - 1, null), (null, 10), (5000, film.Length + 99) })
        {
            var request = new HttpRequestMessage(HttpMethod.Get, $"{path}/film");
            request.Headers.Range = new RangeHeaderValue(from, to);
            var part = await nobody.Http.SendAsync(request);
            var expected = from is null ? film[^(int)to!..] : film[(int)from..(int)Math.Min(film.Length, (to ?? film.Length) + 1)];
            Assert.Equal(HttpStatusCode.PartialContent, part.StatusCode);
            Assert.Equal(expected, await part.Content.ReadAsByteArrayAsync());
        }

        var beyond = new HttpRequestMessage(HttpMethod.Get, $"{path}/film");
        beyond.Headers.Range = new RangeHeaderValue(film.Length, null);
        Assert.Equal(HttpStatusCode.RequestedRangeNotSatisfiable, (await nobody.Http.SendAsync(beyond)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync("/film/nothing-here/film")).StatusCode);
    }

    /// <summary>A film of several pieces is the same wherever one begins to read.</summary>
    [Fact]
    public async Task Pieces_are_put_together_wherever_one_begins()
    {
        var ada = await site.SignedInAsync("ada");
        var id = Guid.Parse((await BringAsync(ada, "word.mp4", "Pieces.mp4")).GetProperty("id").GetString()!);
        var all = new byte[(2 * Germinal.Store.Rows.FilmPieceRow.Size) + 1234];
        new Random(3).NextBytes(all);
        await using (var db = site.Db())
        {
            await db.FilmPieces.Where(p => p.FilmId == id).ExecuteDeleteAsync();
            db.FilmPieces.AddRange(all.Chunk(Germinal.Store.Rows.FilmPieceRow.Size).Select((c, i) => new Germinal.Store.Rows.FilmPieceRow { FilmId = id, Number = i, PracticeId = site.Practice, Content = c }));
            await db.Films.Where(f => f.Id == id).ExecuteUpdateAsync(u => u.SetProperty(f => f.Bytes, all.Length));
            await db.SaveChangesAsync();
        }

        var path = (await ada.GetAsync("/api/films")).EnumerateArray().Single(f => f.GetProperty("id").GetString() == id.ToString()).GetProperty("path").GetString();
        var nobody = await site.NobodyAsync();
        Assert.Equal(all, await nobody.Http.GetByteArrayAsync($"{path}/film"));
        var request = new HttpRequestMessage(HttpMethod.Get, $"{path}/film");
        request.Headers.Range = new RangeHeaderValue(Germinal.Store.Rows.FilmPieceRow.Size - 5, (2 * Germinal.Store.Rows.FilmPieceRow.Size) + 5);
        Assert.Equal(all[(Germinal.Store.Rows.FilmPieceRow.Size - 5)..((2 * Germinal.Store.Rows.FilmPieceRow.Size) + 6)], await (await nobody.Http.SendAsync(request)).Content.ReadAsByteArrayAsync());
    }

    [Fact]
    public async Task Whoever_a_letter_led_there_sees_their_name_and_what_they_saw_stands_in_their_thread_once()
    {
        var ada = await site.SignedInAsync("ada");
        var film = await BringAsync(ada, "word.mp4", "For a reader.mp4");
        var path = film.GetProperty("path").GetString()!;
        await ada.DoAsync($"/api/films/{film.GetProperty("id").GetString()}", new { edition = 1, name = "For a <reader>", words = "What I wanted to say.\n\nCall me." }, HttpMethod.Put);
        var (written, touch, _) = await WrittenTo.SomebodyAsync(site, "Filma", "Reads", "filma@example.com");
        var person = written.ToString();
        var by = site.Services.GetRequiredService<Germinal.Channels.PublicLinks>().Reader(touch);
        var nobody = await site.NobodyAsync();
        var page = await nobody.Http.GetStringAsync($"{path}?by={by}");
        Assert.Contains("For Filma.", page, StringComparison.Ordinal);
        Assert.Contains("For a &lt;reader&gt;", page, StringComparison.Ordinal);
        Assert.Contains("Ada Quill", page, StringComparison.Ordinal);
        Assert.Contains("ada@example.com", page, StringComparison.Ordinal);
        Assert.DoesNotContain("filma@example.com", page, StringComparison.Ordinal);
        var anybody = await nobody.Http.GetStringAsync(path);
        Assert.DoesNotContain("Filma", anybody, StringComparison.Ordinal);

        await Task.WhenAll(Enumerable.Range(0, 10).Select(i => TellAsync(nobody, path, new { key = "page1", by, seen = new[] { 0, 1 + (i % 2) } })));
        await TellAsync(nobody, path, new { key = "page1", by, seen = new[] { 2, 900 } });
        var line = Assert.Single((await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray(), l => l.GetProperty("kind").GetString() == "film");
        Assert.Equal(("Watched “For a <reader>”", "0:00 to 0:03, of 0:03"), (line.GetProperty("title").GetString(), line.GetProperty("detail").GetString()));
        var seen = Assert.Single((await ada.GetAsync($"/api/films/{film.GetProperty("id").GetString()}/seen")).EnumerateArray());
        Assert.Equal((person, 100), (seen.GetProperty("person").GetProperty("id").GetString(), seen.GetProperty("percent").GetInt32()));

        // Somebody unknown is counted and nobody; a program, a member and a made-up reader are not taken for one.
        await TellAsync(nobody, path, new { key = "page2", by = "made-up", seen = new[] { 0, 2 } });
        await TellAsync(nobody, path, new { key = "page3", by, seen = new[] { 0, 2 } }, "curl/8.0");
        await TellAsync(ada, path, new { key = "page4", by, seen = new[] { 0, 2 } });
        await TellAsync(nobody, path, new { key = "page1", by = "", seen = new[] { 0, 2 } });
        var now = (await ada.GetAsync("/api/films")).EnumerateArray().Single(f => f.GetProperty("id").GetString() == film.GetProperty("id").GetString());
        Assert.Equal((1, 1), (now.GetProperty("seen").GetInt32(), now.GetProperty("seenByOthers").GetInt32()));
    }

    [Theory]
    [InlineData("{}")]
    [InlineData("")]
    [InlineData("[[[[[[[[[[1]]]]]]]]]]")]
    [InlineData("{\"key\":\"k\",\"seen\":[\"a\"]}")]
    [InlineData("{\"key\":\"k\\u0000\",\"seen\":[0,1]}")]
    [InlineData("{\"key\":\"k\",\"seen\":[99999999999999]}")]
    [InlineData("{\"key\":5,\"seen\":[0,1]}")]
    public async Task What_is_told_to_hurt_changes_nothing(string told)
    {
        var ada = await site.SignedInAsync("ada");
        var film = await BringAsync(ada, "word.webm", $"Hurt {Guid.NewGuid():N}.webm");
        var nobody = await site.NobodyAsync();
        var answer = await nobody.Http.PostAsync($"{film.GetProperty("path").GetString()}/seen", new StringContent(told));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        await using var db = site.Db();
        Assert.False(await db.FilmViews.AnyAsync(v => v.FilmId == Guid.Parse(film.GetProperty("id").GetString()!)));
    }

    [Fact]
    public async Task Another_practice_neither_changes_nor_sees_it()
    {
        var ada = await site.SignedInAsync("ada");
        var id = (await BringAsync(ada, "word.webm", "Ours.webm")).GetProperty("id").GetString();
        var stranger = await site.SignedInAsync("ada2");
        Assert.DoesNotContain((await stranger.GetAsync("/api/films")).EnumerateArray(), f => f.GetProperty("id").GetString() == id);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Delete, $"/api/films/{id}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Put, $"/api/films/{id}", new { edition = 1, name = "Theirs" })).StatusCode);
        Assert.Equal(409, (await ada.RefusedAsync($"/api/films/{id}", new { edition = 9, name = "x" }, "", HttpMethod.Put)).Status);
        Assert.Contains("already", (await ada.RefusedAsync($"/api/films/{(await BringAsync(ada, "word.webm", "Twin.webm")).GetProperty("id").GetString()}", new { edition = 1, name = "Ours" }, "name", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("no such picture", (await ada.RefusedAsync($"/api/films/{id}", new { edition = 1, name = "Ours", still = "/i/x" }, "still", HttpMethod.Put)).Message, StringComparison.OrdinalIgnoreCase);
    }
}
