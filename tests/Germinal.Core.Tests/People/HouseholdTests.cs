using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Words;
using NodaTime;

namespace Germinal.Core.Tests.People;

/// <summary>How people who live together are greeted and named. Common practice, no source.</summary>
public sealed class HouseholdTests
{
    private static HouseholdMember Somebody(string? first, string? last, string? address = null) => new(Guid.NewGuid(), first, last, address);

    private static Household Of(params HouseholdMember[] people) => new(Guid.NewGuid(), people);

    [Fact]
    public void First_names_greet_them_and_a_shared_last_name_stands_once()
    {
        var (ida, bo, kit) = (Somebody("Ida", "Lind"), Somebody("Bo", "Lind"), Somebody("Kit", "Marsh"));
        Assert.Equal(("Dear Ida and Bo", "Ida and Bo Lind"), (Of(ida, bo).Salutation, Of(ida, bo).Names));
        Assert.Equal(("Dear Ida, Bo and Kit", "Ida, Bo Lind and Kit Marsh"), (Of(ida, bo, kit).Salutation, Of(ida, bo, kit).Names));
        Assert.Equal(("Dear Ida and Kit", "Ida Lind and Kit Marsh"), (Of(ida, kit).Salutation, Of(ida, kit).Names));
        Assert.Equal("Dear Ida", Of(ida).Salutation);
    }

    [Fact]
    public void In_German_no_word_of_it_is_English()
    {
        using var spoken = Tongue.German.Speak();
        var home = Of(Somebody("Ida", "Lind"), Somebody("Bo", "Lind"), Somebody("Kit", "Marsh"));
        Assert.Equal(("Liebe/r Ida, Bo und Kit", "Ida, Bo Lind und Kit Marsh"), (home.Salutation, home.Names));
    }

    [Fact]
    public void What_is_not_known_is_left_out_and_what_is_written_by_hand_stands()
    {
        Assert.Equal(("Dear Ida", "Ida Lind and Lind"), (Of(Somebody("Ida", "Lind"), Somebody(null, "Lind")).Salutation, Of(Somebody("Ida", "Lind"), Somebody(null, "Lind")).Names));
        Assert.Null(Of(Somebody(null, null)).Salutation);
        Assert.Null(Of().Names);
        Assert.Equal("Dear both", (Of(Somebody("Ida", "Lind")) with { Written = "Dear both" }).Salutation);
    }

    [Fact]
    public void One_address_is_theirs_two_are_none()
    {
        Assert.Equal("1 A Street", Of(Somebody("Ida", "Lind", "1 A Street"), Somebody("Bo", "Lind"), Somebody("Kit", "Lind", "1 a street")).Address);
        Assert.Null(Of(Somebody("Ida", "Lind", "1 A Street"), Somebody("Bo", "Lind", "2 B Street")).Address);
    }

    [Fact]
    public void A_letter_greets_the_household_or_somebody_who_lives_alone()
    {
        var practice = new Practice { Name = "P", Zone = DateTimeZone.Utc };
        string? Value(string field, PersonFacts person) => MergeFields.ValueOf(field, person, practice, null, Instant.MinValue);
        var ida = new PersonFacts { Id = Guid.NewGuid(), FirstName = "Ida", LastName = "Lind" };
        Assert.Equal(("Dear Ida", "Ida Lind"), (Value("household.salutation", ida), Value("household.names", ida)));
        var home = ida with { Household = Of(Somebody("Bo", "Lind"), Somebody("Ida", "Lind")) };
        Assert.Equal(("Dear Bo and Ida", "Bo and Ida Lind"), (Value("household.salutation", home), Value("household.names", home)));
        Assert.True(MergeFields.IsKnown("household.salutation"));
    }
}
