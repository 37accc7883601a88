using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Engine;

/// <summary>Section 9: pace and daily limits.</summary>
public sealed class PacingTests
{
    private static readonly FrozenSet<Channel> Messages = new[] { Channel.Email, Channel.Text }.ToFrozenSet();

    private static Practice Paced(params PaceRule[] rules) => Practice() with { Pace = rules };

    private static Practice Limited(int texts) =>
        Practice() with
        {
            DailyLimits = new Dictionary<Channel, int> { [Channel.Text] = texts }.ToFrozenDictionary(),
        };

    private static PersonFacts Both(string name = "Ida", DateTimeZone? zone = null) =>
        Person(name, zone) with
        {
            Consent = [Yes(Channel.Email), Yes(Channel.Text)],
        };

    [Fact]
    public void Rule_9_1_at_most_so_many_in_so_many_dates_and_the_rest_wait_for_the_next_date_at_their_own_hour()
    {
        var program = Program("P", "\"at\":\"11:15\"", Email("a", AtOnce) + "," + Email("b", AtOnce) + "," + Email("c", AtOnce) + "," + Email("d", AtOnce));
        Assert.Equal(
            ["a sent 2027-03-01T10:00", "b sent 2027-03-02T10:00", "c sent 2027-03-03T10:00", "d sent 2027-03-08T10:00"],
            Lived(
                EngineWith(Paced(new PaceRule(1, 1, Messages), new PaceRule(3, 7, Messages)), program),
                Both(),
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                Start(program, "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void Rule_9_1_transactional_messages_and_other_channels_neither_count_nor_wait()
    {
        var program = Program(
            "P",
            "",
            Email("a", AtOnce, "\"purpose\":\"transactional\"")
                + ","
                + Call("c", AtOnce)
                + ","
                + Email("b", AtOnce)
                + ","
                + Email("d", AtOnce, "\"purpose\":\"transactional\"")
        );
        Assert.Equal(
            ["a sent 2027-03-01T10:00", "c open 2027-03-01T10:00", "b sent 2027-03-01T10:00", "d sent 2027-03-01T10:00"],
            Lived(
                EngineWith(Paced(new PaceRule(1, 1, Messages)), program),
                Both(),
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                Start(program, "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void Rule_9_1_calls_have_rules_of_their_own_where_the_practice_sets_any()
    {
        var program = Program("P", "", Call("a", AtOnce) + "," + Call("b", AtOnce) + "," + Email("c", AtOnce));
        Assert.Equal(
            ["a open 2027-03-01T10:00", "b open 2027-03-02T10:00", "c sent 2027-03-02T10:00"],
            Lived(
                EngineWith(Paced(new PaceRule(1, 1, new[] { Channel.Call }.ToFrozenSet())), program),
                Both(),
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                Start(program, "2027-03-01T10:00")
            )
        );
    }

    [Fact]
    public void Rule_9_1_dates_are_those_of_the_persons_clock()
    {
        // 22:30 and 23:30 in New York are one date there and two in Sydney's afternoon of the next day: still one date.
        var sydney = DateTimeZoneProviders.Tzdb["Australia/Sydney"];
        var program = Program("P", "", Email("a", "\"from\":\"start\",\"offset\":\"PT0H\"") + "," + Email("b", "\"from\":\"start\",\"offset\":\"PT10H\""));
        var engine = EngineWith(Paced(new PaceRule(1, 1, Messages)), program);
        // In New York the second falls on the next date (20:00 and 06:00); in Sydney both fall on 2 March (12:00 and 22:00).
        Assert.Equal(
            ["a sent 2027-03-01T20:00", "b sent 2027-03-02T06:00"],
            Lived(engine, Both(), "2027-03-01T00:00", "2027-04-01T00:00", Start(program, "2027-03-01T20:00"))
        );
        Assert.Equal(
            ["a sent 2027-03-02T12:00", "b sent 2027-03-03T22:00"],
            Lived(engine, Both("Ida", sydney), "2027-03-01T00:00", "2027-04-01T00:00", Start(program, "2027-03-01T20:00"))
        );
    }

    [Fact]
    public void Rule_9_2_what_ranks_before_counts_as_if_sent_though_it_falls_later_in_the_day()
    {
        var first = Program("First", "\"priority\":10," + OnTag("x"), Email("late", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"15:00\""));
        var second = Program("Second", "\"priority\":20," + OnTag("x"), Email("early", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"09:00\""));
        Assert.Equal(
            ["late sent 2027-03-02T15:00", "early sent 2027-03-03T09:00"],
            Lived(
                EngineWith(Paced(new PaceRule(1, 1, Messages)), first, second),
                Both(),
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                new TagPutOn(At("2027-03-01T10:00"), "x")
            )
        );
    }

    [Fact]
    public void Rule_9_2_being_overtaken_again_is_possible()
    {
        var often = Program("Often", "\"priority\":10," + OnTag("x"), string.Join(",", Enumerable.Range(0, 4).Select(i => Email($"o{i}", Daily))));
        var once = Program("Once", "\"priority\":90," + OnTag("x"), Email("patient", Daily));
        var lived = Lived(
            EngineWith(Paced(new PaceRule(1, 1, Messages)), often, once),
            Both(),
            "2027-03-01T00:00",
            "2027-04-01T00:00",
            new TagPutOn(At("2027-03-01T10:00"), "x")
        );
        Assert.Equal("patient sent 2027-03-06T09:00", lived[^1]);
    }

    [Fact]
    public void Rule_9_2_waiting_goes_through_the_window_again_and_past_the_late_limit_it_is_skipped()
    {
        const string Week = "\"window\":{\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"],\"from\":\"09:00\",\"to\":\"17:00\"}";
        var program = Program("P", Week, Email("a", AtOnce) + "," + Email("b", AtOnce) + "," + Email("c", AtOnce, "\"lateLimit\":\"PT20H\""));
        // Friday, then Monday; the third would have to wait until Tuesday, which is later than its limit.
        Assert.Equal(
            ["a sent 2027-03-05T10:00", "b sent 2027-03-08T10:00", "c skipped late 2027-03-08T10:00"],
            Lived(
                EngineWith(Paced(new PaceRule(1, 1, Messages)), program),
                Both(),
                "2027-03-01T00:00",
                "2027-04-01T00:00",
                Start(program, "2027-03-05T10:00")
            )
        );
    }

    [Fact]
    public void Rule_9_3_a_limit_is_kept_and_places_go_by_first_due_priority_and_person()
    {
        var program = Program("P", OnTag("x"), Text("t", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"10:00\""));
        var urgent = Program("Urgent", "\"priority\":1," + OnTag("y"), Text("u", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"10:00\""));
        var engine = EngineWith(Limited(3), program, urgent);
        var people = Enumerable
            .Range(0, 8)
            .Select(i => new Actor(Both($"P{i}") with { Handle = $"p{i}" }, PersonState.Empty, [new TagPutOn(At("2027-03-01T09:00"), i == 7 ? "y" : "x")]))
            .ToList();
        var touches = Touches(engine, people, "2027-03-01T00:00", "2027-03-10T00:00");
        var days = touches.Where(t => t.Outcome == Outcome.Sent).GroupBy(t => t.At.InZone(NewYork).Date.Day).Select(g => (g.Key, g.Count())).ToList();
        Assert.Equal([(2, 3), (3, 3), (4, 2)], days);
        // The one with priority 1 goes on the first day though their id is the last.
        Assert.Contains(touches, t => t.Step.Id == "u" && t.At == At("2027-03-02T10:00"));
    }

    [Fact]
    public void Rule_9_3_450_texts_at_once_under_100_a_day_take_five_days_in_order()
    {
        // Batches of 100 a day: common practice, no source.
        var program = Program("P", OnTag("x"), Text("t", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"10:00\""));
        var people = Enumerable
            .Range(0, 450)
            .Select(i => new Actor(Both($"P{i:000}") with { Handle = $"p{i:000}" }, PersonState.Empty, [new TagPutOn(At("2027-03-01T09:00"), "x")]))
            .ToList();
        new Random(3).Shuffle(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(people));
        var sent = new System.Collections.Concurrent.ConcurrentBag<(string Person, Instant At)>();
        Rehearsal.OfMany(
            EngineWith(Limited(100), program),
            people,
            At("2027-03-01T00:00"),
            At("2027-03-20T00:00"),
            (_, a, t) => sent.Add((a.Person.Handle, t.Single().At)),
            null,
            CancellationToken.None
        );
        var expected = Enumerable.Range(0, 450).Select(i => ($"p{i:000}", At($"2027-03-0{2 + (i / 100)}T10:00")));
        Assert.Equal(expected, sent.OrderBy(s => s.Person, StringComparer.Ordinal));
    }

    [Fact]
    public void Rule_9_3_an_account_takes_so_many_emails_a_day_and_holds_up_nobody_elses()
    {
        var (ada, bo) = (new Member(Guid.NewGuid(), "Ada", "ada@example.com") { MostEmails = 3 }, new Member(Guid.NewGuid(), "Bo", "bo@example.com"));
        var program = Program("P", OnTag("x"), Email("e", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"10:00\"") + "," + Text("t", "\"from\":\"start\",\"offset\":\"P1D\",\"at\":\"10:00\""));
        var people = Enumerable
            .Range(0, 14)
            .Select(i => new Actor(Both($"P{i:00}") with { Handle = $"p{i:00}", OwnerId = i % 2 == 0 ? ada.Id : bo.Id }, PersonState.Empty, [new TagPutOn(At("2027-03-01T09:00"), "x")]))
            .ToList();
        List<(int Day, int Count)> Days(Practice practice, Channel channel, Guid owner)
        {
            var dates = new System.Collections.Concurrent.ConcurrentBag<int>();
            Rehearsal.OfMany(
                EngineWith(practice, program),
                people,
                At("2027-03-01T00:00"),
                At("2027-03-20T00:00"),
                (_, actor, touches) =>
                {
                    foreach (var touch in touches.Where(t => actor.Person.OwnerId == owner && t.Outcome == Outcome.Sent && t.Step.Channel == channel))
                    {
                        dates.Add(touch.At.InZone(NewYork).Date.Day);
                    }
                },
                null,
                CancellationToken.None
            );
            return [.. dates.GroupBy(d => d).OrderBy(g => g.Key).Select(g => (g.Key, g.Count()))];
        }

        var both = Practice() with { Members = [ada, bo], FallbackSender = ada.Id };
        Assert.Equal([(2, 3), (3, 3), (4, 1)], Days(both, Channel.Email, ada.Id));
        Assert.Equal([(2, 7)], Days(both, Channel.Email, bo.Id));

        // The channel's limit is kept beside it, and a place of one is not lost where the other has none left.
        var five = both with { DailyLimits = new Dictionary<Channel, int> { [Channel.Email] = 5 }.ToFrozenDictionary() };
        var sent = Days(five, Channel.Email, ada.Id).Concat(Days(five, Channel.Email, bo.Id)).GroupBy(d => d.Day).OrderBy(g => g.Key).Select(g => g.Sum(d => d.Count)).ToList();
        Assert.Equal([5, 5, 4], sent);
        Assert.All(Days(five, Channel.Email, ada.Id), d => Assert.True(d.Count <= 3));
    }

    [Fact]
    public void Rule_9_3_a_message_that_cannot_be_filled_takes_no_place()
    {
        var program = Program("P", OnTag("x"), Text("t", AtOnce));
        var engine = EngineWith(Limited(1), new NeedsFirstName(), program);
        var people = new[] { Both("A") with { Handle = "a", FirstName = null }, Both("B") with { Handle = "b" } }
            .Select(p => new Actor(p, PersonState.Empty, [new TagPutOn(At("2027-03-01T10:00"), "x")]))
            .ToList();
        Assert.Equal(
            [(Outcome.Sent, "2027-03-01T10:00"), (Outcome.Blocked, "2027-03-08T10:00")],
            Touches(engine, people, "2027-03-01T00:00", "2027-03-20T00:00")
                .Select(t =>
                    (t.Outcome!.Value, t.At.InZone(NewYork).LocalDateTime.ToString("uuuu-MM-dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture))
                )
        );
    }

    [Fact]
    public void Rule_5_5_no_more_than_the_limit_start_on_a_date_and_the_rest_wait_first_come_first_served()
    {
        var program = Program("P", "\"startLimit\":2," + OnTag("x"), Email("a", "\"from\":\"start\",\"offset\":\"P0D\",\"at\":\"12:00\""));
        var people = Enumerable
            .Range(0, 5)
            .Select(i => new Actor(Both($"P{i}") with { Handle = $"p{i}" }, PersonState.Empty, [new TagPutOn(At($"2027-03-01T1{4 - i}:00"), "x")]))
            .ToList();
        // One more comes on the second day: after those who wait.
        people.Add(new Actor(Both("late") with { Handle = "a-late" }, PersonState.Empty, [new TagPutOn(At("2027-03-02T08:00"), "x")]));
        var starts = new SortedDictionary<string, string>(StringComparer.Ordinal);
        Rehearsal.OfMany(
            EngineWith(Practice(), program),
            people,
            At("2027-03-01T00:00"),
            At("2027-03-20T00:00"),
            (_, a, t) =>
            {
                lock (starts)
                {
                    starts[a.Person.Handle] = $"{t.Single().At.InZone(NewYork).Date.Day}";
                }
            },
            null,
            CancellationToken.None
        );
        Assert.Equal(["a-late 3", "p0 3", "p1 2", "p2 2", "p3 1", "p4 1"], starts.Select(s => $"{s.Key} {s.Value}"));
    }
}
