using System.Net;
using System.Text.Json;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>The practice's numbers: who may see which, what is refused, and the people behind them.</summary>
public sealed class ResultsApiTests(Site site) : IClassFixture<Site>
{
    private const string Bad = "=cmd|'/c calc'!A1 <script>alert(1)</script>";

    /// <summary>Inquiries of February by people of Ada's, who leave with words that a spreadsheet must not run.</summary>
    private async Task<List<Guid>> FebruaryAsync(int people)
    {
        await using var db = site.Db();
        var ada = await db.Users.Where(u => u.Name == "Ada Quill" && u.PracticeId == site.Practice).Select(u => u.Id).SingleAsync();
        var added = new List<Guid>();
        foreach (var n in Enumerable.Range(0, people))
        {
            var person = new PersonRow { Id = Guid.NewGuid(), PracticeId = site.Practice, FirstName = $"Feb{n}", SortName = $"feb{n}", OwnerId = ada, AddedAt = Instant.FromUtc(2027, 2, 3, 12, 0) };
            db.People.Add(person);
            db.Inquiries.Add(new InquiryRow { Id = Guid.NewGuid(), PracticeId = site.Practice, PersonId = person.Id, How = "phone", ReceivedAt = Instant.FromUtc(2027, 2, 4, 12, 0) });
            db.Consent.Add(new ConsentRow { PracticeId = site.Practice, PersonId = person.Id, Channel = "email", IsIn = false, At = Instant.FromUtc(2027, 2, 5, 12, 0), Source = "told Ada", Reason = Bad });
            added.Add(person.Id);
        }

        await db.SaveChangesAsync();
        return added;
    }

    private static JsonElement Row(JsonElement numbers, string what) =>
        numbers.GetProperty("tables").EnumerateArray().SelectMany(t => t.GetProperty("rows").EnumerateArray()).First(r => r.GetProperty("what").GetString() == what);

    private static decimal Chosen(JsonElement numbers, string what) => Row(numbers, what).GetProperty("values")[12].GetDecimal();

