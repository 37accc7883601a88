using System.Text.Json.Nodes;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime.Text;

namespace Germinal.Core.Files;

/// <summary>Writing a program file.</summary>
public static partial class ProgramFile
{
    /// <summary>Writes a program as a program file that <see cref="Read(string)"/> reads back to an equal program.</summary>
    public static JsonObject Write(ProgramDefinition p)
    {
        var o = new JsonObject { ["format"] = ProgramDefinition.Format, ["name"] = p.Name };
        Put(o, "description", p.Description);
        Put(o, "group", p.Group);
        o["purpose"] = ContactWords.WordOf(ContactWords.Purposes, p.Purpose);
        Put(o, "topic", p.Topic);
        Put(o, "policy", p.Policy);
        Put(o, "voice", p.Voice is { } voice ? ContactWords.WordOf(FileWords.Voices, voice) : null);
        o["priority"] = p.Priority;
        o["clock"] = p.OnPracticeClock ? "practice" : "person";
        Put(o, "at", p.At is { } at ? TimesOfDay.Text(at) : null);
        if (p.Window is { } w)
        {
            o["window"] = new JsonObject
            {
                ["days"] = new JsonArray([.. w.Days.Order().Select(d => (JsonNode)ContactWords.WordOf(FileWords.Days, d))]),
                ["from"] = TimesOfDay.Text(w.From),
                ["to"] = TimesOfDay.Text(w.To),
                ["holidays"] = w.SkipHolidays ? "skip" : "ignore",
                ["roll"] = ContactWords.WordOf(FileWords.Rolls, w.Roll),
            };
        }

        o["startsWhen"] = new JsonArray([.. p.StartsWhen.Select(t => (JsonNode)WriteTrigger(t))]);
        if (p.OnlyIf is { } rule)
        {
            o["onlyIf"] = RuleReader.Write(rule);
        }

        o["again"] = p.Again is { Kind: AgainKind.AfterFinished, Gap: { } gap }
            ? new JsonObject { ["kind"] = "after-finished", ["gap"] = gap.Text }
            : ContactWords.WordOf(FileWords.Agains, p.Again.Kind);
        if (p.StartLimit is { } limit)
        {
            o["startLimit"] = limit;
        }

        if (p.HoldOut > 0)
        {
            o["holdOut"] = p.HoldOut;
        }

        o["stopsWhen"] = new JsonArray([.. p.StopsWhen.Select(s => (JsonNode)WriteStop(s))]);
        o["keepTasks"] = p.KeepTasks;
        if (p.WaitsToBeRead)
        {
            o["unread"] = "waits";
        }

        Put(o, "paceLifted", p.PaceLifted);
        if (p.LinkParameters.Count > 0)
        {
            o["linkParameters"] = new JsonObject(p.LinkParameters.OrderBy(l => l.Key, StringComparer.Ordinal).Select(l => KeyValuePair.Create(l.Key, (JsonNode?)l.Value)));
        }

        o["steps"] = WriteSteps(p.Steps);
        if (p.Questions.Count > 0)
        {
            o["questions"] = new JsonArray([.. p.Questions.Select(q => (JsonNode)WriteQuestionAsked(q))]);
        }

        if (p.Segments.Count > 0)
        {
            o["segments"] = new JsonObject(p.Segments.OrderBy(s => s.Key, StringComparer.Ordinal).Select(s => KeyValuePair.Create(s.Key, (JsonNode?)RuleReader.Write(s.Value))));
        }

        return o;
    }

    private static JsonObject Kind(string kind, params (string Key, string? Value)[] more)
    {
        var o = new JsonObject { ["kind"] = kind };
        foreach (var (key, value) in more)
        {
            Put(o, key, value);
        }

        return o;
    }

