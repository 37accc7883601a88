using System.Net;
using System.Text.Json;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>What may be sent to whom, in numbers and names, and who is lost soon (rules 10.2 to 10.4).</summary>
public sealed class ConsentGlanceTests(Site site) : IClassFixture<Site>
{
    private async Task<Guid> PersonAsync(Member member, string first, string? email, params (string Channel, string? Topic, bool In, string Basis, int DaysAgo)[] said)
    {
        var id = (await member.DoAsync("/api/people", new { firstName = first, lastName = "Glance", anyway = true, email })).GetProperty("id").GetGuid();
        await using var db = site.Db();
        db.Consent.AddRange(
            said.Select(s => new ConsentRow
            {
                PracticeId = site.Practice,
                PersonId = id,
                Channel = s.Channel,
                Purpose = "commercial",
                Topic = s.Topic,
                IsIn = s.In,
                Basis = s.Basis,
                At = Site.Now - Duration.FromDays(s.DaysAgo),
                Source = "said so",
            })
        );
        await db.SaveChangesAsync();
        return id;
    }

    private static int[] Of(JsonElement glance, string channel, string subject)
    {
        var s = glance
            .GetProperty("channels")
            .EnumerateArray()
            .Single(c => c.GetProperty("channel").GetString() == channel)
            .GetProperty("subjects")
            .EnumerateArray()
            .Single(x => x.GetProperty("subject").GetString() == subject);
        return [.. new[] { "may", "unsaid", "no", "noWay", "notAtAll" }.Select(k => s.GetProperty(k).GetInt32())];
    }

    private static async Task<string[]> NamesAsync(Member member, string query) =>
        [.. (await member.GetAsync($"/api/consent/names?{query}")).EnumerateArray().Select(p => p.GetProperty("name").GetString()!)];

    [Fact]
    public async Task Everybody_stands_somewhere_and_what_runs_out_is_said_before()
    {
        var ada = await site.SignedInAsync("ada");
        await using (var db = site.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == site.Practice);
            practice.Settings.Topics.Add("news");
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }

        await PersonAsync(ada, "Yes", "yes.glance@example.com", ("email", null, true, "express", 900));
        await PersonAsync(ada, "Unsaid", "unsaid.glance@example.com");
        await PersonAsync(ada, "No", "no.glance@example.com", ("email", null, true, "express", 20), ("email", null, false, "express", 10));
        await PersonAsync(ada, "Topic", "topic.glance@example.com", ("email", null, true, "express", 20), ("email", "news", false, "express", 10));
        await PersonAsync(ada, "Nowhere", null, ("email", null, true, "express", 20));
        var bounced = await PersonAsync(ada, "Bounced", "bounced.glance@example.com", ("email", null, true, "express", 20));
        // An inquiry carries six months (S.C. 2010, c. 23, s. 10(10)): one ends in twelve days, one long ago, one is far from it.
        await PersonAsync(ada, "Ending", "ending.glance@example.com", ("email", null, true, "inquiry", 170));
        await PersonAsync(ada, "Ended", "ended.glance@example.com", ("email", null, true, "inquiry", 400));
        await PersonAsync(ada, "Fresh", "fresh.glance@example.com", ("email", null, true, "inquiry", 3));
        var left = await PersonAsync(ada, "Left", "left.glance@example.com", ("email", null, true, "express", 20));
        await ada.DoAsync($"/api/people/{left}/contact", new { doNotContact = true, reason = "asked" });
        await using (var db = site.Db())
        {
            db.Suppressions.Add(
                new SuppressionRow
                {
                    PracticeId = site.Practice,
                    Address = "bounced.glance@example.com",
                    Reason = "bounced",
                    At = Site.Now,
                }
            );
            await db.SaveChangesAsync();
        }

        Assert.NotEqual(Guid.Empty, bounced);
        var glance = await ada.GetAsync("/api/consent");
        Assert.Equal([4, 2, 1, 2, 1], Of(glance, "email", "commercial"));
        Assert.Equal([3, 2, 2, 2, 1], Of(glance, "email", "news"));
        Assert.Equal([7, 0, 0, 2, 1], Of(glance, "email", "transactional"));
        Assert.Equal(10, glance.GetProperty("people").GetInt32());
        var lost = Assert.Single(glance.GetProperty("lost").EnumerateArray());
        Assert.Equal(("Ending Glance", "inquiry"), (lost.GetProperty("person").GetProperty("name").GetString(), lost.GetProperty("basis").GetString()));

        Assert.Equal(["Ending Glance", "Fresh Glance", "Topic Glance", "Yes Glance"], await NamesAsync(ada, "channel=email&subject=commercial&stands=may"));
        Assert.Equal(["Bounced Glance", "Nowhere Glance"], await NamesAsync(ada, "channel=email&subject=news&stands=no-way"));
        Assert.Equal(["No Glance", "Topic Glance"], await NamesAsync(ada, "channel=email&subject=NEWS&stands=no"));
        Assert.Empty(await NamesAsync(ada, "channel=email&subject=nothing&stands=no"));
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.Http.GetAsync("/api/consent/names?channel=pigeon&subject=news&stands=no")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.Http.GetAsync("/api/consent/names?channel=email&subject=news&stands=7")).StatusCode);

        // Another practice sees none of them.
        var stranger = await site.SignedInAsync("ada2");
        Assert.Equal(0, (await stranger.GetAsync("/api/consent")).GetProperty("people").GetInt32());
    }
}
