using System.Buffers.Binary;
using System.Buffers.Text;
using System.Security.Cryptography;

namespace Germinal.Channels;

/// <summary>
/// Signed addresses of the public pages. A link names a touch (or a person) and carries a MAC of it and of what it is for,
/// so that nobody can make one up, alter one, or use one for something else; it works as long as the practice keeps its key.
/// </summary>
/// <param name="key">At least 32 random bytes, made at first start and kept out of the repository.</param>
/// <param name="baseUrl">Where the application is reached from outside, without a slash at the end.</param>
public sealed class PublicLinks(byte[] key, string baseUrl)
{
    /// <summary>Where forms are.</summary>
    public const string FormRoot = "/form";

    /// <summary>Where one chooses times.</summary>
    public const string MeetingRoot = "/time";

    /// <summary>Where letters are that are shown as pages.</summary>
    public const string LandingRoot = "/page";

    /// <summary>Where practices' feeds are.</summary>
    public const string FeedRoot = "/feed";

    /// <summary>Where films are.</summary>
    public const string FilmRoot = "/film";

    private const int MacBytes = 16;
    private const byte OfLink = (byte)'l';
    private const byte OfOpening = (byte)'o';
    private const byte OfPreferences = (byte)'p';
    private const byte OfConfirmation = (byte)'c';
    private const byte OfShortLink = (byte)'s';
    private const byte OfFormConfirmation = (byte)'y';
    private const byte OfReader = (byte)'r';
    private const byte OfAppointment = (byte)'a';
    private const byte OfConfirmedReader = (byte)'q';
    private const int ShortSigns = 10;

    // Without those that are mistaken for each other when somebody types them: 0 and o, 1, i and l.
    private const string Signs = "23456789abcdefghjkmnpqrstuvwxyzABCDEFGHJKMNPQRSTUVWXYZ";

    private readonly ShortMac macs = new(key);

    /// <summary>Where the application is reached from outside, without a slash at the end.</summary>
    public string BaseUrl { get; } = baseUrl.TrimEnd('/');

    /// <summary>A practice's feed.</summary>
    public string Feed(Guid practice) => $"{BaseUrl}{FeedRoot}/{practice}";

    /// <summary>The page of a film.</summary>
    public string Film(string slug) => $"{BaseUrl}{FilmRoot}/{slug}";

    /// <summary>The unsubscribe page of a touch; also the address of the one-click POST (RFC 8058).</summary>
    public string Unsubscribe(Guid touchId) => $"{BaseUrl}/u/{Token(touchId)}";

    /// <summary>The address that leads on to a letter's link.</summary>
    /// <param name="touchId">The touch that carries the letter.</param>
    /// <param name="place">The link's place in the letter, from 0.</param>
    public string Link(Guid touchId, int place) => $"{BaseUrl}/l/{Token(OfLink, touchId, (ushort)place)}";

    /// <summary>
    /// The short name of a text's link: ten signs of a MAC, so that nobody comes by one by guessing. What it stands for is kept where
    /// messages are.
    /// </summary>
    public string ShortCode(Guid touchId, int place)
    {
        Span<byte> signed = stackalloc byte[19];
        Write(OfShortLink, touchId, (ushort)place, signed);
        Span<byte> mac = stackalloc byte[ShortSigns];
        macs.Write(signed, mac);
        return string.Create(ShortSigns, mac.ToArray(), static (code, bytes) =>
        {
            for (var i = 0; i < code.Length; i++)
            {
                code[i] = Signs[bytes[i] % Signs.Length];
            }
        });
    }

    /// <summary>The address of a short name.</summary>
    public string Short(string code) => $"{BaseUrl}/s/{code}";

    /// <summary>A short address as long as every other, for counting what a text takes.</summary>
    public string ShortOfLength() => Short(new string('x', ShortSigns));

    /// <summary>The picture that tells that a letter was opened.</summary>
    public string Opening(Guid touchId) => $"{BaseUrl}/o/{Token(OfOpening, touchId, 0)}.gif";

    /// <summary>A person's page of what they take and leave.</summary>
    public string Preferences(Guid personId) => $"{BaseUrl}/p/{Token(OfPreferences, personId, 0)}";

    /// <summary>The address by which the reader of a letter confirms that it was them who asked (double opt-in).</summary>
    public string Confirmation(Guid touchId) => $"{BaseUrl}/c/{Token(OfConfirmation, touchId, 0)}";

    /// <summary>The address by which the sender of a form confirms that it was them.</summary>
    public string FormConfirmation(Guid submissionId) => $"{BaseUrl}/y/{Token(OfFormConfirmation, submissionId, 0)}";

    /// <summary>The submission of a confirmation's token, or null.</summary>
    public Guid? TryReadFormConfirmation(string token) => TryRead(OfFormConfirmation, token)?.Id;

    /// <summary>The public page of a form.</summary>
    public string Form(string slug) => $"{BaseUrl}{FormRoot}/{slug}";

