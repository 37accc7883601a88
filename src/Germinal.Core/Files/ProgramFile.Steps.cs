using System.Text.Json;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Core.Time;

namespace Germinal.Core.Files;

/// <summary>Reading the steps of a program file.</summary>
public static partial class ProgramFile
{
    private static Step? ReadStep(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        var id = o.Needed("id");
        var when = o.Object("when") is { } w ? ReadWhen(w) : null;
        var onlyIf = o.Has("onlyIf") ? RuleReader.Read(o.Raw("onlyIf"), o.Pointer + "/onlyIf", o.Errors) : null;
        var late = o.Duration("lateLimit");
        Purpose? purpose = o.Has("purpose") ? o.Choice("purpose", Purpose.Commercial, ContactWords.Purposes) : null;
        var topic = o.Text("topic");
        var sender = o.Text("sender");
        if (late is { } limit && limit.Text.StartsWith('-'))
        {
            o.Bad<object?>("lateLimit", Say($"“{limit}” points back in time; P3D would be right."));
        }

        if (kind == "email" && o.Has("letter") && (o.Has("subject") || o.Has("body")))
        {
            o.Bad<object?>("letter", Said("An email has a letter of the practice or words of its own; leave out “letter”, or “subject” and “body”."));
        }

        Step? step = kind switch
        {
            "email" => new EmailStep
            {
                Id = id,
                Subject = o.Text("subject") ?? "",
                Body = o.Text("body") ?? "",
                Letter = o.Text("letter"),
                Passages = PassageRules.In(o.Text("body") ?? "", o.Pointer + "/body", o.Errors),
                Attachments = [.. o.Texts("attachments").Distinct(StringComparer.OrdinalIgnoreCase)],
                ReplyTo = o.Text("replyTo"),
            },
            "text" => new TextStep { Id = id, Body = o.Text("body") ?? "" },
            "call" => new CallStep
            {
                Id = id,
                Script = o.Text("script") ?? "",
                Slack = ReadSlack(o),
                Holds = o.Flag("holds"),
                MissedAfter = o.Has("missedAfter") ? Forward(o, "missedAfter") : null,
            },
            "note" => new NoteStep
            {
                Id = id,
                Body = o.Text("body") ?? "",
                Holds = o.Flag("holds"),
                MissedAfter = o.Has("missedAfter") ? Forward(o, "missedAfter") : null,
            },
            "task" => new DoStep
            {
                Id = id,
                Title = o.Text("title") ?? "",
                Holds = o.Flag("holds"),
                MissedAfter = o.Has("missedAfter") ? Forward(o, "missedAfter") : null,
            },
            "post" => new PostStep
            {
                Id = id,
                Body = o.Text("body") ?? "",
                Picture = ReadPicture(o),
                PictureWords = o.Text("pictureWords") ?? "",
                Place = o.Text("place") ?? "",
                ByItself = o.Flag("byItself"),
                Holds = o.Flag("holds"),
                MissedAfter = o.Has("missedAfter") ? Forward(o, "missedAfter") : null,
            },
            "tell-me" => new TellMeStep { Id = id, Body = o.Text("body") ?? "" },
            "change" => new ChangeStep { Id = id, Set = ReadChanges(o) },
            "fork" => ReadFork(o, id),
            "split" => ReadSplit(o, id),
            "hand-over" => new HandOverStep { Id = id, Program = o.Needed("program") },
            "end" => new EndStep { Id = id },
            null => null,
            _ => o.Unknown<Step>("kind", kind, "email, text, call, note, task, post, tell-me, change, fork, split, hand-over, end"),
        };
        var to = step is EmailStep or TextStep or NoteStep ? ReadTo(o) : null;
        var once = step?.Channel is not null && o.Flag("onePerHousehold");
        var otherwise = step is EmailStep or TextStep or NoteStep ? ReadOtherwise(o, when) : null;
        if (otherwise is not null && (to ?? otherwise.To) is not null)
        {
            o.Bad<object>("otherwise", Said("Only a message to the person goes by another way in its place; leave out “to”, or “otherwise”."));
        }

        o.Done(step is null);
        return step is null
            ? null
            : step with
            {
                When = when ?? FromPrevious.AtOnce,
                OnlyIf = onlyIf,
                LateLimit = late,
                Purpose = purpose,
                Topic = topic,
                Sender = sender is "owner" ? null : sender,
                To = to,
                OnePerHousehold = once,
                Otherwise = otherwise,
            };
    }

