using System.Buffers.Binary;
using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
using NodaTime;

namespace Germinal.Channels;

/// <summary>The mark of one showing of a form.</summary>
/// <param name="FormId">The form it was made for.</param>
/// <param name="MadeAt">When, by the machine's clock.</param>
/// <param name="Key">What tells it from every other; sent twice, it is one submission.</param>
public sealed record FormToken(Guid FormId, Instant MadeAt, string Key);

/// <summary>
/// Signed marks of forms' pages, and the work that a page does before it is sent: the first tells that it was shown by us and when, the second makes
/// sending by the thousand dear without asking a person anything.
/// </summary>
/// <param name="key">As for public links.</param>
public sealed class FormTokens(byte[] key)
{
    private const int MacBytes = 16;
    private const int Signed = 16 + 8 + 8;

    /// <summary>So many bits at the head of the digest are zero: about 65,000 digests, a fraction of a second, made while somebody writes.</summary>
    public const int WorkBits = 16;

    private readonly ShortMac macs = new(key);

    /// <summary>A fresh mark.</summary>
    public string Make(Guid formId, Instant now)
    {
        Span<byte> token = stackalloc byte[Signed + MacBytes];
        formId.TryWriteBytes(token, bigEndian: true, out _);
        BinaryPrimitives.WriteInt64BigEndian(token[16..], now.ToUnixTimeMilliseconds());
        RandomNumberGenerator.Fill(token[24..Signed]);
        Mac(token[..Signed], token[Signed..]);
        return Base64Url.EncodeToString(token);
    }

    /// <summary>A mark as it was made; null for one that is forged, altered or none.</summary>
    public FormToken? TryRead(string? token)
    {
        Span<byte> bytes = stackalloc byte[64];
        if (token is null || token.Length > 80 || !Base64Url.IsValid(token) || !Base64Url.TryDecodeFromChars(token, bytes, out var length) || length != Signed + MacBytes)
        {
            return null;
        }

        Span<byte> mac = stackalloc byte[MacBytes];
        Mac(bytes[..Signed], mac);
        return CryptographicOperations.FixedTimeEquals(mac, bytes[Signed..(Signed + MacBytes)])
            ? new FormToken(
                new Guid(bytes[..16], bigEndian: true),
                Instant.FromUnixTimeMilliseconds(BinaryPrimitives.ReadInt64BigEndian(bytes[16..])),
                Convert.ToHexStringLower(bytes[24..Signed])
            )
            : null;
    }

    /// <summary>Whether the work for a mark was done: the SHA-256 (FIPS 180-4) of <c>token:answer</c> begins with <see cref="WorkBits"/> zero bits.</summary>
    public static bool IsWorked(string token, string? answer)
    {
        if (answer is not { Length: > 0 and <= 20 })
        {
            return false;
        }

        Span<byte> digest = stackalloc byte[32];
        SHA256.HashData(Encoding.UTF8.GetBytes($"{token}:{answer}"), digest);
        return BinaryPrimitives.ReadUInt32BigEndian(digest) >> (32 - WorkBits) == 0;
    }

    private void Mac(ReadOnlySpan<byte> token, Span<byte> mac)
    {
        Span<byte> signed = stackalloc byte[Signed + 1];
        signed[0] = (byte)'t';
        token.CopyTo(signed[1..]);
        macs.Write(signed, mac);
    }
}
