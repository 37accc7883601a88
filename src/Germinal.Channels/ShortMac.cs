using System.Security.Cryptography;

namespace Germinal.Channels;

/// <summary>
/// HMAC-SHA256 cut to the length of what it is written into (RFC 2104, section 5). A letter carries half a dozen, so the keyed
/// hash is made once a thread, not once a link.
/// </summary>
/// <param name="key">At least 32 random bytes.</param>
internal sealed class ShortMac(byte[] key)
{
    private readonly ThreadLocal<IncrementalHash> hashes = new(() => IncrementalHash.CreateHMAC(HashAlgorithmName.SHA256, key));

    /// <summary>Writes the first bytes of the MAC.</summary>
    /// <param name="signed">What is signed.</param>
    /// <param name="mac">At most 32 bytes.</param>
    public void Write(ReadOnlySpan<byte> signed, Span<byte> mac)
    {
        Span<byte> full = stackalloc byte[HMACSHA256.HashSizeInBytes];
        var hash = hashes.Value!;
        hash.AppendData(signed);
        hash.GetHashAndReset(full);
        full[..mac.Length].CopyTo(mac);
    }
}
