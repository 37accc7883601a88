using System.Buffers.Text;
using System.Security.Cryptography;

namespace Germinal.Channels;

/// <summary>
/// Signed addresses of the public pages. A link names a touch and carries a MAC of it, so that nobody can make one up or
/// alter one; it works as long as the practice keeps its key.
/// </summary>
/// <param name="key">At least 32 random bytes, made at first start and kept out of the repository.</param>
/// <param name="baseUrl">Where the application is reached from outside, without a slash at the end.</param>
public sealed class PublicLinks(byte[] key, string baseUrl)
{
    private const int MacBytes = 16;

    /// <summary>Where the application is reached from outside, without a slash at the end.</summary>
    public string BaseUrl { get; } = baseUrl.TrimEnd('/');

    /// <summary>The unsubscribe page of a touch; also the address of the one-click POST (RFC 8058).</summary>
    public string Unsubscribe(Guid touchId) => $"{BaseUrl}/u/{Token(touchId)}";

    /// <summary>The token of a touch.</summary>
    public string Token(Guid touchId)
    {
        Span<byte> token = stackalloc byte[16 + MacBytes];
        touchId.TryWriteBytes(token, bigEndian: true, out _);
        Mac(token[..16], token[16..]);
        return Base64Url.EncodeToString(token);
    }

    /// <summary>The touch of a token, or null for one that is forged, altered or not a token.</summary>
    public Guid? TryRead(string token)
    {
        Span<byte> bytes = stackalloc byte[64];
        if (token.Length > 64 || !Base64Url.IsValid(token) || !Base64Url.TryDecodeFromChars(token, bytes, out var length) || length != 16 + MacBytes)
        {
            return null;
        }

        Span<byte> mac = stackalloc byte[MacBytes];
        Mac(bytes[..16], mac);
        return CryptographicOperations.FixedTimeEquals(mac, bytes[16..(16 + MacBytes)]) ? new Guid(bytes[..16], bigEndian: true) : null;
    }

    private void Mac(ReadOnlySpan<byte> touch, Span<byte> mac)
    {
        Span<byte> full = stackalloc byte[32];
        HMACSHA256.HashData(key, touch, full);
        full[..MacBytes].CopyTo(mac);
    }
}
