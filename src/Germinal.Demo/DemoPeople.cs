using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Demo;

/// <summary>
/// The invented people of the demo practice, from a fixed seed. Mail under example.com, .net and .org (RFC 2606),
/// numbers 555-0100 to 555-0199, made-up towns and streets.
/// </summary>
public sealed class DemoPeople(Random random, Guid practice, IReadOnlyList<Guid> members, int firstNumber = 0)
{
    private static readonly string[] FirstNames =
    [
        "Adela",
        "Aldo",
        "Amaia",
        "Anouk",
        "Ansel",
        "Astrid",
        "Beatrix",
        "Benno",
        "Bo",
        "Brigid",
        "Carys",
        "Clio",
        "Cosmo",
        "Cyrus",
        "Dario",
        "Delphine",
        "Dov",
        "Elin",
        "Emeka",
        "Esme",
        "Ewan",
        "Farida",
        "Fergus",
        "Fleur",
        "Gideon",
        "Greta",
        "Hanneke",
        "Hugo",
        "Ida",
        "Idris",
        "Ilse",
        "Inez",
        "Jago",
        "Jonah",
        "José",
        "Jules",
        "Kaia",
        "Kit",
        "Kofi",
        "Leila",
        "Linus",
        "Lotte",
        "Louisa",
        "Łucja",
        "Marcel",
        "Maren",
        "Maribel",
        "Mateo",
        "Mina",
        "Nell",
        "Nikhil",
        "Noor",
        "Odile",
        "Orla",
        "Osric",
        "Otto",
        "Petra",
        "Priya",
        "Quentin",
        "Ravi",
        "Renée",
        "Rurik",
        "Saskia",
        "Siobhán",
        "Soren",
        "Sunniva",
        "Tamsin",
        "Teodor",
        "Thandi",
        "Tomasz",
        "Ulla",
        "Vida",
        "Viggo",
        "Wilma",
        "Yara",
        "Yuki",
        "Zoë",
        "Zora",
    ];

    private static readonly string[] LastNames =
    [
        "Abernath",
        "Alderly",
        "Averill",
        "Birkby",
        "Blythewood",
        "Brockhurst",
        "Calloway",
        "Carrick",
        "Copperfield-Lowe",
        "Cresswell",
        "Dalgarno",
        "Danvers",
        "Ellingham",
        "Emberly",
        "Farrow",
        "Fennimore",
        "Garrow",
        "Glasscock",
        "Greystone",
        "Halloran",
        "Hathersage",
        "Inglewood",
        "Jessop",
        "Kinsella",
        "Lathrop",
        "Lindqvist",
        "Maddern",
        "Marchbanks",
        "Mayhew",
        "Nettlefold",
        "Norwell",
        "Okafor",
        "Ollerton",
        "Pemberly",
        "Penhale",
        "Quennell",
        "Ravensworth",
        "Rosewarne",
        "Sandringley",
        "Silvanus",
        "Tamblyn",
        "Thackeray-Moss",
        "Trelawn",
        "Umfreville",
        "Vasquez-Hart",
        "Wetherall",
        "Winstanley",
        "Yardley",
    ];

    private static readonly (string Zone, string Town, string Area)[] Places =
    [
        ("America/New_York", "Port Averil, ME 04999", "207"),
        ("America/New_York", "Saltmarsh, MA 01999", "978"),
        ("America/New_York", "Kettle Cove, NY 11999", "631"),
        ("America/Chicago", "Dune Harbor, WI 53999", "414"),
        ("America/Denver", "Larkspur Mesa, CO 80999", "303"),
        ("America/Phoenix", "Red Wash, AZ 85999", "602"),
        ("America/Los_Angeles", "Pine Hollow, CA 95999", "530"),
    ];

    private static readonly string[] Streets =
    [
        "Larch Road",
        "Quay Lane",
        "Tide Street",
        "Cooper Road",
        "Orchard Street",
        "Mill Lane",
        "Heron Row",
        "Chapel Rise",
    ];

    private static readonly string[] Topics = ["Retirement", "First home", "School fees", "Protection", "Market letter"];

    private readonly HashSet<string> emails = new(StringComparer.Ordinal);
    private int numbers = firstNumber;

