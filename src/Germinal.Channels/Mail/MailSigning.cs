using System.Collections.Concurrent;
using System.Security.Cryptography;
using MimeKit;
using MimeKit.Cryptography;
using Org.BouncyCastle.Crypto;
using Org.BouncyCastle.Security;

namespace Germinal.Channels.Mail;

/// <summary>A key that mail is signed with.</summary>
/// <param name="Domain">The domain it signs for.</param>
/// <param name="Selector">Its name below <c>_domainkey</c>.</param>
/// <param name="Private">PKCS 8, base64.</param>
public sealed record SigningKey(string Domain, string Selector, string Private);

/// <summary>Signatures of mail (DKIM, RFC 6376), by RSA with SHA-256 (RFC 8301), relaxed in head and body.</summary>
public static class MailSigning
{
    private const int Bits = 2048;

    /// <summary>What is signed: what readers see and programs act by (RFC 6376, 5.4.1; List-Unsubscribe by RFC 8058, 4).</summary>
    private static readonly HeaderId[] Signed =
    [
        HeaderId.From,
        HeaderId.To,
        HeaderId.Subject,
        HeaderId.Date,
        HeaderId.MessageId,
        HeaderId.ReplyTo,
        HeaderId.InReplyTo,
        HeaderId.References,
        HeaderId.MimeVersion,
        HeaderId.ContentType,
        HeaderId.ContentTransferEncoding,
        HeaderId.ListUnsubscribe,
        HeaderId.ListUnsubscribePost,
    ];

    private static readonly ConcurrentDictionary<string, AsymmetricKeyParameter> Read = new(StringComparer.Ordinal);

    /// <summary>A new pair.</summary>
    /// <returns>The private key (PKCS 8) and the public one (SubjectPublicKeyInfo), both base64.</returns>
    public static (string Private, string Public) NewPair()
    {
        using var rsa = RSA.Create(Bits);
        return (Convert.ToBase64String(rsa.ExportPkcs8PrivateKey()), Convert.ToBase64String(rsa.ExportSubjectPublicKeyInfo()));
    }

    /// <summary>Signs a message as its last change: whatever is changed after it breaks the signature.</summary>
    /// <param name="message">The message.</param>
    /// <param name="key">The key; null leaves it unsigned.</param>
    public static void Sign(MimeMessage message, SigningKey? key)
    {
        if (key is null)
        {
            return;
        }

        // Lines and characters that no server has to change on the way.
        message.Prepare(EncodingConstraint.SevenBit);
        var signer = new DkimSigner(Read.GetOrAdd(key.Private, text => PrivateKeyFactory.CreateKey(Convert.FromBase64String(text))), key.Domain, key.Selector)
        {
            HeaderCanonicalizationAlgorithm = DkimCanonicalizationAlgorithm.Relaxed,
            BodyCanonicalizationAlgorithm = DkimCanonicalizationAlgorithm.Relaxed,
            SignatureAlgorithm = DkimSignatureAlgorithm.RsaSha256,
        };
        signer.Sign(message, [.. Signed.Where(message.Headers.Contains)]);
    }
}
