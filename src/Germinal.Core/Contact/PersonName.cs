namespace Germinal.Core.Contact;

/// <summary>What a person is called wherever they are named.</summary>
public static class PersonName
{
    /// <summary>What somebody is called of whom nothing is known.</summary>
    public static string Nobody => Said("Somebody without a name");

    /// <summary>“Leila Okafor”, or what there is of it; else the address, else the number.</summary>
    public static string Of(string? first, string? last, string? email, string? mobile) =>
        $"{first} {last}".Trim() is { Length: > 0 } name ? name : email ?? mobile ?? Nobody;
}
