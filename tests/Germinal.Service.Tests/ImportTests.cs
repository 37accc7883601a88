using System.Text;
using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

public sealed class ImportTests
{
    private static readonly LocalDate Today = new(2027, 3, 1);

    [Theory]
    [
        InlineData("7/25/2014", "2014-07-25"),
        InlineData("07/25/2014", "2014-07-25"),
        InlineData("1941-08-19", "1941-08-19"),
        InlineData("9 Apr 1986", "1986-04-09"),
        InlineData("13 October 1970", "1970-10-13")
    ]
    [
        InlineData("Apr 9, 1986", "1986-04-09"),
        InlineData("Jul 24", "--07-24"),
        InlineData("24 Jul", "--07-24"),
        InlineData("6/13/71", "1971-06-13"),
        InlineData("6/13/03", "2003-06-13"),
        InlineData("2/29/1984", "1984-02-29"),
        InlineData("2/29", "--02-29"),
        InlineData("--02-29", "--02-29")
    ]
    public void Dates_in_any_style(string cell, string expected)
    {
        var reading = CellReading.Date(cell, dayFirst: false, Today);
        Assert.Null(reading.Doubt);
        Assert.Equal(expected, reading.Value.ToString());
    }

    [Theory]
    [InlineData("13/45/1970"), InlineData("2/30/1980"), InlineData("2/29/1983"), InlineData("soon"), InlineData("1/1/2031"), InlineData("25/12/1970")]
    public void An_impossible_date_is_a_doubt_and_left_out(string cell)
    {
        var reading = CellReading.Date(cell, dayFirst: false, Today);
        Assert.Null(reading.Value);
        Assert.NotNull(reading.Doubt);
    }

    [Fact]
    public void The_order_of_a_date_is_the_practices_and_a_spreadsheet_number_is_a_marked_guess()
    {
        Assert.Equal("1970-12-25", CellReading.Date("25/12/1970", dayFirst: true, Today).Value.ToString());
        var serial = CellReading.Date("31061", dayFirst: false, Today);
        Assert.Equal("1985-01-14", serial.Value.ToString());
        Assert.Contains("guess", serial.Doubt, StringComparison.Ordinal);
    }

    [Theory]
    [
        InlineData("(978) 555-0100", "+19785550100", null),
        InlineData("978.555.0100", "+19785550100", null),
        InlineData("1-978-555-0100", "+19785550100", null),
        InlineData("+1 978 555 0100", "+19785550100", null),
        InlineData("9785550100", "+19785550100", null),
        InlineData("303 555 0110 ext. 9", "+13035550110", "9")
    ]
    public void Numbers_in_any_style_become_E164_with_their_extension(string cell, string number, string? extension) =>
        Assert.Equal((number, extension), CellReading.Phone(cell, "US").Value);

    [Theory]
    [InlineData("call me"), InlineData("555"), InlineData("12345678901234567890")]
    public void What_is_no_number_is_a_doubt(string cell)
    {
        Assert.Null(CellReading.Phone(cell, "US").Value.Number);
        Assert.NotNull(CellReading.Phone(cell, "US").Doubt);
    }

    [Theory]
    [
        InlineData("  IDA@EXAMPLE.COM ", "ida@example.com", null),
        InlineData("ida@example.com,", "ida@example.com", null),
        InlineData("ida at example.com", "ida@example.com", null),
        InlineData("a@example.com; b@example.org", "a@example.com", "b@example.org"),
        InlineData("Ida <ida@example.com>", "ida@example.com", null)
    ]
    public void Addresses_are_cleaned(string cell, string email, string? other) => Assert.Equal((email, other), CellReading.Emails(cell).Value);

    [Theory]
    [
        InlineData("yes", true),
        InlineData("Y", true),
        InlineData("x", true),
        InlineData("1", true),
        InlineData("TRUE", true),
        InlineData("No", false),
        InlineData("N", false),
        InlineData("opted out", false),
        InlineData("", null)
    ]
    public void Consent_words(string cell, bool? expected)
    {
        Assert.Equal(expected, CellReading.YesOrNo(cell).Value);
        Assert.Null(CellReading.Consent(cell).Doubt);
    }

