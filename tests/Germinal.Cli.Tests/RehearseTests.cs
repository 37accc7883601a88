using System.Text.Json;

namespace Germinal.Cli.Tests;

/// <summary>germinal rehearse: columns, order, formats, reasons, exit codes.</summary>
public sealed class RehearseTests
{
    /// <summary>Worked out by hand from the rules: Good Friday's closing day, a person in Denver, a missing first name, consents.</summary>
    [Fact]
    public void Prints_every_touch_in_order_with_the_offset_of_the_persons_zone() =>
        Assert.Equal(
            """
            person,program,run,step,kind,due,settled,outcome,reason
            p1,Start,1,hello,email,2027-03-30T16:00:00-04:00,2027-03-30T16:00:00-04:00,sent,
            p1,Start,1,word,text,2027-04-01T09:30:00-04:00,2027-04-01T09:30:00-04:00,sent,
            p1,Start,1,call,call,2027-04-01T09:30:00-04:00,2027-04-06T11:00:00-04:00,done,spoke
            p2,Start,1,hello,email,2027-03-30T14:00:00-06:00,2027-04-06T14:00:00-06:00,blocked,cannot-fill
            p2,Start,1,call,call,2027-04-08T09:30:00-06:00,2027-04-08T09:30:00-06:00,skipped,opted-out
            p2,Start,1,word,text,2027-04-08T09:30:00-06:00,2027-04-08T09:30:00-06:00,skipped,no-consent

            """,
            Cli.Rehearse().Output
        );

