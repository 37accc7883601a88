using System.Security.Cryptography;
using Germinal.Channels.Mail;
using Germinal.Service;
using Germinal.Service.Incoming;
using Germinal.Service.Whole;

namespace Germinal.Web.Hosting;

/// <summary>What the process is told by its environment, and the secrets it keeps in its data folder.</summary>
/// <param name="Database">Npgsql connection string.</param>
/// <param name="DataFolder">Keys and other secrets; never in the repository.</param>
/// <param name="WebFolder">The built front end.</param>
/// <param name="StandIns">Address of the stand-ins, or null in real use.</param>
/// <param name="Service">The live engine's settings.</param>
/// <param name="Proxies">Reverse proxies whose word on callers is believed.</param>
public sealed record Settings(
    string Database,
    string DataFolder,
    string WebFolder,
    string? StandIns,
    ServiceSettings Service,
    IReadOnlyList<System.Net.IPAddress> Proxies
)
{
    /// <summary>Whether recipients and members reach the application by HTTPS; then cookies go by nothing else.</summary>
    public bool IsSecure => Service.PublicUrl.StartsWith("https://", StringComparison.OrdinalIgnoreCase);

    /// <summary>Submissions of forms that one client may send in an hour; what is more waits apart.</summary>
    public int FormsOfClient { get; init; } = 30;

    /// <summary>Submissions that one form takes in an hour; what is more waits apart.</summary>
    public int FormsOfForm { get; init; } = 2_000;

    /// <summary>How often another program may call by one key in a minute.</summary>
    public int KeyCalls { get; init; } = 600;

    /// <summary>Where backups are written to, each night; null: none are made.</summary>
    public Backups? Backups { get; init; }

    /// <summary>Reads the settings.</summary>
    /// <exception cref="InvalidOperationException">One that is needed is missing; the message names it.</exception>
    public static Settings From(IConfiguration configuration)
    {
        string Needed(string name) =>
            configuration[name] is { Length: > 0 } value
                ? value
                : throw new InvalidOperationException($"{name} is not set. ./run sets it; see docs/operations.md.");
        var data = Needed("GERMINAL_DATA");
        Directory.CreateDirectory(data);
        var standIns = configuration["GERMINAL_STANDINS"];
        var server = new MailServer(
            configuration["GERMINAL_SMTP_HOST"] ?? "127.0.0.1",
            int.Parse(configuration["GERMINAL_SMTP_PORT"] ?? "25", System.Globalization.CultureInfo.InvariantCulture),
            4,
            standIns is null ? null : $"{standIns}/messages/by-id/{{id}}",
            Pipelines: standIns is null
        );
        return new Settings(
            Needed("GERMINAL_DB"),
            data,
            configuration["GERMINAL_WWW"] ?? "",
            standIns,
            new ServiceSettings(
                configuration["GERMINAL_URL"] ?? "http://127.0.0.1:5080",
                Secret(Path.Combine(data, "link-key")),
                server,
                configuration["GERMINAL_MAIL_DOMAIN"] is { Length: > 0 } domain ? domain : null,
                new Uri((configuration["GERMINAL_TEXT_GATEWAY"] ?? $"{standIns ?? "http://127.0.0.1:5083"}/texts").TrimEnd('/') + "/"),
                Secret(Path.Combine(data, "hook-key")),
                new InboundSettings(
                    System.Net.IPAddress.Parse(configuration["GERMINAL_INBOUND_ADDRESS"] ?? "127.0.0.1"),
                    int.Parse(configuration["GERMINAL_INBOUND_PORT"] ?? "0", System.Globalization.CultureInfo.InvariantCulture)
                ),
                configuration["GERMINAL_PRIVATE_SERVERS"] == "1"
            )
            {
                Resolver = configuration["GERMINAL_RESOLVER"] ?? "",
                HasMail = configuration["GERMINAL_SMTP_HOST"] is { Length: > 0 } || configuration["GERMINAL_SMTP_PORT"] is { Length: > 0 },
            },
            Hosting.Proxies.Read(configuration["GERMINAL_PROXIES"])
        )
        {
            FormsOfClient = int.Parse(configuration["GERMINAL_FORMS_OF_CLIENT"] ?? "30", System.Globalization.CultureInfo.InvariantCulture),
            FormsOfForm = int.Parse(configuration["GERMINAL_FORMS_OF_FORM"] ?? "2000", System.Globalization.CultureInfo.InvariantCulture),
            KeyCalls = int.Parse(configuration["GERMINAL_KEY_CALLS"] ?? "600", System.Globalization.CultureInfo.InvariantCulture),
            Backups = configuration["GERMINAL_BACKUPS"] is { Length: > 0 } folder
                ? new Backups(folder, Needed("GERMINAL_DB"), data, KeepOf(configuration["GERMINAL_BACKUPS_KEPT"]), configuration["GERMINAL_PG_PROGRAMS"] ?? "")
                : null,
        };
    }

    internal static KeepRule KeepOf(string? words)
    {
        try
        {
            return words is { Length: > 0 } ? KeepRule.Parse(words) : KeepRule.Usual;
        }
        catch (FormatException e)
        {
            throw new InvalidOperationException($"GERMINAL_BACKUPS_KEPT: {e.Message}", e);
        }
    }

    internal const int SecretBytes = 48;

    /// <summary>Random bytes made once and kept for the owner's eyes only.</summary>
    private static byte[] Secret(string file)
    {
        if (!File.Exists(file))
        {
            var made = file + $".{Environment.ProcessId}";
            File.WriteAllBytes(made, RandomNumberGenerator.GetBytes(SecretBytes));
            File.SetUnixFileMode(made, UnixFileMode.UserRead | UnixFileMode.UserWrite);
            File.Move(made, file, overwrite: false);
        }

        var bytes = File.ReadAllBytes(file);
        return bytes.Length == SecretBytes
            ? bytes
            : throw new InvalidOperationException(
                $"The key file {file} holds {bytes.Length} bytes instead of {SecretBytes}: it is empty or damaged. Put it back from your backup; or move it away, and a new one is made: then links in letters that went out before no longer work."
            );
    }
}
