using System.Security.Cryptography;
using OtpNet;

namespace Germinal.Service.Members;

/// <summary>
/// The second thing that is asked for at signing in: six digits that a member's telephone works out from a shared secret and the time
/// (TOTP, RFC 6238: SHA-1, 30 seconds), or a recovery code.
/// </summary>
public static class SecondFactor
{
    private const int SecretBytes = 20;
    private const int Seconds = 30;
    private const int RecoveryCount = 10;
    private const int RecoveryBytes = 10;

    /// <summary>A new secret, in base32 as it is typed.</summary>
    public static string NewSecret() => Base32Encoding.ToString(RandomNumberGenerator.GetBytes(SecretBytes));

    /// <summary>The address that applications read from a picture (otpauth).</summary>
    /// <param name="secret">In base32.</param>
    /// <param name="member">The member's address.</param>
    /// <param name="practice">What it is for.</param>
    public static string AddressOf(string secret, string member, string practice) => new OtpUri(OtpType.Totp, secret, member, Say($"Germinal {practice}")).ToString();

    /// <summary>The step whose code it is; null where it is none of now, or of a step that was used before.</summary>
    /// <param name="secret">In base32.</param>
    /// <param name="code">As it was typed; spaces do not count.</param>
    /// <param name="now">By the machine's clock. One step before and after are taken too, for clocks that differ (RFC 6238, 5.2).</param>
    /// <param name="lastUsed">The newest step a code was taken for: none works twice.</param>
    public static long? StepOf(string secret, string code, DateTime now, long lastUsed)
    {
        var totp = new Totp(Base32Encoding.ToBytes(secret), Seconds);
        var digits = string.Concat(code.Where(c => !char.IsWhiteSpace(c)));
        return totp.VerifyTotp(now, digits, out var step, new VerificationWindow(1, 1)) && step > lastUsed ? step : null;
    }

    /// <summary>New recovery codes: as they are shown once, and as they are kept.</summary>
    public static (IReadOnlyList<string> Shown, List<string> Kept) NewRecoveryCodes()
    {
        var shown = Enumerable
            .Range(0, RecoveryCount)
            .Select(_ => Base32Encoding.ToString(RandomNumberGenerator.GetBytes(RecoveryBytes)).ToLowerInvariant())
            .Select(c => string.Join('-', c.Chunk(4).Select(p => new string(p))))
            .ToList();
        return (shown, [.. shown.Select(Mark)]);
    }

    /// <summary>A recovery code as it is kept: who reads the table can sign in with none.</summary>
    public static string Mark(string code) => KeyMark.Of(string.Concat(code.Where(char.IsLetterOrDigit)).ToLowerInvariant());
}
