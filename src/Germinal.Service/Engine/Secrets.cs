using Germinal.Channels.Mail;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.DataProtection;

namespace Germinal.Service.Engine;

/// <summary>Passwords of a practice's own servers: sealed in the database with the installation's key, opened where they are used.</summary>
public sealed class Secrets(IDataProtectionProvider protection)
{
    private const int Connections = 4;
    private readonly IDataProtector protector = protection.CreateProtector("mail-server-password");

    /// <summary>A password as it is stored.</summary>
    public string Seal(string password) => protector.Protect(password);

    /// <summary>A practice's own server ready for use; null for none.</summary>
    public MailServer? Open(MailServerSettings? settings) =>
        settings is null || settings.Host.Length == 0
            ? null
            : new MailServer(
                settings.Host,
                settings.Port,
                Connections,
                null,
                settings.Security,
                settings.User,
                settings.SealedPassword.Length == 0 ? "" : protector.Unprotect(settings.SealedPassword)
            );
}
