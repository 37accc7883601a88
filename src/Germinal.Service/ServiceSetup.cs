using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Import;
using Germinal.Service.Incoming;
using Germinal.Service.Inquiries;
using Germinal.Service.Letters;
using Germinal.Service.Mails;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Service;

/// <summary>Where the outside is.</summary>
/// <param name="PublicUrl">Where the application is reached from outside.</param>
/// <param name="LinkKey">The key that signs public links; at least 32 bytes.</param>
/// <param name="Mail">The mail server.</param>
/// <param name="MailDomain">The domain whose mail comes to us, for answers and reports; null when none does.</param>
/// <param name="TextGateway">Address of the text gateway, with a slash at the end.</param>
/// <param name="HookKey">The key that signs the gateway's news.</param>
/// <param name="Inbound">Where mail for us is listened for.</param>
/// <param name="PrivateServers">Whether practices may name mail servers on this machine or in private networks.</param>
public sealed record ServiceSettings(
    string PublicUrl,
    byte[] LinkKey,
    MailServer Mail,
    string? MailDomain,
    Uri TextGateway,
    byte[] HookKey,
    InboundSettings Inbound,
    bool PrivateServers = false
)
{
    /// <summary>Who is asked for the records of domains: an address, <c>none</c> for nobody, empty for the machine's own resolver.</summary>
    public string Resolver { get; init; } = "";

    /// <summary>Whether the installation has a mail server of its own; without one each practice names its own.</summary>
    public bool HasMail { get; init; } = true;
}

/// <summary>Adds the live engine.</summary>
public static class ServiceSetup
{
    /// <summary>Everything the web server and the worker share; nothing runs by itself yet.</summary>
    public static IServiceCollection AddGerminalService(this IServiceCollection services, ServiceSettings settings)
    {
        services.AddHttpClient();
        services.AddSingleton(settings);
        services.AddSingleton(new ServerLine(settings.PrivateServers));
        services.AddSingleton(new PublicLinks(settings.LinkKey, settings.PublicUrl));
        services.AddSingleton<LiquidLetters>();
        services.AddSingleton<LetterWriter>();
        services.AddSingleton<ShelfReading>();
        services.AddSingleton<Engines>();
        services.AddSingleton<IMailTransport>(s => new SmtpTransport(
            settings.Mail,
            s.GetRequiredService<IHttpClientFactory>().CreateClient(),
            s.GetRequiredService<ServerLine>()
        ));
        services.AddSingleton<Reactor>();
        services.AddSingleton<ActNow>();
        services.AddSingleton<Dispatcher>();
        services.AddSingleton<CarriedFiles>();
        services.AddSingleton<Handing>();
        services.AddSingleton<Secrets>();
        services.AddSingleton(new ReplyAddresses(settings.LinkKey, settings.MailDomain));
        services.AddTextGateway(settings.TextGateway);
        services.AddSingleton(new WebhookSigner(settings.HookKey));
        services.AddSingleton(settings.Inbound);
        services.AddSingleton<TextReception>();
        services.AddSingleton<MailReception>();
        services.AddSingleton<ImapDoor>();
        services.AddSingleton<MailboxReader>();
        services.AddSingleton(s => new MailIssuer(s.GetRequiredService<ServerLine>(), settings.PrivateServers));
        services.AddSingleton<MailAccounts.MailAccountServers>();
        services.AddSingleton<MailAccounts.SentCopies>();
        services.AddSingleton<MailAccounts.MailAccountReader>();
        services.AddSingleton<MailAccounts.MailAccountDesk>();
        services.AddSingleton<LinkVisits>();
        services.AddSingleton<OwnMails>();
        services.AddSingleton<Members.MemberMails>();
        services.AddSingleton<Members.Factors>();
        services.AddSingleton<Sending.BrakeWatch>();
        services.AddSingleton<IRecordLookup>(settings.Resolver == "none" ? new NoLookup() : new ResolverLookup(System.Net.IPEndPoint.TryParse(settings.Resolver, out var resolver) ? resolver : null));
        services.AddSingleton<MailServerSearch>();
        services.AddSingleton<Today.MorningLetters>();
        services.AddSingleton<Numbers.MonthlyLetters>();
        services.AddSingleton(new FormTokens(settings.LinkKey));
        services.AddSingleton<FormShelf>();
        services.AddSingleton<FormTaking>();
        services.AddSingleton<FormIntake>();
        services.AddSingleton<InquiryActs>();
        services.AddSingleton<Meetings.MeetingActs>();
        services.AddSingleton<OutsideFetch>();
        services.AddSingleton<Meetings.OwnCalendars>();
        services.AddSingleton<Channels.Posts.PostGateway>();
        services.AddSingleton<Posts.PostHanding>();
        services.AddSingleton<Posts.IdeaDesk>();
        services.AddSingleton<Films.FilmShelf>();
        services.AddSingleton<Broadcasts.BroadcastDesk>();
        services.AddSingleton<Broadcasts.BroadcastLook>();
        services.AddSingleton<Broadcasts.BroadcastAddresses>();
        services.AddSingleton<Broadcasts.BroadcastReading>();
        services.AddSingleton<Broadcasts.BroadcastMoments>();
        services.AddSingleton<EngineRoom>();
        services.AddSingleton<ImportRunner>();
        services.AddSingleton<LetterDesk>();
        services.AddSingleton<Landings.LandingWriter>();
        services.AddSingleton<Landings.LandingShelf>();
        services.AddSingleton<ProgramDesk>();
        services.AddSingleton<Channels.Hooks.HookCaller>();
        services.AddSingleton<OtherPrograms.HookTelling>();
        services.AddSingleton<House.SettingsHistory>();
        services.AddSingleton<House.LastMonth>();
        services.AddSingleton<ReadyPrograms>();
        services.AddSingleton<ProgramRehearsal>();
        services.AddSingleton<ProgramWalk>();
        services.AddSingleton<TrialMail>();
        services.AddSingleton<RehearsalRoom>();
        services.AddSingleton<Almanac.AlmanacRoom>();
        services.AddSingleton<Almanac.AlmanacWhatIf>();
        services.AddSingleton<ProgramPreview>();
        services.AddSingleton<ManyPreview>();
        return services;
    }
}
