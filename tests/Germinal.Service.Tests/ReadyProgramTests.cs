using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.Letters;
using Germinal.Service.Programs;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The programs that ship: each checks, reads well in both voices, and brings as many touches as its trade says.</summary>
public sealed class ReadyProgramTests
{
    private static readonly LiquidLetters Liquid = new();
    private static readonly PublicLinks Links = new([.. Enumerable.Range(0, 48).Select(i => (byte)i)], "https://germinal.example.com/");
    private static readonly LetterDesk Desk = new(Liquid, new LetterWriter(Liquid, Links));
    private static readonly Member Ada = new(Guid.NewGuid(), "Ada Quill", "ada@example.com");
    private static readonly Practice Practice = new()
    {
        Name = "Alder Quay",
        Zone = World.Zone,
        Members = [Ada],
        PostalAddress = "12 Quay Lane",
    };

    /// <summary>Nothing is known of them but how to reach them, and that one may.</summary>
    private static readonly PersonFacts Ida = new()
    {
        Id = Guid.NewGuid(),
        Handle = "ida",
        FirstName = "Ida",
        Email = "ida@example.com",
        Mobile = "+12075550101",
        Address = "1 Quay Lane\nPort Averil, ME 04999",
        OwnerId = Ada.Id,
        KeyDates =
        [
            new("birthday", new YearlyDate(6, 14, 1975), true),
            new("moved in", new YearlyDate(6, 14, 2019), true),
            new("loan since", new YearlyDate(6, 14, 2019), true),
            new("client since", new YearlyDate(6, 14, 2019), true),
            new("mortgage fixed until", new YearlyDate(6, 14, 2028), false),
        ],
        Consent =
        [
            .. Enum.GetValues<Channel>()
                .Select(c => new ConsentEntry(c, null, null, true, ConsentBasis.Express, World.At("2026-01-01T09:00"), "card")),
        ],
    };

    public static TheoryData<string> Keys => [.. ReadyPrograms.ThatShip.Select(r => r.Key)];

    /// <summary>The program as somebody takes it who says as little as they can.</summary>
    private static ProgramDefinition Taken(string key, params (string Id, string Value)[] answers)
    {
        var ready = ReadyPrograms.ThatShip.Single(r => r.Key == key);
        var given = ready.Program.Questions.Where(q => q.Kind == QuestionKind.Stage).ToDictionary(q => q.Id, q => (string?)(q.Id == "goal" ? "Planning/Client" : "Planning/Inquiry"));
        foreach (var (id, value) in answers)
        {
            given[id] = value;
        }

        var errors = new List<Finding>();
        var file = ReadyAnswers.Put(ready.File, given, errors);
        Assert.Empty(errors);
        var reading = ProgramFile.Read(file.ToJsonString());
        Assert.Empty(reading.Errors);
        return reading.Program!;
    }

    private static List<RehearsedTouch> Year(ProgramDefinition program, string from = "2027-03-01T09:00", int days = 365)
    {
        var id = Guid.NewGuid();
        var version = new ProgramVersion(id, 1, program);
        var begin = World.At(from);
        var on = new ProgramOn(version, begin);
        var engine = new TouchEngine(Practice, new ProgramShelf([version], [on]), Liquid);
        Happening? first = program.StartsWhen.Any(t => t is OccasionTrigger or AppointmentTrigger) ? null : new StartedByHand(begin, id, "");
        var state = PersonState.Empty;
        var until = begin + Duration.FromDays(days);
        if (program.StartsWhen.OfType<AppointmentTrigger>().FirstOrDefault() is { } meeting)
        {
            var made = new Appointment("m", meeting.Type, World.At("2027-04-07T10:00"));
            state = state with { Appointments = [made] };
            var start = Alarms.StartOf(meeting, program, made, Practice, Ida)!.Value;
            (begin, first) = (start, new AppointmentCame(start, id, made.Key));
        }

        if (program.StartsWhen.OfType<OccasionTrigger>().Any())
        {
            var occasion = Occasions.Between(version, Practice, Ida, begin, until).MinBy(o => o.At)!;
            (begin, first) = (occasion.At, new OccasionCame(occasion.At, id, occasion.Occasion.Name, occasion.Occasion.Date));
            until = begin + Duration.FromDays(days);
        }

        return [.. Rehearsal.Of(engine, Ida, state, begin, until, first, 500).Where(t => t.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done)];
    }

