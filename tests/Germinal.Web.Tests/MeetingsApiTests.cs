using System.Net;
using System.Text.RegularExpressions;
using Germinal.Channels;
using Germinal.Service.Engine;
using Germinal.Service.Mails;
using Germinal.Store.Rows;
using Germinal.Web.Endpoints;
using Ical.Net;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Tests;

/// <summary>Times to meet a member: offered on a page, chosen by one, moved and cancelled by link, told to calendars.</summary>
public sealed partial class MeetingsApiTests(Site site) : IClassFixture<Site>
{
    private static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private static int pages;

    private FormTokens Tokens => site.Services.GetRequiredService<FormTokens>();

    private HttpClient Anybody() => site.CreateClient(new() { AllowAutoRedirect = false, BaseAddress = new Uri("https://localhost") });

    /// <summary>A page of a member of its own that everybody can open: mornings of every working day, an hour each.</summary>
    private async Task<(Member Ada, Guid Id, Guid Member, string Address)> ShownAsync(object? more = null)
    {
        var ada = await site.SignedInAsync("ada");
        var number = Interlocked.Increment(ref pages);
        Guid member;
        await using (var db = site.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == site.Practice);
            practice.Settings.AppointmentTypes = ["first meeting", "yearly review"];
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            member = Guid.CreateVersion7();
            var mail = $"meets{number}@example.com";
            db.Users.Add(new MemberUser { Id = member, PracticeId = site.Practice, Name = $"Member {number}", Role = "agent", Email = mail, UserName = mail, NormalizedEmail = mail.ToUpperInvariant(), NormalizedUserName = mail.ToUpperInvariant() });
            await db.SaveChangesAsync();
        }

