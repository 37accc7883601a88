using System.Net;
using Germinal.Web.Hosting;

namespace Germinal.Web.Tests;

/// <summary>How many submissions are taken as a person's.</summary>
public sealed class FormBrakeTests
{
    [Fact]
    public void More_than_a_client_or_a_form_sends_in_an_hour_is_too_many()
    {
        using var brake = new FormBrake(3, 5, sparesThisMachine: false);
        var (form, other, from) = (Guid.NewGuid(), Guid.NewGuid(), IPAddress.Parse("192.0.2.1"));
        Assert.Equal([false, false, false, true], Enumerable.Range(0, 4).Select(_ => brake.IsTooMany(form, "a", from)));
        Assert.Equal([false, true], Enumerable.Range(0, 2).Select(_ => brake.IsTooMany(form, "b", from)));
        Assert.False(brake.IsTooMany(other, "b", from));
    }

    [Fact]
    public void Where_there_are_stand_ins_this_machine_is_many_people()
    {
        using var brake = new FormBrake(1, 100, sparesThisMachine: true);
        Assert.All(Enumerable.Range(0, 20), _ => Assert.False(brake.IsTooMany(Guid.Empty, "a", IPAddress.Loopback)));
        Assert.False(brake.IsTooMany(Guid.Empty, "b", IPAddress.Parse("192.0.2.1")));
        Assert.True(brake.IsTooMany(Guid.Empty, "b", IPAddress.Parse("192.0.2.1")));
    }
}
