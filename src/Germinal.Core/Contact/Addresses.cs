using System.Text.RegularExpressions;

namespace Germinal.Core.Contact;

/// <summary>Whether an address is well-formed (check 4 of section 8). Says nothing about whether anyone is there.</summary>
public static partial class Addresses
{
    [GeneratedRegex(
        @"^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)+[A-Za-z]{2,63}\z",
        RegexOptions.None,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex EmailForm();

    [GeneratedRegex(@"^\+[1-9][0-9]{6,14}\z", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex E164Form();

    /// <summary>A mail address as mail servers accept it everywhere: a dot-atom, an @, a host name with a dot.</summary>
    public static bool IsEmail(string? text) =>
        text is not null
        && text.Length <= 254
        && EmailForm().IsMatch(text)
        && !text.Contains("..", StringComparison.Ordinal)
        && text[0] != '.'
        && text[text.IndexOf('@', StringComparison.Ordinal) - 1] != '.';

    /// <summary>A number in E.164: a plus and at most 15 digits.</summary>
    public static bool IsE164(string? text) => text is not null && E164Form().IsMatch(text);

    /// <summary>Whether an address will do for a channel.</summary>
    public static bool IsWellFormed(Channel channel, string? address) =>
        channel switch
        {
            Channel.Email => IsEmail(address),
            Channel.Text or Channel.Call => IsE164(address),
            _ => !string.IsNullOrWhiteSpace(address),
        };
}
