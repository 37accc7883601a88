using Germinal.Core.Messages;

namespace Germinal.Core.Tests.Messages;

/// <summary>Rule 10.6. 47 CFR 64.1200(a)(10) names the seven words; STOPALL and the answers to START and HELP are common practice, no source.</summary>
public sealed class OptOutWordsTests
{
    [Theory]
    [InlineData("STOP")]
    [InlineData("Quit")]
    [InlineData("end.")]
    [InlineData(" Revoke ")]
    [InlineData("opt out")]
    [InlineData("OPT-OUT!")]
    [InlineData("cancel")]
    [InlineData("Unsubscribe")]
    [InlineData("stop all")]
    [InlineData("S T O P")]
    public void Rule_10_6_these_take_consent_for_texts_back(string text) => Assert.Equal(TextWish.Stop, OptOutWords.Read(text));

    [Theory]
    [InlineData("start", TextWish.Start)]
    [InlineData("UNSTOP", TextWish.Start)]
    [InlineData("Yes!", TextWish.Start)]
    [InlineData("help?", TextWish.Help)]
    [InlineData("please stop by on Tuesday", TextWish.None)]
    [InlineData("the end of May suits me", TextWish.None)]
    [InlineData("yes please", TextWish.None)]
    [InlineData("", TextWish.None)]
    [InlineData("👍", TextWish.None)]
    public void Rule_10_6_these_give_it_back_ask_or_are_read_by_a_person(string text, TextWish wish) => Assert.Equal(wish, OptOutWords.Read(text));
}
