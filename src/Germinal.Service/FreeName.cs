namespace Germinal.Service;

/// <summary>Names of which there may be one each.</summary>
public static class FreeName
{
    /// <summary>A name as it is wanted; where it is taken, with the first number from 2 that is free behind it.</summary>
    /// <param name="wanted">The name.</param>
    /// <param name="taken">Names that begin like it; upper and lower case are the same.</param>
    public static string Of(string wanted, IEnumerable<string> taken)
    {
        var there = taken.ToHashSet(StringComparer.OrdinalIgnoreCase);
        var name = wanted;
        for (var n = 2; there.Contains(name); n++)
        {
            name = FormattableString.Invariant($"{wanted} {n}");
        }

        return name;
    }
}
