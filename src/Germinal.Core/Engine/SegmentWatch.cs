using System.Collections.Immutable;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;

namespace Germinal.Core.Engine;

/// <summary>A trigger that waits for people to begin to match (rule 5.1), and the key by which a person's state remembers that they do.</summary>
/// <param name="Program">The program that starts by it.</param>
/// <param name="Trigger">The trigger.</param>
public sealed record WatchedSegment(ProgramVersion Program, SegmentJoined Trigger)
{
    /// <summary>The key.</summary>
    public string Key { get; } = KeyOf(Program.ProgramId, Trigger);

    /// <summary>What a start by it is told as.</summary>
    public string Name => Trigger.Segment ?? "";

    /// <summary>The key of a program's trigger; the same in every version that has it.</summary>
    public static string KeyOf(Guid programId, SegmentJoined trigger) => StableId.Of(programId, $"segment/{trigger.Key}").ToString("N");
}

/// <summary>
/// Rule 5.1, segment joined: everybody a program on or paused waits for. While a program is paused it is followed who matches, and nobody is
/// started: whoever began meanwhile has not begun when it goes on.
/// </summary>
public sealed class SegmentWatch
{
    internal SegmentWatch(Practice practice, ProgramShelf shelf)
    {
        Watched =
        [
            .. shelf
                .On.Select(on => on.Current)
                .Concat(shelf.Paused)
                .SelectMany(program => program.Definition.StartsWhen.OfType<SegmentJoined>().Select(trigger => new WatchedSegment(program, trigger))),
        ];
        Daily = Watched.Any(w => Segments.ChangesByItself(w.Trigger.Asked, practice.Segments));
    }

    /// <summary>What is watched, programs in the order they start.</summary>
    public ImmutableArray<WatchedSegment> Watched { get; }

    /// <summary>True where any of it can change without an event: then everybody is looked at at the beginning of each date.</summary>
    public bool Daily { get; }
}
