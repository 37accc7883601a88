using System.Net;
using System.Threading.RateLimiting;

namespace Germinal.Web.Hosting;

/// <summary>
/// How many submissions are taken as a person's: of one client, and by one form. What is more is not refused: it waits apart, and is lost to nobody. Each
/// web server counts for itself.
/// </summary>
public sealed class FormBrake(int ofClient, int ofForm, bool sparesThisMachine) : IDisposable
{
    private readonly PartitionedRateLimiter<string> clients = Limiter(ofClient);
    private readonly PartitionedRateLimiter<string> forms = Limiter(ofForm);

    /// <summary>Counts a submission.</summary>
    /// <param name="form">By which form.</param>
    /// <param name="client">Whose.</param>
    /// <param name="from">From which machine.</param>
    /// <returns>Whether more came within an hour than people send.</returns>
    public bool IsTooMany(Guid form, string client, IPAddress? from)
    {
        using var place = forms.AttemptAcquire(form.ToString());
        if (sparesThisMachine && from is not null && IPAddress.IsLoopback(from))
        {
            return !place.IsAcquired;
        }

        using var turn = clients.AttemptAcquire(client);
        return !place.IsAcquired || !turn.IsAcquired;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        clients.Dispose();
        forms.Dispose();
    }

    private static PartitionedRateLimiter<string> Limiter(int most) =>
        PartitionedRateLimiter.Create<string, string>(key =>
            RateLimitPartition.GetFixedWindowLimiter(
                key,
                _ => new FixedWindowRateLimiterOptions
                {
                    PermitLimit = most,
                    Window = TimeSpan.FromHours(1),
                    QueueLimit = 0,
                }
            )
        );
}
