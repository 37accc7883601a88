using Germinal.Service.Members;
using OtpNet;

namespace Germinal.Service.Tests;

/// <summary>What is asked of passwords, and codes of a second factor.</summary>
public sealed class MembersTests
{
    private static readonly string[] Ada = ["Ada Quill", "ada.quill@example.com", "Alder Quay Planning"];

    // NIST SP 800-63B-4, 3.1.1.2: at least 15 signs where it is the only factor, at least 64 taken, no rules of composition, compared with
    // what is known to be common, and with words of the context.
    [Theory]
    [InlineData("fourteen signs")]
    [InlineData("passwordpassword")]
    [InlineData("123456789012345678")]
    [InlineData("abcdefghijklmnopqrstuvwxyz")]
    [InlineData("qwerty qwerty qwerty ")]
    [InlineData("1234567password1234567")]
    [InlineData("Ada.Quill@example.com")]
    [InlineData("alderquayplanning2027")]
    [InlineData("aaaaaaaaaaaaaaaaaaaaaaa")]
    public void Passwords_that_are_guessed_first_are_refused_with_what_would_be_right(string password) =>
        Assert.Contains("sentence", PasswordRules.Problem(password, Ada), StringComparison.Ordinal);

    [Theory]
    [InlineData("the kettle knew it first")]
    [InlineData("larch-quay-heron-21")]
    [InlineData("жёлтый чайник на пирсе")]
    [InlineData("🦆🦆🪿🦆🦢🦆🪿🪿🦢🦆🦆🪿🦢🦢🪿🦆")]
    [InlineData("ada quill never eats fish on a monday")]
    public void Long_ones_of_any_letters_and_signs_are_taken(string password) => Assert.Null(PasswordRules.Problem(password, Ada));

    [Fact]
    public void Sixty_four_signs_and_many_more_are_taken_and_a_book_is_not()
    {
        var long64 = string.Concat(Enumerable.Range(0, 64).Select(i => "kettle on the quay, seven herons!"[i * 7 % 33]));
        Assert.Null(PasswordRules.Problem(long64, Ada));
        Assert.Contains("At most", PasswordRules.Problem(string.Concat(Enumerable.Range(0, 2000).Select(i => (char)('a' + (i * i % 23)))), Ada), StringComparison.Ordinal);
    }

    [Fact]
    public void A_password_is_the_same_however_its_letters_were_put_together() =>
        Assert.Equal(PasswordRules.Normal("caf\u00e9 on the quay at dawn"), PasswordRules.Normal("cafe\u0301 on the quay at dawn"));

    // RFC 6238, appendix B: the SHA-1 vectors, eight digits of which the last six are what six digits would be.
    [Theory]
    [InlineData(59, "94287082")]
    [InlineData(1111111109, "07081804")]
    [InlineData(1111111111, "14050471")]
    [InlineData(1234567890, "89005924")]
    [InlineData(2000000000, "69279037")]
    [InlineData(20000000000, "65353130")]
    public void Codes_are_those_of_the_standard(long seconds, string code)
    {
        var secret = Base32Encoding.ToString("12345678901234567890"u8.ToArray());
        var now = DateTimeOffset.FromUnixTimeSeconds(seconds).UtcDateTime;
        var six = code[2..];

        Assert.Equal(seconds / 30, SecondFactor.StepOf(secret, six, now, 0));
        Assert.Equal(seconds / 30, SecondFactor.StepOf(secret, $"{six[..3]} {six[3..]}", now, 0));

        // A clock may be a step off; a code is taken once, and none of long ago.
        Assert.Equal(seconds / 30, SecondFactor.StepOf(secret, six, now.AddSeconds(30), 0));
        Assert.Null(SecondFactor.StepOf(secret, six, now, seconds / 30));
        Assert.Null(SecondFactor.StepOf(secret, six, now.AddSeconds(90), 0));
        Assert.Null(SecondFactor.StepOf(secret, "000000", now, 0));
        Assert.Null(SecondFactor.StepOf(secret, "", now, 0));
    }

    [Fact]
    public void A_secret_is_read_by_any_application_for_codes_and_recovery_codes_are_kept_as_marks()
    {
        var secret = SecondFactor.NewSecret();
        Assert.Equal(20, Base32Encoding.ToBytes(secret).Length);
        var address = SecondFactor.AddressOf(secret, "ada@example.com", "Alder Quay Planning");
        Assert.StartsWith("otpauth://totp/", address, StringComparison.Ordinal);
        Assert.Contains($"secret={secret}", address, StringComparison.Ordinal);

        var (shown, kept) = SecondFactor.NewRecoveryCodes();
        Assert.Equal(10, shown.Distinct().Count());
        Assert.Equal(kept, shown.Select(SecondFactor.Mark));
        Assert.Equal(kept[0], SecondFactor.Mark(shown[0].ToUpperInvariant().Replace("-", " ", StringComparison.Ordinal)));
        Assert.All(shown, code => Assert.DoesNotContain(kept, mark => mark.Contains(code, StringComparison.Ordinal)));
    }

    [Theory]
    [InlineData("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0", "Firefox on Linux")]
    [InlineData("Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36", "Chrome on Windows")]
    [InlineData("curl/8.5.0", "curl")]
    [InlineData("", "a program that does not say what it is")]
    [InlineData("something strange", "something strange")]
    public void A_device_is_said_in_words(string program, string words) => Assert.Equal(words, DeviceWords.Of(program));
}
