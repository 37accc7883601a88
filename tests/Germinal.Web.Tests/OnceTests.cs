using System.Net;
using Germinal.Channels;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Once is once: each of these ten times at the same moment is one event.</summary>
public sealed class OnceTests(Site site) : IClassFixture<Site>
{
    private static async Task<List<HttpStatusCode>> TenAsync(Member member, string path, object? body = null) =>
        [.. (await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => Task.Run(() => member.PostAsync(path, body))))).Select(a => a.StatusCode)];

    private async Task<int> EventsAsync(Guid person, params string[] kinds)
    {
        await using var db = site.Db();
        return await db.Events.CountAsync(e => e.PersonId == person && kinds.Contains(e.Kind));
    }

    private static async Task<Guid> PersonAsync(Member ada, string name) => (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = name,
                    lastName = "Once",
                    email = $"{name.ToLowerInvariant()}.once@example.com",
                }
            )
        ).GetProperty("id").GetGuid();

    private async Task<(Guid Person, Guid Touch)> CalledAsync(Member ada, string name, string offset = "P0D")
    {
        var person = await PersonAsync(ada, name);
        var program = (await ada.DoAsync("/api/programs", new { name = $"Calls {name}" })).GetProperty("id").GetString();
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{program}")).GetProperty("draft").GetRawText())!;
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse(
            $$"""[{"id":"c","kind":"{{(offset == "P0D" ? "task" : "email")}}","when":{"from":"start","offset":"{{offset}}"},"title":"x","subject":"s","body":"b"}]"""
        );
        foreach (var extra in offset == "P0D" ? new[] { "subject", "body" } : ["title"])
        {
            draft["steps"]![0]!.AsObject().Remove(extra);
        }

        await ada.DoAsync($"/api/programs/{program}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        await ada.DoAsync($"/api/programs/{program}/switch-on", new { draftNumber = 2, alsoThese = false });
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        await using var db = site.Db();
        return (person, await db.Touches.Where(t => t.PersonId == person).Select(t => t.Id).SingleAsync());
    }

    [Fact]
    public async Task Done_and_undone()
    {
        var ada = await site.SignedInAsync("ada");
        var (person, touch) = await CalledAsync(ada, "Done");
        Assert.All(await TenAsync(ada, $"/api/touches/{touch}/done", new { outcome = "done" }), s => Assert.Equal(HttpStatusCode.NoContent, s));
        Assert.Equal(1, await EventsAsync(person, EventKinds.TaskEnded));
        await using (var db = site.Db())
        {
            Assert.Equal(TouchStatus.Done, (await db.Touches.SingleAsync(t => t.Id == touch)).Status);
        }

        Assert.All(await TenAsync(ada, $"/api/touches/{touch}/undo"), s => Assert.Equal(HttpStatusCode.NoContent, s));
        Assert.Equal(1, await EventsAsync(person, EventKinds.TaskReopened));
        await ada.DoAsync($"/api/touches/{touch}/done", new { outcome = "done", remark = "at last" });
        await site.WorkAsync();
        await using var after = site.Db();
        var row = await after.Touches.SingleAsync(t => t.Id == touch);
        Assert.Equal((TouchStatus.Done, "at last"), (row.Status, row.Remark));
        Assert.Equal(2, await EventsAsync(person, EventKinds.TaskEnded));
    }

    [Fact]
    public async Task Dropped()
    {
        var ada = await site.SignedInAsync("ada");
        var (person, touch) = await CalledAsync(ada, "Dropped", "P3D");
        var answers = await TenAsync(ada, $"/api/touches/{touch}/drop?person={person}");
        Assert.Equal(1, answers.Count(s => s == HttpStatusCode.OK));
        Assert.Equal(9, answers.Count(s => s == HttpStatusCode.NoContent));
        Assert.Equal(1, await EventsAsync(person, EventKinds.TouchMarked));
    }

    [Theory]
    [InlineData(true, EventKinds.Won), InlineData(false, EventKinds.Lost)]
    public async Task Won_and_lost(bool won, string kind)
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, kind);
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = "Plan", stage = "Planning/Inquiry" });
        var id = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0].GetProperty("id").GetString();
        var answers = await TenAsync(ada, $"/api/opportunities/{id}/close", new { won, reason = "fees" });
        Assert.Equal(1, answers.Count(a => a == HttpStatusCode.NoContent));
        Assert.DoesNotContain(answers, a => (int)a >= 500);
        Assert.Equal(1, await EventsAsync(person, kind));
    }

    [Fact]
    public async Task Cancelled_answered_and_a_task_finished()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Several");
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "review", at = "2027-05-04T10:00" });
        await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = "asked" });
        await ada.DoAsync(
            $"/api/people/{person}/tasks",
            new
            {
                kind = "task",
                title = "send it",
                due = "2027-05-04",
            }
        );
        var dealings = await ada.GetAsync($"/api/people/{person}/dealings");
        string IdOf(string what) => dealings.GetProperty(what)[0].GetProperty("id").GetString()!;
        var remarks = await EventsAsync(person, EventKinds.Remark);
        foreach (
            // What was ticked off without a network may be sent twice: the same once more is fine, and changes nothing.
            var (path, body, fine) in new[]
            {
                ($"/api/appointments/{IdOf("appointments")}/cancel", (object?)null, 1),
                ($"/api/people/{person}/inquiries/answered", null, 1),
                ($"/api/tasks/{IdOf("tasks")}/done", new { outcome = "done" }, 10),
            }
        )
        {
            Assert.Equal(fine, (await TenAsync(ada, path, body)).Count(a => a == HttpStatusCode.NoContent));
        }

        Assert.Equal(
            (1, 1, remarks + 1),
            (
                await EventsAsync(person, EventKinds.AppointmentCancelled),
                await EventsAsync(person, EventKinds.InquiryAnswered),
                await EventsAsync(person, EventKinds.Remark)
            )
        );
    }

    [Fact]
    public async Task Contact_dates_switching_on_and_merging_at_one_moment_are_conflicts_never_mistakes_of_ours()
    {
        var ada = await site.SignedInAsync("ada");
        var (kept, other) = (await PersonAsync(ada, "Kept"), await PersonAsync(ada, "Other"));
        var program = (await ada.DoAsync("/api/programs", new { name = "At once" })).GetProperty("id").GetString();
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{program}")).GetProperty("draft").GetRawText())!;
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse("""[{"id":"c","kind":"task","when":{"from":"start","offset":"P0D"},"title":"x"}]""");
        await ada.DoAsync($"/api/programs/{program}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        async Task AllAsync(Func<int, Task<HttpResponseMessage>> call, int atMost)
        {
            var answers = (await Task.WhenAll(Enumerable.Range(0, 10).Select(i => Task.Run(() => call(i))))).Select(a => a.StatusCode).ToList();
            Assert.All(answers, a => Assert.True(a is HttpStatusCode.OK or HttpStatusCode.NoContent or HttpStatusCode.Conflict, $"{(int)a}"));
            Assert.InRange(answers.Count(a => a != HttpStatusCode.Conflict), 1, atMost);
        }

        await AllAsync(_ => ada.PostAsync($"/api/people/{kept}/contact", new { doNotContact = true, reason = "x" }), 10);
        await AllAsync(
            i =>
                ada.SendAsync(
                    HttpMethod.Patch,
                    $"/api/people/{other}",
                    new { edition = 1, fields = new { dates = new Dictionary<string, string> { ["review"] = $"2027-05-{i + 10}" } } }
                ),
            1
        );
        await AllAsync(_ => ada.PostAsync($"/api/programs/{program}/switch-on", new { draftNumber = 2, alsoThese = false }), 10);
        await AllAsync(_ => ada.PostAsync($"/api/people/{kept}/merge", new { other }), 1);
        await using var db = site.Db();
        Assert.Equal(1, await db.Merges.CountAsync(m => m.KeptId == kept));
    }

    [Fact]
    public async Task A_confirmation_works_once_for_seven_days_and_never_over_a_later_no()
    {
        var ada = await site.SignedInAsync("ada");
        var nobody = await site.NobodyAsync();
        var links = site.Services.GetRequiredService<PublicLinks>();
        async Task<(Guid Person, string Path)> AskedAsync(string name, Duration ago)
        {
            var (person, touch) = await CalledAsync(ada, name, "P3D");
            await using var db = site.Db();
            db.Messages.Add(
                new MessageRow
                {
                    TouchId = touch,
                    PracticeId = site.Practice,
                    PersonId = person,
                    MessageId = $"{touch:N}@example.com",
                    ToAddress = "x@example.com",
                    FromName = "Ada",
                    FromAddress = "ada@example.com",
                    Subject = "s",
                    Html = "",
                    Text = "",
                    SentAt = Site.Now - ago,
                }
            );
            await db.SaveChangesAsync();
            return (person, new Uri(links.Confirmation(touch)).AbsolutePath);
        }

        var (fresh, path) = await AskedAsync("Fresh", Duration.FromDays(1));
        Assert.Contains("Was it you", await nobody.Http.GetStringAsync(path), StringComparison.Ordinal);
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => Task.Run(() => nobody.Http.PostAsync(path, null))));
        await using var ledger = site.Db();
        Assert.Equal(1, await ledger.Consent.CountAsync(c => c.PersonId == fresh && c.IsIn));
        Assert.Equal(HttpStatusCode.Gone, (await nobody.Http.PostAsync(path, null)).StatusCode);

        var (_, old) = await AskedAsync("Old", Duration.FromDays(8));
        Assert.Equal(HttpStatusCode.Gone, (await nobody.Http.PostAsync(old, null)).StatusCode);

        var (left, late) = await AskedAsync("Left", Duration.FromDays(1));
        await ada.DoAsync(
            $"/api/people/{left}/consent",
            new
            {
                channel = "email",
                @in = false,
                reason = "told me",
            }
        );
        Assert.Equal(HttpStatusCode.Gone, (await nobody.Http.PostAsync(late, null)).StatusCode);
        Assert.Equal(0, await ledger.Consent.CountAsync(c => c.PersonId == left && c.IsIn));
    }
}
