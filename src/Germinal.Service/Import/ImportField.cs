using System.Security.Cryptography;
using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Store;

namespace Germinal.Service.Import;

/// <summary>What a practice named itself, as far as a column can be it.</summary>
/// <param name="Fields">Its own fields.</param>
/// <param name="Dates">The key dates it offers.</param>
public sealed record OwnNames(IReadOnlyList<OwnField> Fields, IReadOnlyList<string> Dates)
{
    /// <summary>Nothing of its own.</summary>
    public static OwnNames None { get; } = new([], []);
}

/// <summary>What a column can be, and how it is guessed from its name and its cells.</summary>
public static class ImportField
{
    public const string None = "";
    public const string FirstName = "first_name";
    public const string LastName = "last_name";
    public const string FullName = "full_name";
    public const string Email = "email";
    public const string Mobile = "mobile";
    public const string OtherPhone = "other_phone";
    public const string Birthday = "birthday";
    public const string Street = "street";
    public const string City = "city";
    public const string State = "state";
    public const string Zip = "zip";
    public const string Country = "country";

    /// <summary>All of a postal address in one cell.</summary>
    public const string Address = "address";
    public const string Zone = "zone";
    public const string Stage = "stage";
    public const string Tags = "tags";
    public const string Lists = "lists";
    public const string OtherEmail = "other_email";
    public const string DoNotContact = "do_not_contact";
    public const string Added = "added";

    /// <summary>Who it is here, in a list that came out of Germinal.</summary>
    public const string Id = "id";
    public const string EmailConsent = "email_consent";
    public const string TextConsent = "text_consent";
    public const string CallConsent = "call_consent";
    public const string PostConsent = "post_consent";
    public const string Source = "source";
    public const string Owner = "owner";
    public const string Notes = "notes";
    public const string DatePrefix = "date:";

    /// <summary>Begin of a field of the practice's own; its key stands after it.</summary>
    public const string OwnPrefix = "custom:";

