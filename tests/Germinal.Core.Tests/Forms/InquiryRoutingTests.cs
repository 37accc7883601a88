using CsCheck;
using Germinal.Core.Forms;
using NodaTime;

namespace Germinal.Core.Tests.Forms;

/// <summary>Who gets an inquiry.</summary>
public sealed class InquiryRoutingTests
{
    private static readonly Guid[] Members = [.. Enumerable.Range(1, 5).Select(i => new Guid(i, 0, 0, new byte[8]))];
    private static readonly Guid House = new(99, 0, 0, new byte[8]);

    private static InquiryDesk Desk(params int[] away) =>
        new(m => !away.Contains(Array.IndexOf(Members, m)), m => m == Members[0] ? Members[4] : null, new Dictionary<Guid, Instant>());

    private static Routed Give(InquiryDesk desk, InquiryFacts inquiry, params RoutingRule[] rules) => InquiryRouting.Of(rules, inquiry, desk, House);

    private static RoutingRule To(GivenTo to, params int[] members) => new(null, null, null, to, [.. members.Select(m => Members[m])]);

    [Fact]
    public void The_first_rule_that_says_somebody_who_is_there_decides()
    {
        var asked = new InquiryFacts("Ask us", "Rates", [], Members[2]);
        Assert.Equal(new Routed(Members[1], 1, null), Give(Desk(), asked, To(GivenTo.TheFirst, 0) with { Topic = "Houses" }, To(GivenTo.TheFirst, 1) with { Form = "ask US" }));
        Assert.Equal(new Routed(Members[2], 0, null), Give(Desk(), asked, To(GivenTo.WhoKnowsThem), To(GivenTo.TheFirst, 1)));
        Assert.Equal(new Routed(Members[1], 1, null), Give(Desk(2), asked, To(GivenTo.WhoKnowsThem), To(GivenTo.TheFirst, 1)));
        Assert.Equal(new Routed(Members[1], 1, null), Give(Desk(), asked with { Owner = null }, To(GivenTo.WhoKnowsThem), To(GivenTo.TheFirst, 1)));
        Assert.Equal(new Routed(House, null, null), Give(Desk(1), asked, To(GivenTo.TheFirst, 1)));
    }

    [Fact]
    public void Somebody_who_is_away_is_stood_in_for_only_where_nobody_else_of_the_rule_is_there()
    {
        var asked = new InquiryFacts(null, null, [], null);
        Assert.Equal(new Routed(Members[1], 0, null), Give(Desk(0), asked, To(GivenTo.TheFirst, 0, 1)));
        Assert.Equal(new Routed(Members[4], 0, Members[0]), Give(Desk(0, 1), asked, To(GivenTo.TheFirst, 0, 1)));
        Assert.Equal(new Routed(House, null, null), Give(Desk(0, 1, 4), asked, To(GivenTo.TheFirst, 0, 1)));
    }

    [Fact]
    public void In_turn_everybody_who_is_there_gets_as_many_give_or_take_one() =>
        Gen.Int[1, 40]
            .Sample(
                many =>
                {
                    var last = new Dictionary<Guid, Instant>();
                    var given = new Dictionary<Guid, int>();
                    for (var i = 0; i < many; i++)
                    {
                        var desk = Desk(3) with { LastGiven = last };
                        var to = Give(desk, new InquiryFacts(null, null, [], null), To(GivenTo.InTurn, 0, 1, 2, 3)).Member;
                        last[to] = Instant.FromUnixTimeSeconds(i);
                        given[to] = given.GetValueOrDefault(to) + 1;
                    }

                    return !given.ContainsKey(Members[3]) && given.Values.Max() - (given.Count == 3 ? given.Values.Min() : 0) <= 1;
                },
                iter: 40
            );

    [Fact]
    public void Whoever_is_away_it_never_goes_to_nobody() =>
        Gen.Select(Gen.Int[0, 31], Gen.Select(Gen.Enum<GivenTo>(), Gen.Int[0, 4].Array[0, 3]).Array[0, 4])
            .Sample(
                (away, rules) =>
                {
                    var absent = Enumerable.Range(0, 5).Where(i => (away & (1 << i)) != 0).ToArray();
                    var routed = Give(Desk(absent), new InquiryFacts(null, null, [], Members[3]), [.. rules.Select(r => To(r.Item1, r.Item2))]);
                    return routed.Member == House || !absent.Contains(Array.IndexOf(Members, routed.Member));
                },
                iter: 500
            );
}