    [Fact]
    public void Adds_what_is_planned_beyond_the_horizon_only_when_asked()
    {
        Assert.DoesNotContain("planned", Cli.Rehearse().Output, StringComparison.Ordinal);
        Assert.EndsWith(
            "p1,Start,1,again,email,2027-10-18T09:30:00-04:00,,planned,\n",
            Cli.Rehearse("--planned").Output.Replace("p2,Start,1,again,email,2027-10-18T09:30:00-06:00,,planned,\n", "", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Adds_the_reasons_in_sentences_when_asked()
    {
        var line = Cli.Rehearse("--why").Output.Split('\n')[1];
        Assert.Contains("It is due at once when the program starts: Tue 30 March, 16:00.", line, StringComparison.Ordinal);
        Assert.Contains("They may be emailed: they said so", line, StringComparison.Ordinal);
        Assert.Contains("Every merge field has a value.", line, StringComparison.Ordinal);
    }

    [Fact]
    public void Json_has_the_same_rows_under_the_same_names()
    {
        var rows = JsonDocument.Parse(Cli.Rehearse("--format", "json", "--why").Output).RootElement.EnumerateArray().ToList();
        Assert.Equal(6, rows.Count);
        Assert.Equal(
            ["person", "program", "run", "step", "kind", "due", "settled", "outcome", "reason", "why"],
            rows[0].EnumerateObject().Select(p => p.Name)
        );
        Assert.Equal(("spoke", "done"), (rows[2].GetProperty("reason").GetString(), rows[2].GetProperty("outcome").GetString()));
        Assert.Equal(JsonValueKind.Null, rows[0].GetProperty("reason").ValueKind);
        Assert.All(rows[3].GetProperty("why").EnumerateArray(), s => Assert.EndsWith(".", s.GetString(), StringComparison.Ordinal));
    }

    [Fact]
    public void Ics_gives_the_calls_as_to_dos_that_Ical_Net_reads()
    {
        var text = Cli.Rehearse("--format", "ics").Output;
        var todo = Assert.Single(Ical.Net.Calendar.Load(text)!.Todos);
        Assert.Equal(("Call Ida Rowan", "COMPLETED"), (todo.Summary, todo.Status));
        Assert.Equal(new DateTime(2027, 4, 1, 13, 30, 0, DateTimeKind.Utc), todo.DtStart!.AsUtc);
        Assert.Equal("Ask Ida; listen, then write down what they say\nand when.", todo.Description);
        Assert.All(text.Split("\r\n"), l => Assert.True(System.Text.Encoding.UTF8.GetByteCount(l) <= 75));
    }

    [Fact]
    public void Everything_wrong_with_the_files_is_listed_with_file_and_place_and_the_code_is_2()
    {
        var people = Cli.Written(
            "people.csv",
            "id,email,zone,birthday,email_consent,do_not_contact\na,a@example.com,Mars/Base,1990-02-30,maybe,perhaps\na,,,,inquiry@soon,\n"
        );
        var events = Cli.Written(
            "events.csv",
            "at,person,kind,program,step,value\nyesterday,p1,start,Start,,\n2027-03-30T16:00,p9,strat,Start,,\n2027-03-30T16:00,p1,opened,Start,nothing,\n2027-03-30T16:00,p1,bounced,Start,hello,medium\n"
        );
        var (code, output, error) = Cli.RehearseOf(people, events: null);
        Assert.Equal((2, ""), (code, output));
        Assert.Equal(
            [
                "line 2: There is no zone “Mars/Base”",
                "line 2: “1990-02-30” in birthday",
                "line 2: “maybe” in email_consent",
                "line 2: “perhaps” in do_not_contact",
                "line 3: “inquiry@soon” in email_consent",
                "line 3: The id “a” stands on line 2 already",
            ],
            error.TrimEnd().Split('\n').Select(l => l[(people.Length + 2)..]).Select(l => l.Split([" is not", ";", " should"], StringSplitOptions.None)[0])
        );
        (code, _, error) = Cli.RehearseOf(events: events);
        Assert.Equal(2, code);
        Assert.Equal(["line 2", "line 3", "line 3", "line 4", "line 5"], error.TrimEnd().Split('\n').Select(l => l.Split(": ")[1]));
    }

    [Fact]
    public void What_happened_before_the_first_moment_counts_and_starts_nothing()
    {
        var events = Cli.Written(
            "events.csv",
            "at,person,kind,program,step,value\n2027-03-28T16:00,p1,start,Start,,\n2027-03-28T16:00,p1,opted-out,,,text\n2027-03-30T16:00,p1,start,Start,,\n"
        );
        var rows = Cli.RehearseOf(events: events, to: "2027-04-05T00:00")
            .Output.TrimEnd()
            .Split('\n')
            .Skip(1);
        Assert.Equal(
            ["hello,email sent,", "call,call open,", "word,text skipped,opted-out"],
            rows.Select(r => r.Split(',')).Select(c => $"{c[3]},{c[4]} {c[7]},{c[8]}")
        );
    }

    [Fact]
    public void A_thousand_people_come_out_in_order_each_with_their_own_clock()
    {
        string[] zones = ["", "America/Denver", "Europe/London", "Australia/Sydney"];
        var people = Cli.Written(
            "people.csv",
            "id,first_name,email,zone,tags,email_consent\n"
                + string.Concat(Enumerable.Range(0, 1000).Select(i => $"p{i:0000},Name,p{i}@example.com,{zones[i % 4]},,in\n"))
        );
        var events = Cli.Written(
            "events.csv",
            "at,person,kind,program,step,value\n"
                + string.Concat(Enumerable.Range(0, 1000).Select(i => $"2027-03-01T{9 + (i % 8):00}:{i % 60:00},p{i:0000},start,Start,,\n"))
        );
        var (code, output, _) = Cli.RehearseOf(people, events: events, from: "2027-03-01T00:00", to: "2027-04-01T00:00");
        Assert.Equal(0, code);
        var rows = output.TrimEnd().Split('\n').Skip(1).Select(r => r.Split(',')).ToList();
        // hello, a call without a number, a text without one.
        Assert.Equal(3000, rows.Count);
        var order = rows.Select(r => (DateTimeOffset.Parse(r[6], System.Globalization.CultureInfo.InvariantCulture), r[0], r[3])).ToList();
        Assert.Equal(
            order.OrderBy(o => o.Item1).ThenBy(o => o.Item2, StringComparer.Ordinal).Select(o => (o.Item1, o.Item2)),
            order.Select(o => (o.Item1, o.Item2))
        );
        Assert.Equal(4, rows.Where(r => r[3] == "hello").Select(r => r[6][^6..]).Distinct().Count(z => z is "-05:00" or "-07:00" or "+00:00" or "+11:00"));
    }

    [Theory]
    [InlineData("rehearse", "--practice is", "rehearse")]
    [InlineData("nonsense", "nonsense", "nonsense")]
    [InlineData(
        "--from",
        "not a moment",
        "rehearse",
        "--practice",
        "practice.json",
        "--people",
        "people.csv",
        "--program",
        "start.program.json",
        "--from",
        "soon",
        "--to",
        "2027-06-01T00:00"
    )]
    [InlineData(
        "--to",
        "later than --from",
        "rehearse",
        "--practice",
        "practice.json",
        "--people",
        "people.csv",
        "--program",
        "start.program.json",
        "--from",
        "2027-06-01T00:00",
        "--to",
        "2027-06-01T00:00"
    )]
    [InlineData(
        "missing.json",
        "no such file",
        "rehearse",
        "--practice",
        "missing.json",
        "--people",
        "people.csv",
        "--program",
        "start.program.json",
        "--from",
        "2027-01-01T00:00",
        "--to",
        "2027-06-01T00:00"
    )]
    public void Wrong_words_on_the_line_are_answered_with_code_2(string about, string says, params string[] arguments)
    {
        var (code, output, error) = Cli.Run(arguments);
        Assert.Equal((2, ""), (code, output));
        Assert.Contains(about == "rehearse" ? "--practice" : says, error, StringComparison.Ordinal);
    }
}
