using System.Net;
using System.Text.Json;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>A member who sees only their own people: of all others there is nothing anywhere, whatever is asked.</summary>
public sealed class SightTests(Site site) : IClassFixture<Site>
{
    private static async Task<Guid> IdAsync(Member ada, string email) =>
        (await ada.GetAsync("/api/members")).GetProperty("members").EnumerateArray().Single(m => m.GetProperty("email").GetString() == email).GetProperty("id").GetGuid();

    private async Task<Guid> PersonAsync(Member by, string last, Guid? owner)
    {
        var made = await by.DoAsync("/api/people", new { firstName = "Ola", lastName = last, email = $"{last.ToLowerInvariant()}@example.com" });
        var id = made.GetProperty("id").GetGuid();
        await using var db = site.Db();
        await db.People.Where(p => p.Id == id).ExecuteUpdateAsync(u => u.SetProperty(p => p.OwnerId, owner));
        return id;
    }

    private static async Task<List<string>> SeenAsync(Member member, string path = "/api/people?size=200")
    {
        var text = (await member.GetAsync(path)).ToString();
        return [.. new[] { "Ownwood", "Othermere", "Nobodyfield" }.Where(n => text.Contains(n, StringComparison.Ordinal))];
    }

    private static Task SetAsync(Member ada, Guid member, string role, bool seesOwn, string office) =>
        ada.DoAsync($"/api/members/{member}", new { role, seesOwn, office }, HttpMethod.Put);

