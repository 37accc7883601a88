using Germinal.Core.People;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Programs;

/// <summary>The words that files use for the choices of the core.</summary>
public static class FileWords
{
    internal static readonly (string Word, Channel Value)[] Channels = [("email", Channel.Email), ("text", Channel.Text), ("call", Channel.Call), ("post", Channel.Post)];

    internal static readonly (string Word, Purpose Value)[] Purposes = [("commercial", Purpose.Commercial), ("transactional", Purpose.Transactional)];

    internal static readonly (string Word, Roll Value)[] Rolls = [("forward", Roll.Forward), ("back", Roll.Back), ("nearest", Roll.Nearest), ("keep", Roll.Keep)];

    internal static readonly (string Word, AgainKind Value)[] Agains = [("never", AgainKind.Never), ("after-finished", AgainKind.AfterFinished), ("each-time", AgainKind.EachTime)];

    internal static readonly (string Word, Voice Value)[] Voices = [("I", Voice.I), ("we", Voice.We)];

    internal static readonly (string Word, ConsentPolicy Value)[] Policies = [("strict", ConsentPolicy.Strict), ("open", ConsentPolicy.Open)];

    internal static readonly (string Word, LeapDay Value)[] LeapDays = [("feb28", LeapDay.Feb28), ("mar1", LeapDay.Mar1)];

    internal static readonly (string Word, IsoDayOfWeek Value)[] Days =
    [
        ("mon", IsoDayOfWeek.Monday), ("tue", IsoDayOfWeek.Tuesday), ("wed", IsoDayOfWeek.Wednesday), ("thu", IsoDayOfWeek.Thursday),
        ("fri", IsoDayOfWeek.Friday), ("sat", IsoDayOfWeek.Saturday), ("sun", IsoDayOfWeek.Sunday),
    ];

    /// <summary>The word of a channel: email, text, call or post.</summary>
    public static string Of(Channel channel) => WordOf(Channels, channel);

    /// <summary>The channel of a word, or null.</summary>
    public static Channel? ChannelOf(string word)
    {
        foreach (var (name, value) in Channels)
        {
            if (name == word)
            {
                return value;
            }
        }

        return null;
    }

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
}
