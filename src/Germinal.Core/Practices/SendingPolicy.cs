using Germinal.Core.Contact;

namespace Germinal.Core.Practices;

/// <summary>
/// What a program may do in the practice's name where it is not the default: which channels need a yes and how long a basis carries it, which
/// topics it may speak of, and what stands under its letters.
/// </summary>
/// <param name="Name">Its name, compared without regard to case; programs pick it by it.</param>
/// <param name="Consent">In the place of the practice's own rules.</param>
/// <param name="Topics">The topics a program under it may have; empty for any.</param>
/// <param name="Footer">Plain words under every commercial letter; empty for none.</param>
public sealed record SendingPolicy(string Name, ConsentRules Consent, IReadOnlyList<string> Topics, string Footer);
