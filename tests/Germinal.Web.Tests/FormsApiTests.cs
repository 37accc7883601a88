using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Germinal.Channels;
using Germinal.Service.Forms;
using Germinal.Service.Mails;
using Germinal.Store.Rows;
using Germinal.Web.Endpoints;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Forms: written by members, shown to everybody, sent by anybody (rules 17.1 to 17.5).</summary>
public sealed partial class FormsApiTests(Site site) : IClassFixture<Site>
{
    private const string Questions = """
        [{"id":"name","kind":"text","ask":"First name","required":true,"into":"first-name"},
         {"id":"last","kind":"text","ask":"Last name","into":"last-name"},
         {"id":"mail","kind":"email","ask":"Where do we write?","required":true,"into":"email"},
         {"id":"phone","kind":"phone","ask":"Your number","into":"mobile"},
         {"id":"about","kind":"choice","ask":"What about?","options":["A house","A loan"]},
         {"id":"much","kind":"number","ask":"How much?","required":true,"shownIf":{"question":"about","answers":["A loan"]}},
         {"id":"letters","kind":"consent","ask":"Yes, write to me about rates.","consent":{"channel":"email","topic":"rates"}},
         {"id":"from","kind":"hidden","ask":"page","value":"home"},
         {"id":"paper","kind":"file","ask":"A paper"},
         {"id":"words","kind":"long-text","ask":"What would you like to know?"}]
        """;

    private static int forms;

    private FormTokens Tokens => site.Services.GetRequiredService<FormTokens>();

    /// <summary>A form that everybody sees; <paramref name="more"/> is put over the usual one.</summary>
    private async Task<(Member Ada, string Id, string Slug)> ShownAsync(object? more = null, string? questions = null)
    {
        var ada = await site.SignedInAsync("ada");
        await TopicAsync();
        var name = $"Form {Interlocked.Increment(ref forms)}";
        var made = await ada.DoAsync("/api/forms", new { name });
        var id = made.GetProperty("id").GetString()!;
        var draft = JsonNode.Parse("{\"format\":\"germinal.form/1\",\"inquiryWhen\":[\"words\"]}")!.AsObject();
        draft["name"] = name;
        draft["questions"] = JsonNode.Parse(questions ?? Questions);
        foreach (var (key, value) in JsonSerializer.SerializeToNode(more ?? new { })!.AsObject())
        {
            draft[key] = value?.DeepClone();
        }

        var saved = await ada.DoAsync($"/api/forms/{id}", new { edition = 1, draft }, HttpMethod.Put);
        Assert.Equal("[]", saved.GetProperty("findings").ToString());
        var shown = await ada.DoAsync($"/api/forms/{id}/show");
        return (ada, id, shown.GetProperty("slug").GetString()!);
    }

    private async Task TopicAsync()
    {
        await using var db = site.Db();
        var practice = await db.Practices.SingleAsync(p => p.Id == site.Practice);
        if (!practice.Settings.Topics.Contains("rates", StringComparer.Ordinal))
        {
            practice.Settings.Topics.Add("rates");
            db.Entry(practice).Property(p => p.Settings).IsModified = true;
            await db.SaveChangesAsync();
        }
    }

    private async Task<Guid> IdOfAsync(string slug)
    {
        await using var db = site.Db();
        return await db.Forms.Where(f => f.Slug == slug).Select(f => f.Id).SingleAsync();
    }

    /// <summary>A mark of a page that was made a while ago.</summary>
    private async Task<string> TokenAsync(string slug, int secondsAgo = 60) => Tokens.Make(await IdOfAsync(slug), SystemClock.Instance.GetCurrentInstant() - Duration.FromSeconds(secondsAgo));

    private static MultipartFormDataContent Content(string token, IEnumerable<(string Key, string Value)> fields, byte[]? paper = null, string paperName = "paper.pdf")
    {
        var content = new MultipartFormDataContent { { new StringContent(token), FormHtml.TokenField } };
        foreach (var (key, value) in fields)
        {
            content.Add(new StringContent(value), key);
        }

        if (paper is not null)
        {
            content.Add(new ByteArrayContent(paper), "paper", paperName);
        }

        return content;
    }

    private HttpClient Anybody() => site.CreateClient(new() { AllowAutoRedirect = false, BaseAddress = new Uri("https://localhost") });

    /// <summary>Sends a form as a person does, a while after its page was made.</summary>
    private async Task<(HttpStatusCode Status, string Page)> SendAsync(string slug, params (string Key, string Value)[] fields)
    {
        using var content = Content(await TokenAsync(slug), fields);
        using var anybody = Anybody();
        var answer = await anybody.PostAsync($"/form/{slug}", content);
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
    }

    private static (string, string)[] Of(string first, string mail, params (string, string)[] more) => [("name", first), ("last", "Form"), ("mail", mail), .. more];

