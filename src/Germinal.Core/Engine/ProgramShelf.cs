using System.Collections.Frozen;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>A published version of a program.</summary>
public sealed record ProgramVersion(Guid ProgramId, int Version, ProgramDefinition Definition)
{
    /// <summary>The steps laid out flat.</summary>
    public StepFlow Flow { get; } = new(Definition);
}

/// <summary>A program that is on: the version new runs start with, and since when it is on.</summary>
public sealed record ProgramOn(ProgramVersion Current, Instant Since);

/// <summary>A program that is paused: its published version, and when it goes on by itself, or null.</summary>
public sealed record PausedProgram(ProgramVersion Current, Instant? Until);

/// <summary>All programs of a practice as the engine needs them.</summary>
public sealed class ProgramShelf
{
    private readonly FrozenDictionary<(Guid, int), ProgramVersion> versions;
    private readonly FrozenDictionary<Guid, Instant?> paused;

    /// <param name="versions">Every version that a run may still be on.</param>
    /// <param name="on">The programs that are on.</param>
    /// <param name="paused">Programs whose runs are frozen (rule 13.2); they are not in <paramref name="on"/>.</param>
    public ProgramShelf(IEnumerable<ProgramVersion> versions, IEnumerable<ProgramOn> on, IEnumerable<PausedProgram>? paused = null)
    {
        this.versions = versions.ToFrozenDictionary(v => (v.ProgramId, v.Version));
        var resting = (paused ?? []).ToList();
        this.paused = resting.ToFrozenDictionary(p => p.Current.ProgramId, p => p.Until);
        Paused = [.. resting.Select(p => p.Current).OrderBy(p => p.Definition.Name, StringComparer.OrdinalIgnoreCase)];
        On = InOrder(on);
        AnyWaitsToBeRead = this.versions.Values.Any(v => v.Definition.WaitsToBeRead);
        OnOnceResumed = InOrder(On.Concat(resting.Where(p => p.Until is not null).Select(p => new ProgramOn(p.Current, p.Until!.Value))));
    }

    /// <summary>The programs that are on, by priority and name: the order in which they start (rule 5.1).</summary>
    public IReadOnlyList<ProgramOn> On { get; }

    /// <summary>
    /// The programs that are on and those whose pause has an end, on since then: what a rehearsal counts with, which lives
    /// through the end.
    /// </summary>
    internal IReadOnlyList<ProgramOn> OnOnceResumed { get; }

    /// <summary>The published versions of programs that are paused, by name.</summary>
    public IReadOnlyList<ProgramVersion> Paused { get; }

    /// <summary>Whether messages of any program wait to be read.</summary>
    internal bool AnyWaitsToBeRead { get; }

    /// <summary>
    /// True while the practice's commercial mail stands still, because too much of it came back (<see cref="Results.SendingBrake"/>): such
    /// letters stay planned until it is let go, and are judged then.
    /// </summary>
    public bool CommercialMailStands { get; init; }

    /// <summary>Every version there is, in no order.</summary>
    public IEnumerable<ProgramVersion> Versions => versions.Values;

    /// <summary>A version by its numbers.</summary>
    /// <exception cref="KeyNotFoundException">The practice has no such version.</exception>
    public ProgramVersion Find(Guid programId, int version) => versions[(programId, version)];

    /// <summary>What a program is called, by its newest version; null for one the practice does not have.</summary>
    public string? NameOf(Guid programId) => Versions.Where(v => v.ProgramId == programId).MaxBy(v => v.Version)?.Definition.Name;

    /// <summary>The program of a name that is on, or null.</summary>
    public ProgramOn? Named(string name)
    {
        foreach (var program in On)
        {
            if (string.Equals(program.Current.Definition.Name, name, StringComparison.OrdinalIgnoreCase))
            {
                return program;
            }
        }

        return null;
    }

    /// <summary>True while a program's runs are frozen.</summary>
    public bool IsPaused(Guid programId) => paused.Count > 0 && paused.ContainsKey(programId);

    /// <summary>When a program that is paused goes on by itself; null for one that does not, or is not paused.</summary>
    internal Instant? PauseEnd(Guid programId) => paused.GetValueOrDefault(programId);

    private static IReadOnlyList<ProgramOn> InOrder(IEnumerable<ProgramOn> programs) =>
        [.. programs.OrderBy(p => p.Current.Definition.Priority).ThenBy(p => p.Current.Definition.Name, StringComparer.OrdinalIgnoreCase)];
}
