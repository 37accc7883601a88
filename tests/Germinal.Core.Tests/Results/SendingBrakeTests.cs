using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>When commercial mail stops by itself.</summary>
public sealed class SendingBrakeTests
{
    [Theory]
    [InlineData(1000, 0, 3, false)] // 0.3 %: at the limit, not above it
    [InlineData(1000, 0, 4, true)]
    [InlineData(1000, 500, 3, true)] // complaints are a share of what arrived
    [InlineData(1000, 50, 0, false)]
    [InlineData(1000, 51, 0, true)]
    [InlineData(99, 99, 0, false)] // too few to be a rate
    [InlineData(100, 6, 0, true)]
    [InlineData(400, 0, 2, false)] // 0.5 %, and two people only
    [InlineData(0, 0, 0, false)]
    public void It_stops_above_the_limit_and_not_for_a_few(int sent, int bounced, int complained, bool stops) =>
        Assert.Equal(stops, SendingBrake.Judge(new SendingCounts(sent, bounced, complained), BrakeLimits.Usual) is not null);

    [Fact]
    public void It_says_of_how_many_and_where_the_limit_is()
    {
        Assert.Equal("In the last 7 days 4 of 1000 emails that arrived were complained about; it stops above 0.3 %.", SendingBrake.Judge(new SendingCounts(1000, 0, 4), BrakeLimits.Usual));
        Assert.Equal("In the last 7 days 60 of 1000 emails that went came back; it stops above 5 %.", SendingBrake.Judge(new SendingCounts(1000, 60, 0), BrakeLimits.Usual));
    }

    /// <summary>More of it is never better: what stops goes on stopping with one more that came back or complained.</summary>
    [Fact]
    public void One_more_never_lets_it_go() =>
        Gen.Select(Gen.Int[100, 5000], Gen.Int[0, 300], Gen.Int[0, 30])
            .Sample(
                (sent, bounced, complained) =>
                {
                    var stops = SendingBrake.Judge(new SendingCounts(sent, Math.Min(bounced, sent), complained), BrakeLimits.Usual) is not null;
                    return !stops
                        || (SendingBrake.Judge(new SendingCounts(sent, Math.Min(bounced + 1, sent), complained), BrakeLimits.Usual) is not null
                            && SendingBrake.Judge(new SendingCounts(sent, Math.Min(bounced, sent), complained + 1), BrakeLimits.Usual) is not null);
                }
            );
}
