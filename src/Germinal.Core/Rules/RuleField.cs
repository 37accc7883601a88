using System.Collections.Frozen;
using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Rules;

/// <summary>What a field holds.</summary>
public enum FieldKind
{
    /// <summary>One text.</summary>
    Text,

    /// <summary>Several texts.</summary>
    Texts,

    /// <summary>A date, the year optional.</summary>
    Date,

    /// <summary>A moment; as text and as a date it is the practice's local date.</summary>
    Moment,

    /// <summary>A whole number.</summary>
    Number,
}

/// <summary>A field's value for one person; all parts null or empty where there is none.</summary>
public readonly record struct FieldValue(
    string? Text = null,
    IReadOnlyCollection<string>? Texts = null,
    YearlyDate? Date = null,
    Instant? Moment = null,
    int? Number = null
)
{
    /// <summary>True when there is no value.</summary>
    public bool IsMissing => string.IsNullOrEmpty(Text) && Date is null && Moment is null && Number is null && (Texts is null || Texts.Count == 0);
}

/// <summary>A field that a rule may name: those of the people file and those the engine keeps.</summary>
/// <param name="Name">Its name; for <c>custom:</c> and <c>date:</c> the part after the colon.</param>
/// <param name="Kind">What it holds.</param>
/// <param name="IsCustom">True for <c>custom:NAME</c>.</param>
public sealed record RuleField(string Name, FieldKind Kind, bool IsCustom = false)
{
    /// <summary>The field that asks for a saved segment.</summary>
    public const string Segment = "segment";

    /// <summary>The field by which a rule says that archived people are meant too.</summary>
    public const string Archived = "archived";

    private const string RelationPrefix = "relation:";

    private static readonly FrozenDictionary<string, FieldKind> Plain = new Dictionary<string, FieldKind>(StringComparer.Ordinal)
    {
        ["id"] = FieldKind.Text,
        ["first_name"] = FieldKind.Text,
        ["last_name"] = FieldKind.Text,
        ["email"] = FieldKind.Text,
        ["mobile"] = FieldKind.Text,
        ["other-phone"] = FieldKind.Text,
        ["address"] = FieldKind.Text,
        ["city"] = FieldKind.Text,
        ["state"] = FieldKind.Text,
        ["postal-code"] = FieldKind.Text,
        ["country"] = FieldKind.Text,
        ["household"] = FieldKind.Text,
        [Segment] = FieldKind.Texts,
        [Archived] = FieldKind.Text,
        ["zone"] = FieldKind.Text,
        ["birthday"] = FieldKind.Date,
        ["owner"] = FieldKind.Text,
        ["stage"] = FieldKind.Text,
        ["tags"] = FieldKind.Texts,
        ["lists"] = FieldKind.Texts,
        ["email_consent"] = FieldKind.Text,
        ["text_consent"] = FieldKind.Text,
        ["call_consent"] = FieldKind.Text,
        ["post_consent"] = FieldKind.Text,
        ["do_not_contact"] = FieldKind.Text,
        ["added"] = FieldKind.Moment,
        ["source"] = FieldKind.Text,
        ["age"] = FieldKind.Number,
        ["last-touch"] = FieldKind.Moment,
        ["last-reply"] = FieldKind.Moment,
        ["next-touch"] = FieldKind.Moment,
        ["stage-since"] = FieldKind.Moment,
        ["inquiry-since"] = FieldKind.Moment,
        ["lost-reason"] = FieldKind.Text,
        ["programs"] = FieldKind.Texts,
        ["been-in"] = FieldKind.Texts,
    }.ToFrozenDictionary(StringComparer.Ordinal);

    /// <summary>All fields without parameters, for error messages.</summary>
    public static IEnumerable<string> Names => Plain.Keys.Concat(Contact.Deed.Fields).Order(StringComparer.Ordinal);

    /// <summary>Of a field that asks what somebody did: what, and which (null: any).</summary>
    public (DeedKind Kind, string? Name)? Deed { get; init; }

    /// <summary>Of <c>relation:NAME</c>: the role.</summary>
    public string? Role { get; init; }

    /// <summary>The field of a name; null when there is none.</summary>
    public static RuleField? Of(string name)
    {
        if (name.StartsWith("custom:", StringComparison.Ordinal))
        {
            return name.Length > 7 ? new RuleField(name[7..], FieldKind.Text, IsCustom: true) : null;
        }

        if (name.StartsWith("date:", StringComparison.Ordinal))
        {
            return name.Length > 5 ? new RuleField(name[5..], FieldKind.Date) : null;
        }

        if (name.StartsWith(RelationPrefix, StringComparison.Ordinal))
        {
            return name.Length > RelationPrefix.Length ? new RuleField(name, FieldKind.Texts) { Role = name[RelationPrefix.Length..] } : null;
        }

        if (Contact.Deed.Asked(name) is { } asked)
        {
            return new RuleField(name, FieldKind.Moment) { Deed = asked };
        }

        return Plain.TryGetValue(name, out var kind) ? new RuleField(name, kind) : null;
    }

    /// <summary>
    /// What a field of the practice's own holds, for those ops that ask for one of several: the whole text and each of the choices
    /// that are kept in it, parted by semicolons.
    /// </summary>
    public FieldValue PartsFor(PersonFacts person) =>
        person.Custom.GetValueOrDefault(Name) is { Length: > 0 } text
            ? new FieldValue(Texts: [text, .. text.Split(';', StringSplitOptions.RemoveEmptyEntries)])
            : default;