    [Fact]
    public async Task What_is_sent_becomes_a_submission_a_person_their_consent_and_an_inquiry()
    {
        var (ada, id, slug) = await ShownAsync(new { tags = new[] { "asked" }, list = "askers", topic = "rates", opportunity = "Planning/Inquiry" });

        var (status, page) = await SendAsync(slug, Of("Ottilie", "OTTILIE@example.com", ("letters", "yes"), ("words", "How high are rates?\nAnd fees?"), ("much", "5"), ("unknown", "x")));

        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains("It has reached us", page, StringComparison.Ordinal);
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == "ottilie@example.com");
        Assert.Equal(("Ottilie", "Form", "asked", "askers"), (person.FirstName, person.LastName, person.Tags.Single(), person.Lists.Single()));
        var consent = await db.Consent.SingleAsync(c => c.PersonId == person.Id && c.Basis == "express");
        Assert.Equal(("email", "rates", true, "Yes, write to me about rates."), (consent.Channel, consent.Topic, consent.IsIn, consent.Evidence));
        var inquiry = await db.Inquiries.SingleAsync(i => i.PersonId == person.Id);
        Assert.Equal(("form", "How high are rates?\nAnd fees?", "rates"), (inquiry.How, inquiry.Text, inquiry.Topic));
        Assert.NotNull(inquiry.OwnerId);
        var row = await db.Submissions.SingleAsync(s => s.FormId == Guid.Parse(id));

        // “How much?” is only asked about a loan; the hidden value comes by itself.
        Assert.Equal(["name", "last", "mail", "letters", "from", "words"], row.Answers.Select(a => a.Question));
        Assert.Equal((SubmissionStates.Taken, person.Id, row.Id), (row.Status, row.PersonId, inquiry.SubmissionId));
        Assert.Equal("Planning/Inquiry", (await db.Opportunities.SingleAsync(o => o.PersonId == person.Id)).Stage);
        var thread = (await ada.GetAsync($"/api/people/{person.Id}/thread")).GetProperty("past").ToString();
        Assert.Contains("How high are rates?", thread, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Asking_is_a_basis_to_write_on_that_turns_no_no_round_and_makes_no_yes_shorter()
    {
        var (ada, _, slug) = await ShownAsync();
        await SendAsync(slug, Of("Basis", "basis@example.com", ("words", "May I ask?")));
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == "basis@example.com");
        async Task<string[]> LedgerAsync() =>
            [.. (await db.Consent.AsNoTracking().Where(c => c.PersonId == person.Id).OrderBy(c => c.Id).ToListAsync()).Select(c => $"{(c.IsIn ? "in" : "out")} {c.Channel} {c.Basis} {c.Evidence}")];
        Assert.Equal(["in email inquiry May I ask?"], await LedgerAsync());

        // They tick the box: that stands on more, and what they ask later adds nothing.
        await SendAsync(slug, Of("Basis", "basis@example.com", ("letters", "yes")));
        await ada.DoAsync($"/api/people/{person.Id}/consent", new { channel = "email", @in = true, reason = "said so" });
        var before = await LedgerAsync();
        await SendAsync(slug, Of("Basis", "basis@example.com", ("words", "And once more, may I?")));
        Assert.Equal(before, await LedgerAsync());

        // Nor after a no.
        await ada.DoAsync($"/api/people/{person.Id}/consent", new { channel = "email", @in = false, reason = "said so" });
        var after = await LedgerAsync();
        await SendAsync(slug, Of("Basis", "basis@example.com", ("words", "A third thing altogether")));
        Assert.Equal(after, await LedgerAsync());
    }

