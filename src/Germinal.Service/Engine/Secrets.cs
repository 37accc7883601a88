using System.Collections.Concurrent;
using Germinal.Channels.Mail;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.DataProtection;

namespace Germinal.Service.Engine;

/// <summary>Passwords of a practice's own servers, and addresses that are as good as one: sealed in the database with the installation's key, opened where they are used.</summary>
public sealed class Secrets(IDataProtectionProvider protection)
{
    private const int Connections = 4;
    private readonly ConcurrentDictionary<string, string?> opened = new(StringComparer.Ordinal);
    private readonly IDataProtector protector = protection.CreateProtector(SealPurposes.Servers);

    /// <summary>A password as it is stored.</summary>
    public string Seal(string password) => protector.Protect(password);

    /// <summary>What was sealed; null where this installation's key does not open it.</summary>
    public string? Unseal(string sealedWords)
    {
        try
        {
            return protector.Unprotect(sealedWords);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return null;
        }
    }

    /// <summary>The key mail of an address is signed with; null where its domain has none that is used, or this installation's key does not open it.</summary>
    public SigningKey? SigningFor(PracticeSettings settings, string address) =>
        settings.SigningKeys.Find(k => k is { UsedFrom: not null, EndedAt: null } && address.EndsWith("@" + k.Domain, StringComparison.OrdinalIgnoreCase)) is { } used
        && opened.GetOrAdd(used.SealedKey, Unseal) is { } key
            ? new SigningKey(used.Domain, used.Selector, key)
            : null;

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
