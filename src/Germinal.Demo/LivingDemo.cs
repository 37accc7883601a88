using NodaTime.Text;

namespace Germinal.Demo;

/// <summary>
/// Lives through the demo practice's two years once the application answers, because what recipients do comes back through
/// it. Only scripts/make-demo.sh asks for this; everybody else gets the history as it was then dumped.
/// </summary>
internal sealed class LivingDemo(IServiceProvider services, IConfiguration configuration, IHttpClientFactory http, IHostApplicationLifetime life)
    : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var answering = new TaskCompletionSource();
        using var started = life.ApplicationStarted.Register(answering.SetResult);
        await answering.Task;
        using var client = http.CreateClient();
        client.BaseAddress = new Uri(configuration["GERMINAL_STANDINS"]!.TrimEnd('/') + "/");
        client.Timeout = TimeSpan.FromMinutes(5);
        var until = LocalDatePattern.Iso.Parse(configuration["GERMINAL_LIVE_DEMO"]!);
        try
        {
            var years = ActivatorUtilities.CreateInstance<DemoYears>(services, client);
            await years.LiveAsync(step => Console.WriteLine($"demo: living through {step}"), until.Success ? until.Value : null, stoppingToken);
            Console.WriteLine("demo: lived");
        }
#pragma warning disable CA1031 // The script waits for one of these two lines.
        catch (Exception e)
#pragma warning restore CA1031
        {
            Console.WriteLine($"demo: failed: {e}");
        }
    }
}
