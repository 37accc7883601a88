using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Today;

/// <summary>How a call can end, as the day sheet offers it.</summary>
/// <param name="Name">What it is called.</param>
/// <param name="Reached">Whether they were reached.</param>
/// <param name="Again">The day on which they are called again if it ends so today, as <c>YYYY-MM-DD</c>; null for not again.</param>
/// <param name="AgainDays">The working days until then; 0 for not again.</param>
/// <param name="Note">Whether a note is to be written.</param>
/// <param name="Stage">The stage that follows, <c>Pipeline/Stage</c>; null for none.</param>
/// <param name="Appointment">The kind of appointment that is made with it; null for none.</param>
/// <param name="Program">The program that starts; null for none.</param>
public sealed record OutcomeDto(
    [AtMost(CallOutcomes.LongestName)] string Name,
    bool Reached,
    [AtMost(10)] string? Again,
    int AgainDays,
    bool Note,
    [AtMost(Lengths.Name)] string? Stage,
    [AtMost(Lengths.Name)] string? Appointment,
    Guid? Program
);

/// <summary>How calls can end, in the practice's own words.</summary>
public static class CallOutcomes
{
    /// <summary>So many have a key of one digit each.</summary>
    public const int Most = 9;

    /// <summary>Letters of a name.</summary>
    public const int LongestName = 40;

    /// <summary>Working days that a call lies ahead, at most.</summary>
    public const int LongestAgain = 200;

    /// <summary>As the day sheet and the settings show them.</summary>
    /// <param name="settings">The practice's.</param>
    /// <param name="calendar">Its working days.</param>
    /// <param name="today">The practice's day.</param>
    public static IReadOnlyList<OutcomeDto> Of(PracticeSettings settings, WorkCalendar calendar, LocalDate today) =>
        [
            .. settings.CallOutcomes.Select(o => new OutcomeDto(
                o.Name,
                o.Reached,
                o.AgainDays > 0 ? calendar.WorkingDayAfter(today, o.AgainDays)?.Iso() : null,
                o.AgainDays,
                o.Note,
                OrNone(o.Stage),
                OrNone(o.Appointment),
                o.Program
            )),
        ];

    /// <summary>The names of those that mean somebody was reached.</summary>
    public static IReadOnlyList<string> Reaching(PracticeSettings settings) => [.. settings.CallOutcomes.Where(o => o.Reached).Select(o => o.Name)];

    /// <summary>The outcome of a name; null where the practice has none such.</summary>
    public static CallOutcomeSettings? Find(PracticeSettings settings, string name) =>
        settings.CallOutcomes.Find(o => string.Equals(o.Name, name, StringComparison.Ordinal));

    /// <summary>How calls can end, as they were said and are to be kept.</summary>
    public static List<CallOutcomeSettings> Stored(IReadOnlyList<OutcomeDto> outcomes) =>
    [
        .. outcomes.Select(o => new CallOutcomeSettings
        {
            Name = o.Name.Trim(),
            Reached = o.Reached,
            AgainDays = o.AgainDays,
            Note = o.Note,
            Stage = o.Stage?.Trim() ?? "",
            Appointment = o.Appointment?.Trim() ?? "",
            Program = o.Program,
        }),
    ];

    /// <summary>What is wrong with others in the place of these.</summary>
    /// <param name="db">The practice's data.</param>
    /// <param name="now">The settings as they are.</param>
    /// <param name="then">The settings as they would be otherwise, whose stages they may name.</param>
    /// <param name="wished">The new ones, in the order of their keys.</param>
    /// <param name="shelf">The practice's programs.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What is wrong, by field; empty where they may be kept.</returns>
    public static async Task<IReadOnlyList<(string Field, string Message)>> WrongAsync(
        GerminalDb db,
        PracticeSettings now,
        PracticeSettings then,
        List<CallOutcomeSettings> wished,
        ProgramShelf shelf,
        CancellationToken stop
    )
    {
        var programs = await db.Programs.AsNoTracking().Select(p => p.Id).ToListAsync(stop);
        List<(string, string)> wrong = [.. wished.SelectMany((o, i) => Wrong(o, then, programs).Select(message => ($"outcomes[{i}]", message)))];
        if (wished.Count is 0 or > Most)
        {
            wrong.Add(("outcomes", Say($"A call ends in one to {Most} ways; each has a key.")));
        }

        if (wished.GroupBy(o => o.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            wrong.Add(("outcomes", Say($"“{twice.Key}” stands there twice; each has a name of its own.")));
        }

        wrong.AddRange(
            now.CallOutcomes.Where(old => !wished.Exists(o => string.Equals(o.Name, old.Name, StringComparison.OrdinalIgnoreCase)))
                .Select(old => (old.Name, Asking: shelf.On.FirstOrDefault(p => Asks(p.Current.Definition, old.Name))))
                .Where(lost => lost.Asking is not null)
                .Select(lost => ("outcomes", Say($"“{lost.Asking!.Current.Definition.Name}” waits for calls that end with “{lost.Name}”. Change the program first, or keep the name.")))
        );
        return wrong;
    }

    private static IEnumerable<string> Wrong(CallOutcomeSettings o, PracticeSettings settings, List<Guid> programs)
    {
        if (o.Name.Length is 0 or > LongestName)
        {
            yield return Say($"Say how it ends, in at most {LongestName} letters: left word.");
        }

        if (o.AgainDays is < 0 or > LongestAgain)
        {
            yield return Say($"They are called again after 0 (not at all) to {LongestAgain} working days.");
        }

        if (o.Stage.Length > 0 && !settings.HasStage(o.Stage))
        {
            yield return Say($"There is no stage “{o.Stage}”; {string.Join(", ", settings.AllStages())} are.");
        }

        if (o.Program is { } program && !programs.Contains(program))
        {
            yield return Said("This program is not here any more; choose another, or none.");
        }
    }

    /// <summary>Whether a program waits for calls that end so.</summary>
    private static bool Asks(ProgramDefinition program, string outcome)
    {
        bool Same(string asked) => string.Equals(asked, outcome, StringComparison.OrdinalIgnoreCase);
        return program.StopsWhen.OfType<StopOnCall>().Any(s => Same(s.Outcome))
            || program.AllSteps.OfType<ForkStep>().Any(f => f.If is AskCallEnded ask && Same(ask.Outcome));
    }

    private static string? OrNone(string words) => words.Length == 0 ? null : words;
}