    [Fact]
    public void At_least_sixteen_ship_each_with_a_name_and_a_group_of_its_own_kind()
    {
        Assert.InRange(ReadyPrograms.ThatShip.Count, 16, 60);
        Assert.Equal(ReadyPrograms.ThatShip.Count, ReadyPrograms.ThatShip.Select(r => r.Program.Name).Distinct(StringComparer.OrdinalIgnoreCase).Count());
        Assert.All(ReadyPrograms.ThatShip, r => Assert.False(string.IsNullOrWhiteSpace(r.Program.Group)));
        Assert.All(ReadyPrograms.ThatShip, r => Assert.False(string.IsNullOrWhiteSpace(r.Program.Description)));
    }

    [Theory]
    [MemberData(nameof(Keys))]
    public void Each_checks_and_its_letters_can_be_sent_to_somebody_of_whom_little_is_known_in_both_voices(string key)
    {
        var names = ReadyPrograms.ThatShip.Select(r => r.Program.Name).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var program = Taken(key);
        Assert.Empty(ProgramCheck.Findings(program, names, Liquid.Problems));
        Assert.Empty(program.Questions);
        var letters = program.AllSteps.OfType<EmailStep>().ToList();
        Assert.NotEmpty(letters);
        foreach (var letter in letters)
        {
            Assert.Empty(Desk.Findings(letter.Subject, letter.Body, KeptThings.None, new LocalDate(2027, 5, 1)));
            foreach (var voice in Enum.GetValues<Voice>())
            {
                var read = Desk.Fill(letter, program.PurposeOf(letter), Ida with { FirstName = null }, Practice with { Voice = voice }, Ada, World.At("2027-03-01T09:30"));
                Assert.Null(read.Lack);
                Assert.Contains("Ada Quill", read.Text, StringComparison.Ordinal);
                Assert.DoesNotMatch(@"\{\{|\}\}|\[|\]|\|", read.Text + read.Subject);
            }
        }
    }

    [Theory]
    [MemberData(nameof(Keys))]
    public void Each_speaks_as_one_or_as_several_and_the_answer_decides(string key)
    {
        Assert.Equal(Voice.I, Taken(key).Voice);
        Assert.Equal(Voice.We, Taken(key, ("voice", "we, as a house")).Voice);
        foreach (var sender in Taken(key, ("signs", "ada")).AllSteps.Where(s => s is EmailStep or TextStep or NoteStep))
        {
            Assert.Equal("ada", sender.Sender);
        }
    }

    // The counts by which the trade speaks of such programs: eight touches in eight weeks, a year of 36 of which 29 are emails, twelve
    // letters, a letter each 29 days. Common practice, no source.
    [Theory]
    [InlineData("eight-weeks-buyer", 8, 5, 56)]
    [InlineData("eight-weeks-seller", 8, 5, 56)]
    [InlineData("eight-weeks-borrower", 8, 5, 56)]
    [InlineData("eight-weeks-plan", 8, 5, 56)]
    [InlineData("year-round", 36, 29, 350)]
    [InlineData("twelve-letters", 12, 12, 336)]
    [InlineData("welcome", 6, 4, 28)]
    [InlineData("birthday", 1, 1, 0)]
    [InlineData("appointment", 4, 2, 21)]
    [InlineData("evening-talk", 4, 3, 25)]
    [InlineData("rate-watch", 5, 3, 305)]
    [InlineData("past-clients", 5, 4, 547)]
    [InlineData("lost-timing", 6, 4, 363)]
    [InlineData("lost-fees", 4, 3, 332)]
    [InlineData("review", 2, 2, 7)]
    [InlineData("referral", 3, 1, 40)]
    public void Each_brings_as_many_touches_as_it_says_in_as_many_days(string key, int touches, int emails, int days)
    {
        var came = Year(Taken(key, ("days", "Every day")), days: 800).Where(t => t.Run == 1).ToList();
        Assert.Equal(touches, came.Count(t => t.Step.Channel is not null));
        Assert.Equal(emails, came.Count(t => t.Step is EmailStep));
        var first = came[0].SettledAt!.Value.InZone(World.Zone).Date;
        var last = came[^1].SettledAt!.Value.InZone(World.Zone).Date;
        Assert.InRange(Period.DaysBetween(first, last), Math.Max(0, days - 2), days + 4);
    }

