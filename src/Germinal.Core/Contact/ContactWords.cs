namespace Germinal.Core.Contact;

/// <summary>The words that files, rows and pages use for channels, purposes and what consent stands on.</summary>
public static class ContactWords
{
    internal static readonly (string Word, Channel Value)[] Channels =
    [
        ("email", Channel.Email),
        ("text", Channel.Text),
        ("call", Channel.Call),
        ("post", Channel.Post),
    ];

    internal static readonly (string Word, Purpose Value)[] Purposes = [("commercial", Purpose.Commercial), ("transactional", Purpose.Transactional)];

    internal static readonly (string Word, ConsentPolicy Value)[] Policies = [("strict", ConsentPolicy.Strict), ("open", ConsentPolicy.Open)];

    internal static readonly (string Word, ConsentBasis Value)[] Bases =
    [
        ("express", ConsentBasis.Express),
        ("inquiry", ConsentBasis.Inquiry),
        ("client", ConsentBasis.Client),
    ];

    internal static readonly (string Word, ConsentVerdict Value)[] Verdicts =
    [
        ("allowed", ConsentVerdict.Allowed),
        ("missing", ConsentVerdict.Missing),
        ("withdrawn", ConsentVerdict.Withdrawn),
    ];

    /// <summary>The word of a channel: email, text, call or post.</summary>
    public static string Of(Channel channel) => WordOf(Channels, channel);

    /// <summary>What people say no to: email, texts, calls, post.</summary>
    public static string Many(Channel channel) =>
        channel switch
        {
            Channel.Email => Said("email"),
            Channel.Text => Said("texts"),
            Channel.Call => Said("calls"),
            _ => Said("post‹letters›"),
        };

    /// <summary>The same of a channel's word; a word of no channel as it is.</summary>
    public static string Many(string word) => ChannelOf(word) is { } channel ? Many(channel) : word;

    /// <summary>How somebody is reached, to follow “may be”: emailed, texted, called, written to.</summary>
    public static string Reached(Channel channel) =>
        channel switch
        {
            Channel.Email => Said("emailed"),
            Channel.Text => Said("texted"),
            Channel.Call => Said("called"),
            _ => Said("written to"),
        };

    /// <summary>The word of a purpose: commercial or transactional.</summary>
    public static string Of(Purpose purpose) => WordOf(Purposes, purpose);

    /// <summary>The word of what consent stands on: express, inquiry or client.</summary>
    public static string Of(ConsentBasis basis) => WordOf(Bases, basis);

    /// <summary>The word of a policy: strict or open.</summary>
    public static string Of(ConsentPolicy policy) => WordOf(Policies, policy);

    /// <summary>The word of what the ledger says: allowed, missing or withdrawn.</summary>
    public static string Of(ConsentVerdict verdict) => WordOf(Verdicts, verdict);

    /// <summary>The channel of a word, or null.</summary>
    public static Channel? ChannelOf(string word) => ValueOf(Channels, word);

    /// <summary>The purpose of a word, or null.</summary>
    public static Purpose? PurposeOf(string word) => ValueOf(Purposes, word);

    /// <summary>What consent stands on by its word, or null.</summary>
    public static ConsentBasis? BasisOf(string word) => ValueOf(Bases, word);

    internal static string WordOf<T>((string Word, T Value)[] table, T value)
        where T : struct, Enum
    {
        foreach (var (word, known) in table)
        {
            if (EqualityComparer<T>.Default.Equals(known, value))
            {
                return word;
            }
        }

        throw new ArgumentOutOfRangeException(nameof(value));
    }

    private static T? ValueOf<T>((string Word, T Value)[] table, string word)
        where T : struct, Enum
    {
        foreach (var (known, value) in table)
        {
            if (known == word)
            {
                return value;
            }
        }

        return null;
    }

    /// <summary>“Ida”, “Ida and Bo”, “Ida, Bo and Kit”; nothing for nobody.</summary>
    public static string Listed(IReadOnlyList<string> names) =>
        names.Count < 2 ? string.Concat(names) : Say($"{string.Join(", ", names.Take(names.Count - 1))} and {names[^1]}");
}
