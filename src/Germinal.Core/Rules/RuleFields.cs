using Germinal.Core.People;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Rules;

/// <summary>The fields a rule may name, and their values for one person.</summary>
public static class RuleFields
{
    private static readonly string[] Plain =
    [
        "first_name", "last_name", "email", "mobile", "address", "zone", "birthday", "owner", "stage", "stage-since", "tags", "source", "added", "age", "do_not_contact",
    ];

    /// <summary>True for a field of the people file that this version knows, or <c>date:NAME</c>.</summary>
    public static bool IsKnown(string field) =>
        Plain.Contains(field, StringComparer.Ordinal) || (field.StartsWith("date:", StringComparison.Ordinal) && field.Length > 5);

    /// <summary>All fields without parameters, for error messages.</summary>
    public static IReadOnlyList<string> Names => Plain;

    /// <summary>The texts a field holds; empty when it has no value. Dates are <c>YYYY-MM-DD</c> or <c>--MM-DD</c>.</summary>
    public static IReadOnlyCollection<string> Values(PersonFacts person, string field, RuleMoment moment)
    {
        if (field == "tags")
        {
            return person.Tags;
        }

        var value = field switch
        {
            "first_name" => person.FirstName,
            "last_name" => person.LastName,
            "email" => person.Email,
            "mobile" => person.Mobile,
            "address" => person.Address,
            "zone" => person.Zone?.Id,
            "birthday" => Date(person, "birthday"),
            "owner" => person.OwnerId?.ToString(),
            "stage" => person.Stage,
            "stage-since" => person.StageSince?.InZone(moment.Zone).Date.ToString("uuuu-MM-dd", null),
            "source" => person.Source,
            "added" => person.Added.InZone(moment.Zone).Date.ToString("uuuu-MM-dd", null),
            "age" => Age(person, moment)?.ToString(System.Globalization.CultureInfo.InvariantCulture),
            "do_not_contact" => person.DoNotContact ? "yes" : null,
            _ when field.StartsWith("date:", StringComparison.Ordinal) => Date(person, field[5..]),
            _ => null,
        };
        return string.IsNullOrEmpty(value) ? [] : [value];
    }

    private static string? Date(PersonFacts person, string name) =>
        person.KeyDates.FirstOrDefault(d => string.Equals(d.Name, name, StringComparison.OrdinalIgnoreCase))?.Date.ToString();

    private static int? Age(PersonFacts person, RuleMoment moment)
    {
        var born = person.KeyDates.FirstOrDefault(d => d.Name == "birthday")?.Date;
        if (born is not { Year: { } year } date)
        {
            return null;
        }

        var today = moment.Today;
        return today.Year - year - (date.In(today.Year, LeapDay.Feb28) > today ? 1 : 0);
    }
}
