using System.Collections.Frozen;
using CsCheck;
using Germinal.Core.Contact;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Core.Tests.Rules;

/// <summary>Which sentence decides, as a property: with what decides left as it is, nothing else can change the answer.</summary>
public sealed class RuleWhyTests
{
    private static readonly RuleMoment Now = new(Instant.FromUtc(2027, 3, 1, 12, 0), DateTimeZone.Utc);

    private static readonly PersonFacts Ida = new()
    {
        Id = Guid.NewGuid(),
        FirstName = "Ida",
        Stage = "Planning/Client",
        Tags = new[] { "warm" }.ToFrozenSet(StringComparer.OrdinalIgnoreCase),
        Address = "1 A Street\nTown, ME 04999",
    };

    private static Leaf Is(string field, string value) => new(field, RuleOp.Is, [value]);

    [Fact]
    public void The_first_sentence_that_fails_decides_and_says_what_is_there()
    {
        var rule = new AllOf([Is("state", "ME"), Is("stage", "Planning/Inquiry"), new Leaf("tags", RuleOp.Has, ["cold"])]);
        var why = RuleWhy.Of(rule, Ida, Now);
        Assert.False(why.Holds);
        Assert.Equal(["/all/1"], why.Deciding);
        Assert.Equal(["Planning/Client"], why.Parts.Single(p => p.Pointer == "/all/1").Found);
        Assert.Equal(["warm"], why.Parts.Single(p => p.Pointer == "/all/2").Found);
    }

    [Fact]
    public void Whoever_is_in_is_in_by_all_of_them_and_a_not_turns_it_round()
    {
        Assert.Equal(["/all/0", "/all/1"], RuleWhy.Of(new AllOf([Is("state", "ME"), Is("first_name", "ida")]), Ida, Now).Deciding);
        Assert.Equal(["/not/any/1"], RuleWhy.Of(new Not(new AnyOf([Is("state", "MA"), Is("first_name", "ida")])), Ida, Now).Deciding);
        Assert.Equal(["/any/0", "/any/1"], RuleWhy.Of(new AnyOf([Is("state", "MA"), Is("first_name", "Bo")]), Ida, Now).Deciding);
        Assert.Equal([""], RuleWhy.Of(new AllOf([]), Ida, Now).Deciding);
    }

    private static readonly Gen<Rule> Rules = Gen.Recursive<Rule>(
        (depth, inner) =>
            depth > 3
                ? Gen.Bool.Select(b => (Rule)Is("first_name", b ? "Ida" : "Bo"))
                : Gen.Frequency(
                    (2, Gen.Bool.Select(b => (Rule)Is("first_name", b ? "Ida" : "Bo"))),
                    (1, inner.Array[0, 3].Select(p => (Rule)new AllOf(p))),
                    (1, inner.Array[0, 3].Select(p => (Rule)new AnyOf(p))),
                    (1, inner.Select(p => (Rule)new Not(p)))
                )
    );

    [Fact]
    public void What_decides_is_enough() =>
        Gen.Select(Rules, Gen.Int)
            .Sample(
                (rule, seed) =>
                {
                    var why = RuleWhy.Of(rule, Ida, Now);
                    Assert.Equal(RuleJudge.Holds(rule, Ida, Now), why.Holds);
                    var random = new Random(seed);
                    var other = Changed(rule, "", why.Deciding.ToHashSet(), random);
                    Assert.Equal(why.Holds, RuleJudge.Holds(other, Ida, Now));
                },
                iter: 2000
            );

    /// <summary>The same rule with every leaf that does not decide replaced by chance.</summary>
    private static Rule Changed(Rule rule, string at, HashSet<string> deciding, Random random) =>
        rule switch
        {
            AllOf all => new AllOf([.. all.Parts.Select((p, i) => Changed(p, $"{at}/all/{i}", deciding, random))]),
            AnyOf any => new AnyOf([.. any.Parts.Select((p, i) => Changed(p, $"{at}/any/{i}", deciding, random))]),
            Not not => new Not(Changed(not.Part, at + "/not", deciding, random)),
            _ => deciding.Contains(at) ? rule : Is("first_name", random.Next(2) == 0 ? "Ida" : "Bo"),
        };
}
