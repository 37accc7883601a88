using System.Collections.Frozen;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Programs;

/// <summary>Something wrong with a program: where (a JSON pointer, RFC 6901), what, and what would be right.</summary>
public sealed record Finding(string Pointer, string Message, bool IsWarning = false);

/// <summary>A program read from JSON, or everything that is wrong with it.</summary>
public sealed record ProgramReading(ProgramDefinition? Program, IReadOnlyList<Finding> Errors);

/// <summary>
/// Reads and writes the program file, format <c>germinal.program/1</c>. A file with any error is refused whole, with every
/// error listed. Unknown keys are errors.
/// </summary>
public static partial class ProgramFile
{
    private static readonly string[] DayNames = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

    /// <summary>Reads a program file.</summary>
    /// <param name="json">The file's text.</param>
    public static ProgramReading Read(string json)
    {
        try
        {
            using var document = JsonDocument.Parse(json, new JsonDocumentOptions { AllowTrailingCommas = false });
            return Read(document.RootElement);
        }
        catch (JsonException e)
        {
            return new ProgramReading(null, [new Finding("", $"This is not JSON: line {e.LineNumber + 1}, column {e.BytePositionInLine + 1}.")]);
        }
    }

    /// <summary>Reads a program from parsed JSON.</summary>
    public static ProgramReading Read(JsonElement json)
    {
        var errors = new List<Finding>();
        var root = JsonObjectReader.For(json, "", errors);
        if (root is null)
        {
            return new ProgramReading(null, errors);
        }

        var format = root.Text("format", required: true);
        if (format is not null && format != ProgramDefinition.Format)
        {
            errors.Add(new Finding("/format", $"The format is “{format}”; this version reads {ProgramDefinition.Format}."));
        }

        var program = new ProgramDefinition
        {
            Name = (root.Text("name", required: true) ?? "").Trim(),
            Description = root.Text("description"),
            Group = root.Text("group"),
            Purpose = root.Choice("purpose", Purpose.Commercial, ("commercial", Purpose.Commercial), ("transactional", Purpose.Transactional)),
            Topic = root.Text("topic"),
            Priority = root.Number("priority", 50, 1, 999),
            OnPracticeClock = root.Choice("clock", false, ("person", false), ("practice", true)),
            At = root.Time("at"),
            Window = root.Object("window") is { } w ? ReadWindow(w, errors) : null,
            StartsWhen = root.List("startsWhen", ReadTrigger),
            OnlyIf = root.Has("onlyIf") ? RuleReader.Read(root.Raw("onlyIf"), "/onlyIf", errors) : null,
            Again = ReadAgain(root, errors),
            StopsWhen = root.List("stopsWhen", ReadStop),
            KeepTasks = root.Flag("keepTasks"),
            Steps = root.List("steps", ReadStep),
        };
        root.Done();
        if (root.Has("name") && program.Name.Length == 0)
        {
            errors.Add(new Finding("/name", "A program needs a name."));
        }

        var twice = program.Steps.Select((step, i) => (step, i)).GroupBy(s => s.step.Id, StringComparer.Ordinal).Where(g => g.Count() > 1);
        errors.AddRange(twice.Select(g => new Finding($"/steps/{g.Last().i}/id", $"Two steps have the id “{g.Key}”; each needs its own.")));
        return new ProgramReading(errors.Count == 0 ? program : null, errors);
    }

    private static Window? ReadWindow(JsonObjectReader o, List<Finding> errors)
    {
        var days = o.Texts("days")
            .Select(d => Array.IndexOf(DayNames, d) is var i and >= 0 ? (IsoDayOfWeek?)(i + 1) : o.Bad<IsoDayOfWeek?>("days", $"“{d}” is not a week day; mon, tue … sun are."))
            .OfType<IsoDayOfWeek>().ToFrozenSet();
        var from = o.Time("from") ?? new LocalTime(9, 0);
        var to = o.Time("to") ?? new LocalTime(17, 0);
        var window = new Window(
            o.Has("days") ? days : Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None).ToFrozenSet(),
            from,
            to,
            o.Choice("holidays", true, ("skip", true), ("ignore", false)),
            o.Choice("roll", Roll.Forward, ("forward", Roll.Forward), ("back", Roll.Back), ("nearest", Roll.Nearest), ("keep", Roll.Keep)));
        o.Done();
        if (window.Days.Count == 0)
        {
            errors.Add(new Finding("/window/days", "This window never opens: it has no days. Name at least one."));
        }

        if (to <= from)
        {
            errors.Add(new Finding("/window/to", $"This window never opens: it ends at {to:HH:mm} and begins at {from:HH:mm}. The end must be later."));
        }

