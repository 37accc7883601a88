using Germinal.Core.Practices;

namespace Germinal.Core.Tests;

/// <summary>Rule 5.8.</summary>
public sealed class StageFollowingTests
{
    private static readonly Pipeline[] Pipelines =
    [
        new("Planning", ["Inquiry", "Meeting", "Proposal", "Client"]),
        new("Lending", ["Inquiry", "Offer", "Borrower"]),
    ];

    [Theory]
    [InlineData(null, "Planning/Inquiry", "Planning/Inquiry")]
    [InlineData("Planning/Inquiry", "Planning/Proposal", "Planning/Proposal")]
    [InlineData("Planning/Client", "Planning/Inquiry", null)]
    [InlineData("Planning/Meeting", "Planning/Meeting", null)]
    [InlineData("Planning/Client", "Lending/Offer", null)]
    [InlineData("Gone/Inquiry", "Planning/Inquiry", null)]
    public void A_person_follows_only_forward(string? person, string opportunity, string? moves) =>
        Assert.Equal(moves, StageFollowing.Entering(Pipelines, person, opportunity));

    [Theory]
    [InlineData("Planning/Inquiry", "Planning/Inquiry", "Planning/Client")]
    [InlineData("Planning/Client", "Planning/Proposal", null)]
    [InlineData("Planning/Client", "Lending/Offer", "Lending/Borrower")]
    [InlineData(null, "Gone/Inquiry", null)]
    public void Won_moves_to_the_pipelines_last_stage(string? person, string opportunity, string? moves) =>
        Assert.Equal(moves, StageFollowing.Won(Pipelines, person, opportunity));

    [Theory]
    [InlineData("Planning/Meeting", "Planning/Meeting", true)]
    [InlineData("Planning/Client", "Planning/Meeting", false)]
    [InlineData("Planning/Client", null, false)]
    [InlineData(null, null, false)]
    public void Lost_puts_back_only_what_it_moved(string? person, string? movedTo, bool back) =>
        Assert.Equal(back, StageFollowing.LostPutsBack(person, movedTo));
}