    [Fact]
    public async Task A_number_leads_to_its_people_to_a_list_and_to_calls()
    {
        var ada = await site.SignedInAsync("ada");
        var people = await FebruaryAsync(3);
        var numbers = await ada.GetAsync("/api/results?month=2027-02");
        var inquiries = (int)Chosen(numbers, "inquiries");
        var who = await ada.GetAsync("/api/results/who?month=2027-02&what=inquiries");
        Assert.Equal(inquiries, who.GetProperty("count").GetInt32());
        Assert.Subset(who.GetProperty("people").EnumerateArray().Select(p => p.GetProperty("id").GetGuid()).ToHashSet(), people.ToHashSet());
        Assert.Equal(inquiries, (await ada.DoAsync("/api/results/who/list?month=2027-02", new { what = "inquiries", list = "Asked in February" })).GetProperty("count").GetInt32());
        Assert.Equal(inquiries, (await ada.DoAsync("/api/results/who/calls?month=2027-02", new { what = "inquiries", title = "Ask again", on = "2027-03-09" })).GetProperty("count").GetInt32());
        await using var db = site.Db();
        Assert.Equal(inquiries, await db.People.CountAsync(p => p.Lists.Contains("Asked in February")));
        Assert.Equal(inquiries, await db.Tasks.CountAsync(t => t.Title == "Ask again" && t.Due == new LocalDate(2027, 3, 9)));
        Assert.Equal(0, (await ada.GetAsync("/api/results/who?month=2026-02&what=inquiries")).GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task Each_sees_the_whole_and_their_own_and_only_the_principal_each_members()
    {
        await FebruaryAsync(2);
        var (ada, wren) = (await site.SignedInAsync("ada"), await site.SignedInAsync("wren"));
        async Task<Guid> IdAsync(Member m) => (await m.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetGuid();
        var (adas, wrens) = (await IdAsync(ada), await IdAsync(wren));
        Assert.True(Chosen(await wren.GetAsync("/api/results?month=2027-02"), "inquiries") >= 2);
        Assert.Equal(0, Chosen(await wren.GetAsync($"/api/results?month=2027-02&member={wrens}"), "inquiries"));
        Assert.Equal(0, Chosen(await ada.GetAsync($"/api/results?month=2027-02&member={wrens}"), "inquiries"));
        foreach (var path in new[] { "", "/reach", "/who" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Get, $"/api/results{path}?what=inquiries&month=2027-02&member={adas}")).StatusCode);
        }

        foreach (var path in new[] { "list", "calls" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/results/who/{path}?month=2027-02&member={adas}", new { what = "inquiries", list = "x", title = "x" })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Get, $"/api/results/table.csv?table=coming&month=2027-02&member={adas}")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Get, "/api/results/monthly")).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Put, "/api/results/monthly", new { on = true })).StatusCode);

        var nobody = await site.NobodyAsync();
        foreach (var path in new[] { "", "/reach", "/who?what=won", "/table.csv?table=coming", "/monthly" })
        {
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.SendAsync(HttpMethod.Get, $"/api/results{path}")).StatusCode);
        }
    }

    [Fact]
    public async Task Another_practice_counts_its_own()
    {
        var people = await FebruaryAsync(2);
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(0, Chosen(await other.GetAsync("/api/results?month=2027-02"), "inquiries"));
        Assert.Equal(0, (await other.GetAsync("/api/results/who?month=2027-02&what=inquiries")).GetProperty("count").GetInt32());
        Assert.DoesNotContain("alert", (await other.GetAsync("/api/results?month=2027-02")).ToString(), StringComparison.Ordinal);
        Assert.Equal(0, (await other.DoAsync("/api/results/who/list?month=2027-02", new { what = "inquiries", list = "Stolen" })).GetProperty("count").GetInt32());
        await using var db = site.Db();
        Assert.False(await db.People.AnyAsync(p => people.Contains(p.Id) && p.Lists.Contains("Stolen")));
    }

    [Theory]
    [InlineData("9999-12"), InlineData("2027-03"), InlineData("2027-13"), InlineData("0000-00"), InlineData("last"), InlineData(""), InlineData("2027-2"), InlineData("2027-02%00")]
    public async Task A_month_that_is_none_or_is_to_come_is_told_which_would_be_right(string month)
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var path in new[] { "", "/reach", "/who", "/table.csv" })
        {
            var answer = await ada.SendAsync(HttpMethod.Get, $"/api/results{path}?what=won&table=coming&month={month}");
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        }
    }

    [Fact]
    public async Task Words_that_name_no_number_have_nobody_behind_them()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var what in new[] { "", "nothing", "by-program:", "by-program:x", "won-money", "reach:email", "'; DROP TABLE people; --" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Get, $"/api/results/who?month=2027-02&what={Uri.EscapeDataString(what)}")).StatusCode);
            Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync("/api/results/who/list?month=2027-02", new { what, list = "x" })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Get, $"/api/results/who?month=2027-02&what={new string('x', 5000)}")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/results/who/list?month=2027-02", new { what = "won", list = " " })).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/results/who/calls?month=2027-02", new { what = "won", title = "x", on = "9999-12-31" })).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Get, "/api/results/table.csv?table=secrets&month=2027-02")).StatusCode);
    }

    [Fact]
    public async Task Each_table_comes_as_a_file_in_which_no_cell_runs()
    {
        await FebruaryAsync(1);
        var ada = await site.SignedInAsync("ada");
        var numbers = await ada.GetAsync("/api/results?month=2027-02");
        var names = numbers.GetProperty("tables").EnumerateArray().Select(t => t.GetProperty("name").GetString()!).Append("reach").ToList();
        Assert.Equal(7, names.Count);
        foreach (var name in names)
        {
            var answer = await ada.SendAsync(HttpMethod.Get, $"/api/results/table.csv?table={name}&month=2027-02");
            Assert.Equal("text/csv", answer.Content.Headers.ContentType!.MediaType);
            var lines = (await answer.Content.ReadAsStringAsync()).Split("\r\n");
            Assert.Equal(1 + 14 + 1, lines.Length);
            Assert.StartsWith("month,", lines[0], StringComparison.Ordinal);
            Assert.StartsWith("2027-02,", lines[13], StringComparison.Ordinal);
            Assert.DoesNotContain(lines[0].Split(','), cell => cell.Trim('"').StartsWith('='));
        }
    }

    [Fact]
    public async Task Asked_ten_times_at_once_it_answers_alike_and_by_mail_is_one_choice()
    {
        var ada = await site.SignedInAsync("ada");
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.GetAsync("/api/results?month=2026-12")));
        Assert.Single(answers.Select(a => a.ToString()).Distinct());
        var chosen = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.SendAsync(HttpMethod.Put, "/api/results/monthly", new { on = true })));
        Assert.All(chosen, a => Assert.True(a.StatusCode is HttpStatusCode.OK or HttpStatusCode.Conflict, a.StatusCode.ToString()));
        Assert.StartsWith("2027-04-01T", (await ada.GetAsync("/api/results/monthly")).GetProperty("next").GetString(), StringComparison.Ordinal);
        Assert.False((await ada.DoAsync("/api/results/monthly", new { on = false }, HttpMethod.Put)).GetProperty("on").GetBoolean());
    }
}