    [Fact]
    public void A_consent_word_not_understood_is_a_doubt_not_a_yes()
    {
        Assert.Null(CellReading.Consent("maybe?").Value);
        Assert.NotNull(CellReading.Consent("maybe?").Doubt);
    }

    [Theory]
    [
        InlineData("", "José Eskola", "", "José", "Eskola"),
        InlineData("", "", "Eskola, José", "José", "Eskola"),
        InlineData("Ida ", "Rowan", "", "Ida", "Rowan"),
        InlineData("", "", "Ida Maria Rowan", "Ida Maria", "Rowan"),
        InlineData("Cher", "", "", "Cher", null)
    ]
    public void Names_in_one_cell_or_two(string first, string last, string full, string? expectedFirst, string? expectedLast) =>
        Assert.Equal((expectedFirst, expectedLast), CellReading.Names(first, last, full));

    [Fact]
    public void Files_come_in_any_encoding_and_with_any_delimiter_and_quoted_line_breaks()
    {
        Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);
        const string Text = "Name;E-mail;Notes\r\nJosé Ångström;jose@example.com;\"one\r\ntwo; \"\"three\"\"\"\r\nSecond;second@example.com;\r\n";
        foreach (
            var file in new[]
            {
                Encoding.UTF8.GetBytes(Text),
                [.. Encoding.UTF8.Preamble, .. Encoding.UTF8.GetBytes(Text)],
                Encoding.GetEncoding(1252).GetBytes(Text),
                Encoding.UTF8.GetBytes(Text.Replace(';', '\t').Replace("two\t", "two;", StringComparison.Ordinal)),
            }
        )
        {
            var table = ListTable.Read(file);
            Assert.Equal(["Name", "E-mail", "Notes"], table.Header);
            Assert.Equal("José Ångström", table.Records[0].Cells[0]);
            Assert.Equal("one\r\ntwo; \"three\"", table.Records[0].Cells[2]);
            // A line break inside quotes makes no new row.
            Assert.Equal([2, 3], table.Records.Select(r => r.Line));
        }