    [Fact]
    public void A_market_letter_comes_every_29_days_or_on_the_next_day_it_may()
    {
        var dates = Year(Taken("market-letter")).Where(t => t.Step is EmailStep).Select(t => t.SettledAt!.Value.InZone(World.Zone).Date).ToList();
        Assert.InRange(dates.Count, 12, 13);
        Assert.All(dates.Zip(dates.Skip(1)), d => Assert.InRange(Period.DaysBetween(d.First, d.Second), 29, 31));
    }

    [Fact]
    public void A_birthday_comes_on_the_day_or_the_day_before_as_answered()
    {
        LocalDate When(params (string, string)[] answers) => Assert.Single(Year(Taken("birthday", answers))).SettledAt!.Value.InZone(World.Zone).Date;
        Assert.Equal(new LocalDate(2027, 6, 14), When());
        Assert.Equal(new LocalDate(2027, 6, 13), When(("when", "The day before")));
    }

    [Fact]
    public void Answers_that_are_missing_or_none_of_the_choices_are_said_at_their_question()
    {
        var ready = ReadyPrograms.ThatShip.Single(r => r.Key == "eight-weeks-buyer");
        var errors = new List<Finding>();
        ReadyAnswers.Put(ready.File, new Dictionary<string, string?> { ["voice"] = "they", ["goal"] = "Planning/Client" }, errors);
        Assert.Equal(["/answers/start", "/answers/voice"], errors.Select(e => e.Pointer).Order(StringComparer.Ordinal));
    }

    [Theory]
    [InlineData("""{"id":"a","ask":"A","kind":"stage","into":["/nowhere"]}""", "/questions/0/into")]
    [InlineData("""{"id":"a","ask":"A","kind":"choice","into":["/name"]}""", "/questions/0/choices")]
    [InlineData("""{"id":"a","ask":"A","kind":"pigeon","into":["/name"]}""", "/questions/0/kind")]
    [InlineData("""{"id":"a","ask":"A","kind":"text","into":["/questions/0/id"]}""", "/questions/0/into")]
    [InlineData("""{"id":"a","ask":"A","kind":"text","into":["/name"]},{"id":"a","ask":"B","kind":"text","into":["/name"]}""", "/questions/1/id")]
    public void A_question_that_leads_nowhere_is_found_in_the_file(string question, string pointer)
    {
        var errors = ProgramFile.Read($$"""{"format":"germinal.program/1","name":"P","questions":[{{question}}]}""").Errors;
        Assert.Contains(errors, e => e.Pointer == pointer);
    }

    [Fact]
    public void What_a_file_asks_and_brings_along_is_written_as_it_was_read()
    {
        const string File = """
            {"format":"germinal.program/1","name":"P","startsWhen":[{"kind":"segment-joined","segment":"Near"}],
             "questions":[{"id":"a","ask":"A?","kind":"choice","default":"x","into":["/at"],"choices":[{"words":"x","value":"09:00"}]}],"at":"08:00",
             "segments":{"Near":{"field":"state","op":"is","value":"ME"}},
             "steps":[{"id":"s","kind":"email","letter":"Kept"}]}
            """;
        var written = ProgramFile.Write(ProgramFile.Read(File).Program!).ToJsonString();
        Assert.Equal(written, ProgramFile.Write(ProgramFile.Read(written).Program!).ToJsonString());
        Assert.Contains("\"questions\"", written, StringComparison.Ordinal);
        Assert.Contains("\"Near\":{", written, StringComparison.Ordinal);
        Assert.Contains("\"letter\":\"Kept\"", written, StringComparison.Ordinal);
        Assert.DoesNotContain("\"subject\"", written, StringComparison.Ordinal);
    }
}
