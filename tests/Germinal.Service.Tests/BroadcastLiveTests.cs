using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>To many at once, live (rule 15): begun at its moment, each once, held, stopped, compared, repeated; and its counts.</summary>
public sealed class BroadcastLiveTests
{
    private static readonly BroadcastWay Email = new() { Kind = "email", Subject = "Rates in March", Body = "<p>Good day, {{ person.first_name }}. <a href=\"https://example.com/rates\">The rates</a></p>" };
    private const string Reader = "Mozilla/5.0 (X11; Linux) Firefox/140";

    private static BroadcastPlan To(IEnumerable<Guid> people) => new() { To = new BroadcastTo { Kind = "people", People = [.. people] }, Ways = [Email] };

    private static async Task<Guid> SentAsync(World world, BroadcastPlan plan, string name = "Rates")
    {
        await using var db = world.Db();
        var row = new BroadcastRow { Id = Guid.NewGuid(), PracticeId = world.Practice, Name = name, Plan = plan, By = "Ada Quill", CreatedAt = await world.NowAsync() };
        db.Broadcasts.Add(row);
        await db.SaveChangesAsync();
        var findings = await new BroadcastDesk(world.Programs).FindingsAsync(db, row, await world.NowAsync(), default);
        Assert.DoesNotContain(findings, f => !f.IsWarning);
        await BroadcastDesk.SendAsync(db, row, "Ada Quill", await world.NowAsync(), default);
        return row.Id;
    }

    private static async Task<BroadcastRow> RowAsync(World world, Guid id)
    {
        await using var db = world.Db();
        return await db.Broadcasts.AsNoTracking().SingleAsync(b => b.Id == id);
    }

    /// <summary>Many people who may be written to.</summary>
    private static async Task<IReadOnlyList<Guid>> ManyAsync(World world, int count)
    {
        await using var db = world.Db();
        foreach (var n in Enumerable.Range(1, count))
        {
            var person = new PersonRow { Id = Guid.NewGuid(), PracticeId = world.Practice, FirstName = $"P{n}", LastName = "Rowan", Email = $"p{n}@example.com", OwnerId = world.Ada, AddedAt = World.At("2026-01-01T09:00") };
            PersonNames.Refresh(person);
            db.People.Add(person);
            db.Consent.Add(new ConsentRow { PracticeId = world.Practice, PersonId = person.Id, Channel = "email", Purpose = "commercial", IsIn = true, At = World.At("2026-01-01T09:00"), Source = "said so" });
        }

        await db.SaveChangesAsync();
        return await db.People.OrderBy(p => p.Id).Select(p => p.Id).ToListAsync();
    }

    private static async Task HoldsAsync(World world, Guid program)
    {
        await using var db = world.Db();
        Assert.Equal(await Tallies.AfreshAsync(db, program, default), await Tallies.OfAsync(db, program, default));
    }

    [Fact]
    public async Task It_begins_at_its_moment_and_each_gets_it_once()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        var (ida, nela) = (await world.PersonAsync("Ida"), await world.PersonAsync("Nela", consent: false));
        var id = await SentAsync(world, To([ida.Id, nela.Id]) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-03-04", Time = "09:30" } });
        await world.MoveToAsync("2027-03-04T09:29");
        Assert.Empty(world.Mail.Sent);
        Assert.Equal(BroadcastDesk.Waiting, (await RowAsync(world, id)).Status);
        await world.MoveToAsync("2027-03-04T12:00");
        Assert.Equal("Rates in March", Assert.Single(world.Mail.Sent).Subject);
        var row = await RowAsync(world, id);
        Assert.Equal((BroadcastDesk.Going, 2, (Instant?)World.At("2027-03-04T09:30")), (row.Status, row.People, row.BeganAt));
        await using var db = world.Db();
        await BroadcastMoments.FinishAsync(db, default);
        Assert.Equal(BroadcastDesk.Done, (await RowAsync(world, id)).Status);
        var touches = await world.TouchesAsync();
        Assert.Equal(["sent", "skipped no-consent"], touches.Select(t => $"{t.Status.Word()} {t.Reason}".Trim()).Order());

        // It is no program that anybody would look for among programs.
        Assert.False(await db.Programs.AnyAsync());
        Assert.Equal("over", await db.ProgramsAndBroadcasts.Select(p => p.Status).SingleAsync());
        await HoldsAsync(world, row.ProgramId!.Value);
    }

