using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Words;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Messages;

/// <summary>The fields a message may name, what each stands for, and its value for one person (rule 11.1).</summary>
public static class MergeFields
{
    private static LocalDatePattern DayAndMonth => Tongue.Spoken.Dates.DayAndMonth;
    private static LocalDatePattern LongDate => Tongue.Spoken.Dates.Date;

    /// <summary>Every field with what it stands for; <c>person.custom.NAME</c> beside them.</summary>
    public static IReadOnlyList<(string Field, string Meaning)> All { get; } =
    [
        ("person.first_name", ToSay("their first name")),
        ("person.last_name", ToSay("their last name")),
        ("person.name", ToSay("their whole name")),
        ("person.email", ToSay("their email address")),
        ("person.stage", ToSay("the stage they stand in")),
        ("person.birthday", ToSay("their birthday, day and month")),
        ("person.age", ToSay("the age they reach this year")),
        ("to.first_name", ToSay("the first name of who reads it; the same, unless it goes to somebody else")),
        ("to.last_name", ToSay("the last name of who reads it")),
        ("to.name", ToSay("the whole name of who reads it")),
        ("to.email", ToSay("the email address of who reads it")),
        ("household.salutation", ToSay("“Dear Ida and Bo”: how their household is greeted, or they alone")),
        ("household.names", ToSay("“Ida and Bo Lind”: the people of their household, or they alone")),
        ("sender.name", ToSay("your name")),
        ("sender.first_name", ToSay("your first name")),
        ("sender.email", ToSay("your email address")),
        ("practice.name", ToSay("the practice’s name")),
        ("practice.address", ToSay("the practice’s address")),
        ("today", ToSay("the date it goes out")),
        ("voice", ToSay("I or we, as the program speaks")),
        ("confirm_link", ToSay("the address by which they confirm that it was them who asked")),
    ];

    /// <summary>What stands for the address of a confirmation until the letter is written, which alone can sign it.</summary>
    public const string ConfirmationPlace = "https://confirm.invalid/";

    /// <summary>Where fields of the practice's own stand.</summary>
    public const string CustomPrefix = "person.custom.";

    /// <summary>How a template names a field of the practice's own; one whose key is no single word stands in brackets.</summary>
    public static string OfOwn(string key) => key.All(c => char.IsAsciiLetterOrDigit(c) || c == '_') ? CustomPrefix + key : $"{CustomPrefix[..^1]}['{key}']";

    /// <summary>True for a field of the list, and for any field of the practice's own.</summary>
    public static bool IsKnown(string field) =>
        All.Any(f => f.Field == field) || (field.StartsWith(CustomPrefix, StringComparison.Ordinal) && field.Length > CustomPrefix.Length);

    /// <summary>A field that nobody has a value for: it stands for a template that has to be tried to know whether it can be filled.</summary>
    public const string NeverKnown = "?";

    /// <summary>True where what is missing is no field but a sentence that says what goes wrong in the template.</summary>
    public static bool IsSentence(string missing) => missing.EndsWith('.');

    /// <summary>What keeps a message from being filled, as a clause: <i>nothing to put for “person.first_name”</i>, or what goes wrong.</summary>
    public static string Say(IEnumerable<string> missing)
    {
        var all = missing.ToList();
        var fields = all.Where(m => !IsSentence(m)).Select(f => $"“{f}”").ToList();
        var said = all.Where(IsSentence).Select(m => m.TrimEnd('.')).Select(m => char.ToLowerInvariant(m[0]) + m[1..]);
        return string.Join("; ", (fields.Count > 0 ? [Saying.Say($"nothing to put for {ContactWords.Listed(fields)}")] : Array.Empty<string>()).Concat(said));
    }

    /// <summary>The value of a field; null or blank when there is none.</summary>
    /// <param name="field">Its name.</param>
    /// <param name="to">Whom it is about, and who reads it.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="sender">Who signs, or null.</param>
    /// <param name="at">When it goes out.</param>
    public static string? ValueOf(string field, Addressed to, Practice practice, Member? sender, Instant at)
    {
        var person = to.Person;
        return field switch
        {
            "person.first_name" => person.FirstName,
            "person.last_name" => person.LastName,
            "person.name" => WholeName(person),
            "person.email" => person.Email,
            "to.first_name" => to.Reader.FirstName,
            "to.last_name" => to.Reader.LastName,
            "to.name" => WholeName(to.Reader),
            "to.email" => to.Reader.Email,
            "person.stage" => person.Stage is { } stage ? stage[(stage.IndexOf('/', StringComparison.Ordinal) + 1)..] : null,
            "person.birthday" => BirthdayOf(person) is { } born ? DayAndMonth.Format(born.In(Today(person, practice, at).Year, practice.LeapDay)) : null,
            "person.age" => BirthdayOf(person)?.YearsIn(Today(person, practice, at).Year)?.ToString(CultureInfo.InvariantCulture),
            "household.salutation" => person.Household is { } home ? home.Salutation : Household.SalutationOf([AsMember(person)]),
            "household.names" => person.Household is { } home ? home.Names : new Household(Guid.Empty, [AsMember(person)]).Names,
            "sender.name" => sender?.Name,
            "sender.first_name" => sender?.Name.Split(' ')[0],
            "sender.email" => sender?.Email,
            "practice.name" => practice.Name,
            "practice.address" => practice.PostalAddress,
            "voice" => practice.Voice == Voice.I ? "I" : "we",
            "confirm_link" => ConfirmationPlace,
            "today" => LongDate.Format(Today(person, practice, at)),
            _ when field.StartsWith(CustomPrefix, StringComparison.Ordinal) => person.Custom.GetValueOrDefault(field[CustomPrefix.Length..]),
            _ => null,
        };
    }

    private static string WholeName(PersonFacts person) => $"{person.FirstName} {person.LastName}".Trim();

    private static HouseholdMember AsMember(PersonFacts person) => new(person.Id, person.FirstName, person.LastName, person.Address);

    private static LocalDate Today(PersonFacts person, Practice practice, Instant at) => at.InZone(practice.ZoneOf(person)).Date;

    private static Time.YearlyDate? BirthdayOf(PersonFacts person) =>
        person.KeyDates.FirstOrDefault(d => string.Equals(d.Name, "birthday", StringComparison.OrdinalIgnoreCase))?.Date;
}
