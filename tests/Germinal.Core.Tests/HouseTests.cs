using System.Text.RegularExpressions;
using System.Xml.Linq;

namespace Germinal.Core.Tests;

/// <summary>The rooms of the house: imports run one way, and the core stands alone.</summary>
public sealed class HouseTests
{
    internal static readonly string Root = FindRoot();

    private static string FindRoot()
    {
        var folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "Germinal.slnx")))
        {
            folder = Path.GetDirectoryName(folder)!;
        }

        return folder;
    }

    private static string[] References(string project, string kind)
    {
        var file = XDocument.Load(Path.Combine(Root, "src", project, $"{project}.csproj"));
        return [.. file.Descendants(kind).Select(r => Path.GetFileNameWithoutExtension(((string)r.Attribute("Include")!).Replace('\\', '/'))).Order()];
    }

    [Theory]
    [InlineData("Germinal.Core", "")]
    [InlineData("Germinal.Store", "Germinal.Core")]
    [InlineData("Germinal.Channels", "Germinal.Core")]
    [InlineData("Germinal.Service", "Germinal.Channels,Germinal.Store")]
    [InlineData("Germinal.Web", "Germinal.Service")]
    [InlineData("Germinal.Demo", "Germinal.Web")]
    [InlineData("Germinal.StandIns", "")]
    [InlineData("Germinal.Cli", "Germinal.Channels")]
    public void Imports_run_one_way(string project, string expected) =>
        Assert.Equal(expected.Split(',', StringSplitOptions.RemoveEmptyEntries), References(project, "ProjectReference"));

    /// <summary>
    /// What the engine has decided is written in one place: nobody else sets a touch's status, a run's end or what is remembered of
    /// a person.
    /// </summary>
    [Fact]
    public void Only_the_recorder_writes_what_the_engine_decided()
    {
        var files = new[] { "Germinal.Service", "Germinal.Web" }
            .SelectMany(p => Directory.GetFiles(Path.Combine(Root, "src", p), "*.cs", SearchOption.AllDirectories))
            .Where(f => !f.Contains("/obj/", StringComparison.Ordinal))
            .ToList();
        const string Writes =
            @"(SetProperty\((t => t\.Status|r => r\.(EndedAt|StopReason|PausedAt)|s => s\.State),|\.(EndedAt|StopReason|PausedAt|NextTouchAt) = (?!null)|\b(touch|again|t)\.Status = |\.State = (?!=)|UPDATE (runs|person_states s SET state))";
        Assert.Equal(["Recorder.cs"], files.Where(f => Regex.IsMatch(File.ReadAllText(f), Writes)).Select(Path.GetFileName).Order());
    }

    /// <summary>What runs in real use knows nothing of the demo.</summary>
    [Fact]
    public void Nothing_of_the_demo_is_in_the_application()
    {
        var files = Directory
            .GetDirectories(Path.Combine(Root, "src"), "Germinal.*")
            .Where(d => !d.EndsWith(".Demo", StringComparison.Ordinal) && !d.EndsWith(".StandIns", StringComparison.Ordinal))
            .SelectMany(d => Directory.GetFiles(d, "*.cs", SearchOption.AllDirectories))
            .Where(f => !f.Contains("/obj/", StringComparison.Ordinal))
            .ToList();
        Assert.NotEmpty(files);
        Assert.All(files, f => Assert.DoesNotMatch(@"Germinal\.Demo|\bDemo(Practice|Years|People|Start)\b|Alder Quay", File.ReadAllText(f)));
    }

    /// <summary>The core's rooms in their order: each may look into those before it, none into one that comes after.</summary>
    private static readonly string[] Rooms = ["Words", "Time", "Contact", "Rules", "Programs", "Practices", "Messages", "Engine", "Files", "Forms", "Broadcasts", "Results", "Appointments", "Almanac"];

    [Fact]
    public void The_rooms_of_the_core_look_one_way()
    {
        var core = Path.Combine(Root, "src", "Germinal.Core");
        Assert.Equal(Rooms.Order(), Directory.GetDirectories(core).Select(Path.GetFileName).Except(["obj", "bin"]).Order());
        foreach (var (room, place) in Rooms.Select((r, i) => (r, i)))
        {
            var after = string.Join('|', Rooms.Skip(place + 1));
            Assert.All(
                Directory.GetFiles(Path.Combine(core, room), "*.cs"),
                file =>
                {
                    var text = File.ReadAllText(file);
                    Assert.Contains($"namespace Germinal.Core.{room};", text, StringComparison.Ordinal);
                    if (after.Length > 0)
                    {
                        Assert.DoesNotMatch(
                            $@"(Germinal\.)?Core\.({after})\b(?!.*namespace)",
                            text.Replace($"namespace Germinal.Core.{room};", "", StringComparison.Ordinal)
                        );
                    }
                }
            );
        }
    }

    [Fact]
    public void The_core_references_NodaTime_and_nothing_else() => Assert.Equal(["NodaTime"], References("Germinal.Core", "PackageReference"));

    /// <summary>A pure function of its inputs: no clock, no chance, no files, no network in the core.</summary>
    [Fact]
    public void The_core_reads_no_clock_and_no_random_source()
    {
        string[] forbidden =
        [
            "DateTime.Now",
            "DateTime.UtcNow",
            "DateTimeOffset.Now",
            "SystemClock",
            "Stopwatch",
            "new Random",
            "Random.Shared",
            "Guid.NewGuid",
            "RandomNumberGenerator",
            "File.",
            "HttpClient",
            "Environment.",
            "Thread.",
            "Task.",
        ];
        var files = Directory
            .GetFiles(Path.Combine(Root, "src", "Germinal.Core"), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains("/obj/", StringComparison.Ordinal))
            .ToList();
        Assert.NotEmpty(files);
        Assert.All(
            files,
            f =>
            {
                var text = File.ReadAllText(f);
                Assert.All(forbidden, word => Assert.DoesNotMatch($"(?<![A-Za-z]){Regex.Escape(word)}", text));
            }
        );
    }

    [Fact]
    public void Every_package_is_pinned_to_one_version()
    {
        var versions = XDocument
            .Load(Path.Combine(Root, "Directory.Packages.props"))
            .Descendants("PackageVersion")
            .Select(v => (string)v.Attribute("Version")!)
            .ToList();
        Assert.NotEmpty(versions);
        Assert.All(versions, v => Assert.Matches(@"^\[\d[\w.]*\]$", v));
    }
}
