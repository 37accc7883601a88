using Germinal.Core.Contact;

namespace Germinal.Core.Programs;

/// <summary>A step's words as one person's message has them.</summary>
public static class Wording
{
    /// <summary>
    /// A step as one message to a person has it: in its own words, or in those written for this one touch. What it carries, its files, purpose and
    /// reader, stays the step's.
    /// </summary>
    public static Step Worded(this PersonFacts person, Guid touch, Step step) =>
        person.OwnWords.Count > 0 && person.OwnWords.TryGetValue(touch, out var own) ? step.In(own) : step;

    /// <summary>A step in other words; one that is no message is what it was.</summary>
    public static Step In(this Step step, OwnWords words) =>
        step switch
        {
            EmailStep email => email with { Subject = words.Subject, Body = words.Body, Letter = null },
            TextStep text => text with { Body = words.Body },
            _ => step,
        };
}
