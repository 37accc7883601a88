using System.Collections.Immutable;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;

namespace Germinal.Core.Engine;

/// <summary>
/// Rule 3.6: who reads what a step writes. Everybody in a relation is gone through one after the other, each with a touch of
/// their own; who they are is asked when the touch is judged, so that it holds for those who stand in it then.
/// </summary>
public static class Readers
{
    /// <summary>All who read a step's message, in the order they are gone through: by name, then by id.</summary>
    /// <param name="practice">The practice, for its members.</param>
    /// <param name="person">Whom the program is about; their relations with the facts of the others, where the step asks for them.</param>
    /// <param name="step">The step.</param>
    public static IEnumerable<PersonFacts> Of(Practice practice, PersonFacts person, Step step) =>
        step.To switch
        {
            null => [person],
            ToOwner => practice.OwnerAsReader(person) is { } owner ? [owner] : [],
            ToRelated related => person
                .Relations.Where(r => r.Other is not null && string.Equals(r.Role, related.Role, StringComparison.OrdinalIgnoreCase))
                .Select(r => r.Other!)
                .DistinctBy(o => o.Id)
                .OrderBy(o => o.Name, StringComparer.Ordinal)
                .ThenBy(o => o.Handle, StringComparer.Ordinal),
            _ => throw new InvalidOperationException($"Nobody has said who reads what goes to {step.To.GetType().Name}."),
        };

    /// <summary>Whom a touch of a step is about and who reads it, or would as things stand; null where nobody is there any more.</summary>
    /// <param name="practice">The practice.</param>
    /// <param name="person">Whom the program is about.</param>
    /// <param name="step">The step.</param>
    /// <param name="reader">Who reads it, where that is known.</param>
    public static Addressed? Find(Practice practice, PersonFacts person, Step step, Guid? reader)
    {
        var all = Of(practice, person, step);
        return (reader is null ? all.FirstOrDefault() : all.FirstOrDefault(r => r.Id == reader)) is { } found ? new Addressed(person, found) : (Addressed?)null;
    }

    /// <summary>Whom a run's touch goes to: whoever has begun to read it, else the first who has not had theirs; null for nobody.</summary>
    internal static PersonFacts? Next(Practice practice, PersonFacts person, Going run)
    {
        if (run.Step.To is null)
        {
            return person;
        }

        var all = Of(practice, person, run.Step).Where(r => !run.Readers.Contains(r.Id)).ToImmutableArray();
        return all.FirstOrDefault(r => r.Id == run.Reader) ?? all.FirstOrDefault();
    }
}
