using Germinal.Channels.Letters;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.Programs;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>What checking a program says of the practice around it: whom it looks at, tags nobody has, dates that are meetings too.</summary>
public sealed class CheckTests
{
    private const string Letter = """{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"s","body":"b"}""";

    private static async Task<(Audience Audience, string[] Findings)> CheckAsync(World world, string more, string steps = Letter)
    {
        var id = await world.ProgramAsync($"P{Guid.NewGuid():N}", more, steps);
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        return (
            await world.Programs.AudienceAsync(db, id, program, await world.NowAsync(), default),
            [.. (await world.Programs.FindingsAsync(db, id, program, default)).Select(f => f.Message)]
        );
    }

    [Fact]
    public async Task It_looks_at_those_the_program_can_start_for()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Tagged", p => p.Tags = ["warm"], consent: false);
        await world.PersonAsync("Listed", p => p.Lists = ["news"]);
        await world.PersonAsync("Away", p => (p.Tags, p.DoNotContact) = (["warm"], true));
        await world.PersonAsync("Else", p => p.Email = null);
        await world.PersonAsync("Born", birthday: "1980-05-05");
        var (tagged, _) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]");
        Assert.Equal((1, false, 1), (tagged.LookedAt, tagged.Anybody, tagged.Findings.Count));
        var (listed, _) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"list-joined\",\"list\":\"news\"}]");
        Assert.Equal((1, false, 0), (listed.LookedAt, listed.Anybody, listed.Findings.Count));
        var (born, _) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]");
        Assert.Equal((1, false), (born.LookedAt, born.Anybody));

        // Nobody has what starts it yet: everybody it could start for, and it is said.
        var (anybody, _) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"opportunity-won\"}]");
        Assert.Equal((4, true), (anybody.LookedAt, anybody.Anybody));
    }

    [Fact]
    public async Task It_says_each_lack_once_and_what_each_use_of_a_channel_lacks()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", p => p.Tags = ["warm"], consent: false);
        var second = """{"id":"b","kind":"email","when":{"from":"start","offset":"P2D"},"subject":"s","body":"b","purpose":"transactional"}""";
        var third = """{"id":"c","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"s","body":"b","topic":"news"}""";

        // The first letter is about their own dealings and needs no yes; the others do, and that is one line.
        var (audience, _) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]", $"{second},{Letter},{third}");
        Assert.Equal(["Nobody has recorded that they may be emailed"], audience.Findings.Select(f => f.Text));
    }

    [Fact]
    public async Task A_tag_nobody_has_and_no_program_puts_on_is_named_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", p => p.Tags = ["warm"]);
        var (_, known) = await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"WARM\"}]");
        Assert.DoesNotContain(known, f => f.Contains("tag", StringComparison.Ordinal));
        const string Asks = "\"startsWhen\":[{\"kind\":\"by-hand\"}],\"onlyIf\":{\"not\":{\"field\":\"tags\",\"op\":\"has\",\"value\":\"wram\"}}";
        var (_, unknown) = await CheckAsync(world, Asks);
        Assert.Equal("Nobody has the tag “wram” and no program puts it on. Is it spelled as you use it?", Assert.Single(unknown));
        await world.ProgramAsync("Puts it on", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", """{"id":"t","kind":"change","set":{"tag":"wram"}}""");
        Assert.Empty((await CheckAsync(world, Asks)).Findings);
    }

    [Fact]
    public async Task A_date_that_is_a_kind_of_meeting_too_says_which_is_meant()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using (var db = world.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == world.Practice);
            practice.Settings.AppointmentTypes = ["yearly review"];
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }

        const string ByDate = "\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"Yearly review\",\"offset\":\"-P7D\"}]";
        Assert.Contains("choose “has an appointment”", Assert.Single((await CheckAsync(world, ByDate)).Findings), StringComparison.Ordinal);

        // A program that is there to make the appointment starts by the date for good reason.
        Assert.Empty((await CheckAsync(world, ByDate + ",\"stopsWhen\":[{\"kind\":\"appointment-booked\",\"type\":\"yearly review\"}]")).Findings);
        Assert.Empty((await CheckAsync(world, "\"startsWhen\":[{\"kind\":\"appointment\",\"type\":\"yearly review\",\"offset\":\"-P7D\"}]")).Findings);
    }

    [Fact]
    public async Task The_preview_of_a_program_that_starts_by_a_meeting_has_one()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        const string More = "\"startsWhen\":[{\"kind\":\"appointment\",\"type\":\"yearly review\",\"offset\":\"-P7D\"}]";
        const string Steps =
            """{"id":"bring","kind":"email","when":{"from":"occasion","offset":"-P7D"},"subject":"s","body":"b"},{"id":"agreed","kind":"email","when":{"from":"occasion","offset":"P1D"},"subject":"s","body":"b"}""";
        var id = await world.ProgramAsync("Review", More, Steps);
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var preview = new ProgramPreview(world.Programs, new LetterDesk(new LiquidLetters(), new LetterWriter(new LiquidLetters(), world.Links)));
        var assumed = (await preview.OfAsync(db, id, program, ida.Id, 0, null, default))!;
        Assert.Equal("an appointment in three weeks", assumed.Assumed);
        Assert.Equal(["2027-03-15", "2027-03-23"], assumed.Touches.Select(t => t.At[..10]));
        db.Appointments.Add(
            new Store.Rows.AppointmentRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                PersonId = ida.Id,
                Type = "yearly review",
                At = World.At("2027-04-20T14:00"),
            }
        );
        await db.SaveChangesAsync();
        var theirs = (await preview.OfAsync(db, id, program, ida.Id, 0, null, default))!;
        Assert.Null(theirs.Assumed);
        Assert.Equal(["2027-04-13", "2027-04-21"], theirs.Touches.Select(t => t.At[..10]));
    }
}
