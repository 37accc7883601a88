using System.Security.Cryptography;
using System.Text;

namespace Germinal.Core.Engine;

/// <summary>
/// Name-based identifiers (RFC 9562, version 5): the same run and the same touch get the same id however often they are
/// worked out, so that a repeated delivery is recognised and nothing in the engine needs a random source.
/// </summary>
public static class StableId
{
    /// <summary>The id of a name within a scope.</summary>
    public static Guid Of(Guid scope, string name)
    {
        Span<byte> hash = stackalloc byte[20];
        var text = Encoding.UTF8.GetBytes(name);
        var input = new byte[16 + text.Length];
        scope.TryWriteBytes(input, bigEndian: true, out _);
        text.CopyTo(input, 16);
#pragma warning disable CA5350 // SHA-1 is what version 5 of the RFC prescribes; nothing here is a secret.
        SHA1.HashData(input, hash);
#pragma warning restore CA5350
        hash[6] = (byte)((hash[6] & 0x0F) | 0x50);
        hash[8] = (byte)((hash[8] & 0x3F) | 0x80);
        return new Guid(hash[..16], bigEndian: true);
    }
}
