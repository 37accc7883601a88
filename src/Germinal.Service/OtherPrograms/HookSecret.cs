using System.Security.Cryptography;

namespace Germinal.Service.OtherPrograms;

/// <summary>The key calls to another program are signed with, as the Standard Webhooks specification writes it: <c>whsec_</c> and base64.</summary>
public static class HookSecret
{
    private const string Begins = "whsec_";
    private const int Length = 32;

    /// <summary>A new one, drawn by chance.</summary>
    public static string Draw() => Begins + Convert.ToBase64String(RandomNumberGenerator.GetBytes(Length));

    /// <summary>Its bytes.</summary>
    public static byte[] Bytes(string secret) => Convert.FromBase64String(secret[Begins.Length..]);
}
