using System.Text;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Demo;

/// <summary>
/// The demo practice: invented people from a fixed seed, three programs, and eight weeks lived through by the engine
/// itself, so that every touch in it was decided and sent like any other. Members' doings are drawn from the same seed.
/// </summary>
public sealed class DemoPractice(IDbContextFactory<GerminalDb> databases, EngineRoom room)
{
    private const int Seed = 20270301;
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private static readonly Instant Begin = LocalClock.At(new LocalDateTime(2027, 1, 4, 8, 0), Zone);
    private static readonly Instant End = LocalClock.At(new LocalDateTime(2027, 3, 1, 8, 15), Zone);

    /// <summary>The members of the demo practice.</summary>
    public static IReadOnlyList<(string Name, string Email, string Role)> Members { get; } =
        [("Ada Quill", "ada@example.com", "principal"), ("Tomas Brandt", "tomas@example.com", "adviser"), ("Wren Ekholm", "wren@example.com", "assistant")];

    /// <summary>Creates the practice and lives through its weeks. The stand-in mail server must be up.</summary>
    /// <param name="users">For the members' sign-ins.</param>
    /// <param name="password">The password of all three.</param>
    /// <param name="empty">True for a practice with its members and nothing else.</param>
    /// <param name="report">Told how far it is.</param>
    /// <param name="stop">Gives up.</param>
    public async Task LoadAsync(UserManager<MemberUser> users, string password, bool empty, Action<string> report, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        var practice = new PracticeRow
        {
            Id = Guid.CreateVersion7(),
            Name = "Alder Quay Planning",
            ZoneId = Zone.Id,
            Settings = new PracticeSettings
            {
                HolidaysOf = "US",
                PostalAddress = "12 Quay Lane\nPort Averil, ME 04999",
                OpenChannels = ["call", "post"],
                Pipelines = [new PipelineSettings { Name = "Planning", Stages = ["Inquiry", "First meeting", "Plan drafted", "Proposal", "Client"] }],
            },
        };
        db.Practices.Add(practice);
        db.PracticeId = practice.Id;
        db.Clock.Add(new ClockRow { Now = empty ? End : Begin, SweptUntil = Instant.MinValue });
        await db.SaveChangesAsync(stop);
        var members = new List<Guid>();
        foreach (var (name, email, role) in Members)
        {
            var member = new MemberUser { Id = Guid.CreateVersion7(), PracticeId = practice.Id, Name = name, Email = email, UserName = email, Role = role };
            var made = await users.CreateAsync(member, password);
            if (!made.Succeeded)
            {
                throw new InvalidOperationException($"The demo member {name} could not be made: {string.Join(" ", made.Errors.Select(e => e.Description))}");
            }

            members.Add(member.Id);
        }

        practice.Settings = Copy(practice.Settings, members[0]);
        await db.SaveChangesAsync(stop);
        if (empty)
        {
            return;
        }

        var random = new Random(Seed);
        var makePeople = new DemoPeople(random, practice.Id, members);
        report("making 640 people");
        await TagNames.EnsureAsync(db, ["Client", "Retirement", "First home", "School fees", "Protection", "Market letter", "Keep in touch", "warm"], stop);
        var people = AddPeople(db, makePeople, random, 560);
        await db.SaveChangesAsync(stop);
        await AddProgramsAsync(db, stop);
        db.ChangeTracker.Clear();
        await LiveAsync(db, makePeople, people, random, report, stop);
    }

    private static PracticeSettings Copy(PracticeSettings s, Guid fallback) => new()
    {
        HolidaysOf = s.HolidaysOf, PostalAddress = s.PostalAddress, OpenChannels = s.OpenChannels, Pipelines = s.Pipelines, FallbackSender = fallback,
    };

