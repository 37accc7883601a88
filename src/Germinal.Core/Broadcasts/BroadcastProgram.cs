using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime.Text;

namespace Germinal.Core.Broadcasts;

/// <summary>
/// A broadcast as the engine runs it: a program of one sending (rule 15.1). With versions it is a split (rule 7.2): some in a hundred get each
/// version first, the rest get theirs after a span (rule 15.3).
/// </summary>
public static class BroadcastProgram
{
    /// <summary>How long after its moment a broadcast still makes sense where it says nothing else (rule 15.1).</summary>
    public const string LateLimit = "P3D";

    /// <summary>The step that parts those who get a version first from the rest.</summary>
    public const string Split = "versions";

    /// <summary>Ends the ids of the steps that the rest get.</summary>
    public const string Rest = "rest";

    /// <summary>The program of a broadcast.</summary>
    /// <param name="name">What the program is called.</param>
    /// <param name="plan">The broadcast; nothing may be wrong with it.</param>
    public static ProgramDefinition Of(string name, BroadcastPlan plan) =>
        new()
        {
            Name = name,
            Purpose = plan.Transactional ? Purpose.Transactional : Purpose.Commercial,
            Topic = plan.Topic,
            Policy = plan.Policy,
            PaceLifted = plan.PaceLifted,
            LinkParameters = plan.Parameters,
            StartsWhen = [new ByHand()],
            Steps = StepsOf(plan),
        };

    /// <summary>The words of each version, the first first.</summary>
    public static IReadOnlyList<BroadcastVersion> VersionsOf(BroadcastPlan plan)
    {
        var email = plan.WayOf(BroadcastWay.Kinds[0]);
        return email is null || plan.Test is not { } test
            ? []
            : [new BroadcastVersion(email.Subject, email.Body, email.Letter), .. test.Others.Select(o => o.Body.Length > 0 ? o : o with { Body = email.Body, Letter = email.Letter })];
    }

    /// <summary>The id of the email step of a version, from 0.</summary>
    public static string StepOf(int version) => "email" + SuffixOf(version);

    /// <summary>What a version is called, from 0: A, B, C, D.</summary>
    public static string LetterOf(int version) => ((char)('A' + version)).ToString();

    /// <summary>Whether a step is one of those that get a version first; with which, from 0.</summary>
    public static int? VersionOf(string step) =>
        step.LastIndexOf('-') is > 0 and var dash && step.Length == dash + 2 && step[^1] is >= 'a' and <= 'd' ? step[^1] - 'a' : null;

    /// <summary>The program once it is known which version the rest get.</summary>
    /// <param name="program">The program.</param>
    /// <param name="plan">Its broadcast.</param>
    /// <param name="version">The version, from 0.</param>
    public static ProgramDefinition Decided(ProgramDefinition program, BroadcastPlan plan, int version)
    {
        var words = VersionsOf(plan)[version];
        return program.WithSteps(s =>
            s is EmailStep email && email.Id.EndsWith("-" + Rest, StringComparison.Ordinal)
                ? email with { Subject = words.Subject, Body = words.Body, Passages = PassageRules.In(words.Body, "", []) }
                : s
        );
    }

    private static IReadOnlyList<Step> StepsOf(BroadcastPlan plan)
    {
        var versions = VersionsOf(plan);
        if (plan.Test is not { } test || versions.Count == 0)
        {
            return [Chain(plan, "", null, WhenOf(plan.When))];
        }

        // In thousandths, so that every version gets exactly the same share.
        var share = Math.Max(1, test.Share * 10 / versions.Count);
        return
        [
            new SplitStep
            {
                Id = Split,
                When = WhenOf(plan.When),
                Passages =
                [
                    .. versions.Select((v, n) => new Passage(share, [Chain(plan, SuffixOf(n), v, FromPrevious.AtOnce)])),
                    .. test.Share < 100
                        ? new[] { new Passage(1000 - (share * versions.Count), [Chain(plan, "-" + Rest, versions[0], new FromPrevious(Distance.Parse(test.Span), null))]) }
                        : [],
                ],
            },
        ];
    }

    private static string SuffixOf(int version) => "-" + LetterOf(version).ToLowerInvariant();

    /// <summary>The ways one after the other, each in the place of the one before (rule 15.2).</summary>
    private static Step Chain(BroadcastPlan plan, string suffix, BroadcastVersion? version, When when)
    {
        Step? step = null;
        foreach (var way in plan.Ways.Reverse())
        {
            step = StepOf(way, plan.ReplyTo, suffix, version) with
            {
                When = when,
                LateLimit = Distance.Parse(plan.LateLimit ?? LateLimit),
                Sender = plan.Sender,
                Otherwise = step,
            };
        }

        return step ?? throw new InvalidOperationException("A broadcast without a way is not sent.");
    }

    private static Step StepOf(BroadcastWay way, string? replyTo, string suffix, BroadcastVersion? version)
    {
        var id = string.Create(CultureInfo.InvariantCulture, $"{way.Kind}{suffix}");
        switch (way.Kind)
        {
            case "email":
                var (subject, body) = version is null ? (way.Subject, way.Body) : (version.Subject, version.Body);
                return new EmailStep { Id = id, Subject = subject, Body = body, Passages = PassageRules.In(body, "", []), Attachments = way.Attachments, ReplyTo = replyTo };
            case "text":
                return new TextStep { Id = id, Body = way.Body };
            case "note":
                return new NoteStep { Id = id, Body = way.Body };
            default:
                throw new ArgumentOutOfRangeException(nameof(way), way.Kind, null);
        }
    }

    private static When WhenOf(BroadcastWhen when) =>
        when.Kind == BroadcastWhen.Own ? new OnDate(LocalDatePattern.Iso.Parse(when.Date).Value, TimesOfDay.Form.Parse(when.Time).Value) : FromPrevious.AtOnce;
}
