using System.Net;

namespace Germinal.Channels;

/// <summary>Asks a provider over HTTP whether it has a message: 200 where it has, 404 where it never came; anything else says nothing yet.</summary>
internal static class HttpLookUp
{
    /// <summary>A look-up stands in the way of others; whoever does not answer is asked again later.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    /// <summary>Asks once.</summary>
    /// <param name="http">The provider's client.</param>
    /// <param name="address">Where to ask.</param>
    /// <param name="idOf">The provider's own id, from its answer.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<LookedUp> AskAsync(
        HttpClient http,
        string address,
        Func<HttpResponseMessage, CancellationToken, Task<string>> idOf,
        CancellationToken stop
    )
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        try
        {
            using var response = await http.GetAsync(address, patience.Token);
            return response.StatusCode switch
            {
                HttpStatusCode.OK => new LookedUp(LookUpResult.Found, await idOf(response, patience.Token)),
                HttpStatusCode.NotFound => new LookedUp(LookUpResult.NotThere),
                _ => new LookedUp(LookUpResult.NotNow),
            };
        }
        catch (Exception e) when (NoAnswer.Is(e, stop))
        {
            return new LookedUp(LookUpResult.NotNow);
        }
    }
}
