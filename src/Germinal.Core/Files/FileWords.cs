using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>The words that files use for the choices of the core.</summary>
public static class FileWords
{
    internal static readonly (string Word, Roll Value)[] Rolls =
    [
        ("forward", Roll.Forward),
        ("back", Roll.Back),
        ("nearest", Roll.Nearest),
        ("keep", Roll.Keep),
    ];

    internal static readonly (string Word, AgainKind Value)[] Agains =
    [
        ("never", AgainKind.Never),
        ("after-finished", AgainKind.AfterFinished),
        ("each-time", AgainKind.EachTime),
    ];

    internal static readonly (string Word, Voice Value)[] Voices = [("I", Voice.I), ("we", Voice.We)];

    internal static readonly (string Word, LeapDay Value)[] LeapDays = [("feb28", LeapDay.Feb28), ("mar1", LeapDay.Mar1)];

    internal static readonly (string Word, IsoDayOfWeek Value)[] Days =
    [
        ("mon", IsoDayOfWeek.Monday),
        ("tue", IsoDayOfWeek.Tuesday),
        ("wed", IsoDayOfWeek.Wednesday),
        ("thu", IsoDayOfWeek.Thursday),
        ("fri", IsoDayOfWeek.Friday),
        ("sat", IsoDayOfWeek.Saturday),
        ("sun", IsoDayOfWeek.Sunday),
    ];
}
