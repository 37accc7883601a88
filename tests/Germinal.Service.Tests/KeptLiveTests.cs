using System.Text;
using Germinal.Core.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.Letters;
using Germinal.Service.Programs;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;

namespace Germinal.Service.Tests;

/// <summary>Offers, files and short links as they go out, and what steps have done.</summary>
public sealed class KeptLiveTests
{
    private const string Start = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"go\"}]";

    private static Task TagAsync(World world, params Guid[] people) => world.DoAsync(d => d.PutTagAsync(people, "go", default));

    private static async Task KeepAsync(World world, params object[] rows)
    {
        await using var db = world.Db();
        db.AddRange(rows);
        await db.SaveChangesAsync();
        await LettersChanged.AfterAsync(db, default);
    }

    private static KeptFileRow File(World world, string name, string words) =>
        new()
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            Name = name,
            ContentType = "text/plain",
            Bytes = words.Length,
            Content = Encoding.UTF8.GetBytes(words),
            By = "Ada",
        };

    [Fact]
    public async Task A_letter_carries_its_files_and_waits_for_one_that_is_not_kept()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        var ida = await world.PersonAsync("Ida");
        await KeepAsync(world, File(world, "Prices.txt", "all of them"));
        await world.ProgramAsync(
            "P",
            Start,
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"b","attachments":["prices.TXT"]},{"id":"b","kind":"email","when":{"from":"previous","offset":"P0D"},"subject":"t","body":"b","attachments":["Later.txt"]}"""
        );
        await TagAsync(world, ida.Id);
        await world.WorkAsync();
        var sent = Assert.Single(world.Mail.Sent);
        var file = Assert.IsType<MimePart>(Assert.Single(sent.Attachments), exactMatch: false);
        using var content = new MemoryStream();
        await file.Content!.DecodeToAsync(content);
        Assert.Equal(("Prices.txt", "all of them"), (file.FileName, Encoding.UTF8.GetString(content.ToArray())));
        var waits = (await world.TouchesAsync()).Single(t => t.StepId == "b");
        Assert.Equal(TouchStatus.Blocked, waits.Status);

        await KeepAsync(world, File(world, "Later.txt", "now it is here"));
        await world.WorkAsync();
        Assert.Equal("Later.txt", ((MimePart)Assert.Single(world.Mail.Sent.Last().Attachments)).FileName);
    }

    [Fact]
    public async Task A_text_leads_over_a_short_address_and_following_it_is_noticed_once()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        var ida = await world.PersonAsync("Ida");
        await using (var db = world.Db())
        {
            db.Consent.Add(
                new ConsentRow
                {
                    PracticeId = world.Practice,
                    PersonId = ida.Id,
                    Channel = "text",
                    Purpose = "commercial",
                    IsIn = true,
                    At = World.At("2026-01-01T09:00"),
                    Source = "said so",
                }
            );
            await db.SaveChangesAsync();
        }

        var program = await world.ProgramAsync(
            "P",
            Start,
            """{"id":"a","kind":"text","when":{"from":"start","offset":"P0D"},"body":"Book at https://example.com/a/very/long/way/to/book?with=much, {{ person.first_name }}."}"""
        );
        await TagAsync(world, ida.Id);
        await world.WorkAsync();
        var touch = (await world.TouchesAsync()).Single();
        var code = world.Links.ShortCode(touch.Id, 0);
        Assert.Equal($"Book at https://germinal.example.com/s/{code}, Ida.", Assert.Single(world.Texts.Sent).Body);

        await using (var db = world.Db())
        {
            var link = await db.ShortLinks.SingleAsync();
            Assert.Equal((code, touch.Id, 0), (link.Code, link.TouchId, link.Place));
        }

        await world.MoveToAsync("2027-03-01T10:00");
        var visits = new LinkVisits(world.Database);
        for (var i = 0; i < 3; i++)
        {
            Assert.Equal("https://example.com/a/very/long/way/to/book?with=much", await visits.FollowedAsync(touch.Id, 0, "a phone", false, default));
        }

        await using var after = world.Db();
        Assert.Equal(1, await after.Events.CountAsync(e => e.Kind == "link-followed"));
        var deed = Assert.Single(await StepDeeds.CountAsync(after, program, default));
        Assert.Equal(("a", 1, 1), (deed.StepId, deed.Reached, deed.Followed));
    }

    [Fact]
    public async Task What_steps_have_done_is_counted_as_one_would_by_hand()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        var people = new List<PersonRow>();
        for (var i = 0; i < 6; i++)
        {
            people.Add(await world.PersonAsync($"P{i}"));
        }

        var program = await world.ProgramAsync(
            "P",
            Start,
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"<p><a href='https://example.com/x'>x</a></p>"},{"id":"b","kind":"email","when":{"from":"previous","offset":"P7D"},"subject":"t","body":"b"}"""
        );
        await TagAsync(world, [.. people.Select(p => p.Id)]);
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-01T11:00");
        var touches = (await world.TouchesAsync()).Where(t => t.StepId == "a").OrderBy(t => t.PersonId).ToList();
        Assert.Equal(6, touches.Count);
        var visits = new LinkVisits(world.Database);
        await visits.OpenedAsync(touches[0].Id, "mail program", false, default);
        await visits.OpenedAsync(touches[1].Id, "a scanner bot", false, default);
        await visits.FollowedAsync(touches[2].Id, 0, "browser", false, default);
        await using var db = world.Db();
        db.Received.Add(
            new ReceivedRow
            {
                PracticeId = world.Practice,
                PersonId = touches[3].PersonId,
                Channel = "email",
                Kind = "reply",
                FromAddress = "x@example.com",
                TouchId = touches[3].Id,
                At = await world.NowAsync(),
                Key = "k",
            }
        );
        await db.SaveChangesAsync();

        // The machine is not counted; who follows a link has opened.
        Assert.Equal(
            [new StepDeed("a", 6, 2, 1, 1, 0), new StepDeed("b", 0, 0, 0, 0, 6)],
            await StepDeeds.CountAsync(db, program, default)
        );
        foreach (var (step, what, who) in new[] { ("a", "opened", new[] { 0, 2 }), ("a", "followed", [2]), ("a", "answered", [3]), ("b", "waiting", [0, 1, 2, 3, 4, 5]) })
        {
            var found = (await StepDeeds.WhoAsync(db, program, step, what, default))!;
            Assert.Equal(who.Select(i => touches[i].PersonId).Order(), found.People.Select(p => p.Person.Id).Order());
            Assert.Equal(who.Length, found.Count);
        }

        Assert.Null(await StepDeeds.WhoAsync(db, program, "a", "dreamt", default));
        Assert.Equal(6, (await StepDeeds.WhoAsync(db, program, "a", StepDeeds.Words[0], default))!.Count);
        // Another practice's program is nobody's here.
        db.PracticeId = Guid.NewGuid();
        Assert.Empty(await StepDeeds.CountAsync(db, program, default));
    }
}
