using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;

namespace Germinal.Cli.Output;

/// <summary>One touch of one person as it is printed: by settled, else due; then person, program, run, step order.</summary>
public sealed record TouchLine(PersonFacts Person, RehearsedTouch Touch)
{
    /// <summary>The word of the outcome.</summary>
    public string Outcome =>
        Touch.Outcome switch
        {
            null => "planned",
            Core.Engine.Outcome.HandedOver => "handed-over",
            { } outcome => outcome.ToString().ToLowerInvariant(),
        };

    /// <summary>The reason where the outcome has one.</summary>
    public string Reason => Touch.Outcome is null ? "" : Touch.Reason ?? "";

    /// <summary>The order of printing.</summary>
    public static Comparison<TouchLine> Order { get; } =
        static (a, b) =>
        {
            var by = a.Touch.At.CompareTo(b.Touch.At);
            by = by != 0 ? by : string.CompareOrdinal(a.Person.Handle, b.Person.Handle);
            by = by != 0 ? by : string.CompareOrdinal(a.Touch.Program.Definition.Name, b.Touch.Program.Definition.Name);
            by = by != 0 ? by : a.Touch.Run.CompareTo(b.Touch.Run);
            return by != 0 ? by : a.Touch.Place.Index.CompareTo(b.Touch.Place.Index);
        };

    /// <summary>The reasons in sentences: how it was planned, then what each check found.</summary>
    public IEnumerable<string> Sentences(Practice practice)
    {
        var zone = practice.ZoneOf(Person);
        if (Touch.Planned is { } planned)
        {
            yield return Why.Planned(planned.Plan, planned.FirstDue, zone).Text;
        }

        foreach (var check in Touch.Trail.ToChecks())
        {
            yield return Why.Of(check, Person.Name, zone).Text;
        }
    }
}
