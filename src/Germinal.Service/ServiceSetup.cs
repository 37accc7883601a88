using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.Programs;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Service;

/// <summary>Where the outside is.</summary>
/// <param name="PublicUrl">Where the application is reached from outside.</param>
/// <param name="LinkKey">The key that signs public links; at least 32 bytes.</param>
/// <param name="Mail">The mail server.</param>
public sealed record ServiceSettings(string PublicUrl, byte[] LinkKey, MailServer Mail);

/// <summary>Adds the live engine.</summary>
public static class ServiceSetup
{
    /// <summary>Everything the web server and the worker share; nothing runs by itself yet.</summary>
    public static IServiceCollection AddGerminalService(this IServiceCollection services, ServiceSettings settings)
    {
        services.AddHttpClient();
        services.AddSingleton(settings);
        services.AddSingleton(new PublicLinks(settings.LinkKey, settings.PublicUrl));
        services.AddSingleton<LiquidLetters>();
        services.AddSingleton<LetterWriter>();
        services.AddSingleton<ShelfReading>();
        services.AddSingleton<IMailTransport>(s => new SmtpTransport(settings.Mail, s.GetRequiredService<IHttpClientFactory>().CreateClient()));
        services.AddSingleton<Reactor>();
        services.AddSingleton<Dispatcher>();
        services.AddSingleton<Sweep>();
        services.AddSingleton<EngineRoom>();
        services.AddSingleton<ImportRunner>();
        services.AddSingleton<ProgramDesk>();
        return services;
    }
}
