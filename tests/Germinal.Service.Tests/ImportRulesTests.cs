using System.Text;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Import;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Guessing columns, reading rows, and who is the same as whom.</summary>
public sealed class ImportRulesTests
{
    private static readonly Member Ada = new(Guid.NewGuid(), "Ada Quill", "ada@example.com");
    private static readonly Member Tomas = new(Guid.NewGuid(), "Tomas Brandt", "tomas@example.com");
    private static readonly Practice Practice = new()
    {
        Name = "P",
        Zone = World.Zone,
        Members = [Ada, Tomas],
    };

    private static ImportedRow Read(string header, string line, string region = "US")
    {
        var table = ListTable.Read(Encoding.UTF8.GetBytes($"{header}\n{line}\n"));
        return new RowReader(ImportField.Guess(table), Practice, dayFirst: false, region, new LocalDate(2027, 3, 1)).Read(table.Records[0]);
    }

    [Theory]
    [InlineData("US", "Port Averil,ME,04999,", "9 Feldweg|Port Averil, ME 04999")]
    [InlineData("US", "Zwenkau,,04999,Germany", "9 Feldweg|04999 Zwenkau|Germany")]
    [InlineData("DE", "Zwenkau,Sachsen,04999,", "9 Feldweg|Sachsen|04999 Zwenkau")]
    [InlineData("GB", "Bathwick,Somerset,BA1 1AA,", "9 Feldweg|Bathwick, Somerset BA1 1AA")]
    public void An_address_in_parts_is_written_as_in_its_country_else_as_in_the_practices_own(string region, string parts, string address) =>
        Assert.Equal(address.Replace('|', '\n'), Read("First name,Street,City,State,ZIP,Country", $"Ida,9 Feldweg,{parts}", region).Address);

    [Theory]
    [InlineData("Given name,Surname,E-Mail,Cell,D.O.B.,Groups", "first_name,last_name,email,mobile,,tags")]
    [InlineData("Vorname,Nachname,E-Mail-Adresse,Handy,Telefon,Geburtsdatum,Straße,PLZ,Ort,Schlagwörter", "first_name,last_name,email,mobile,other_phone,birthday,street,zip,city,tags")]
    [InlineData("Name,Email Address,Phone,Date of Birth,Postcode", "full_name,email,other_phone,birthday,zip")]
    [InlineData("FIRST_NAME;LAST_NAME;email_ok", "first_name,last_name,email_consent")]
    [InlineData("Vorname\tNachname\tMail", "first_name,last_name,email")]
    [InlineData("Mobile,Mobile", "mobile,other_phone")]
    [InlineData("Shoe size,Notes", ",notes")]
    public void Columns_are_guessed_by_their_names(string header, string expected)
    {
        var table = ListTable.Read(
            Encoding.UTF8.GetBytes(
                $"{header}\n{string.Concat(Enumerable.Repeat(header.Contains(';', StringComparison.Ordinal) ? "a;" : header.Contains('\t', StringComparison.Ordinal) ? "a\t" : "a,", 3))}\n"
            )
        );
        Assert.Equal(expected.Split(','), ImportField.Guess(table));
    }

    [Fact]
    public void A_column_without_a_name_is_guessed_by_its_cells()
    {
        var table = ListTable.Read(Encoding.UTF8.GetBytes("Name,x,y\nA,a@example.com,207 555 0101\nB,b@example.com,207-555-0102\nC,,2075550103\n"));
        Assert.Equal(["full_name", "email", "mobile"], ImportField.Guess(table));
    }

    [Theory]
    [InlineData("T. Brandt"), InlineData("Tomas Brandt"), InlineData("tomas"), InlineData("BRANDT"), InlineData("T Brandt")]
    public void An_owner_is_known_by_any_usual_short_form(string cell) =>
        Assert.Equal(Tomas.Id, Read("Name,Email,Advisor", $"A B,a@example.com,{cell}").OwnerId);

    [Fact]
    public void An_owner_nobody_knows_is_a_doubt()
    {
        var row = Read("Name,Email,Advisor", "A B,a@example.com,Somebody Else");
        Assert.Null(row.OwnerId);
        Assert.Contains(row.Doubts, d => d.Field == "owner" && d.Text.Contains("Somebody Else", StringComparison.Ordinal));
    }