        return window;
    }

    private static Again ReadAgain(JsonObjectReader root, List<Finding> errors)
    {
        var kinds = new (string, AgainKind)[] { ("never", AgainKind.Never), ("after-finished", AgainKind.AfterFinished), ("each-time", AgainKind.EachTime) };
        if (!root.Has("again") || root.Raw("again").ValueKind == JsonValueKind.String)
        {
            return new Again(root.Choice("again", AgainKind.Never, kinds), null);
        }

        if (root.Object("again") is not { } o)
        {
            return Again.Never;
        }

        var again = new Again(o.Choice("kind", AgainKind.Never, kinds), o.Duration("gap"));
        if (again.Gap is not null && again.Kind != AgainKind.AfterFinished)
        {
            errors.Add(new Finding("/again/gap", "A gap belongs to after-finished only."));
        }

        o.Done();
        return again;
    }

    private static Trigger? ReadTrigger(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        Trigger? trigger = kind switch
        {
            "by-hand" => new ByHand(),
            "tag-added" => new TagAdded(o.Needed("tag")),
            "stage-entered" => new StageEntered(o.Needed("stage")),
            "occasion" => new OccasionTrigger(o.Needed("date"), o.Duration("offset") ?? Offset.Zero, o.Numbers("years"), o.Number("grace", 2, 0, 60)),
            null => null,
            _ => o.Bad<Trigger?>("kind", $"“{kind}” is not a trigger this version knows; by-hand, tag-added, stage-entered and occasion are."),
        };
        o.Done(trigger is null);
        if (trigger is OccasionTrigger { Offset.HasTimePart: true })
        {
            o.Bad<object?>("offset", "An occasion starts on a date: the offset takes days, weeks, months or years only.");
        }

        return trigger;
    }

    private static Stop? ReadStop(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        Stop? stop = kind switch
        {
            "replied" => new StopOnReply(o.Has("channel") ? o.Choice("channel", Channel.Email, ("email", Channel.Email), ("text", Channel.Text), ("call", Channel.Call), ("post", Channel.Post)) : null),
            "stage-entered" => new StopOnStage(o.Needed("stage")),
            "tag-added" => new StopOnTag(o.Needed("tag")),
            null => null,
            _ => o.Bad<Stop?>("kind", $"“{kind}” is not a stop this version knows; replied, stage-entered and tag-added are."),
        };
        o.Done(stop is null);
        return stop;
    }

    private static Step? ReadStep(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        var id = o.Needed("id");
        var when = o.Object("when") is { } w ? ReadWhen(w) : null;
        var onlyIf = o.Has("onlyIf") ? RuleReader.Read(o.Raw("onlyIf"), o.Pointer + "/onlyIf", o.Errors) : null;
        var late = o.Duration("lateLimit");
        Purpose? purpose = o.Has("purpose") ? o.Choice("purpose", Purpose.Commercial, ("commercial", Purpose.Commercial), ("transactional", Purpose.Transactional)) : null;
        var topic = o.Text("topic");
        var sender = o.Text("sender");
        if (sender is not null and not "owner")
        {
            o.Bad<object?>("sender", "The sender is “owner” in this version.");
        }

        Step? step = kind switch
        {
            "email" => new EmailStep { Id = id, Subject = o.Text("subject") ?? "", Body = o.Text("body") ?? "" },
            "call" => new CallStep { Id = id, Script = o.Text("script") ?? "", Slack = o.Duration("slack") ?? Offset.Parse("P2D"), Holds = o.Flag("holds") },
            "hand-over" => new HandOverStep { Id = id, Program = o.Needed("program") },
            null => null,
            _ => o.Bad<Step?>("kind", $"“{kind}” is not a step this version knows; email, call and hand-over are."),
        };
        o.Done(step is null);
        return step is null ? null : step with { When = when ?? new FromPrevious(Offset.Zero, null), OnlyIf = onlyIf, LateLimit = late, Purpose = purpose, Topic = topic };
    }

    private static When? ReadWhen(JsonObjectReader o)
    {
        var from = o.Text("from", required: true);
        var at = o.Time("at");
        Offset Distance()
        {
            var offset = o.Duration("offset") ?? Offset.Zero;
            if (offset.HasTimePart && at is not null)
            {
                o.Bad<object?>("at", $"The offset {offset} keeps the exact moment; leave out “at”, or give the offset in days.");
            }

            return offset;
        }

        When? when = from switch
        {
            "start" => new FromStart(Distance(), at),
            "previous" => new FromPrevious(Distance(), at),
            "occasion" => new FromOccasion(Distance(), at),
            "on" => o.Date("date") is { } d ? new OnDate(d, at) : null,
            "yearly" => YearlyDate.TryParse(o.Needed("date")) is { } y ? new OnYearly(y, at) : o.Bad<When?>("date", "This is not a day of the year; --12-24 would be."),
            "key-date" => new FromKeyDate(o.Needed("date"), Distance(), at),
            null => null,
            _ => o.Bad<When?>("from", $"“{from}” is no place in time; start, previous, occasion, on, yearly and key-date are."),
        };
        o.Done(when is null);
        return when;
    }

    private static string Text(LocalTime time) => time.ToString("HH:mm", null);

    /// <summary>Writes a program as a program file that <see cref="Read(string)"/> reads back to an equal program.</summary>
    public static JsonObject Write(ProgramDefinition p)
    {
        var o = new JsonObject { ["format"] = ProgramDefinition.Format, ["name"] = p.Name };
        Put(o, "description", p.Description);
        Put(o, "group", p.Group);
        o["purpose"] = p.Purpose == Purpose.Commercial ? "commercial" : "transactional";
        Put(o, "topic", p.Topic);
        o["priority"] = p.Priority;
        o["clock"] = p.OnPracticeClock ? "practice" : "person";
        Put(o, "at", p.At is { } at ? Text(at) : null);
        if (p.Window is { } w)
        {
            o["window"] = new JsonObject
            {
                ["days"] = new JsonArray([.. w.Days.Order().Select(d => (JsonNode)DayNames[(int)d - 1])]),
                ["from"] = Text(w.From),
                ["to"] = Text(w.To),
                ["holidays"] = w.SkipHolidays ? "skip" : "ignore",
                ["roll"] = w.Roll.ToString().ToLowerInvariant(),
            };
        }

        o["startsWhen"] = new JsonArray([.. p.StartsWhen.Select(t => (JsonNode)WriteTrigger(t))]);
        if (p.OnlyIf is { } rule)
        {
            o["onlyIf"] = RuleReader.Write(rule);
        }

        o["again"] = p.Again.Kind switch
        {
            AgainKind.EachTime => "each-time",
            AgainKind.AfterFinished when p.Again.Gap is { } gap => new JsonObject { ["kind"] = "after-finished", ["gap"] = gap.Text },
            AgainKind.AfterFinished => "after-finished",
            _ => "never",
        };
        o["stopsWhen"] = new JsonArray([.. p.StopsWhen.Select(s => (JsonNode)WriteStop(s))]);
        o["keepTasks"] = p.KeepTasks;
        o["steps"] = new JsonArray([.. p.Steps.Select(s => (JsonNode)WriteStep(s))]);
        return o;
    }

    private static JsonObject WriteTrigger(Trigger trigger) => trigger switch
    {
        TagAdded t => new JsonObject { ["kind"] = "tag-added", ["tag"] = t.Tag },
        StageEntered s => new JsonObject { ["kind"] = "stage-entered", ["stage"] = s.Stage },
        OccasionTrigger oc => WriteOccasion(oc),
        _ => new JsonObject { ["kind"] = "by-hand" },
    };

    private static JsonObject WriteOccasion(OccasionTrigger trigger)
    {
        var o = new JsonObject { ["kind"] = "occasion", ["date"] = trigger.Date, ["offset"] = trigger.Offset.Text, ["grace"] = trigger.GraceDays };
        if (trigger.Years.Count > 0)
        {
            o["years"] = new JsonArray([.. trigger.Years.Select(y => (JsonNode)y)]);
        }

        return o;
    }

    private static JsonObject WriteStop(Stop stop) => stop switch
    {
        StopOnStage s => new JsonObject { ["kind"] = "stage-entered", ["stage"] = s.Stage },
        StopOnTag t => new JsonObject { ["kind"] = "tag-added", ["tag"] = t.Tag },
        StopOnReply { Channel: { } c } => new JsonObject { ["kind"] = "replied", ["channel"] = c.ToString().ToLowerInvariant() },
        _ => new JsonObject { ["kind"] = "replied" },
    };

    private static JsonObject WriteStep(Step step)
    {
        var o = new JsonObject { ["id"] = step.Id, ["kind"] = step.Kind, ["when"] = WriteWhen(step.When) };
        switch (step)
        {
            case EmailStep e:
                o["subject"] = e.Subject;
                o["body"] = e.Body;
                break;
            case CallStep c:
                o["script"] = c.Script;
                o["slack"] = c.Slack.Text;
                o["holds"] = c.Holds;
                break;
            case HandOverStep h:
                o["program"] = h.Program;
                break;
        }

        if (step.OnlyIf is { } rule)
        {
            o["onlyIf"] = RuleReader.Write(rule);
        }

        Put(o, "lateLimit", step.LateLimit?.Text);
        Put(o, "purpose", step.Purpose?.ToString().ToLowerInvariant());
        Put(o, "topic", step.Topic);
        return o;
    }

    private static JsonObject WriteWhen(When when)
    {
        var o = when switch
        {
            FromStart f => new JsonObject { ["from"] = "start", ["offset"] = f.Offset.Text },
            FromPrevious f => new JsonObject { ["from"] = "previous", ["offset"] = f.Offset.Text },
            FromOccasion f => new JsonObject { ["from"] = "occasion", ["offset"] = f.Offset.Text },
            OnDate d => new JsonObject { ["from"] = "on", ["date"] = LocalDatePattern.Iso.Format(d.Date) },
            OnYearly y => new JsonObject { ["from"] = "yearly", ["date"] = y.Date.ToString() },
            FromKeyDate k => new JsonObject { ["from"] = "key-date", ["date"] = k.Date, ["offset"] = k.Offset.Text },
            _ => throw new ArgumentOutOfRangeException(nameof(when)),
        };
        Put(o, "at", when.At is { } at ? Text(at) : null);
        return o;
    }

    private static void Put(JsonObject o, string key, string? value)
    {
        if (value is not null)
        {
            o[key] = value;
        }
    }
}
