using System.Collections.Frozen;

namespace Germinal.Core.Contact;

/// <summary>A name as it is compared: its words in lower case, without accents.</summary>
/// <param name="First">Words of the first name; empty where none is known.</param>
/// <param name="Last">Words of the last name; empty where none is known.</param>
public readonly record struct ComparedName(IReadOnlyList<string> First, IReadOnlyList<string> Last)
{
    /// <summary>True where nothing is known.</summary>
    public bool IsBlank => First.Count == 0 && Last.Count == 0;
}

/// <summary>
/// Whether two names can be those of one person: equal, one a short form or an initial of the other, or a slip of the pen apart. A name
/// alone never makes two people one; it can only keep them apart.
/// </summary>
public static class NameLikeness
{
    /// <summary>Words shorter than this are too often other names to count as slips: Ida and Ada, Lind and Linn.</summary>
    private const int ShortestSlip = 5;

    // Short forms that are no beginning of the whole; common English usage, no source. Each line is one name.
    private static readonly FrozenDictionary<string, int[]> ShortForms = Lines(
        "robert bob bobby rob robbie bert",
        "william bill billy will willie liam",
        "richard dick rick rich richie",
        "margaret peggy maggie meg greta rita madge",
        "elizabeth liz lizzie beth betty betsy eliza libby lisa elsie",
        "katherine catherine kathryn kate katie kathy cathy kitty kay kat",
        "john jack johnny jon",
        "jonathan jon jonny",
        "james jim jimmy jamie jem",
        "charles charlie chuck chas",
        "edward ed eddie ned ted teddy",
        "theodore theo ted teddy",
        "henry harry hank hal",
        "harold harry hal",
        "michael mike mick mickey",
        "anthony tony ant",
        "antonia toni",
        "thomas tom tommy",
        "david dave davy",
        "daniel dan danny",
        "joseph joe joey",
        "joshua josh",
        "stephen steven steve stevie",
        "andrew andy drew",
        "alexander alex sandy alec xander lex",
        "alexandra alex sandra sasha lexie",
        "alexis alex lexie",
        "matthew matt matty",
        "nicholas nick nicky klaus",
        "christopher chris kit topher",
        "christine christina chris tina chrissie",
        "patricia pat patty trish tricia",
        "patrick pat paddy",
        "peter pete",
        "philip phil pip",
        "samuel sam sammy",
        "samantha sam sammy",
        "susan sue suzie susie",
        "suzanne sue suzie",
        "deborah deb debbie",
        "dorothy dot dottie dolly",
        "frances fran fanny francie",
        "francis frank fran",
        "franklin frank",
        "frederick fred freddie",
        "gerald gerry jerry",
        "jeremy jerry jem",
        "gregory greg",
        "helen nell nellie lena",
        "eleanor ellie nell nora lenore",
        "jacqueline jackie",
        "jennifer jen jenny",
        "jessica jess jessie",
        "judith judy",
        "kenneth ken kenny",
        "lawrence laurence larry laurie",
        "leonard len lenny leo",
        "lewis louis lou lewie",
        "louise lou lulu",
        "martha patty mattie",
        "mary molly polly mae",
        "nathaniel nat nate nathan",
        "pamela pam",
        "rebecca becky becca",
        "ronald ron ronnie",
        "rosemary rose rosie",
        "sarah sally sadie",
        "timothy tim",
        "theresa teresa terry tess tessa",
        "terence terry",
        "victoria vicky tori",
        "vincent vince vinny",
        "virginia ginny",
        "walter wally walt",
        "zachary zach zak",
        "abigail abby gail",
        "amanda mandy",
        "barbara babs barb",
        "benjamin ben benny",
        "bernard bernie",
        "caroline carrie caro lina",
        "constance connie",
        "cynthia cindy",
        "donald don donnie",
        "douglas doug",
        "eugene gene",
        "florence flo flossie",
        "gabriel gabe",
        "gertrude trudy gert",
        "isabel isabella izzy bella belle",
        "isaac ike zak",
        "jacob jake",
        "leroy roy",
        "lucille lucy",
        "madeleine maddie",
        "mildred millie",
        "penelope penny",
        "raymond ray",
        "reginald reggie reg rex",
        "roderick rod roddy",
        "rudolph rudy",
        "stanley stan",
        "sylvester sly",
        "valerie val",
        "wilhelmina mina wilma billie",
        "winifred winnie freda"
    );

    /// <summary>A name's words in lower case without accents; what is no letter parts them.</summary>
    /// <param name="first">The first name, or null.</param>
    /// <param name="last">The last name, or null.</param>
    /// <param name="fold">Takes accents and case away.</param>
    public static ComparedName Read(string? first, string? last, Func<string, string> fold) => new(Words(first, fold), Words(last, fold));

