using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Practices;

/// <summary>Policies that a program picks by name in the place of the practice's own rules of consent.</summary>
public sealed class SendingPolicyTests
{
    private static readonly FrozenDictionary<Channel, ConsentPolicy> Open = new Dictionary<Channel, ConsentPolicy>
    {
        [Channel.Email] = ConsentPolicy.Open,
    }.ToFrozenDictionary();

    private static Practice With(params SendingPolicy[] policies) =>
        Practice() with
        {
            Policies = policies.ToFrozenDictionary(p => p.Name, StringComparer.OrdinalIgnoreCase),
        };

    private static IReadOnlyList<string> Lived(Practice practice, ProgramDefinition program, params ConsentEntry[] consent) =>
        Given.Lived(EngineWith(practice, program), Person() with { Consent = consent }, "2027-03-01T00:00", "2027-03-03T00:00", Start(program, "2027-03-01T10:00"));

    [Fact]
    public void A_program_is_judged_by_the_policy_it_picked_and_an_out_stays_an_out()
    {
        var practice = With(new SendingPolicy("Invitations", new ConsentRules(Open), [], ""));
        var (own, picked) = (Program("P", "", Email("a", AtOnce)), Program("P", "\"policy\":\"INVITATIONS\"", Email("a", AtOnce)));
        Assert.Equal(["a skipped no-consent 2027-03-01T10:00"], Lived(practice, own));
        Assert.Equal(["a sent 2027-03-01T10:00"], Lived(practice, picked));
        Assert.Equal(["a skipped opted-out 2027-03-01T10:00"], Lived(practice, picked, No(Channel.Email)));

        // One that is not there (any more) is the practice's own.
        Assert.Equal(["a skipped no-consent 2027-03-01T10:00"], Lived(Practice(), picked));
    }

    [Theory, InlineData(6, "skipped no-consent"), InlineData(18, "sent")]
    public void The_spans_are_the_policys(int months, string outcome)
    {
        // 47 CFR 64.1200(f)(5): a transaction carries eighteen months; the practice's own preset here is six.
        var practice = With(new SendingPolicy("Longer", new ConsentRules(FrozenDictionary<Channel, ConsentPolicy>.Empty, InquiryMonths: months), [], ""));
        var entry = Yes(Channel.Email, "2026-01-15T10:00") with { Basis = ConsentBasis.Inquiry };
        Assert.Equal([$"a {outcome} 2027-03-01T10:00"], Lived(practice, Program("P", "\"policy\":\"Longer\"", Email("a", AtOnce)), entry));
    }

    [Fact]
    public void It_is_written_and_read_with_the_program_and_with_the_practice()
    {
        var program = Program("P", "\"policy\":\"Market letter\"", Email("a", AtOnce));
        Assert.Equal("Market letter", ProgramFile.Read(ProgramFile.Write(program).ToJsonString()).Program!.Policy);
        var reading = PracticeFile.Read(
            """{"format":"germinal.practice/1","name":"Example","zone":"America/New_York","policies":[{"name":"Market letter","consent":{"email":"open","clientMonths":18},"topics":["news"],"footer":"No advice."}]}"""
        );
        Assert.Empty(reading.Errors);
        var policy = reading.Practice!.PolicyOf(program)!;
        Assert.Equal((ConsentPolicy.Open, ConsentPolicy.Strict, 18, "No advice."), (policy.Consent.For(Channel.Email), policy.Consent.For(Channel.Text), policy.Consent.ClientMonths, policy.Footer));
        Assert.Equal("No advice.", reading.Practice.AsFor(program).Footer);
        Assert.Equal("", reading.Practice.Footer);
    }

    [Fact]
    public void The_check_says_which_policy_is_missing_and_which_topic_it_is_not_for()
    {
        var practice = With(new SendingPolicy("Market letter", new ConsentRules(Open), ["news"], ""));
        Assert.Empty(ProgramCheck.PolicyFindings(Program("P", "\"policy\":\"market letter\",\"topic\":\"News\"", Email("a", AtOnce)), practice));
        var missing = Assert.Single(ProgramCheck.PolicyFindings(Program("P", "\"policy\":\"Gone\"", Email("a", AtOnce)), practice));
        Assert.Equal(("/policy", true), (missing.Pointer, missing.Message.Contains("Market letter are", StringComparison.Ordinal)));
        Assert.Equal(
            ["/topic", "/steps/0/topic"],
            ProgramCheck
                .PolicyFindings(Program("P", "\"policy\":\"market letter\",\"topic\":\"tax\"", Email("a", AtOnce, "\"topic\":\"fees\"")), practice)
                .Select(f => f.Pointer)
        );
    }
}
