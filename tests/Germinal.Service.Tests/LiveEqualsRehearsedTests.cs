using System.Globalization;
using CsCheck;
using Germinal.Channels.Letters;
using Germinal.Core.Almanac;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Tests;
using Germinal.Core.Tests.Engine;
using Germinal.Service.Almanac;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>
/// Rule 12.2: with the same events, the touches a live run settled are exactly those a rehearsal from its start gives. The
/// practices, programs, people and events are the generated ones of the core's own properties; here they are lived through
/// on PostgreSQL, by one worker or by several that are killed over and over.
/// </summary>
public sealed class LiveEqualsRehearsedTests
{
    private sealed record Settled(string Person, string Program, int Run, string Step, Guid? Reader, Instant At, string Outcome, string? Reason);

    /// <summary>The owner by one id, who has another in each world.</summary>
    private static readonly Guid Owner = Guid.Parse("ffffffff-0000-0000-0000-000000000001");

    /// <summary>Steps ask for a first name, and no task holds its run: nobody does tasks here.</summary>
    private static ProgramDefinition ForLiving(ProgramDefinition program)
    {
        var json = ProgramFile
            .Write(program)
            .ToJsonString()
            .Replace("\"body\":\"b\"", "\"body\":\"{{ person.first_name }}\"", StringComparison.Ordinal)
            .Replace("\"holds\":true", "\"holds\":false", StringComparison.Ordinal);
        return ProgramFile.Read(json).Program!;
    }

    public static TheoryData<int, int> Cases
    {
        get
        {
            var cases = new TheoryData<int, int>();
            var wanted = int.Parse(Environment.GetEnvironmentVariable("GERMINAL_LIVED_WORLDS") ?? "8", CultureInfo.InvariantCulture);
            for (var i = 0; i < wanted; i++)
            {
                cases.Add(i, i % 2 == 0 ? 1 : 3);
            }

            return cases;
        }
    }

    [Theory, MemberData(nameof(Cases))]
    public async Task Rule_12_2_generated_practices_live_as_they_were_rehearsed(int seed, int workers)
    {
        var (practice, programs, people, engine, foreseen) = LivelyWorld(seed);
        await using var world = await World.AtAsync("2027-02-01T00:00");
        await PrepareAsync(world, practice, programs, people);
        var random = new Random(seed);
        foreach (var (person, happening) in people.SelectMany(p => p.Events.Select(e => (p.Person.Id, e))).OrderBy(e => e.e.At))
        {
            // The change and its event come at the very moment, before anything else of it.
            await MoveAsync(world, happening.At - Duration.FromMilliseconds(1), workers, random);
            await HappenAsync(world, person, happening, engine);
        }

        await MoveAsync(world, Worlds.End - Duration.FromMilliseconds(1), workers, random);
        var lived = await LivedAsync(world, programs);
        Assert.True(
            foreseen.SequenceEqual(lived),
            $"foreseen only:\n{string.Join('\n', foreseen.Except(lived))}\nlived only:\n{string.Join('\n', lived.Except(foreseen))}\nthe world:\n{string.Join('\n', programs.Select(p => ProgramFile.Write(p).ToJsonString()))}\n{string.Join('\n', people.Select(p => $"{p.Person.Id}: {string.Join("; ", p.Events)}"))}"
        );
        await using var db = world.Db();
        Assert.False(await db.States.AnyAsync(s => s.SetAside != null));
        Assert.Equal(world.Mail.Sent.Count, world.Mail.Sent.Select(m => m.MessageId).Distinct().Count());
        Assert.Equal(await db.Messages.CountAsync(m => m.Channel == "email"), world.Mail.Sent.Count);
        Assert.Equal(await db.Messages.CountAsync(m => m.Channel == "text"), world.Texts.Sent.Count);
    }

