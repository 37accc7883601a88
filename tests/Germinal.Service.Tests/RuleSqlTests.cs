using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Rules judged in memory and as SQL find the same people, whatever the rule and whoever the people are.</summary>
public sealed class RuleSqlTests : IDisposable
{
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private static readonly string?[] Texts =
    [
        null,
        "",
        "Ida",
        "IDA",
        "Zoë",
        "zoë",
        "ZOË",
        "Zoe",
        "straße",
        "STRASSE",
        "ıstanbul",
        "Istanbul",
        "ſtop",
        "STOP",
        "Ωmega",
        "ωMEGA",
        "ς",
        "Σ",
        "10",
        "10.5",
        "-3",
        "010",
        "1e3",
        "2027-02-28",
        "2027-02-29",
        "2028-02-29",
        "--02-29",
        "--02-30",
        "0000-01-01",
        "2027-2-1",
        " ",
        "x_y%z",
        "🌱",
        "a\nb",
        "{0}",
        "it's",
    ];
    private readonly TestDatabase database = new();
    private readonly LocalDate[] todays = [new(2027, 2, 28), new(2027, 3, 1), new(2028, 2, 29), new(2027, 3, 31), new(2027, 11, 7)];

    public void Dispose() => database.Dispose();

    private static T Of<T>(Random random, params T[] values) => values[random.Next(values.Length)];

    private static string? Text(Random random) => Of(random, Texts);

    private static Instant? Moment(Random random) =>
        random.Next(3) == 0
            ? null
            : Instant.FromUtc(2027, 3, 1, 4, 59)
                + Duration.FromMinutes(Of(random, 0, 1, 2, -1440, -43200, 1440, 60 * 24 * 30, 60 * 24 * 365, -60 * 24 * 400));

    private static PersonRow Row(Random random, Guid practice, int i) =>
        new()
        {
            Id = new Guid(i, 0, 0, 0, 0, 0, 0, 0, 0, 0, 9),
            PracticeId = practice,
            FirstName = Text(random),
            LastName = Text(random),
            Email = Of(random, null, "ida@example.com", "ZOE@EXAMPLE.COM"),
            OtherPhone = Of(random, null, "+12075550100"),
            Address = Of(
                random,
                Text(random),
                "1 Harbor Lane\nMeadowport, ME 04999",
                "2 Harbor Lane\nMeadowport, Maine 04999",
                "9 Feldweg\n04999 Zwenkau",
                "3 Mill Row\nBathwick BA1 1AA\nEngland"
            ),
            ZoneId = Of(random, null, "America/Denver", "Europe/London"),
            OwnerId = null,
            Stage = Of(random, null, "Planning/Inquiry", "Planning/CLIENT", "Plänung/Client"),
            StageSince = Moment(random),
            Source = Text(random),
            Tags =
            [
                .. Enumerable
                    .Range(0, random.Next(3))
                    .Select(_ => Of(random, "Warm", "warm", "VIP", "Zoë", "ı", "10"))
                    .Distinct(StringComparer.OrdinalIgnoreCase),
            ],
            Lists = [.. Enumerable.Range(0, random.Next(3)).Select(_ => Of(random, "News", "März")).Distinct(StringComparer.OrdinalIgnoreCase)],
            Custom = random.Next(2) == 0 ? [] : new() { [Of(random, "plan", "Plan", "größe")] = random.Next(3) == 0 ? $"{Text(random)};{Text(random)};{Text(random)}" : Text(random) ?? "" },
            LostReason = Text(random),
            AddedAt = Moment(random) ?? NodaConstants.UnixEpoch,
            DoNotContact = random.Next(5) == 0,
            Archived = random.Next(6) == 0,
        };

    /// <summary>Places as they are kept with a person's row; the address itself may be any text.</summary>
    private static PersonRow Placed(PersonRow row)
    {
        PersonNames.Refresh(row);
        return row;
    }

