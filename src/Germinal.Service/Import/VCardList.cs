using System.Globalization;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Core.Contact;
using Germinal.Service.People;

namespace Germinal.Service.Import;

/// <summary>
/// Cards as a list: a column for each kind of thing that stands on any of them, so that nothing is dropped without being seen. What is more
/// than one (a third address) has a column of its own.
/// </summary>
internal static class VCardList
{
    /// <summary>Properties of a card itself, not of the person on it.</summary>
    private static readonly string[] OfTheCard = ["VERSION", "PRODID", "REV", "SOURCE", "CLIENTPIDMAP", "XML", "KIND", "MAILER", "CLASS", "PROFILE", "LABEL", "SORT-STRING", "NAME"];

    private static readonly string[] Pictures = ["PHOTO", "LOGO", "SOUND", "KEY"];

    private static readonly string[] CellPhones = ["cell", "text"];

    /// <summary>The columns that come first, in this order.</summary>
    private static readonly string[] Order =
    [
        ImportField.Id,
        ImportField.FirstName,
        ImportField.LastName,
        ImportField.FullName,
        ImportField.Email,
        ImportField.OtherEmail,
        ImportField.Mobile,
        ImportField.OtherPhone,
        ImportField.Street,
        ImportField.City,
        ImportField.State,
        ImportField.Zip,
        ImportField.Country,
        ImportField.Address,
        ImportField.Birthday,
        ImportField.Tags,
        ImportField.Notes,
    ];

    public static ListTable TableOf(IReadOnlyList<VCard> cards)
    {
        var rows = cards.Select(Row).ToList();
        var pictures = cards.Count(c => c.Properties.Any(p => Pictures.Contains(p.Name, StringComparer.Ordinal)));
        string[] header = [.. Order.Where(c => rows.Exists(r => r.ContainsKey(c))), .. rows.SelectMany(r => r.Keys).Distinct(StringComparer.Ordinal).Where(c => !Order.Contains(c))];
        if (header.Length == 0)
        {
            throw new UnreadableFileException(Said("This is a file of cards, and nothing stands on any of them."));
        }

        return new ListTable(header, [.. rows.Select((r, i) => new ListRecord(i + 1, [.. header.Select(h => r.GetValueOrDefault(h, ""))]))])
        {
            Remarks = pictures == 0 ? [] : [Say($"{(pictures == 1 ? Said("A card has a picture") : Say($"{pictures} cards have pictures"))}; pictures are left out.")],
        };
    }

    private static Dictionary<string, string> Row(VCard card)
    {
        var row = new Dictionary<string, string>(StringComparer.Ordinal);

        // The first of a kind has its column; what comes after it has one with a number.
        void Put(string column, string value)
        {
            var text = value.Trim();
            if (text.Length == 0)
            {
                return;
            }

            var free = column;
            for (var n = 2; row.TryGetValue(free, out var there); n++)
            {
                if (there == text)
                {
                    return;
                }

                free = string.Create(CultureInfo.InvariantCulture, $"{column} {n}");
            }

            row[free] = text;
        }

        void Join(string column, string by, IEnumerable<string> values)
        {
            var all = values.Where(v => v.Length > 0).ToList();
            if (all.Count > 0)
            {
                row[column] = row.TryGetValue(column, out var there) ? $"{there}{by}{string.Join(by, all)}" : string.Join(by, all);
            }
        }

        foreach (var p in card.Properties.OrderBy(Preference))
        {
            switch (p.Name)
            {
                case "N":
                    Put(ImportField.LastName, Part(p, 0));
                    Put(ImportField.FirstName, Part(p, 1));
                    Put(Said("additional names"), Part(p, 2));
                    Put("prefix", Part(p, 3));
                    Put("suffix", Part(p, 4));
                    break;
                case "FN":
                    Put(ImportField.FullName, IsNoName(card, p.Text) ? "" : p.Text);
                    break;
                case "EMAIL":
                    Put(row.ContainsKey(ImportField.Email) && !row.ContainsKey(ImportField.OtherEmail) ? ImportField.OtherEmail : ImportField.Email, p.Text);
                    break;
                case "TEL":
                    var mobile = p.Types.Any(t => CellPhones.Contains(t, StringComparer.Ordinal)) && !row.ContainsKey(ImportField.Mobile);
                    Put(p.Types.Contains("fax") ? "fax" : mobile ? ImportField.Mobile : ImportField.OtherPhone, Number(p.Text));
                    break;
                case "ADR":
                    Address(p, row, Put);
                    break;
                case "BDAY":
                    Put(ImportField.Birthday, Date(p.Text));
                    break;
                case "ANNIVERSARY":
                    Put("anniversary", Date(p.Text));
                    break;
                case "CATEGORIES":
                    Join(ImportField.Tags, ";", p.Values.Select(v => v.IndexOfAny([',', '|']) < 0 || p.Values.Count > 1 ? v : v + ";"));
                    break;
                case "NOTE":
                    Join(ImportField.Notes, "\n", [p.Text]);
                    break;
                case "ORG":
                    Put("organization", string.Join(", ", p.Parts.SelectMany(v => v).Where(v => v.Length > 0)));
                    break;
                case "TZ" when p.Text.Contains('/', StringComparison.Ordinal):
                    Put(ImportField.Zone, p.Text);
                    break;
                case "UID":
                    Put(ImportField.Id, p.Text.StartsWith("urn:uuid:", StringComparison.OrdinalIgnoreCase) ? p.Text[9..] : p.Text);
                    break;
                case PeopleExport.VCardColumn when p.Parameters.TryGetValue("NAME", out var column):
                    Put(column, p.Text);
                    break;
                default:
                    if (!OfTheCard.Contains(p.Name, StringComparer.Ordinal) && !Pictures.Contains(p.Name, StringComparer.Ordinal) && !p.Name.StartsWith("X-AB", StringComparison.Ordinal))
                    {
                        Put(p.Name.ToLowerInvariant().Replace("x-", "", StringComparison.Ordinal).Replace('-', ' '), string.Join(", ", p.Parts.SelectMany(v => v).Where(v => v.Length > 0)));
                    }

                    break;
            }
        }

        // A written name says no more than its parts.
        if (row.ContainsKey(ImportField.FirstName) || row.ContainsKey(ImportField.LastName))
        {
            row.Remove(ImportField.FullName);
        }

        return row;
    }