    /// <summary>True where the two can be one person's. What is missing contradicts nothing.</summary>
    public static bool CanBeSame(ComparedName a, ComparedName b)
    {
        if (a.IsBlank || b.IsBlank)
        {
            return true;
        }

        return Fit(a, b) || Fit(a, new ComparedName(b.Last, b.First));
    }

    /// <summary>True where both give a first name, and one is not the other in any form: two people of one household, rather than one.</summary>
    public static bool AreTwoFirstNames(ComparedName a, ComparedName b) => a.First.Count > 0 && b.First.Count > 0 && !AllFit(a.First, b.First, FirstFit);

    private static bool Fit(ComparedName a, ComparedName b)
    {
        // A first name on one side and only a last one on the other say nothing of each other.
        var common = (a.First.Count > 0 && b.First.Count > 0) || (a.Last.Count > 0 && b.Last.Count > 0);
        return common
            && (a.First.Count == 0 || b.First.Count == 0 || AllFit(a.First, b.First, FirstFit))
            && (a.Last.Count == 0 || b.Last.Count == 0 || AllFit(a.Last, b.Last, LastFit));
    }

    /// <summary>The words of the shorter stand in the longer, in order: Mary and Mary Ann, Lowe and Copperfield-Lowe.</summary>
    private static bool AllFit(IReadOnlyList<string> a, IReadOnlyList<string> b, Func<string, string, bool> fit)
    {
        var (few, many) = a.Count <= b.Count ? (a, b) : (b, a);
        var at = 0;
        foreach (var word in few)
        {
            while (at < many.Count && !fit(word, many[at]))
            {
                at++;
            }

            if (at++ >= many.Count)
            {
                return false;
            }
        }

        return true;
    }

    private static bool FirstFit(string a, string b) => a == b || IsInitial(a, b) || IsInitial(b, a) || IsShortForm(a, b) || IsSlip(a, b);

    private static bool LastFit(string a, string b) => a == b || IsInitial(a, b) || IsInitial(b, a) || IsSlip(a, b);

    private static bool IsInitial(string a, string b) => a.Length == 1 && b.Length > 0 && b[0] == a[0];

    /// <summary>The beginning of the other, three letters or more (Ben, Max, Alex), or a name that usage makes of it (Bob).</summary>
    private static bool IsShortForm(string a, string b)
    {
        var (few, many) = a.Length <= b.Length ? (a, b) : (b, a);
        return (few.Length >= 3 && many.Length - few.Length >= 2 && many.StartsWith(few, StringComparison.Ordinal))
            || (ShortForms.TryGetValue(a, out var x) && ShortForms.TryGetValue(b, out var y) && x.Intersect(y).Any());
    }

    /// <summary>One letter put in, left out, changed or changed round with its neighbour, in a word of five letters or more.</summary>
    private static bool IsSlip(string a, string b) => Math.Min(a.Length, b.Length) >= ShortestSlip && Distance(a, b) <= 1;

    /// <summary>
    /// How many letters put in, left out, changed, or changed round with their neighbours make one word of another (F. J. Damerau, A
    /// technique for computer detection and correction of spelling errors, 1964), each place touched once.
    /// </summary>
    public static int Distance(string a, string b)
    {
        var d = new int[a.Length + 1, b.Length + 1];
        for (var i = 0; i <= a.Length; i++)
        {
            d[i, 0] = i;
        }

        for (var j = 0; j <= b.Length; j++)
        {
            d[0, j] = j;
        }

        for (var i = 1; i <= a.Length; i++)
        {
            for (var j = 1; j <= b.Length; j++)
            {
                var same = a[i - 1] == b[j - 1] ? 0 : 1;
                d[i, j] = Math.Min(Math.Min(d[i - 1, j] + 1, d[i, j - 1] + 1), d[i - 1, j - 1] + same);
                if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                {
                    d[i, j] = Math.Min(d[i, j], d[i - 2, j - 2] + 1);
                }
            }
        }

        return d[a.Length, b.Length];
    }

    private static string[] Words(string? name, Func<string, string> fold) =>
        new string([.. fold(name ?? "").Select(c => char.IsLetter(c) ? c : c is '\'' or '’' ? '\0' : ' ')])
            .Replace("\0", "", StringComparison.Ordinal)
            .Split(' ', StringSplitOptions.RemoveEmptyEntries);

    private static FrozenDictionary<string, int[]> Lines(params string[] lines) =>
        lines
            .SelectMany((line, i) => line.Split(' ').Select(name => (name, i)))
            .GroupBy(x => x.name, x => x.i, StringComparer.Ordinal)
            .ToFrozenDictionary(g => g.Key, g => g.ToArray(), StringComparer.Ordinal);
}
