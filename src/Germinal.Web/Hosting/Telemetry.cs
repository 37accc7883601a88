using Germinal.Service.Engine;
using OpenTelemetry.Metrics;

namespace Germinal.Web.Hosting;

/// <summary>Sends figures on where <c>OTEL_EXPORTER_OTLP_ENDPOINT</c> says; without it they stay here.</summary>
internal static class Telemetry
{
    public static void Add(IServiceCollection services, IConfiguration configuration)
    {
        if (configuration["OTEL_EXPORTER_OTLP_ENDPOINT"] is { Length: > 0 })
        {
            services.AddOpenTelemetry().WithMetrics(m => m.AddMeter(EngineMetrics.Name).AddOtlpExporter());
            services.AddHostedService<EngineMetrics>();
        }
    }
}
