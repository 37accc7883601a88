namespace Germinal.Core.Forms;

/// <summary>Somebody who is known and may have sent a form: they have its email address or its number.</summary>
/// <param name="Id">Who.</param>
/// <param name="FirstName">Null where nobody knows it.</param>
/// <param name="LastName">Null where nobody knows it.</param>
/// <param name="Email">In small letters.</param>
/// <param name="Mobile">E.164.</param>
/// <param name="Added">In the order they were added, the oldest first, where several fit alike.</param>
public sealed record KnownSender(Guid Id, string? FirstName, string? LastName, string? Email, string? Mobile, NodaTime.Instant Added);

/// <summary>Who sent a form (rule 17.2).</summary>
/// <param name="Person">Whoever it is; null for somebody new.</param>
/// <param name="LivesWith">Of somebody new: the one under whose address or number they wrote, with whom they live.</param>
public sealed record Sender(Guid? Person, Guid? LivesWith);

/// <summary>
/// Finds who sent a form: by email regardless of case, else by mobile and last name. A different first name under the same address or number is another
/// person of the same household, never the same one; where either has no first name, nothing says that they differ.
/// </summary>
public static class WhoSent
{
    /// <summary>Who it is.</summary>
    /// <param name="known">Those who have the address or the number; others do no harm.</param>
    /// <param name="firstName">As it was given; null for none.</param>
    /// <param name="lastName">As it was given; null for none.</param>
    /// <param name="email">In small letters; null for none.</param>
    /// <param name="mobile">E.164; null for none.</param>
    public static Sender Of(IEnumerable<KnownSender> known, string? firstName, string? lastName, string? email, string? mobile)
    {
        var all = known.OrderBy(k => k.Added).ThenBy(k => k.Id).ToList();
        var byEmail = all.Where(k => email is not null && Same(k.Email, email)).ToList();
        var byMobile = all.Where(k => mobile is not null && k.Mobile == mobile && lastName is not null && Same(k.LastName, lastName)).ToList();
        foreach (var under in new[] { byEmail, byMobile })
        {
            // Of several under one address whoever has the very name is meant before one whose name nobody knows.
            var meant = under.Find(k => firstName is not null && Same(k.FirstName, firstName)) ?? under.Find(k => !Differ(k.FirstName, firstName));
            if (meant is not null)
            {
                return new Sender(meant.Id, null);
            }

            if (under.Count > 0)
            {
                return new Sender(null, under[0].Id);
            }
        }

        return new Sender(null, null);
    }

    private static bool Differ(string? one, string? other) => !string.IsNullOrWhiteSpace(one) && !string.IsNullOrWhiteSpace(other) && !Same(one, other);

    private static bool Same(string? one, string? other) => one is not null && string.Equals(one.Trim(), other?.Trim(), StringComparison.OrdinalIgnoreCase);
}