    private static List<PersonRow> AddPeople(GerminalDb db, DemoPeople make, Random random, int count)
    {
        var people = new List<PersonRow>();
        var leapDays = 0;
        while (people.Count < count)
        {
            var roll = random.Next(100);
            var stage = roll < 52 ? "Planning/Client" : roll < 60 ? "Planning/First meeting" : roll < 64 ? "Planning/Plan drafted" : roll < 67 ? "Planning/Proposal" : null;
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

        return people;
    }

    private static async Task AddProgramsAsync(GerminalDb db, CancellationToken stop)
    {
        foreach (var file in new[] { "first-eight-weeks", "year-round", "birthday" })
        {
            await using var stream = typeof(DemoPractice).Assembly.GetManifestResourceStream($"demo/{file}.program.json")!;
            using var reader = new StreamReader(stream, Encoding.UTF8);
            var reading = ProgramFile.Read(await reader.ReadToEndAsync(stop));
            var program = reading.Program ?? throw new InvalidOperationException($"{file}: {reading.Errors[0].Pointer} {reading.Errors[0].Message}");
            var row = new ProgramRow
            {
                Id = Guid.CreateVersion7(), PracticeId = db.PracticeId!.Value, Name = program.Name, Draft = ProgramFile.Write(program).ToJsonString(), DraftBy = "Ada Quill", CreatedAt = Begin,
            };
            db.Programs.Add(row);
            await db.SaveChangesAsync(stop);
            await ProgramDesk.PublishAsync(db, row, "Ada Quill", Begin, stop);
        }
    }

    /// <summary>Eight weeks: each working day inquiries come at ten, stages move at noon, calls are made at four.</summary>
    private async Task LiveAsync(GerminalDb db, DemoPeople make, List<PersonRow> people, Random random, Action<string> report, CancellationToken stop)
    {
        var clients = people.Where(p => p.Stage == "Planning/Client").ToList();
        var asked = new List<Guid>();
        var kept = 0;
        for (var day = new LocalDate(2027, 1, 4); day < new LocalDate(2027, 3, 1); day = day.PlusDays(1))
        {
            if (day.DayOfWeek is IsoDayOfWeek.Saturday or IsoDayOfWeek.Sunday)
            {
                continue;
            }

            report($"living through {day:d MMMM}");
            db.ChangeTracker.Clear();
            var ten = await MoveAsync(day + new LocalTime(10, 4), stop);
            {
                // Five clients a day are put on the year-round letters, as a member would who works through the list.
                var some = clients.Skip(kept).Take(5).Select(c => c.Id).ToArray();
                kept += some.Length;
                await Desk(db, "Wren Ekholm", ten).PutTagAsync(some, "Keep in touch", stop);
            }

            // On the last Friday two leave the first box of the form empty.
            var friday = day == new LocalDate(2027, 2, 26);
            for (var n = Math.Max(random.Next(1, 4), friday ? 2 : 1); n > 0; n--)
            {
                asked.Add(await InquireAsync(db, make, random, ten, noName: friday && n <= 2, stop));
            }

            var noon = await MoveAsync(day + new LocalTime(12, 20), stop);
            foreach (var id in asked.Where(_ => random.Next(100) < 3).ToArray())
            {
                asked.Remove(id);
                if (random.Next(2) == 0)
                {
                    await Desk(db, "Ada Quill", noon).RecordAsync(id, EventKinds.Replied, new() { ["channel"] = "email", ["text"] = "Thursday morning would suit me. Shall I bring the papers?" }, stop);
                }

                await Desk(db, "Ada Quill", noon).MoveStageAsync([id], "Planning/First meeting", stop);
            }

            if (random.Next(100) < 12)
            {
                var leaver = clients[random.Next(clients.Count)];
                await Desk(db, "Tomas Brandt", noon).AddConsentAsync(leaver.Id, "email", "commercial", null, false, "express", "told Tomas on the phone", "too many letters", stop);
            }

            var four = await MoveAsync(day + new LocalTime(16, 10), stop);
            await MakeCallsAsync(db, random, day < new LocalDate(2027, 2, 25) ? 88 : 45, four, stop);
        }

        // On the last Friday a few who had gone quiet ask again: they have been through it, and wait for a member.
        var late = await MoveAsync(new LocalDateTime(2027, 2, 26, 16, 40), stop);
        var again = await db.Runs.AsNoTracking().Where(r => r.EndedAt != null && r.StopReason == "replied").OrderBy(r => r.StartedAt).Select(r => r.PersonId).Take(3).ToArrayAsync(stop);
        await Desk(db, "Wren Ekholm", late).MoveStageAsync(again, "Planning/Inquiry", stop);
        await MoveAsync(End.InZone(Zone).LocalDateTime, stop);
    }

    private static PeopleDesk Desk(GerminalDb db, string member, Instant at) => new(db, member, at);

    private static async Task<Guid> InquireAsync(GerminalDb db, DemoPeople make, Random random, Instant at, bool noName, CancellationToken stop)
    {
        var (person, dates, consent) = make.Make("Planning/Inquiry", at, null);
        person.Stage = null;
        person.StageSince = null;
        person.Source = "web form";
        if (noName)
        {
            person.FirstName = null;
            PersonNames.Refresh(person);
        }

        db.People.Add(person);
        db.KeyDates.AddRange(dates);
        db.Consent.AddRange(consent);
        await db.SaveChangesAsync(stop);
        await Desk(db, "web form", at).MoveStageAsync([person.Id], "Planning/Inquiry", stop);
        return person.Id;
    }

    private static async Task MakeCallsAsync(GerminalDb db, Random random, int percent, Instant at, CancellationToken stop)
    {
        var calls = await db.Touches.Where(t => t.Status == "open" && t.Kind == "call").OrderBy(t => t.Due).ThenBy(t => t.Id).ToListAsync(stop);
        foreach (var call in calls.Where(_ => random.Next(100) < percent))
        {
            var outcome = random.Next(100) switch { < 45 => "spoke", < 75 => "left word", < 95 => "no answer", _ => "not interested" };
            call.Status = "done";
            call.CallOutcome = outcome;
            call.ClosedAt = at;
            db.Events.Add(Desk(db, random.Next(2) == 0 ? "Ada Quill" : "Tomas Brandt", at).NewEvent(call.PersonId, EventKinds.CallEnded, new() { ["touch"] = call.Id.ToString(), ["outcome"] = outcome }));
        }

        await db.SaveChangesAsync(stop);
        db.ChangeTracker.Clear();
    }

    /// <summary>Lets the engine run to a moment.</summary>
    private async Task<Instant> MoveAsync(LocalDateTime local, CancellationToken stop)
    {
        var target = LocalClock.At(local, Zone);
        await using (var db = await databases.CreateDbContextAsync(stop))
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, c => c.Now).SetProperty(c => c.MoveTo, target), stop);
        }

        await room.WorkAsync(stop);
        return target;
    }
}