    /// <summary>What goes in a step's place, at the same time where it names none of its own.</summary>
    private static Step? ReadOtherwise(JsonObjectReader o, When? when)
    {
        if (!o.Has("otherwise") || o.Object("otherwise") is not { } inner)
        {
            return null;
        }

        var own = inner.Has("when");
        var other = ReadStep(inner);
        if (other is not (null or EmailStep or TextStep or NoteStep))
        {
            return o.Bad<Step>("otherwise", Say($"A message may go by another way in its place: an email, a text or a note; “{other.Kind}” is none."));
        }

        return own || other is null || when is null ? other : other with { When = when };
    }

    private static Guid? ReadPicture(JsonObjectReader o)
    {
        if (o.Text("picture") is not { Length: > 0 } text)
        {
            return null;
        }

        return Guid.TryParse(text, out var picture) ? picture : o.Bad<Guid?>("picture", Say($"“{text}” is no picture of the practice; choose it on the program’s page."));
    }

    private static SendTo? ReadTo(JsonObjectReader o)
    {
        if (!o.Has("to"))
        {
            return null;
        }

        if (o.Raw("to").ValueKind == JsonValueKind.Object && o.Object("to") is { } inner)
        {
            var role = inner.Needed("relation");
            inner.Done();
            return new ToRelated(role);
        }

        return o.Text("to") switch
        {
            null or "person" => null,
            "owner" => new ToOwner(),
            { } word => o.Unknown<SendTo>("to", word, Say($"person, owner or {{\"relation\": NAME}}")),
        };
    }

    private static Distance ReadSlack(JsonObjectReader o)
    {
        var slack = o.Duration("slack") ?? CallStep.DefaultSlack;
        if (slack.HasTimePart || slack.Dates.Years != 0 || slack.Dates.Months != 0 || slack.Text.StartsWith('-'))
        {
            o.Bad<object>("slack", Say($"A call moves by whole working days; P2D would be right, “{slack}” is not."));
        }

        return slack;
    }

    private static ForkStep ReadFork(JsonObjectReader o, string id)
    {
        Question? question = null;
        if (o.Object("if") is { } asked)
        {
            question =
                asked.Has("kind") ? ReadQuestion(asked)
                : RuleReader.Read(o.Raw("if"), o.Pointer + "/if", o.Errors) is { } rule ? new AskRule(rule)
                : null;
        }
        else if (!o.Has("if"))
        {
            o.Bad<object>("if", Say($"A fork needs a question; {{\"kind\":\"opened\",\"step\":…}} or a rule would be right."));
        }

        return new ForkStep
        {
            Id = id,
            If = question ?? new AskRule(new AllOf([])),
            Within = o.Has("within") ? Forward(o, "within") : null,
            Then = o.List("then", ReadStep),
            Else = o.List("else", ReadStep),
        };
    }

    private static Question? ReadQuestion(JsonObjectReader o)
    {
        var kind = o.Text("kind", required: true);
        Question? question = kind switch
        {
            "opened" => new AskOpened(o.Needed("step")),
            "link-followed" => new AskLinkFollowed(o.Needed("step"), o.Text("link")),
            "replied" => new AskReplied(o.Text("step")),
            "bounced" => new AskBounced(o.Needed("step")),
            "call-ended" => new AskCallEnded(o.Needed("step"), o.Needed("outcome")),
            "form-sent" => new AskFormSent(o.Needed("form")),
            null => null,
            _ => o.Unknown<Question>("kind", kind, "opened, link-followed, replied, bounced, call-ended, form-sent, or a rule"),
        };
        o.Done(question is null);
        return question;
    }

