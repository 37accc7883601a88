namespace Germinal.Core.Contact;

/// <summary>
/// Whom a message is about and who reads it (rule 3.6): one and the same, unless it goes to somebody who stands in a relation to
/// the person, or to the person's owner.
/// </summary>
/// <param name="Person">Whom the program is about: <c>person</c> in merge fields.</param>
/// <param name="Reader">Who reads it: <c>to</c> in merge fields. A member is read as somebody with a name and addresses.</param>
public readonly record struct Addressed(PersonFacts Person, PersonFacts Reader)
{
    /// <summary>Somebody who reads what is about them.</summary>
    public static implicit operator Addressed(PersonFacts person) => new(person, person);
}
