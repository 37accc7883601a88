using System.Buffers.Binary;
using Germinal.Core.Programs;

namespace Germinal.Core.Engine;

/// <summary>
/// Rules 7.2 and 7.3: shares of people by a stable hash of (split, person). The same person always falls on the same side,
/// and adding people moves nobody.
/// </summary>
public static class Shares
{
    /// <summary>The passage of a split that a person goes down, from 0.</summary>
    public static int PassageOf(Guid programId, SplitStep split, Guid person)
    {
        var point = PointOf($"split/{programId:N}/{split.Id}", person, split.Passages.Sum(p => p.Share));
        for (var i = 0; i < split.Passages.Count; i++)
        {
            point -= split.Passages[i].Share;
            if (point < 0)
            {
                return i;
            }
        }

        return split.Passages.Count - 1;
    }

    /// <summary>True for somebody the program leaves out to compare with.</summary>
    public static bool IsHeldOut(ProgramVersion program, Guid person) =>
        program.Definition.HoldOut is > 0 and var percent && PointOf($"hold-out/{program.ProgramId:N}", person, 10_000) < percent * 100;

    /// <summary>An even whole number from 0 up to <paramref name="total"/>, itself excluded.</summary>
    private static int PointOf(string name, Guid person, int total)
    {
        Span<byte> bytes = stackalloc byte[16];
        StableId.Of(person, name).TryWriteBytes(bytes, bigEndian: true, out _);

        // The version and variant bits of the id are constant; the first six bytes are all hash.
        var hash = BinaryPrimitives.ReadUInt64BigEndian(bytes) >> 16;
        return (int)((UInt128)hash * (uint)total >> 48);
    }
}
