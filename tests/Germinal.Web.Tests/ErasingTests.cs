using System.IO.Compression;
using System.Text;
using Germinal.Core.Engine;
using Germinal.Service.Import;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Everything about a person goes out, and everything goes: held against the database itself, not against our list.</summary>
public sealed class ErasingTests(Site site) : IClassFixture<Site>
{
    private const string Name = "Zebulonia";
    private const string Address = "zebulonia@example.com";

    /// <summary>Every table of the database, as text, in which a word stands.</summary>
    private async Task<List<string>> TablesWithAsync(params string[] words)
    {
        await using var db = site.Database.CreateDbContext();
        var tables = await db
            .Database.SqlQuery<string>(
                $"SELECT table_name::text AS \"Value\" FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'"
            )
            .ToListAsync();
        var found = new List<string>();
        foreach (var table in tables)
        {
            foreach (var word in words)
            {
#pragma warning disable EF1002, CA2100 // Names from the catalogue.
                var any = await db
                    .Database.SqlQueryRaw<int>(
                        $"SELECT count(*)::int AS \"Value\" FROM \"{table}\" t WHERE t::text ILIKE {{0}} OR encode(convert_to(t::text, 'UTF8'), 'escape') ILIKE {{0}}",
                        $"%{word}%"
                    )
                    .SingleAsync();
#pragma warning restore EF1002, CA2100
                if (any > 0)
                {
                    found.Add($"{table}: {word}");
                }
            }
        }

        return found;
    }