    /// <summary>What the almanac says of the days ahead is what then happens in them, where nobody does anything.</summary>
    [Theory, InlineData(3), InlineData(11), InlineData(5)]
    public async Task The_almanac_is_what_then_happens(int seed)
    {
        var (practice, programs, people, _, _) = LivelyWorld(seed);
        await using var world = await World.AtAsync("2027-02-01T00:00");
        await PrepareAsync(world, practice, programs, people);
        await world.Room.WorkAsync(default);
        await using var db = world.Db();
        using var room = new AlmanacRoom(world.Programs);
        var foreseen = await room.OfAsync(db, default);
        await MoveAsync(world, Worlds.End - Duration.FromMilliseconds(1), 1, new Random(seed));
        var lived = await db
            .Touches.AsNoTracking()
            .Where(t => t.SettledAt != null && t.SettledAt > foreseen.From && (t.Status == TouchStatus.Sent || t.Status == TouchStatus.Open || t.Status == TouchStatus.Done))
            .Where(t => t.Kind == "email" || t.Kind == "text" || t.Kind == "call" || t.Kind == "note" || t.Kind == "task")
            .Select(t => new { t.PersonId, t.Id, At = t.SettledAt!.Value })
            .ToListAsync();
        var said = foreseen.All.Where(t => t.Standing == Standing.Goes && t.At > foreseen.From && t.At < Worlds.End).Select(t => new { t.PersonId, Id = t.TouchId, t.At });
        Assert.NotEmpty(lived);
        Assert.Equal(lived.OrderBy(t => t.At).ThenBy(t => t.Id), said.OrderBy(t => t.At).ThenBy(t => t.Id));
    }

    /// <summary>Kept warm through everything that happens, it says what one that was just worked out says.</summary>
    [Theory, InlineData(4), InlineData(9), InlineData(20)]
    public async Task A_warm_almanac_says_what_a_cold_one_says(int seed)
    {
        var (practice, programs, people, engine, _) = LivelyWorld(seed);
        await using var world = await World.AtAsync("2027-02-01T00:00");
        await PrepareAsync(world, practice, programs, people);
        var random = new Random(seed);
        using var warm = new AlmanacRoom(world.Programs);
        var looks = 0;
        foreach (var (person, happening) in people.SelectMany(p => p.Events.Select(e => (p.Person.Id, e))).OrderBy(e => e.e.At))
        {
            await MoveAsync(world, happening.At - Duration.FromMilliseconds(1), 1, random);
            await HappenAsync(world, person, happening, engine);
            await MoveAsync(world, happening.At, 1, random);
            await using var db = world.Db();
            using var cold = new AlmanacRoom(world.Programs);
            Assert.Equal(Says(await cold.OfAsync(db, default), happening.At), Says(await warm.OfAsync(db, default), happening.At));
            looks++;
        }

        Assert.True(looks > 3);
    }

    private static List<(Guid, Instant, Standing, string?)> Says(Foreseen foreseen, Instant now) =>
        [.. foreseen.All.Where(t => t.At > now).Select(t => (t.TouchId, t.At, t.Standing, t.Why)).Order()];

    /// <summary>The first generated world from a seed on in which a good deal happens.</summary>
    private static (Practice Practice, List<ProgramDefinition> Programs, List<Actor> People, TouchEngine Engine, List<Settled> Foreseen) LivelyWorld(int seed)
    {
        for (var stream = (uint)seed * 1000; ; stream++)
        {
            var generated = Worlds.Any.Generate(new PCG(stream, 20270201), null, out _);
            var programs = generated.Programs.Select(ForLiving).ToList();
            var people = generated
                .People.Select(p => p with { Person = p.Person with { Handle = p.Person.Id.ToString() }, Events = [.. Possible(p.Events)] })
                .ToList();
            var engine = Given.EngineWith(generated.Practice, new LiquidLetters(), [.. programs]);
            var foreseen = Rehearse(engine, people);
            if (foreseen.Count >= 12)
            {
                return (generated.Practice, programs, people, engine, foreseen);
            }
        }
    }

    /// <summary>Nobody here moves or cancels an appointment that was not made.</summary>
    private static IEnumerable<Happening> Possible(IEnumerable<Happening> events)
    {
        var booked = 0;
        foreach (var happening in events)
        {
            if (booked > 0 || happening is not (AppointmentMade { Moved: true } or AppointmentCancelled))
            {
                booked += happening switch
                {
                    AppointmentMade { Moved: false } => 1,
                    AppointmentCancelled => -1,
                    _ => 0,
                };
                yield return happening;
            }
        }
    }

    private static List<Settled> Rehearse(TouchEngine engine, IReadOnlyList<Actor> people)
    {
        var all = new List<Settled>();
        Rehearsal.OfMany(
            engine,
            people,
            Worlds.Begin,
            Worlds.End,
            (_, actor, touches) =>
            {
                lock (all)
                {
                    all.AddRange(
                        touches
                            .Where(t => t.SettledAt is not null)
                            .Select(t => new Settled(
                                actor.Person.Handle,
                                t.Program.Definition.Name,
                                t.Run,
                                t.Step.Id,
                                t.Reader == Given.Ada.Id ? Owner : t.Reader,
                                t.SettledAt!.Value,
                                TouchStatuses.Of(t.Outcome!.Value).Word(),
                                t.Reason
                            ))
                    );
                }
            },
            null,
            CancellationToken.None
        );
        return Ordered(all);
    }