    /// <summary>Rule 15.1: who it is for is fixed at its moment, not when it is sent off.</summary>
    [Fact]
    public async Task Who_it_is_for_is_fixed_when_it_begins()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        var (early, late, gone) = (await world.PersonAsync("Early"), await world.PersonAsync("Late"), await world.PersonAsync("Gone"));
        await world.DoAsync(d => d.JoinListAsync([early.Id, gone.Id], "Spring", default));
        var id = await SentAsync(world, To([]) with { To = new BroadcastTo { Kind = "list", Name = "Spring" }, When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-03-04", Time = "09:30" } });
        await world.MoveToAsync("2027-03-03T09:00");
        await world.DoAsync(d => d.JoinListAsync([late.Id], "Spring", default));
        await world.DoAsync(d => d.LeaveListAsync([gone.Id], "Spring", default));
        await world.MoveToAsync("2027-03-04T09:31");
        Assert.Equal(["early@example.com", "late@example.com"], world.Mail.Sent.Select(m => m.To.Mailboxes.Single().Address).Order());
        Assert.Equal(2, (await RowAsync(world, id)).People);
    }

    [Fact]
    public async Task Counts_are_kept_up_with_whatever_happens()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new[] { await world.PersonAsync("Ada"), await world.PersonAsync("Bea"), await world.PersonAsync("Cleo"), await world.PersonAsync("Dora"), await world.PersonAsync("Eva", consent: false) };
        var id = await SentAsync(world, To(people.Select(p => p.Id)));
        await world.WorkAsync();
        var program = (await RowAsync(world, id)).ProgramId!.Value;
        await HoldsAsync(world, program);
        var touches = (await world.TouchesAsync()).ToDictionary(t => t.PersonId, t => t.Id);
        var visits = new LinkVisits(world.Database);
        await world.MoveToAsync("2027-03-01T13:20");
        await visits.OpenedAsync(touches[people[0].Id], Reader, false, default);
        await visits.OpenedAsync(touches[people[0].Id], Reader, false, default);
        await visits.FollowedAsync(touches[people[1].Id], 0, Reader, false, default);
        await visits.OpenedAsync(touches[people[2].Id], "ImageProxy/1.0 proxy", false, default);
        await using (var db = world.Db())
        {
            db.Received.Add(new ReceivedRow { PracticeId = world.Practice, PersonId = people[1].Id, TouchId = touches[people[1].Id], Channel = "email", Kind = "reply", FromAddress = "bea@example.com", At = await world.NowAsync(), Key = "r1" });
            db.Received.Add(new ReceivedRow { PracticeId = world.Practice, PersonId = people[3].Id, TouchId = touches[people[3].Id], Channel = "email", Kind = "complaint", FromAddress = "dora@example.com", At = await world.NowAsync(), Key = "r2" });
            await db.SaveChangesAsync();
            var touch = (await TouchOf.FindAsync(db, touches[people[2].Id], default))!;
            await Bounces.TakeAsync(db, touch, true, "bounced", "5.1.1", default);
            await db.SaveChangesAsync();
            await new PeopleDesk(db, "the recipient", await world.NowAsync()).AddConsentAsync(people[0].Id, "email", "commercial", null, false, "express", "the unsubscribe page", $"touch {touches[people[0].Id]}", default);
        }

        await world.WorkAsync();
        await HoldsAsync(world, program);
        async Task<BroadcastNumbers> NumbersAsync()
        {
            await using var db = world.Db();
            return await BroadcastResults.OfAsync(db, await RowAsync(world, id), default);
        }

        var numbers = await NumbersAsync();
        Assert.Equal((5, 4, 3, 1), (numbers.People, numbers.Sent, numbers.Delivered, numbers.ByMachines));
        string Line(string what) => numbers.Lines.Single(l => l.What == what) is var l ? $"{l.Number}/{l.Of}" : "";
        Assert.Equal(
            ["3/4", "1/4", "0/4", "2/3", "1/3", "1/3", "1/3", "1/3", "1/3"],
            ResultWords.Shown.Select(Line)
        );

        // Opened three hours and twenty minutes after it went: in the fourth hour.
        Assert.Equal((2, 1), (numbers.Hours[3].Opened, numbers.Hours[3].Followed));
        Assert.Equal(["held:no-consent 1"], numbers.Held.Select(h => $"{h.What} {h.Number}"));

        // Each number leads to as many people.
        await using (var db = world.Db())
        {
            foreach (var line in numbers.Lines)
            {
                Assert.Equal(line.Number, await BroadcastResults.Who(db, program, line.What)!.CountAsync());
            }

            Assert.Equal(people[4].Id, (await BroadcastResults.Who(db, program, "held:no-consent")!.SingleAsync()).Id);
            Assert.Null(BroadcastResults.Who(db, program, "nothing"));
            await Tallies.AddUpAsync(db, default);
            Assert.Equal(await db.Tallies.CountAsync(), await db.Tallies.Select(t => new { t.ProgramId, t.StepId, t.What, t.Detail, t.Hour }).Distinct().CountAsync());
        }

        // Somebody who is erased is counted no more.
        await using (var db = world.Db())
        {
            await db.People.Where(p => p.Id == people[0].Id).ExecuteDeleteAsync();
        }

        await HoldsAsync(world, program);
        Assert.Equal((3, 1), ((await NumbersAsync()).Sent, (await NumbersAsync()).Lines.Single(l => l.What == "opened").Number));
    }