    /// <summary>
    /// The one table: every choice, its name for people, and the column names it goes by, folded. A key date is <c>date:NAME</c>.
    /// </summary>
    public static IReadOnlyList<(string Field, string Label, string[] Names)> All { get; } =
    [
        (None, ToSay("leave out"), []),
        (FirstName, ToSay("first name"), ["first name", "firstname", "given name", "forename", "first", "vorname", "rufname"]),
        (LastName, ToSay("last name"), ["last name", "lastname", "surname", "family name", "last", "nachname", "familienname", "zuname"]),
        (FullName, ToSay("whole name"), ["name", "full name", "fullname", "contact", "contact name", "client name", "vollstandiger name", "kontakt", "ansprechpartner"]),
        (Email, ToSay("email"), ["e mail address", "email address", "email", "e mail", "mail", "e mail adresse", "mailadresse"]),
        (Mobile, ToSay("mobile"), ["mobile phone", "mobile", "cell", "cell phone", "mobile number", "mobil", "handy", "mobiltelefon", "mobilnummer", "handynummer"]),
        (OtherPhone, ToSay("other number"), ["home phone", "phone", "telephone", "home", "work phone", "business phone", "tel", "phone number", "telefon", "festnetz", "telefonnummer", "rufnummer"]),
        (Birthday, ToSay("birthday"), ["birthday", "birth date", "date of birth", "dob", "born", "birthdate", "geburtstag", "geburtsdatum", "geboren"]),
        (OtherEmail, ToSay("other email"), ["other email", "email 2", "e mail 2 address", "second email", "zweite e mail", "e mail 2"]),
        (Street, ToSay("street"), ["street", "street address", "address 1", "home street", "strasse", "anschrift 1"]),
        (City, ToSay("city"), ["city", "town", "ort", "stadt", "wohnort"]),
        (State, ToSay("state"), ["state", "province", "region", "county", "bundesland", "kanton"]),
        (Zip, ToSay("postal code"), ["zip", "zip code", "postcode", "postal code", "plz", "postleitzahl"]),
        (Country, ToSay("country"), ["country", "country region", "land"]),
        (Address, ToSay("whole postal address"), ["address", "postal address", "home address", "mailing address", "adresse", "anschrift", "postanschrift"]),
        (Zone, ToSay("time zone"), ["zone", "time zone", "timezone", "zeitzone"]),
        (Stage, ToSay("stage"), ["stage", "pipeline stage", "status", "phase"]),
        (DatePrefix + "client since", "client since", ["client since", "customer since", "since"]),
        (DatePrefix + "yearly review", "yearly review", ["review", "review date", "yearly review", "annual review"]),
        (DatePrefix + "policy renewal", "policy renewal", ["renewal", "renewal date", "policy renewal"]),
        (DatePrefix + "mortgage fixed until", "mortgage fixed until", ["fixed until", "mortgage fixed until"]),
        (Tags, ToSay("tags"), ["groups", "group", "tags", "tag", "categories", "category", "labels", "gruppen", "gruppe", "schlagworter", "schlagwort", "kategorien", "kategorie"]),
        (Lists, ToSay("lists"), ["lists", "list", "listen", "liste"]),
        (EmailConsent, ToSay("may we email"), ["email ok", "email consent", "may email", "opt in", "optin", "subscribed", "newsletter ok", "mail ok", "may we email", "e mail erlaubt"]),
        (TextConsent, ToSay("may we text"), ["text ok", "text consent", "may text", "sms ok", "sms consent", "may we text", "sms erlaubt"]),
        (CallConsent, ToSay("may we call"), ["call ok", "call consent", "may call", "phone ok", "may we call", "anruf erlaubt"]),
        (PostConsent, ToSay("may we write by post"), ["post ok", "post consent", "may write", "letter ok", "may we write", "post erlaubt"]),
        (DoNotContact, ToSay("do not contact"), ["do not contact", "dnc", "no contact", "nicht kontaktieren", "kontaktsperre"]),
        (Source, ToSay("source"), ["source", "lead source", "referred by", "how heard", "quelle", "herkunft", "empfohlen von"]),
        (Owner, ToSay("owner"), ["advisor", "adviser", "owner", "agent", "assigned to", "account manager", "betreuer", "berater", "zustandig"]),
        (Notes, ToSay("remark"), ["notes", "note", "comments", "comment", "remarks", "remark", "notizen", "notiz", "bemerkung", "bemerkungen", "anmerkung"]),
        (Added, ToSay("here since"), ["added", "created", "date added", "created on", "erfasst am", "angelegt am"]),
        (Id, ToSay("who it is here"), [Id]),
    ];

    /// <summary>Every choice of a practice with its name for people: the table, then the dates and fields it named itself.</summary>
    public static IReadOnlyList<(string Field, string Label)> AllOf(OwnNames own) =>
        [
            .. All.Select(f => (f.Field, Said(f.Label))),
            .. own.Dates.Where(d => d != Birthday && !All.Any(f => f.Field == DatePrefix + d)).Select(d => (DatePrefix + d, d)),
            .. own.Fields.Select(f => (OwnPrefix + f.Key, f.Name)),
        ];

    /// <summary>True for a field there is, key dates of any name and the practice's own fields included.</summary>
    public static bool Exists(string field, OwnNames own) =>
        AllOf(own).Any(f => f.Field == field) || (field.StartsWith(DatePrefix, StringComparison.Ordinal) && field.Length > DatePrefix.Length);

    /// <summary>A field's name for people; of a key date or a field of the practice's own the name after its colon.</summary>
    public static string LabelOf(string field) =>
        All.FirstOrDefault(f => f.Field == field).Label is { } label ? Said(label) : field[(field.IndexOf(':', StringComparison.Ordinal) + 1)..];

    /// <summary>True for a column that brings consent.</summary>
    public static bool IsConsent(string field) => ConsentOf.ContainsKey(field);