    private static List<Settled> Ordered(IEnumerable<Settled> touches) =>
        [
            .. touches
                .OrderBy(t => t.At)
                .ThenBy(t => t.Person, StringComparer.Ordinal)
                .ThenBy(t => t.Program, StringComparer.Ordinal)
                .ThenBy(t => t.Run)
                .ThenBy(t => t.Step, StringComparer.Ordinal)
                .ThenBy(t => t.Reader),
        ];

    private static async Task PrepareAsync(World world, Practice practice, List<ProgramDefinition> programs, List<Actor> people)
    {
        await using var db = world.Db();
        var row = await db.Practices.SingleAsync(p => p.Id == world.Practice);
        row.Settings = new PracticeSettings
        {
            Holidays = [.. practice.Calendar.Holidays],
            OpenChannels = ["call", "post"],
            PostalAddress = practice.PostalAddress,
            QuietFrom = practice.QuietHours.From.ToString("HH:mm", CultureInfo.InvariantCulture),
            QuietTo = practice.QuietHours.To.ToString("HH:mm", CultureInfo.InvariantCulture),
            Pace =
            [
                .. practice.Pace.Select(p => new PaceSettings
                {
                    Max = p.Max,
                    Days = p.Days,
                    Channels = [.. p.Channels.Select(ContactWords.Of)],
                }),
            ],
            DailyLimits = practice.DailyLimits.ToDictionary(l => ContactWords.Of(l.Key), l => l.Value),
        };
        if (practice.Members[0].MostEmails is { } most)
        {
            var server = new MailServerSettings { Host = "mail.example.com", Port = 465 };
            db.MailAccounts.Add(new MailAccountRow { MemberId = world.Ada, PracticeId = world.Practice, Address = "ada@example.com", Out = server, PerDay = most });
        }

        db.Households.Add(
            new HouseholdRow
            {
                Id = Worlds.Home.Id,
                PracticeId = world.Practice,
            }
        );
        db.Relations.AddRange(
            people
                .SelectMany(p => p.Person.Relations.Select(r => (p.Person.Id, r)))
                .Select(r => new RelationRow
                {
                    PracticeId = world.Practice,
                    PersonId = r.Id,
                    OtherId = r.r.OtherId,
                    Role = r.r.Role,
                    Back = "client",
                    By = "Ada Quill",
                })
        );
        foreach (var facts in people.Select(p => p.Person).Concat(Worlds.Solicitors))
        {
            db.People.Add(
                new PersonRow
                {
                    Id = facts.Id,
                    PracticeId = world.Practice,
                    FirstName = facts.FirstName,
                    LastName = facts.LastName,
                    Email = facts.Email,
                    Mobile = facts.Mobile,
                    Address = facts.Address,
                    ZoneId = facts.Zone?.Id,
                    HouseholdId = facts.Household?.Id,
                    OwnerId = world.Ada,
                    DoNotContact = facts.DoNotContact,
                    AddedAt = Worlds.Begin,
                }
            );
            db.KeyDates.AddRange(
                facts.KeyDates.Select(d => new KeyDateRow
                {
                    PracticeId = world.Practice,
                    PersonId = facts.Id,
                    Name = d.Name,
                    Month = d.Date.Month,
                    Day = d.Date.Day,
                    Year = d.Date.Year,
                    Yearly = true,
                })
            );
            db.Consent.AddRange(
                facts.Consent.Select(c => new ConsentRow
                {
                    PracticeId = world.Practice,
                    PersonId = facts.Id,
                    Channel = ContactWords.Of(c.Channel),
                    Purpose = "commercial",
                    IsIn = c.In,
                    At = c.At,
                    Source = c.Source,
                })
            );
        }

        await db.SaveChangesAsync();
        foreach (var program in programs)
        {
            var draft = new ProgramRow
            {
                Id = Given.IdOf(program),
                PracticeId = world.Practice,
                Name = program.Name,
                Draft = ProgramFile.Write(program).ToJsonString(),
                CreatedAt = Worlds.Begin,
            };
            db.Programs.Add(draft);
            await db.SaveChangesAsync();
            await ProgramDesk.PublishAsync(db, draft, "Ada", Worlds.Begin, default);
        }
    }

