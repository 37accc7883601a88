using System.Security.Cryptography;

namespace Germinal.StandIns;

/// <summary>How many of a hundred calls the providers refuse for now, by chance. Shared by mail and texts; can be changed while they run.</summary>
internal sealed class Failing(int percent)
{
    private volatile int now = percent;

    /// <summary>Changes it, from 0 to 100.</summary>
    public void Set(int next) => now = Math.Clamp(next, 0, 100);

    /// <summary>Whether this call is to be refused.</summary>
    public bool Refuses() => now > 0 && RandomNumberGenerator.GetInt32(100) < now;
}
