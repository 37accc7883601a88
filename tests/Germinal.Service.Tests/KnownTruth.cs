using Germinal.Core.Contact;
using Germinal.Service.Import;

namespace Germinal.Service.Tests;

/// <summary>A row of a list of which it is known whose it is.</summary>
/// <param name="Who">The one it truly is about.</param>
/// <param name="Row">What the list says.</param>
internal sealed record TrueRow(int Who, ImportedRow Row);

/// <summary>
/// Generated lists of which the truth is known: families who share numbers and addresses, and people who stand in them twice, by a short
/// form, an initial, a slip of the pen, another address or number. Invented names; shares are a guess of ours at a neglected list.
/// </summary>
internal static class KnownTruth
{
    private static readonly string[] FirstNames =
    [
        "Robert", "William", "Margaret", "Elizabeth", "Katherine", "Edward", "Theodore", "Henry", "Michael", "Thomas", "Daniel", "Joseph",
        "Stephen", "Andrew", "Alexandra", "Nicholas", "Christine", "Patricia", "Samuel", "Susan", "Frances", "Gregory", "Jennifer", "Kenneth",
        "Rebecca", "Timothy", "Victoria", "Benjamin", "Barbara", "Penelope", "Ida", "Bo", "Ada", "Ina", "Kit", "Zoë", "Renée", "Siobhán", "Łucja",
        "Anouk", "Hanneke", "Quentin", "Mateo", "Priya", "Yuki", "Thandi", "Mary Ann", "José", "Farida", "Soren", "Marta", "Marty", "Karin", "Karen",
    ];

    private static readonly string[] LastNames =
    [
        "Abernath", "Alderly", "Birkby", "Brockhurst", "Calloway", "Copperfield-Lowe", "Dalgarno", "Ellingham", "Farrow", "Garrow", "Greystone",
        "Halloran", "Inglewood", "Jessop", "Kinsella", "Lindqvist", "Maddern", "Nettlefold", "O'Denny", "Okafor", "Penhale", "Quennell", "Rosewarne",
        "Silvanus", "Tamblyn", "Upshaw", "Vance", "Wray", "Yarrow", "Lind", "Linn", "Marsh", "March", "Löwen", "Núñez",
    ];

    /// <summary>A list of so many people, some of whom stand in it twice, in no order.</summary>
    /// <param name="people">How many different people.</param>
    /// <param name="seed">The same seed, the same list.</param>
    public static IReadOnlyList<TrueRow> Generate(int people, int seed)
    {
        var random = new Random(seed);
        bool Chance(int percent) => random.Next(100) < percent;
        T Pick<T>(IReadOnlyList<T> list) => list[random.Next(list.Count)];
        var rows = new List<TrueRow>();
        var number = 0;
        string Number() => $"+1207{2_000_000 + ++number}";
        string Address(string name) => $"{string.Concat(name.Where(char.IsAsciiLetter)).ToLowerInvariant()}{++number}@example.com";
        for (var who = 0; who < people;)
        {
            // A family: one last name mostly, a number of the house, sometimes one mobile or one address for all.
            var last = Pick(LastNames);
            var (shared, mail) = (Chance(30) ? Number() : null, Chance(12) ? Address(last) : null);
            var house = Number();
            var taken = new HashSet<string>();
            for (var size = Chance(45) ? 1 : random.Next(2, 6); size > 0 && who < people; size--, who++)
            {
                var first = Pick(FirstNames);
                while (!taken.Add(first))
                {
                    first = Pick(FirstNames);
                }

                var own = Chance(8) ? Pick(LastNames) : last;
                var (email, mobile) = (Chance(12) ? null : mail ?? Address(first), shared ?? (Chance(18) ? null : Number()));
                rows.Add(new TrueRow(who, Row(first, own, email, mobile, Chance(40) ? house : null)));
                if (!Chance(35) || (email is null && mobile is null))
                {
                    continue;
                }

                // Again, from another list: something has changed, and somebody else typed the name.
                var roll = random.Next(100);
                var (again, dials) =
                    roll < 45 ? (email, mobile)
                    : roll >= 98 ? (Address(first), Number())
                    : mobile is null || (email is not null && roll < 72) ? (email, Chance(50) ? null : Number())
                    : (Chance(50) ? null : Address(first), mobile);
                var (f, l) = Typed(first, Chance(1) ? Pick(LastNames) : own, random);
                rows.Add(new TrueRow(who, Row(f, l, again, dials, null)));
            }
        }

        return [.. rows.OrderBy(_ => random.Next())];
    }