    /// <summary>The columns of consent with their channels.</summary>
    public static IReadOnlyDictionary<string, Channel> ConsentOf { get; } =
        new Dictionary<string, Channel>(StringComparer.Ordinal)
        {
            [EmailConsent] = Channel.Email,
            [TextConsent] = Channel.Text,
            [CallConsent] = Channel.Call,
            [PostConsent] = Channel.Post,
        };

    /// <summary>A guess for each column; a field is given to one column only, the first that fits best.</summary>
    /// <param name="table">The file.</param>
    /// <param name="own">What the practice named itself; null for nothing.</param>
    public static string[] Guess(ListTable table, OwnNames? own = null)
    {
        var guesses = table.Header.Select(h => ByName(h, own ?? OwnNames.None)).ToArray();
        var taken = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < guesses.Length; i++)
        {
            if (guesses[i].Length == 0)
            {
                guesses[i] = ByCells([.. table.Records.Take(200).Select(r => r.Cells[i]).Where(c => !string.IsNullOrWhiteSpace(c))]);
            }

            if (guesses[i].Length > 0 && !taken.Add(guesses[i]))
            {
                guesses[i] = guesses[i] == Mobile && taken.Add(OtherPhone) ? OtherPhone : None;
            }
        }

        // What is called an address is the street where the town has a column of its own; a street alone is all of it.
        var address = Array.IndexOf(guesses, Address);
        var street = Array.IndexOf(guesses, Street);
        if (address >= 0 && street < 0 && (taken.Contains(City) || taken.Contains(Zip)))
        {
            guesses[address] = Street;
        }
        else if (street >= 0 && address < 0 && !taken.Contains(City) && !taken.Contains(Zip))
        {
            guesses[street] = Address;
        }

        // Other programs number people too; only ids of ours say who somebody is here.
        var id = Array.IndexOf(guesses, Id);
        if (id >= 0 && !table.Records.Take(200).All(r => r.Cells[id].Length == 0 || Guid.TryParse(r.Cells[id], out _)))
        {
            guesses[id] = None;
        }

        return guesses;
    }

    /// <summary>What tells the header of a list from others: the names of its columns in their order.</summary>
    /// <returns>Empty for a list whose columns have no names.</returns>
    public static string PrintOf(ListTable table) =>
        table.IsNamed ? Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\u001f', table.Header.Select(Plain)))))[..32] : "";

    private static string Plain(string header) =>
        string.Join(
            ' ',
            new string([.. PersonNames.Fold(header).Select(c => char.IsLetterOrDigit(c) ? c : ' ')]).Split(' ', StringSplitOptions.RemoveEmptyEntries)
        );

    private static string ByName(string header, OwnNames own)
    {
        // What the practice named itself goes before what most lists mean by the name.
        var name = Plain(header);
        if (own.Fields.FirstOrDefault(f => Plain(f.Name) == name || Plain(f.Key) == name || Plain(OwnPrefix + f.Key) == name) is { } field)
        {
            return OwnPrefix + field.Key;
        }

        foreach (var (known, _, names) in All)
        {
            if (names.Contains(name, StringComparer.Ordinal) || (known.Length > 0 && Plain(known) == name))
            {
                return known;
            }
        }

        // A date of any name, as the people file has them.
        if (header.StartsWith(DatePrefix, StringComparison.OrdinalIgnoreCase) && header.Length > DatePrefix.Length)
        {
            return DatePrefix + header[DatePrefix.Length..].Trim().ToLowerInvariant();
        }

        return own.Dates.FirstOrDefault(d => Plain(d) == name) is { } date ? DatePrefix + date : None;
    }

    private static string ByCells(List<string> cells)
    {
        if (cells.Count == 0)
        {
            return None;
        }

        bool Most(Func<string, bool> test) => cells.Count(test) * 10 >= cells.Count * 7;
        if (Most(c => c.Contains('@', StringComparison.Ordinal)))
        {
            return Email;
        }

        return Most(c => c.Count(char.IsDigit) is >= 10 and <= 15 && !c.Any(char.IsLetter)) ? Mobile : None;
    }
}
