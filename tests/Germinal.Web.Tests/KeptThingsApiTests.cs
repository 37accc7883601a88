using System.Net;
using System.Text;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>Offers, figures and files: kept once, found under every name they had, not thrown away while used, and other practices' own business.</summary>
public sealed class KeptThingsApiTests(Site site) : IClassFixture<Site>
{
    private static readonly byte[] Pdf = Encoding.ASCII.GetBytes("%PDF-1.7\nwords\n%%EOF\n");

    private static Task<JsonElement> LetterAsync(Member member, string name, string body) => member.DoAsync("/api/letters", new { name, subject = "s", body });

    private static string IdOf(JsonElement kept) => kept.GetProperty("id").GetString()!;

    private static async Task<string> FindingsAsync(Member member, string letter) =>
        string.Join('\n', (await member.GetAsync($"/api/letters/{letter}")).GetProperty("findings").EnumerateArray().Select(f => f.GetProperty("message").GetString()));

    [Fact]
    public async Task An_offer_is_kept_renamed_with_letters_still_finding_it_and_not_thrown_away_while_used()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/offers", new { name = "Spring talk", facts = "At six", page = "example.com/talk", until = "2027-03-01" });
        Assert.True(made.GetProperty("stands").GetBoolean());
        Assert.Equal("https://example.com/talk", made.GetProperty("page").GetString());
        var letter = IdOf(await LetterAsync(ada, "With the talk", """<div data-part="offer" data-of="Spring talk"></div>"""));
        Assert.Equal("", await FindingsAsync(ada, letter));

        var id = IdOf(made);
        var renamed = await ada.DoAsync($"/api/offers/{id}", new { name = "Summer talk", facts = "At seven", until = "2027-02-28", edition = 1 }, HttpMethod.Put);
        Assert.False(renamed.GetProperty("stands").GetBoolean());
        Assert.Contains("does not stand today", await FindingsAsync(ada, letter), StringComparison.Ordinal);
        Assert.Equal("With the talk", renamed.GetProperty("uses")[0].GetProperty("name").GetString());
        Assert.Equal(409, (await ada.RefusedAsync($"/api/offers/{id}", new { name = "Autumn talk", edition = 1 }, "", HttpMethod.Put)).Status);

