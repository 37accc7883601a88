using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Http.Resilience;
using Polly;

namespace Germinal.Channels.Texts;

/// <summary>How the gateway is spoken to: how long it is waited for, and what is tried again at once.</summary>
public static class TextGatewayLine
{
    /// <summary>The longest one text may take, a second try included.</summary>
    private static readonly TimeSpan InAll = TimeSpan.FromSeconds(15);

    private static readonly TimeSpan OneTry = TimeSpan.FromSeconds(10);

    private static readonly TimeSpan BetweenTries = TimeSpan.FromMilliseconds(200);

    /// <summary>
    /// Adds the gateway's client. What never left this machine, a connection that could not be made, is tried once more at once;
    /// anything else is judged anew by the engine, which knows the hour and what the person has said since.
    /// </summary>
    /// <param name="services">Where it is added.</param>
    /// <param name="gateway">The gateway's address, with a slash at the end.</param>
    public static IHttpClientBuilder AddTextGateway(this IServiceCollection services, Uri gateway)
    {
        var client = services.AddHttpClient<ITextGateway, HttpTextGateway>(c =>
        {
            c.BaseAddress = gateway;

            // The handler below keeps the time.
            c.Timeout = Timeout.InfiniteTimeSpan;
        });
        client.AddResilienceHandler(
            "text-gateway",
            line =>
                line.AddTimeout(InAll)
                    .AddRetry(
                        new HttpRetryStrategyOptions
                        {
                            MaxRetryAttempts = 1,
                            Delay = BetweenTries,
                            ShouldHandle = args => ValueTask.FromResult(args.Outcome.Exception is HttpRequestException { HttpRequestError: HttpRequestError.ConnectionError }),
                        }
                    )
                    .AddTimeout(OneTry)
        );
        return client;
    }
}