    private static SplitStep ReadSplit(JsonObjectReader o, string id)
    {
        var passages = o.List(
            "passages",
            p =>
            {
                var passage = new Passage(p.Number("share", 1, 1, 1000), p.List("steps", ReadStep));
                if (!p.Has("share"))
                {
                    p.Bad<object>("share", Said("“share” is missing; 50 would be right."));
                }

                p.Done();
                return passage;
            }
        );
        if (passages.Count < 2)
        {
            o.Bad<object>("passages", Say($"A split needs at least two passages, [{{ \"share\": 50, \"steps\": [] }}, …]."));
        }

        return new SplitStep { Id = id, Passages = passages };
    }

    private static IReadOnlyList<FactChange> ReadChanges(JsonObjectReader o)
    {
        if (!o.Has("set"))
        {
            o.Text("set", required: true);
            return [];
        }

        var changes =
            o.Raw("set").ValueKind == JsonValueKind.Array ? o.List("set", ReadChange)
            : o.Object("set") is { } one && ReadChange(one) is { } change ? [change]
            : [];
        if (changes.Count == 0 && o.Raw("set").ValueKind == JsonValueKind.Array && o.Raw("set").GetArrayLength() == 0)
        {
            o.Bad<object>("set", Say($"A change needs at least one thing to change; {{\"tag\":\"warm\"}} would be right."));
        }

        return changes;
    }

    private static FactChange? ReadChange(JsonObjectReader o)
    {
        FactChange? change = null;
        string[] keys = ["tag", "tagOff", "list", "listOff", "stage", "field"];
        var given = keys.Where(o.Has).ToList();
        if (given.Count != 1)
        {
            return o.Bad<FactChange>("", Said("One of tag, tagOff, list, listOff, stage, or field with value should stand here."));
        }

        switch (given[0])
        {
            case "tag":
                change = new PutTagOn(o.Needed("tag"));
                break;
            case "tagOff":
                change = new TakeTagOff(o.Needed("tagOff"));
                break;
            case "list":
                change = new JoinList(o.Needed("list"));
                break;
            case "listOff":
                change = new LeaveList(o.Needed("listOff"));
                break;
            case "stage":
                change = new MoveToStage(o.Needed("stage"));
                break;
            default:
                var field = o.Needed("field");
                var value = o.Text("value", required: true) ?? "";
                change =
                    field.StartsWith("custom:", StringComparison.Ordinal) && field.Length > 7
                        ? new SetCustom(field[7..], value)
                        : o.Bad<FactChange>("field", Say($"“{field}” cannot be set by a program; custom:NAME can."));
                break;
        }

        o.Done();
        return change;
    }

    private static When? ReadWhen(JsonObjectReader o)
    {
        var from = o.Text("from", required: true);
        var at = o.Time("at");
        Distance Away()
        {
            var offset = o.Duration("offset") ?? Distance.Zero;
            if (offset.HasTimePart && at is not null)
            {
                o.Bad<object?>("at", Say($"The offset {offset} keeps the exact moment; leave out “at”, or give the offset in days."));
            }

            return offset;
        }

        When? when = from switch
        {
            "start" => new FromStart(Away(), at),
            "previous" => new FromPrevious(Away(), at),
            "occasion" => new FromOccasion(Away(), at),
            "on" => o.Date("date") is { } d ? new OnDate(d, at) : null,
            "yearly" => YearlyDate.TryParse(o.Needed("date")) is { } y
                ? new OnYearly(y, at)
                : o.Bad<When?>("date", Said("This is not a day of the year; --12-24 would be.")),
            "key-date" => new FromKeyDate(o.Needed("date"), Away(), at),
            null => null,
            _ => o.Unknown<When>("from", from, "start, previous, occasion, on, yearly, key-date"),
        };
        o.Done(when is null);
        return when;
    }
}
