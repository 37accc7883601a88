using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>A task stands in the thread where it was done, however long it had been on the sheet.</summary>
public sealed class ThreadTimeTests(Site site) : IClassFixture<Site>
{
    [Fact]
    public async Task A_call_that_was_made_stands_where_it_was_made()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Late", lastName = "Called", mobile = "(207) 555-0188" })).GetProperty("id").GetGuid();
        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "A task at once",
            """[{"id":"c","kind":"task","when":{"from":"start","offset":"P0D"},"title":"x"}]""",
            "{}"
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        await using var db = site.Db();
        var id = await db.Touches.Where(t => t.PersonId == person).Select(t => t.Id).SingleAsync();
        await ada.DoAsync($"/api/touches/{id}/done", new { outcome = "done" });
        var done = await db.Touches.AsNoTracking().SingleAsync(t => t.Id == id);

        // It had stood on the sheet for three days.
        var put = done.SettledAt!.Value - Duration.FromDays(3);
        await db.Touches.Where(t => t.Id == id).ExecuteUpdateAsync(u => u.SetProperty(t => t.SettledAt, put));
        var line = (await ada.GetAsync($"/api/people/{person}/thread"))
            .GetProperty("past")
            .EnumerateArray()
            .Single(l => l.GetProperty("kind").GetString() == "task");
        Assert.Equal(done.ClosedAt, NodaTime.Text.InstantPattern.ExtendedIso.Parse(line.GetProperty("at").GetString()!).Value);
    }
}
