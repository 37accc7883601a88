using System.Collections.Concurrent;
using System.CommandLine;
using Germinal.Channels.Letters;
using Germinal.Cli.Input;
using Germinal.Cli.Output;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Cli.Commands;

/// <summary><c>germinal rehearse</c>: runs the engine from one moment to another and prints every touch.</summary>
internal static class RehearseCommand
{
    public static Command Create()
    {
        var practice = new Option<string>("--practice") { Description = "the practice file", Required = true };
        var people = new Option<string>("--people") { Description = "the people file", Required = true };
        var programs = new Option<string[]>("--program")
        {
            Description = "a program file; may be given several times",
            Required = true,
            AllowMultipleArgumentsPerToken = true,
        };
        var events = new Option<string?>("--events") { Description = "the events file" };
        var from = new Option<string>("--from") { Description = "the first moment, a local time of the practice", Required = true };
        var to = new Option<string>("--to") { Description = "the horizon, a local time of the practice", Required = true };
        var format = new Option<string>("--format") { Description = "csv, json or ics (calls)", DefaultValueFactory = _ => "csv" };
        format.AcceptOnlyFromAmong("csv", "json", "ics");
        var why = new Option<bool>("--why") { Description = "adds the reasons" };
        var planned = new Option<bool>("--planned") { Description = "adds what is planned beyond the horizon" };
        var command = new Command("rehearse", "runs the engine from one moment to another and prints every touch")
        {
            practice,
            people,
            programs,
            events,
            from,
            to,
            format,
            why,
            planned,
        };
        command.SetAction(
            (parsed, stop) =>
                Task.FromResult(
                    Run(
                        parsed.GetRequiredValue(practice),
                        parsed.GetRequiredValue(people),
                        parsed.GetRequiredValue(programs),
                        parsed.GetValue(events),
                        parsed.GetRequiredValue(from),
                        parsed.GetRequiredValue(to),
                        parsed.GetRequiredValue(format),
                        parsed.GetValue(why),
                        parsed.GetValue(planned),
                        stop
                    )
                )
        );
        return command;
    }

    private static int Run(
        string practicePath,
        string peoplePath,
        string[] programPaths,
        string? eventsPath,
        string fromText,
        string toText,
        string format,
        bool why,
        bool planned,
        CancellationToken stop
    )
    {
        var practice = Files.Practice(practicePath);
        var letters = new LiquidLetters();
        var programs = Files.Programs(programPaths, practice, letters);
        var people = Files.People(peoplePath, practice);
        var events = eventsPath is null ? null : Files.Events(eventsPath, practice, programs, people);
        var (from, until) = (Moment("--from", fromText, practice), Moment("--to", toText, practice));
        if (until <= from)
        {
            throw new InputException(["--to: the horizon must be later than --from."]);
        }

        var engine = new TouchEngine(practice, new ProgramShelf(programs, programs.Select(p => new ProgramOn(p, from))), letters);
        var before = new TouchEngine(practice, new ProgramShelf([], []), letters);
        var actors = people.Select(p => ActorAt(from, p, events?[p.Handle].ToList() ?? [], before)).ToList();
        var rows = new ConcurrentBag<TouchLine>();
        Rehearsal.OfMany(
            engine,
            actors,
            from,
            until,
            (_, actor, touches) =>
            {
                foreach (var touch in touches.Where(t => planned || t.SettledAt is not null || t.Outcome is not null))
                {
                    rows.Add(new TouchLine(actor.Person, touch));
                }
            },
            null,
            stop
        );
        var lines = rows.ToList();
        lines.Sort(TouchLine.Order);
        using var output = new StreamWriter(Console.OpenStandardOutput(), new System.Text.UTF8Encoding(false)) { NewLine = "\n" };
        switch (format)
        {
            case "json":
                JsonOutput.Write(lines, practice, why, output);
                break;
            case "ics":
                IcsOutput.Write(lines, practice, letters, output);
                break;
            default:
                CsvOutput.Write(lines, practice, why, output);
                break;
        }

        return 0;
    }

    /// <summary>
    /// Somebody at the first moment: what happened before it is in their facts and in what is remembered, and starts nothing.
    /// </summary>
    private static Actor ActorAt(Instant from, PersonFacts person, List<Happening> events, TouchEngine before)
    {
        var state = PersonState.Empty;
        foreach (var happening in events.TakeWhile(e => e.At < from))
        {
            if (FactUpdates.Apply(person, happening) is { } changed && happening is not StartedByHand)
            {
                person = changed;
                state = before.React(person, state, happening).State;
            }
        }

        return new Actor(person, state, [.. events.SkipWhile(e => e.At < from)]);
    }

    private static Instant Moment(string option, string text, Practice practice) =>
        Moments.Read(text, practice.Zone) ?? throw new InputException([$"{option}: “{text}” is not a moment; 2027-02-01T00:00 would be."]);
}