        var made = await ada.DoAsync("/api/meetings", new { title = $"A first meeting {number}", member });
        var id = made.GetProperty("id").GetGuid();
        await SaveAsync(ada, id, more);
        return (ada, id, member, new Uri(made.GetProperty("address").GetString()!).PathAndQuery);
    }

    private static async Task SaveAsync(Member ada, Guid id, object? more)
    {
        var page = (await ada.GetAsync("/api/meetings")).GetProperty("pages").EnumerateArray().Single(p => p.GetProperty("id").GetGuid() == id);
        var body = System.Text.Json.Nodes.JsonNode.Parse(page.GetRawText())!.AsObject();
        (body["shown"], body["gapMinutes"], body["mostADay"], body["place"]) = (true, 0, null, "at our table");
        foreach (var (key, value) in System.Text.Json.JsonSerializer.SerializeToNode(more ?? new { })!.AsObject())
        {
            body[key] = value?.DeepClone();
        }

        await ada.DoAsync($"/api/meetings/{id}", body, HttpMethod.Put);
    }

    private static Instant At(int day, int hour) => new LocalDateTime(2027, 3, day, hour, 0).InZoneStrictly(Zone).ToInstant();

    private static string Said(Instant at) => InstantPattern.ExtendedIso.Format(at);

    private FormUrlEncodedContent Choice(Guid page, Instant? at, string mail, string first = "Ottilie", int secondsAgo = 30, params (string Key, string Value)[] more) =>
        new(
            [
                new(FormHtml.TokenField, Tokens.Make(page, SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(secondsAgo))),
                new(MeetingHtml.TimeField, at is { } time ? Said(time) : ""),
                new("first-name", first),
                new("last-name", "Time"),
                new("email", mail),
                .. more.Select(m => new KeyValuePair<string, string>(m.Key, m.Value)),
            ]
        );

    private async Task<(HttpStatusCode Status, string Page)> ChooseAsync(string address, Guid page, Instant? at, string mail, params (string Key, string Value)[] more)
    {
        using var anybody = Anybody();
        using var content = Choice(page, at, mail, more: more);
        var answer = await anybody.PostAsync(address, content);
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
    }

    private async Task<List<AppointmentRow>> OfAsync(Guid page)
    {
        await using var db = site.Db();
        return await db.Appointments.AsNoTracking().Where(a => a.PageId == page).OrderBy(a => a.Id).ToListAsync();
    }

    private async Task<List<OwnMailRow>> MailsAsync(string address)
    {
        await using var db = site.Db();
        return await db.OwnMails.AsNoTracking().Where(m => m.ToAddress == address && m.Kind == OwnMailKinds.Appointment).OrderBy(m => m.Id).ToListAsync();
    }

    [GeneratedRegex(@"https://\S+(/a/[\w-]+)")]
    private static partial Regex Link();

    private static string LinkOf(OwnMailRow mail) => Link().Match(mail.Text).Groups[1].Value;

    [Fact]
    public async Task A_chosen_time_is_an_appointment_of_a_person_their_member_is_told_of_and_their_calendar_can_read()
    {
        var (ada, id, member, address) = await ShownAsync();
        using var anybody = Anybody();
        var page = await anybody.GetStringAsync(address);
        Assert.Contains(Said(At(3, 9)), page, StringComparison.Ordinal);
        Assert.Contains("These are times of America/New_York.", page, StringComparison.Ordinal);

        var (status, done) = await ChooseAsync(address, id, At(3, 9), "OTTILIE.time@example.com", ("mobile", "(207) 555-0117"), ("about", "The house by the quay"), (MeetingHtml.ZoneField, "Europe/Berlin"));

        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains("It is yours", done, StringComparison.Ordinal);
        var row = Assert.Single(await OfAsync(id));
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Id == row.PersonId);
        Assert.Equal(("Ottilie", "Time", "ottilie.time@example.com", "+12075550117", member), (person.FirstName, person.LastName, person.Email, person.Mobile, person.OwnerId!.Value));
        Assert.Equal((At(3, 9), 60, "The house by the quay", "Europe/Berlin"), (row.At, row.Minutes, row.Words, row.ReaderZone));
        Assert.Contains(await db.Notices.Where(n => n.MemberId == member).Select(n => n.Text).ToListAsync(), t => t.Contains("Ottilie Time has chosen a time", StringComparison.Ordinal));
        Assert.True(await db.Events.AnyAsync(e => e.PersonId == person.Id && e.Kind == EventKinds.AppointmentBooked));
        var dealings = await ada.GetAsync($"/api/people/{person.Id}/dealings");
        Assert.True(dealings.GetProperty("appointments")[0].GetProperty("chosen").GetBoolean());

        // Said in their own zone, six hours ahead.
        var mail = Assert.Single(await MailsAsync("ottilie.time@example.com"));
        Assert.Contains("Wednesday, 3 March 2027, 15:00 (Europe/Berlin)", mail.Text, StringComparison.Ordinal);
        var calendar = Calendar.Load(mail.Calendar)!;
        var met = Assert.Single(calendar.Events);
        Assert.Equal(("REQUEST", $"{row.Id}@germinal", 0, "CONFIRMED"), (calendar.Method, met.Uid, met.Sequence, met.Status));
        Assert.Equal((At(3, 9).ToDateTimeUtc(), At(3, 10).ToDateTimeUtc(), "at our table"), (met.Start!.AsUtc, met.End!.AsUtc, met.Location));
        Assert.Equal(("mailto:ottilie.time@example.com", "ACCEPTED"), (met.Attendees[0].Value!.OriginalString, met.Attendees[0].ParticipationStatus));

        // As it goes out: words, and the part that calendars read, whose type says the method (RFC 6047, 2.4).
        using var message = OwnMail.Build(mail, new Germinal.Core.Practices.Member(member, "Member", "member@example.com"), Zone, null);
        var part = message.BodyParts.Single(p => p.ContentType.IsMimeType("text", "calendar"));
        Assert.Equal("REQUEST", part.ContentType.Parameters["method"]);

        // It stands in nobody's way twice.
        Assert.DoesNotContain(Said(At(3, 9)), await anybody.GetStringAsync(address), StringComparison.Ordinal);
        Assert.Contains(Said(At(3, 10)), await anybody.GetStringAsync(address), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Of_fifty_who_choose_one_time_at_once_one_gets_it_and_nobody_loses_what_they_wrote()
    {
        var (_, id, _, address) = await ShownAsync();
        using var anybody = Anybody();
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 50)
                .Select(async i =>
                {
                    using var content = Choice(id, At(4, 9), $"rush{i}@example.com", more: ("about", $"words of {i}"));
                    var answer = await anybody.PostAsync(address, content);
                    return (i, answer.StatusCode, Page: await answer.Content.ReadAsStringAsync());
                })
        );
        Assert.Single(answers, a => a.StatusCode == HttpStatusCode.OK);
        var others = answers.Where(a => a.StatusCode == HttpStatusCode.Conflict).ToList();
        Assert.Equal(49, others.Count);
        Assert.All(others, o =>
        {
            Assert.Contains("has just been taken", o.Page, StringComparison.Ordinal);
            Assert.Contains($"words of {o.i}<", o.Page, StringComparison.Ordinal);
        });
        Assert.Single(await OfAsync(id));
        await using var db = site.Db();
        Assert.Equal(1, await db.People.CountAsync(p => p.Email!.StartsWith("rush")));
    }

    [Fact]
    public async Task Many_who_choose_at_once_fill_a_morning_and_never_one_hour_twice()
    {
        var (_, id, _, address) = await ShownAsync();
        using var anybody = Anybody();
        var hours = new[] { 9, 10, 11 };
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 30)
                .Select(async i =>
                {
                    using var content = Choice(id, At(9, hours[i % 3]), $"morning{i}@example.com");
                    return (await anybody.PostAsync(address, content)).StatusCode;
                })
        );
        Assert.Equal(3, answers.Count(a => a == HttpStatusCode.OK));
        Assert.Equal([At(9, 9), At(9, 10), At(9, 11)], (await OfAsync(id)).Select(a => a.At).Order());
    }

    [Fact]
    public async Task A_page_sent_ten_times_is_one_appointment()
    {
        var (_, id, _, address) = await ShownAsync();
        using var anybody = Anybody();
        var token = Tokens.Make(id, SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(30));
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 10)
                .Select(async _ =>
                {
                    using var content = new FormUrlEncodedContent([new(FormHtml.TokenField, token), new(MeetingHtml.TimeField, Said(At(5, 9))), new("first-name", "Tenfold"), new("email", "tenfold@example.com")]);
                    return (await anybody.PostAsync(address, content)).StatusCode;
                })
        );
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a));
        Assert.Single(await OfAsync(id));
        Assert.Single(await MailsAsync("tenfold@example.com"));
    }

    [Fact]
    public async Task It_is_moved_and_cancelled_by_its_link_and_calendars_follow()
    {
        var (_, id, member, address) = await ShownAsync();
        await ChooseAsync(address, id, At(8, 9), "mover@example.com");
        var link = LinkOf((await MailsAsync("mover@example.com"))[0]);
        using var anybody = Anybody();

        // A scanner that looks at the link changes nothing; its calendar file is as it was mailed.
        Assert.Contains("Cancel the appointment", await anybody.GetStringAsync(link), StringComparison.Ordinal);
        Assert.Equal(At(8, 9).ToDateTimeUtc(), Calendar.Load(await anybody.GetStringAsync($"{link}/calendar.ics"))!.Events[0]!.Start!.AsUtc);

        using var move = new FormUrlEncodedContent([new("g.do", "move"), new(MeetingHtml.TimeField, Said(At(8, 11)))]);
        Assert.Equal(HttpStatusCode.Found, (await anybody.PostAsync(link, move)).StatusCode);
        var row = Assert.Single(await OfAsync(id));
        Assert.Equal((At(8, 11), 1), (row.At, row.Sequence));
        var moved = Calendar.Load((await MailsAsync("mover@example.com"))[^1].Calendar)!;
        Assert.Equal(("REQUEST", 1, At(8, 11).ToDateTimeUtc()), (moved.Method, moved.Events[0]!.Sequence, moved.Events[0]!.Start!.AsUtc));

        using var nowhere = new FormUrlEncodedContent([new("g.do", "move"), new(MeetingHtml.TimeField, Said(At(8, 20)))]);
        Assert.Equal(HttpStatusCode.Conflict, (await anybody.PostAsync(link, nowhere)).StatusCode);

        using var cancel = new FormUrlEncodedContent([new("g.do", "cancel")]);
        var pressed = await Task.WhenAll(Enumerable.Range(0, 5).Select(_ => anybody.PostAsync(link, new FormUrlEncodedContent([new("g.do", "cancel")]))));
        Assert.All(pressed, p => Assert.Equal(HttpStatusCode.Found, p.StatusCode));
        Assert.NotNull((await OfAsync(id))[0].CancelledAt);
        var mails = await MailsAsync("mover@example.com");
        Assert.Equal(3, mails.Count);
        var gone = Calendar.Load(mails[^1].Calendar)!;
        Assert.Equal(("CANCEL", "CANCELLED", 2), (gone.Method, gone.Events[0]!.Status, gone.Events[0]!.Sequence));
        Assert.Equal(moved.Events[0]!.Uid, gone.Events[0]!.Uid);
        Assert.Equal(HttpStatusCode.Gone, (await anybody.GetAsync(link)).StatusCode);
        await using var db = site.Db();
        Assert.Equal(3, await db.Notices.CountAsync(n => n.MemberId == member && n.Kind == "appointment"));

        // Its time is free again; a link that is altered changes nothing.
        Assert.Contains(Said(At(8, 11)), await anybody.GetStringAsync(address), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.PostAsync(link[..^2] + "AA", cancel)).StatusCode);
    }

    [Fact]
    public async Task A_member_who_moves_or_cancels_it_tells_whoever_chose_it()
    {
        var (ada, id, _, address) = await ShownAsync();
        await ChooseAsync(address, id, At(10, 9), "told@example.com");
        var row = (await OfAsync(id))[0];
        await ada.DoAsync($"/api/appointments/{row.Id}/move", new { at = "2027-03-11T16:00" });
        await ada.DoAsync($"/api/appointments/{row.Id}/cancel");
        var mails = await MailsAsync("told@example.com");
        Assert.Equal(["REQUEST", "REQUEST", "CANCEL"], mails.Select(m => Calendar.Load(m.Calendar)!.Method));
        Assert.StartsWith("Moved: first meeting, Thursday, 11 March 2027, 16:00", mails[1].Subject, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Nobody_is_met_while_they_are_away_or_beyond_so_many_a_day()
    {
        var (_, id, member, address) = await ShownAsync(new { mostADay = 1 });
        await using (var db = site.Db())
        {
            db.Absences.Add(new AbsenceRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, MemberId = member, From = new LocalDate(2027, 3, 4), Until = new LocalDate(2027, 3, 5) });
            await db.SaveChangesAsync();
        }

        await ChooseAsync(address, id, At(3, 10), "oneaday@example.com");
        using var anybody = Anybody();
        var page = await anybody.GetStringAsync(address);
        Assert.All(new[] { At(3, 9), At(3, 11), At(4, 9), At(5, 9) }, t => Assert.DoesNotContain(Said(t), page, StringComparison.Ordinal));
        Assert.Contains(Said(At(8, 9)), page, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Conflict, (await ChooseAsync(address, id, At(4, 9), "away@example.com")).Status);
    }

    [Fact]
    public async Task Somebody_known_is_found_and_a_letters_reader_is_who_it_was_written_to()
    {
        var (_, id, _, address) = await ShownAsync();
        await using var db = site.Db();
        var person = new PersonRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, FirstName = "Known", LastName = "Reader", Email = "known.reader@example.com", AddedAt = Site.Now };
        db.People.Add(person);
        await db.SaveChangesAsync();
        await ChooseAsync(address, id, At(12, 9), "known.reader@example.com");
        var row = Assert.Single(await OfAsync(id));
        Assert.NotEqual(person.Id, row.PersonId);

        // Another first name is another of the household (rule 17.2); the same one is they themselves.
        using var anybody = Anybody();
        using var content = Choice(id, At(12, 10), "known.reader@example.com", "known");
        await anybody.PostAsync(address, content);
        Assert.Equal(person.Id, (await OfAsync(id))[1].PersonId);
    }

    [Fact]
    public async Task Whoever_comes_by_their_letter_leaves_empty_what_is_known_and_whoever_it_was_forwarded_to_is_somebody_else()
    {
        var (_, id, _, address) = await ShownAsync();
        var (person, touch, _) = await WrittenTo.SomebodyAsync(site, "Linus", "Letter", "linus.letter@example.com", "+12075550135");
        var by = site.Services.GetRequiredService<PublicLinks>().Reader(touch);
        using var anybody = Anybody();
        var page = await anybody.GetStringAsync($"{address}?by={by}");
        Assert.Contains("value=\"Linus\"", page, StringComparison.Ordinal);
        Assert.DoesNotContain("linus.letter", page, StringComparison.Ordinal);
        using var own = new FormUrlEncodedContent([new(FormHtml.TokenField, Tokens.Make(id, SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(30))), new(FormHtml.ReaderField, by), new(MeetingHtml.TimeField, Said(At(25, 10))), new("first-name", "Linus")]);
        Assert.Equal(HttpStatusCode.OK, (await anybody.PostAsync(address, own)).StatusCode);
        var mine = (await OfAsync(id)).Single(a => a.At == At(25, 10));
        Assert.Equal((person, touch), (mine.PersonId, mine.TouchId!.Value));
        Assert.Single(await MailsAsync("linus.letter@example.com"));

        using var forwarded = Choice(id, At(25, 11), "viktor.letter@example.com", "Viktor", more: (FormHtml.ReaderField, by));
        Assert.Equal(HttpStatusCode.OK, (await anybody.PostAsync(address, forwarded)).StatusCode);
        Assert.NotEqual(person, (await OfAsync(id)).Single(a => a.At == At(25, 11)).PersonId);
    }

    [Fact]
    public async Task One_address_has_no_more_than_three_to_come()
    {
        var (_, id, _, address) = await ShownAsync();
        foreach (var day in new[] { 15, 16, 17 })
        {
            Assert.Equal(HttpStatusCode.OK, (await ChooseAsync(address, id, At(day, 9), "greedy@example.com")).Status);
        }

        var (status, page) = await ChooseAsync(address, id, At(18, 9), "greedy@example.com");
        Assert.Equal(HttpStatusCode.Conflict, status);
        Assert.Contains("3 appointments to come", page, StringComparison.Ordinal);
    }

    public static TheoryData<string, string> Hostile =>
        new()
        {
            { MeetingHtml.TimeField, "9999-12-31T23:59:59Z" },
            { MeetingHtml.TimeField, "yesterday" },
            { MeetingHtml.TimeField, new string('9', 5_000) },
            { "first-name", "" },
            { "email", "not an address" },
            { "email", "a\0b@example.com" },
            { FormHtml.HiddenField, "https://example.com" },
            { FormHtml.TokenField, "forged" },
        };

    [Theory]
    [MemberData(nameof(Hostile))]
    public async Task What_cannot_be_is_said_and_books_nothing(string field, string value)
    {
        var (_, id, _, address) = await ShownAsync();
        using var anybody = Anybody();
        var fields = new Dictionary<string, string>
        {
            [FormHtml.TokenField] = Tokens.Make(id, SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(30)),
            [MeetingHtml.TimeField] = Said(At(19, 9)),
            ["first-name"] = "Hostile",
            ["email"] = "hostile@example.com",
            ["about"] = "<script>alert(1)</script>",
        };
        fields[field] = value;
        using var content = new FormUrlEncodedContent(fields);
        var answer = await anybody.PostAsync(address, content);
        Assert.True((int)answer.StatusCode < 500, answer.StatusCode.ToString());
        var page = await answer.Content.ReadAsStringAsync();
        Assert.DoesNotContain("<script>alert", page, StringComparison.Ordinal);
        if (!value.Contains('\0', StringComparison.Ordinal))
        {
            // What nobody can type is refused as a whole; everything else is still there to be put right.
            Assert.Contains("&lt;script&gt;alert", page, StringComparison.Ordinal);
        }

        Assert.Empty(await OfAsync(id));
    }

    [Fact]
    public async Task What_was_sent_too_fast_is_not_booked()
    {
        var (_, id, _, address) = await ShownAsync();
        using var anybody = Anybody();
        using var content = Choice(id, At(22, 9), "fast@example.com", secondsAgo: 0);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await anybody.PostAsync(address, content)).StatusCode);
        Assert.Empty(await OfAsync(id));
    }

    [Fact]
    public async Task A_zone_nobody_knows_is_the_practices()
    {
        var (_, id, _, address) = await ShownAsync();
        await ChooseAsync(address, id, At(23, 9), "nozone@example.com", (MeetingHtml.ZoneField, "Nowhere/<b>"));
        Assert.Null((await OfAsync(id))[0].ReaderZone);
        Assert.Contains("09:00 (America/New_York)", (await MailsAsync("nozone@example.com"))[0].Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_page_that_is_taken_back_or_whose_member_has_gone_is_there_for_nobody()
    {
        var (ada, id, member, address) = await ShownAsync();
        using var anybody = Anybody();
        await SaveAsync(ada, id, new { shown = false });
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync(address)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ChooseAsync(address, id, At(24, 9), "gone@example.com")).Status);
        await SaveAsync(ada, id, new { shown = true });
        await using var db = site.Db();
        await db.Users.Where(u => u.Id == member).ExecuteUpdateAsync(u => u.SetProperty(x => x.BlockedAt, Site.Now));
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync(address)).StatusCode);
    }

    [Fact]
    public async Task Members_say_their_own_hours_and_a_principal_anybodys()
    {
        var (ada, id, _, _) = await ShownAsync();
        var wren = await site.SignedInAsync("wren");
        var own = await wren.DoAsync("/api/meetings", new { title = "A word with Wren" });
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Put, $"/api/meetings/{id}", new { edition = 2 })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Delete, $"/api/meetings/{id}")).StatusCode);
        await ada.DoAsync($"/api/meetings/{own.GetProperty("id").GetGuid()}", null, HttpMethod.Delete);
        var stranger = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Put, $"/api/meetings/{id}", new { edition = 2 })).StatusCode);
        Assert.DoesNotContain((await stranger.GetAsync("/api/meetings")).GetProperty("pages").EnumerateArray(), p => p.GetProperty("id").GetGuid() == id);
    }

    [Fact]
    public async Task What_is_wrong_with_hours_is_said_and_an_older_edition_is_refused()
    {
        var (ada, id, _, _) = await ShownAsync();
        async Task<string> RefusedAsync(object more, HttpStatusCode status)
        {
            var page = (await ada.GetAsync("/api/meetings")).GetProperty("pages").EnumerateArray().Single(p => p.GetProperty("id").GetGuid() == id);
            var body = System.Text.Json.Nodes.JsonNode.Parse(page.GetRawText())!.AsObject();
            foreach (var (key, value) in System.Text.Json.JsonSerializer.SerializeToNode(more)!.AsObject())
            {
                body[key] = value?.DeepClone();
            }

            var answer = await ada.SendAsync(HttpMethod.Put, $"/api/meetings/{id}", body);
            Assert.Equal(status, answer.StatusCode);
            return await answer.Content.ReadAsStringAsync();
        }

        Assert.Contains("no hours of a day", await RefusedAsync(new { hours = new[] { new { day = "mon", from = "12:00", to = "09:00" } } }, HttpStatusCode.BadRequest), StringComparison.Ordinal);
        Assert.Contains("no week day", await RefusedAsync(new { hours = new[] { new { day = "Monday", from = "09:00", to = "12:00" } } }, HttpStatusCode.BadRequest), StringComparison.Ordinal);
        Assert.Contains("of the same hours", await RefusedAsync(new { hours = new[] { new { day = "mon", from = "09:00", to = "12:00" }, new { day = "mon", from = "11:00", to = "13:00" } } }, HttpStatusCode.BadRequest), StringComparison.Ordinal);
        Assert.Contains("no kind of appointment", await RefusedAsync(new { type = "dinner" }, HttpStatusCode.BadRequest), StringComparison.Ordinal);
        Assert.Contains("From 5 to 480 minutes", await RefusedAsync(new { minutes = 0 }, HttpStatusCode.BadRequest), StringComparison.Ordinal);
        Assert.Contains("has changed this page", await RefusedAsync(new { edition = 1 }, HttpStatusCode.Conflict), StringComparison.Ordinal);
    }
}