    [Fact]
    public async Task They_see_their_own_nobodys_and_their_offices_people_and_no_others_on_any_page()
    {
        var ada = await site.SignedInAsync("ada");
        var (adaId, tomasId) = (await IdAsync(ada, "ada@example.com"), await IdAsync(ada, "tomas@example.com"));
        var own = await PersonAsync(ada, "Ownwood", tomasId);
        var other = await PersonAsync(ada, "Othermere", adaId);
        var nobodys = await PersonAsync(ada, "Nobodyfield", null);
        await ada.DoAsync("/api/tasks", new { kind = "task", title = "ring Othermere", due = "2027-03-01", person = other, member = tomasId });
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(["Ownwood", "Othermere", "Nobodyfield"], await SeenAsync(tomas));

        await SetAsync(ada, tomasId, "adviser", seesOwn: true, office: "");
        tomas = await site.SignedInAsync("tomas");
        Assert.Equal(["Ownwood", "Nobodyfield"], await SeenAsync(tomas));
        Assert.Equal(HttpStatusCode.NotFound, (await tomas.Http.GetAsync($"/api/people/{other}")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await tomas.Http.GetAsync($"/api/people/{own}")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await tomas.Http.GetAsync($"/api/people/{nobodys}")).StatusCode);

        // Of every address that is read nothing about the other comes out, and nothing breaks.
        var document = JsonDocument.Parse(await File.ReadAllTextAsync(Document())).RootElement;
        var read = document.GetProperty("paths").EnumerateObject().Where(p => p.Value.TryGetProperty("get", out _)).Select(p => p.Name).ToList();
        Assert.True(read.Count > 100, $"{read.Count} addresses");
        foreach (var path in read.Where(p => !p.Contains("stand-ins", StringComparison.Ordinal) && !p.Contains("changes", StringComparison.Ordinal)))
        {
            var asked = path.Replace("{id}", other.ToString(), StringComparison.Ordinal).Replace("{person}", other.ToString(), StringComparison.Ordinal);
            if (asked.Contains('{', StringComparison.Ordinal))
            {
                continue;
            }

            var answer = await tomas.Http.GetAsync(asked);
            var text = await answer.Content.ReadAsStringAsync();
            Assert.True((int)answer.StatusCode < 500, $"{asked}: {(int)answer.StatusCode} {text}");
            Assert.False(text.Contains("Othermere", StringComparison.OrdinalIgnoreCase), $"{asked}: {text}");
        }

        // Nor can it be changed, found, or told apart from nobody.
        var done = new (string Path, object Body)[]
        {
            ("remarks", new { text = "hello" }),
            ("consent", new { channel = "email", @in = true, reason = "told me" }),
            ("appointments", new { type = "review", at = "2027-03-12T10:00" }),
        };
        foreach (var (path, body) in done)
        {
            Assert.Equal(HttpStatusCode.NotFound, (await tomas.PostAsync($"/api/people/{other}/{path}", body)).StatusCode);
        }

        Assert.Empty(await SeenAsync(tomas, "/api/people?search=othermere"));
        Assert.Equal(["Othermere"], await SeenAsync(ada, "/api/people?search=othermere"));

        // What is done to one's own goes on as ever.
        foreach (var (path, body) in done)
        {
            await tomas.DoAsync($"/api/people/{own}/{path}", body);
        }

        await PersonAsync(tomas, "Ownlast", tomasId);

        // Sending to many goes to people whom they do not see: it is not theirs to do.
        var session = await tomas.GetAsync("/api/session");
        var may = session.GetProperty("may").EnumerateArray().Select(m => m.GetString()).ToList();
        Assert.DoesNotContain("switch-programs", may);
        Assert.DoesNotContain("bring-people-in", may);
        var refused = await tomas.RefusedAsync("/api/imports", Member.File("First name\nOla\n"u8.ToArray(), "list.csv"), "file");
        Assert.Equal(403, refused.Status);
        Assert.Contains("one has to see everybody", refused.Message, StringComparison.Ordinal);

        // Members of one office share their people, and whoever stands in sees whom they stand in for.
        await SetAsync(ada, tomasId, "adviser", seesOwn: true, office: "Harbor side");
        await SetAsync(ada, adaId, "principal", seesOwn: false, office: "Harbor side");
        Assert.Equal(["Ownwood", "Othermere", "Nobodyfield"], await SeenAsync(tomas));
        await SetAsync(ada, tomasId, "adviser", seesOwn: true, office: "Hill side");
        Assert.Equal(["Ownwood", "Nobodyfield"], await SeenAsync(tomas));
        await ada.DoAsync($"/api/members/{adaId}", new { role = "principal", deputy = tomasId }, HttpMethod.Put);
        Assert.Equal(["Ownwood", "Othermere", "Nobodyfield"], await SeenAsync(tomas));
        await ada.DoAsync($"/api/members/{adaId}", new { role = "principal", deputy = (Guid?)null }, HttpMethod.Put);

        // The almanac of who sees everybody is not what they are shown, whoever asked first.
        await ada.GetAsync("/api/almanac");
        Assert.Equal(["Ownwood", "Nobodyfield"], await SeenAsync(tomas));

        // A principal sees everybody.
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{adaId}", new { role = "principal", seesOwn = true }, "seesOwn", HttpMethod.Put)).Status);
        Assert.Equal(["Ownwood", "Othermere", "Nobodyfield"], await SeenAsync(ada));
        await SetAsync(ada, tomasId, "adviser", seesOwn: false, office: "");
        Assert.Equal(["Ownwood", "Othermere", "Nobodyfield"], await SeenAsync(tomas));
    }

    private static string Document()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder.FullName, "src", "web", "src", "api", "openapi.json")))
        {
            folder = folder.Parent!;
        }

        return Path.Combine(folder.FullName, "src", "web", "src", "api", "openapi.json");
    }

    [Fact]
    public async Task Every_table_that_hangs_on_a_person_is_kept_from_them_and_a_connection_that_was_told_nothing_sees_nobodys_people()
    {
        await using var db = site.Db();
        var open = await db.Database.SqlQuery<string>(
            $"""
            SELECT c.relname AS "Value" FROM pg_class c
            WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r' AND NOT c.relrowsecurity
              AND (c.relname = 'people' OR EXISTS (SELECT 1 FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attname = 'person_id' AND NOT a.attisdropped))
            """
        ).ToListAsync();
        Assert.Empty(open);

        await using var limited = site.Db();
        limited.LimitTo([]);
        Assert.Equal(0, await limited.People.CountAsync(p => p.OwnerId != null));
        Assert.Equal(Sight.Role, await limited.Database.SqlQuery<string>($"SELECT current_user::text AS \"Value\"").SingleAsync());
        await limited.Database.OpenConnectionAsync();
        await limited.Database.ExecuteSqlAsync($"RESET germinal.sees");
        Assert.Equal(0, await limited.People.CountAsync(p => p.OwnerId != null));
    }
}