        var kept = await ada.SendAsync(HttpMethod.Delete, $"/api/offers/{id}");
        Assert.Contains("With the talk", await kept.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        await ada.SendAsync(HttpMethod.Delete, $"/api/letters/{letter}");
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, $"/api/offers/{id}")).StatusCode);
    }

    [Theory]
    [InlineData("""{"name":""}""", "name")]
    [InlineData("""{"name":"x","page":"javascript:alert(1)"}""", "page")]
    [InlineData("""{"name":"x","from":"2027-02-30"}""", "from")]
    [InlineData("""{"name":"x","from":"2027-03-02","until":"2027-03-01"}""", "until")]
    [InlineData("""{"name":"x","facts":"{{ person.frist_name }}"}""", "facts")]
    [InlineData("""{"name":"x","picture":"/i/00000000-0000-0000-0000-000000000000","pictureWords":"y"}""", "picture")]
    [InlineData("""{"name":"x","whenOver":"burn"}""", "whenOver")]
    [InlineData("""{"name":"x","whenOver":"instead"}""", "instead")]
    public async Task What_is_wrong_with_an_offer_is_said_at_its_field(string offer, string field)
    {
        var ada = await site.SignedInAsync("ada");
        var answer = await ada.PostAsync("/api/offers", JsonSerializer.Deserialize<JsonElement>(offer));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.True(JsonSerializer.Deserialize<JsonElement>(await answer.Content.ReadAsStringAsync()).GetProperty("errors").TryGetProperty(field, out _));
    }

    [Fact]
    public async Task Figures_come_in_are_replaced_go_out_again_and_are_read_by_anybody()
    {
        var ada = await site.SignedInAsync("ada");
        var id = IdOf(await ada.DoAsync("/api/figures", new { name = "Prices" }));
        Task<JsonElement> BringAsync(string csv) => ada.DoAsync($"/api/figures/{id}/numbers", Member.File(Encoding.UTF8.GetBytes(csv), "f.csv"));
        Assert.Equal(2, (await BringAsync("area,month,median price\nPort Averil,2027-01,\"$400,000\"\nPort Averil,2027-02,\"$404,000\"\n")).GetProperty("numbers").GetInt32());
        var again = await BringAsync("month,area,MEDIAN PRICE\n2027-02,PORT averil,\"$420,000\"\n");
        Assert.Equal((1, 1), (again.GetProperty("numbers").GetInt32(), again.GetProperty("changed").GetInt32()));
        var wrong = await BringAsync("area,month,median price\nPort Averil,2027-02,1\nPort Averil,Juvember,2\n");
        Assert.Equal((0, 3), (wrong.GetProperty("numbers").GetInt32(), wrong.GetProperty("troubles")[0].GetProperty("line").GetInt32()));

        var area = Assert.Single((await ada.GetAsync($"/api/figures/{id}")).GetProperty("areas").EnumerateArray());
        Assert.Equal(("Port Averil", "$420,000", "5% up"), (area.GetProperty("area").GetString(), area.GetProperty("readings")[0].GetProperty("value").GetString(), area.GetProperty("readings")[0].GetProperty("onMonth").GetString()));
        var list = await ada.Http.GetStringAsync($"/api/figures/{id}/numbers.csv");
        Assert.Equal("area,month,median price\r\nPort Averil,2027-01,400000\r\nPort Averil,2027-02,420000\r\n", list);
        Assert.Equal(0, (await BringAsync(list)).GetProperty("changed").GetInt32());

        var nobody = await site.NobodyAsync();
        var path = new Uri((await ada.GetAsync($"/api/figures/{id}")).GetProperty("table").GetProperty("address").GetString()!).AbsolutePath;
        Assert.Contains("$420,000", await nobody.Http.GetStringAsync(path), StringComparison.Ordinal);
        var curve = await nobody.Http.GetAsync($"{path}/curve.png?area=port%20averil&of=median%20price&to=2027-02");
        Assert.Equal("image/png", curve.Content.Headers.ContentType!.MediaType);
        foreach (var none in new[] { $"{path}x", $"{path}/curve.png", $"{path}/curve.png?area=a&of=b&to=9999-99", $"{path}/curve.png?area=a&of=b&to=2027-02" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync(none)).StatusCode);
        }
    }

    [Fact]
    public async Task Ten_lists_of_figures_at_once_are_all_in()
    {
        var ada = await site.SignedInAsync("ada");
        var id = IdOf(await ada.DoAsync("/api/figures", new { name = "At once" }));
        await Task.WhenAll(
            Enumerable.Range(0, 10).Select(i => ada.DoAsync($"/api/figures/{id}/numbers", Member.File(Encoding.UTF8.GetBytes($"area,month,p\nA{i},2027-01,{i}\n"), "f.csv")))
        );
        Assert.Equal(10, (await ada.GetAsync($"/api/figures/{id}")).GetProperty("areas").GetArrayLength());
    }

    [Fact]
    public async Task A_file_is_kept_by_its_content_carried_by_its_name_and_never_shown_as_a_page_of_ours()
    {
        var ada = await site.SignedInAsync("ada");
        var file = await ada.DoAsync("/api/files", Member.File(Pdf, @"C:\work\Our prices.pdf"));
        Assert.Equal(("Our prices.pdf", "a PDF"), (file.GetProperty("name").GetString(), file.GetProperty("what").GetString()));
        Assert.Equal(400, (await ada.RefusedAsync("/api/files", Member.File(Pdf, "our PRICES.pdf"), "file")).Status);
        Assert.Contains("not a PDF", (await ada.RefusedAsync("/api/files", Member.File(Encoding.ASCII.GetBytes("<script>"), "page.pdf"), "file")).Message, StringComparison.Ordinal);

        var nobody = await site.NobodyAsync();
        var read = await nobody.Http.GetAsync(new Uri(file.GetProperty("address").GetString()!).AbsolutePath);
        Assert.Equal(("attachment", "nosniff"), (read.Content.Headers.ContentDisposition!.DispositionType, read.Headers.GetValues("X-Content-Type-Options").Single()));
        Assert.Equal(Pdf, await read.Content.ReadAsByteArrayAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync($"/f/{Guid.NewGuid()}/x.pdf")).StatusCode);

        var program = IdOf(
            (
                await ada.DoAsync(
                    "/api/programs/files",
                    new
                    {
                        files = new[]
                        {
                            new
                            {
                                name = "f",
                                text = """{"format":"germinal.program/1","name":"Carries","startsWhen":[{"kind":"by-hand"}],"steps":[{"id":"a","kind":"email","subject":"s","body":"b","attachments":["Our prices.pdf","Gone.pdf"]}]}""",
                            },
                        },
                    }
                )
            )[0]
        );
        var finding = Assert.Single((await ada.GetAsync($"/api/programs/{program}")).GetProperty("findings").EnumerateArray(), f => f.GetProperty("pointer").GetString() == "/steps/0/attachments");
        Assert.Contains("Gone.pdf", finding.GetProperty("message").GetString(), StringComparison.Ordinal);
        var kept = await ada.SendAsync(HttpMethod.Delete, $"/api/files/{IdOf(file)}");
        Assert.Contains("Carries", await kept.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/files/{IdOf(file)}", new { name = "Our prices.exe" }, "name", HttpMethod.Put)).Status);
        await ada.DoAsync($"/api/files/{IdOf(file)}", new { name = "Prices.pdf" }, HttpMethod.Put);
        Assert.Equal("Carries", (await ada.GetAsync("/api/files")).EnumerateArray().Single(f => IdOf(f) == IdOf(file)).GetProperty("uses")[0].GetProperty("name").GetString());
    }

    [Theory]
    [InlineData("/api/files", 11, "large.pdf", "10 MB is the most")]
    [InlineData("/api/images", 40, "camera.jpg", "5 MB is the most")]
    public async Task What_is_too_large_says_how_large_it_may_be(string path, int megabytes, string name, string said)
    {
        var ada = await site.SignedInAsync("ada");
        var (status, message) = await ada.RefusedAsync(path, Member.File(new byte[megabytes * 1024 * 1024], name), "file");
        Assert.Equal((400, true), (status, message.Contains(said, StringComparison.Ordinal)));
    }

    [Fact]
    public async Task Another_practice_sees_none_of_it_and_changes_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var offer = IdOf(await ada.DoAsync("/api/offers", new { name = "Ours alone" }));
        var table = IdOf(await ada.DoAsync("/api/figures", new { name = "Ours alone" }));
        var file = IdOf(await ada.DoAsync("/api/files", Member.File(Pdf, "ours alone.pdf")));
        var other = await site.SignedInAsync("ada2");
        foreach (var (room, id) in new[] { ("offers", offer), ("figures", table), ("files", file) })
        {
            Assert.DoesNotContain("urs alone", (await other.GetAsync($"/api/{room}")).GetRawText(), StringComparison.Ordinal);
            Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, $"/api/{room}/{id}")).StatusCode);
            Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Put, $"/api/{room}/{id}", new { name = "Theirs", edition = 1 })).StatusCode);
        }
    }
}
