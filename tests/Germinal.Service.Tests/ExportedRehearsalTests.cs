using System.Diagnostics;
using Germinal.Channels.Tables;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What a page rehearses and what the command line rehearses of the files that come out of it are the same.</summary>
public sealed class ExportedRehearsalTests
{
    private const string Birthday =
        """{"id":"greeting","kind":"email","when":{"from":"occasion","offset":"P0D"},"subject":"Happy birthday, {{ person.first_name }}","body":"b"},{"id":"ring","kind":"call","when":{"from":"previous","offset":"P3D"},"script":"How was it?"},{"id":"again","kind":"email","when":{"from":"previous","offset":"P2M"},"subject":"s","body":"b"}""";

    private static string Rehearse(string folder, Instant from, Instant until)
    {
        string Moment(Instant at) => Moments.Write(at, World.Zone)[..16];
        var start = new ProcessStartInfo(
            "dotnet",
            [
                Path.Combine(AppContext.BaseDirectory, "germinal.dll"),
                "rehearse",
                "--practice",
                Path.Combine(folder, "practice.json"),
                "--people",
                Path.Combine(folder, "people.csv"),
                "--program",
                Path.Combine(folder, "birthday.program.json"),
                "--from",
                Moment(from),
                "--to",
                Moment(until),
            ]
        )
        {
            UseShellExecute = false,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        Assert.True(process.ExitCode == 0, error.Result);
        return output;
    }

    [Fact]
    public async Task The_page_and_the_command_line_agree_on_exported_files()
    {
        await using var world = await World.AtAsync("2027-03-01T09:00");
        for (var i = 0; i < 14; i++)
        {
            await world.PersonAsync(
                $"P{i}",
                p =>
                {
                    p.Email = i % 5 == 4 ? null : p.Email;
                    p.ZoneId = i % 4 == 0 ? "America/Los_Angeles" : null;
                },
                $"{(i % 3 == 0 ? "1975" : "-")}-{1 + (i * 5 % 12):00}-{2 + (i * 7 % 26):00}",
                consent: i % 4 != 3
            );
        }

        var id = await world.ProgramAsync(
            "Birthday",
            """
            "startsWhen":[{"kind":"occasion","date":"birthday","offset":"P0D"}],"again":"each-time","window":{"days":["mon","tue","wed","thu","fri"],"from":"09:00","to":"17:00","holidays":"skip","roll":"forward"}
            """,
            Birthday
        );
        var (from, until) = (World.At("2027-03-01T10:00"), World.At("2028-03-01T10:00"));
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var people = await db.People.Select(p => p.Id).ToListAsync();
        var page = new List<string>();
        foreach (var person in people)
        {
            var line = (await new ProgramRehearsal(world.Programs, world.Letters).OfOneAsync(db, id, program, person, from, until, default))!;
            page.AddRange(
                line.Where(t => t.Here && (t.Touch.SettledAt is not null || t.Touch.Outcome is not null)).Select(t => $"{person} {t.Touch.Step.Id} {Kind(t.Touch.Outcome)} {t.Touch.Due}")
            );
        }

        var folder = Directory.CreateTempSubdirectory("germinal-test-").FullName;
        var practice = await PracticeReading.LoadAsync(db, default);
        await File.WriteAllTextAsync(
            Path.Combine(folder, "practice.json"),
            PracticeFile.Write(practice with { Members = [.. practice.Members.Select(m => m with { Handle = m.Name })] }).ToJsonString()
        );
        await File.WriteAllTextAsync(Path.Combine(folder, "birthday.program.json"), ProgramFile.Write(program).ToJsonString());
        await using (var csv = File.Create(Path.Combine(folder, "people.csv")))
        {
            await PeopleExport.WriteAsync(db, people, "csv", csv, default);
        }

        using var parser = CsvText.Parser(new StringReader(Rehearse(folder, from, until)), ",");
        var files = new List<string>();
        while (parser.Read())
        {
            var cells = CsvText.CellsOf(parser);
            if (cells[0] != "person")
            {
                files.Add($"{cells[0]} {cells[3]} {cells[7]} {Moments.Read(cells[5], World.Zone)}");
            }
        }

        Assert.True(page.Count > 25, $"{page.Count} touches");
        Assert.Contains(page, t => t.Contains("skipped", StringComparison.Ordinal));
        Assert.Equal(page.Order(StringComparer.Ordinal), files.Order(StringComparer.Ordinal));
        Directory.Delete(folder, true);
    }

    private static string Kind(Outcome? outcome) => outcome is { } known ? System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(known.ToString()) : "";
}