    [Fact]
    public async Task Without_what_makes_it_an_inquiry_it_is_a_sign_up()
    {
        var (_, _, slug) = await ShownAsync();
        await SendAsync(slug, Of("Signe", "signe@example.com", ("letters", "yes")));
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == "signe@example.com");
        Assert.False(await db.Inquiries.AnyAsync(i => i.PersonId == person.Id));
        Assert.NotNull(person.OwnerId);
    }

    [Fact]
    public async Task Somebody_known_is_found_and_another_first_name_is_another_of_their_household()
    {
        var (_, _, slug) = await ShownAsync();
        await SendAsync(slug, Of("Rosalind", "home@example.com", ("words", "a")));
        await SendAsync(slug, Of("rosalind", "Home@Example.com", ("words", "another thing altogether")));
        await SendAsync(slug, Of("Tobias", "home@example.com", ("words", "and a third")));
        await using var db = site.Db();
        var people = await db.People.Where(p => p.Email == "home@example.com").ToListAsync();
        Assert.Equal(["Rosalind", "Tobias"], people.Select(p => p.FirstName).Order());
        Assert.NotNull(people[0].HouseholdId);
        Assert.Equal(people[0].HouseholdId, people[1].HouseholdId);
    }

    [Theory]
    [InlineData("fill", "+12075550110", false)]
    [InlineData("take-over", "+12075550111", false)]
    [InlineData("ask", "+12075550110", true)]
    public async Task What_is_known_is_dealt_with_in_the_forms_way(string known, string mobile, bool asks)
    {
        var (ada, _, slug) = await ShownAsync(new { known });
        var mail = $"way-{known}@example.com";
        await SendAsync(slug, Of("Una", mail, ("phone", "(207) 555-0110")));
        await SendAsync(slug, Of("Una", mail, ("phone", "(207) 555-0111")));
        await using var db = site.Db();
        var person = await db.People.SingleAsync(p => p.Email == mail);
        Assert.Equal(mobile, person.Mobile);
        Assert.Equal(asks, await db.Notices.AnyAsync(n => n.PersonId == person.Id && n.Kind == "asked"));
        var newest = await db.Submissions.Where(s => s.PersonId == person.Id).OrderByDescending(s => s.Id).FirstAsync();
        await ada.DoAsync($"/api/submissions/{newest.Id}/take-over");
        await using var after = site.Db();
        Assert.Equal("+12075550111", (await after.People.SingleAsync(p => p.Email == mail)).Mobile);
    }

    [Fact]
    public async Task With_double_opt_in_nothing_but_the_submission_exists_until_it_is_confirmed()
    {
        var (_, id, slug) = await ShownAsync(new { doubleOptIn = true });
        var (_, page) = await SendAsync(slug, Of("Dora", "dora@example.com", ("letters", "yes"), ("words", "Hello?")));
        Assert.Contains("sent you an email", page, StringComparison.Ordinal);
        var link = await LinkAsync(id);
        await using (var db = site.Db())
        {
            Assert.False(await db.People.AnyAsync(p => p.Email == "dora@example.com"));
            Assert.False(await db.Consent.AnyAsync(c => c.Evidence == "Yes, write to me about rates." && c.PersonId == Guid.Empty));
        }

        using var anybody = Anybody();

        // A scanner that looks at the link confirms nothing.
        Assert.Contains("Was it you", await anybody.GetStringAsync(link), StringComparison.Ordinal);
        await using (var db = site.Db())
        {
            Assert.False(await db.People.AnyAsync(p => p.Email == "dora@example.com"));
        }

        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => anybody.PostAsync(link, new FormUrlEncodedContent([]))));
        Assert.Contains(answers, a => a.StatusCode == HttpStatusCode.OK);
        await using var later = site.Db();
        var person = await later.People.SingleAsync(p => p.Email == "dora@example.com");
        Assert.Single(await later.Inquiries.Where(i => i.PersonId == person.Id).ToListAsync());
        Assert.Equal(HttpStatusCode.Gone, (await anybody.PostAsync(link, new FormUrlEncodedContent([]))).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.PostAsync("/y/" + new string('A', 46), new FormUrlEncodedContent([]))).StatusCode);
    }

    private async Task<string> LinkAsync(string form)
    {
        await using var db = site.Db();
        var mail = await db.OwnMails.Where(m => m.Kind == OwnMailKinds.Confirmation && db.Submissions.Any(s => s.Id == m.SubmissionId && s.FormId == Guid.Parse(form))).OrderByDescending(m => m.Id).FirstAsync();
        return new Uri(Address().Match(mail.Text).Value).PathAndQuery;
    }

    [GeneratedRegex(@"https://\S+/y/\S+")]
    private static partial Regex Address();

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_confirmation_that_is_late_or_comes_after_a_no_does_nothing(bool late)
    {
        var (_, id, slug) = await ShownAsync(new { doubleOptIn = true });
        var mail = $"late-{late.ToString().ToLowerInvariant()}@example.com";
        if (!late)
        {
            await using var db = site.Db();
            var person = new PersonRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, Email = mail, AddedAt = Site.Now };
            db.People.Add(person);
            await db.SaveChangesAsync();
        }

        await SendAsync(slug, Of("Lars", mail));
        var link = await LinkAsync(id);
        await using (var db = site.Db())
        {
            if (late)
            {
                await db.Submissions.Where(s => s.FormId == Guid.Parse(id)).ExecuteUpdateAsync(u => u.SetProperty(s => s.AskedAt, Site.Now - Duration.FromDays(8)));
            }
            else
            {
                db.Consent.Add(new ConsentRow { PracticeId = site.Practice, PersonId = (await db.People.SingleAsync(p => p.Email == mail)).Id, Channel = "email", IsIn = false, At = Site.Now, Source = "test" });
                await db.SaveChangesAsync();
            }
        }

        using var anybody = Anybody();
        Assert.Equal(HttpStatusCode.Gone, (await anybody.GetAsync(link)).StatusCode);
        Assert.Equal(HttpStatusCode.Gone, (await anybody.PostAsync(link, new FormUrlEncodedContent([]))).StatusCode);
        await using var after = site.Db();
        Assert.Equal(SubmissionStates.Unconfirmed, (await after.Submissions.SingleAsync(s => s.FormId == Guid.Parse(id))).Status);
    }

    [Fact]
    public async Task Unconfirmed_ones_are_forgotten_after_thirty_days_and_give_their_places_back()
    {
        var (_, id, slug) = await ShownAsync(new { doubleOptIn = true, most = 5 });
        await SendAsync(slug, Of("Old", "old@example.com"));
        await SendAsync(slug, Of("Young", "young@example.com"));
        await using var db = site.Db();
        await db.Submissions.Where(s => s.Email == "old@example.com").ExecuteUpdateAsync(u => u.SetProperty(s => s.AskedAt, Site.Now - Duration.FromDays(31)));
        await FormIntake.ForgetUnconfirmedAsync(db, Site.Now, default);
        Assert.Equal("young@example.com", (await db.Submissions.SingleAsync(s => s.FormId == Guid.Parse(id))).Email);
        Assert.Equal(1, (await db.Forms.SingleAsync(f => f.Id == Guid.Parse(id))).Taken);
    }

    [Fact]
    public async Task Five_hundred_at_once_against_a_limit_of_a_hundred_are_exactly_a_hundred()
    {
        var (_, id, slug) = await ShownAsync(new { most = 100, closed = "All places are gone." });
        var tokens = await Task.WhenAll(Enumerable.Range(0, 500).Select(_ => TokenAsync(slug)));
        using var anybody = Anybody();
        var pages = await Task.WhenAll(
            tokens.Select(
                async (token, i) =>
                {
                    using var content = Content(token, Of("Many", $"many{i}@example.com"));
                    var answer = await anybody.PostAsync($"/form/{slug}", content);
                    Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
                    return await answer.Content.ReadAsStringAsync();
                }
            )
        );
        Assert.Equal(100, pages.Count(p => p.Contains("It has reached us", StringComparison.Ordinal)));
        Assert.Equal(400, pages.Count(p => p.Contains("All places are gone.", StringComparison.Ordinal)));
        await using var db = site.Db();
        Assert.Equal(100, await db.Submissions.CountAsync(s => s.FormId == Guid.Parse(id) && s.Status == SubmissionStates.Taken));
        Assert.Equal(100, await db.People.CountAsync(p => p.Email!.StartsWith("many")));
        Assert.Contains("All places are gone.", await anybody.GetStringAsync($"/form/{slug}"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Whoever_comes_too_late_may_wait_for_a_place()
    {
        var (ada, id, slug) = await ShownAsync(new { most = 1, waitingList = true });
        await SendAsync(slug, Of("First", "first@example.com"));
        var (_, page) = await SendAsync(slug, Of("Second", "second@example.com"));
        Assert.Contains("waiting list", page, StringComparison.Ordinal);
        await using var db = site.Db();
        Assert.False(await db.People.AnyAsync(p => p.Email == "second@example.com"));
        var waiting = (await ada.GetAsync($"/api/forms/{id}/submissions?state=apart")).GetProperty("rows")[0];
        await ada.DoAsync($"/api/submissions/{waiting.GetProperty("id").GetString()}/allow");
        Assert.True(await db.People.AnyAsync(p => p.Email == "second@example.com"));
    }

    [Fact]
    public async Task A_form_is_closed_before_it_opens_and_after_it_closes()
    {
        var (_, _, early) = await ShownAsync(new { opens = "2027-03-02T00:00:00Z" });
        var (_, _, late) = await ShownAsync(new { closes = "2027-03-01T00:00:00Z", closed = "It was yesterday." });
        using var anybody = Anybody();
        Assert.Contains("not open yet", await anybody.GetStringAsync($"/form/{early}"), StringComparison.Ordinal);
        Assert.Contains("It was yesterday.", (await SendAsync(late, Of("Late", "toolate@example.com"))).Page, StringComparison.Ordinal);
        await using var db = site.Db();
        Assert.False(await db.Submissions.AnyAsync(s => s.Email == "toolate@example.com"));
    }

    [Fact]
    public async Task What_may_be_of_no_person_waits_apart_and_is_never_written_to()
    {
        var (ada, id, slug) = await ShownAsync(new { doubleOptIn = true });
        await SendAsync(slug, Of("Bot", "bot1@example.com", (FormHtml.HiddenField, "https://example.com")));
        await SendAsync(slug, Of("Bot", "bot2@example.com", ("words", "see http://a.example http://b.example www.c.example")));
        await SendAsync(slug, Of("Bot", "bot3@example.com", ("words", "one link https://a.example, and no script")));
        using (var content = Content(await TokenAsync(slug, 0), Of("Bot", "bot4@example.com")))
        {
            using var anybody = Anybody();
            Assert.Contains("It has reached us", await (await anybody.PostAsync($"/form/{slug}", content)).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        await using var db = site.Db();
        Assert.Equal(4, await db.Submissions.CountAsync(s => s.FormId == Guid.Parse(id) && s.Status == SubmissionStates.Doubtful && s.Doubt != ""));
        Assert.False(await db.OwnMails.AnyAsync(m => m.ToAddress.StartsWith("bot")));
        Assert.False(await db.People.AnyAsync(p => p.Email!.StartsWith("bot")));
        var first = (await ada.GetAsync($"/api/forms/{id}/submissions?state=apart")).GetProperty("rows")[0].GetProperty("id").GetString();
        var allowed = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/submissions/{first}/allow")));
        Assert.Single(allowed, a => a.IsSuccessStatusCode);
        Assert.Equal(1, await db.People.CountAsync(p => p.Email!.StartsWith("bot")));
    }

    [Fact]
    public async Task The_same_words_again_and_again_are_of_no_person()
    {
        var (_, id, slug) = await ShownAsync();
        for (var i = 0; i < 4; i++)
        {
            await SendAsync(slug, Of("Rep", $"rep{i}@example.com", ("words", i % 2 == 0 ? "We make your page come first in every search." : "we  make YOUR page come first in every search")));
        }

        await using var db = site.Db();
        Assert.Equal(2, await db.Submissions.CountAsync(s => s.FormId == Guid.Parse(id) && s.Status == SubmissionStates.Doubtful));
    }

    [Fact]
    public async Task A_page_sent_ten_times_at_once_is_sent_once()
    {
        var (_, id, slug) = await ShownAsync();
        var token = await TokenAsync(slug);
        using var anybody = Anybody();
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 10)
                .Select(async _ =>
                {
                    using var content = Content(token, Of("Twice", "twice@example.com", ("words", "Once")));
                    return await anybody.PostAsync($"/form/{slug}", content);
                })
        );
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a.StatusCode));
        await using var db = site.Db();
        Assert.Equal(1, await db.Submissions.CountAsync(s => s.FormId == Guid.Parse(id)));
        Assert.Equal(1, await db.People.CountAsync(p => p.Email == "twice@example.com"));
        Assert.Equal(1, await db.Inquiries.CountAsync(i => db.People.Any(p => p.Id == i.PersonId && p.Email == "twice@example.com")));
    }

    [Fact]
    public async Task A_plain_form_of_another_page_is_looked_through_once_more_and_loses_nothing()
    {
        var (_, id, slug) = await ShownAsync();
        using var anybody = Anybody();
        var answer = await anybody.PostAsync($"/form/{slug}", new FormUrlEncodedContent([new("name", "Plain"), new("mail", "plain@example.com"), new("words", "Kept \"words\" <b>")]));
        var page = await answer.Content.ReadAsStringAsync();
        Assert.Contains("look it through", page, StringComparison.Ordinal);
        Assert.Contains("plain@example.com", page, StringComparison.Ordinal);
        Assert.Contains("Kept &quot;words&quot; &lt;b&gt;", page, StringComparison.Ordinal);
        await using var db = site.Db();
        Assert.False(await db.Submissions.AnyAsync(s => s.FormId == Guid.Parse(id)));

        // Marks that are forged, of another form, or from yesterday are none.
        var (_, _, other) = await ShownAsync();
        foreach (var token in new[] { "AAAA", await TokenAsync(other), await TokenAsync(slug, 13 * 3600) })
        {
            using var content = Content(token, Of("Plain", "plain@example.com"));
            Assert.Contains("again", await (await anybody.PostAsync($"/form/{slug}", content)).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        Assert.False(await db.Submissions.AnyAsync(s => s.FormId == Guid.Parse(id)));
    }

    [Fact]
    public async Task What_is_wrong_is_said_at_its_question_and_what_was_written_stays()
    {
        var (_, id, slug) = await ShownAsync();
        var (status, page) = await SendAsync(slug, ("name", "Wrong"), ("mail", "nobody at all"), ("about", "A boat"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("is not an email address; ida@example.com would be.", page, StringComparison.Ordinal);
        Assert.Contains("value=\"Wrong\"", page, StringComparison.Ordinal);
        Assert.Contains("href=\"#q-about\"", page, StringComparison.Ordinal);
        await using var db = site.Db();
        Assert.False(await db.Submissions.AnyAsync(s => s.FormId == Guid.Parse(id)));
    }

    [Fact]
    public async Task Files_are_known_by_their_content_and_never_shown()
    {
        var (ada, id, slug) = await ShownAsync();
        using var anybody = Anybody();
        async Task<string> FileAsync(byte[] content, string name)
        {
            using var form = Content(await TokenAsync(slug), Of("Filip", "filip@example.com", ("words", $"See {name} and {content.Length} bytes of it")), content, name);
            return await (await anybody.PostAsync($"/form/{slug}", form)).Content.ReadAsStringAsync();
        }

        Assert.Contains("is not a PDF", await FileAsync("<script>alert(1)</script>"u8.ToArray(), "paper.pdf"), StringComparison.Ordinal);
        Assert.Contains("of no kind", await FileAsync("MZ"u8.ToArray(), "paper.exe"), StringComparison.Ordinal);
        Assert.Contains("larger than 10 MB", await FileAsync([.. "%PDF-1.4\n"u8, .. new byte[11 * 1024 * 1024], .. "%%EOF"u8], "paper.pdf"), StringComparison.Ordinal);
        Assert.Contains("It has reached us", await FileAsync("%PDF-1.4\n%%EOF"u8.ToArray(), "../../paper.pdf"), StringComparison.Ordinal);
        await using var db = site.Db();
        var kept = await db.SubmittedFiles.SingleAsync(f => db.Submissions.Any(s => s.Id == f.SubmissionId && s.FormId == Guid.Parse(id)));
        Assert.Equal(("paper.pdf", "application/pdf"), (kept.Name, kept.ContentType));
        var inquiry = await db.Inquiries.SingleAsync(i => i.SubmissionId == kept.SubmissionId);
        var answer = await ada.Http.GetAsync($"/api/inquiries/{inquiry.Id}/files/{kept.Id}");
        Assert.Equal("application/octet-stream", answer.Content.Headers.ContentType?.MediaType);
        Assert.Equal("attachment", answer.Content.Headers.ContentDisposition?.DispositionType);
        var stranger = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync($"/api/inquiries/{inquiry.Id}/files/{kept.Id}")).StatusCode);
    }

    [Fact]
    public async Task Hostile_answers_are_told_so_and_never_an_error()
    {
        var (_, _, slug) = await ShownAsync();
        string[] values = ["", "\0", "a\0b", "\ud83d", "<script>alert(1)</script>", "{{ person.email }}", "'; DROP TABLE people; --", "9999-12-31", "-1e999", "ß‮🙂", new string('x', 6_000), ";;;", "yes;no", "../../etc/passwd", "%00", "=cmd()"];
        foreach (var question in new[] { "name", "last", "mail", "phone", "about", "much", "letters", "from", "words", "paper", FormHtml.WorkField, FormHtml.ReaderField, FormHtml.FromField, FormHtml.FramedField })
        {
            foreach (var value in values)
            {
                var (status, page) = await SendAsync(slug, [.. Of("Fuzz", "fuzz@example.com", ("about", "A loan"), ("much", "1")).Where(f => f.Item1 != question), (question, value)]);
                Assert.True(status is HttpStatusCode.OK or HttpStatusCode.UnprocessableEntity or HttpStatusCode.BadRequest, $"{question}: {status} {page}");
                Assert.DoesNotContain("<script>alert", page, StringComparison.Ordinal);
            }
        }
    }

    [Fact]
    public async Task What_breaks_off_or_is_beyond_every_form_is_refused_and_not_an_error()
    {
        var (_, id, slug) = await ShownAsync();
        using var anybody = Anybody();
        async Task<HttpStatusCode> PostAsync(string body, string type)
        {
            using var content = new StringContent(body);
            content.Headers.ContentType = System.Net.Http.Headers.MediaTypeHeaderValue.Parse(type);
            return (await anybody.PostAsync($"/form/{slug}", content)).StatusCode;
        }

        Assert.Equal(HttpStatusCode.UnsupportedMediaType, await PostAsync("{}", "application/json"));
        Assert.Equal(HttpStatusCode.BadRequest, await PostAsync("--x\r\nContent-Disposition: form-data; name=\"mail\"\r\n\r\nida@exam", "multipart/form-data; boundary=x"));
        Assert.Equal(HttpStatusCode.BadRequest, await PostAsync("words=" + new string('x', 5_000_000), "application/x-www-form-urlencoded"));
        Assert.Equal(HttpStatusCode.BadRequest, await PostAsync(string.Join('&', Enumerable.Range(0, 5_000).Select(i => $"a{i}=1")), "application/x-www-form-urlencoded"));
        await using var db = site.Db();
        Assert.False(await db.Submissions.AnyAsync(s => s.FormId == Guid.Parse(id)));
    }

    [Fact]
    public async Task A_link_in_a_letter_shows_the_form_as_its_readers_and_proves_their_address()
    {
        var (_, id, slug) = await ShownAsync(new { doubleOptIn = true });
        var links = site.Services.GetRequiredService<PublicLinks>();
        var (person, touch, _) = await WrittenTo.SomebodyAsync(site, "Linnea", "Ekwall", "linnea@example.com", "+12075550134");
        using var anybody = Anybody();
        var page = await anybody.GetStringAsync($"/form/{slug}?by={links.Reader(touch)}");
        Assert.Contains("value=\"Linnea\"", page, StringComparison.Ordinal);
        Assert.Contains("l…@example.com", page, StringComparison.Ordinal);

        // Whoever it was forwarded to sees nothing else of them.
        Assert.DoesNotContain("linnea@example.com", page, StringComparison.Ordinal);
        Assert.DoesNotContain("Ekwall", page, StringComparison.Ordinal);
        Assert.DoesNotContain("5550134", page, StringComparison.Ordinal);

        // What is left empty still holds, what is changed is theirs, and no confirmation is asked.
        await SendAsync(slug, ("name", "Linnea"), ("phone", "(207) 555-0199"), ("words", "By your letter"), (FormHtml.ReaderField, links.Reader(touch)));
        await using var after = site.Db();
        Assert.Equal("+12075550199", (await after.People.SingleAsync(p => p.Id == person)).Mobile);
        var inquiry = await after.Inquiries.SingleAsync(i => i.PersonId == person);
        Assert.Equal(touch, inquiry.TouchId);

        // Whoever says that they are somebody else is asked.
        await SendAsync(slug, ("name", "Viktor"), ("mail", "viktor@example.com"), ("words", "It was forwarded"), (FormHtml.ReaderField, links.Reader(touch)));
        Assert.Equal(SubmissionStates.Unconfirmed, (await after.Submissions.SingleAsync(s => s.Email == "viktor@example.com")).Status);

        // It runs out.
        await after.Messages.Where(m => m.TouchId == touch).ExecuteUpdateAsync(u => u.SetProperty(m => m.SentAt, Site.Now - Duration.FromDays(91)));
        Assert.DoesNotContain("Linnea", await anybody.GetStringAsync($"/form/{slug}?by={links.Reader(touch)}"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_covered_is_shown_by_a_link_that_is_mailed_to_the_address_and_to_nobody_else()
    {
        var (_, _, slug) = await ShownAsync();
        var links = site.Services.GetRequiredService<PublicLinks>();
        var (person, touch, _) = await WrittenTo.SomebodyAsync(site, "Mathilda", "Covered", "mathilda@example.com", "+12075550136");
        using var anybody = Anybody();
        var page = await anybody.GetStringAsync($"/form/{slug}?by={links.Reader(touch)}");
        Assert.Contains("Mail me a link that shows it all", page, StringComparison.Ordinal);

        // Whoever has the letter may press it, ten times at once: one mail goes, to whom the letter went.
        FormUrlEncodedContent Asked(string by, string path) => new([new(FormHtml.ReaderField, by), new(FormHtml.PageField, path)]);
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => anybody.PostAsync(OwnLinks.Root, Asked(links.Reader(touch), $"/form/{slug}"))));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a.StatusCode));
        await using var db = site.Db();
        var mail = Assert.Single(await db.OwnMails.Where(m => m.PersonId == person).ToListAsync());
        Assert.Equal((OwnMailKinds.OwnLink, "mathilda@example.com"), (mail.Kind, mail.ToAddress));
        var own = new Uri(Regex.Match(mail.Text, @"https://\S+/form/\S+").Value).PathAndQuery;
        var mine = await anybody.GetStringAsync(own);
        Assert.All(new[] { "value=\"Covered\"", "value=\"mathilda@example.com\"", "value=\"+12075550136\"" }, known => Assert.Contains(known, mine, StringComparison.Ordinal));
        Assert.DoesNotContain("Mail me a link", mine, StringComparison.Ordinal);

        // What they change there is theirs, as by the letter.
        var by = own.Split("by=")[1];
        await SendAsync(slug, ("name", "Mathilda"), ("last", "Uncovered"), ("mail", "mathilda@example.com"), ("words", "By my own link"), (FormHtml.ReaderField, by));
        Assert.Equal("Uncovered", await db.People.Where(p => p.Id == person).Select(p => p.LastName).SingleAsync());

        // It runs out, is not made up, and leads to our pages only.
        var day = (ushort)(Period.DaysBetween(new LocalDate(2020, 1, 1), Site.Now.InUtc().Date) - 2);
        Assert.DoesNotContain("Uncovered", await anybody.GetStringAsync($"/form/{slug}?by={links.ConfirmedReader(touch, day)}"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.PostAsync(OwnLinks.Root, Asked(by, $"/form/{slug}"))).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.PostAsync(OwnLinks.Root, Asked("forged", $"/form/{slug}"))).StatusCode);
        foreach (var path in new[] { "https://example.com/", "//example.com/form/x", "/form/../api/session", "/form/x?y=z", "/u/x" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await anybody.PostAsync(OwnLinks.Root, Asked(links.Reader(touch), path))).StatusCode);
        }
    }

    [Fact]
    public async Task An_inquiry_when_nobody_is_in_is_answered_by_itself_once_a_day_and_waits_on()
    {
        var ada = await site.SignedInAsync("ada");
        var letter = $"We have it {Interlocked.Increment(ref forms)}";
        await ada.DoAsync("/api/letters", new { name = letter, subject = "We have your question", body = "<p>Dear {{ person.first_name }}, we answer tomorrow.</p>" });
        var (_, _, slug) = await ShownAsync(new { answersItself = "outside-hours", answerLetter = letter });

        // A quarter past eight in the morning there.
        await SendAsync(slug, Of("Nacht", "nacht@example.com", ("words", "At night")));
        await SendAsync(slug, Of("Nacht", "nacht@example.com", ("words", "And once more, later")));
        await using var db = site.Db();
        var mail = await db.OwnMails.SingleAsync(m => m.ToAddress == "nacht@example.com");
        Assert.Equal((OwnMailKinds.ByItself, "We have your question"), (mail.Kind, mail.Subject));
        Assert.Contains("Dear Nacht", mail.Text, StringComparison.Ordinal);
        Assert.Equal(2, await db.Inquiries.CountAsync(i => i.PersonId == mail.PersonId && i.AnsweredAt == null));

        // The member reads on Today what went out in their name, until they have.
        var whose = await db.Users.Where(u => u.Id == mail.MemberId).Select(u => u.Email).SingleAsync();
        var member = await site.SignedInAsync(whose!.Split('@')[0]);
        async Task<bool> WaitsAsync() => (await member.GetAsync("/api/today?mine=false")).GetProperty("waiting").EnumerateArray().Any(w => w.GetProperty("id").GetString() == $"o{mail.Id:N}");
        Assert.True(await WaitsAsync());
        await member.DoAsync($"/api/today/waiting/o{mail.Id:N}/seen");
        Assert.False(await WaitsAsync());
        await member.DoAsync($"/api/today/waiting/o{mail.Id:N}/unseen");
        Assert.True(await WaitsAsync());
    }

    [Fact]
    public async Task It_stands_in_any_page_and_its_own_pages_set_no_cookie()
    {
        var (_, _, slug) = await ShownAsync();
        using var anybody = Anybody();
        var script = await anybody.GetAsync($"/form/{slug}/embed.js");
        var words = await script.Content.ReadAsStringAsync();
        Assert.InRange(words.Length, 200, 3_000);
        Assert.DoesNotContain("eval", words, StringComparison.Ordinal);
        var page = await anybody.GetAsync($"/form/{slug}?framed=1");
        Assert.Contains("frame-ancestors *", page.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        Assert.False(page.Headers.Contains("Set-Cookie"));
        var ours = await anybody.GetAsync("/api/session");
        Assert.Contains("frame-ancestors 'self'", ours.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync("/form/nothing-here")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync("/form/nothing-here/embed.js")).StatusCode);
    }

    [Fact]
    public async Task Only_who_may_shows_a_form_and_no_other_practice_sees_it()
    {
        var (ada, id, slug) = await ShownAsync();
        await SendAsync(slug, Of("Priv", "priv@example.com", ("words", "private")));
        var wren = await site.SignedInAsync("wren");
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/forms/{id}/hide")).StatusCode);
        var stranger = await site.SignedInAsync("ada2");
        foreach (var path in new[] { "", "/submissions", "/counts", "/submissions.csv", "/file.json", "/code.svg", "/code.png", "/sheet.pdf" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync($"/api/forms/{id}{path}")).StatusCode);
            Assert.True((await ada.Http.GetAsync($"/api/forms/{id}{path}")).IsSuccessStatusCode, path);
        }

        Assert.Equal(409, (int)(await ada.SendAsync(HttpMethod.Delete, $"/api/forms/{id}")).StatusCode);
        await ada.DoAsync($"/api/forms/{id}/hide");
        using var anybody = Anybody();
        Assert.Equal(HttpStatusCode.NotFound, (await anybody.GetAsync($"/form/{slug}")).StatusCode);
        var conflict = await ada.RefusedAsync($"/api/forms/{id}", new { edition = 1, draft = new { name = "x" } }, "draft", HttpMethod.Put);
        Assert.Equal(409, conflict.Status);
    }

    [Fact]
    public async Task A_form_that_asks_for_what_is_not_here_is_kept_and_not_shown()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/forms", new { name = "Lacking" });
        var id = made.GetProperty("id").GetString();
        var draft = JsonNode.Parse("""
            {"format":"germinal.form/1","name":"Lacking","questions":[{"id":"mail","kind":"email","ask":"Mail","into":"email"},{"id":"shoe","kind":"text","ask":"Shoe","into":"custom:shoe"}],
             "program":"Nothing","opportunity":"No/Where","topic":"no topic","answersItself":"always","answerLetter":"no letter"}
            """);
        var saved = await ada.DoAsync($"/api/forms/{id}", new { edition = 1, draft }, HttpMethod.Put);
        Assert.Equal(5, saved.GetProperty("findings").GetArrayLength());
        Assert.Equal(400, (await ada.RefusedAsync($"/api/forms/{id}/show", null, "draft")).Status);
        Assert.Contains("Shoe", (await ada.DoAsync("/api/forms/preview", new { draft })).GetProperty("page").GetString(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/forms/{id}", null, HttpMethod.Delete);
    }

    [Fact]
    public async Task Choices_are_counted_and_all_goes_out_as_a_file()
    {
        var (ada, id, slug) = await ShownAsync();
        await SendAsync(slug, Of("Ca", "ca@example.com", ("about", "A house")));
        await SendAsync(slug, Of("Cb", "cb@example.com", ("about", "A loan"), ("much", "7"), ("letters", "yes")));
        await SendAsync(slug, Of("Cc", "cc@example.com", ("about", "A loan"), ("much", "=8")));
        await SendAsync(slug, Of("Cd", "cd@example.com", ("about", "A loan"), ("much", "8"), ("words", "=cmd()")));
        var counts = (await ada.GetAsync($"/api/forms/{id}/counts")).EnumerateArray().ToList();
        Assert.Equal("A house 1, A loan 2", string.Join(", ", counts[0].GetProperty("counts").EnumerateArray().Select(c => $"{c.GetProperty("answer").GetString()} {c.GetProperty("count").GetInt32()}")));
        Assert.Equal(1, counts[1].GetProperty("counts")[0].GetProperty("count").GetInt32());
        var csv = await ada.Http.GetStringAsync($"/api/forms/{id}/submissions.csv");
        Assert.Contains("What about?", csv.Split('\n')[0], StringComparison.Ordinal);
        Assert.Contains("'=cmd()", csv, StringComparison.Ordinal);
    }
}