    /// <summary>A name as somebody else types it.</summary>
    private static (string? First, string? Last) Typed(string first, string last, Random random) =>
        random.Next(100) switch
        {
            < 48 => (first, last),
            < 58 => (first.ToUpperInvariant(), PersonNames(last)),
            < 73 => (Short(first, random), last),
            < 82 => ($"{first[..1]}.", last),
            < 92 => random.Next(2) == 0 && first.Length > 5 ? (Slip(first, random), last) : (first, last.Length > 4 ? Slip(last, random) : last),
            < 96 => (null, last),
            _ => (last, first),
        };

    private static string PersonNames(string name) => Store.PersonNames.Fold(name);

    private static string Short(string first, Random random)
    {
        string[] forms = first switch
        {
            "Robert" => ["Bob", "Rob"],
            "William" => ["Bill", "Will"],
            "Margaret" => ["Peggy", "Meg"],
            "Elizabeth" => ["Liz", "Betty"],
            "Katherine" => ["Kate", "Kathy"],
            "Edward" => ["Ed", "Ted"],
            "Henry" => ["Harry"],
            "Michael" => ["Mike"],
            "Alexandra" => ["Alex", "Sandra"],
            "Patricia" => ["Pat", "Trish"],
            "Frances" => ["Fran"],
            "Mary Ann" => ["Mary"],
            { Length: > 6 } => [first[..4], first[..3]],
            _ => [first],
        };
        return forms[random.Next(forms.Length)];
    }

    private static string Slip(string word, Random random)
    {
        var at = random.Next(1, word.Length - 1);
        return random.Next(3) switch
        {
            0 => word.Remove(at, 1),
            1 => word.Insert(at, word[at].ToString()),
            _ => $"{word[..(at - 1)]}{word[at]}{word[at - 1]}{word[(at + 1)..]}",
        };
    }

    private static ImportedRow Row(string? first, string? last, string? email, string? mobile, string? phone) =>
        new()
        {
            Line = 0,
            Fingerprint = Guid.NewGuid().ToString(),
            FirstName = first,
            LastName = last,
            Email = email,
            Mobile = mobile,
            OtherPhone = phone,
        };

    /// <summary>Takes a list in row by row as an import does; how many were found to be somebody, how many of them truly, and how many there were to find.</summary>
    public static (int Found, int Truly, int ToFind) Measure(IReadOnlyList<TrueRow> rows)
    {
        var matching = new Matching();
        var truth = new Dictionary<Guid, int>();
        var seen = new HashSet<int>();
        var (found, truly, toFind) = (0, 0, 0);
        foreach (var (_, row) in rows)
        {
            matching.Expect(row);
        }

        foreach (var (who, row) in rows)
        {
            toFind += seen.Add(who) ? 0 : 1;
            if (matching.Find(row).Same is { } same)
            {
                found++;
                truly += truth[same.Person.Id] == who ? 1 : 0;
                continue;
            }

            var id = Guid.NewGuid();
            truth[id] = who;
            matching.Add(
                new MatchCandidate(id, null, row.Email, row.Mobile, row.OtherPhone, null, row.Name, row.ComparedName, null)
            );
        }

        return (found, truly, toFind);
    }
}