    [Theory]
    [
        InlineData("DECEASED 2026"),
        InlineData("passed away in May"),
        InlineData("died 3/2026"),
        InlineData("Do not contact"),
        InlineData("please DON'T CONTACT"),
        InlineData("wants no calls"),
        InlineData("†")
    ]
    public void A_remark_that_says_died_or_no_contact_makes_do_not_contact(string note)
    {
        var row = Read("Name,Email,Email OK?,Notes", $"A B,a@example.com,yes,{note}");
        Assert.Equal(note, row.DoNotContact);
        Assert.Null(row.LeftOut);
        Assert.Contains(row.Doubts, d => d.Text.Contains("to be confirmed", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("Met at the spring talk"), InlineData("His diet is strict"), InlineData("moved – check address"), InlineData("contact in the morning")]
    public void Other_remarks_do_not(string note) => Assert.Null(Read("Name,Email,Notes", $"A B,a@example.com,{note}").DoNotContact);

    [Theory]
    [InlineData(",,", "empty"), InlineData("Total: 489,,", "total"), InlineData("Grand total,,", "total"), InlineData(",,Prefers mornings", "names nobody")]
    public void Rows_that_are_nobody_are_left_out_with_why(string line, string why) =>
        Assert.Contains(why, Read("Name,Email,Notes", line).LeftOut, StringComparison.Ordinal);

    [Fact]
    public void Everything_of_a_row_is_read()
    {
        var row = Read(
            "First name,Last name,Email,Mobile,Home phone,Birthday,Street,City,State,ZIP,Client since,Groups,Source",
            "Ida, Rowan ,IDA@example.com,(207) 555-0101 ext. 4,207.555.0102,Jul 24,12  Quay Lane,Port Averil,ME,04999,7/25/2014,Client; VIP ;client,Talk"
        );
        Assert.Equal(
            ("Ida", "Rowan", "ida@example.com", "+12075550101", "4", "+12075550102"),
            (row.FirstName, row.LastName, row.Email, row.Mobile, row.MobileExtension, row.OtherPhone)
        );
        Assert.Equal("12 Quay Lane\nPort Averil, ME 04999", row.Address);
        Assert.Equal(new YearlyDate(7, 24, null), row.Birthday);
        Assert.Equal(new YearlyDate(7, 25, 2014), row.Dates["client since"]);
        Assert.Equal(["Client", "VIP"], row.Tags);
        Assert.Empty(row.Doubts);
    }

    [Fact]
    public async Task An_import_stops_when_asked_and_goes_on_later()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        var lines = string.Join('\n', Enumerable.Range(0, 1200).Select(i => $"P{i},Rowan,p{i}@example.com"));
        var row = new ImportRow
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            FileName = "x.csv",
            Content = Encoding.UTF8.GetBytes($"First name,Last name,Email\n{lines}\n"),
            Columns = ["first_name", "last_name", "email"],
            Status = "queued",
            By = "Ada",
            StopAsked = true,
        };
        db.Imports.Add(row);
        await db.SaveChangesAsync();
        var runner = new ImportRunner(world.Database);
        Assert.True(await runner.RunNextAsync(default));
        Assert.Equal("stopped", await db.Imports.AsNoTracking().Select(i => i.Status).SingleAsync());
        Assert.False(await runner.RunNextAsync(default));
        await db.Imports.ExecuteUpdateAsync(u => u.SetProperty(i => i.Status, "queued").SetProperty(i => i.StopAsked, false));
        Assert.True(await runner.RunNextAsync(default));
        Assert.Equal(1200, await db.People.CountAsync());
        Assert.Equal(1200, await db.Imports.AsNoTracking().Select(i => i.RowsDone).SingleAsync());
    }