    private async Task<Guid> LivedAsync(Member ada)
    {
        var csv = $"First name,Last name,Email,Notes\n{Name},Rowan,{Address},likes tea\nBo,Rowan,bo.erase@example.com,\n";
        var import = (await ada.DoAsync("/api/imports", Member.File(Encoding.UTF8.GetBytes(csv), "list.csv"))).GetProperty("id").GetString();
        await ada.DoAsync($"/api/imports/{import}/start");
        var runner = site.Services.GetService(typeof(ImportRunner)) as ImportRunner;
        while (await runner!.RunNextAsync(default)) { }

        await using var db = site.Db();
        var person = await db.People.Where(p => p.Email == Address).Select(p => p.Id).SingleAsync();
        var twin = (await ada.DoAsync("/api/people", new { firstName = Name, lastName = "Twin" })).GetProperty("id").GetGuid();
        await ada.DoAsync($"/api/people/{person}/merge", new { other = twin });
        await ada.DoAsync($"/api/people/{person}/remarks", new { text = $"{Name} rang" });
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = $"{Name} plan", stage = "Planning/Inquiry" });
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = $"{Name} review", at = "2027-05-04T10:00" });
        await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = $"{Name} asked" });
        await ada.DoAsync(
            $"/api/people/{person}/tasks",
            new
            {
                kind = "task",
                title = $"{Name} task",
                due = "2027-05-04",
            }
        );
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = $"{Name} said so",
            }
        );
        var received = new ReceivedRow
        {
            PracticeId = site.Practice,
            PersonId = person,
            Channel = "email",
            Kind = "reply",
            FromAddress = Address,
            Text = Name,
            At = Site.Now,
            Key = "k1",
        };
        db.Received.AddRange(
            received,
            new ReceivedRow
            {
                PracticeId = site.Practice,
                GuessId = person,
                Channel = "text",
                Kind = "reply",
                FromAddress = "+19995550111",
                Text = "who",
                At = Site.Now,
                Key = "k2",
            }
        );
        db.ReceivedFiles.Add(
            new ReceivedFileRow
            {
                PracticeId = site.Practice,
                Received = received,
                ContentType = "message/rfc822",
                Content = Encoding.UTF8.GetBytes(Name),
            }
        );
        db.Notices.Add(
            new NoticeRow
            {
                PracticeId = site.Practice,
                PersonId = person,
                Kind = "tell-me",
                Text = Name,
                At = Site.Now,
            }
        );
        var touch = Guid.NewGuid();
        var run = Guid.NewGuid();
        var program = Guid.NewGuid();
        db.Runs.Add(
            new RunRow
            {
                Id = run,
                PracticeId = site.Practice,
                PersonId = person,
                ProgramId = program,
                Version = 1,
                Number = 1,
                StartedAt = Site.Now,
                EndedAt = Site.Now,
                Cause = new(CauseKind.Hand, Name),
            }
        );
        db.Touches.Add(
            new TouchRow
            {
                Id = touch,
                PracticeId = site.Practice,
                PersonId = person,
                RunId = run,
                ProgramId = program,
                Version = 1,
                StepId = "a",
                Kind = "email",
                Status = TouchStatus.Sent,
                FirstDue = Site.Now,
                Due = Site.Now,
                SettledAt = Site.Now,
                Remark = Name,
            }
        );
        db.Messages.Add(
            new MessageRow
            {
                TouchId = touch,
                PracticeId = site.Practice,
                PersonId = person,
                MessageId = "m@example.com",
                ToAddress = Address,
                FromName = "Ada",
                FromAddress = "ada@example.com",
                Subject = Name,
                Html = Name,
                Text = Name,
                SentAt = Site.Now,
            }
        );
        db.Visits.Add(
            new VisitRow
            {
                PracticeId = site.Practice,
                PersonId = person,
                TouchId = touch,
                At = Site.Now,
                LastAt = Site.Now,
                Agent = Name,
            }
        );
        db.Refusals.Add(
            new RefusalRow
            {
                PracticeId = site.Practice,
                PersonId = person,
                ProgramId = program,
                At = Site.Now,
                Reason = "not-for",
                Cause = new(CauseKind.Hand, Name),
            }
        );
        await db.SaveChangesAsync();
        return person;
    }

    [Fact]
    public async Task Handing_out_holds_every_table_and_after_erasing_no_table_holds_the_person()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await LivedAsync(ada);
        await site.WorkAsync();

        using var zip = new ZipArchive(await ada.Http.GetStreamAsync($"/api/people/{person}/export"));
        var names = zip.Entries.Select(e => e.FullName).ToList();
        foreach (
            var expected in new[]
            {
                "people",
                "events",
                "consent",
                "runs",
                "touches",
                "messages",
                "visits",
                "refusals",
                "notices",
                "received",
                "opportunities",
                "appointments",
                "inquiries",
                "tasks",
                "merges",
                "import-lines",
                "person-states",
            }
        )
        {
            Assert.Contains($"{expected}.json", names);
        }

        Assert.Contains(names, n => n.StartsWith("received_files/", StringComparison.Ordinal));
        using (var cells = new StreamReader(zip.GetEntry("imported-rows.json")!.Open()))
        {
            Assert.Contains("likes tea", await cells.ReadToEndAsync(), StringComparison.Ordinal);
        }

        var name = (await ada.GetAsync($"/api/people/{person}")).GetProperty("name").GetString();
        await ada.DoAsync($"/api/people/{person}/erase", new { name });
        Assert.Equal([], await TablesWithAsync(Name, Address, person.ToString()));

        // The list keeps its other rows where they were.
        await using var db = site.Db();
        var table = ListTable.Read((await db.Imports.SingleAsync()).Content);
        Assert.Equal(
            [
                ["", "", "", ""],
                ["Bo", "Rowan", "bo.erase@example.com", ""],
            ],
            table.Records.Select(r => r.Cells)
        );
        Assert.Equal(1, await db.Received.CountAsync(r => r.Key == "k2" && r.GuessId == null));
    }

    /// <summary>The walk is worked out from the model: a table that is made tomorrow is in it.</summary>
    [Fact]
    public void Every_table_that_names_a_person_is_walked()
    {
        using var db = site.Database.CreateDbContext();
        var walked = PersonTables.Of(db.Model).Select(t => t.Name).ToHashSet();
        var naming = db
            .Model.GetEntityTypes()
            .Where(t =>
                t.GetProperties().Any(p => p.Name.Contains("Person", StringComparison.Ordinal) && (p.ClrType == typeof(Guid) || p.ClrType == typeof(Guid?)))
            )
            .Select(t => t.GetTableName()!)
            .ToList();
        Assert.NotEmpty(naming);
        Assert.Empty(naming.Except(walked));
    }

    [Fact]
    public async Task Lists_are_forgotten_after_thirty_days()
    {
        var ada = await site.SignedInAsync("ada");
        var id = (await ada.DoAsync("/api/imports", Member.File("First name,Email\nOld,old.list@example.com\n"u8.ToArray(), "old.csv")))
            .GetProperty("id")
            .GetGuid();
        await using var db = site.Db();
        Assert.Equal(0, await ImportedCells.ForgetOldAsync(db, Site.Now + Duration.FromDays(29), default));
        Assert.True(await ImportedCells.ForgetOldAsync(db, Site.Now + Duration.FromDays(31), default) > 0);
        Assert.Empty((await db.Imports.AsNoTracking().SingleAsync(i => i.Id == id)).Content);
        await ada.GetAsync($"/api/imports/{id}");
        Assert.True((await ada.Http.GetAsync($"/api/imports/{id}/report.csv")).IsSuccessStatusCode);
    }
}
