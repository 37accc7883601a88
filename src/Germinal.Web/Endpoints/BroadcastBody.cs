using System.Text.Json;
using Germinal.Core.Broadcasts;
using Germinal.Service;

namespace Germinal.Web.Endpoints;

/// <summary>A broadcast as a page sends it; the same as <see cref="BroadcastPlan"/>, with how long everything may be.</summary>
public sealed record PlanBody
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    private const int MostPeople = 2000;

    /// <summary>The longest words of one way.</summary>
    private const int LongestWords = 200_000;

    public ToBody To { get; init; } = new();

    [AtMost(0, Items = MostPeople)]
    public List<Guid> Without { get; init; } = [];

    [AtMost(0, Items = MostPeople)]
    public List<Guid> With { get; init; } = [];

    [AtMost(0, Items = 3)]
    public List<WayBody> Ways { get; init; } = [];

    public GoesBody When { get; init; } = new();

    [AtMost(Lengths.Name)]
    public string? Sender { get; init; }

    [AtMost(Lengths.Name)]
    public string? ReplyTo { get; init; }

    public bool Transactional { get; init; }

    [AtMost(Lengths.Name)]
    public string? Topic { get; init; }

    [AtMost(Lengths.Name)]
    public string? Policy { get; init; }

    [AtMost(Lengths.Name)]
    public string? Code { get; init; }

    [AtMost(40)]
    public string? LateLimit { get; init; }

    [AtMost(Lengths.Title)]
    public string? PaceLifted { get; init; }

    [AtMost(Lengths.Name, Items = 20)]
    public Dictionary<string, string> Parameters { get; init; } = [];

    public TestBody? Test { get; init; }

    public GoalBody? Goal { get; init; }

    public Guid? PartOf { get; init; }

    [AtMost(0, Items = MostPeople)]
    public List<LetGoBody> LetGo { get; init; } = [];

    public RepeatBody? Repeat { get; init; }

    /// <summary>The plan it is: the same by the same names.</summary>
    public BroadcastPlan ToPlan() => JsonSerializer.Deserialize<BroadcastPlan>(JsonSerializer.Serialize(this, Json), Json)!;

    /// <summary>Who it is for.</summary>
    public sealed record ToBody([AtMost(20)] string Kind = "segment", [AtMost(Lengths.Name)] string Name = "", Guid? Broadcast = null, [AtMost(20)] string Did = "got")
    {
        [AtMost(0, Items = MostPeople)]
        public List<Guid> People { get; init => field = value ?? []; } = [];
    }

    /// <summary>One way.</summary>
    public sealed record WayBody(
        [AtMost(20)] string Kind = "",
        [AtMost(Lengths.Title)] string Subject = "",
        [AtMost(LongestWords)] string Body = "",
        [AtMost(Lengths.Name)] string Letter = ""
    )
    {
        [AtMost(Lengths.Name, Items = 20)]
        public List<string> Attachments { get; init => field = value ?? []; } = [];
    }

    /// <summary>When it goes.</summary>
    public sealed record GoesBody([AtMost(20)] string Kind = "now", [AtMost(10)] string Date = "", [AtMost(5)] string Time = "");

    /// <summary>Versions that are compared.</summary>
    public sealed record TestBody(int Share = 30, [AtMost(20)] string Span = "PT4H", [AtMost(20)] string By = "opened")
    {
        [AtMost(0, Items = 3)]
        public List<VersionBody> Others { get; init => field = value ?? []; } = [];
    }

    /// <summary>Another version.</summary>
    public sealed record VersionBody([AtMost(Lengths.Title)] string Subject = "", [AtMost(LongestWords)] string Body = "", [AtMost(Lengths.Name)] string Letter = "");

    /// <summary>What is to come of it.</summary>
    public sealed record GoalBody([AtMost(20)] string Kind = "won", [AtMost(Lengths.Name)] string What = "", [AtMost(20)] string Within = BroadcastGoal.Span);

    /// <summary>Somebody whose missing consent is overruled.</summary>
    public sealed record LetGoBody(Guid Person, [AtMost(Lengths.Title)] string Reason = "");

    /// <summary>How it repeats.</summary>
    public sealed record RepeatBody([AtMost(200)] string Rule = "", bool ByItself = false);
}