    /// <summary>None lost, none twice, and the counts agree, however often workers die.</summary>
    [Fact]
    public async Task Workers_killed_over_and_over_in_a_broadcast_of_five_thousand()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = await ManyAsync(world, 5000);
        var id = await SentAsync(world, To([]) with { To = new BroadcastTo { Kind = "people", People = people } });
        var random = new Random(11);
        await using var db = world.Db();
        var killed = 0;
        for (var round = 0; round < 400; round++)
        {
            using var kill = new CancellationTokenSource(round < 40 ? random.Next(50, 600) : 20_000);
            var worked = await Task.WhenAll(
                Enumerable
                    .Range(0, 2)
                    .Select(async _ =>
                    {
                        try
                        {
                            return await Task.Run(async () =>
                            {
                                var room = world.NewRoom();
                                var any = false;
                                while (await room.WorkAsync(kill.Token))
                                {
                                    any = true;
                                }

                                return any;
                            });
                        }
                        catch (Exception e) when (kill.IsCancellationRequested && e is not Xunit.Sdk.XunitException)
                        {
                            Interlocked.Increment(ref killed);
                            return true;
                        }
                    })
            );
            await db.Touches.Where(t => t.Status == TouchStatus.Handing).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
            if (!worked.Any(w => w) && !await db.Touches.AnyAsync(t => t.Status == TouchStatus.Handing))
            {
                break;
            }
        }