    /// <summary>A person with the facts they would have in such a practice, their dates and consent.</summary>
    /// <param name="stage">The stage they stand in, or null.</param>
    /// <param name="added">When they came into the database.</param>
    /// <param name="house">A partner whose name and address are shared, or null.</param>
    public (PersonRow Person, List<KeyDateRow> Dates, List<ConsentRow> Consent) Make(string? stage, Instant added, PersonRow? house)
    {
        var first = Pick(FirstNames);
        var last = house?.LastName ?? Pick(LastNames);
        var place = house is null ? Places[Weighted(40, 14, 12, 10, 10, 6, 8)] : Places.First(p => house.Address!.EndsWith(p.Town, StringComparison.Ordinal));
        var person = new PersonRow
        {
            Id = StableId.Of(practice, $"person/{++numbers}"),
            PracticeId = practice,
            FirstName = first,
            LastName = last,
            Email = Chance(94) ? Address(first, last) : null,
            Mobile = Chance(88) ? $"+1{place.Area}55501{numbers % 100:00}" : null,
            Address = house?.Address ?? $"{random.Next(1, 240)} {Pick(Streets)}\n{place.Town}",
            ZoneId = place.Zone == "America/New_York" ? null : place.Zone,
            OwnerId = members[Weighted(48, 40, 12)],
            Stage = stage,
            StageSince = stage is null ? null : added,
            Source = Pick("web form", "referral", "evening talk"),
            AddedAt = added,
        };
        if (Chance(3))
        {
            person.ZoneId = Pick("Europe/London", "Australia/Sydney", "Europe/Lisbon");
        }

        person.Tags = [.. Topics.Where(_ => Chance(22))];
        if (stage == "Planning/Client")
        {
            person.Tags = ["Client", .. person.Tags];
        }

        PersonNames.Refresh(person);
        return (person, DatesOf(person, stage), ConsentOf(person, stage, added));
    }

    private List<KeyDateRow> DatesOf(PersonRow person, string? stage)
    {
        var dates = new List<KeyDateRow>();
        void Add(string name, int month, int day, int? year) =>
            dates.Add(
                new KeyDateRow
                {
                    PersonId = person.Id,
                    PracticeId = practice,
                    Name = name,
                    Month = month,
                    Day = day,
                    Year = year,
                    Yearly = true,
                }
            );
        if (Chance(78))
        {
            var year = 2027 - random.Next(24, 89);
            var day = new LocalDate(year, 1, 1).PlusDays(random.Next(365));
            Add("birthday", day.Month, day.Day, Chance(80) ? year : null);
        }

        if (stage == "Planning/Client")
        {
            var since = new LocalDate(random.Next(2005, 2026), random.Next(1, 13), random.Next(1, 28));
            Add("client since", since.Month, since.Day, since.Year);
            Add("yearly review", random.Next(1, 13), random.Next(1, 28), null);
            if (Chance(30))
            {
                Add("policy renewal", random.Next(1, 13), random.Next(1, 28), null);
            }

            if (Chance(15))
            {
                Add("mortgage fixed until", random.Next(1, 13), random.Next(1, 28), random.Next(2028, 2034));
            }
        }

        return dates;
    }

    private List<ConsentRow> ConsentOf(PersonRow person, string? stage, Instant added)
    {
        ConsentRow Entry(string channel, string basis, string source) =>
            new()
            {
                PracticeId = practice,
                PersonId = person.Id,
                Channel = channel,
                Purpose = "commercial",
                IsIn = true,
                Basis = basis,
                At = added,
                Source = source,
            };
        return stage switch
        {
            "Planning/Client" =>
            [
                Entry("email", "express", "signed with the plan"),
                Entry("call", "express", "signed with the plan"),
                Entry("text", "express", "signed with the plan"),
            ],
            "Planning/Inquiry" => [Entry("email", "express", "ticked on the web form"), Entry("call", "inquiry", "asked on the web form")],
            null when Chance(25) => [],
            _ => [Entry("email", "express", Pick("ticked at the evening talk", "told Wren on the phone"))],
        };
    }

    private string Address(string first, string last)
    {
        var name = PersonNames.Fold($"{first}.{last}").Replace("'", "", StringComparison.Ordinal);
        var domain = Pick("example.com", "example.net", "example.org");
        var address = $"{name}@{domain}";
        for (var n = 2; !emails.Add(address); n++)
        {
            address = $"{name}{n}@{domain}";
        }

        return address;
    }

    private bool Chance(int percent) => random.Next(100) < percent;

    private T Pick<T>(params T[] items) => items[random.Next(items.Length)];

    private int Weighted(params int[] weights)
    {
        var roll = random.Next(weights.Sum());
        for (var i = 0; ; i++)
        {
            roll -= weights[i];
            if (roll < 0)
            {
                return i;
            }
        }
    }
}
