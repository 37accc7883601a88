using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Files;

/// <summary>
/// The columns of the events file and what a row of it means. Splitting the file into cells is the caller's.
/// </summary>
/// <param name="practice">For local times.</param>
/// <param name="programs">The programs that rows may name.</param>
public sealed class EventsFile(Practice practice, IReadOnlyList<ProgramVersion> programs)
{
    /// <summary>The columns, in their order.</summary>
    public static IReadOnlyList<string> Columns { get; } = ["at", "person", "kind", "program", "step", "value"];

    private static readonly string[] Kinds =
    [
        "start",
        "stop",
        "pause",
        "resume",
        "tag-added",
        "tag-removed",
        "list-joined",
        "list-left",
        "stage-entered",
        "inquiry-received",
        "inquiry-answered",
        "appointment-booked",
        "appointment-moved",
        "appointment-cancelled",
        "opened",
        "clicked",
        "replied",
        "bounced",
        "opted-in",
        "opted-out",
        "call-done",
        "task-done",
        "won",
        "lost",
        "died",
        "archived",
        "do-not-contact",
    ];

    /// <summary>The event of a row; null after findings (without file and line).</summary>
    /// <param name="row">The cells by column.</param>
    /// <param name="errors">What is wrong.</param>
    public Happening? Read(IReadOnlyDictionary<string, string> row, List<string> errors)
    {
        string Cell(string column) => row.GetValueOrDefault(column, "").Trim();
        var value = Cell("value");
        if (Moments.Read(Cell("at"), practice.Zone) is not { } at)
        {
            errors.Add(Say($"“{Cell("at")}” is not a moment; 2027-03-09T09:30 or 2027-03-09T14:30:00Z would be."));
            return null;
        }

        Guid? Program()
        {
            var name = Cell("program");
            var program = programs.FirstOrDefault(p => string.Equals(p.Definition.Name, name, StringComparison.OrdinalIgnoreCase));
            if (program is null)
            {
                errors.Add(name.Length == 0 ? Said("The program is missing.") : Say($"There is no program “{name}”."));
            }

            return program?.ProgramId;
        }

        (Guid Program, Step Step)? OfStep()
        {
            if (Program() is not { } id)
            {
                return null;
            }

            var step = programs.First(p => p.ProgramId == id).Definition.StepOf(Cell("step"));
            if (step is null)
            {
                errors.Add(Say($"The program “{Cell("program")}” has no step “{Cell("step")}”."));
            }

            return step is null ? null : (id, step);
        }

        T? Needs<T>(Func<string, T> make, string example)
            where T : class
        {
            if (value.Length > 0)
            {
                return make(value);
            }

            errors.Add(Say($"The value is missing; {example} would be right."));
            return null;
        }

        switch (Cell("kind"))
        {
            case "start":
                return Program() is { } started ? new StartedByHand(at, started, "") : null;
            case "stop":
                return Program() is { } stopped ? new ProgramStoppedByHand(at, stopped) : null;
            case "pause":
                return Program() is { } paused && ReadUntil(value, at, errors, out var end) ? new ProgramPaused(at, paused, end) : null;
            case "resume":
                return Program() is { } resumed ? new ProgramResumed(at, resumed) : null;
            case "tag-added":
                return Needs(v => new TagPutOn(at, v), "warm");
            case "tag-removed":
                return Needs(v => new TagTakenOff(at, v), "warm");
            case "list-joined":
                return Needs(v => new JoinedList(at, v), "newsletter");
            case "list-left":
                return Needs(v => new LeftList(at, v), "newsletter");
            case "stage-entered":
                return Needs(v => new EnteredStage(at, v), "Planning/Inquiry");
            case "inquiry-received":
                return new Inquired(at, value.Length > 0 ? value : null);
            case "inquiry-answered":
                return new InquiriesAnswered(at);
            case "appointment-booked" or "appointment-moved":
                return ReadAppointment(at, value, Cell("kind") == "appointment-moved", errors);
            case "appointment-cancelled":
                return new AppointmentCancelled(at, value.Contains('@', StringComparison.Ordinal) ? value : "", value.Length > 0 ? value : null);
            case "opened":
                return OfStep() is { } opened ? new Opened(at, opened.Program, opened.Step.Id) : null;
            case "clicked":
                return OfStep() is { } clicked ? new FollowedLink(at, clicked.Program, clicked.Step.Id, value) : null;
            case "replied":
                return ReadChannel(value, errors) is { } channel ? new Replied(at, channel) : null;
            case "bounced":
                return ReadBounce(at, value, OfStep(), errors);
            case "opted-in" or "opted-out":
                var everything = value.EndsWith("/all", StringComparison.Ordinal);
                return ReadChannel(everything ? value[..^4] : value, errors) is { } of
                    ? new ConsentGiven(at, of, Cell("kind") == "opted-in", everything)
                    : null;
            case "call-done" or "task-done":
                return OfStep() is { } done ? new StepTaskEnded(at, done.Program, done.Step.Id, value.Length > 0 ? value : "done") : null;
            case "won":
                return new Won(at);
            case "lost":
                return new Lost(at, value.Length > 0 ? value : null);
            case "do-not-contact":
                return ReadUntil(value, at, errors, out var until) ? new LeftForGood(at, "do-not-contact", until) : null;
            case "died" or "archived":
                return new LeftForGood(at, Cell("kind"));
            default:
                errors.Add(Say($"“{Cell("kind")}” is not a kind of event; {string.Join(", ", Kinds)} are."));
                return null;
        }
    }

    /// <summary>A date until which something holds; an empty value is none.</summary>
    private bool ReadUntil(string value, Instant at, List<string> errors, out LocalDate? until)
    {
        until = null;
        if (value.Length == 0)
        {
            return true;
        }

        if (LocalDatePattern.Iso.Parse(value) is not { Success: true, Value: var date })
        {
            errors.Add(Say($"“{value}” is not a date; 2027-06-01 would be, or an empty value for no end."));
            return false;
        }

        if (date <= at.InZone(practice.Zone).Date)
        {
            errors.Add(Say($"{value} does not lie after the event; it holds until the beginning of that date."));
            return false;
        }

        until = date;
        return true;
    }

    /// <summary>
    /// <c>TYPE@LOCAL-TIME</c>, which names the appointment it was booked as; one that is moved is the newest of its type.
    /// </summary>
    private AppointmentMade? ReadAppointment(Instant at, string value, bool moved, List<string> errors)
    {
        var parts = value.Split('@', 2);
        if (parts.Length == 2 && parts[0].Length > 0 && Moments.Read(parts[1], practice.Zone) is { } moment)
        {
            return new AppointmentMade(at, moved ? "" : value, parts[0], moment, moved);
        }

        errors.Add(Say($"“{value}” is not an appointment; viewing@2027-03-09T14:00 would be."));
        return null;
    }

    private static Channel? ReadChannel(string word, List<string> errors)
    {
        var channel = ContactWords.ChannelOf(word);
        if (channel is null)
        {
            errors.Add(Say($"“{word}” is not a channel; email, text, call and post are."));
        }

        return channel;
    }

    private static Bounced? ReadBounce(Instant at, string value, (Guid Program, Step Step)? of, List<string> errors)
    {
        if (value is not ("hard" or "soft"))
        {
            errors.Add(Say($"“{value}” should be hard or soft."));
            return null;
        }

        return of is { } step ? new Bounced(at, step.Program, step.Step.Id, value == "hard", step.Step.Channel ?? Channel.Email) : null;
    }
}
