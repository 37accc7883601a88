namespace Germinal.Core.Contact;

/// <summary>Somebody of a household, as far as it is greeted and written to by name.</summary>
public sealed record HouseholdMember(Guid Id, string? FirstName, string? LastName, string? Address);

/// <summary>People who live together: one postal address, one salutation.</summary>
/// <param name="Id">The household.</param>
/// <param name="People">Those of it who can be written to, in the order they are named.</param>
/// <param name="Written">The salutation a member wrote by hand; null where it is worked out.</param>
public sealed record Household(Guid Id, IReadOnlyList<HouseholdMember> People, string? Written = null)
{
    /// <summary>“Dear Ida and Bo”; written by hand, or worked out of the first names. Null where nobody's is known.</summary>
    public string? Salutation => Written ?? SalutationOf(People);

    /// <summary>“Ida and Bo Lind”, “Ida Lind and Bo Marsh”: how an envelope names them. Null where nobody's name is known.</summary>
    public string? Names => NamesOf(People);

    /// <summary>The one postal address they share; null where none is known, or they have several.</summary>
    public string? Address
    {
        get
        {
            var known = People.Select(p => p.Address).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase).Take(2).ToList();
            return known.Count == 1 ? known[0] : null;
        }
    }

    /// <summary>“Dear Ida”, “Dear Ida and Bo”, “Dear Ida, Bo and Kit”; people without a first name are left out.</summary>
    public static string? SalutationOf(IEnumerable<HouseholdMember> people)
    {
        var names = people.Select(p => p.FirstName).OfType<string>().ToList();
        return names.Count == 0 ? null : Say($"Dear {ContactWords.Listed(names)}");
    }

    private static string? NamesOf(IReadOnlyList<HouseholdMember> people)
    {
        var named = people.Where(p => p.FirstName is not null || p.LastName is not null).ToList();
        if (named.Count == 0)
        {
            return null;
        }

        // People of one name one after the other share it: Ida and Bo Lind, Kit Marsh.
        var parts = new List<string>();
        for (var i = 0; i < named.Count; i++)
        {
            var shares =
                named[i].FirstName is not null
                && i + 1 < named.Count
                && named[i + 1].FirstName is not null
                && named[i].LastName is { } last
                && string.Equals(last, named[i + 1].LastName, StringComparison.OrdinalIgnoreCase);
            parts.Add(shares ? named[i].FirstName! : $"{named[i].FirstName} {named[i].LastName}".Trim());
        }

        return ContactWords.Listed(parts);
    }
}
