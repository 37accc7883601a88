using System.IO.Compression;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Service.Whole;
using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The demo practice, two years of it, and the archive it was taken out as. Made once for the tests below.</summary>
public sealed class DemoArchive : IAsyncLifetime
{
    public TestDatabase Demo { get; } = TestDatabase.OfDemo();

    public string File { get; } = Path.GetTempFileName();

    public Guid Practice { get; private set; }

    public async Task InitializeAsync()
    {
        await using (var all = Demo.CreateDbContext())
        {
            await all.Database.MigrateAsync();
            Practice = await all.Practices.Select(p => p.Id).SingleAsync();
            await all.Users.ExecuteUpdateAsync(u => u.SetProperty(m => m.PasswordHash, m => "a hash of " + m.Name));
        }

        await using var db = Demo.For(Practice);
        await using var output = System.IO.File.Create(File);
        await ArchiveOut.WriteAsync(db, output, default);
    }

    public Task DisposeAsync()
    {
        Demo.Dispose();
        System.IO.File.Delete(File);
        return Task.CompletedTask;
    }
}

/// <summary>A whole practice taken out as one archive, brought into an empty installation, and let go.</summary>
public sealed class WholePracticeTests(DemoArchive whole) : IClassFixture<DemoArchive>
{
    private readonly TestDatabase demo = whole.Demo;
    private readonly Guid practice = whole.Practice;

    private async Task<Guid> BringInAsync(TestDatabase database, bool goesOn, string? from = null)
    {
        await using var own = demo.CreateDbContext();
        var clock = await own.Clock.AsNoTracking().SingleAsync();
        await using var db = database.CreateDbContext();
        db.Clock.Add(clock);
        await db.SaveChangesAsync();
        await using var transaction = await db.Database.BeginTransactionAsync();
        await using var input = File.OpenRead(from ?? whole.File);
        var brought = await ArchiveIn.ReadAsync(db, input, goesOn, default);
        await transaction.CommitAsync();
        return brought;
    }

    /// <summary>How many rows each table has, and a mark of all that stands in them.</summary>
    private static async Task<Dictionary<string, string>> MarksAsync(TestDatabase database, Guid practice)
    {
        await using var db = database.For(practice);
        await db.Database.OpenConnectionAsync();
        await db.Database.ExecuteSqlAsync($"SET TimeZone = 'UTC'");
        var marks = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var table in PracticeTables.Of(db.Model))
        {
            // What is told to be new by a change of the practice, and its settings, which lose their secrets, are looked at apart.
            var columns = table.Columns.Concat(table.Files).Where(c => !table.Left.ContainsKey(c) && !(table.Owner == "id" && c is "edition" or "settings"));
            var row = $"ROW({string.Join(", ", columns.Select(PracticeTable.Quoted))})::text";
            var sql = $"SELECT count(*)::text || ' ' || coalesce(md5(string_agg(md5({row}), '' ORDER BY md5({row}))), '') AS \"Value\" FROM {table.Sql} WHERE {PracticeTable.Quoted(table.Owner)} = '{practice}'";
            marks[table.Name] = await db.Database.SqlQueryRaw<string>(sql).SingleAsync();
        }