    /// <summary>Segments that ask for each other, for archived people, and for what people did.</summary>
    private static readonly Dictionary<string, Rule> Saved = new(StringComparer.OrdinalIgnoreCase)
    {
        ["Warm"] = new Leaf("tags", RuleOp.Has, ["warm"]),
        ["gone"] = new AllOf([new Leaf("archived", RuleOp.Exists, []), new Leaf("segment", RuleOp.HasNot, ["Warm"])]),
        ["27"] = new AnyOf([new Leaf("segment", RuleOp.In, ["Gone", "warm"]), new Leaf("opened", RuleOp.InLast, ["P30D"])]),
        ["round"] = new Leaf("segment", RuleOp.Has, ["ROUND"]),
    };

    private static IEnumerable<KeyDateRow> Dates(Random random, PersonRow person)
    {
        foreach (var name in new[] { "birthday", Of(random, "wedding", "Wedding") }.Where(_ => random.Next(3) > 0))
        {
            var (month, day) = Of(random, (2, 28), (2, 29), (3, 1), (3, 31), (12, 31), (1, 1), (11, 7));
            int? year = random.Next(3) == 0 ? null : Of(random, 1960, 1988, 2000, 2026, 2027);
            if (YearlyDate.TryCreate(month, day, year) is not null)
            {
                yield return new KeyDateRow
                {
                    PersonId = person.Id,
                    PracticeId = person.PracticeId,
                    Name = name,
                    Month = month,
                    Day = day,
                    Year = year,
                    Yearly = true,
                };
            }
        }
    }

    private static readonly Gen<Rule> Leaves = Gen.Select(
            Pick([.. RuleField.Names, "custom:plan", "custom:GRÖSSE", "date:wedding", "date:birthday",
                "relation:spouse", "relation:CLIENT", "relation:solicitor",
                "got:first", "got:First/a", "got:Zweites/b", "opened:First", "followed:rates", "answered:email", "started:First", "finished:zweites", "inquired:talk", "met:Review", "missed:review", "lost:fees", "won", "lost:"]),
            Gen.Enum<RuleOp>(),
            Pick([
                .. Texts.Select(t => t ?? "none"),
                "warm",
                "planning/client",
                "denver",
                "P30D",
                "PT24H",
                "P1M",
                "P1Y",
                "2027-02-28",
                "2027-03-01",
                "60",
                "27",
                "0",
                "1",
                "2",
                "3",
                "11",
                "news",
                "MÄRZ",
                "yes",
                "in",
                "inquiry",
                "out",
                "First",
                "second",
                "EXAMPLE",
                "this",
                "next",
                "me",
                "Meadowport",
                "04999",
                "England",
                "GONE",
                "round",
                "First/a",
                "email",
                "--",
                "-02-",
            ]),
            Pick("warm", "IDA", "27", "in")
        )
        .Select(
            (field, op, value, other) =>
                (Rule)
                    new Leaf(
                        field,
                        op,
                        op is RuleOp.In or RuleOp.NotIn ? [value, other]
                            : op is RuleOp.Exists or RuleOp.Missing ? []
                            : [value]
                    )
        );

    private static readonly Gen<Rule> Rules = Gen.Recursive<Rule>(
        (depth, inner) =>
            depth > 2
                ? Leaves
                : Gen.Frequency(
                    (6, Leaves),
                    (1, inner.Array[0, 3].Select(p => (Rule)new AllOf(p))),
                    (1, inner.Array[0, 3].Select(p => (Rule)new AnyOf(p))),
                    (1, inner.Select(p => (Rule)new Not(p)))
                )
    );

    private static Gen<T> Pick<T>(params T[] values) => Gen.Int[0, values.Length - 1].Select(i => values[i]);

