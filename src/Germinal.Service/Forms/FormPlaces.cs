using Germinal.Core.Forms;
using Germinal.Service.People;
using Germinal.Store.Rows;

namespace Germinal.Service.Forms;

/// <summary>Where answers go at a person, and what stands there.</summary>
public static class FormPlaces
{
    /// <summary>What stands at a place; null for nothing.</summary>
    /// <param name="person">Who.</param>
    /// <param name="dates">Their key dates.</param>
    /// <param name="place">The place.</param>
    public static string? Known(PersonRow person, IReadOnlyList<KeyDateRow> dates, AnswerPlace place) =>
        place.Field switch
        {
            "first-name" => person.FirstName,
            "last-name" => person.LastName,
            "email" => person.Email,
            "mobile" => person.Mobile,
            "other-phone" => person.OtherPhone,
            "address" => person.Address,
            { } field when field.StartsWith(FormWords.OwnField, StringComparison.Ordinal) => person.Custom.GetValueOrDefault(field[FormWords.OwnField.Length..]),
            { } field => dates.FirstOrDefault(d => $"{FormWords.KeyDate}{d.Name}".Equals(field, StringComparison.OrdinalIgnoreCase)) is { } date
                ? new Core.Time.YearlyDate(date.Month, date.Day, date.Year).ToString()
                : null,
        };

    /// <summary>Answers as fields that are typed; each is checked as those are.</summary>
    public static PersonFields Fields(IEnumerable<TakenAnswer> answers)
    {
        var all = answers.ToDictionary(a => a.Place.Field, a => a.Answer, StringComparer.Ordinal);
        Dictionary<string, string> Under(string prefix) =>
            all.Where(a => a.Key.StartsWith(prefix, StringComparison.Ordinal)).ToDictionary(a => a.Key[prefix.Length..], a => a.Value);
        return new PersonFields(
            all.GetValueOrDefault("first-name"),
            all.GetValueOrDefault("last-name"),
            all.GetValueOrDefault("email"),
            all.GetValueOrDefault("mobile"),
            all.GetValueOrDefault("other-phone"),
            all.GetValueOrDefault("address"),
            Dates: Under(FormWords.KeyDate),
            Custom: Under(FormWords.OwnField)
        );
    }
}