        Assert.True(killed > 5, $"only {killed} workers were killed");
        Assert.Equal(5000, world.Mail.Sent.Select(m => m.To.Mailboxes.Single().Address).Distinct().Count());
        Assert.Equal(5000, world.Mail.Sent.Count);
        var row = await RowAsync(world, id);
        Assert.Equal(5000, row.People);
        Assert.Equal(5000, await db.Touches.CountAsync(t => t.ProgramId == row.ProgramId && t.Status == TouchStatus.Sent));
        await HoldsAsync(world, row.ProgramId!.Value);
    }

    [Fact]
    public async Task Ten_who_stop_it_at_one_moment_stop_it_once_and_nothing_goes_afterwards()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = await ManyAsync(world, 300);
        var id = await SentAsync(world, To([]) with { To = new BroadcastTo { Kind = "people", People = people } });
        var took = 0;
        world.Mail.Answers = m =>
        {
            Interlocked.Increment(ref took);
            return new Germinal.Channels.ProviderAnswer(Germinal.Channels.ProviderResult.Sent, "250 kept");
        };
        using (var some = new CancellationTokenSource())
        {
            var working = Task.Run(async () =>
            {
                try
                {
                    while (await world.NewRoom().WorkAsync(some.Token)) { }
                }
                catch (OperationCanceledException) { }
            });
            while (Volatile.Read(ref took) < 20 && !working.IsCompleted)
            {
                await Task.Delay(5);
            }

            await some.CancelAsync();
            await working;
        }

        var stopped = await Task.WhenAll(
            Enumerable
                .Range(0, 10)
                .Select(async _ =>
                {
                    await using var db = world.Db();
                    return await BroadcastDesk.StopAsync(db, id, "Ada Quill", await world.NowAsync(), default);
                })
        );
        Assert.Single(stopped, s => s);
        await using (var db = world.Db())
        {
            await db.Touches.Where(t => t.Status == TouchStatus.Handing).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
        }

        // What was on its way when it was stopped may arrive; what had not been begun does not.
        var onTheWay = await OnTheWayAsync(world);
        var before = world.Mail.Sent.Count;
        await world.WorkAsync();
        Assert.InRange(world.Mail.Sent.Count, before, before + onTheWay);
        await world.MoveToAsync("2027-03-05T10:00");
        Assert.InRange(world.Mail.Sent.Count, before, before + onTheWay);
        await using var last = world.Db();
        Assert.Equal(0, await last.Runs.CountAsync(r => r.EndedAt == null));
        Assert.Equal(BroadcastDesk.Stopped, (await RowAsync(world, id)).Status);
        await HoldsAsync(world, (await RowAsync(world, id)).ProgramId!.Value);
    }

    private static async Task<int> OnTheWayAsync(World world)
    {
        await using var db = world.Db();
        return await db.Touches.CountAsync(t => t.Status == TouchStatus.Handing);
    }

    [Fact]
    public async Task Held_it_waits_and_let_go_it_goes_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (ida, far) = (await world.PersonAsync("Ida"), await world.PersonAsync("Far", p => p.ZoneId = "America/Los_Angeles"));
        var id = await SentAsync(world, To([ida.Id, far.Id]) with { When = new BroadcastWhen { Kind = BroadcastWhen.Own, Date = "2027-03-02", Time = "09:30" } });
        await world.MoveToAsync("2027-03-02T10:00");
        Assert.Single(world.Mail.Sent);
        await using (var db = world.Db())
        {
            Assert.True(await BroadcastDesk.PauseAsync(db, id, true, await world.NowAsync(), default));
            Assert.False(await BroadcastDesk.PauseAsync(db, id, true, await world.NowAsync(), default));
        }

        await world.MoveToAsync("2027-03-03T10:00");
        Assert.Single(world.Mail.Sent);
        await using (var db = world.Db())
        {
            Assert.True(await BroadcastDesk.PauseAsync(db, id, false, await world.NowAsync(), default));
        }

        await world.WorkAsync();
        Assert.Equal(["ida@example.com", "far@example.com"], world.Mail.Sent.Select(m => m.To.Mailboxes.Single().Address));
    }

    /// <summary>Held before the engine has taken everybody in, it is lost for nobody.</summary>
    [Fact]
    public async Task Held_right_after_it_began_it_goes_to_everybody_once_it_goes_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = await ManyAsync(world, 40);
        var id = await SentAsync(world, To(people));
        Assert.True(await new BroadcastMoments(world.Database, world.Engines()).TakeDueAsync(world.Practice, await world.NowAsync(), default));
        await using (var db = world.Db())
        {
            Assert.True(await BroadcastDesk.PauseAsync(db, id, true, await world.NowAsync(), default));
        }

        await world.WorkAsync();
        Assert.Empty(world.Mail.Sent);
        await using (var db = world.Db())
        {
            Assert.Equal((40, 0), (await db.Runs.CountAsync(r => r.EndedAt == null), await db.Refusals.CountAsync()));
            Assert.True(await BroadcastDesk.PauseAsync(db, id, false, await world.NowAsync(), default));
        }

        await world.WorkAsync();
        Assert.Equal(40, world.Mail.Sent.Count);
    }

    /// <summary>Rule 15.1: what nobody began in time is too late after three days, counted from its own moment.</summary>
    [Theory]
    [InlineData("2027-03-06T10:00", 1)]
    [InlineData("2027-03-08T10:00", 0)]
    public async Task A_service_that_was_away_at_its_moment_keeps_to_the_late_limit(string back, int sent)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.WorkAsync();
        await SentAsync(world, To([ida.Id]) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-03-04", Time = "09:30" } });
        await using (var db = world.Db())
        {
            var now = World.At(back);
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, now));
        }

        await world.WorkAsync();
        Assert.Equal(sent, world.Mail.Sent.Count);
        Assert.Equal(sent == 1 ? "" : "late", (await world.TouchesAsync()).Single().Reason ?? "");
    }

    [Fact]
    public async Task What_has_not_begun_is_taken_back_without_a_trace()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var id = await SentAsync(world, To([ida.Id]) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-03-02", Time = "09:30" } });
        await using (var db = world.Db())
        {
            Assert.True(await BroadcastDesk.TakeBackAsync(db, id, default));
            Assert.False(await BroadcastDesk.TakeBackAsync(db, id, default));
            Assert.Equal(0, await db.ProgramsAndBroadcasts.CountAsync());
        }

        await world.MoveToAsync("2027-03-03T10:00");
        Assert.Empty(world.Mail.Sent);
        Assert.Equal(BroadcastDesk.Draft, (await RowAsync(world, id)).Status);
    }

    /// <summary>Rule 15.3: the rest get the better version where the two are told apart, else the first.</summary>
    [Theory]
    [InlineData(70, true)]
    [InlineData(34, false)]
    public async Task The_rest_get_what_the_versions_say(int opens, bool decided)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = await ManyAsync(world, 500);
        var plan = To([]) with
        {
            To = new BroadcastTo { Kind = "people", People = people },
            Test = new BroadcastTest { Others = [new BroadcastVersion("What the rates mean for you")], Share = 50, Span = "PT4H" },
        };
        var id = await SentAsync(world, plan);
        await world.WorkAsync();
        var first = world.Mail.Sent.ToList();
        Assert.InRange(first.Count, 200, 300);
        await world.MoveToAsync("2027-03-01T11:00");
        var visits = new LinkVisits(world.Database);
        foreach (var (step, open) in new[] { ("email-a", 30), ("email-b", opens) })
        {
            List<Guid> touches;
            await using (var db = world.Db())
            {
                touches = await db.Touches.Where(t => t.StepId == step).OrderBy(t => t.Id).Take(open).Select(t => t.Id).ToListAsync();
            }

            foreach (var touch in touches)
            {
                await visits.OpenedAsync(touch, Reader, false, default);
            }
        }

        await world.MoveToAsync("2027-03-01T15:00");
        var row = await RowAsync(world, id);
        Assert.NotNull(row.Decided);
        Assert.Equal((decided, decided ? 1 : 0), (row.Decided.Verdict.Decided, row.Decided.Chosen));
        var rest = world.Mail.Sent.Skip(first.Count).ToList();
        Assert.Equal(500 - first.Count, rest.Count);
        Assert.All(rest, m => Assert.Equal(decided ? "What the rates mean for you" : "Rates in March", m.Subject));
        Assert.Equal(500, world.Mail.Sent.Select(m => m.To.Mailboxes.Single().Address).Distinct().Count());
        await HoldsAsync(world, row.ProgramId!.Value);
    }

    /// <summary>A hold-out stays out of broadcasts that are part of its program, and of no others (rule 7.3).</summary>
    [Fact]
    public async Task A_hold_out_stays_out_of_broadcasts_of_its_program_only()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = await ManyAsync(world, 200);
        var program = await world.ProgramAsync("Year-round", """ "startsWhen":[{"kind":"by-hand"}],"holdOut":30 """, """{"id":"one","kind":"email","subject":"s","body":"b"}""");
        Guid[] held;
        await using (var db = world.Db())
        {
            var version = (await world.Programs.EngineAsync(db, default)).Shelf.Find(program, 1);
            held = [.. people.Where(p => Shares.IsHeldOut(version, p))];
        }

        Assert.InRange(held.Length, 35, 85);
        var all = To([]) with { To = new BroadcastTo { Kind = "people", People = people } };
        await SentAsync(world, all with { PartOf = program }, "Of the program");
        await world.WorkAsync();
        Assert.Equal(200 - held.Length, world.Mail.Sent.Count);
        await SentAsync(world, all, "Of none");
        await world.WorkAsync();
        Assert.Equal(400 - held.Length, world.Mail.Sent.Count);
    }

    /// <summary>Rule 10.5: a missing yes may be overruled for one; a no never.</summary>
    [Fact]
    public async Task A_missing_yes_may_be_overruled_and_a_no_never()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (missing, no) = (await world.PersonAsync("Missing", consent: false), await world.PersonAsync("No", consent: false));
        await world.DoAsync(d => d.AddConsentAsync(no.Id, "email", "commercial", null, false, "express", "said no", null, default));
        await SentAsync(world, To([missing.Id, no.Id]) with { LetGo = [new LetGo(missing.Id, "asked me on the telephone", "Ada Quill"), new LetGo(no.Id, "asked me too", "Ada Quill")] });
        await world.WorkAsync();
        Assert.Equal("missing@example.com", Assert.Single(world.Mail.Sent).To.Mailboxes.Single().Address);
        Assert.Contains("asked me on the telephone", (await world.TouchesAsync()).Single(t => t.Status == TouchStatus.Sent).Checks.SelectMany(c => c.Found).Aggregate((a, b) => a + b), StringComparison.Ordinal);
    }

    /// <summary>What is foreseen is what then comes: who, by which way, who not and why.</summary>
    [Fact]
    public async Task What_is_foreseen_is_what_goes()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<PersonRow>
        {
            await world.PersonAsync("Ida"),
            await world.PersonAsync("Nobody", consent: false),
            await world.PersonAsync("Texted", p => p.Email = null),
            await world.PersonAsync("Gone", p => p.DoNotContact = true),
        };
        await world.DoAsync(d => d.AddConsentAsync(people[2].Id, "text", "commercial", null, true, "express", "said so", null, default));
        await world.WorkAsync();
        var plan = To(people.Select(p => p.Id)) with { Ways = [Email, new BroadcastWay { Kind = "text", Body = "Rates" }] };
        BroadcastForecast foreseen;
        await using (var db = world.Db())
        {
            var look = new BroadcastLook(world.Programs, world.Letters);
            var now = await world.NowAsync();
            foreseen = await look.OfAsync(db, new BroadcastRow { Id = Guid.NewGuid(), PracticeId = world.Practice, Name = "Rates", Plan = plan, By = "Ada" }, now, now, default);
        }

        Assert.Equal((4, 2), (foreseen.People, foreseen.Goes));
        Assert.Equal(["email 1", "text 1"], foreseen.By.Select(b => $"{b.Kind} {b.Count}").Order());
        Assert.Equal(["do-not-contact Gone Rowan", "no-consent Nobody Rowan"], foreseen.Held.Select(h => $"{h.Word} {h.People.Single().Name}").Order());
        await SentAsync(world, plan);
        await world.WorkAsync();
        Assert.Single(world.Mail.Sent);
        Assert.Single(world.Texts.Sent);
    }

    [Fact]
    public async Task What_repeats_comes_again_by_itself_or_waits_for_a_yes()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        BroadcastPlan Monthly(bool byItself) =>
            To([ida.Id]) with { When = new BroadcastWhen { Kind = BroadcastWhen.Moment, Date = "2027-03-04", Time = "09:30" }, Repeat = new BroadcastRepeat("FREQ=MONTHLY", byItself) };
        await SentAsync(world, Monthly(true), "By itself");
        await SentAsync(world, Monthly(false), "Read first");
        await world.MoveToAsync("2027-05-05T10:00");
        await using var db = world.Db();
        var all = await db.Broadcasts.AsNoTracking().OrderBy(b => b.SeriesDate).ToListAsync();
        Assert.Equal(["2027-03-04 going", "2027-04-04 going", "2027-05-04 going", "2027-06-04 waiting"], all.Where(b => b.Name.StartsWith("By itself", StringComparison.Ordinal)).Select(Seen));
        Assert.Equal(["2027-03-04 going", "2027-04-04 draft"], all.Where(b => b.Name.StartsWith("Read first", StringComparison.Ordinal)).Select(Seen));
        Assert.Equal(["By itself", "By itself 2027-04-04", "By itself 2027-05-04", "By itself 2027-06-04"], all.Where(b => b.Name.StartsWith("By itself", StringComparison.Ordinal)).Select(b => b.Name));
        Assert.Equal(4, world.Mail.Sent.Count);

        static string Seen(BroadcastRow row) => $"{NodaTime.Text.LocalDatePattern.Iso.Format(row.SeriesDate!.Value)} {row.Status}";
    }

    [Fact]
    public async Task Once_more_to_those_who_did_not_open_it_and_only_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (ida, nela) = (await world.PersonAsync("Ida"), await world.PersonAsync("Nela"));
        var id = await SentAsync(world, To([ida.Id, nela.Id]));
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-01T12:00");
        await new LinkVisits(world.Database).OpenedAsync((await world.TouchesAsync()).Single(t => t.PersonId == ida.Id).Id, Reader, false, default);
        var made = await Task.WhenAll(
            Enumerable
                .Range(0, 5)
                .Select(async _ =>
                {
                    await using var db = world.Db();
                    return await BroadcastDesk.AgainAsync(db, await RowAsync(world, id), "Once more", world.Ada, "Ada Quill", await world.NowAsync(), default);
                })
        );
        var again = Assert.Single(made.OfType<BroadcastRow>());
        await using (var db = world.Db())
        {
            await BroadcastDesk.SendAsync(db, await db.Broadcasts.SingleAsync(b => b.Id == again.Id), "Ada Quill", await world.NowAsync(), default);
        }

        await world.WorkAsync();
        var last = world.Mail.Sent.Last();
        Assert.Equal(("nela@example.com", "Once more", 3), (last.To.Mailboxes.Single().Address, last.Subject, world.Mail.Sent.Count));
    }

    /// <summary>A recipients' deed is what messages say; by each word somebody is found who did it, and nobody else.</summary>
    [Fact]
    public async Task Recipients_are_found_by_what_they_did()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new[] { await world.PersonAsync("Opens"), await world.PersonAsync("Follows"), await world.PersonAsync("Nothing"), await world.PersonAsync("Bounces") };
        var id = await SentAsync(world, To(people.Select(p => p.Id)));
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-01T12:00");
        var touches = (await world.TouchesAsync()).ToDictionary(t => t.PersonId, t => t.Id);
        var visits = new LinkVisits(world.Database);
        await visits.OpenedAsync(touches[people[0].Id], Reader, false, default);
        await visits.FollowedAsync(touches[people[1].Id], 0, Reader, false, default);
        await using var db = world.Db();
        await Bounces.TakeAsync(db, (await TouchOf.FindAsync(db, touches[people[3].Id], default))!, true, "bounced", "", default);
        await db.SaveChangesAsync();
        var program = (await RowAsync(world, id)).ProgramId!.Value;
        async Task<string> WhoAsync(string did) => string.Join(' ', await BroadcastAudience.WhoDid(db, program, did).OrderBy(p => p.FirstName).Select(p => p.FirstName).ToListAsync());
        Assert.Equal("Follows Nothing Opens", await WhoAsync("got"));
        Assert.Equal("Follows Opens", await WhoAsync("opened"));
        Assert.Equal("Nothing", await WhoAsync("not-opened"));
        Assert.Equal("Follows", await WhoAsync("followed"));
        Assert.Equal("Nothing Opens", await WhoAsync("not-followed"));
        Assert.Equal("", await WhoAsync("answered"));
    }
}
