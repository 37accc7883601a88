using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Proof;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>The proof, live: what waits to be read, and what goes in words of its own.</summary>
public sealed class ProofLiveTests
{
    private const string Letter = """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"For {{ person.first_name }}","body":"<p>Dear {{ person.first_name }}, the usual.</p>"}""";
    private const string Text = """{"id":"b","kind":"text","when":{"from":"previous","offset":"P0D"},"body":"{{ person.first_name }}: the usual","purpose":"transactional"}""";

    private static async Task<(PersonRow Ida, PersonRow Mona, Guid Program)> BegunAsync(World world, string more, string steps)
    {
        var (ida, mona) = (await world.PersonAsync("Ida", p => p.Mobile = "+12075550101"), await world.PersonAsync("Mona", p => p.Mobile = "+12075550102"));
        var program = await world.ProgramAsync("Read first", "\"startsWhen\":[{\"kind\":\"by-hand\"}]" + more, steps);
        await world.DoAsync(desk => desk.StartProgramAsync([ida.Id, mona.Id], program, false, default));
        await world.WorkAsync();
        return (ida, mona, program);
    }

    private static async Task<Guid> TouchAsync(World world, PersonRow person)
    {
        await using var db = world.Db();
        return (await db.Touches.SingleAsync(t => t.PersonId == person.Id && t.Status == TouchStatus.Planned)).Id;
    }

    [Fact]
    public async Task Nothing_of_a_program_that_waits_goes_before_it_was_read_and_then_only_that()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (ida, mona, _) = await BegunAsync(world, ",\"unread\":\"waits\"", Letter);
        Assert.Empty(world.Mail.Sent);
        var touch = await TouchAsync(world, ida);
        await world.DoAsync(d => d.RecordAsync(ida.Id, new TouchMarked(d.Now, touch, TouchMark.Read), default));
        await world.WorkAsync();
        Assert.Equal("For Ida", Assert.Single(world.Mail.Sent).Subject);
        Assert.NotEqual(Guid.Empty, await TouchAsync(world, mona));
    }

    [Fact]
    public async Task One_message_goes_in_words_of_its_own_and_the_others_in_their_program_s()
    {
        await using var world = await World.AtAsync("2027-03-01T07:00");
        var (ida, mona, _) = await BegunAsync(world, ",\"at\":\"10:00\",\"window\":{\"from\":\"10:00\",\"to\":\"17:00\",\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"]}", $"{Letter},{Text}");
        Assert.Empty(world.Mail.Sent);
        var touch = await TouchAsync(world, ida);
        await using (var db = world.Db())
        {
            await OwnWordsDesk.SetAsync(db, new People.PeopleDesk(db, "Ada Quill", World.At("2027-03-01T07:05")), ida.Id, touch, new OwnWords("Only {{ person.first_name }}", "<p>Come by, {{ person.first_name }}.</p>"), "Ada Quill", default);
            await db.SaveChangesAsync();
        }

        await world.MoveToAsync("2027-03-01T10:05");
        await world.WorkAsync();
        var (toIda, toMona) = (world.Mail.Sent.Single(m => m.Subject == "Only Ida"), world.Mail.Sent.Single(m => m.Subject == "For Mona"));
        Assert.Contains("Come by, Ida.", toIda.HtmlBody, StringComparison.Ordinal);
        Assert.DoesNotContain("the usual", toIda.HtmlBody, StringComparison.Ordinal);
        Assert.Contains("Dear Mona, the usual.", toMona.HtmlBody, StringComparison.Ordinal);
        Assert.Equal(["Ida: the usual", "Mona: the usual"], world.Texts.Sent.Select(t => t.Body).Order(StringComparer.Ordinal));

        // What was written for one goes with the message that had it.
        await using var after = world.Db();
        await Service.Engine.EventRetention.ForgetAsync(after, World.At("2027-03-02T10:00"), default);
        Assert.Empty(await after.OwnWords.ToListAsync());
    }
}
