using System.Runtime.InteropServices;

namespace Germinal.Core.Engine;

/// <summary>Room for all: notes only how often each count is asked for.</summary>
internal sealed class Tally : ICounters
{
    public Dictionary<Counter, int> Asked { get; } = [];

    public bool Ask(Counter counter, AskOrder order, bool takes)
    {
        CollectionsMarshal.GetValueRefOrAddDefault(Asked, counter, out _)++;
        return true;
    }
}
