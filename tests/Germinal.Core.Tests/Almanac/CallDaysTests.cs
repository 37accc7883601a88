using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using NodaTime;
using static Germinal.Core.Tests.Given;

namespace Germinal.Core.Tests.Almanac;

/// <summary>Whose sheet a call is on while somebody is away.</summary>
public sealed class CallDaysTests
{
    private static readonly LocalDate Monday = new(2027, 3, 1);
    private static readonly Guid Ada = Guid.NewGuid();
    private static readonly Guid Tomas = Guid.NewGuid();
    private static readonly Guid Wren = Guid.NewGuid();

    private static Absence Away(int from, int until) => new(Monday.PlusDays(from), Monday.PlusDays(until));

    private static Practice With(Absence[] ada, Absence[] tomas) =>
        Practice() with
        {
            Members =
            [
                new Member(Ada, "Ada Quill", "ada@example.com") { Absences = ada, DeputyId = Tomas },
                new Member(Tomas, "Tomas Brandt", "tomas@example.com") { Absences = tomas, DeputyId = Wren },
                new Member(Wren, "Wren Hale", "wren@example.com") { DeputyId = Ada },
            ],
        };

    private static CallOnDay Placed(Practice practice, int due, int slack) =>
        CallDays.Place(practice, [new CallAhead(Guid.NewGuid(), Ada, Monday.PlusDays(due), slack)])[0];

    [Fact]
    public void A_call_waits_for_whoever_comes_back_in_time_and_else_goes_to_the_deputy()
    {
        var practice = With([Away(0, 2)], []);
        Assert.Equal((Ada, Monday.PlusDays(3)), (Placed(practice, 0, 3).MemberId, Placed(practice, 0, 3).Day));
        Assert.Equal((Tomas, Monday), (Placed(practice, 0, 2).MemberId, Placed(practice, 0, 2).Day));
        Assert.Equal((Ada, Monday.PlusDays(3)), (Placed(practice, 3, 0).MemberId, Placed(practice, 3, 0).Day));
    }

    [Fact]
    public void Where_the_deputy_is_away_too_it_goes_to_theirs_and_where_nobody_is_there_it_stays()
    {
        Assert.Equal(Wren, Placed(With([Away(0, 4)], [Away(0, 1)]), 0, 1).MemberId);
        var nobody = With([Away(0, 4)], []) with { Members = [new Member(Ada, "Ada Quill", "ada@example.com") { Absences = [Away(0, 4)] }] };
        Assert.Equal((Ada, true), (Placed(nobody, 0, 1).MemberId, Placed(nobody, 0, 1).OverCapacity));
    }

    [Fact]
    public void Who_stands_in_for_whom_is_the_first_who_is_there()
    {
        var practice = With([Away(0, 4)], [Away(0, 1)]);
        Assert.Equal(new[] { Ada, Tomas }.Order(), CallDays.StandsInFor(practice, Wren, Monday).Order());
        Assert.Empty(CallDays.StandsInFor(practice, Tomas, Monday));
        Assert.Equal([Ada], CallDays.StandsInFor(practice, Tomas, Monday.PlusDays(2)));
        Assert.Empty(CallDays.StandsInFor(practice, Wren, Monday.PlusDays(5)));
    }

    [Fact]
    public void A_deputy_s_own_calls_and_those_of_who_is_away_share_one_day_s_room()
    {
        var practice = With([Away(0, 0)], []);
        practice = practice with
        {
            Members = [.. practice.Members.Select(m => m.Id == Tomas ? m with { Capacity = System.Collections.Frozen.FrozenDictionary.ToFrozenDictionary([KeyValuePair.Create(IsoDayOfWeek.Monday, 1)]) } : m)],
        };
        var placed = CallDays.Place(practice, [new CallAhead(Guid.NewGuid(), Ada, Monday, 0), new CallAhead(Guid.NewGuid(), Tomas, Monday, 0)]);
        Assert.All(placed, p => Assert.Equal(Tomas, p.MemberId));
        Assert.Single(placed, p => p.OverCapacity);
    }
}
