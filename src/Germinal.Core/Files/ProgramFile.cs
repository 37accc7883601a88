using System.Collections.Frozen;
using System.Text.Json;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>Something wrong with a file: where (a JSON pointer, RFC 6901), what, and what would be right.</summary>
public sealed record Finding(string Pointer, string Message, bool IsWarning = false);

/// <summary>A program read from JSON, or everything that is wrong with it.</summary>
public sealed record ProgramReading(ProgramDefinition? Program, IReadOnlyList<Finding> Errors);

/// <summary>
/// Reads and writes the program file, format <c>germinal.program/1</c>. A file with any error is refused whole, with every
/// error listed. Unknown keys are errors.
/// </summary>
public static partial class ProgramFile
{
    /// <summary>Reads a program file.</summary>
    /// <param name="json">The file's text.</param>
    public static ProgramReading Read(string json)
    {
        var errors = new List<Finding>();
        using var document = JsonObjectReader.Parse(json, errors);
        return document is null ? new ProgramReading(null, errors) : Read(document.RootElement);
    }

    /// <summary>Reads a program from parsed JSON.</summary>
    public static ProgramReading Read(JsonElement json)
    {
        var errors = new List<Finding>();
        if (JsonObjectReader.For(json, "", errors) is not { } root)
        {
            return new ProgramReading(null, errors);
        }

        root.Format(ProgramDefinition.Format);
        var program = new ProgramDefinition
        {
            Name = (root.Text("name", required: true) ?? "").Trim(),
            Description = root.Text("description"),
            Group = root.Text("group"),
            Purpose = root.Choice("purpose", Purpose.Commercial, ContactWords.Purposes),
            Topic = root.Text("topic"),
            Policy = root.Text("policy"),
            Voice = root.Has("voice") ? root.Choice("voice", Voice.I, FileWords.Voices) : null,
            Priority = root.Number("priority", 50, 1, 999),
            OnPracticeClock = root.Choice("clock", false, ("person", false), ("practice", true)),
            At = root.Time("at"),
            Window = root.Object("window") is { } w ? ReadWindow(w) : null,
            StartsWhen = root.List("startsWhen", ReadTrigger),
            OnlyIf = root.Has("onlyIf") ? RuleReader.Read(root.Raw("onlyIf"), "/onlyIf", errors) : null,
            Again = ReadAgain(root),
            StartLimit = root.Has("startLimit") ? root.Number("startLimit", 1, 1, 1_000_000) : null,
            HoldOut = root.Number("holdOut", 0, 0, 100),
            StopsWhen = root.List("stopsWhen", ReadStop),
            KeepTasks = root.Flag("keepTasks"),
            WaitsToBeRead = root.Choice("unread", false, ("goes", false), ("waits", true)),
            PaceLifted = root.Text("paceLifted"),
            LinkParameters = ReadLinkParameters(root),
            Steps = root.List("steps", ReadStep),
            Questions = root.List("questions", ReadQuestionAsked),
            Segments = ReadSegments(root),
        };
        root.Done();
        CheckQuestionsAsked(program, json, errors);
        if (root.Has("name") && program.Name.Length == 0)
        {
            errors.Add(new Finding("/name", Said("A program needs a name.")));
        }

        CheckIds(program, errors);
        return new ProgramReading(errors.Count == 0 ? program : null, errors);
    }

    private static void CheckIds(ProgramDefinition program, List<Finding> errors)
    {
        var seen = new HashSet<string>(StringComparer.Ordinal);
        foreach (var place in new StepFlow(program).Steps)
        {
            if (!seen.Add(place.Step.Id) && place.Step.Id.Length > 0)
            {
                errors.Add(new Finding($"{place.Pointer}/id", Say($"Two steps have the id “{place.Step.Id}”; each needs its own.")));
            }
        }
    }

    private static FrozenDictionary<string, string> ReadLinkParameters(JsonObjectReader root)
    {
        if (!root.Has("linkParameters") || root.Object("linkParameters") is not { } o)
        {
            return FrozenDictionary<string, string>.Empty;
        }

        var parameters = root.Raw("linkParameters").EnumerateObject().Select(p => p.Name).ToList();
        var read = parameters.ToFrozenDictionary(p => p, p => o.Text(p) ?? "", StringComparer.Ordinal);
        o.Done();
        return read;
    }

    private static Window ReadWindow(JsonObjectReader o)
    {
        var days = o.Days("days");
        var from = o.Time("from") ?? new LocalTime(9, 0);
        var to = o.Time("to") ?? new LocalTime(17, 0);
        var window = new Window(
            o.Has("days") ? days : FileWords.Days.Select(d => d.Value).ToFrozenSet(),
            from,
            to,
            o.Choice("holidays", true, ("skip", true), ("ignore", false)),
            o.Choice("roll", Roll.Forward, FileWords.Rolls)
        );
        o.Done();
        if (window.Days.Count == 0)
        {
            o.Bad<object>("days", Said("This window never opens: it has no days. Name at least one."));
        }

        if (to <= from)
        {
            o.Bad<object>("to", Say($"This window never opens: it ends at {TimesOfDay.Text(to)} and begins at {TimesOfDay.Text(from)}. The end must be later."));
        }

        return window;
    }

