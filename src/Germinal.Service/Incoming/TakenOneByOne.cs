using Germinal.Service.Engine;
using Microsoft.Extensions.Logging;

namespace Germinal.Service.Incoming;

/// <summary>The messages of a mailbox, taken in one by one: one that cannot be taken in holds up none of those after it.</summary>
internal sealed partial class TakenOneByOne(ILogger log)
{
    /// <summary>The last that could not be taken in, in a sentence; null where all could.</summary>
    public string? Trouble { get; private set; }

    /// <summary>Takes one in. What the line or the database does to it is everybody's trouble and is thrown; what is wrong with the message itself is told.</summary>
    /// <param name="subject">Its subject, as far as it is known by then.</param>
    /// <param name="take">Opens it and takes it in.</param>
    /// <param name="stop">Gives up.</param>
    public async Task TakeAsync(Func<string?> subject, Func<Task> take, CancellationToken stop)
    {
        try
        {
            await take();
        }
#pragma warning disable CA1031 // Whatever is wrong with it, one message must not hold up the others.
        catch (Exception e) when (!ImapDoor.IsOfTheLine(e) && !PassingTrouble.Is(e, stop))
#pragma warning restore CA1031
        {
            LogLeft(log, e);
            Trouble = subject() is { Length: > 0 } known
                ? Say($"The message “{known}” could not be taken in. It lies in the mailbox as it came: read it there. What came after it was taken in.")
                : Said("A message could not be opened. It lies in the mailbox as it came: read it there. What came after it was taken in.");
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "A message of a mailbox could not be taken in and is left there")]
    private static partial void LogLeft(ILogger logger, Exception error);
}
