using System.Collections.Frozen;
using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Tests.People;

/// <summary>Section 10: reading the ledger.</summary>
public sealed class ConsentLedgerTests
{
    private static readonly ConsentRules Strict = new(FrozenDictionary<Channel, ConsentPolicy>.Empty);
    private static readonly ConsentRules Open = new(new Dictionary<Channel, ConsentPolicy> { [Channel.Email] = ConsentPolicy.Open }.ToFrozenDictionary());
    private static readonly Instant Now = Given.At("2027-03-01T08:15");

    private static ConsentEntry Entry(
        string at,
        bool isIn,
        Purpose? purpose = Purpose.Commercial,
        string? topic = null,
        ConsentBasis basis = ConsentBasis.Express,
        Channel channel = Channel.Email
    ) => new(channel, purpose, topic, isIn, basis, Given.At(at), "test");

    private static ConsentVerdict Read(ConsentRules rules, Purpose purpose, string? topic, params ConsentEntry[] entries) =>
        ConsentLedger.Read(entries, rules, Channel.Email, purpose, topic, Now, Given.NewYork).Verdict;

    [Fact]
    public void Rule_10_3_strict_needs_an_in_and_open_only_no_out()
    {
        Assert.Equal(ConsentVerdict.Missing, Read(Strict, Purpose.Commercial, null));
        Assert.Equal(ConsentVerdict.Allowed, Read(Open, Purpose.Commercial, null));
        Assert.Equal(ConsentVerdict.Withdrawn, Read(Open, Purpose.Commercial, null, Entry("2027-01-01T10:00", false)));
        Assert.Equal(ConsentVerdict.Allowed, Read(Strict, Purpose.Transactional, null));
        Assert.Equal(ConsentVerdict.Missing, Read(Strict with { StrictForTransactional = true }, Purpose.Transactional, null));
    }

    [Fact]
    public void Rule_10_2_the_newest_general_out_beats_every_topic_until_a_newer_general_in()
    {
        var topicIn = Entry("2027-02-10T10:00", true, topic: "market letter");
        var generalOut = Entry("2027-02-01T10:00", false);
        Assert.Equal(ConsentVerdict.Withdrawn, Read(Strict, Purpose.Commercial, "market letter", generalOut, topicIn));
        Assert.Equal(ConsentVerdict.Allowed, Read(Strict, Purpose.Commercial, "market letter", generalOut, topicIn, Entry("2027-02-20T10:00", true)));
    }

    [Fact]
    public void Rule_10_2_a_topic_left_out_is_forbidden_and_others_are_not()
    {
        var entries = new[] { Entry("2027-01-01T10:00", true), Entry("2027-02-01T10:00", false, topic: "market letter") };
        Assert.Equal(ConsentVerdict.Withdrawn, Read(Strict, Purpose.Commercial, "Market letter", entries));
        Assert.Equal(ConsentVerdict.Allowed, Read(Strict, Purpose.Commercial, "events", entries));
        Assert.Equal(ConsentVerdict.Allowed, Read(Strict, Purpose.Commercial, null, entries));
    }

    [Fact]
    public void Rule_10_2_an_in_for_commercial_says_nothing_about_transactional_and_everything_counts_for_both()
    {
        Assert.Equal(
            ConsentVerdict.Missing,
            Read(Strict with { StrictForTransactional = true }, Purpose.Transactional, null, Entry("2027-01-01T10:00", true))
        );
        Assert.Equal(ConsentVerdict.Withdrawn, Read(Strict, Purpose.Transactional, null, Entry("2027-01-01T10:00", false, purpose: null)));
        Assert.Equal(ConsentVerdict.Allowed, Read(Strict, Purpose.Transactional, null, Entry("2027-01-01T10:00", false)));
    }

    [Fact]
    public void Rule_10_2_only_the_channels_own_entries_count_and_only_those_of_the_past()
    {
        Assert.Equal(ConsentVerdict.Missing, Read(Strict, Purpose.Commercial, null, Entry("2027-01-01T10:00", true, channel: Channel.Text)));
        Assert.Equal(ConsentVerdict.Missing, Read(Strict, Purpose.Commercial, null, Entry("2027-03-02T10:00", true)));
    }

    // S.C. 2010, c. 23, s. 10(10): an inquiry carries six months, a business relationship two years (from memory).
    [Theory]
    [InlineData("2026-09-01T08:16", ConsentBasis.Inquiry, ConsentVerdict.Allowed)]
    [InlineData("2026-09-01T08:15", ConsentBasis.Inquiry, ConsentVerdict.Missing)]
    [InlineData("2025-03-01T08:16", ConsentBasis.Client, ConsentVerdict.Allowed)]
    [InlineData("2025-03-01T08:15", ConsentBasis.Client, ConsentVerdict.Missing)]
    [InlineData("1999-01-01T08:15", ConsentBasis.Express, ConsentVerdict.Allowed)]
    public void Rule_10_4_a_basis_runs_for_its_span(string given, ConsentBasis basis, ConsentVerdict expected) =>
        Assert.Equal(expected, Read(Strict, Purpose.Commercial, null, Entry(given, true, basis: basis)));

    [Theory]
    [InlineData("ida@example.com", true), InlineData("i.d-a+x@mail.example.org", true)]
    [
        InlineData("ida@example", false),
        InlineData("ida at example.com", false),
        InlineData("ida@@example.com", false),
        InlineData(".ida@example.com", false),
        InlineData("i..da@example.com", false),
        InlineData("ida@-example.com", false)
    ]
    public void Check_4_an_address_is_well_formed(string address, bool expected) => Assert.Equal(expected, Addresses.IsEmail(address));

    // ITU-T E.164: at most fifteen digits.
    [Theory]
    [
        InlineData("+12075550101", true),
        InlineData("+123456789012345", true),
        InlineData("+1234567890123456", false),
        InlineData("2075550101", false),
        InlineData("+02075550101", false)
    ]
    public void Check_4_a_number_is_in_E164(string number, bool expected) => Assert.Equal(expected, Addresses.IsE164(number));
}