    [Fact]
    public async Task Sql_and_memory_agree_on_generated_rules_and_people()
    {
        var random = new Random(11);
        var (practice, _, _) = await database.PracticeAsync(Instant.FromUtc(2027, 1, 1, 0, 0));
        await using var db = database.For(practice);
        var rows = Enumerable.Range(1, 250).Select(i => Placed(Row(random, practice, i))).ToList();
        var houses = Enumerable.Range(0, 3).Select(i => new HouseholdRow { Id = new Guid(i, 7, 0, 0, 0, 0, 0, 0, 0, 0, 0), PracticeId = practice }).ToList();
        db.Households.AddRange(houses);
        foreach (var row in rows.Where(_ => random.Next(3) == 0))
        {
            row.HouseholdId = Of(random, [.. houses]).Id;
        }

        db.People.AddRange(rows);
        db.Relations.AddRange(
            Enumerable
                .Range(0, 120)
                .Select(_ => (A: Of(random, [.. rows]), B: Of(random, [.. rows]), Role: Of(random, ("spouse", "spouse"), ("solicitor", "client"), ("Client", "Solicitor"))))
                .Where(r => r.A != r.B)
                .DistinctBy(r => (r.A.Id, r.B.Id, r.Role))
                .Select(r => new RelationRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = practice,
                    PersonId = r.A.Id,
                    OtherId = r.B.Id,
                    Role = r.Role.Item1,
                    Back = r.Role.Item2,
                    By = "t",
                })
        );
        db.KeyDates.AddRange(rows.SelectMany(r => Dates(random, r)));
        db.Consent.AddRange(
            rows.SelectMany(r =>
                Enumerable
                    .Range(0, random.Next(4))
                    .Select(_ => new ConsentRow
                    {
                        PracticeId = practice,
                        PersonId = r.Id,
                        Channel = Of(random, "email", "text", "call", "post"),
                        Purpose = Of(random, null, "commercial", "transactional"),
                        Topic = Of(random, null, null, "news"),
                        IsIn = random.Next(2) == 0,
                        Basis = Of(random, "express", "inquiry", "client"),
                        At = Moment(random) ?? NodaConstants.UnixEpoch,
                        Source = "s",
                    })
            )
        );
        var programs = new[] { "First", "Zweites" }
            .Select(n => new ProgramRow
            {
                Id = Guid.NewGuid(),
                PracticeId = practice,
                Name = n,
                Draft = "{}",
            })
            .ToList();
        db.Programs.AddRange(programs);
        var runs = rows.SelectMany(r =>
                programs
                    .Where(_ => random.Next(3) == 0)
                    .Select(p => new RunRow
                    {
                        Id = Guid.NewGuid(),
                        PracticeId = practice,
                        PersonId = r.Id,
                        ProgramId = p.Id,
                        Version = 1,
                        Number = 1,
                        StartedAt = NodaConstants.UnixEpoch,
                        Cause = new StartCause(CauseKind.Hand, ""),
                        EndedAt = Moment(random),
                        StopReason = Of(random, null, "replied"),
                    })
            )
            .ToList();
        db.Runs.AddRange(runs);
        Did(db, random, practice, rows, runs);
        await db.SaveChangesAsync();
        var states = await db.States.ToDictionaryAsync(s => s.PersonId);
        foreach (var r in rows)
        {
            var state = states[r.Id];
            (state.LastTouchAt, state.LastReplyAt, state.NextTouchAt) = (
                Moment(random) ?? Instant.MinValue,
                Moment(random),
                Moment(random) ?? Instant.MaxValue
            );
        }

