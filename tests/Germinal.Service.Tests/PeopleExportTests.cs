using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>What comes out as a file goes in again unchanged: here, and into another practice.</summary>
public sealed class PeopleExportTests
{
    private static readonly OwnField[] Fields =
    [
        new("Net worth", "Net worth", OwnFieldKind.Money, []),
        new("Likes", "Likes", OwnFieldKind.Choices, ["tea", "sea, wide", "cake"]),
        new("Since", "Since", OwnFieldKind.Date, []),
    ];

    /// <summary>A practice with the same stages and fields, and people who have what is hard to write into files.</summary>
    private static async Task<World> PracticeAsync(bool withPeople)
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        foreach (var field in Fields)
        {
            Assert.Null((await OwnFields.AddAsync(db, field.Name, field.Kind, field.Options, default)).Problem);
        }

        if (!withPeople)
        {
            return world;
        }

        var ida = await world.PersonAsync(
            "Ida \"I\"",
            p =>
            {
                p.Email = "ida@example.com";
                p.LastName = "Rowan, Dr.; née ^Lind";
                p.OtherEmail = "other@example.com";
                p.OtherPhone = "+12075550109";
                p.OtherPhoneExtension = "102";
                p.Address = "Flat 3, \"The Mill\"\n12 Quay Lane\nPort Averil, ME 04999";
                p.ZoneId = "America/Denver";
                p.Stage = "Planning/Client";
                p.Source = "=Talk";
                p.Tags = ["Bo, Ltd"];
                p.Lists = ["Newsletter; monthly", "b"];
                p.Custom = new() { ["Net worth"] = "450000.5", ["Likes"] = "tea;sea, wide", ["Since"] = "2020-02-29" };
            },
            "1975-03-14"
        );
        ida.Lists.Remove("Newsletter; monthly");
        await world.PersonAsync(
            "Bo",
            p =>
            {
                (p.Email, p.OwnerId, p.DoNotContact, p.Tags) = (null, null, true, ["warm", "cold"]);
                p.Address = "Somewhere without a town";
            },
            "--02-29",
            consent: false
        );
        await world.PersonAsync("Una", p => (p.FirstName, p.LastName, p.Mobile, p.Address) = (null, null, null, "Feldweg 9\n04999 Zwenkau\nDeutschland"), consent: false);
        await db.People.Where(p => p.Id == ida.Id).ExecuteUpdateAsync(u => u.SetProperty(p => p.Lists, new List<string> { "a", "b" }));
        db.Consent.AddRange(
            Said(world, ida.Id, "text", true, "inquiry", "2026-11-02T00:00"),
            Said(world, ida.Id, "post", false, "express", "2026-11-02T09:00"),
            Said(world, ida.Id, "call", true, "client", "2026-01-05T00:00")
        );
        await db.SaveChangesAsync();
        return world;
    }

    private static ConsentRow Said(World world, Guid person, string channel, bool isIn, string basis, string at) =>
        new()
        {
            PracticeId = world.Practice,
            PersonId = person,
            Channel = channel,
            Purpose = "commercial",
            IsIn = isIn,
            Basis = basis,
            At = World.At(at),
            Source = "said so",
        };

    private static async Task<byte[]> ExportAsync(World world, string form)
    {
        await using var db = world.Db();
        var who = await db.People.OrderBy(p => p.SortName).ThenBy(p => p.Id).Select(p => p.Id).ToListAsync();
        await using var file = new MemoryStream();
        await PeopleExport.WriteAsync(db, who, form, file, default);
        return file.ToArray();
    }

    private static async Task<ImportRow> ImportAsync(World world, byte[] file, string name)
    {
        await using var db = world.Db();
        var table = ListTable.Read(file, name);
        Assert.Empty(table.Remarks);
        var row = new ImportRow
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            FileName = name,
            Content = file,
            Columns = [.. ImportField.Guess(table, await OwnFields.OfPracticeAsync(db, default))],
            Status = "queued",
            By = "Ada Quill",
            CreatedAt = await PracticeClock.NowAsync(db),
        };
        Assert.DoesNotContain(row.Columns, c => c.Length == 0);
        db.Imports.Add(row);
        await db.SaveChangesAsync();
        while (await new ImportRunner(world.Database).RunNextAsync(default)) { }

        return await db.Imports.AsNoTracking().SingleAsync(i => i.Id == row.Id);
    }

    /// <summary>A file as a table without the ids, which are of the practice.</summary>
    private static List<string> Rows(byte[] file)
    {
        var table = ListTable.Read(file);
        var id = Array.IndexOf(table.Header, "id");
        return
        [
            .. table
                .Records.Select(r => string.Join('|', table.Header.Select((h, i) => (h, r.Cells[i])).Where((c, i) => i != id && c.Item2.Length > 0).Select(c => $"{c.h}={c.Item2}").Order(StringComparer.Ordinal)))
                .Order(StringComparer.Ordinal),
        ];
    }

    [Theory, InlineData("csv"), InlineData("xlsx"), InlineData("vcf")]
    public async Task What_came_out_goes_in_again_unchanged(string form)
    {
        await using var world = await PracticeAsync(withPeople: true);
        var file = await ExportAsync(world, form);

        // Here everybody is known, and nothing is to be filled or doubted.
        var here = await ImportAsync(world, file, $"people.{form}");
        Assert.Equal((0, 0, 3, 0), (here.Added, here.Filled, here.Unchanged, here.LeftOut));
        await using (var db = world.Db())
        {
            Assert.Empty(await db.ImportLines.Where(l => l.ImportId == here.Id).SelectMany(l => l.Doubts).ToListAsync());
        }

        // Elsewhere everybody is new, and comes out as they came out here.
        await using var other = await PracticeAsync(withPeople: false);
        var there = await ImportAsync(other, file, $"people.{form}");
        Assert.Equal((3, 0, 0, 0), (there.Added, there.Filled, there.Unchanged, there.LeftOut));
        Assert.Equal(Rows(file), Rows(await ExportAsync(other, form)));
        Assert.Equal(3, Rows(file).Count);
    }

    [Fact]
    public async Task The_file_says_what_it_should_in_the_words_of_the_people_file()
    {
        await using var world = await PracticeAsync(withPeople: true);
        var row = Assert.Single(Rows(await ExportAsync(world, "csv")), r => r.Contains("ida@example.com", StringComparison.Ordinal));
        foreach (
            var expected in new[]
            {
                "birthday=1975-03-14",
                "email_consent=in",
                "text_consent=inquiry@2026-11-02",
                "post_consent=out",
                "call_consent=client@2026-01-05",
                "stage=Planning/Client",
                "tags=Bo, Ltd;",
                "lists=a;b",
                "owner=Ada Quill",
                "zone=America/Denver",
                "custom:Likes=tea;sea, wide",
                "other_phone=+12075550109 ext. 102",
            }
        )
        {
            Assert.Contains(expected, row.Split('|'));
        }

        // The people file of the command line reads it, all but what is said of it there.
        var table = ListTable.Read(await ExportAsync(world, "csv"));
        Assert.Empty(Core.Files.PeopleFile.HeaderFindings(table.Header));
        var practice = new Practice { Name = "Example", Zone = World.Zone };
        var errors = new List<string>();
        foreach (var record in table.Records)
        {
            Core.Files.PeopleFile.Read(table.Header.Zip(record.Cells).ToDictionary(c => c.First, c => c.Second), practice, errors);
        }

        Assert.Empty(errors);
    }
}
