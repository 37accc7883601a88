using System.Security.Cryptography;

namespace Germinal.Channels.Mail;

/// <summary>What an address of ours is for.</summary>
public enum ReplyUse
{
    /// <summary>People answer to it.</summary>
    Answer,

    /// <summary>Mail servers report to it (the envelope sender).</summary>
    Report,
}

/// <summary>
/// Addresses of our own, one for each touch, by which answers and reports find back. The local part is in lower case and
/// digits only, because some servers change its case, and carries a MAC, so that nobody can make one up.
/// </summary>
/// <param name="key">As for public links.</param>
/// <param name="domain">The domain whose mail comes to us; null when none does: then answers go to the sender.</param>
public sealed class ReplyAddresses(byte[] key, string? domain)
{
    private const int MacBytes = 9;
    private readonly ShortMac macs = new(key);

    /// <summary>The address of a touch; null when no mail comes to us.</summary>
    public string? Of(ReplyUse use, Guid touchId)
    {
        if (domain is null)
        {
            return null;
        }

        Span<byte> bytes = stackalloc byte[16 + MacBytes];
        touchId.TryWriteBytes(bytes, bigEndian: true, out _);
        Mac(use, bytes[..16], bytes[16..]);
        return $"{Prefix(use)}.{Convert.ToHexStringLower(bytes)}@{domain}";
    }

    /// <summary>The touch and use of an address, or null for one that is not ours.</summary>
    public (ReplyUse Use, Guid TouchId)? TryRead(string address)
    {
        var at = address.LastIndexOf('@');
        if (domain is null || at < 0 || !string.Equals(address[(at + 1)..], domain, StringComparison.OrdinalIgnoreCase))
        {
            return null;
        }

        var local = address[..at].ToLowerInvariant();
        ReplyUse use;
        if (local.StartsWith(Prefix(ReplyUse.Answer) + ".", StringComparison.Ordinal))
        {
            use = ReplyUse.Answer;
        }
        else if (local.StartsWith(Prefix(ReplyUse.Report) + ".", StringComparison.Ordinal))
        {
            use = ReplyUse.Report;
        }
        else
        {
            return null;
        }

        Span<byte> bytes = stackalloc byte[16 + MacBytes];
        var letters = local.AsSpan(Prefix(use).Length + 1);
        if (letters.Length != bytes.Length * 2 || Convert.FromHexString(letters, bytes, out _, out _) != System.Buffers.OperationStatus.Done)
        {
            return null;
        }

        Span<byte> mac = stackalloc byte[MacBytes];
        Mac(use, bytes[..16], mac);
        return CryptographicOperations.FixedTimeEquals(mac, bytes[16..]) ? (use, new Guid(bytes[..16], bigEndian: true)) : null;
    }

    private static string Prefix(ReplyUse use) => use == ReplyUse.Answer ? "answer" : "report";

    private void Mac(ReplyUse use, ReadOnlySpan<byte> touch, Span<byte> mac)
    {
        Span<byte> signed = stackalloc byte[17];
        signed[0] = use == ReplyUse.Answer ? (byte)'a' : (byte)'r';
        touch.CopyTo(signed[1..]);
        macs.Write(signed, mac);
    }
}
