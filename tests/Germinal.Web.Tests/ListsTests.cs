using System.Net;
using System.Text;
using System.Text.Json;
using Germinal.Service.Import;

namespace Germinal.Web.Tests;

/// <summary>Lists that are kept, people as a file, and the review of a list that comes in; also as somebody clumsy or without the right.</summary>
public sealed class ListsTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member member, string first, string last) =>
        (await member.DoAsync("/api/people", new { firstName = first, lastName = last, anyway = true })).GetProperty("id").GetString()!;

    private static async Task<JsonElement> ListAsync(Member member, string name) =>
        (await member.GetAsync("/api/lists")).EnumerateArray().SingleOrDefault(l => l.GetProperty("name").GetString() == name);

    private static async Task<JsonElement> BringAsync(Member member, string text, string name = "list.csv")
    {
        var id = (await member.DoAsync("/api/imports", Member.File(Encoding.UTF8.GetBytes(text), name))).GetProperty("id").GetString();
        return await member.GetAsync($"/api/imports/{id}");
    }

    private async Task BroughtInAsync()
    {
        while (await new ImportRunner(site.Database).RunNextAsync(default)) { }
    }

    private static string IdOf(JsonElement review) => review.GetProperty("import").GetProperty("id").GetString()!;

    private static string[] FieldsOf(JsonElement review) => [.. review.GetProperty("columns").EnumerateArray().Select(c => c.GetProperty("field").GetString()!)];

    [Fact]
    public async Task A_list_is_made_of_people_or_of_a_segment_kept_taken_away_and_put_back()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, bo) = (await PersonAsync(ada, "Ida", "Listed"), await PersonAsync(ada, "Bo", "Listed"));
        var made = await ada.DoAsync("/api/lists", new { name = "  Summer   fair ", ids = new[] { ida } });
        Assert.Equal(("Summer fair", 1), (made.GetProperty("name").GetString(), made.GetProperty("count").GetInt32()));
        Assert.Equal("people who were picked", (await ListAsync(ada, "Summer fair")).GetProperty("from").GetString());

        // A name is there once, however it is written; and needs to be one.
        Assert.Equal(409, (await ada.RefusedAsync("/api/lists", new { name = "SUMMER fair" }, "")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/lists", new { name = "  " }, "name")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/lists", new { name = "a;b" }, "name")).Status);

        // As an act from elsewhere it is the same list in the first spelling, and it can be left again.
        await ada.DoAsync("/api/people/join", new { ids = new[] { bo }, list = "summer FAIR" });
        Assert.Equal(2, (await ListAsync(ada, "Summer fair")).GetProperty("people").GetInt32());
        await ada.DoAsync("/api/people/leave", new { ids = new[] { bo }, list = "Summer fair" });
        Assert.Equal(1, (await ListAsync(ada, "Summer fair")).GetProperty("people").GetInt32());

        // Of a segment, as it is at that moment: whoever fits later is not on it.
        var segment = (await ada.DoAsync("/api/segments", new { name = "The listed", rule = new { field = "last_name", op = "is", value = "Listed" } })).GetProperty("id").GetString();
        await ada.DoAsync("/api/lists", new { name = "Then", matching = new { segment } });
        await PersonAsync(ada, "Late", "Listed");
        var then = await ListAsync(ada, "Then");
        Assert.Equal((2, "the segment “The listed”"), (then.GetProperty("people").GetInt32(), then.GetProperty("from").GetString()));

        // One that is asked for stays; else it goes with everybody leaving it, and comes back.
        await ada.DoAsync("/api/segments", new { name = "On it", rule = new { field = "lists", op = "has", value = "then" } });
        var (status, message) = await ada.RefusedAsync("/api/lists?name=Then", null, "", HttpMethod.Delete);
        Assert.Equal((409, true), (status, message.Contains("“On it”", StringComparison.Ordinal)));
        var gone = await ada.DoAsync("/api/lists?name=summer%20fair", null, HttpMethod.Delete);
        Assert.Equal(JsonValueKind.Undefined, (await ListAsync(ada, "Summer fair")).ValueKind);
        await ada.DoAsync($"/api/acts/{gone.GetProperty("act").GetString()}/undo");
        Assert.Equal(1, (await ListAsync(ada, "Summer fair")).GetProperty("people").GetInt32());
        Assert.Equal(404, (int)(await ada.SendAsync(HttpMethod.Delete, "/api/lists?name=nowhere")).StatusCode);
    }

    [Fact]
    public async Task Ten_at_once_make_one_list()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = await PersonAsync(ada, "Ida", "Tenfold");
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/lists", new { name = "Tenfold", ids = new[] { ida } })));
        Assert.All(answers, a => Assert.Contains(a.StatusCode, new[] { HttpStatusCode.OK, HttpStatusCode.Conflict }));
        Assert.Equal(1, (await ListAsync(ada, "Tenfold")).GetProperty("people").GetInt32());
        await using var db = site.Db();
        var person = await db.People.FindAsync(Guid.Parse(ida));
        Assert.Equal(["Tenfold"], person!.Lists);
    }

    [Fact]
    public async Task People_go_out_as_files_those_who_fit_or_those_picked()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, _) = (await PersonAsync(ada, "Ida", "Outgoing"), await PersonAsync(ada, "Bo", "Outgoing"));
        async Task<byte[]> TakeAsync(string form, object body)
        {
            var answer = await ada.PostAsync($"/api/people/export/{form}", body);
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
            Assert.Equal($"people.{form}", answer.Content.Headers.ContentDisposition!.FileNameStar);
            return await answer.Content.ReadAsByteArrayAsync();
        }

        var both = Encoding.UTF8.GetString(await TakeAsync("csv", new { matching = new { search = "outgoing" } }));
        Assert.Equal(3, both.Trim().Split('\n').Length);
        var one = Encoding.UTF8.GetString(await TakeAsync("vcf", new { ids = new[] { ida } }));
        Assert.Equal(1, one.Split("BEGIN:VCARD").Length - 1);
        Assert.Contains($"UID:urn:uuid:{ida}", one, StringComparison.Ordinal);
        Assert.Equal("PK"u8.ToArray(), (await TakeAsync("xlsx", new { matching = new { search = "outgoing" } }))[..2]);

        Assert.Equal(400, (await ada.RefusedAsync("/api/people/export/csv", new { }, "ids")).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync("/api/people/export/pdf", new { ids = new[] { ida } })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await (await site.SignedInAsync("wren")).PostAsync("/api/people/export/csv", new { ids = new[] { ida } })).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await (await site.NobodyAsync()).PostAsync("/api/people/export/csv", new { ids = new[] { ida } })).StatusCode);
    }

    [Fact]
    public async Task Values_nobody_knows_are_said_once_and_remembered_for_the_next_list_with_that_header()
    {
        var ada = await site.SignedInAsync("ada");
        const string Header = "Full name;Mail;Adviser;Stage;Memo one\n";
        var review = await BringAsync(ada, Header + "Ada Said;said1@example.com;T. B.;Klient;x\nBo Said;said2@example.com;T. B.;Client;y\n");
        var id = IdOf(review);
        Assert.Equal(["full_name", "email", "owner", "stage", ""], FieldsOf(review));
        var asked = review.GetProperty("values").EnumerateArray().ToDictionary(v => v.GetProperty("field").GetString()!);
        Assert.Equal(("T. B.", 2), (asked["owner"].GetProperty("values")[0].GetProperty("text").GetString(), asked["owner"].GetProperty("values")[0].GetProperty("rows").GetInt32()));
        var tomas = asked["owner"].GetProperty("choices").EnumerateArray().Single(c => c.GetProperty("label").GetString() == "Tomas Brandt").GetProperty("field").GetString()!;

        async Task<JsonElement> SayAsync(string import, string field, string value, string? means) =>
            await ada.DoAsync($"/api/imports/{import}/values", new { field, value, means }, HttpMethod.Put);
        await SayAsync(id, "owner", "T. B.", tomas);
        review = await SayAsync(id, "stage", "klient", "Planning/Client");
        Assert.Empty(review.GetProperty("review").GetProperty("doubts").EnumerateArray());

        // What is no choice, or no column of that kind, is refused; what was said can be taken back.
        Assert.Equal(400, (await ada.RefusedAsync($"/api/imports/{id}/values", new { field = "stage", value = "Klient", means = "Planning/Nowhere" }, "means", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/imports/{id}/values", new { field = "email", value = "x", means = "" }, "field", HttpMethod.Put)).Status);
        review = await SayAsync(id, "stage", "Klient", null);
        Assert.Single(review.GetProperty("review").GetProperty("doubts").EnumerateArray());
        await SayAsync(id, "stage", "Klient", "Planning/Client");
        await ada.DoAsync($"/api/imports/{id}/columns", new { columns = new[] { "full_name", "email", "owner", "stage", "notes" } }, HttpMethod.Put);
        await ada.DoAsync($"/api/imports/{id}/start");
        await BroughtInAsync();
        await using (var db = site.Db())
        {
            var person = db.People.Single(p => p.Email == "said1@example.com");
            Assert.Equal(("Planning/Client", tomas), (person.Stage, person.OwnerId.ToString()));
        }

        // The next list with that header knows both, what its columns are and what its values mean.
        var next = await BringAsync(ada, Header + "Cy Said;said3@example.com;T. B.;Klient;z\n", "next.csv");
        Assert.Equal("notes", FieldsOf(next)[4]);
        Assert.Empty(next.GetProperty("review").GetProperty("doubts").EnumerateArray());
    }

    [Fact]
    public async Task A_column_becomes_a_field_of_the_practices_own_on_the_spot()
    {
        var ada = await site.SignedInAsync("ada");
        var rows = string.Concat(Enumerable.Range(0, 9).Select(i => $"Fi Eld{i},fi{i}@example.com,{(i % 2 == 0 ? "Sloop" : "Ketch")},{i * 1000}\n"));
        var review = await BringAsync(ada, "Name,Email,Boat,Upkeep\n" + rows);
        var column = review.GetProperty("columns")[2];
        Assert.Equal(("choice", "Ketch"), (column.GetProperty("kind").GetString(), column.GetProperty("options")[0].GetString()));
        Assert.Equal("number", review.GetProperty("columns")[3].GetProperty("kind").GetString());
        var path = $"/api/imports/{IdOf(review)}/columns/2/field";
        Assert.Equal(400, (await ada.RefusedAsync(path, new { name = "Boat", kind = "vessel", options = Array.Empty<string>() }, "kind")).Status);
        Assert.Equal(400, (await ada.RefusedAsync(path, new { name = "1 boat;", kind = "text", options = Array.Empty<string>() }, "name")).Status);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync(path, new { name = "Boat", kind = "text", options = Array.Empty<string>() })).StatusCode);
        review = await ada.DoAsync(path, new { name = "Boat", kind = "choice", options = new[] { "Ketch", "Sloop" } });
        Assert.Equal("custom:Boat", FieldsOf(review)[2]);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/imports/{IdOf(review)}/columns/3/field", new { name = "BOAT", kind = "text", options = Array.Empty<string>() }, "name")).Status);
        Assert.Equal(404, (int)(await ada.PostAsync($"/api/imports/{IdOf(review)}/columns/99/field", new { name = "Far", kind = "text", options = Array.Empty<string>() })).StatusCode);
        await ada.DoAsync($"/api/imports/{IdOf(review)}/start");
        await BroughtInAsync();
        var picked = await ada.DoAsync("/api/segments/preview", new { rule = new { field = "custom:Boat", op = "is", value = "sloop" } });
        Assert.Equal(5, picked.GetProperty("picked").GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task A_workbook_of_several_sheets_is_turned_and_what_is_no_list_is_said_at_the_file()
    {
        var ada = await site.SignedInAsync("ada");
        await using var file = new MemoryStream();
        await Channels.Tables.Workbook.WriteAsync(file, "One", ["First name", "Email"], [["Sheet", "sheet@example.com"]], default);
        var id = (await ada.DoAsync("/api/imports", Member.File(file.ToArray(), "one.xlsx"))).GetProperty("id").GetString();
        var review = await ada.GetAsync($"/api/imports/{id}");
        Assert.Equal(("One", 0), (review.GetProperty("sheet").GetString(), review.GetProperty("sheets").GetArrayLength()));
        Assert.Equal(400, (await ada.RefusedAsync($"/api/imports/{id}/sheet", new { sheet = "Two" }, "sheet", HttpMethod.Put)).Status);
        Assert.Equal(["first_name", "email"], FieldsOf(await ada.DoAsync($"/api/imports/{id}/sheet", new { sheet = "One" }, HttpMethod.Put)));
        await ada.DoAsync($"/api/imports/{id}/start");
        await BroughtInAsync();
        Assert.Equal(409, (await ada.RefusedAsync($"/api/imports/{id}/sheet", new { sheet = "One" }, "", HttpMethod.Put)).Status);
        Assert.Equal(409, (await ada.RefusedAsync($"/api/imports/{id}/values", new { field = "owner", value = "x", means = "" }, "", HttpMethod.Put)).Status);

        var (status, message) = await ada.RefusedAsync("/api/imports", Member.File("%PDF-1.7"u8.ToArray(), "list.pdf"), "file");
        Assert.Equal((400, true), (status, message.Contains("PDF", StringComparison.Ordinal)));
    }
}
