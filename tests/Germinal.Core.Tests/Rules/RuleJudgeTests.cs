using System.Collections.Frozen;
using System.Text.Json;
using Germinal.Core.Files;
using Germinal.Core.Rules;

namespace Germinal.Core.Tests.Rules;

public sealed class RuleJudgeTests
{
    private static bool Holds(string json)
    {
        var errors = new List<Finding>();
        var rule = RuleReader.Read(JsonDocument.Parse(json).RootElement, "", errors);
        Assert.True(errors.Count == 0, string.Join("; ", errors.Select(e => e.Message)));
        var person = Given.Person("Ida", birthday: "1975-06-14") with
        {
            Tags = FrozenSet.ToFrozenSet(["Client", "Retirement"], StringComparer.OrdinalIgnoreCase),
            Stage = "Planning/Inquiry",
            LastName = null,
            Custom = new Dictionary<string, string> { ["Likes"] = "Tax;Wine", ["Home"] = "House" }.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase),
        };
        return RuleJudge.Holds(rule!, person, new RuleMoment(Given.At("2027-03-01T08:15"), Given.NewYork));
    }

    [Theory]
    [InlineData("""{"field":"tags","op":"has","value":"client"}""", true)]
    [InlineData("""{"field":"tags","op":"has-not","value":"CLIENT"}""", false)]
    [InlineData("""{"field":"email","op":"exists"}""", true)]
    [InlineData("""{"field":"last_name","op":"missing"}""", true)]
    [InlineData("""{"field":"last_name","op":"is","value":"Rowan"}""", false)]
    [InlineData("""{"field":"last_name","op":"is-not","value":"Rowan"}""", true)]
    [InlineData("""{"field":"last_name","op":"not-in","value":["Rowan"]}""", true)]
    [InlineData("""{"field":"last_name","op":"contains","value":"x"}""", false)]
    [InlineData("""{"field":"stage","op":"in","value":["Planning/Client","planning/inquiry"]}""", true)]
    [InlineData("""{"field":"age","op":"more","value":"50"}""", true)]
    [InlineData("""{"field":"age","op":"less","value":"51"}""", false)]
    [InlineData("""{"field":"birthday","op":"month-is","value":"6"}""", true)]
    [InlineData("""{"field":"birthday","op":"before","value":"1980-01-01"}""", true)]
    [InlineData("""{"all":[{"field":"email","op":"exists"},{"not":{"field":"tags","op":"has","value":"client"}}]}""", false)]
    [InlineData("""{"any":[{"field":"email","op":"missing"},{"field":"tags","op":"has","value":"retirement"}]}""", true)]
    [InlineData("""{"field":"custom:likes","op":"has","value":"tax"}""", true)]
    [InlineData("""{"field":"custom:likes","op":"has","value":"ta"}""", false)]
    [InlineData("""{"field":"custom:likes","op":"in","value":["Trusts","wine"]}""", true)]
    [InlineData("""{"field":"custom:likes","op":"has-not","value":"Wine"}""", false)]
    [InlineData("""{"field":"custom:likes","op":"not-in","value":["Trusts"]}""", true)]
    [InlineData("""{"field":"custom:likes","op":"is","value":"Tax"}""", false)]
    [InlineData("""{"field":"custom:home","op":"has","value":"house"}""", true)]
    [InlineData("""{"field":"custom:shoe","op":"has-not","value":"9"}""", true)]
    public void Rule_5_2_only_if_is_judged_over_the_person(string json, bool expected) => Assert.Equal(expected, Holds(json));

    [Theory]
    [InlineData("""{"field":"shoe_size","op":"is","value":"9"}""", "/field")]
    [InlineData("""{"field":"email","op":"resembles","value":"9"}""", "/op")]
    [InlineData("""{"field":"email","op":"is"}""", "/value")]
    [InlineData("""{"all":[{"field":"email","op":"exists"},7]}""", "/all/1")]
    [InlineData("""{"all":[],"extra":1}""", "/extra")]
    public void A_rule_that_is_wrong_is_refused_at_its_place(string json, string pointer)
    {
        var errors = new List<Finding>();
        RuleReader.Read(JsonDocument.Parse(json).RootElement, "", errors);
        Assert.Contains(errors, e => e.Pointer == pointer);
    }
}
