using Germinal.Channels.Mail;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Service.Sending;

/// <summary>
/// The keys mail is signed with, and how one takes over from another: a new one is made, its record is set, then it signs; the record of the one before
/// stands a week longer, for letters that are still on their way. The caller saves the settings.
/// </summary>
public static class SigningKeys
{
    /// <summary>So long the record of a key that signs no more has to stand.</summary>
    public static readonly Duration Standing = Duration.FromDays(7);

    /// <summary>So many keys of a domain are kept.</summary>
    private const int Most = 6;

    /// <summary>The keys of a domain, the newest first.</summary>
    public static IReadOnlyList<SigningKeyDto> Of(PracticeSettings settings, string domain, Instant now) =>
        [
            .. settings
                .SigningKeys.Where(k => k.Domain == domain)
                .OrderByDescending(k => k.MadeAt)
                .ThenByDescending(k => k.Selector, StringComparer.Ordinal)
                .Select(k => new SigningKeyDto(
                    k.Selector,
                    MailRecords.KeyName(domain, k.Selector),
                    MailRecords.KeyValue(k.PublicKey),
                    k.MadeAt.Iso(),
                    k.UsedFrom?.Iso(),
                    k.EndedAt?.Iso(),
                    k.EndedAt is { } ended && ended + Standing <= now
                )),
        ];

    /// <summary>Makes a key that does not sign yet.</summary>
    /// <returns>False where one is already waiting for its record.</returns>
    public static bool Make(PracticeSettings settings, string domain, Secrets secrets, Instant now)
    {
        var keys = settings.SigningKeys.Where(k => k.Domain == domain).ToList();
        if (keys.Any(k => k.UsedFrom is null))
        {
            return false;
        }

        var (secret, open) = MailSigning.NewPair();
        var day = FormattableString.Invariant($"g{now.InUtc().Date:yyyyMMdd}");
        settings.SigningKeys.Add(
            new SigningKeySettings
            {
                Domain = domain,
                Selector = FreeName.Of(day, keys.Select(k => k.Selector)).Replace(" ", "-", StringComparison.Ordinal),
                PublicKey = open,
                SealedKey = secrets.Seal(secret),
                MadeAt = now,
            }
        );
        foreach (var old in keys.Where(k => k.EndedAt is not null).OrderByDescending(k => k.EndedAt).Skip(Most))
        {
            settings.SigningKeys.Remove(old);
        }

        return true;
    }

    /// <summary>Signs with a key from now on; the one before ends.</summary>
    /// <returns>False where there is none such that waits.</returns>
    public static bool Use(PracticeSettings settings, string domain, string selector, Instant now)
    {
        if (settings.SigningKeys.Find(k => k.Domain == domain && k.Selector == selector && k.UsedFrom is null) is not { } key)
        {
            return false;
        }

        End(settings, domain, now);
        key.UsedFrom = now;
        return true;
    }

    /// <summary>Signs no more.</summary>
    /// <returns>False where nothing was signed.</returns>
    public static bool End(PracticeSettings settings, string domain, Instant now)
    {
        var used = settings.SigningKeys.Where(k => k.Domain == domain && k is { UsedFrom: not null, EndedAt: null }).ToList();
        used.ForEach(k => (k.EndedAt, k.SealedKey) = (now, ""));
        return used.Count > 0;
    }

    /// <summary>Throws a key away that never signed.</summary>
    /// <returns>False where there is none such.</returns>
    public static bool ThrowAway(PracticeSettings settings, string domain, string selector) =>
        settings.SigningKeys.RemoveAll(k => k.Domain == domain && k.Selector == selector && k.UsedFrom is null) > 0;
}
