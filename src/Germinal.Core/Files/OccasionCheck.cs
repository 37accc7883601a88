using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>
/// What a program for somebody's day rarely wants, said as a warning: it may be meant. Common practice, no source.
/// </summary>
public static class OccasionCheck
{
    private const string Birthday = "birthday";
    private const int DaysAGreetingMayBeLate = 3;

    /// <summary>Warnings about a program that an occasion starts; none for others.</summary>
    public static IEnumerable<Finding> Findings(ProgramDefinition program)
    {
        foreach (var (occasion, i) in program.StartsWhen.Select((t, i) => (t as OccasionTrigger, i)).Where(t => t.Item1 is not null))
        {
            var pointer = string.Create(CultureInfo.InvariantCulture, $"/startsWhen/{i}");
            if (occasion!.Years.Count > 0)
            {
                yield return Warning(pointer, Say($"Somebody whose {occasion.Date} has no year is left out: which year it is cannot be counted for them."));
            }

            if (IsGreeting(occasion) && program.Window is { Roll: Time.Roll.Forward } window && MissedDays(window.Days) is { Count: > 0 } missed)
            {
                yield return Warning(
                    pointer,
                    Say($"It does not write on {ContactWords.Listed(missed)}: a birthday on such a day is written to on the next one. For a greeting, every day is usual.")
                );
            }
        }

        if (!program.StartsWhen.OfType<OccasionTrigger>().Any(IsGreeting))
        {
            yield break;
        }

        foreach (var place in new StepFlow(program).Steps)
        {
            if (place.Step is { Channel: not null, LateLimit: { } late } && late.AddDates(Day) > Day.PlusDays(DaysAGreetingMayBeLate))
            {
                yield return Warning(
                    $"{place.Pointer}/lateLimit",
                    Say($"This may still go when it is {Engine.Phrases.Span(late)} late. A greeting is rarely wanted after a day or two.")
                );
            }
        }
    }

    private static readonly LocalDate Day = new(2027, 1, 1);

    /// <summary>A birthday; an age that is reached is no greeting, it may wait for a working day.</summary>
    private static bool IsGreeting(OccasionTrigger occasion) =>
        occasion.Years.Count == 0 && string.Equals(occasion.Date, Birthday, StringComparison.OrdinalIgnoreCase);

    private static List<string> MissedDays(IReadOnlySet<IsoDayOfWeek> days) =>
        [.. Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None && !days.Contains(d)).Select(d => $"{d}s")];

    private static Finding Warning(string pointer, string words) => new(pointer, words, IsWarning: true);
}