    private static Again ReadAgain(JsonObjectReader root)
    {
        if (!root.Has("again") || root.Raw("again").ValueKind == JsonValueKind.String)
        {
            return new Again(root.Choice("again", AgainKind.Never, FileWords.Agains), null);
        }

        if (root.Object("again") is not { } o)
        {
            return Again.Never;
        }

        var again = new Again(o.Choice("kind", AgainKind.Never, FileWords.Agains), o.Duration("gap"));
        if (again.Gap is not null && again.Kind != AgainKind.AfterFinished)
        {
            o.Bad<object>("gap", Said("A gap belongs to after-finished only."));
        }

        o.Done();
        return again;
    }

    /// <summary>A segment's name, or the rule itself.</summary>
    private static SegmentJoined? ReadSegment(JsonObjectReader o)
    {
        if (o.Has("segment") && o.Raw("segment").ValueKind == JsonValueKind.Object)
        {
            return RuleReader.Read(o.Raw("segment"), o.Pointer + "/segment", o.Errors) is { } rule ? new SegmentJoined(null, rule) : null;
        }

        return new SegmentJoined(o.Needed("segment"), null);
    }

    private static Trigger? ReadTrigger(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        Trigger? trigger = kind switch
        {
            "by-hand" => new ByHand(),
            "tag-added" => new TagAdded(o.Needed("tag")),
            "list-joined" => new ListJoined(o.Needed("list")),
            "stage-entered" => new StageEntered(o.Needed("stage")),
            "stage-age" => new StageAge(o.Needed("stage"), Forward(o, "after")),
            "inquiry-received" => new InquiryReceived(o.Text("form")),
            "inquiry-unanswered" => ReadUnanswered(o),
            "opportunity-won" => new OpportunityWon(),
            "opportunity-lost" => new OpportunityLost(o.Text("reason")),
            "occasion" => new OccasionTrigger(o.Needed("date"), o.Duration("offset") ?? Distance.Zero, o.Numbers("years"), o.Number("grace", 2, 0, 60)),
            "appointment" => new AppointmentTrigger(o.Text("type"), o.Duration("offset") ?? Distance.Zero),
            "link-followed" => new LinkFollowed(o.Needed("link")),
            "text-keyword" => new TextKeyword(o.Needed("word")),
            "program-finished" => new ProgramFinished(o.Needed("program")),
            "person-added" => new PersonAdded(o.Text("source")),
            "segment-joined" => ReadSegment(o),
            null => null,
            _ => o.Unknown<Trigger>(
                "kind",
                kind,
                "by-hand, tag-added, list-joined, stage-entered, stage-age, inquiry-received, inquiry-unanswered, opportunity-won, opportunity-lost, occasion, appointment, link-followed, text-keyword, program-finished, person-added, segment-joined"
            ),
        };
        o.Done(trigger is null);
        if (trigger is OccasionTrigger { Offset.HasTimePart: true })
        {
            o.Bad<object?>("offset", Said("An occasion starts on a date: the offset takes days, weeks, months or years only."));
        }

        return trigger;
    }

    private static InquiryUnanswered ReadUnanswered(JsonObjectReader o)
    {
        var trigger = new InquiryUnanswered(Forward(o, "after"), o.Flag("workingDays", otherwise: true));
        if (trigger.WorkingDays && !trigger.After.HasTimePart && (trigger.After.Dates.Years != 0 || trigger.After.Dates.Months != 0))
        {
            o.Bad<object>("after", Say($"{trigger.After} cannot be counted in working days; P3D would be, or say “workingDays”: false."));
        }

        if (trigger.After.HasTimePart && trigger.After.Dates != Period.Zero)
        {
            o.Bad<object>("after", Say($"{trigger.After} mixes days and hours; P3D or PT4H would be right."));
        }

        return trigger;
    }

    /// <summary>A duration that lies ahead: neither none nor backwards.</summary>
    private static Distance Forward(JsonObjectReader o, string key)
    {
        var findings = o.Errors.Count;
        var offset = o.NeededDuration(key);
        if (o.Errors.Count == findings && (offset.IsZero || offset.Text.StartsWith('-')))
        {
            o.Bad<object>(key, Say($"“{offset}” should be longer than nothing; P3D would be."));
        }

        return offset;
    }

    private static Stop? ReadStop(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        Stop? stop = kind switch
        {
            "replied" => new StopOnReply(o.Has("channel") ? o.Choice("channel", Channel.Email, ContactWords.Channels) : null),
            "inquired" => new StopOnInquiry(),
            "stage-entered" => new StopOnStage(o.Needed("stage")),
            "stage-left" => new StopOnStageLeft(o.Needed("stage")),
            "opportunity-won" => new StopOnWon(),
            "opportunity-lost" => new StopOnLost(),
            "tag-added" => new StopOnTag(o.Needed("tag")),
            "list-left" => new StopOnListLeft(o.Needed("list")),
            "link-followed" => new StopOnLink(o.Text("link")),
            "call-ended" => new StopOnCall(o.Needed("outcome")),
            "form-sent" => new StopOnForm(o.Needed("form")),
            "appointment-booked" => new StopOnAppointment(o.Text("type")),
            "on" => o.Date("date") is { } d ? new StopOnDate(d) : null,
            null => null,
            _ => o.Unknown<Stop>(
                "kind",
                kind,
                "replied, inquired, stage-entered, stage-left, opportunity-won, opportunity-lost, tag-added, list-left, link-followed, call-ended, form-sent, appointment-booked, on"
            ),
        };
        o.Done(stop is null);
        return stop;
    }
}
