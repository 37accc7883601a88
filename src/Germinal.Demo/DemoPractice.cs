using System.Text;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Time;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>
/// The demo practice as it was two years ago: invented people from a fixed seed and the practice's programs.
/// <see cref="DemoYears"/> lives through the years since. All ids come from the seed too, so that the same history comes out.
/// </summary>
public sealed class DemoPractice(IDbContextFactory<GerminalDb> databases)
{
    internal const int Seed = 20270301;
    internal static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];

    /// <summary>When its history begins and where it ends.</summary>
    internal static readonly LocalDate FirstDay = new(2025, 3, 3);

    internal static readonly Instant End = LocalClock.At(new LocalDateTime(2027, 3, 1, 8, 15), Zone);

    private static readonly Instant Begin = LocalClock.At(FirstDay + new LocalTime(8, 0), Zone);

    private static readonly string[] Files =
    [
        "first-eight-weeks",
        "year-round",
        "once-a-month",
        "birthday",
        "client-since",
        "review-date",
        "yearly-review",
        "market-letter",
        "retirement-at-65",
        "nobody-answered-you",
        "timing-was-wrong",
        "welcome-aboard",
        "referrers",
    ];

    /// <summary>What the practice is called.</summary>
    public const string Name = "Alder Quay Planning";

    /// <summary>The members of the demo practice.</summary>
    public static IReadOnlyList<(string Name, string Email, string Role)> Members { get; } =
    [("Ada Quill", "ada@example.com", "principal"), ("Tomas Brandt", "tomas@example.com", "adviser"), ("Wren Ekholm", "wren@example.com", "assistant")];

    internal static Guid Practice { get; } = StableId.Of(Guid.Empty, "demo/practice");

    internal static Guid MemberOf(string name) => StableId.Of(Practice, $"member/{name}");

    internal static Guid ProgramOf(string name) => StableId.Of(Practice, $"program/{name}");

    /// <summary>Creates the practice.</summary>
    /// <param name="users">For the members' sign-ins.</param>
    /// <param name="password">The password of all three.</param>
    /// <param name="empty">True for a practice with its members and nothing else.</param>
    /// <param name="stop">Gives up.</param>
    public async Task LoadAsync(UserManager<MemberUser> users, string password, bool empty, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = Practice;
        db.Practices.Add(
            new PracticeRow
            {
                Id = Practice,
                Name = Name,
                ZoneId = Zone.Id,
                Settings = Settings(),
            }
        );
        db.Clock.Add(new ClockRow { Now = empty ? End : Begin });
        await db.SaveChangesAsync(stop);
        foreach (var (name, email, role) in Members)
        {
            var capacity =
                role == "assistant"
                    ? []
                    : new Dictionary<string, int>
                    {
                        ["mon"] = 6,
                        ["tue"] = 6,
                        ["wed"] = 6,
                        ["thu"] = 6,
                        ["fri"] = 4,
                    };
            var member = new MemberUser
            {
                Id = MemberOf(name),
                PracticeId = Practice,
                Name = name,
                Email = email,
                UserName = email,
                Role = role,
                Capacity = capacity,
                DeputyId = role == "adviser" ? MemberOf("Ada Quill") : MemberOf("Tomas Brandt"),
            };
            var made = await users.CreateAsync(member, password);
            if (!made.Succeeded)
            {
                throw new InvalidOperationException($"The demo member {name} could not be made: {string.Join(" ", made.Errors.Select(e => e.Description))}");
            }
        }

        if (empty)
        {
            return;
        }

        var random = new Random(Seed);
        await Service.TagNames.EnsureAsync(
            db,
            ["Client", "Retirement", "First home", "School fees", "Protection", "Market letter", "Keep in touch", "Lightly", "Reader", "warm"],
            stop
        );
        AddPeople(db, new DemoPeople(random, Practice, [.. Members.Select(m => MemberOf(m.Name))]), random, 480);
        await db.SaveChangesAsync(stop);
        await AddProgramsAsync(db, stop);
    }

    private static PracticeSettings Settings() =>
        new()
        {
            HolidaysOf = "US",
            PostalAddress = "12 Quay Lane\nPort Averil, ME 04999",
            OpenChannels = ["call", "post"],
            Pipelines = [new PipelineSettings { Name = "Planning", Stages = ["Inquiry", "First meeting", "Plan drafted", "Proposal", "Client"] }],
            FallbackSender = MemberOf("Ada Quill"),
            LostReasons = ["fees", "timing", "went elsewhere", "no reply"],
            AppointmentTypes = ["first meeting", "yearly review", "signing"],
            Topics = ["Retirement", "First home", "School fees", "Protection", "Market letter"],
            Pace =
            [
                new PaceSettings
                {
                    Max = 2,
                    Days = 1,
                    Channels = ["email", "text"],
                },
                new PaceSettings
                {
                    Max = 4,
                    Days = 7,
                    Channels = ["email", "text"],
                },
            ],
            DailyLimits = new() { ["text"] = 100 },
        };

    private static void AddPeople(GerminalDb db, DemoPeople make, Random random, int count)
    {
        var people = new List<PersonRow>();
        var leapDays = 0;
        while (people.Count < count)
        {
            var roll = random.Next(100);
            var stage = roll < 56 ? "Planning/Client" : null;
            var added = Begin - Duration.FromDays(random.Next(20, 2400));
            var partner = people.Count > 0 && people[^1].Stage == stage && random.Next(100) < 22 ? people[^1] : null;
            var (person, dates, consent) = make.Make(stage, added, partner);
            if (leapDays < 2 && dates.Find(d => d.Name == "birthday") is { } birthday)
            {
                (birthday.Month, birthday.Day, birthday.Year) = (2, 29, leapDays == 0 ? 1972 : null);
                leapDays++;
            }

            people.Add(person);
            db.People.Add(person);
            db.KeyDates.AddRange(dates);
            db.Consent.AddRange(consent);
        }
    }

    private static async Task AddProgramsAsync(GerminalDb db, CancellationToken stop)
    {
        foreach (var file in Files)
        {
            await using var stream = typeof(DemoPractice).Assembly.GetManifestResourceStream($"demo/{file}.program.json")!;
            using var reader = new StreamReader(stream, Encoding.UTF8);
            var reading = ProgramFile.Read(await reader.ReadToEndAsync(stop));
            var program = reading.Program ?? throw new InvalidOperationException($"{file}: {reading.Errors[0].Pointer} {reading.Errors[0].Message}");
            var row = new ProgramRow
            {
                Id = ProgramOf(program.Name),
                PracticeId = Practice,
                Name = program.Name,
                Draft = ProgramFile.Write(program).ToJsonString(),
                DraftBy = "Ada Quill",
                CreatedAt = Begin,
            };
            db.Programs.Add(row);
            await db.SaveChangesAsync(stop);
            await ProgramDesk.PublishAsync(db, row, "Ada Quill", Begin, stop);
        }
    }
}
