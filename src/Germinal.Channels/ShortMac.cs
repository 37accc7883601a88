using System.Security.Cryptography;

namespace Germinal.Channels;

/// <summary>
/// HMAC-SHA256 cut to the length of what it is written into (RFC 2104, section 5).
/// </summary>
/// <param name="key">At least 32 random bytes.</param>
internal sealed class ShortMac(byte[] key)
{
    /// <summary>Writes the first bytes of the MAC.</summary>
    /// <param name="signed">What is signed.</param>
    /// <param name="mac">At most 32 bytes.</param>
    public void Write(ReadOnlySpan<byte> signed, Span<byte> mac)
    {
        Span<byte> full = stackalloc byte[HMACSHA256.HashSizeInBytes];
        HMACSHA256.HashData(key, signed, full);
        full[..mac.Length].CopyTo(mac);
    }
}