    [Fact]
    public async Task A_row_that_cannot_be_written_is_left_out_with_why_and_the_others_come_in()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        // A name no index can hold: noise that does not compress.
        var random = new Random(1);
        var endless = string.Concat(Enumerable.Range(0, 30_000).Select(_ => (char)('a' + random.Next(26))));
        var row = new ImportRow
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            FileName = "x.csv",
            Content = Encoding.UTF8.GetBytes($"First name,Email\nIda,ida@example.com\n{endless},long@example.com\nBo,bo@example.com\n"),
            Columns = ["first_name", "email"],
            Status = "queued",
            By = "Ada",
        };
        db.Imports.Add(row);
        await db.SaveChangesAsync();
        await new ImportRunner(world.Database).RunNextAsync(default);
        var done = await db.Imports.AsNoTracking().SingleAsync();
        Assert.Equal(("done", 2, 1, 3), (done.Status, done.Added, done.LeftOut, done.RowsDone));
        Assert.Equal(["Bo", "Ida"], await db.People.Select(p => p.FirstName!).OrderBy(n => n).ToListAsync());
        var left = await db.ImportLines.AsNoTracking().SingleAsync(l => l.Result == "left-out");
        Assert.Equal(3, left.Line);
        Assert.Contains("could not be written", string.Join(" ", left.Doubts), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_no_in_a_list_beats_a_yes_and_stops_what_only_writes()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var program = await world.ProgramAsync("P", "", """{"id":"a","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"s","body":"b"}""");
        await world.DoAsync(d => d.StartProgramAsync([ida.Id], program, false, default));
        await world.WorkAsync();
        await using var db = world.Db();
        db.Imports.Add(
            new ImportRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                FileName = "x.csv",
                Content = "Email,Email OK?\nida@example.com,no\n"u8.ToArray(),
                Columns = ["email", "email_consent"],
                Status = "queued",
                By = "Ada",
            }
        );
        await db.SaveChangesAsync();
        await new ImportRunner(world.Database).RunNextAsync(default);
        await world.MoveToAsync("2027-03-10T10:00");
        Assert.Empty(world.Mail.Sent);
        Assert.Equal("nothing-left-to-send", (await db.Runs.AsNoTracking().SingleAsync()).StopReason);
    }

    private static readonly OwnField[] Own =
    [
        new("Net worth", "Wealth", OwnFieldKind.Money, []),
        new("Home", "Home", OwnFieldKind.Choice, ["Flat", "House"]),
        new("Interests", "Interests", OwnFieldKind.Choices, ["Sailing", "Music"]),
        new("Moved in", "Moved in", OwnFieldKind.Date, []),
        new("Source of wealth", "Source", OwnFieldKind.Text, []),
    ];

    private static (string[] Columns, ImportedRow Row) ReadOwn(string header, string line)
    {
        var table = ListTable.Read(Encoding.UTF8.GetBytes($"{header}\n{line}\n"));
        var columns = ImportField.Guess(table, new OwnNames(Own, ["birthday", "lease ends"]));
        return (columns, new RowReader(columns, Practice, dayFirst: false, "US", new LocalDate(2027, 3, 1), Own).Read(table.Records[0]));
    }

    [Fact]
    public void A_column_is_known_as_a_field_of_the_practices_own_by_its_name_or_its_key_before_what_most_lists_mean()
    {
        var (columns, row) = ReadOwn(
            "Name,E-mail,NET WORTH,home,Interests,moved_in,source",
            "Ida Rowan,ida@example.com,\"$450,000\",house,\"music, sailing\",6/14/2019,an inheritance"
        );
        Assert.Equal(["full_name", "email", "custom:Net worth", "custom:Home", "custom:Interests", "custom:Moved in", "custom:Source of wealth"], columns);
        Assert.Empty(row.Doubts);
        Assert.Equal(
            [("Home", "House"), ("Interests", "Sailing;Music"), ("Moved in", "2019-06-14"), ("Net worth", "450000"), ("Source of wealth", "an inheritance")],
            row.Own.OrderBy(o => o.Key, StringComparer.Ordinal).Select(o => (o.Key, o.Value))
        );
        Assert.Null(row.Source);
        Assert.Equal(["full_name", "custom:Net worth", "date:lease ends", "birthday"], ReadOwn("Name,Wealth,Lease ends,Born", "A B,1,,").Columns);
    }

    [Fact]
    public void What_does_not_fit_its_field_is_a_doubt_and_the_row_comes_in_without_it()
    {
        var (_, row) = ReadOwn("Name,E-mail,Net worth,Home,Moved in", "Ida Rowan,ida@example.com,plenty,Castle,13/45/2019");
        Assert.Empty(row.Own);
        Assert.Equal(["custom:Net worth", "custom:Home", "custom:Moved in"], row.Doubts.Select(d => d.Field).OrderBy(f => Array.IndexOf(["custom:Net worth", "custom:Home", "custom:Moved in"], f)));
        Assert.All(row.Doubts, d => Assert.Contains("left out", d.Text, StringComparison.Ordinal));
        Assert.Null(row.LeftOut);
    }
}