    private static JsonObject WriteTrigger(Trigger trigger) =>
        trigger switch
        {
            ByHand => Kind("by-hand"),
            TagAdded t => Kind("tag-added", ("tag", t.Tag)),
            ListJoined t => Kind("list-joined", ("list", t.List)),
            StageEntered t => Kind("stage-entered", ("stage", t.Stage)),
            StageAge t => Kind("stage-age", ("stage", t.Stage), ("after", t.After.Text)),
            InquiryReceived t => Kind("inquiry-received", ("form", t.Form)),
            InquiryUnanswered t => new JsonObject
            {
                ["kind"] = "inquiry-unanswered",
                ["after"] = t.After.Text,
                ["workingDays"] = t.WorkingDays,
            },
            OpportunityWon => Kind("opportunity-won"),
            OpportunityLost t => Kind("opportunity-lost", ("reason", t.Reason)),
            OccasionTrigger t => WriteOccasion(t),
            AppointmentTrigger t => Kind("appointment", ("type", t.Type), ("offset", t.Offset.Text)),
            LinkFollowed t => Kind("link-followed", ("link", t.Link)),
            TextKeyword t => Kind("text-keyword", ("word", t.Word)),
            ProgramFinished t => Kind("program-finished", ("program", t.Program)),
            PersonAdded t => Kind("person-added", ("source", t.Source)),
            SegmentJoined { Rule: { } rule } => new JsonObject { ["kind"] = "segment-joined", ["segment"] = RuleReader.Write(rule) },
            SegmentJoined t => Kind("segment-joined", ("segment", t.Segment)),
            _ => throw new ArgumentOutOfRangeException(nameof(trigger)),
        };

    private static JsonObject WriteOccasion(OccasionTrigger trigger)
    {
        var o = new JsonObject
        {
            ["kind"] = "occasion",
            ["date"] = trigger.Date,
            ["offset"] = trigger.Offset.Text,
            ["grace"] = trigger.GraceDays,
        };
        if (trigger.Years.Count > 0)
        {
            o["years"] = new JsonArray([.. trigger.Years.Select(y => (JsonNode)y)]);
        }

        return o;
    }

    private static JsonObject WriteStop(Stop stop) =>
        stop switch
        {
            StopOnReply s => Kind("replied", ("channel", s.Channel is { } c ? ContactWords.Of(c) : null)),
            StopOnInquiry => Kind("inquired"),
            StopOnStage s => Kind("stage-entered", ("stage", s.Stage)),
            StopOnStageLeft s => Kind("stage-left", ("stage", s.Stage)),
            StopOnWon => Kind("opportunity-won"),
            StopOnLost => Kind("opportunity-lost"),
            StopOnTag s => Kind("tag-added", ("tag", s.Tag)),
            StopOnListLeft s => Kind("list-left", ("list", s.List)),
            StopOnLink s => Kind("link-followed", ("link", s.Link)),
            StopOnCall s => Kind("call-ended", ("outcome", s.Outcome)),
            StopOnForm s => Kind("form-sent", ("form", s.Form)),
            StopOnAppointment s => Kind("appointment-booked", ("type", s.Type)),
            StopOnDate s => Kind("on", ("date", LocalDatePattern.Iso.Format(s.Date))),
            _ => throw new ArgumentOutOfRangeException(nameof(stop)),
        };

    private static JsonArray WriteSteps(IReadOnlyList<Step> steps) => new([.. steps.Select(s => (JsonNode)WriteStep(s))]);