        Assert.Throws<UnreadableFileException>(() => ListTable.Read([0x50, 0x4B, 3, 4, 0, 0]));
        Assert.Throws<UnreadableFileException>(() => ListTable.Read(Encoding.UTF8.GetBytes("Name,Email\n")));
    }

    private static byte[] Sample => File.ReadAllBytes(Path.Combine(AppContext.BaseDirectory, "sample.csv"));

    private static async Task<ImportRow> ImportAsync(World world, byte[] file, string name = "sample.csv")
    {
        await using var db = world.Db();
        var row = new ImportRow
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            FileName = name,
            Content = file,
            Columns = [.. ImportField.Guess(ListTable.Read(file))],
            Status = "queued",
            By = "Ada Quill",
            CreatedAt = await PracticeClock.NowAsync(db),
        };
        db.Imports.Add(row);
        await db.SaveChangesAsync();
        while (await new ImportRunner(world.Database).RunNextAsync(default)) { }

        return await db.Imports.AsNoTracking().SingleAsync(i => i.Id == row.Id);
    }

    [Fact]
    public async Task The_sample_comes_in_with_its_doubts_and_twice_adds_nobody()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var first = await ImportAsync(world, Sample);
        Assert.Equal("done", first.Status);
        Assert.Equal(2, first.LeftOut);
        Assert.Equal(first.RowsInAll, first.Added + first.Filled + first.Unchanged + first.LeftOut);
        Assert.InRange(first.Filled + first.Unchanged, 3, 20);

        await using var db = world.Db();
        var people = await db.People.AsNoTracking().ToListAsync();
        Assert.Equal(first.Added, people.Count);
        Assert.All(people.Where(p => p.Email is not null), p => Assert.True(Core.Contact.Addresses.IsEmail(p.Email)));
        Assert.All(people.Where(p => p.Mobile is not null), p => Assert.True(Core.Contact.Addresses.IsE164(p.Mobile)));
        Assert.All(people, p => Assert.NotNull(p.FirstName));
        Assert.Equal(people.Count(p => p.Email is not null), people.Select(p => p.Email).OfType<string>().Distinct().Count());

        // The dead and the unwilling are do-not-contact, to be confirmed; a maybe is no yes.
        Assert.Equal(2, people.Count(p => p.DoNotContact && p.DoNotContactToConfirm));
        var doubts = await db.ImportLines.AsNoTracking().Where(l => l.ImportId == first.Id).SelectMany(l => l.Doubts).ToListAsync();
        Assert.Contains(doubts, d => d.Contains("13/45/1970", StringComparison.Ordinal));
        Assert.Contains(doubts, d => d.Contains("31061", StringComparison.Ordinal) && d.Contains("guess", StringComparison.Ordinal));
        Assert.Contains(doubts, d => d.Contains("maybe?", StringComparison.Ordinal));
        Assert.Contains(doubts, d => d.Contains("Nobody Here", StringComparison.Ordinal));

        // Every yes and no is a dated entry that names its file and row; an empty cell is none.
        var consent = await db.Consent.AsNoTracking().ToListAsync();
        Assert.All(consent, c => Assert.Matches(@"^import, sample\.csv, row \d+$", c.Source));
        Assert.True(consent.Count < people.Count);

        // A twin in capitals filled its tag and made nobody new.
        Assert.Equal(3, people.Count(p => p.Tags.Contains("Referrer")));

        var again = await ImportAsync(world, Sample, "again.csv");
        Assert.Equal(0, again.Added);
        Assert.Equal(people.Count, await db.People.CountAsync());
        Assert.Equal(consent.Count, await db.Consent.CountAsync());
    }

    [Fact]
    public async Task Blanks_are_filled_and_nothing_is_overwritten()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => p.Mobile = null);
        var import = await ImportAsync(
            world,
            Encoding.UTF8.GetBytes("First name,Last name,Email,Mobile,Source\nIDA,Rowan,IDA@example.com,(207) 555-0109,Talk\n")
        );
        Assert.Equal(1, import.Filled);
        await using var db = world.Db();
        var after = await db.People.SingleAsync(p => p.Id == ida.Id);
        Assert.Equal(("Ida", "Rowan", "+12075550109", "Talk"), (after.FirstName, after.LastName, after.Mobile, after.Source));
    }

    [Fact]
    public async Task The_same_is_known_by_address_or_mobile_and_name_and_a_birthday_is_a_guess()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", birthday: "1975-06-14");
        var file =
            "First name,Last name,Email,Mobile,Birthday\nI.,Rowan,ida@EXAMPLE.com,,\nIda,Rowan,,207-555-0101,\nIda,Rowan,,,6/14/1975\nIda,Rowan,other@example.com,,6/14/1975\nIda,Rowan,,,1/1/1980\n";
        var import = await ImportAsync(world, Encoding.UTF8.GetBytes(file));
        // The third has only name and birthday in common, the fourth another address besides, the fifth another birthday.
        Assert.Equal((3, 2), (import.Added, import.Filled + import.Unchanged));
        await using var db = world.Db();
        var doubts = await db.ImportLines.Where(l => l.ImportId == import.Id).OrderBy(l => l.Line).Select(l => l.Doubts).ToListAsync();
        Assert.Equal([0, 0, 1, 1, 0], doubts.Select(d => d.Count(x => x.Contains("perhaps the same person", StringComparison.Ordinal))));
    }

    [Fact]
    public async Task Dates_of_a_list_say_what_they_will_start_and_undoing_takes_that_back()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.ProgramAsync(
            "Birthday",
            "\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"-P7D\"}]",
            """{"id":"a","kind":"email","when":{"from":"occasion","offset":"P0D"},"subject":"For you","body":"b"}"""
        );
        var ida = await world.PersonAsync("Ida");
        var file = Encoding.UTF8.GetBytes(
            "First name,Last name,Email,Birthday\nIda,Rowan,ida@example.com,3/9/1975\nBo,Lind,bo@example.com,3/10/1980\nCy,Ash,cy@example.com,\nDo,Elm,do@example.com,6/1/1970\n"
        );
        await using (var looking = world.Db())
        {
            var (engine, _) = await world.Engines().OfAsync(looking, default);
            var row = new ImportRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                FileName = "sample.csv",
                Content = file,
                Columns = [.. ImportField.Guess(ListTable.Read(file))],
                By = "Ada Quill",
            };
            var plan = await ImportPlan.MakeAsync(looking, row, await world.NowAsync(), default);
            var starts = await ImportStarts.OfAsync(looking, engine, plan, await world.NowAsync(), default);
            Assert.Equal(("Birthday", 3), (Assert.Single(starts).Program, starts[0].Count));
            Assert.Equal("2027-03-02", starts[0].First.InUtc().Date.ToString("uuuu-MM-dd", System.Globalization.CultureInfo.InvariantCulture));
        }

        var import = await ImportAsync(world, file);
        await world.MoveToAsync("2027-03-04T12:00");
        await using (var db = world.Db())
        {
            Assert.Equal(2, await db.Runs.CountAsync(r => r.EndedAt == null));
            Assert.Equal(0, (await ImportUndo.WorkedWithAsync(db, import.Id, default)).Count);
            await ImportUndo.UndoAsync(db, import.Id, "Ada", default);
        }

        await world.MoveToAsync("2027-03-20T12:00");
        Assert.Empty(world.Mail.Sent);
        await using var after = world.Db();
        Assert.Equal(Reason.TakenBack.Word(), (await after.Runs.SingleAsync()).StopReason);
        Assert.Equal(ida.Id, (await after.People.SingleAsync()).Id);
    }

    [Fact]
    public async Task An_import_is_undone_as_a_whole_until_somebody_has_worked_with_its_people()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => p.Source = null);
        var import = await ImportAsync(
            world,
            Encoding.UTF8.GetBytes("First name,Last name,Email,Source\nIda,Rowan,ida@example.com,Talk\nBo,Lind,bo@example.com,Talk\n")
        );
        await using var db = world.Db();
        Assert.Equal(0, (await ImportUndo.WorkedWithAsync(db, import.Id, default)).Count);
        var bo = await db.People.SingleAsync(p => p.FirstName == "Bo");
        await world.DoAsync(d => d.RecordAsync(bo.Id, new TextedWord(d.Now, "called"), default));
        Assert.Equal(["Bo Lind"], (await ImportUndo.WorkedWithAsync(db, import.Id, default)).Names);
        await db.Events.Where(e => e.Key == null).ExecuteDeleteAsync();
        await ImportUndo.UndoAsync(db, import.Id, "Ada", default);
        await using var after = world.Db();
        Assert.Equal(["Ida"], await after.People.Select(p => p.FirstName).ToListAsync());
        Assert.Null((await after.People.SingleAsync(p => p.Id == ida.Id)).Source);
        Assert.Equal("undone", (await after.Imports.SingleAsync()).Status);
    }

    [Fact]
    public async Task An_import_that_was_interrupted_goes_on_where_it_was()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var first = await ImportAsync(world, Sample);
        await using var db = world.Db();
        // As if the worker had died after the first hundred lines.
        var lost = await db.ImportLines.Where(l => l.ImportId == first.Id).OrderBy(l => l.Line).Skip(100).Select(l => l.Line).ToListAsync();
        var people = await db.ImportLines.Where(l => lost.Contains(l.Line) && l.Result == "added").Select(l => l.PersonId).ToListAsync();
        await db.People.Where(p => people.Contains(p.Id)).ExecuteDeleteAsync();
        await db.ImportLines.Where(l => lost.Contains(l.Line)).ExecuteDeleteAsync();
        await db.Imports.ExecuteUpdateAsync(u =>
            u.SetProperty(i => i.Status, "running").SetProperty(i => i.RowsDone, 100).SetProperty(i => i.Added, first.Added - people.Count)
        );
        while (await new ImportRunner(world.Database).RunNextAsync(default)) { }

        Assert.Equal(first.Added, await db.People.CountAsync());
        Assert.Equal("done", (await db.Imports.AsNoTracking().SingleAsync()).Status);
    }

    /// <summary>A long file keeps nobody waiting: between two batches of it the engine has its turn.</summary>
    [Fact]
    public async Task Between_two_batches_the_engine_has_its_turn()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var text = new StringBuilder("First name,Last name,Email\n");
        for (var i = 0; i < 1200; i++)
        {
            text.Append(System.Globalization.CultureInfo.InvariantCulture, $"First{i},Last{i},p{i}@example.com\n");
        }

        await using var db = world.Db();
        var file = Encoding.UTF8.GetBytes(text.ToString());
        db.Imports.Add(
            new ImportRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                FileName = "many.csv",
                Content = file,
                Columns = [.. ImportField.Guess(ListTable.Read(file))],
                Status = "queued",
                By = "Ada Quill",
                CreatedAt = await PracticeClock.NowAsync(db),
            }
        );
        await db.SaveChangesAsync();
        var seen = new List<int>();
        await new ImportRunner(world.Database).RunNextAsync(default, async stop => seen.Add(await db.People.CountAsync(stop)));
        Assert.Equal(1200, seen[^1]);
        Assert.True(seen.Count > 1 && seen[0] > 0 && seen[0] < 1200, string.Join(" ", seen));
        Assert.Equal(1200, await db.States.CountAsync());
        Assert.Equal(1200, await db.Events.CountAsync(e => e.Kind == "imported"));
    }

    [Fact]
    public async Task Fields_of_the_practices_own_come_in_fill_blanks_only_and_go_again_when_the_list_does()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using (var db = world.Db())
        {
            var practice = await db.Practices.SingleAsync();
            var settings = practice.Settings;
            settings.OwnFields = [new() { Key = "Home", Name = "Home", Kind = "choice", Options = ["Flat", "House"] }, new() { Key = "Children", Name = "Children", Kind = "number" }];
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }

        var known = await world.PersonAsync("Ida", p => (p.LastName, p.Email, p.Custom) = ("Rowan", "ida@example.com", new() { ["Home"] = "Flat" }));
        var file = Encoding.UTF8.GetBytes("First,Last,E-mail,Home,Children\nIda,Rowan,ida@example.com,House,2\nBo,Alder,bo@example.com,House,\n");
        ImportRow row;
        await using (var db = world.Db())
        {
            row = new ImportRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                FileName = "own.csv",
                Content = file,
                Columns = ["first_name", "last_name", "email", "custom:Home", "custom:Children"],
                Status = "queued",
                By = "Ada Quill",
                CreatedAt = await PracticeClock.NowAsync(db),
            };
            db.Imports.Add(row);
            await db.SaveChangesAsync();
        }

        while (await new ImportRunner(world.Database).RunNextAsync(default)) { }

        await using (var db = world.Db())
        {
            var people = await db.People.AsNoTracking().ToDictionaryAsync(p => p.FirstName!, p => p.Custom);
            // What is known is never overwritten; what is blank is filled.
            Assert.Equal(new Dictionary<string, string> { ["Home"] = "Flat", ["Children"] = "2" }, people["Ida"]);
            Assert.Equal(new Dictionary<string, string> { ["Home"] = "House" }, people["Bo"]);
            await ImportUndo.UndoAsync(db, row.Id, "Ada Quill", default);
        }

        await using var after = world.Db();
        Assert.Equal(new Dictionary<string, string> { ["Home"] = "Flat" }, (await after.People.AsNoTracking().SingleAsync()).Custom);
        Assert.Equal(known.Id, (await after.People.AsNoTracking().SingleAsync()).Id);
    }
}
