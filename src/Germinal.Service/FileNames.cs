namespace Germinal.Service;

/// <summary>Names of files that every system takes.</summary>
public static class FileNames
{
    /// <summary>A name in small letters, digits and hyphens.</summary>
    /// <param name="name">What the thing is called.</param>
    /// <param name="otherwise">Where nothing of it is left.</param>
    public static string Of(string name, string otherwise)
    {
        var words = new string([.. name.ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : '-')]);
        return string.Join('-', words.Split('-', StringSplitOptions.RemoveEmptyEntries)) is { Length: > 0 } plain ? plain : otherwise;
    }
}