    private static JsonObject WriteStep(Step step)
    {
        var o = new JsonObject
        {
            ["id"] = step.Id,
            ["kind"] = step.Kind,
            ["when"] = WriteWhen(step.When),
        };
        if (step is EmailStep { Letter: { } letter })
        {
            o["letter"] = letter;
        }
        else
        {
            foreach (var (key, text) in step.Templates)
            {
                o[key] = text;
            }
        }

        switch (step)
        {
            case EmailStep e:
                if (e.Attachments.Count > 0)
                {
                    o["attachments"] = new JsonArray([.. e.Attachments.Select(a => (JsonNode)a)]);
                }

                Put(o, "replyTo", e.ReplyTo);
                break;
            case CallStep c:
                o["slack"] = c.Slack.Text;
                break;
            case PostStep p:
                Put(o, "picture", p.Picture?.ToString());
                Put(o, "pictureWords", p.PictureWords.Length > 0 ? p.PictureWords : null);
                Put(o, "place", p.Place.Length > 0 ? p.Place : null);
                if (p.ByItself)
                {
                    o["byItself"] = true;
                }

                break;
            case ChangeStep c:
                o["set"] = new JsonArray([.. c.Set.Select(s => (JsonNode)WriteChange(s))]);
                break;
            case ForkStep f:
                o["if"] = WriteQuestion(f.If);
                Put(o, "within", f.Within?.Text);
                o["then"] = WriteSteps(f.Then);
                o["else"] = WriteSteps(f.Else);
                break;
            case SplitStep s:
                o["passages"] = new JsonArray([.. s.Passages.Select(p => (JsonNode)new JsonObject { ["share"] = p.Share, ["steps"] = WriteSteps(p.Steps) })]);
                break;
            case HandOverStep h:
                o["program"] = h.Program;
                break;
        }

        if (step is TaskStep task)
        {
            o["holds"] = task.Holds;
            Put(o, "missedAfter", task.MissedAfter?.Text);
        }

        if (step.OnlyIf is { } rule)
        {
            o["onlyIf"] = RuleReader.Write(rule);
        }

        Put(o, "lateLimit", step.LateLimit?.Text);
        Put(o, "purpose", step.Purpose is { } purpose ? ContactWords.WordOf(ContactWords.Purposes, purpose) : null);
        Put(o, "topic", step.Topic);
        Put(o, "sender", step.Sender);
        switch (step.To)
        {
            case ToOwner:
                o["to"] = "owner";
                break;
            case ToRelated related:
                o["to"] = new JsonObject { ["relation"] = related.Role };
                break;
        }

        if (step.OnePerHousehold)
        {
            o["onePerHousehold"] = true;
        }

        if (step.Otherwise is { } other)
        {
            o["otherwise"] = WriteStep(other);
        }

        return o;
    }

    private static JsonNode WriteQuestion(Question question) =>
        question switch
        {
            AskOpened q => Kind("opened", ("step", q.Step)),
            AskLinkFollowed q => Kind("link-followed", ("step", q.Step), ("link", q.Link)),
            AskReplied q => Kind("replied", ("step", q.Step)),
            AskBounced q => Kind("bounced", ("step", q.Step)),
            AskCallEnded q => Kind("call-ended", ("step", q.Step), ("outcome", q.Outcome)),
            AskFormSent q => Kind("form-sent", ("form", q.Form)),
            AskRule q => RuleReader.Write(q.Rule),
            _ => throw new ArgumentOutOfRangeException(nameof(question)),
        };

    private static JsonObject WriteChange(FactChange change) =>
        change switch
        {
            PutTagOn c => new JsonObject { ["tag"] = c.Tag },
            TakeTagOff c => new JsonObject { ["tagOff"] = c.Tag },
            JoinList c => new JsonObject { ["list"] = c.List },
            LeaveList c => new JsonObject { ["listOff"] = c.List },
            MoveToStage c => new JsonObject { ["stage"] = c.Stage },
            SetCustom c => new JsonObject { ["field"] = "custom:" + c.Name, ["value"] = c.Value },
            _ => throw new ArgumentOutOfRangeException(nameof(change)),
        };

    private static JsonObject WriteWhen(When when)
    {
        var o = when switch
        {
            FromStart f => new JsonObject { ["from"] = "start", ["offset"] = f.Offset.Text },
            FromPrevious f => new JsonObject { ["from"] = "previous", ["offset"] = f.Offset.Text },
            FromOccasion f => new JsonObject { ["from"] = "occasion", ["offset"] = f.Offset.Text },
            OnDate d => new JsonObject { ["from"] = "on", ["date"] = LocalDatePattern.Iso.Format(d.Date) },
            OnYearly y => new JsonObject { ["from"] = "yearly", ["date"] = y.Date.ToString() },
            FromKeyDate k => new JsonObject
            {
                ["from"] = "key-date",
                ["date"] = k.Date,
                ["offset"] = k.Offset.Text,
            },
            _ => throw new ArgumentOutOfRangeException(nameof(when)),
        };
        Put(o, "at", when.At is { } at ? TimesOfDay.Text(at) : null);
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
