using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Forms;
using NodaTime;

namespace Germinal.Core.Tests.Forms;

/// <summary>Forms: what is wrong with one, what is read of what was sent, when it is open (rule 17).</summary>
public sealed class FormTests
{
    /// <summary>One of everything a form knows; the schema's test reads the same file.</summary>
    private static readonly string AskUs = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "ask-us.form.json"));

    private static readonly Form Form = FormFile.Read(AskUs).Form!;

    private static FormAnswers Send(params (string Question, string Value)[] answers) =>
        FormAnswers.Read(
            Form,
            answers.GroupBy(a => a.Question).ToDictionary(g => g.Key, g => (IReadOnlyList<string>)[.. g.Select(a => a.Value)]),
            typed => typed.Count(char.IsDigit) == 10 ? "+1" + string.Concat(typed.Where(char.IsDigit)) : null
        );

    [Fact]
    public void A_form_is_written_as_it_was_read()
    {
        Assert.Empty(FormFile.Read(AskUs).Errors);
        var written = FormFile.Write(Form).ToJsonString();
        Assert.Equal(written, FormFile.Write(FormFile.Read(written).Form!).ToJsonString());
        Assert.True(System.Text.Json.Nodes.JsonNode.DeepEquals(System.Text.Json.Nodes.JsonNode.Parse(AskUs), System.Text.Json.Nodes.JsonNode.Parse(written)));
    }

    [Theory]
    [InlineData("\"kind\":\"email\"", "\"kind\":\"letter\"", "/questions/1/kind")]
    [InlineData("\"id\":\"mail\"", "\"id\":\"name\"", "/questions/1/id")]
    [InlineData("\"id\":\"mail\"", "\"id\":\"Mail!\"", "/questions/1/id")]
    [InlineData(",\"into\":\"email\"", ",\"into\":\"shoe\"", "/questions/1/into")]
    [InlineData("\"options\":[\"A house\",\"A loan\"]", "\"options\":[]", "/questions/3/options")]
    [InlineData("\"options\":[\"A house\",\"A loan\"]", "\"options\":[\"A house\",\"a HOUSE\"]", "/questions/3/options")]
    [InlineData("\"answers\":[\"a loan\"]", "\"answers\":[\"a ship\"]", "/questions/4/shownIf")]
    [InlineData("\"question\":\"about\",\"answers\"", "\"question\":\"words\",\"answers\"", "/questions/4/shownIf")]
    [InlineData(",\"consent\":{\"channel\":\"email\",\"topic\":\"rates\"}", "", "/questions/7/consent")]
    [InlineData("\"ask\":\"Yes, write to me about rates.\"", "\"required\":true,\"ask\":\"Yes, write to me about rates.\"", "/questions/7/required")]
    [InlineData("\"inquiryWhen\":[\"words\"]", "\"inquiryWhen\":[\"verse\"]", "/inquiryWhen")]
    [InlineData("https://example.com/thanks", "http://example.com/thanks", "/goOn")]
    [InlineData("https://example.com/thanks", "javascript:alert(1)", "/goOn")]
    [InlineData("\"closes\":\"2027-05-01T00:00:00Z\"", "\"closes\":\"2026-05-01T00:00:00Z\"", "/closes")]
    [InlineData("\"closes\":\"2027-05-01T00:00:00Z\"", "\"closes\":\"in May\"", "/closes")]
    [InlineData("\"most\":100", "\"most\":0", "/most")]
    [InlineData(",\"answerLetter\":\"We have it\"", "", "/answerLetter")]
    [InlineData("\"ask\":\"Where do we write?\",\"required\":true", "\"ask\":\"Where do we write?\"", "/doubleOptIn")]
    [InlineData("\"name\":\"Ask us\"", "\"name\":\"Ask us\",\"colour\":\"red\"", "/colour")]
    public void What_is_wrong_is_said_with_its_place(string right, string wrong, string pointer) =>
        Assert.Contains(FormFile.Read(AskUs.Replace(right, wrong, StringComparison.Ordinal)).Errors, e => e.Pointer == pointer);

    [Fact]
    public void A_form_by_which_nobody_can_be_reached_is_none()
    {
        var reading = FormFile.Read("""{"format":"germinal.form/1","name":"x","questions":[{"id":"a","kind":"text","ask":"?"}]}""");
        Assert.Contains("Nobody could be found", Assert.Single(reading.Errors).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void What_was_sent_is_read_in_the_form_it_is_kept_in()
    {
        var sent = Send(
            ("name", "  Ida\u0000  "),
            ("mail", "Ida@Example.COM"),
            ("phone", "(207) 555-0101"),
            ("about", "a LOAN"),
            ("loan", "350,000"),
            ("moves", "2027-06-14"),
            ("topics", "talks"),
            ("topics", "Rates"),
            ("letters", "on"),
            ("words", "Two\r\nlines."),
            ("unknown", "left alone")
        );
        Assert.Empty(sent.Problems);
        Assert.Equal(
            ["about=A loan", "from=home", "letters=yes", "loan=350000", "mail=ida@example.com", "moves=2027-06-14", "name=Ida", "phone=+12075550101", "topics=Rates;Talks", "words=Two\nlines."],
            sent.Values.Select(v => $"{v.Key}={v.Value}").Order(StringComparer.Ordinal)
        );
        Assert.True(sent.IsInquiry(Form));
        Assert.Equal((new FormConsent(Channel.Email, "rates"), "Yes, write to me about rates."), Assert.Single(sent.Consent(Form)));
        Assert.Equal(["first-name", "email", "mobile", "custom:loan", "date:moved in"], sent.ForPerson(Form).Select(p => p.Place.Field));
    }

    [Fact]
    public void What_is_not_asked_is_neither_required_nor_read()
    {
        var sent = Send(("name", "Ida"), ("mail", "ida@example.com"), ("about", "A house"), ("loan", "not even a number"));
        Assert.Empty(sent.Problems);
        Assert.DoesNotContain("loan", sent.Values.Keys);
        Assert.False(sent.IsInquiry(Form));
        Assert.Equal("This has to be answered.", Send(("name", "Ida"), ("mail", "ida@example.com"), ("about", "A loan")).Problems["loan"]);
    }

    [Theory]
    [InlineData("mail", "ida at example")]
    [InlineData("phone", "soon")]
    [InlineData("about", "a ship")]
    [InlineData("moves", "2027-02-30")]
    [InlineData("topics", "Rates;Ships")]
    public void What_cannot_be_read_says_what_would_be_right(string question, string value) =>
        Assert.NotEmpty(Send([.. new[] { ("name", "Ida"), ("mail", "ida@example.com"), ("about", "A house") }.Where(a => a.Item1 != question), (question, value)]).Problems[question]);

    [Theory]
    [InlineData("2027-03-01T08:59:59Z", 0, false), InlineData("2027-03-01T09:00:00Z", 0, true), InlineData("2027-04-01T00:00:00Z", 99, true)]
    [InlineData("2027-04-01T00:00:00Z", 100, false), InlineData("2027-05-01T00:00:00Z", 0, false)]
    public void It_is_open_from_its_first_moment_to_its_last_or_its_number(string at, int sent, bool open) =>
        Assert.Equal(open, Form.IsOpen(NodaTime.Text.InstantPattern.ExtendedIso.Parse(at).Value, sent));

    [Fact]
    public void Whatever_is_sent_is_taken_or_told_and_never_more_than_was_asked() =>
        Gen.Select(Gen.Int[0, Form.Questions.Count].Select(i => i < Form.Questions.Count ? Form.Questions[i].Id : "other"), Gen.String[0, 40])
            .Array[0, 20]
            .Sample(
                posted =>
                {
                    var sent = Send([.. posted]);
                    var asked = Form.Questions.Where(q => FormAnswers.IsAsked(q, sent.Values)).Select(q => q.Id).ToHashSet();
                    return sent.Values.Keys.All(asked.Contains)
                        && !sent.Values.Keys.Intersect(sent.Problems.Keys).Any()
                        && sent.Values.Values.All(v => v.Length > 0 && !v.Any(c => char.IsControl(c) && c != '\n'))
                        && Form.Questions.Where(q => q.Required && asked.Contains(q.Id)).All(q => sent.Values.ContainsKey(q.Id) || sent.Problems.ContainsKey(q.Id));
                },
                iter: 2000
            );
}