    /// <summary>A card must have a name; for somebody without one it is an address, a number, or words that say so.</summary>
    private static bool IsNoName(VCard card, string name) =>
        name == PersonName.Of(null, null, null, null) || card.Properties.Any(p => p.Name is "EMAIL" or "TEL" && p.Text == name);

    /// <summary>PREF of 4.0 from 1, the type “pref” of 3.0, then what names no preference; the order of the card else.</summary>
    private static int Preference(VCardProperty p) =>
        p.Parameters.TryGetValue("PREF", out var pref) && int.TryParse(pref, NumberStyles.None, CultureInfo.InvariantCulture, out var n) ? n
        : p.Types.Contains("pref") ? 1
        : 101;

    private static string Part(VCardProperty p, int index) => index < p.Parts.Count ? string.Join(' ', p.Parts[index].Where(v => v.Length > 0)) : "";

    private static void Address(VCardProperty p, Dictionary<string, string> row, Action<string, string> put)
    {
        string[] parts = [.. Enumerable.Range(0, 7).Select(i => i < p.Parts.Count ? string.Join(i == 2 ? "\n" : " ", p.Parts[i].Where(v => v.Length > 0)) : "")];
        if (new[] { ImportField.Street, ImportField.City, ImportField.Zip }.Any(row.ContainsKey))
        {
            // A second one is kept in one cell.
            put(Said("second address"), string.Join('\n', parts.Where(v => v.Length > 0)));
            return;
        }

        put(ImportField.Street, string.Join('\n', new[] { parts[0], parts[1], parts[2] }.Where(v => v.Length > 0)));
        put(ImportField.City, parts[3]);
        put(ImportField.State, parts[4]);
        put(ImportField.Zip, parts[5]);
        put(ImportField.Country, parts[6]);
    }

    /// <summary>A number as text or as <c>tel:</c> (RFC 3966), its extension after “ext.”.</summary>
    private static string Number(string text)
    {
        if (!text.StartsWith("tel:", StringComparison.OrdinalIgnoreCase))
        {
            return text;
        }

        var parts = text[4..].Split(';');
        var extension = parts.Skip(1).Where(x => x.StartsWith("ext=", StringComparison.OrdinalIgnoreCase)).Select(x => x[4..]).FirstOrDefault();
        return extension is null ? parts[0] : $"{parts[0]} ext. {extension}";
    }

    /// <summary>A date of RFC 6350, 4.3.1 as lists have it: 19960415, --0415; the time of day goes.</summary>
    private static string Date(string text)
    {
        var date = new StringBuilder(text.Split('T', 2)[0]);
        var digits = date.ToString();
        return digits is { Length: 8 } && digits.All(char.IsAsciiDigit) ? $"{digits[..4]}-{digits[4..6]}-{digits[6..]}"
            : digits is ['-', '-', _, _, _, _] ? $"--{digits[2..4]}-{digits[4..]}"
            : digits;
    }
}