    /// <summary>The public page on which one chooses a time.</summary>
    public string Meeting(string slug) => $"{BaseUrl}{MeetingRoot}/{slug}";

    /// <summary>The address by which whoever chose an appointment moves or cancels it.</summary>
    public string Appointment(Guid appointmentId) => $"{BaseUrl}/a/{Token(OfAppointment, appointmentId, 0)}";

    /// <summary>The appointment of a token, or null.</summary>
    public Guid? TryReadAppointment(string token) => TryRead(OfAppointment, token)?.Id;

    /// <summary>The public page a letter is shown as.</summary>
    public string Landing(string slug) => $"{BaseUrl}{LandingRoot}/{slug}";

    /// <summary>What says who a form is shown to: the message whose link they followed.</summary>
    public string Reader(Guid touchId) => Token(OfReader, touchId, 0);

    /// <summary>The message of a reader's token, or null.</summary>
    public Guid? TryReadReader(string token) => TryRead(OfReader, token)?.Id;

    /// <summary>What says that a page is shown to somebody who has proved that they read the mail of the address: it came to them there.</summary>
    /// <param name="touchId">The message whose link they followed first.</param>
    /// <param name="day">A number of the day on which it was mailed.</param>
    public string ConfirmedReader(Guid touchId, ushort day) => Token(OfConfirmedReader, touchId, day);

    /// <summary>The message and the day's number of a confirmed reader's token, or null.</summary>
    public (Guid TouchId, int Day)? TryReadConfirmedReader(string token) => TryRead(OfConfirmedReader, token) is { } read ? (read.Id, read.Number) : null;

    /// <summary>The touch and place of a link's token, or null for one that is forged, altered or meant for something else.</summary>
    public (Guid TouchId, int Place)? TryReadLink(string token) => TryRead(OfLink, token) is { } read ? (read.Id, read.Number) : null;

    /// <summary>The touch of an opening's token, or null.</summary>
    public Guid? TryReadOpening(string token) => TryRead(OfOpening, token)?.Id;

    /// <summary>The person of a preference page's token, or null.</summary>
    public Guid? TryReadPreferences(string token) => TryRead(OfPreferences, token)?.Id;

    /// <summary>The touch of a confirmation's token, or null.</summary>
    public Guid? TryReadConfirmation(string token) => TryRead(OfConfirmation, token)?.Id;

    /// <summary>The unsubscribe token of a touch.</summary>
    public string Token(Guid touchId)
    {
        Span<byte> token = stackalloc byte[16 + MacBytes];
        touchId.TryWriteBytes(token, bigEndian: true, out _);
        macs.Write(token[..16], token[16..]);
        return Base64Url.EncodeToString(token);
    }

    /// <summary>The touch of an unsubscribe token, or null for one that is forged, altered or not a token.</summary>
    public Guid? TryRead(string token)
    {
        Span<byte> bytes = stackalloc byte[64];
        if (token.Length > 64 || !Base64Url.IsValid(token) || !Base64Url.TryDecodeFromChars(token, bytes, out var length) || length != 16 + MacBytes)
        {
            return null;
        }

        Span<byte> mac = stackalloc byte[MacBytes];
        macs.Write(bytes[..16], mac);
        return CryptographicOperations.FixedTimeEquals(mac, bytes[16..(16 + MacBytes)]) ? new Guid(bytes[..16], bigEndian: true) : null;
    }

    private string Token(byte purpose, Guid id, ushort number)
    {
        // The purpose is part of what is signed, not of what is sent.
        Span<byte> signed = stackalloc byte[19];
        Write(purpose, id, number, signed);
        Span<byte> token = stackalloc byte[18 + MacBytes];
        signed[1..].CopyTo(token);
        macs.Write(signed, token[18..]);
        return Base64Url.EncodeToString(token);
    }

    private (Guid Id, int Number)? TryRead(byte purpose, string token)
    {
        Span<byte> bytes = stackalloc byte[64];
        if (token.Length > 64 || !Base64Url.IsValid(token) || !Base64Url.TryDecodeFromChars(token, bytes, out var length) || length != 18 + MacBytes)
        {
            return null;
        }

        var id = new Guid(bytes[..16], bigEndian: true);
        var number = BinaryPrimitives.ReadUInt16BigEndian(bytes[16..]);
        Span<byte> signed = stackalloc byte[19];
        Write(purpose, id, number, signed);
        Span<byte> mac = stackalloc byte[MacBytes];
        macs.Write(signed, mac);
        return CryptographicOperations.FixedTimeEquals(mac, bytes[18..(18 + MacBytes)]) ? (id, number) : null;
    }

    private static void Write(byte purpose, Guid id, ushort number, Span<byte> into)
    {
        into[0] = purpose;
        id.TryWriteBytes(into[1..], bigEndian: true, out _);
        BinaryPrimitives.WriteUInt16BigEndian(into[17..], number);
    }
}