    /// <summary>The field's value for a person.</summary>
    public FieldValue ValueFor(PersonFacts person, RuleMoment moment)
    {
        if (IsCustom)
        {
            return new FieldValue(Text: person.Custom.GetValueOrDefault(Name));
        }

        if (Kind == FieldKind.Date)
        {
            return new FieldValue(Date: DateOf(person, Name));
        }

        if (Deed is { } deed)
        {
            return new FieldValue(Moment: LastOf(person, deed, moment.At));
        }

        if (Role is { } role)
        {
            return new FieldValue(
                Texts: [.. person.Relations.Where(r => string.Equals(r.Role, role, StringComparison.OrdinalIgnoreCase)).Select(r => r.OtherId.ToString())]
            );
        }

        return Name switch
        {
            "id" => new FieldValue(person.Handle),
            "first_name" => new FieldValue(person.FirstName),
            "last_name" => new FieldValue(person.LastName),
            "email" => new FieldValue(person.Email),
            "mobile" => new FieldValue(person.Mobile),
            "other-phone" => new FieldValue(person.OtherPhone),
            "address" => new FieldValue(person.Address),
            "city" => new FieldValue(person.Place.City),
            "state" => new FieldValue(person.Place.State),
            "postal-code" => new FieldValue(person.Place.PostalCode),
            "country" => new FieldValue(person.Place.Country),
            "household" => new FieldValue(person.Household?.Id.ToString()),
            Archived => new FieldValue(person.Archived ? "yes" : null),
            "zone" => new FieldValue(person.Zone?.Id),
            "owner" => new FieldValue(person.Owner),
            "stage" => new FieldValue(person.Stage),
            "source" => new FieldValue(person.Source),
            "lost-reason" => new FieldValue(person.LostReason),
            "do_not_contact" => new FieldValue(person.DoNotContact ? "yes" : null),
            "email_consent" => new FieldValue(ConsentWord(person, Channel.Email)),
            "text_consent" => new FieldValue(ConsentWord(person, Channel.Text)),
            "call_consent" => new FieldValue(ConsentWord(person, Channel.Call)),
            "post_consent" => new FieldValue(ConsentWord(person, Channel.Post)),
            "tags" => new FieldValue(Texts: person.Tags),
            "lists" => new FieldValue(Texts: person.Lists),
            "programs" => new FieldValue(Texts: Remembered(moment).Programs),
            "been-in" => new FieldValue(Texts: Remembered(moment).BeenIn),
            "added" => new FieldValue(Moment: person.Added),
            "stage-since" => new FieldValue(Moment: person.StageSince),
            "last-touch" => new FieldValue(Moment: Remembered(moment).LastTouch),
            "last-reply" => new FieldValue(Moment: Remembered(moment).LastReply),
            "next-touch" => new FieldValue(Moment: Remembered(moment).NextTouch),
            "inquiry-since" => new FieldValue(Moment: Remembered(moment).InquirySince),
            "age" => new FieldValue(Number: AgeOf(person, moment)),
            _ => default,
        };
    }

    /// <summary>What a value reads as text: a date <c>YYYY-MM-DD</c> or <c>--MM-DD</c>, a moment its local date, a number its digits.</summary>
    internal static string TextOf(FieldValue value, DateTimeZone zone)
    {
        if (value.Date is { } date)
        {
            return date.ToString();
        }

        if (value.Moment is { } at)
        {
            return LocalDatePattern.Iso.Format(at.InZone(zone).Date);
        }

        return value.Number is { } n ? n.ToString(CultureInfo.InvariantCulture) : value.Text ?? "";
    }

    private static RuleMemory Remembered(RuleMoment moment) => moment.Memory?.Invoke() ?? RuleMemory.None;

    private static YearlyDate? DateOf(PersonFacts person, string name)
    {
        foreach (var date in person.KeyDates)
        {
            if (string.Equals(date.Name, name, StringComparison.OrdinalIgnoreCase))
            {
                return date.Date;
            }
        }

        return null;
    }

    /// <summary>When it happened last, as far as it has happened by the moment.</summary>
    private static Instant? LastOf(PersonFacts person, (DeedKind Kind, string? Name) asked, Instant now)
    {
        Instant? last = null;
        foreach (var deed in person.Deeds)
        {
            if (deed.Kind == asked.Kind && deed.At <= now && (last is null || deed.At > last) && deed.IsNamed(asked.Name))
            {
                last = deed.At;
            }
        }

        return last;
    }

    private static int? AgeOf(PersonFacts person, RuleMoment moment)
    {
        if (DateOf(person, "birthday") is not { Year: { } year } born)
        {
            return null;
        }

        var today = moment.Today;
        return today.Year - year - (born.In(today.Year, moment.LeapDay) > today ? 1 : 0);
    }

    /// <summary>in, inquiry, client or out: the newest entry of the channel for commercial messages on all topics.</summary>
    private static string? ConsentWord(PersonFacts person, Channel channel)
    {
        ConsentEntry? newest = null;
        foreach (var entry in person.Consent)
        {
            if (entry.Channel == channel && entry.Topic is null && entry.Purpose is null or Purpose.Commercial && (newest is null || entry.At >= newest.At))
            {
                newest = entry;
            }
        }

        return newest switch
        {
            null => null,
            { In: false } => "out",
            { Basis: ConsentBasis.Inquiry } => "inquiry",
            { Basis: ConsentBasis.Client } => "client",
            _ => "in",
        };
    }
}
