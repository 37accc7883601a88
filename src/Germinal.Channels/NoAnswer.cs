using Polly.Timeout;

namespace Germinal.Channels;

/// <summary>What it looks like when a provider over HTTP gives no answer.</summary>
internal static class NoAnswer
{
    /// <summary>True where the line broke or the time was over; not where the caller itself gave up.</summary>
    public static bool Is(Exception error, CancellationToken stop) =>
        error is HttpRequestException or IOException or TimeoutRejectedException || (error is OperationCanceledException && !stop.IsCancellationRequested);
}