        await db.SaveChangesAsync();
        var asks = new ProgramShelf([Asking("opened:x"), Asking("relation:x")], []);
        var engine = new TouchEngine(new Core.Practices.Practice { Name = "P", Zone = Zone }, asks, new Germinal.Channels.Letters.LiquidLetters());
        var facts = await FactsReading.LoadAsync(db, [.. rows.Select(r => r.Id)], CancellationToken.None, engine);
        string[] NamesOf(IEnumerable<RunRow> some) => [.. some.Select(r => programs.Single(p => p.Id == r.ProgramId).Name)];
        var waiting = (await db.Inquiries.Where(i => i.AnsweredAt == null).ToListAsync()).ToLookup(i => i.PersonId);
        var memory = rows.ToDictionary(
            r => r.Id,
            r => new RuleMemory(
                NamesOf(runs.Where(x => x.PersonId == r.Id && x.EndedAt is null)),
                NamesOf(runs.Where(x => x.PersonId == r.Id)),
                states[r.Id].LastTouchAt == Instant.MinValue ? null : states[r.Id].LastTouchAt,
                states[r.Id].LastReplyAt,
                states[r.Id].NextTouchAt == Instant.MaxValue ? null : states[r.Id].NextTouchAt,
                waiting[r.Id].Any() ? waiting[r.Id].Min(i => i.ReceivedAt) : null
            )
        );
        var found = 0;
        Gen.Select(Rules, Pick(todays), Pick(LeapDay.Feb28, LeapDay.Mar1))
            .Sample(
                (rule, today, leapDay) =>
                {
                    var at = LocalClock.At(today + new LocalTime(23, 59), Zone);
                    using var own = database.For(practice);
                    var sql = own.Matching(rule, new RuleMoment(at, Zone, leapDay, Segments: Saved)).Select(p => p.Id).ToHashSet();
                    var judged = rows.Where(r => RuleJudge.Holds(rule, facts[r.Id], new RuleMoment(at, Zone, leapDay, () => memory[r.Id], Saved)))
                        .Select(r => r.Id)
                        .ToHashSet();
                    var differ = sql.Except(judged).Concat(judged.Except(sql)).Take(3).Select(id => rows.Single(r => r.Id == id)).ToList();
                    Assert.True(
                        differ.Count == 0,
                        $"{RuleReader.Write(rule).ToJsonString()} on {today}: {string.Join("; ", differ.Select(d => $"{(sql.Contains(d.Id) ? "sql" : "memory")} finds {System.Text.Json.JsonSerializer.Serialize(new { d.FirstName, d.LastName, d.Address, d.Stage, d.Source, d.Tags, d.Lists, d.Custom, d.LostReason })}"))}"
                    );
                    Interlocked.Add(ref found, sql.Count);
                },
                iter: 4000,
                threads: 2
            );
        Assert.True(found > 10_000, "the rules found next to nobody");
    }

    private static ProgramVersion Asking(string field) =>
        new(Guid.NewGuid(), 1, new Core.Programs.ProgramDefinition { Name = field, OnlyIf = new Leaf(field, RuleOp.Exists, []) });

    /// <summary>What people got, opened, followed, answered, asked for, and came to.</summary>
    private static void Did(GerminalDb db, Random random, Guid practice, List<PersonRow> rows, List<RunRow> runs)
    {
        // What people did lies before every moment that is asked at; of appointments some are still to come.
        Instant At() => Instant.Min(Moment(random) ?? Instant.FromUtc(2027, 2, 1, 0, 0), Instant.FromUtc(2027, 2, 28, 12, 0));
        foreach (var run in runs)
        {
            foreach (var step in new[] { "a", "b" }.Where(_ => random.Next(2) == 0))
            {
                var touch = new TouchRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = practice,
                    PersonId = run.PersonId,
                    RunId = run.Id,
                    ProgramId = run.ProgramId,
                    StepId = step,
                    Kind = "email",
                    Status = TouchStatus.Sent,
                };
                db.Touches.Add(touch);
                db.Messages.Add(
                    new MessageRow
                    {
                        TouchId = touch.Id,
                        PracticeId = practice,
                        PersonId = run.PersonId,
                        MessageId = "m",
                        ToAddress = "",
                        FromName = "",
                        FromAddress = "",
                        Subject = "",
                        Html = "",
                        Text = "",
                        SentAt = At(),
                        Links = [new LetterLink("https://example.com", "Rates", []), new LetterLink("https://example.com", "other", [])],
                    }
                );
                foreach (var link in new int?[] { null, 0, 1 }.Where(_ => random.Next(3) == 0))
                {
                    db.Visits.Add(
                        new VisitRow
                        {
                            PracticeId = practice,
                            PersonId = run.PersonId,
                            TouchId = touch.Id,
                            Link = link,
                            At = NodaConstants.UnixEpoch,
                            LastAt = At(),
                            ByMachine = random.Next(3) == 0,
                        }
                    );
                }
            }
        }

        foreach (var row in rows)
        {
            for (var n = random.Next(3); n > 0; n--)
            {
                db.Received.Add(
                    new ReceivedRow
                    {
                        PracticeId = practice,
                        PersonId = row.Id,
                        Channel = Of(random, "email", "text"),
                        Kind = Of(random, "reply", "bounce"),
                        FromAddress = "",
                        At = At(),
                        Key = Guid.NewGuid().ToString(),
                    }
                );
                db.Inquiries.Add(
                    new InquiryRow
                    {
                        Id = Guid.NewGuid(),
                        PracticeId = practice,
                        PersonId = row.Id,
                        How = "hand",
                        ReceivedAt = At(),
                        AnsweredAt = Of(random, (Instant?)null, At()),
                    }
                );
                db.Inquiries.Add(
                    new InquiryRow
                    {
                        Id = Guid.NewGuid(),
                        PracticeId = practice,
                        PersonId = row.Id,
                        Form = Of(random, null, "talk", "Talk"),
                        How = "hand",
                        ReceivedAt = At(),
                        AnsweredAt = NodaConstants.UnixEpoch,
                    }
                );
                var lost = random.Next(2) == 0;
                db.Opportunities.Add(
                    new OpportunityRow
                    {
                        Id = Guid.NewGuid(),
                        PracticeId = practice,
                        PersonId = row.Id,
                        Title = "t",
                        Stage = "Planning/Inquiry",
                        Status = Of(random, "open", lost ? "lost" : "won"),
                        LostReason = lost ? Of(random, null, "fees", "Fees") : null,
                        ClosedAt = Of(random, (Instant?)null, At()),
                    }
                );
                db.Appointments.Add(
                    new AppointmentRow
                    {
                        Id = Guid.NewGuid(),
                        PracticeId = practice,
                        PersonId = row.Id,
                        Type = Of(random, "Review", "talk"),
                        At = Moment(random) ?? At(),
                        CancelledAt = Of(random, (Instant?)null, null, At()),
                        MissedAt = Of(random, (Instant?)null, null, At()),
                    }
                );
            }
        }
    }

    [Fact]
    public async Task A_rule_finds_nobody_of_another_practice_and_its_values_are_never_read_as_sql()
    {
        var (one, _, _) = await database.PracticeAsync(Instant.FromUtc(2027, 1, 1, 0, 0));
        var (two, _, _) = await database.PracticeAsync(Instant.FromUtc(2027, 1, 1, 0, 0), "2");
        await using (var db = database.For(one))
        {
            db.People.Add(
                new PersonRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = one,
                    FirstName = "'; DROP TABLE people; --",
                    AddedAt = NodaConstants.UnixEpoch,
                }
            );
            await db.SaveChangesAsync();
        }

        var rule = new Leaf("first_name", RuleOp.Is, ["'; drop table people; --"]);
        var moment = new RuleMoment(Instant.FromUtc(2027, 1, 1, 0, 0), Zone);
        await using var own = database.For(one);
        await using var stranger = database.For(two);
        Assert.Equal(1, await own.Matching(rule, moment).CountAsync());
        Assert.Equal(1, await own.Matching(new Leaf("custom:'||x{0}", RuleOp.Missing, []), moment).CountAsync());
        Assert.Equal(0, await stranger.Matching(new AllOf([]), moment).CountAsync());
    }
}
