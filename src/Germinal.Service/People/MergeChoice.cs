using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Store.Rows;

namespace Germinal.Service.People;

/// <summary>What two people that are one differ in, or one of them has alone; both values, and which is taken where nobody says otherwise.</summary>
/// <param name="Key">The field, as a choice names it.</param>
/// <param name="Label">In words.</param>
/// <param name="Kept">The value at the one that is kept; null for none.</param>
/// <param name="Other">The value at the other; null for none.</param>
/// <param name="TakesOther">Whether the other's is taken.</param>
/// <param name="Why">Why that one.</param>
public sealed record MergeChoice(string Key, string Label, string? Kept, string? Other, bool TakesOther, string Why);

/// <summary>The fields of two people of which one value is kept: the one table for showing, choosing and copying.</summary>
/// <param name="Key">As a choice names it.</param>
/// <param name="Label">In words.</param>
/// <param name="Value">The value; null for none.</param>
/// <param name="Copy">Takes it from the first over to the second.</param>
/// <param name="Newer">Whether the newer of two values is the better guess; else what the kept one has.</param>
internal sealed record MergedField(string Key, string Label, Func<PersonRow, string?> Value, Action<PersonRow, PersonRow> Copy, bool Newer = false)
{
    public const string Owner = "owner";
    public const string Stage = "stage";

    public static IReadOnlyList<MergedField> All { get; } =
    [
        new("firstName", ToSay("first name"), p => p.FirstName, (from, to) => to.FirstName = from.FirstName),
        new("lastName", ToSay("last name"), p => p.LastName, (from, to) => to.LastName = from.LastName),
        new("email", "email", p => p.Email, (from, to) => to.Email = from.Email, Newer: true),
        new("mobile", "mobile", p => p.Mobile, (from, to) => (to.Mobile, to.MobileExtension) = (from.Mobile, from.MobileExtension), Newer: true),
        new("address", "address", p => p.Address, (from, to) => to.Address = from.Address, Newer: true),
        new("tongue", ToSay("language"), p => p.Tongue, (from, to) => to.Tongue = from.Tongue, Newer: true),
        new("zone", ToSay("time zone"), p => p.ZoneId, (from, to) => to.ZoneId = from.ZoneId, Newer: true),
        new(Owner, "owner", p => p.OwnerId?.ToString(), (from, to) => to.OwnerId = from.OwnerId),
        new(Stage, "stage", p => p.Stage, (from, to) => (to.Stage, to.StageSince) = (from.Stage, from.StageSince)),
        new("source", "source", p => p.Source, (from, to) => to.Source = from.Source),
    ];


    /// <summary>Which value is taken where nobody says otherwise, and why; null where there is nothing to choose.</summary>
    public (bool TakesOther, string Why)? Choose(PersonRow kept, PersonRow other, IReadOnlyList<Pipeline> pipelines)
    {
        var (a, b) = (Value(kept), Value(other));
        if (string.Equals(a, b, StringComparison.Ordinal))
        {
            return null;
        }

        if (string.IsNullOrEmpty(a) || string.IsNullOrEmpty(b))
        {
            return (string.IsNullOrEmpty(a), Said("the only one there is"));
        }

        if (Key == Stage)
        {
            return StageFollowing.Entering(pipelines, a, b) is not null ? (true, Said("the further stage"))
                : StageFollowing.Entering(pipelines, b, a) is not null ? (false, Said("the further stage"))
                : (other.StageSince > kept.StageSince, Said("entered last"));
        }

        return Newer && other.AddedAt != kept.AddedAt ? (other.AddedAt > kept.AddedAt, Said("came in later")) : (false, Said("of the one that is kept"));
    }
}

/// <summary>A key date both have, each with another day.</summary>
internal static class MergedDates
{
    public const string Prefix = "date:";

    public static string Words(KeyDateRow d) => new YearlyDate(d.Month, d.Day, d.Year).ToString();

    /// <summary>A date whose year is known is worth more than one without; else the kept one's stays.</summary>
    public static (bool TakesOther, string Why) Choose(KeyDateRow kept, KeyDateRow other) =>
        kept.Year is null && other.Year is not null ? (true, Said("its year is known")) : (false, kept.Year is not null && other.Year is null ? Said("its year is known") : Said("of the one that is kept"));
}
