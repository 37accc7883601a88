using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>Rule 5.8, live: how a person's stage follows their opportunities.</summary>
public sealed class OpportunityStageTests
{
    private static async Task<OpportunityRow> DoAsync(World world, Func<DealingsDesk, Task<OpportunityRow>> act)
    {
        await using var db = world.Db();
        var now = await world.NowAsync();
        await using var transaction = await db.Database.BeginTransactionAsync();
        var row = await act(new DealingsDesk(db, new PeopleDesk(db, "Ada Quill", now), now));
        await transaction.CommitAsync();
        return row;
    }

    private static Task<OpportunityRow> OpenAsync(World world, Guid person, string stage) =>
        DoAsync(world, d => d.OpenOpportunityAsync(person, "A plan", stage, null, default));

    private static Task CloseAsync(World world, OpportunityRow row, bool won) =>
        DoAsync(
            world,
            async d =>
            {
                Assert.True(await d.CloseOpportunityAsync(row, won, won ? null : "timing", default));
                return row;
            }
        );

    private static async Task<string?> StageAsync(World world)
    {
        await using var db = world.Db();
        return (await db.People.SingleAsync()).Stage;
    }

    [Fact]
    public async Task A_client_stays_a_client_whatever_becomes_of_a_new_opportunity()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => p.Stage = "Planning/Client");
        var row = await OpenAsync(world, ida.Id, "Planning/Inquiry");
        Assert.Equal("Planning/Client", await StageAsync(world));
        await CloseAsync(world, row, won: false);
        Assert.Equal("Planning/Client", await StageAsync(world));
        await using var db = world.Db();
        Assert.Equal(0, await db.Events.CountAsync(e => e.Kind == EventKinds.StageEntered));
    }

    [Fact]
    public async Task Lost_puts_back_the_stage_or_none()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var row = await OpenAsync(world, ida.Id, "Planning/Inquiry");
        Assert.Equal("Planning/Inquiry", await StageAsync(world));
        await CloseAsync(world, row, won: false);
        Assert.Null(await StageAsync(world));
        await world.WorkAsync();
        await using var db = world.Db();
        var left = await db.Events.OrderBy(e => e.Id).LastAsync(e => e.Kind == EventKinds.StageEntered);
        Assert.Equal(("", "Planning/Inquiry"), (left.Data["stage"], left.Data["left"]));
    }

    [Fact]
    public async Task Won_moves_to_the_last_stage_from_anywhere()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var row = await OpenAsync(world, ida.Id, "Planning/Inquiry");
        await CloseAsync(world, row, won: true);
        Assert.Equal("Planning/Client", await StageAsync(world));
    }

    [Fact]
    public async Task A_stage_a_member_has_chosen_since_is_not_taken_back()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var row = await OpenAsync(world, ida.Id, "Planning/Inquiry");
        await world.DoAsync(d => d.MoveStageAsync([ida.Id], "Planning/Client", default));
        await CloseAsync(world, row, won: false);
        Assert.Equal("Planning/Client", await StageAsync(world));
    }
}