        return marks;
    }

    /// <summary>What programs that are on will do with some of their people.</summary>
    private static async Task<List<string>> RehearsedAsync(TestDatabase database, Guid practice)
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        await using var db = database.For(practice);
        var now = await PracticeClock.NowAsync(db);
        var said = new List<string>();
        var people = await db.People.Where(p => !p.Archived).OrderBy(p => p.Id).Select(p => p.Id).ToListAsync();
        foreach (var program in await db.Programs.AsNoTracking().Where(p => p.Status == "on").OrderBy(p => p.Id).Take(4).ToListAsync())
        {
            foreach (var person in people.Where((_, i) => i % 40 == 0))
            {
                var line = await new ProgramRehearsal(world.Programs, world.Letters).OfOneAsync(db, program.Id, ShelfReading.Definition(program.Draft), person, now, now + Duration.FromDays(200), default);
                said.AddRange((line ?? []).Select(t => $"{program.Name} {person} {t.Touch.Step.Id} {t.Touch.Due} {t.Touch.Outcome} {t.Touch.SettledAt}"));
            }
        }

        return said;
    }

    [Fact]
    public async Task Brought_into_an_empty_installation_it_is_the_same_row_by_row_and_rehearses_the_same()
    {
        using var other = new TestDatabase();
        Assert.Equal(practice, await BringInAsync(other, goesOn: true));

        var (before, after) = (await MarksAsync(demo, practice), await MarksAsync(other, practice));
        Assert.True(before.Count > 40, $"{before.Count} tables");
        Assert.True(before["messages"].Split(' ')[0].Length > 4, before["messages"]);
        foreach (var (table, mark) in before)
        {
            Assert.True(mark == after[table], $"{table}: {mark} and {after[table]}");
        }

        var rehearsed = await RehearsedAsync(demo, practice);
        Assert.True(rehearsed.Count > 100, $"{rehearsed.Count} touches");
        Assert.Equal(rehearsed, await RehearsedAsync(other, practice));

        // What counts up goes on behind what came.
        await using var db = other.For(practice);
        var last = await db.Consent.IgnoreQueryFilters().MaxAsync(c => c.Id);
        Assert.Equal(last + 1, await db.NextConsentIdAsync(default));
        await using var own = demo.For(practice);
        var (was, now) = (await own.Practices.SingleAsync(p => p.Id == practice), await db.Practices.SingleAsync(p => p.Id == practice));
        Assert.Equal((was.Name, was.ZoneId, was.Settings.Pipelines.Count), (now.Name, now.ZoneId, now.Settings.Pipelines.Count));

        // A practice is there now: no second one is put over it.
        await using var transaction = await db.Database.BeginTransactionAsync();
        await using var again = File.OpenRead(whole.File);
        Assert.Contains("has no practice yet", (await Assert.ThrowsAsync<ArchiveException>(() => ArchiveIn.ReadAsync(db, again, true, default))).Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task It_can_be_read_without_Germinal_holds_no_secret_and_what_was_changed_in_it_is_refused()
    {
        await using (var zip = await ZipFile.OpenReadAsync(whole.File))
        {
            await using var db = demo.For(practice);
            string Text(string name)
            {
                using var reader = new StreamReader(zip.GetEntry(name)!.Open());
                return reader.ReadToEnd();
            }

            Assert.Equal(await db.People.CountAsync(), Text("people.vcf").Split("BEGIN:VCARD").Length - 1);
            Assert.Equal(await db.Messages.CountAsync(), zip.Entries.Count(e => e.FullName.StartsWith("letters/", StringComparison.Ordinal)));
            Assert.Equal(await db.Programs.CountAsync(), zip.Entries.Count(e => e.FullName.StartsWith("programs/", StringComparison.Ordinal)));
            using (var mail = zip.Entries.First(e => e.FullName.EndsWith(".eml", StringComparison.Ordinal)).Open())
            {
                Assert.NotNull((await MimeMessage.LoadAsync(mail)).TextBody);
            }

            var image = await db.Images.FirstAsync();
            using (var content = new MemoryStream())
            {
                using var packed = zip.GetEntry($"files/images/{image.Id}/content")!.Open();
                await packed.CopyToAsync(content);
                Assert.Equal(image.Content, content.ToArray());
            }

            var members = Text("tables/AspNetUsers.csv");
            foreach (var member in await db.Users.ToListAsync())
            {
                Assert.Contains(member.Email!, members, StringComparison.Ordinal);
                Assert.DoesNotContain(member.PasswordHash ?? "a hash", members, StringComparison.Ordinal);
                Assert.DoesNotContain(member.SecurityStamp!, members, StringComparison.Ordinal);
            }
        }

        await RefusedAsync("archive.json", text => text.Replace("germinal-practice-archive", "something-else", StringComparison.Ordinal), "no archive that Germinal wrote");
        await RefusedAsync("archive.json", text => { var head = JsonNode.Parse(text)!; head["schema"] = "29990101000000_Later"; return head.ToJsonString(); }, "newer Germinal");
        await RefusedAsync("archive.json", text => { var head = JsonNode.Parse(text)!; head["tables"]!["tags"] = 4711; return head.ToJsonString(); }, "tags has 4711 rows");
        await RefusedAsync("archive.json", _ => "{ \"format\": 12", "no archive that Germinal wrote");
        await RefusedAsync("tables/tags.csv", text => text.Replace("practice_id", "practice_id\"; DROP TABLE people; --", StringComparison.Ordinal), "does not know");
        await RefusedAsync("tables/events.csv", text => text.Replace("20", "nothing", StringComparison.Ordinal), "does not fit");

        await RefusedAsync(f => File.WriteAllText(f, "no ZIP at all"), "no archive");
    }

    private Task RefusedAsync(string entry, Func<string, string> change, string words) =>
        RefusedAsync(
            file =>
            {
                using var zip = ZipFile.Open(file, ZipArchiveMode.Update);
                string text;
                using (var reader = new StreamReader(zip.GetEntry(entry)!.Open()))
                {
                    text = reader.ReadToEnd();
                }

                zip.GetEntry(entry)!.Delete();
                using var writer = new StreamWriter(zip.CreateEntry(entry).Open(), new UTF8Encoding(false));
                writer.Write(change(text));
            },
            words
        );

    private async Task RefusedAsync(Action<string> change, string words)
    {
        var file = Path.GetTempFileName();
        try
        {
            File.Copy(whole.File, file, overwrite: true);
            change(file);
            using var empty = new TestDatabase();
            var refused = await Assert.ThrowsAsync<ArchiveException>(() => BringInAsync(empty, true, file));
            Assert.Contains(words, refused.Message, StringComparison.Ordinal);
            await using var db = empty.CreateDbContext();
            Assert.False(await db.Practices.AnyAsync());
        }
        finally
        {
            File.Delete(file);
        }
    }

    [Fact]
    public async Task Unless_it_is_to_go_on_nothing_goes_out_of_it_by_itself()
    {
        using var other = new TestDatabase();
        await BringInAsync(other, goesOn: false);
        await using var db = other.For(practice);
        Assert.NotEqual(0, await db.Programs.CountAsync(p => p.Status == "paused"));
        Assert.Equal(0, await db.ProgramsAndBroadcasts.CountAsync(p => p.Status == "on"));
        Assert.Equal(0, await db.Broadcasts.CountAsync(b => b.Status == "waiting" || b.Status == "going"));
    }

    [Fact]
    public async Task A_practice_that_is_to_go_stays_a_week_can_be_kept_and_then_goes_from_every_table()
    {
        using var here = new TestDatabase();
        await BringInAsync(here, goesOn: true);
        var (other, _, _) = await here.PracticeAsync(default, "9");
        await using var db = here.For(practice);
        var links = new Channels.PublicLinks(new byte[48], "https://germinal.example.com/");
        await db.Users.ExecuteUpdateAsync(u => u.SetProperty(m => m.PasswordHash, "a hash"));
        var principal = await db.Users.FirstAsync(u => u.PracticeId == practice && u.Role == "principal");
        var before = SystemClock.Instance.GetCurrentInstant();
        Instant ends;
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            ends = await PracticeEnd.AskAsync(db, new Members.MemberMails(links), principal, default);
            await transaction.CommitAsync();
        }

        Assert.InRange(ends, before + Duration.FromDays(7), before + Duration.FromDays(7) + Duration.FromMinutes(5));
        Assert.Contains(await db.OwnMails.Where(m => m.ToAddress == principal.Email).ToListAsync(), m => m.Subject.EndsWith("goes in a week", StringComparison.Ordinal));

        // Said again it is the same moment; kept, it stays however much time goes by.
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            Assert.Equal(ends, await PracticeEnd.AskAsync(db, new Members.MemberMails(links), principal, default));
            await transaction.CommitAsync();
        }

        Assert.True(await PracticeEnd.KeepAsync(db, default));
        Assert.False(await PracticeEnd.KeepAsync(db, default));
        Assert.Empty(await PracticeEnd.LetGoAsync(here, ends + Duration.FromDays(400), default));
        db.ChangeTracker.Clear();
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            ends = await PracticeEnd.AskAsync(db, new Members.MemberMails(links), principal, default);
            await transaction.CommitAsync();
        }

        Assert.Empty(await PracticeEnd.LetGoAsync(here, ends - Duration.FromSeconds(1), default));
        var gone = await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => PracticeEnd.LetGoAsync(here, ends, default)));
        Assert.Equal([practice], gone.SelectMany(g => g));
        Assert.All(await MarksAsync(here, practice), t => Assert.StartsWith("0 ", t.Value, StringComparison.Ordinal));
        Assert.Equal(0, await db.Users.CountAsync(u => u.PracticeId == practice));
        Assert.Equal(3, await db.Users.CountAsync(u => u.PracticeId == other));
    }
}
