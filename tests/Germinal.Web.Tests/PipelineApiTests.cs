using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>The pipeline as a page.</summary>
public sealed class PipelineApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<(string Person, string Opportunity)> OpenAsync(Member ada, string first, string stage = "Planning/Inquiry")
    {
        var person = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Pipe", email = $"{first.ToLowerInvariant()}@example.com" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = $"A plan for {first}", stage });
        return (person, (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0].GetProperty("id").GetString()!);
    }

    private static async Task<(string Stage, JsonElement Line)?> FindAsync(Member ada, string opportunity, string query = "")
    {
        foreach (var stage in (await ada.GetAsync($"/api/pipeline{query}")).GetProperty("stages").EnumerateArray())
        {
            foreach (var line in stage.GetProperty("rows").EnumerateArray().Where(l => l.GetProperty("id").GetString() == opportunity))
            {
                return (stage.GetProperty("name").GetString()!, line);
            }
        }

        return null;
    }

    [Fact]
    public async Task An_opportunity_stands_in_its_stage_with_worth_and_is_moved_with_others_and_back()
    {
        var ada = await site.SignedInAsync("ada");
        var ((person, one), (_, two)) = (await OpenAsync(ada, "Worta"), await OpenAsync(ada, "Wortb"));
        await ada.DoAsync($"/api/opportunities/{one}", new { title = "The first plan", worth = 2400.50m, expectedOn = "2027-05-01", owner = (string?)null }, HttpMethod.Put);
        var (stage, line) = (await FindAsync(ada, one))!.Value;
        Assert.Equal(("Inquiry", "The first plan", 2400.50m, "2027-05-01", 0), (stage, line.GetProperty("title").GetString(), line.GetProperty("worth").GetDecimal(), line.GetProperty("expectedOn").GetString(), line.GetProperty("days").GetInt32()));
        Assert.Equal(JsonValueKind.Null, line.GetProperty("nextTouch").ValueKind);

        var moved = (await ada.DoAsync("/api/pipeline/move", new { ids = new[] { one, two }, stage = "Planning/Client" })).GetProperty("moved");
        Assert.Equal(["Planning/Inquiry", "Planning/Inquiry"], moved.EnumerateArray().Select(m => m.GetProperty("stage").GetString()));
        Assert.Equal("Client", (await FindAsync(ada, two))!.Value.Stage);
        Assert.Equal("Planning/Client", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());

        // Moved there once more, nothing happens.
        Assert.Empty((await ada.DoAsync("/api/pipeline/move", new { ids = new[] { one }, stage = "Planning/Client" })).GetProperty("moved").EnumerateArray());
        await ada.DoAsync("/api/pipeline/move", new { ids = new[] { one, two }, stage = "Planning/Inquiry" });
        Assert.Equal("Inquiry", (await FindAsync(ada, one))!.Value.Stage);

        var first = (await ada.GetAsync("/api/pipeline")).GetProperty("months")[0];
        Assert.Equal("2027-03", first.GetProperty("month").GetString());
        Assert.True(first.GetProperty("opened").GetInt32() >= 2 && first.GetProperty("forward").GetInt32() >= 4);
    }

    [Fact]
    public async Task Won_with_its_sum_and_day_lost_with_its_reason_and_what_happens_later()
    {
        var ada = await site.SignedInAsync("ada");
        var ((_, won), (person, lost)) = (await OpenAsync(ada, "Wonna"), await OpenAsync(ada, "Losta"));
        await using (var db = site.Db())
        {
            var id = Guid.Parse(won);
            await db.Opportunities.Where(o => o.Id == id).ExecuteUpdateAsync(u => u.SetProperty(o => o.OpenedAt, Site.Now - Duration.FromDays(30)).SetProperty(o => o.StageSince, Site.Now - Duration.FromDays(30)));
        }

        Assert.Equal(1, (await ada.DoAsync("/api/pipeline/close", new { ids = new[] { won }, won = true, worth = 1999.99m, on = "2027-02-27" })).GetProperty("count").GetInt32());
        await using (var db = site.Db())
        {
            var row = await db.Opportunities.AsNoTracking().SingleAsync(o => o.Id == Guid.Parse(won));
            Assert.Equal(("won", 1999.99m, new LocalDate(2027, 2, 27)), (row.Status, row.Worth, row.ClosedAt!.Value.InUtc().Date));

            // Its way ends on that day too: that is what the numbers are made from.
            Assert.Equal(row.ClosedAt, (await db.OpportunityMoves.SingleAsync(m => m.OpportunityId == row.Id && m.Status == "won")).At);
        }

        var february = (await ada.GetAsync("/api/pipeline")).GetProperty("months")[1];
        Assert.Equal((1, 1999.99m), (february.GetProperty("won").GetInt32(), february.GetProperty("wonWorth").GetDecimal()));

        var later = await PeopleApiTests.ProgramAsync(ada, "Taken up again", """[{"id":"a","kind":"task","when":{"from":"start","offset":"P6M"},"title":"Ask again"}]""");
        Assert.Contains((await ada.GetAsync("/api/pipeline/starts")).EnumerateArray(), s => s.GetProperty("id").GetString() == later);
        await ada.DoAsync("/api/pipeline/close", new { ids = new[] { lost }, won = false, reason = "timing", program = later });
        await site.WorkAsync();
        Assert.Null(await FindAsync(ada, lost));
        var day = (await ada.GetAsync("/api/almanac?from=2027-09-01&days=1")).GetProperty("days")[0];
        Assert.Contains(day.GetProperty("groups").EnumerateArray(), g => g.GetProperty("programId").GetString() == later);
        Assert.Equal("timing", (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0].GetProperty("lostReason").GetString());

        // What is closed is closed: once more does nothing.
        Assert.Equal(0, (await ada.DoAsync("/api/pipeline/close", new { ids = new[] { lost, won }, won = true })).GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task Its_numbers_say_when_it_is_too_early()
    {
        var ada = await site.SignedInAsync("ada");
        await OpenAsync(ada, "Numba");
        var numbers = await ada.GetAsync("/api/pipeline/numbers?name=Planning");
        Assert.Equal(30, numbers.GetProperty("least").GetInt32());
        Assert.All(numbers.GetProperty("stages").EnumerateArray(), s => Assert.False(s.GetProperty("enough").GetBoolean()));
        Assert.Equal(JsonValueKind.Null, numbers.GetProperty("won").GetProperty("share").ValueKind);
        Assert.All(numbers.GetProperty("ahead").EnumerateArray(), a => Assert.Equal(JsonValueKind.Null, a.GetProperty("range").ValueKind));
        Assert.Equal(HttpStatusCode.NotFound, (await ada.Http.GetAsync("/api/pipeline/numbers?name=Nothing")).StatusCode);
    }

    [Fact]
    public async Task Its_numbers_are_those_of_the_ways_that_were_gone()
    {
        var ada = await site.SignedInAsync("ada");
        await using (var db = site.Database.For(site.Other))
        {
            // Forty came in sixty days ago: thirty went on after ten days and were won after twenty, ten were lost after five.
            var person = await db.People.Where(p => p.PracticeId == site.Other).Select(p => p.Id).FirstOrDefaultAsync();
            if (person == Guid.Empty)
            {
                var row = new Store.Rows.PersonRow { Id = Guid.NewGuid(), PracticeId = site.Other, FirstName = "Wayla", AddedAt = Site.Now };
                db.People.Add(row);
                person = row.Id;
            }

            var begin = Site.Now - Duration.FromDays(60);
            for (var i = 0; i < 40; i++)
            {
                var won = i < 30;
                var opportunity = new Store.Rows.OpportunityRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = site.Other,
                    PersonId = person,
                    Title = "A way",
                    Stage = won ? "Planning/Client" : "Planning/Inquiry",
                    Status = won ? "won" : "lost",
                    LostReason = won ? null : "fees",
                    OpenedAt = begin,
                    StageSince = begin,
                    ClosedAt = begin + Duration.FromDays(won ? 20 : 5),
                    Worth = 1000,
                };
                db.Opportunities.Add(opportunity);
                Store.Rows.OpportunityMoveRow Move(int day, string stage, string status = "open") =>
                    new() { PracticeId = site.Other, OpportunityId = opportunity.Id, At = begin + Duration.FromDays(day), Stage = stage, Status = status };
                db.OpportunityMoves.Add(Move(0, "Planning/Inquiry"));
                db.OpportunityMoves.AddRange(won ? [Move(10, "Planning/Client"), Move(20, "Planning/Client", "won")] : [Move(5, "Planning/Inquiry", "lost")]);
            }

            var open = new Store.Rows.OpportunityRow { Id = Guid.NewGuid(), PracticeId = site.Other, PersonId = person, Title = "Open", Stage = "Planning/Client", OpenedAt = Site.Now, StageSince = Site.Now, Worth = 500 };
            db.Opportunities.Add(open);
            db.OpportunityMoves.Add(new Store.Rows.OpportunityMoveRow { PracticeId = site.Other, OpportunityId = open.Id, At = Site.Now, Stage = "Planning/Client" });
            await db.SaveChangesAsync();
        }

        var stranger = await site.SignedInAsync("ada2");
        var numbers = await stranger.GetAsync("/api/pipeline/numbers");
        var inquiry = numbers.GetProperty("stages")[0];
        Assert.Equal((40, 30, 10), (inquiry.GetProperty("count").GetInt32(), inquiry.GetProperty("wentOn").GetInt32(), inquiry.GetProperty("medianDays").GetInt32()));
        Assert.Equal((40, 30, 0.75), (numbers.GetProperty("won").GetProperty("closed").GetInt32(), numbers.GetProperty("won").GetProperty("won").GetInt32(), numbers.GetProperty("won").GetProperty("share").GetDouble()));
        Assert.Equal(("fees", 10), (numbers.GetProperty("reasons")[0].GetProperty("reason").GetString(), numbers.GetProperty("reasons")[0].GetProperty("count").GetInt32()));

        // From Proposal all thirty were won after ten days: within thirty the whole 500 comes in.
        Assert.Equal(500, numbers.GetProperty("ahead")[0].GetProperty("range").GetProperty("low").GetDecimal());
        Assert.Equal(10, (await stranger.GetAsync("/api/pipeline")).GetProperty("stages")[0].GetProperty("usualDays").GetInt32());
    }

    [Fact]
    public async Task What_is_wrong_is_said_and_another_practice_finds_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, id) = await OpenAsync(ada, "Wronga");
        Assert.Contains("There is no stage", (await ada.RefusedAsync("/api/pipeline/move", new { ids = new[] { id }, stage = "Planning/Moon" }, "stage")).Message, StringComparison.Ordinal);
        Assert.Contains("Say why", (await ada.RefusedAsync("/api/pipeline/close", new { ids = new[] { id }, won = false }, "reason")).Message, StringComparison.Ordinal);
        Assert.Contains("has been", (await ada.RefusedAsync("/api/pipeline/close", new { ids = new[] { id }, won = true, on = "2027-03-02" }, "on")).Message, StringComparison.Ordinal);
        Assert.Contains("amount", (await ada.RefusedAsync("/api/pipeline/close", new { ids = new[] { id }, won = true, worth = -1 }, "worth")).Message, StringComparison.Ordinal);
        Assert.Contains("amount", (await ada.RefusedAsync($"/api/opportunities/{id}", new { title = "x", worth = 1.234m }, "worth", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("no date", (await ada.RefusedAsync($"/api/opportunities/{id}", new { title = "x", expectedOn = "9999-1-1" }, "expectedOn", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("member", (await ada.RefusedAsync($"/api/opportunities/{id}", new { title = "x", owner = Guid.NewGuid() }, "owner", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("switched on", (await ada.RefusedAsync("/api/pipeline/close", new { ids = new[] { id }, won = true, program = Guid.NewGuid() }, "program")).Message, StringComparison.Ordinal);

        var stranger = await site.SignedInAsync("ada2");
        Assert.Null(await FindAsync(stranger, id));
        Assert.Empty((await stranger.DoAsync("/api/pipeline/move", new { ids = new[] { id }, stage = "Planning/Client" })).GetProperty("moved").EnumerateArray());
        Assert.Equal(0, (await stranger.DoAsync("/api/pipeline/close", new { ids = new[] { id }, won = true })).GetProperty("count").GetInt32());
        Assert.Equal("Inquiry", (await FindAsync(ada, id))!.Value.Stage);
    }

    [Fact]
    public async Task Ten_who_close_it_at_once_close_it_once()
    {
        var ada = await site.SignedInAsync("ada");
        var (_, id) = await OpenAsync(ada, "Oncea");
        var closed = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.DoAsync("/api/pipeline/close", new { ids = new[] { id }, won = true, worth = 10 })));
        Assert.Equal(1, closed.Sum(c => c.GetProperty("count").GetInt32()));
        await using var db = site.Db();
        Assert.Equal(1, await db.OpportunityMoves.CountAsync(m => m.OpportunityId == Guid.Parse(id) && m.Status == "won"));
    }

    [Fact]
    public async Task Lost_ones_are_found_by_stage_reason_and_time_and_what_came_of_them_is_counted()
    {
        var ada = await site.SignedInAsync("ada");
        var ((_, fees), (again, timing)) = (await OpenAsync(ada, "Lostfees"), await OpenAsync(ada, "Lostagain", "Planning/Client"));
        await ada.DoAsync("/api/pipeline/close", new { ids = new[] { fees }, won = false, reason = "too dear for them" });
        await ada.DoAsync("/api/pipeline/close", new { ids = new[] { timing }, won = false, reason = "not this year" });
        async Task<(List<string> Rows, JsonElement All)> LostAsync(string query)
        {
            var lost = await ada.GetAsync($"/api/pipeline/lost?{query}");
            return ([.. lost.GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("opportunityId").GetString()!)], lost);
        }

        Assert.Equal([fees], (await LostAsync("reason=TOO dear for them")).Rows);
        Assert.Equal([timing], (await LostAsync("reason=not this year&stage=Planning/Client")).Rows);
        Assert.Empty((await LostAsync("reason=not this year&stage=Planning/Inquiry")).Rows);
        Assert.Empty((await LostAsync("reason=not this year&before=2027-03-01")).Rows);
        Assert.Equal([timing], (await LostAsync("reason=not this year&before=2027-03-02")).Rows);
        Assert.Empty((await LostAsync("reason=not this year&place=Nowhere")).Rows);
        Assert.Contains("is no date", (await ada.RefusedAsync("/api/pipeline/lost?before=soon", null, "", HttpMethod.Get)).Message, StringComparison.Ordinal);

        // Taken up again, and won.
        await ada.DoAsync($"/api/people/{again}/opportunities", new { title = "Once more", stage = "Planning/Inquiry" });
        var second = (await ada.GetAsync($"/api/people/{again}/dealings")).GetProperty("opportunities").EnumerateArray().Single(o => o.GetProperty("status").GetString() == "open").GetProperty("id").GetString()!;
        await ada.DoAsync("/api/pipeline/close", new { ids = new[] { second }, won = true, worth = 1234.56m });
        var (rows, all) = await LostAsync("reason=not this year");
        Assert.Empty(rows);
        Assert.Equal((1, 1, 1234.56m), (all.GetProperty("openedAgain").GetInt32(), all.GetProperty("wonAgain").GetInt32(), all.GetProperty("brought").GetDecimal()));
        Assert.Equal("won", Assert.Single(all.GetProperty("came").EnumerateArray()).GetProperty("again").GetString());

        var stranger = await site.SignedInAsync("ada2");
        Assert.DoesNotContain((await stranger.GetAsync("/api/pipeline/lost")).GetProperty("rows").EnumerateArray(), r => r.GetProperty("opportunityId").GetString() == fees);
    }
}