    private static async Task HappenAsync(World world, Guid person, Happening happening, TouchEngine engine)
    {
        await using var db = world.Db();
        var desk = new PeopleDesk(db, "Ada Quill", happening.At);
        switch (happening)
        {
            case Replied or Opened or ProgramPaused or ProgramResumed or Won or Lost:
                await desk.RecordAsync(person, happening, default);
                break;
            case StartedByHand s:
                await desk.StartProgramAsync([person], s.ProgramId, false, default);
                break;
            case TagPutOn t:
                await desk.PutTagAsync([person], t.Tag, default);
                break;
            case TagTakenOff t:
                await desk.TakeTagAsync([person], t.Tag, default);
                break;
            case EnteredStage e:
                await desk.MoveStageAsync([person], e.Stage, default);
                break;
            case ConsentGiven c:
                await desk.AddConsentAsync(person, ContactWords.Of(c.Channel), "commercial", null, c.In, "express", "said so", null, default);
                break;
            case StepTaskEnded t:
                var step = engine.Shelf.Find(t.ProgramId, 1).Definition.StepOf(t.StepId);
                var open = await db
                    .Touches.Where(x =>
                        x.PersonId == person
                        && x.ProgramId == t.ProgramId
                        && x.StepId == t.StepId
                        && (x.Status == TouchStatus.Open || (x.Status == TouchStatus.Planned && step is TaskStep))
                    )
                    .OrderBy(x => x.Status == TouchStatus.Open ? 0 : 1)
                    .ThenBy(x => x.SettledAt)
                    .ThenBy(x => x.Due)
                    .FirstOrDefaultAsync();
                if (open is not null)
                {
                    await desk.RecordAsync(person, new TaskEnded(happening.At, open.Id, t.Outcome), default);
                }

                break;
            case Inquired i:
                await new DealingsDesk(db, desk, happening.At).InquireAsync(person, i.Form, "form", "x", default);
                break;
            case InquiriesAnswered:
                await new DealingsDesk(db, desk, happening.At).AnswerAsync(person, "Ada Quill", Inquiries.InquiryOutcomes.Marked, default);
                break;
            case AppointmentMade or AppointmentCancelled:
                var dealings = new DealingsDesk(db, desk, happening.At);
                var newest = await db
                    .Appointments.Where(a => a.PersonId == person && a.CancelledAt == null)
                    .OrderByDescending(a => a.Id)
                    .FirstOrDefaultAsync();
                await (
                    happening switch
                    {
                        AppointmentMade { Moved: true } moved => dealings.MoveAsync(newest!, moved.Moment, default),
                        AppointmentMade made => dealings.BookAsync(person, made.Type!, made.Moment, null, null, default),
                        _ => dealings.CancelAsync(newest!, default),
                    }
                );
                break;
            default:
                throw new InvalidOperationException($"Nothing here does {happening}.");
        }
    }

    /// <summary>Moves the clock with so many workers; more than one are killed every few milliseconds and started again.</summary>
    private static async Task MoveAsync(World world, Instant to, int workers, Random random)
    {
        await using var db = world.Db();
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, c => c.Now).SetProperty(c => c.MoveTo, to));
        if (workers == 1)
        {
            await world.Room.WorkAsync(default);
            return;
        }

        while (await db.Clock.AnyAsync(c => c.MoveTo != null))
        {
            using var kill = new CancellationTokenSource(TimeSpan.FromMilliseconds(random.Next(30, 400)));
            await Task.WhenAll(
                Enumerable
                    .Range(0, workers)
                    .Select(async _ =>
                    {
                        try
                        {
                            await Task.Run(() => world.NewRoom().WorkAsync(kill.Token));
                        }
                        catch (Exception e) when (kill.IsCancellationRequested && e is not Xunit.Sdk.XunitException)
                        {
                            // Killed in the middle of something.
                        }
                    })
            );
            await db
                .Touches.Where(t => t.Status == TouchStatus.Handing)
                .ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue), CancellationToken.None);
        }
    }

    private static async Task<List<Settled>> LivedAsync(World world, List<ProgramDefinition> programs)
    {
        await using var db = world.Db();
        var runs = await db.Runs.AsNoTracking().ToDictionaryAsync(r => r.Id, r => r.Number);
        var touches = await db.Touches.AsNoTracking().Where(t => t.SettledAt != null).ToListAsync();
        return Ordered(
            touches.Select(t => new Settled(
                t.PersonId.ToString(),
                programs.Single(p => Given.IdOf(p) == t.ProgramId).Name,
                runs[t.RunId],
                t.StepId,
                t.ReaderId == world.Ada ? Owner : t.ReaderId,
                t.ClosedAt ?? t.SettledAt!.Value,
                t.Status.Word(),
                t.CallOutcome ?? t.Reason
            ))
        );
    }
}
